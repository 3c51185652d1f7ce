"""What is held, commanded, put on and signed: the API in front, a real agent, real Modbus stand-ins behind."""

from __future__ import annotations

import asyncio
import base64
import io
from collections.abc import Callable
from typing import Any

import pytest
from PIL import Image
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice
from sqlalchemy import text, update
from sqlalchemy.exc import DBAPIError
from tests.building.agents import TOKEN, in_a_loop_of_its_own, on_port, scanning
from tests.building.at_racks import PT, TE, Ask, at_a_rack, edit, until
from tests.building.database import Database
from tests.building.people import PASSWORD, Person, app_on

from canaleta.catalogue.demo import demo_plant
from canaleta.core.checks.sweeps import SHARES
from canaleta.core.signals.converters import WordForm
from canaleta.host.cluster import free_port
from canaleta.plant.database import tables as t
from canaleta.plant.people import accounts
from canaleta.plant.records.image_cache import ImageCache
from canaleta.racks.source import SignalSource
from canaleta.standins.server import StandIns
from canaleta.standins.source_port import LONGEST_LINE, SourcePort

ZV, ZT = 45, 282
"""ZV-2151, an output; ZT-2151, the input it is led back to."""
XV, SPRAY_DRYER = 211, 7
"""XV-1561, a slip valve on a DO-8, and its rack."""
YV, XV_LOAD, PRESSES = 283, 285, 10
"""YV-6105, a valve by pulse width, XV-6110 on outputs that measure their load, and their rack."""


def photo() -> str:
    """A small grey picture as a phone would send it."""
    out = io.BytesIO()
    Image.new("RGB", (64, 48), (120, 120, 120)).save(out, "JPEG")
    return base64.b64encode(out.getvalue()).decode()


def at_outputs(database: Database, work: Callable[[Ask, StandIns], Any], rack: int = 2) -> None:
    """A rack with outputs, that of kiln 2 unless said otherwise, and an agent."""
    engineer = Person(app_on(database), "engineer")

    async def run() -> None:
        port, source_port = free_port(), free_port()
        on_port(database, free_port())
        with database.owner.begin() as connection:
            connection.execute(update(t.rack).where(t.rack.c.id == rack).values(port=port))
        made = StandIns(demo_plant(), {rack: port}, seed=3)
        source = await asyncio.start_server(
            SourcePort(made, TOKEN).handle, "127.0.0.1", source_port, limit=LONGEST_LINE
        )
        await made.begin()
        try:
            async with scanning(database, SignalSource(source_port, TOKEN)):
                await asyncio.sleep(0.3)

                async def ask(method: str, path: str, body: Any = None) -> Any:
                    return await asyncio.to_thread(lambda: engineer.send(method, path, body))

                await work(ask, made)
        finally:
            source.close()
            await made.end()

    in_a_loop_of_its_own(run)


def test_a_force_is_offered_only_where_there_is_a_register_and_never_forgotten(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        offer = (await ask("GET", f"/api/points/{PT}/hold")).json
        assert offer["force"] == ""
        assert "used by gas header pressure control PIC-3107" in offer["trips"]
        assert "no register" in (await ask("GET", f"/api/points/{TE}/hold")).json["force"]
        refused = await ask("PUT", f"/api/points/{TE}/force", {"text": "800"})
        assert refused.status_code == 409
        held = await ask("PUT", f"/api/points/{PT}/force", {"text": "300 mbar", "why": "loop test"})
        assert held.status_code == 200, held.json
        assert "count 19200" in held.json["what"]
        await until(ask, f"/api/points/{PT}/path", lambda p: p["stations"][5]["figure"] == "300.0")
        (open_,) = (await ask("GET", "/api/temporary")).json["open"]
        assert (open_["kind"], open_["who"], open_["why"]) == ("force", "engineer", "loop test")
        assert open_["due"] is not None
        told = (await ask("GET", f"/api/points/{PT}/advice")).json
        assert told["faults"][0]["says"] == "forced in the rack"
        out = (await ask("POST", "/api/forces/release", {"why": "done"})).json
        assert out == {"released": 1, "failed": []}
        await until(ask, f"/api/points/{PT}/path", lambda p: p["stations"][5]["figure"] != "300.0")
        log = (await ask("GET", "/api/temporary")).json
        assert (log["open"], log["ended"][0]["ended_by"]) == ([], "engineer")

    at_a_rack(database, visit)


def test_a_command_is_read_back_and_an_open_load_is_told(database: Database) -> None:
    """ZV-2151: 0…100 % is 4…20 mA is 0…30 000 counts; 37.5 % is count 11 250."""

    async def visit(ask: Ask, made: StandIns) -> None:
        done = (await ask("PUT", f"/api/points/{ZV}/output", {"text": "37.5"})).json
        assert (done["given"], done["readback"], done["agrees"], done["clamped"]) == (11250.0, 11250.0, True, False)
        await until(ask, f"/api/points/{ZT}/path", lambda p: p["stations"][5]["figure"] == "37.5")
        over = (await ask("PUT", f"/api/points/{ZV}/output", {"text": "250"})).json
        assert over["clamped"]
        assert over["given"] == 31500.0, "what the module can give at most"
        assert (await ask("PUT", f"/api/points/{ZT}/output", {"text": "50"})).status_code == 409, "an input"

    at_outputs(database, visit)


def test_an_output_whose_load_is_open_reads_back_and_does_not_agree(database: Database) -> None:
    """A DO-8 tells an open load by its status bit, whatever the output itself reads back."""

    async def visit(ask: Ask, made: StandIns) -> None:
        assert (await ask("PUT", f"/api/points/{XV}/output", {"text": "on"})).json["agrees"]
        put = await ask("PUT", f"/api/points/{XV}/injection", {"faults": [{"kind": "open"}]})
        assert put.status_code == 200, put.json
        opened = (await ask("PUT", f"/api/points/{XV}/output", {"text": "on"})).json
        assert (opened["readback"], opened["agrees"]) == (1.0, False)
        assert "the load is open" in opened["says"]

    at_outputs(database, visit, rack=SPRAY_DRYER)


def test_a_loop_back_is_swept_compared_and_signed(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        with database.owner.begin() as connection:
            accounts.set_password(connection, "engineer", PASSWORD)
        given, read = [], []
        for share in SHARES:
            assert (await ask("PUT", f"/api/points/{ZV}/output", {"text": str(share)})).json["agrees"]
            path = await until(
                ask, f"/api/points/{ZT}/path", lambda p, s=share: p["value"] is not None and abs(p["value"] - s) < 0.1
            )
            given.append(share)
            read.append(path["value"])
        body = {
            "input": ZT,
            "given": given,
            "read": read,
            "tolerance": 0.1,
            "name": "Ana Serra",
            "password": PASSWORD,
        }
        half = body | {"given": given[:11], "read": read[:11]}
        stopped = await ask("POST", f"/api/points/{ZV}/sweep", half)
        assert (stopped.status_code, stopped.json["detail"]) == (409, "nothing was signed"), "stopped half-way"
        seen = await ask("POST", f"/api/points/{ZV}/sweep", half | {"name": ""})
        assert len(seen.json["rows"]) == 11, "what was read is shown all the same"
        assert (await ask("POST", f"/api/points/{ZV}/sweep", body | {"password": "another"})).status_code == 422
        out = (await ask("POST", f"/api/points/{ZV}/sweep", body)).json
        assert out["passes"] is True
        assert out["worst"] < 0.1
        assert out["hysteresis"] < 0.1
        pdf = await ask("GET", f"/api/evidence/{out['record']}/pdf")
        assert pdf.data.startswith(b"%PDF")

    at_outputs(database, visit)


def test_an_output_is_wired_to_an_input_of_the_stand_in_and_off_again(database: Database) -> None:
    """Analog: 25 % is 8 mA at the output, and then at the input too. It stays so when the rack is begun anew."""

    async def visit(ask: Ask, made: StandIns) -> None:
        async def reads(share: float) -> None:
            assert (await ask("PUT", f"/api/points/{ZV}/output", {"text": str(share)})).json["agrees"]
            await until(
                ask, f"/api/points/{ZT}/path", lambda p: p["value"] is not None and abs(p["value"] - share) < 0.1
            )

        await reads(25)
        assert (await ask("PUT", f"/api/points/{ZT}/wired", {})).status_code == 200
        # By itself the position stands at about 48 %.
        await until(ask, f"/api/points/{ZT}/path", lambda p: p["value"] is not None and 45 < p["value"] < 51)
        assert (await ask("PUT", f"/api/points/{ZT}/wired", {"output": ZV})).status_code == 200
        await reads(75)
        (device,) = [d for d in made.plant.field if d.at == "KC-2·2·4·4"]
        assert device.follows == "KC-2·2·5·1"
        # The valve is on a rack that this stand-in does not serve.
        elsewhere = await ask("PUT", f"/api/points/{ZT}/wired", {"output": XV})
        assert (elsewhere.status_code, elsewhere.json["title"]) == (409, "this rack has no stand-in")
        backwards = await ask("PUT", f"/api/points/{ZV}/wired", {"output": ZT})
        assert (backwards.status_code, backwards.json["title"]) == (
            409,
            "the stand-in has no output there",
        )

    at_outputs(database, visit)


def test_a_discrete_output_is_wired_to_a_discrete_input(database: Database) -> None:
    """24 V of an output on an input's terminals: on is closed, off is open."""

    async def visit(ask: Ask, made: StandIns) -> None:
        image = ImageCache(database.owner).current()
        contact = next(
            int(image.ids[row])
            for row in range(len(image))
            if image.landed[row]
            and image.layout.address(int(image.module[row]), int(image.channel[row])) == "SD-1·1·2·1"
        )
        assert (await ask("PUT", f"/api/points/{contact}/wired", {"output": XV})).status_code == 200
        for told, counts in (("on", 1), ("off", 0), ("on", 1)):
            assert (await ask("PUT", f"/api/points/{XV}/output", {"text": told})).json["agrees"]
            await until(ask, f"/api/points/{contact}/path", lambda p, c=counts: p["value"] == c)

    at_outputs(database, visit, rack=SPRAY_DRYER)


def test_a_wrong_element_and_a_moving_signal_are_put_on_a_stand_in(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        offer = (await ask("GET", f"/api/points/{PT}/source")).json
        assert offer["unit"] == "mA"
        assert {"staircase", "drift", "chatter"} <= {f["name"] for f in offer["forms"]}
        put = {"text": "4", "form": "ramp", "high": "20", "period_s": 0.5}
        assert (await ask("PUT", f"/api/points/{PT}/injection", put)).status_code == 200
        await until(ask, f"/api/points/{PT}/path", lambda p: p["stations"][2]["figure"] == "20.000")
        wrong = await ask("PUT", f"/api/points/{PT}/injection", put | {"form": "wave"})
        assert wrong.status_code == 422
        assert "staircase" in wrong.json["title"]
        faults = {"faults": [{"kind": "wrong sensor", "amount": "TC J"}]}
        assert (await ask("PUT", f"/api/points/{TE}/injection", faults)).status_code == 200
        away = await until(ask, f"/api/points/{TE}/path", lambda p: abs((p["value"] or 846) - 846) > 50)
        assert away["quality"] == "good", "nothing tells it but the figure"

    at_a_rack(database, visit)


def test_a_check_is_signed_once_and_never_changes(database: Database) -> None:
    edit(database, PT, "value_high", "600")
    edit(database, PT, "trips", "shuts the gas of kiln 2")

    async def visit(ask: Ask, made: StandIns) -> None:
        with database.owner.begin() as connection:
            accounts.set_password(connection, "engineer", PASSWORD)
        seq = (await ask("GET", "/api/plant")).json["seq"]
        check = (await ask("GET", f"/api/points/{PT}/check")).json
        assert [s["counts_number"] for s in check["steps"]][:5] == [0, 8000, 16000, 24000, 32000]
        readings = [{"counts": s["counts_number"], "value": s["value_number"] + 0.6} for s in check["steps"]]
        told = (await ask("POST", f"/api/points/{PT}/check/judge", {"readings": readings})).json
        assert told["passes"] is True
        assert told["worst"] == pytest.approx(0.1)
        body = {
            "readings": readings,
            "seq": seq,
            "name": "Ana Serra",
            "instrument": "loop calibrator",
            "serial": "7731",
            "password": PASSWORD,
        }
        unknown = await ask("POST", f"/api/points/{PT}/check/sign", body)
        assert (unknown.status_code, unknown.json["title"]) == (422, "until when is the instrument calibrated?")
        late = await ask("POST", f"/api/points/{PT}/check/sign", body | {"due": "2020-03"})
        assert (late.status_code, late.json["title"]) == (409, "the instrument's calibration was due in 2020-03")
        body["due"] = "2999-12"
        trips = await ask("POST", f"/api/points/{PT}/check/sign", body)
        assert trips.status_code == 409
        assert "shuts the gas of kiln 2" in trips.json["title"]
        body["inhibited"] = True
        jumper = {"kind": "jumper", "point": PT, "what": "X1:1 to X1:2"}
        number = (await ask("POST", "/api/temporary", jumper)).json["id"]
        open_ = await ask("POST", f"/api/points/{PT}/check/sign", body)
        assert "jumper of engineer" in open_.json["title"], "nobody signs off with one open"
        await ask("POST", f"/api/temporary/{number}/end", {"why": "out"})
        missing = await ask("POST", f"/api/points/{PT}/check/sign", body | {"readings": [{}, *readings[1:]]})
        assert missing.status_code == 409
        assert (
            await ask("POST", f"/api/points/{PT}/check/sign", body | {"photo": "bm8gcGhvdG8="})
        ).status_code == 422
        body |= {"phase": "as left", "photo": photo()}
        stranger = await ask("POST", f"/api/points/{PT}/check/sign", body | {"password": "a password of another"})
        assert (stranger.status_code, stranger.json["title"]) == (422, "this is not your password")
        signed = await ask("POST", f"/api/points/{PT}/check/sign", body)
        assert signed.status_code == 200, signed.json
        assert signed.json["verdict"].startswith("as left, passed: largest error 0.100 % of span")
        record = (await ask("GET", f"/api/evidence/{signed.json['id']}")).json
        assert record["sound"] is True
        assert record["body"]["serial"] == "7731"
        (where,) = [line for line in record["body"]["lines"] if line.startswith("module ")]
        assert "module AI-8 U/I in slot 2, terminals" in where
        assert "input register 1 (from 0)" in where, "as the point's page says it"
        assert record["body"]["photo"] == body["photo"]
        pdf = (await ask("GET", f"/api/evidence/{signed.json['id']}/pdf")).data
        assert pdf.startswith(b"%PDF")
        assert b"/DCTDecode" in pdf, "the photo is in it as it was taken"
        await ask(
            "POST",
            "/api/proposals",
            {"edits": [{"point": PT, "field": "value_high", "was": "600", "text": "500"}], "apply": True},
        )
        changed = await ask("POST", f"/api/points/{PT}/check/sign", body)
        assert "changed while it was checked" in changed.json["title"]

    at_a_rack(database, visit)
    for engine in (database.engine, database.owner):
        for statement in ("update evidence set verdict = 'passed'", "delete from evidence"):
            with pytest.raises(DBAPIError), engine.begin() as connection:
                connection.execute(text(statement))


def test_a_record_that_was_tampered_with_is_told(database: Database) -> None:
    from canaleta.plant.checks import evidence

    with database.engine.begin() as connection:
        number = evidence.keep(connection, "loop check", PT, "ana", "Ana", "passed", {"tag": "PT-3107"})
        record = evidence.one(connection, number)
    assert record is not None
    assert record.sound
    assert not evidence.Evidence(**(record.__dict__ | {"verdict": "failed"})).sound
    assert not evidence.Evidence(**(record.__dict__ | {"body": {"tag": "PT-3108"}})).sound


# Any Modbus TCP server ---------------------------------------------------------------------------------


def test_the_finder_reads_a_server_that_is_not_ours_in_an_odd_word_order(database: Database) -> None:
    """48.2 as IEEE 754 with its words swapped and its bytes not: only CDAB makes sense of it."""
    words = WordForm(bits=32, kind="float", order="CDAB").words_of(48.2)[0].tolist()

    async def visit(ask: Ask, made: StandIns) -> None:
        port = free_port()
        blank = SimData(0, values=[0], datatype=DataType.BITS)
        registers = SimData(0, values=[7, 7, *words, 1, 2], datatype=DataType.REGISTERS)
        device = SimDevice(id=17, simdata=([blank], [blank], [registers], [registers]))
        other = ModbusTcpServer(device, address=("127.0.0.1", port))
        await other.serve_forever(background=True)
        try:
            where = {"host": "127.0.0.1", "port": port, "unit": 17, "function": "holding", "first": 2, "count": 2}
            told = (await ask("POST", "/api/finder", where | {"target": 48.2})).json
            assert told["words"] == words
            assert [(d["name"], d["order"]) for d in told["decodings"] if d["fits"]] == [("32 bit, IEEE 754", "CDAB")]
            nobody = (await ask("POST", "/api/finder", where | {"port": free_port()})).json
            assert nobody["words"] == []
            assert "nothing answers" in nobody["says"]
            outside = await ask("POST", "/api/finder", where | {"host": "10.1.2.3"})
            assert outside.status_code == 403
        finally:
            await other.shutdown()

    at_a_rack(database, visit)


def test_pulses_are_commanded_within_their_limits_and_the_load_is_measured(database: Database) -> None:
    """YV-6105: 0…250 bar is 0…100 % is 0…1000 ‰, held between 8 and 92 %; 1 600 mA at full duty."""

    async def visit(ask: Ask, made: StandIns) -> None:
        done = (await ask("PUT", f"/api/points/{YV}/output", {"text": "93.75"})).json
        assert (done["given"], done["readback"], done["agrees"], done["clamped"]) == (375.0, 375.0, True, False)
        assert (done["load_ma"], done["expected_ma"]) == (600.0, 600.0)
        over = (await ask("PUT", f"/api/points/{YV}/output", {"text": "250"})).json
        assert (over["given"], over["readback"], over["clamped"], over["load_ma"]) == (920.0, 920.0, True, 1472.0)
        off = (await ask("PUT", f"/api/points/{YV}/output", {"text": "0"})).json
        assert (off["given"], off["clamped"], off["load_ma"]) == (0.0, False, 0.0)
        offer = (await ask("GET", f"/api/points/{YV}/hold")).json
        assert offer["on_loss"] == "on loss of signal or power it closes"
        assert (await ask("PUT", f"/api/points/{XV_LOAD}/output", {"text": "loads"})).json["load_ma"] == 1250.0
        put = await ask("PUT", f"/api/points/{XV_LOAD}/injection", {"faults": [{"kind": "open"}]})
        assert put.status_code == 200, put.json
        opened = (await ask("PUT", f"/api/points/{XV_LOAD}/output", {"text": "loads"})).json
        assert (opened["load_ma"], opened["agrees"]) == (0.0, False)
        told = await until(ask, f"/api/points/{XV_LOAD}/advice", lambda a: bool(a["faults"]))
        assert (told["load_ma"], told["expected_ma"]) == (0.0, 1250.0)
        assert told["faults"][0]["says"] == "open circuit"

    at_outputs(database, visit, rack=PRESSES)
