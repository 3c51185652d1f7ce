"""A dossier proves itself and agrees with the database; one byte of it altered is told."""

from __future__ import annotations

import base64
import hashlib
import io
import json
import random
import zipfile
from pathlib import Path
from typing import Any

import pytest
from PIL import Image
from tests.building.database import Database
from tests.building.people import PASSWORD, Person, app_on
from tests.building.waiting import until

from canaleta.certificates import fingerprint
from canaleta.exchange.dossier.folder import write_folder, write_zip
from canaleta.exchange.dossier.gather import Dossier, gathered
from canaleta.exchange.dossier.pdf import dossier_pdf
from canaleta.exchange.dossier.prove import FaultOf, attached, prove, prove_against
from canaleta.exchange.dossier.seal import plant_seal, seal_pdf
from canaleta.plant.people import accounts
from canaleta.plant.records.image_cache import ImageCache
from canaleta.web.app import create_app

PT, FT = 1, 3


def photo(colour: str) -> str:
    out = io.BytesIO()
    Image.new("RGB", (64, 48), colour).save(out, "JPEG")
    return base64.b64encode(out.getvalue()).decode()


def signed(who: Person, point: int, **more: Any) -> int:
    sheet = who.get(f"/api/points/{point}/check").json
    readings = [{"value": s["value_number"], "from_scan": True} for s in sheet["steps"]]
    body = {
        "readings": readings, "seq": sheet["seq"], "name": "Ana", "password": PASSWORD, "instrument": "cal 3",
        "due": "2999-12",
    }  # fmt: skip
    answer = who.send("POST", f"/api/points/{point}/check/sign", body | more)
    assert answer.status_code == 200, answer.json
    return int(answer.json["id"])


@pytest.fixture
def made(database: Database) -> tuple[Database, Dossier]:
    """A system of two points, checked, one of them with a photo, a punch item and a second signature."""
    app = app_on(database)
    with database.engine.begin() as connection:
        accounts.set_password(connection, "technician", PASSWORD)
    technician, engineer = Person(app, "technician"), Person(app, "engineer")
    for point in (PT, FT):
        assert engineer.edit(point, "system", "", "burners of kiln 2").status_code == 200
    number = signed(technician, PT, photo=photo("red"))
    signed(technician, FT)
    engineer.send("POST", f"/api/evidence/{number}/countersign", {"name": "B. Roca", "password": PASSWORD})
    item = {"point": FT, "what": "gland is loose", "severity": "B", "photo": photo("blue")}
    assert engineer.send("POST", "/api/punches", item).status_code == 200
    engineer.send("POST", "/api/temporary", {"kind": "jumper", "point": FT, "what": "X1:7 to X1:8"})
    with database.engine.connect() as connection:
        image = ImageCache(database.engine).caught_up(connection)
        return database, gathered(connection, image, "burners of kiln 2", "engineer", "B. Roca")


def as_pdf(made: tuple[Database, Dossier], folder: Path) -> Path:
    database, dossier = made
    with database.engine.connect() as connection:
        image = ImageCache(database.engine).caught_up(connection)
    file = folder / "dossier.pdf"
    dossier_pdf(dossier, image, file)
    seal_pdf(file, plant_seal(database.engine), "B. Roca", "handed over")
    return file


def codes(file: Path) -> set[str]:
    return {str(fault.code) for fault in prove(file).faults}


def test_a_dossier_holds_what_was_signed_and_what_is_open(made: tuple[Database, Dossier]) -> None:
    _, dossier = made
    document = dossier.document
    assert [p["cells"]["tag"] for p in document["points"]] == ["PT-3107", "FT-3110"]
    assert [r["kind"] for r in document["records"]] == ["loop check", "loop check"]
    assert [s["name"] for s in document["records"][0]["signatures"]] == ["B. Roca"]
    assert [p["severity"] for p in document["punches"]] == ["B"]
    assert [x["kind"] for x in document["temporary"]] == ["jumper"]
    assert any(f["rule"] == "R07" and f["accepted"] is None for f in document["findings"])
    assert len(dossier.photos) == 2
    assert document["points"][0]["ladder"][-1]["rung"] == "loop-checked"


def test_the_pdf_is_for_archives_and_proves_itself(made: tuple[Database, Dossier], tmp_path: Path) -> None:
    """ISO 19005-3: says so in its metadata, has an output intent, embeds every font, encrypts nothing."""
    file = as_pdf(made, tmp_path)
    raw = file.read_bytes()
    assert b"<pdfaid:part>3</pdfaid:part>" in raw
    assert b"<pdfaid:conformance>B</pdfaid:conformance>" in raw
    assert b"/GTS_PDFA1" in raw
    assert b"/Encrypt" not in raw
    assert raw.count(b"/Type /Font\n") == 0 or b"/FontFile2" in raw
    proof = prove(file)
    assert proof.faults == []
    assert proof.records == 2
    database, _ = made
    with database.engine.connect() as connection:
        prove_against(proof, connection, proof.seal)
    assert proof.sound


def test_one_byte_altered_anywhere_is_told(made: tuple[Database, Dossier], tmp_path: Path) -> None:
    file = as_pdf(made, tmp_path)
    raw = file.read_bytes()
    chance = random.Random(20)
    for place in [0, len(raw) - 1, *(chance.randrange(len(raw)) for _ in range(24))]:
        altered = bytearray(raw)
        altered[place] ^= 1
        other = tmp_path / "altered.pdf"
        other.write_bytes(altered)
        assert codes(other), f"byte {place} of {len(raw)}"
    (tmp_path / "longer.pdf").write_bytes(raw + b"\n% more")
    assert codes(tmp_path / "longer.pdf")
    (tmp_path / "shorter.pdf").write_bytes(raw[:-200])
    assert codes(tmp_path / "shorter.pdf")
    (tmp_path / "empty.pdf").write_bytes(b"")
    assert codes(tmp_path / "empty.pdf") == {"unreadable"}


def test_the_folder_proves_itself_file_by_file(made: tuple[Database, Dossier], tmp_path: Path) -> None:
    database, dossier = made
    folder = tmp_path / "dossier"
    seal = plant_seal(database.engine)
    write_folder(dossier, seal, folder)
    assert codes(folder) == set()
    with pytest.raises(FileExistsError):
        write_folder(dossier, seal, folder)
    for name in ("points.csv", "records.csv", "manifest.json"):
        kept = (folder / name).read_bytes()
        (folder / name).write_bytes(kept.replace(b"7", b"8", 1) if b"7" in kept else kept + b" ")
        assert codes(folder) & {"file", "seal broken"}, name
        (folder / name).write_bytes(kept)
    (folder / "more.txt").write_text("a line")
    assert codes(folder) == {"added after"}
    write_zip(dossier, seal, tmp_path / "d.zip")
    assert codes(tmp_path / "d.zip") == set()
    with zipfile.ZipFile(tmp_path / "d.zip") as packed:
        assert {"points.csv", "records.csv", "readings.csv", "manifest.sig"} <= set(packed.namelist())
        assert "PT-3107" in packed.read("points.csv").decode("utf-8-sig")


def test_a_record_that_was_reworded_is_told_even_under_a_new_seal(
    made: tuple[Database, Dossier], tmp_path: Path
) -> None:
    """Whoever has the seal may sign again; what a person signed still does not fit its hash."""
    database, dossier = made
    document = json.loads(json.dumps(dossier.document))
    document["records"][0]["verdict"] = "passed: largest error 0.001 % of span"
    document["records"][0]["signatures"][0]["name"] = "C. Pons"
    document["records"].pop()
    folder = tmp_path / "reworded"
    write_folder(Dossier(document, dossier.photos), plant_seal(database.engine), folder)
    assert codes(folder) == {"record", "signature"}
    proof = prove(folder)
    with database.engine.connect() as connection:
        prove_against(proof, connection, "0" * 64)
    assert {f.code for f in proof.faults} >= {FaultOf.MISSING, FaultOf.OTHER_SEAL}


def test_the_seal_is_the_plants_own_and_stays(database: Database) -> None:
    first = plant_seal(database.engine)
    assert plant_seal(database.engine) == first
    assert len(fingerprint(first.certificate.encode())) == 64


@pytest.mark.long
def test_a_dossier_is_asked_for_made_by_a_process_of_its_own_and_fetched(
    made: tuple[Database, Dossier], tmp_path: Path
) -> None:
    database, _ = made
    app = create_app(database.engine, frozenset({"localhost"}), most_streams=4)
    engineer = Person(app, "engineer")
    told = engineer.get("/api/dossiers").json
    assert told["systems"] == {"burners of kiln 2": 2}
    ask = {"system": "burners of kiln 2", "name": "B. Roca", "password": PASSWORD}
    assert engineer.send("POST", "/api/dossiers", ask | {"system": "no such"}).status_code == 422
    assert engineer.send("POST", "/api/dossiers", ask | {"password": "not mine"}).status_code == 422
    for form in ("pdf", "zip"):
        number = engineer.send("POST", "/api/dossiers", ask | {"form": form}).json["id"]
        until(lambda n=number: state_of(engineer, n) != "works", "a dossier")
        job = engineer.get(f"/api/dossiers/{number}").json
        assert (job["state"], job["there"]) == ("done", True), job
        file = tmp_path / f"fetched.{form}"
        file.write_bytes(engineer.get(f"/api/dossiers/{number}/file").data)
        assert hashlib.sha256(file.read_bytes()).hexdigest() == job["hash"]
        assert prove(file).faults == []
    assert engineer.get("/api/dossiers/999").status_code == 404


def state_of(who: Person, number: int) -> Any:
    return who.get(f"/api/dossiers/{number}").json["state"]


def test_a_dossier_says_what_changed_since_the_list_was_issued(made: tuple[Database, Dossier]) -> None:
    database, first = made
    assert first.document["points"][0]["since_issue"] is None, "it was never issued"
    app = create_app(database.engine, frozenset({"localhost"}), most_streams=4)
    engineer = Person(app, "engineer")
    put = {"mark": "A", "note": "first", "open_reason": "three are changed in May"}
    number = engineer.send("POST", "/api/revisions", put).json["revisions"][0]["id"]
    for who, meaning in (("administrator", "checked"), ("engineer", "issued")):
        body = {"meaning": meaning, "name": who, "password": PASSWORD}
        if who == "administrator":
            with database.engine.begin() as connection:
                accounts.set_password(connection, who, PASSWORD)
        signed_ = Person(app, who).send("POST", f"/api/revisions/{number}/signatures", body)
        assert signed_.status_code == 200, signed_.json
    engineer.edit(PT, "device_high", "600", "500")
    with database.engine.connect() as connection:
        image = ImageCache(database.engine).caught_up(connection)
        document = gathered(connection, image, "burners of kiln 2", "engineer", "B").document
    assert document["issue"]["mark"] == "A"
    assert [p["since_issue"] for p in document["points"]] == [{"device_high": ["600", "500"]}, {}]


def test_a_list_of_attached_files_without_an_end_is_told() -> None:
    """A node that is its own kid: whoever wrote the file meant no good, and the reader comes to an end all the same."""

    class Node(dict[str, Any]):
        def get_object(self) -> Any:
            return self

    node = Node()
    node["/Kids"] = [node]
    reader = type("Reader", (), {"root": {"/Names": {"/EmbeddedFiles": node}}})()
    with pytest.raises(ValueError, match="no end"):
        list(attached(reader))
