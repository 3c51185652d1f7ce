"""Lists in and out by the API: jobs that tell how far they are, choices, calling off; files that open again."""

from __future__ import annotations

import csv
import gzip
import io
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import insert, text
from tests.building.database import Database
from tests.building.live_blocks import live
from tests.building.people import Person
from tests.building.words import block_of

from canaleta.exchange.sheets import read_book
from canaleta.jobs.import_work import COULD_NOT
from canaleta.jobs.imports import ROOM_FOR_ONE, Jobs
from canaleta.plant.database import tables as t
from canaleta.plant.records.image_cache import ImageCache

Who = Callable[[str], Person]
LIST = (
    "tag;service;signal;range max;vendor\nPT-3107;gas header;4-20 mA;600;Ormeu\nPT-9001;new;4-20 mA;nothing;Ormeu\n"
)


def settled(person: Person, answer: Any) -> dict[str, Any]:
    """The job once it is at rest."""
    job: dict[str, Any] = answer.json
    while job["busy"] or job["weighs"]:
        time.sleep(0.02)
        job = person.get(f"/api/imports/{job['id']}").json
    return job


def begun(person: Person, text: str = LIST) -> dict[str, Any]:
    return settled(person, person.send("POST", "/api/imports/text", {"text": text}))


def lines(person: Person, job: dict[str, Any], kind: str) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = person.get(f"/api/imports/{job['id']}/lines?kind={kind}").json["lines"]
    return found


def test_a_list_is_read_shown_and_then_taken_in(person: Who, database: Database) -> None:
    ana = person("technician")
    job = begun(ana)
    assert (job["state"], job["counts"]["added"], job["counts"]["changed"], job["counts"]["wrong"]) == (
        "ready",
        1,
        1,
        1,
    )
    assert [c["target"] for c in job["tables"][0]["columns"]] == ["tag", "service", "signal", "device_high", ""]
    assert lines(ana, job, "changed")[0]["cells"] == [["service", "burner gas header pressure", "gas header"]]
    assert lines(ana, job, "wrong")[0]["troubles"][0][:2] == ["device_high", "nothing"]
    assert [(r["field"], r["cells"], r["typed"]) for r in job["reasons"]] == [("device_high", 1, ["nothing"])]
    assert len(lines(ana, job, "unmatched")) == 100
    assert ImageCache(database.engine).current().seq == 0
    done = settled(ana, ana.send("POST", f"/api/imports/{job['id']}/apply"))
    assert (done["state"], done["seq"]) == ("done", 1)
    assert ana.send("POST", f"/api/imports/{job['id']}/apply").status_code == 409, "once is enough"
    assert ana.send("POST", "/api/undo").json["change"]["removed"] == [287]


def test_choices_are_planned_again(person: Who) -> None:
    ana = person("technician")
    job = begun(ana)
    body = job["choices"] | {"answers": {"column@vendor~words": "device_model"}, "leave": [{"row": 2}]}
    again = settled(ana, ana.send("PUT", f"/api/imports/{job['id']}/choices", body))
    assert (again["counts"]["changed"], again["counts"]["out"]) == (0, 1)
    assert ["device_model", "", "Ormeu"] in lines(ana, again, "added")[0]["cells"]
    bad = ana.send(
        "PUT", f"/api/imports/{job['id']}/choices", job["choices"] | {"answers": {"column@vendor~words": "nothing"}}
    )
    assert bad.status_code == 422


def test_a_mapping_is_remembered_for_lists_with_the_same_headings(person: Who) -> None:
    ana, ben = person("technician"), person("engineer")
    job = begun(ana)
    settled(
        ana,
        ana.send(
            "PUT",
            f"/api/imports/{job['id']}/choices",
            job["choices"] | {"answers": {"column@vendor~words": "device_model"}},
        ),
    )
    kept = ana.send("PUT", f"/api/imports/{job['id']}/mapping", {"name": "the mechanical list"})
    assert kept.json["mappings"] == ["the mechanical list"]
    later = begun(ben, LIST.replace("PT-9001", "PT-9005"))
    assert later["recalled"] == "the mechanical list"
    assert later["tables"][0]["columns"][4]["target"] == "device_model"
    assert ben.send("DELETE", "/api/mappings/the mechanical list").json["mappings"] == []


def test_a_list_called_off_is_gone_and_somebody_elses_is_not_shown(person: Who) -> None:
    ana = person("technician")
    job = begun(ana)
    assert person("engineer").get(f"/api/imports/{job['id']}").status_code == 404
    ana.send("DELETE", f"/api/imports/{job['id']}")
    assert ana.get(f"/api/imports/{job['id']}").json["state"] == "called off"
    assert ana.send("POST", f"/api/imports/{job['id']}/apply").status_code == 409


@pytest.mark.parametrize(
    ("data", "says"),
    [(b"PK\x03\x04 nothing", "damaged"), (b"", "empty"), (b"vendor\nOrmeu\n", "no sheet of the file holds a list")],
)
def test_a_bad_file_gets_a_sentence(person: Who, data: bytes, says: str) -> None:
    ana = person("technician")
    answer = ana.client.post("/api/imports", data={"file": (io.BytesIO(data), "list.xlsx")}, headers=ana.headers)
    job = settled(ana, answer)
    assert says in job["says"]
    assert job["name"] == "list.xlsx"


def exported(person: Person, body: dict[str, Any]) -> Any:
    answer = person.send("POST", "/api/export", body)
    assert answer.status_code == 200, answer.json
    return answer


def test_the_list_as_a_workbook_opens_again_as_the_same_list(person: Who) -> None:
    jumper = {"kind": "jumper", "point": 1, "what": "X1:1 to X1:2", "why": "loop test"}
    assert person("technician").send("POST", "/api/temporary", jumper).status_code == 200
    ana = person("reader")
    data = exported(ana, {"form": "xlsx"}).data
    pages = {page.name: page for page in read_book(data)}
    assert set(pages) == {"list", "findings", "spares", "temporary changes"}
    # A list is not to be read without what is forced, lifted or bridged meanwhile.
    assert ["jumper", "PT-3107", "X1:1 to X1:2", "loop test", "technician"] in [
        list(row[:5]) for row in pages["temporary changes"].rows
    ]
    groups, heads, first = pages["list"].rows[:3]
    assert (groups[0], heads[0], first[0]) == ("POINT", "tag", "PT-3107")
    assert len(pages["list"].rows) == 286 + 2
    assert any(row[0] == "PT-3107" and row[1] == "R07" for row in pages["findings"].rows)
    engineer = person("engineer")
    answer = engineer.client.post(
        "/api/imports", data={"file": (io.BytesIO(data), "x.xlsx")}, headers=engineer.headers
    )
    job = settled(engineer, answer)
    assert {k: job["counts"][k] for k in ("added", "changed", "wrong", "same")} == {
        "added": 0,
        "changed": 0,
        "wrong": 0,
        "same": 286,
    }, [x["cells"] for x in lines(engineer, job, "changed")] + lines(engineer, job, "wrong")[:3]


@pytest.mark.parametrize("form", ["xlsx", "ods", "csv"])
def test_our_own_list_comes_back_without_a_difference(person: Who, form: str) -> None:
    """Whatever kind of file it went out as; figures as they were typed, though a workbook holds 780.0 as 780."""
    engineer = person("engineer")
    engineer.edit(1, "value_high", "500", "500.0")
    engineer.edit(2, "notes", "", '  = 1 + 1, "quoted"; and so on')
    data = exported(engineer, {"form": form}).data
    file = {"file": (io.BytesIO(data), f"x.{form}")}
    job = settled(engineer, engineer.client.post("/api/imports", data=file, headers=engineer.headers))
    counts = {kind: job["counts"][kind] for kind in ("added", "changed", "renamed", "wrong", "same", "unmatched")}
    assert counts == {"added": 0, "changed": 0, "renamed": 0, "wrong": 0, "same": 286, "unmatched": 0}, [
        line["cells"] for line in lines(engineer, job, "changed")[:2]
    ]
    assert job["questions"] == []
    assert len(job["tables"]) == 1, "findings, spares and changes beside it are no lists of points"


def test_what_is_shown_goes_out_in_its_order_and_nothing_in_it_is_computed(person: Who) -> None:
    engineer = person("engineer")
    engineer.edit(1, "service", "burner gas header pressure", "=1+1")
    answer = exported(
        engineer, {"form": "csv", "fields": ["tag", "service", "device_low", "direct"], "points": [2, 1]}
    )
    text = answer.data.decode("utf-8-sig").splitlines()
    assert text[0] == "POINT tag,POINT service,DEVICE low,INPUT direct address"
    assert text[1].startswith("PT-3108,furnace draught,-50,%IW1.")
    assert text[2].split(",")[1] == "'=1+1"
    assert read_book(answer.data)[0].rows[2][1] == "=1+1"
    assert engineer.send("POST", "/api/export", {"fields": ["nothing"]}).status_code == 422


def test_spares_are_told_and_never_blank(person: Who, database: Database) -> None:
    rows = {page.name: page for page in read_book(exported(person("reader"), {"fields": ["tag"]}).data)}[
        "spares"
    ].rows
    assert rows[0] == ("channel", "module", "spare")
    assert {row[2] for row in rows[1:]} <= {"free", "spare", "wired spare"}
    with database.engine.connect() as connection:
        image = ImageCache(database.engine).caught_up(connection)
    seats = sum(image.layout.type_of(m).channels for m in image.layout.modules)
    assert len(rows) - 1 == seats - int(image.landed.sum()), "every channel that no point holds, and no other"


def test_one_person_has_two_lists_at_work_at_most(person: Who, database: Database) -> None:
    ana = person("technician")
    with database.engine.begin() as connection:
        connection.execute(
            insert(t.import_job), [{"who": "technician", "name": "x", "state": "reading"} for _ in range(2)]
        )
    refused = ana.send("POST", "/api/imports/text", {"text": LIST})
    assert (refused.status_code, refused.json["title"]) == (429, "two of your lists are still at work")
    assert begun(person("engineer"))["state"] == "ready", "others are not held up"
    ana.send("DELETE", "/api/imports/1")
    assert begun(ana)["state"] == "ready"


def test_what_was_accepted_is_printed_with_its_reason_and_name(person: Who) -> None:
    engineer = person("engineer")
    assert engineer.send("POST", "/api/waivers", {"keys": ["R07:1"], "reason": "changed in May"}).status_code == 200
    text = exported(engineer, {"form": "csv", "fields": ["tag", "checks"]}).data.decode("utf-8-sig")
    row = next(line for line in text.splitlines() if line.startswith("PT-3107"))
    assert "where the pipe holds 300.0" in row
    assert "(accepted by engineer: changed in May)" in row
    pages = {page.name: page for page in read_book(exported(engineer, {"form": "xlsx", "fields": ["tag"]}).data)}
    accepted = [line for line in pages["findings"].rows if "changed in May" in line]
    assert [(line[0], line[1], line[6]) for line in accepted] == [("PT-3107", "R07", "engineer")]


def test_a_list_says_before_it_is_taken_in_which_findings_come_and_go_and_what_moves(person: Who) -> None:
    ana = person("technician")
    job = begun(ana, "tag;value high\nPT-3107;600\nPT-3111;5\n")
    does = job["does"]
    # PT-3107 agrees with its 600 mbar then; PT-3111 shows half of its 100 mbar: 2.5 of 5 kPa at 12 mA.
    assert (does["opened"], does["closed"], does["moved"]) == (1, 1, 2)
    assert "at 12 mA the list shows 2.500 kPa where the pipe holds 5.000" in does["findings"][0]["text"]
    assert {value["tag"]: value["becomes"] for value in does["values"]}["PT-3107"] == "300.0 mbar"
    assert ana.get("/api/findings").json["seq"] == 0, "nothing is written"


def test_a_supply_says_before_it_is_changed_which_findings_come(person: Who) -> None:
    engineer = person("engineer")
    edits = [{"name": "least_supply_v", "was": "20.4", "text": "11"}]
    told = engineer.send("POST", "/api/conventions", {"edits": edits, "apply": False}).json
    assert told["opened"] == len([f for f in told["findings"] if f["key"] not in ("R23:16", "R44:24")])
    assert told["altered"] == 2
    assert any("1.00 V short at 22 mA" in f["text"] for f in told["findings"])
    assert engineer.get("/api/conventions").json["seq"] == 0, "nothing is written"


def test_the_live_column_says_what_is_stale(person: Who, database: Database) -> None:
    """A reading is good for two periods of its rack; what is older stands in the file with its time, not as good."""

    def now_of(read_at: datetime) -> str:
        live(database, block_of([1], [16000.0], [250.0], read_at=read_at))
        text = exported(person("reader"), {"form": "csv", "fields": ["tag", "now"], "points": [1]}).data.decode(
            "utf-8-sig"
        )
        return next(csv.DictReader(text.splitlines()))["VALUE now"]

    assert now_of(datetime.now(UTC) + timedelta(hours=1)) == "250 (good, 16000 counts)"
    assert (
        now_of(datetime(2026, 11, 27, 8, 0, 5, tzinfo=UTC))
        == "250 (stale since 2026-11-27 08:00:05 UTC, 16000 counts)"
    )


def test_a_print_is_of_what_is_shown_and_no_longer_than_anybody_reads(
    person: Who, monkeypatch: pytest.MonkeyPatch
) -> None:
    reader = person("reader")
    answer = exported(reader, {"form": "pdf", "paper": "A4", "points": [1, 2]})
    assert (answer.content_type, answer.data[:5]) == ("application/pdf", b"%PDF-")
    monkeypatch.setattr("canaleta.web.list.exchange.MOST_PRINTED", 10)
    refused = reader.send("POST", "/api/export", {"form": "pdf"})
    assert refused.status_code == 422
    assert "a print has 10 at most" in refused.json["title"]


def test_what_was_answered_is_remembered_once_the_list_is_taken_in(person: Who) -> None:
    ana, ben = person("technician"), person("engineer")
    listed = "tag;service;signal\nX-1;gas;24 V DC\nX-2;air;24 V DC\n"
    job = begun(ana, listed)
    assert [q["id"] for q in job["questions"]] == ["form@signal~signal"]
    assert [r["answer"] for r in job["questions"][0]["readings"]] == ["NO", "NC", "load"]
    body = job["choices"] | {"answers": {"form@signal~signal": "NC"}}
    answered = settled(ana, ana.send("PUT", f"/api/imports/{job['id']}/choices", body))
    assert (answered["questions"], answered["answered"][0]["answer"]) == ([], "NC")
    settled(ana, ana.send("POST", f"/api/imports/{job['id']}/apply"))
    again = begun(ben, listed.replace("X-", "Y-"))
    assert (again["recalled"], again["questions"]) == ("pasted text", [])
    # Asked again, it is asked.
    fresh = settled(ben, ben.send("PUT", f"/api/imports/{again['id']}/choices", again["choices"] | {"answers": {}}))
    assert [q["code"] for q in fresh["questions"]] == ["form"]


def test_how_a_list_is_read_can_be_taken_as_a_file(person: Who) -> None:
    ana = person("technician")
    job = begun(ana)
    kept = ana.get(f"/api/imports/{job['id']}/mapping")
    assert "attachment" in kept.headers["Content-Disposition"]
    assert kept.json["answers"]["column@tag~tag"] == "tag"
    assert kept.json["look"][0] == "tag~tag"


def test_a_large_file_waits_in_sight_for_the_one_at_work(
    person: Who, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("canaleta.jobs.imports.LARGE", 10)
    ana = person("technician")
    with database.engine.connect() as other:
        other.execute(text("select pg_advisory_lock(:room)"), {"room": ROOM_FOR_ONE})
        job = ana.send("POST", "/api/imports/text", {"text": LIST}).json
        assert (job["state"], job["busy"]) == ("waiting", True)
        assert ana.get(f"/api/imports/{job['id']}").json["state"] == "waiting"
        other.execute(text("select pg_advisory_unlock(:room)"), {"room": ROOM_FOR_ONE})
        other.commit()
    while job["busy"] or job["weighs"]:
        time.sleep(0.02)
        job = ana.get(f"/api/imports/{job['id']}").json
    assert job["state"] == "ready"


def large_job(ana: Person) -> dict[str, Any]:
    return settled(ana, ana.send("POST", "/api/imports/text", {"text": LIST}))


def recorded(monkeypatch: pytest.MonkeyPatch) -> list[subprocess.Popen[bytes]]:
    """Every file counts as large; the processes that work on them, as they are begun."""
    monkeypatch.setattr("canaleta.jobs.imports.LARGE", 10)
    begun_: list[subprocess.Popen[bytes]] = []
    begin = Jobs._process

    def process(self: Jobs, job: int, file: Any) -> subprocess.Popen[bytes]:
        begun_.append(begin(self, job, file))
        return begun_[-1]

    monkeypatch.setattr(Jobs, "_process", process)
    return begun_


def test_a_large_list_is_worked_on_in_one_process_until_it_is_taken_in(
    person: Who, monkeypatch: pytest.MonkeyPatch
) -> None:
    processes = recorded(monkeypatch)
    ana = person("technician")
    job = large_job(ana)
    assert (job["state"], job["counts"]["added"], job["does"] is not None) == ("ready", 1, True)
    assert ["tag", "", "PT-9001"] in lines(ana, job, "added")[0]["cells"]
    first = {"sheet": 0, "row": lines(ana, job, "changed")[0]["row"]}
    job = settled(ana, ana.send("PUT", f"/api/imports/{job['id']}/choices", job["choices"] | {"leave": [first]}))
    assert (job["counts"]["changed"], job["counts"]["added"]) == (0, 1)
    done = settled(ana, ana.send("POST", f"/api/imports/{job['id']}/apply"))
    assert (done["state"], len(processes)) == ("done", 1)
    assert "PT-9001" in gzip.decompress(ana.get("/api/list").data).decode("utf-8", errors="replace")
    assert processes[0].wait() == 0, "it ends with its job"


@pytest.mark.long
def test_whoever_decides_when_the_process_is_gone_begins_another(
    person: Who, monkeypatch: pytest.MonkeyPatch
) -> None:
    processes = recorded(monkeypatch)
    ana = person("technician")
    job = large_job(ana)
    processes[0].kill()
    processes[0].wait()
    done = settled(ana, ana.send("POST", f"/api/imports/{job['id']}/apply"))
    assert (done["state"], done["counts"]["added"], len(processes)) == ("done", 1, 2)


def test_the_end_of_a_process_is_not_taken_for_the_end_of_the_one_that_follows(
    person: Who, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whoever waits for the first one wakes in the very moment in which somebody decides."""
    processes = recorded(monkeypatch)
    ana = person("technician")
    job = large_job(ana)
    go_on, wait_for = Jobs._go_on, Jobs._wait_for
    wakes, woken = threading.Event(), threading.Event()

    def sleepy(self: Jobs, job: int, process: subprocess.Popen[bytes]) -> None:
        if process is processes[0]:
            process.wait()
            wakes.wait()
        wait_for(self, job, process)
        woken.set()

    def between(self: Jobs, job: int, work: Any) -> None:
        wakes.set()
        # It is let go on for as long as it can; it cannot while somebody decides.
        woken.wait(0.5)
        go_on(self, job, work)

    monkeypatch.setattr(Jobs, "_wait_for", sleepy)
    monkeypatch.setattr(Jobs, "_go_on", between)
    processes[0].kill()
    processes[0].wait()
    done = settled(ana, ana.send("POST", f"/api/imports/{job['id']}/apply"))
    assert (done["state"], len(processes)) == ("done", 2)


def test_a_process_that_ends_in_the_middle_is_told_and_leaves_room(
    person: Who, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("canaleta.jobs.imports.LARGE", 10)
    ends = [sys.executable, "-c", "import sys; sys.stdin.buffer.read(); sys.exit(3)"]
    with monkeypatch.context() as broken:
        broken.setattr(Jobs, "_process", lambda self, job, file: subprocess.Popen(ends, stdin=file))
        job = large_job(person("technician"))
        assert (job["state"], job["says"]) == ("failed", COULD_NOT)
    assert large_job(person("technician"))["state"] == "ready"


def test_a_large_file_that_nothing_can_be_made_of_says_so(person: Who, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("canaleta.jobs.imports.LARGE", 10)
    ana = person("technician")
    job = settled(ana, ana.send("POST", "/api/imports/text", {"text": 'tag;service\nA-1;"open\nA-2;x\nA-3;y'}))
    assert job["state"] == "failed"
    assert "line 2 opens a quote" in job["says"]


def test_a_plan_stands_though_what_it_would_do_cannot_be_worked_out(
    person: Who, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fails(*_: object) -> None:
        raise ValueError("a rule went wrong")

    monkeypatch.setattr("canaleta.jobs.import_work.foresee_points", fails)
    job = begun(person("technician"))
    assert (job["state"], job["weighs"], job["does"], job["counts"]["added"]) == ("ready", False, None, 1)
