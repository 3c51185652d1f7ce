"""`convert` as people and scripts call it: good lines answered, bad ones told, exit status for scripts."""

from __future__ import annotations

import json

import pytest

from tests.building.database import Run


def test_emf_with_a_cold_junction(run: Run) -> None:
    """13.3334 mV with the junction at 24 °C is 350.00 °C; adding 24 °C blindly would give 351.05."""
    code, out, _ = run("thermocouple", "k", "--from", "mv", "--junction-degc", "24", "13.3334")
    assert code == 0
    assert out[0].endswith(" °C")
    assert float(out[0].split()[0]) == pytest.approx(350.0, abs=0.005)


def test_temperatures_below_zero_are_values_not_options(run: Run) -> None:
    code, out, _ = run("thermocouple", "T", "--from", "degc", "-200", "100")
    assert (code, [float(line.split()[0]) for line in out]) == (0, pytest.approx([-5.603, 4.279], abs=0.0008))


def test_a_pt100_on_two_wires(run: Run) -> None:
    code, out, _ = run("rtd", "pt100", "--from", "degc", "--wires", "2", "--lead-ohm", "1,5", "0")
    assert (code, out) == (0, ["103.000000 Ω"])


def test_json_has_one_object_a_line_in_order(run: Run) -> None:
    code, out, err = run("rtd", "pt100", "--from", "ohm", "--json", "-", typed="100\nten\n\n500\n138.5055\n")
    answers = [json.loads(line) for line in out]
    assert code == 2
    assert [a["quality"] for a in answers] == ["good", "bad", "bad", "good"]
    assert answers[0] == {
        "given": 100.0,
        "result": pytest.approx(0.0),
        "unit": "°C",
        "quality": "good",
        "reasons": [],
    }
    assert (answers[1]["given"], answers[1]["result"]) == ("ten", None)
    assert "18.5201 … 390.4811 Ω" in answers[2]["reasons"][0]
    assert answers[3]["result"] == pytest.approx(100.0, abs=0.0005)
    assert "“ten” is not a number" in err
    assert "“500” is outside" in err


def test_type_b_says_where_it_is_not_unique(run: Run) -> None:
    code, out, _ = run("thermocouple", "B", "--from", "mv", "--json", "--", "-0.001")
    answer = json.loads(out[0])
    assert (code, answer["quality"]) == (0, "doubtful")
    assert "two temperatures" in answer["reasons"][0]


def test_many_values_stream_in_chunks(run: Run) -> None:
    code, out, _ = run("rtd", "pt1000", "--from", "degc", "-", typed="".join(f"{i % 100}\n" for i in range(25_000)))
    assert (code, len(out)) == (0, 25_000)
    assert out[0] == out[24_900] == "1000.000000 Ω"


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["thermocouple", "Q", "--from", "mv", "1"], "“Q” is not a type: choose one of A B C E J K N R S T"),
        (["rtd", "pt200", "--from", "ohm", "1"], "“pt200” is not a curve"),
        (["rtd", "pt100", "--from", "ohm", "--wires", "5", "1"], "2, 3 or 4 wires"),
        (["rtd", "pt100", "--from", "ohm"], "give values"),
        (["thermocouple", "K", "--from", "mv", "--junction-degc", "9999", "1"], "outside -270 … 1372 °C of type K"),
        (["thermocouple", "K", "--from", "mv", "--junction-degc", "warm", "1"], "“warm” is not a number"),
        ([], "say what to convert"),
    ],
)
def test_what_cannot_be_converted_is_told_with_exit_status_two(run: Run, words: list[str], says: str) -> None:
    code, out, err = run(*words)
    assert (code, out) == (2, [])
    assert says in err


def test_the_list_has_every_curve_with_its_source(run: Run) -> None:
    code, out, _ = run("--list")
    assert code == 0
    assert len(out) == 24
    assert any("pt100 " in line and "IEC 60751" in line for line in out)
