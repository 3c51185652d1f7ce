"""One point unfolded: its six stations from any of them, its sheet, and injection at its terminals."""

from __future__ import annotations

import time
from dataclasses import asdict
from decimal import Decimal
from typing import Annotated, Literal

import numpy as np
from flask import Response, jsonify
from flask_openapi3.blueprint import APIBlueprint
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from canaleta.core.checkpoints import check_points, curve, true_value
from canaleta.core.entry import read_station
from canaleta.core.fields import STATIONS, STORED, Kind, Station
from canaleta.core.image import PlantImage
from canaleta.core.path import Paths, describe, evaluate, reasons_told, workings
from canaleta.core.quality import Quality, of_reasons
from canaleta.core.registers import RackMap
from canaleta.core.signals import Family, signal_named
from canaleta.core.text import TextError, shown
from canaleta.core.wiring import wiring
from canaleta.plant.cells import offered_modes
from canaleta.plant.commands import ask, outcome
from canaleta.plant.live import read_block
from canaleta.web.doors import needs, session_now
from canaleta.web.problems import PROBLEMS, CellProblem, ProblemError
from canaleta.web.shared import shared

__all__ = ["api"]

api = APIBlueprint("path", __name__, url_prefix="/api/points", abp_responses=PROBLEMS)
COMMAND_WAIT_S = 4.0


class PointPath(BaseModel):
    """A point by its identity."""

    point: int = Field(ge=0, le=2**62)


class StationQuery(BaseModel):
    """Where the value comes from: live, or typed at a station."""

    station: Literal["live", "PROCESS", "DEVICE", "LOOP", "INPUT", "COUNTS", "VALUE"] = "live"
    text: Annotated[str, Field(max_length=60)] = ""


class WorkingOut(BaseModel):
    """How a number came about."""

    formula: str
    figures: str
    source: str


class StationOut(BaseModel):
    """One station. figure: as shown, '' if unknown. typed: it is where the value was given."""

    name: str
    figure: str
    unit: str
    lines: list[str]
    given: bool
    working: WorkingOut | None


class PathOut(BaseModel):
    """The six stations of a point. live: a reading was at hand. age_s: of the reading, by server time."""

    point: int
    seq: int
    source: str
    stations: list[StationOut]
    quality: str
    reasons: list[str]
    age_s: float | None = None
    rack_state: str = ""
    injected: bool = False
    loop: float | None = None
    value: float | None = None


class CheckRow(BaseModel):
    """One check point: figures at the stations as shown, what the list shows and what is true."""

    label: str
    figures: list[str]
    hex: str
    shows: str
    true: str
    quality: str
    reasons: list[str]
    wrong: bool


class CurveOut(BaseModel):
    """The curve over the wires: what the list shows, and beside it the device or the straight line."""

    loop_unit: str
    value_unit: str
    loop: list[float | None]
    shows: list[float | None]
    beside: list[float | None]
    beside_is: str
    fault_low: float | None
    fault_high: float | None


class CoreOut(BaseModel):
    """A core between device and terminal."""

    device_side: str
    terminal: str
    role: str
    flows: str


class TerminalOut(BaseModel):
    """A terminal of the channel that stays empty."""

    mark: str
    role: str


class WiringOut(BaseModel):
    """The terminals of a point."""

    cores: list[CoreOut]
    unused: list[TerminalOut]
    inside: str
    words: str


class SettingOut(BaseModel):
    """A setting: the field, its text, and what it may be where that depends on the module."""

    field: str
    text: str
    choices: list[str]
    applies: bool


class SheetOut(BaseModel):
    """Everything of one point that does not move with its reading."""

    point: int
    seq: int
    family: str
    settings: list[SettingOut]
    check_columns: list[str]
    value_unit: str
    true_unit: str
    check_points: list[CheckRow]
    curve: CurveOut | None
    wiring: WiringOut | None
    module: str
    register_at: str
    injectable: str


class InjectIn(BaseModel):
    """A signal to put on the terminals, as typed; '' takes it off."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(max_length=40)


class InjectOut(BaseModel):
    """What became of it."""

    result: str


@api.get("/<int:point>/path", responses={200: PathOut})
@needs("read")
def path_of(path: PointPath, query: StationQuery) -> Response:
    """The stations of a point, live or from a value typed at one of them."""
    image, row = _found(path.point)
    if query.station == "live":
        return jsonify(_live(image, row).model_dump())
    station = Station(query.station)
    try:
        value = read_station(image, row, station, query.text)
    except TextError as error:
        cell = CellProblem(point=path.point, field=station.value, typed=query.text, says=str(error))
        raise ProblemError(422, str(error), remedy="what was typed is kept: mend it", cells=[cell]) from error
    return jsonify(_from(image, row, station, value, "what-if").model_dump())


@api.get("/<int:point>/sheet", responses={200: SheetOut})
@needs("read")
def sheet_of(path: PointPath) -> Response:
    """Settings, check points, curve and terminals of a point."""
    image, row = _found(path.point)
    family = Family(int(image.family[row]))
    wired = wiring(image, row)
    signal = signal_named(image.text("signal", row))
    module = int(image.module[row])
    words = describe(image, row)
    out = SheetOut(
        point=path.point,
        seq=image.seq,
        family=family.name.lower(),
        settings=[
            SettingOut(
                field=f.name,
                text=image.text(f.name, row),
                choices=list(_modes(image, row)) if f.kind is Kind.MODE else list(f.choices),
                applies=family in f.applies,
            )
            for f in STORED
        ],
        check_columns=[_column(image, row, k) for k in _CHECKED[family]],
        value_unit=words[5].unit,
        true_unit=words[5].unit if true_value(image, row, 0.0) is not None else words[0].unit,
        check_points=_checks(image, row),
        curve=_curve(image, row),
        wiring=WiringOut(**asdict(wired)) if wired else None,
        module=image.layout.type_of(module).title if module in image.layout.modules else "",
        register_at=_register(image, row),
        injectable=signal.unit if signal and bool(image.landed[row]) else "",
    )
    return jsonify(out.model_dump())


@api.put("/<int:point>/injection", responses={200: InjectOut})
@needs("inject")
def inject(path: PointPath, body: InjectIn) -> Response:
    """Put a signal on the terminals of a stand-in, or take it off."""
    image, row = _found(path.point)
    signal = signal_named(image.text("signal", row))
    if signal is None or not image.landed[row]:
        raise ProblemError(409, "this point holds no channel", remedy="land it on a channel first")
    try:
        value = _injected_value(image, row, body.text)
    except TextError as error:
        raise ProblemError(422, str(error), remedy="what was typed is kept: mend it") from error
    module = int(image.module[row])
    target = {"module": module, "channel": int(image.channel[row]), "value": value, "unit": signal.unit}
    with shared().engine.begin() as connection:
        number = ask(connection, session_now().account, image.layout.modules[module].rack, "inject", target)
    result = _wait_for(number)
    if result != "done":
        raise ProblemError(409, result, "nothing was put on the terminals", "is the rack's agent running?")
    return jsonify(InjectOut(result=result).model_dump())


def _injected_value(image: PlantImage, row: int, text: str) -> float | None:
    typed = text.strip().lower()
    if not typed:
        return None
    if image.family[row] == Family.CONTACT and typed in ("closed", "open"):
        return image.conventions.supply_v if typed == "closed" else 0.0
    return read_station(image, row, Station.LOOP, text)


def _wait_for(command: int) -> str:
    """The outcome of a command; polled, for a request holds no listener of its own."""
    until = time.monotonic() + COMMAND_WAIT_S
    while time.monotonic() < until:
        with shared().engine.connect() as connection:
            result = outcome(connection, command)
        if result is not None:
            return "no agent took it up in time" if result == "void" else result
        time.sleep(0.05)
    return "no agent took it up in time"


def _found(point: int) -> tuple[PlantImage, int]:
    image = shared().image()
    if not image.has(point):
        raise ProblemError(404, "there is no such point", remedy="it may have been removed; reload the list")
    return image, image.row_of(point)


def _live(image: PlantImage, row: int) -> PathOut:
    """The path from the newest reading of the point's channel."""
    module = int(image.module[row])
    with shared().engine.connect() as connection:
        now = time.time()
        block = None
        if image.landed[row]:
            block = read_block(connection, image.layout.modules[module].rack)
    at = np.flatnonzero(block.points == image.ids[row]) if block else np.array([], dtype=np.int64)
    if block is None or not len(at) or np.isnan(block.counts[at[0]]):
        out = _from(image, row, Station.COUNTS, float("nan"), "live")
        held = "no reading yet" if image.landed[row] else "not landed on a channel: nothing is read"
        return out.model_copy(
            update={"reasons": [held], "rack_state": block.state if block else "", "quality": "none"}
        )
    k = int(at[0])
    out = _from(image, row, Station.COUNTS, float(block.counts[k]), "live", int(block.reasons[k]))
    return out.model_copy(
        update={
            "age_s": round(max(0.0, now - block.read_at.timestamp()), 3),
            "rack_state": block.state,
            "injected": bool(block.injected[k]),
            "source": "injected" if block.injected[k] else "live",
        }
    )


def _from(image: PlantImage, row: int, station: Station, value: float, source: str, extra: int = 0) -> PathOut:
    paths = evaluate(image, station, value, np.array([row]))
    found, words = paths.stations[:, 0], describe(image, row)
    why = workings(image, row, station, value)
    reasons = paths.reasons | np.uint32(extra)
    quality = of_reasons(reasons, ~np.isnan(paths.stations[-1]))
    stations = []
    for k, name in enumerate(STATIONS):
        lines = [line for line in words[k].lines if line]
        given = name is station and not np.isnan(value)
        if name is Station.COUNTS and not np.isnan(found[k]):
            lines = [_hex(image, row, found[k]), *lines]
        stations.append(
            StationOut(
                name=name.value,
                figure=_figure(
                    image,
                    row,
                    k,
                    float(found[k]),
                    max(words[k].decimals, _given_decimals(value)) if given else words[k].decimals,
                ),
                unit=words[k].unit,
                lines=lines,
                given=given,
                working=WorkingOut(**asdict(worked)) if (worked := why[k]) else None,
            )
        )
    if source == "live" and image.family[row] == Family.LINEAR:
        stations[0].lines = ["implied by the range", *stations[0].lines]
    return PathOut(
        point=int(image.ids[row]),
        seq=image.seq,
        source=source,
        stations=stations,
        quality=Quality(int(quality[0])).name.lower(),
        reasons=reasons_told(image, row, int(reasons[0])),
        loop=_number(found[2]),
        value=_number(found[5]),
    )


_WORDS: dict[int, tuple[str, str]] = {0: ("at rest", "acted upon"), 1: ("open", "closed"), 3: ("off", "on")}
_CHECKED: dict[Family, tuple[int, ...]] = {
    Family.NONE: (),
    Family.LINEAR: (2, 3, 4),
    Family.THERMOCOUPLE: (0, 2, 4),
    Family.CONTACT: (1, 2, 4),
}


def _figure(image: PlantImage, row: int, k: int, value: float, decimals: int) -> str:
    """A station's figure as shown: a number, or the word for a state."""
    if np.isnan(value):
        return ""
    if image.family[row] == Family.CONTACT:
        if k in _WORDS:
            return _WORDS[k][int(value)]
        if k == 5:
            return image.text(f"text_{int(value)}", row) or str(int(value))
    return shown(value, decimals)


def _given_decimals(value: float) -> int:
    """As many decimals as were typed: a given figure is shown to the last digit."""
    return min(8, max(0, -int(Decimal(repr(value)).normalize().as_tuple().exponent)))


def _hex(image: PlantImage, row: int, count: float) -> str:
    return "" if np.isnan(count) else f"0x{int(count) & 0xFFFF:04X}"


def _column(image: PlantImage, row: int, k: int) -> str:
    if STATIONS[k] is Station.COUNTS:
        return "counts"
    return describe(image, row)[k].unit or STATIONS[k].lower()


def _checks(image: PlantImage, row: int) -> list[CheckRow]:
    words = describe(image, row)
    family = Family(int(image.family[row]))
    out = []
    for point in check_points(image, row):
        paths: Paths = evaluate(image, point.station, point.given, np.array([row]))
        found = paths.stations[:, 0]
        quality = Quality(int(paths.quality[0])).name.lower()
        sound = quality == "good"
        shows = _figure(image, row, 5, float(found[5]), words[5].decimals)
        true, wrong = _truth(image, row, found) if sound and family is not Family.CONTACT else ("", False)
        out.append(
            CheckRow(
                label=point.label,
                figures=[_figure(image, row, k, float(found[k]), words[k].decimals) for k in _CHECKED[family]],
                hex=_hex(image, row, found[4]),
                shows=shows,
                true=true,
                quality=quality,
                reasons=reasons_told(image, row, int(paths.reasons[0])),
                wrong=wrong,
            )
        )
    return out


def _truth(image: PlantImage, row: int, found: NDArray[np.float64]) -> tuple[str, bool]:
    """What is true at a check point, in the value's unit where it measures the same, and whether VALUE differs."""
    words = describe(image, row)
    true = true_value(image, row, float(found[0]))
    if true is None:
        return shown(float(found[0]), words[0].decimals), False
    span = true_value(image, row, float(image.number("device_high")[row]))
    zero = true_value(image, row, float(image.number("device_low")[row]))
    allowed = image.conventions.agreement_share * abs((span or 0.0) - (zero or 0.0))
    return shown(true, words[5].decimals), bool(abs(true - found[5]) > allowed)


def _curve(image: PlantImage, row: int) -> CurveOut | None:
    found = curve(image, row)
    if found is None:
        return None
    words = describe(image, row)
    signal = signal_named(image.text("signal", row))
    namur = image.conventions.namur if signal and signal.live_zero else None
    beside = found.device if found.device is not None else found.straight
    return CurveOut(
        loop_unit=words[2].unit,
        value_unit=words[5].unit,
        loop=[_number(v) for v in found.loop],
        shows=[_number(v) for v in found.shows],
        beside=[] if beside is None else [_number(v) for v in beside],
        beside_is="the device" if found.device is not None else "straight line",
        fault_low=namur.failed_low_ma if namur else None,
        fault_high=namur.failed_high_ma if namur else None,
    )


def _number(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _modes(image: PlantImage, row: int) -> tuple[str, ...]:
    try:
        return offered_modes(image, row)
    except TextError:
        return ()


def _register(image: PlantImage, row: int) -> str:
    """The input register of the point's channel, counted from 0, and its bit if it has one."""
    if not image.landed[row]:
        return ""
    module, channel = int(image.module[row]), int(image.channel[row])
    register, bit = RackMap.of(image.layout, image.layout.modules[module].rack).register_of(module, channel)
    return f"input register {register}" + (f", bit {bit}" if bit >= 0 else "") + " (from 0)"
