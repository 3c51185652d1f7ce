"""`convert counts` and `convert path`: every representation both ways, whole paths, and what is told."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.building.database import Run


def test_counts_of_a_current_and_where_they_stop(run: Run) -> None:
    """0–20 mA on 0…65535: 3.6 → 11796.3, 12 → 39321, and above 20 mA nothing is seen."""
    code, out, _ = run("counts", "--json", "3.6", "12", "20.5")
    answers = [json.loads(line) for line in out]
    assert (code, [a["result"] for a in answers]) == (0, [11796, 39321, 65535])
    assert [a["quality"] for a in answers] == ["good", "good", "doubtful"]
    assert run("counts", "--rounding", "none", "3.6")[1] == ["11796.300000"]


def test_a_suppressed_live_zero_with_headroom(run: Run) -> None:
    code, out, _ = run(
        "counts", "--signal", "4…20 mA", "--counts", "0…10000", "--stops", "-2500…32767", "3.6", "3.8", "21"
    )
    assert (code, out) == (0, ["-250", "-125", "10625"])


@pytest.mark.parametrize(
    ("words", "value", "answer"),
    [
        (["--signal", "-10…10 V", "--counts", "-32768…32767", "--to", "word"], "-10", "0x8000"),
        (["--left", "12", "--signal", "0…10 V", "--counts", "0…4095", "--to", "word"], "10", "0xFFF0"),
        (["--coding", "offset", "--signal", "-10…10 V", "--counts", "-32000…32000", "--to", "word"], "0", "0x8000"),
        (["--float", "--order", "CDAB", "--counts", "0…20", "--to", "word"], "12.5", "0x0000 0x4148"),
        (["--float", "--order", "CDAB", "--counts", "0…20", "--from", "word"], "0x0000 0x4148", "12.500000 mA"),
        (["--float", "--from", "word", "--to", "count"], "0x4148 0x0000", "12.500000"),
        (["--bits", "32", "--counts", "0…2000000", "--from", "word"], "0x000F4240", "10.000000 mA"),
        (["--from", "count"], "39321", "12.000000 mA"),
        (["--scale", "-20…80 °C", "--scale-signal", "4…20", "--to", "value"], "12", "30.000000 °C"),
        (["--scale", "-20…80 °C", "--scale-signal", "4…20", "--from", "value"], "30", "39321"),
        (["--step", "8", "--signal", "0…10 V", "--counts", "0…32000"], "3.126", "10000"),
    ],
)
def test_every_way_through(run: Run, words: list[str], value: str, answer: str) -> None:
    code, out, err = run("counts", *words, "--", value) if value.startswith("-") else run("counts", *words, value)
    assert (code, out) == (0, [answer]), err


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--signal", "4 mA", "1"], "“4 mA” is not a span"),
        (["--to", "value", "1"], "needs --scale"),
        (["--counts", "5…5", "1"], "a span has a length"),
        (["--from", "word", "0x12345"], "not 1 word of 16 bits"),
        (["--from", "count", "70000"], "the word holds 0 to 65535"),
        (["--from", "count", "1.5"], "whole numbers"),
        (["--left", "20", "1"], "more than the word has"),
    ],
)
def test_what_cannot_be_counted_is_told(run: Run, words: list[str], says: str) -> None:
    code, _, err = run("counts", *words)
    assert code == 2
    assert says in err


def test_the_good_lines_are_still_answered(run: Run) -> None:
    code, out, err = run("counts", "--json", "-", typed="4\nx\n12\n")
    assert (code, [json.loads(line)["result"] for line in out]) == (2, [13107, None, 39321])
    assert "“x” is not a number" in err


PATH = {
    "device": {"signal": "4–20 mA", "low": 0, "high": 600, "unit": "mbar", "lift_off_v": 10.5},
    "loop": {"supply": "module", "wires": 2},
    "input": {"module": "ai8-ui", "mode": "4–20 mA"},
    "value": {"low": 0, "high": 500, "unit": "mbar"},
}


@pytest.fixture
def file(tmp_path: Path) -> Callable[..., str]:
    def write(**change: object) -> str:
        made = tmp_path / "path.json"
        made.write_text(json.dumps(PATH | change), encoding="utf-8")
        return str(made)

    return write


def test_a_path_from_any_station(run: Run, file: Callable[..., str]) -> None:
    """9 mA: (9 − 4)/16 of 600 and of 500; 100 Ω; 32 000 counts."""
    code, out, _ = run(
        "path", file(), "--json", "--set", "LOOP=9", "VALUE=156.25", "COUNTS=0x2710", "PROCESS=18.75 kPa"
    )
    assert code == 0
    for line in out:
        answer = json.loads(line)
        assert list(answer["result"].values()) == pytest.approx([187.5, 31.25, 9.0, 0.9, 10000, 156.25])
        assert answer["unit"]["LOOP"] == "mA"
        assert answer["quality"] == "good"


def test_more_values_and_a_stream_go_to_the_station_before(run: Run, file: Callable[..., str]) -> None:
    code, out, _ = run("path", file(), "--json", "--set", "LOOP=4", "8", "COUNTS=-", typed="16000\n32000\n")
    assert code == 0
    assert [json.loads(line)["result"]["DEVICE"] for line in out] == pytest.approx([0, 25, 50, 100])


def test_the_working_of_every_number(run: Run, file: Callable[..., str]) -> None:
    _, out, _ = run("path", file(), "--json", "--working", "--set", "LOOP=9")
    told = {w["station"]: w for w in json.loads(out[0])["working"]}
    assert set(told) == {"PROCESS", "DEVICE", "INPUT", "COUNTS", "VALUE"}
    assert "9.0000 mA · 100 Ω" in told["INPUT"]["figures"]
    _, plain, _ = run("path", file(), "--working", "--set", "LOOP=9")
    assert any("U = I · R" in line for line in plain)


def test_faults_and_facts_of_a_path(run: Run, file: Callable[..., str]) -> None:
    code, out, _ = run("path", file(faults=[{"kind": "open"}]), "--set", "PROCESS=300")
    assert code == 0
    assert out[-1].strip() == "bad: failed low or open"
    _, facts, _ = run("path", file(), "--facts", "--json")
    sections = {json.loads(line)["section"]: json.loads(line) for line in facts}
    assert sections["loop"]["verdict"] == "7.70 V to spare at 22 mA"


def test_the_schema_is_json_schema(run: Run) -> None:
    code, out, _ = run("path", "--schema")
    schema = json.loads("\n".join(out))
    assert (code, schema["$schema"]) == (0, "https://json-schema.org/draft/2020-12/schema")
    assert set(schema["properties"]) >= {"device", "loop", "input", "counts", "value", "faults", "conventions"}


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--set", "LOOP=x"], "“x” is not a number"),
        (["--set", "LOPP=4"], "“LOPP” is not a station"),
        (["--set", "LOOP=4 V"], "LOOP is in mA"),
        ([], "say where the value stands"),
    ],
)
def test_what_cannot_be_set_is_told(run: Run, file: Callable[..., str], words: list[str], says: str) -> None:
    code, _, err = run("path", file(), *words)
    assert code == 2
    assert says in err


def test_files_that_are_no_path_are_told(run: Run, tmp_path: Path) -> None:
    bad = tmp_path / "bad.json"
    bad.write_text("{", encoding="utf-8")
    for words, says in (
        (["path"], "give the file"),
        (["path", str(bad), "--set", "LOOP=1"], "is not JSON"),
        (["path", "/nowhere.json", "--set", "LOOP=1"], "No such file"),
    ):
        code, _, err = run(*words)
        assert code == 2
        assert says in err


def test_an_option_nobody_knows_is_no_value(run: Run) -> None:
    with pytest.raises(SystemExit) as left:
        run("counts", "5", "--bogus")
    assert left.value.code == 2
