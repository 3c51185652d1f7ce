"""`check-plan`, `records`, `dossier`, `verify`: what they say, for people and for scripts, and with which exit status."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any

import pytest
from tests.building.database import Database
from tests.building.people import PASSWORD, Person, app_on

from canaleta.cli import main
from canaleta.host.proving import verify
from canaleta.host.steps import TroubleError

Said = pytest.CaptureFixture[str]


@pytest.fixture
def plant(database: Database, monkeypatch: pytest.MonkeyPatch) -> Database:
    """The demo plant, with one loop check signed."""
    engineer = Person(app_on(database), "engineer")
    sheet = engineer.get("/api/points/1/check").json
    body = {
        "readings": [{"value": s["value_number"], "from_scan": True} for s in sheet["steps"]], "seq": sheet["seq"],
        "name": "Ana Serra", "password": PASSWORD, "instrument": "cal 3", "due": "2999-12",
    }  # fmt: skip
    assert engineer.send("POST", "/api/points/1/check/sign", body).status_code == 200
    url = database.engine.url.render_as_string(hide_password=False)
    monkeypatch.setenv("CANALETA_DATABASE_URL", url)
    return database


def printed(said: Said, *words: str) -> Any:
    assert main([*words, "--json"]) == 0
    return json.loads(said.readouterr().out)


def test_a_plan_says_what_is_put_on_and_what_must_be_read(plant: Database, capsys: Said) -> None:
    """0 to 600 mbar on 4 to 20 mA: 8 mA are 150 mbar; the transmitter alone is given 150 mbar and must make 8 mA of it."""
    (one,) = printed(capsys, "check-plan", "pt-3107")["points"]
    assert (one["tag"], one["why_not"]) == ("PT-3107", "")
    assert [(s["put_on"], s["due"]) for s in one["steps"]][1] == ("8.000 mA", "150.0 mbar")
    (alone,) = printed(capsys, "check-plan", "PT-3107", "--test", "device")["points"]
    assert alone["steps"][1]["due"] == "8.000 mA"
    assert alone["steps"][1]["put_on"].startswith("150")
    assert main(["check-plan", "--area", "kiln 2", "--csv"]) in (0, 3)
    rows = list(csv.DictReader(io.StringIO(capsys.readouterr().out)))
    assert {row["tag"] for row in rows} >= {"PT-3107", "FT-3110"}
    assert main(["check-plan", "PT-3107"]) == 0
    assert "150.0 mbar" in capsys.readouterr().out


def test_a_name_of_nothing_is_told(plant: Database, capsys: Said) -> None:
    for words in (
        ["check-plan", "XX-1"], ["check-plan", "--system", "none"], ["records", "--package", "none"],
        ["records", "--since", "2027-02-30"], ["dossier", "x.pdf", "--system", "none", "--name", "B"],
        ["verify", "no such file.pdf"],
    ):  # fmt: skip
        assert main(words) == 1
        assert "what to do" in capsys.readouterr().err


def test_records_are_listed_by_what_is_asked(plant: Database, capsys: Said) -> None:
    (one,) = printed(capsys, "records")
    assert (one["tag"], one["kind"], one["name"], one["passes"]) == ("PT-3107", "loop check", "Ana Serra", True)
    assert printed(capsys, "records", "--passes", "no") == []
    assert printed(capsys, "records", "FT-3110") == []
    assert len(printed(capsys, "records", "PT-3107", "--who", "Ana Serra", "--kind", "loop check")) == 1
    assert printed(capsys, "records", "--until", "2020-01-01") == []


def test_a_dossier_is_written_proved_and_never_written_over(plant: Database, capsys: Said, tmp_path: Path) -> None:
    for name in ("d.pdf", "d.zip", "d"):
        file = tmp_path / name
        assert main(["dossier", str(file), "--name", "B. Roca"]) == 0
        assert main(["dossier", str(file), "--name", "B. Roca"]) == 1
        capsys.readouterr()
        assert main(["verify", str(file)]) == 0
        assert "1 records; sound, proved by itself" in capsys.readouterr().out
        proof = printed(capsys, "verify", str(file), "--data", str(tmp_path))
        assert (proof["sound"], proof["against_database"], proof["records"]) == (True, True, 1)
    raw = bytearray((tmp_path / "d.pdf").read_bytes())
    raw[len(raw) // 2] ^= 1
    (tmp_path / "altered.pdf").write_bytes(raw)
    assert main(["verify", str(tmp_path / "altered.pdf")]) == 4
    assert "NOT what was signed" in capsys.readouterr().out


def test_trouble_is_no_verdict(tmp_path: Path) -> None:
    (tmp_path / "x.pdf").write_bytes(b"%PDF")
    with pytest.raises(TroubleError):
        verify(tmp_path / "no plant", tmp_path / "x.pdf", "")
