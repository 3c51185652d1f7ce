"""A loop to learn on: anyone breaks the wire, swaps the leads, lowers the supply, and watches all six stations and
the alarm. Nothing of it touches the plant: the state goes to the browser and comes back."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Any, Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.catalogue.types import module_types
from canaleta.core.live import alarms as alarm_states
from canaleta.core.live.advice import advice_of
from canaleta.core.live.alarms import WORDS, Alarms, AlarmTable, Event, State
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import describe, workings
from canaleta.core.path.faults import KINDS, Fault, evaluate_faulted, faulted, kinds_for, read_fault, upset_of
from canaleta.core.sheet.document import read_document
from canaleta.core.sheet.entry import station_figure
from canaleta.core.signals.signal_types import Family
from canaleta.web.kit.access import needs
from canaleta.web.kit.figures import finite
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes

__all__ = ["LOOPS", "api"]

api = routes("learn", __name__, url_prefix="/api/learn", abp_responses=PROBLEMS)

LOOPS: dict[str, dict[str, Any]] = {
    "gas pressure": {
        "device": {
            "signal": "4–20 mA",
            "low": 0,
            "high": 600,
            "unit": "mbar",
            "lift_off_v": 10.5,
            "failure_ma": 21.6,
        },
        "loop": {"supply": "module", "wires": 2, "hops": "head; barrier 240 Ω"},
        "input": {"module": "ai8-ui", "mode": "4–20 mA"},
        "value": {"low": 0, "high": 600, "unit": "mbar"},
    },
    "kiln thermocouple": {
        "device": {"signal": "TC K", "low": 0, "high": 1200, "unit": "°C"},
        "loop": {"extension": "KX", "head_degc": 45},
        "input": {"module": "tc8", "mode": "TC K, 0.1 °C"},
        "value": {"low": 0, "high": 1200, "unit": "°C"},
    },
    "dryer Pt100": {
        "device": {"signal": "Pt100", "low": 0, "high": 250, "unit": "°C"},
        "loop": {"wires": 3, "lead_ohm": 1.5},
        "input": {"module": "rtd6", "mode": "Pt100, 0.1 °C"},
        "value": {"low": 0, "high": 250, "unit": "°C"},
    },
}
SHARE_OF_ALARM = 0.8


class AlarmState(Shape):
    """Where the high alarm and the fault alarm stand; as the answer before gave it."""

    model_config = ConfigDict(extra="forbid")

    state: list[Annotated[int, Field(ge=0, le=8)]] = Field([0, 0], min_length=2, max_length=2)
    active: list[bool] = Field([False, False], min_length=2, max_length=2)


class PutIn(Shape):
    """Something that is wrong."""

    model_config = ConfigDict(extra="forbid")

    kind: str = Field(max_length=40)
    amount: str = Field("", max_length=40)


class LearnIn(Shape):
    """The loop, the quantity in the pipe as a share of the range, what is wrong, and what somebody says to the
    alarms."""

    model_config = ConfigDict(extra="forbid")

    loop: Literal["gas pressure", "kiln thermocouple", "dryer Pt100"] = "gas pressure"
    share: float = Field(50.0, ge=-10, le=125)
    faults: list[PutIn] = Field(default_factory=list, max_length=6)
    alarms: AlarmState = Field(default_factory=lambda: AlarmState(state=[0, 0], active=[False, False]))
    word: Literal["", "acknowledge", "reset"] = ""


class LearnStation(Shape):
    """One station: what it is with what is wrong, what it would be without, and its working."""

    name: str
    figure: str
    healthy: str
    unit: str
    formula: str
    figures: str
    differs: bool


class LearnFault(Shape):
    """A fault that can be put on, where it sits, and an amount that shows it."""

    name: str
    station: str
    says: str
    amount: str
    usual: str


class LearnAlarm(Shape):
    """One alarm of the loop in words."""

    name: str
    state: str
    active: bool
    number: int


class LearnOut(Shape):
    """All six stations, what the value's quality is and why, what to do next, and the alarms."""

    stations: list[LearnStation]
    quality: str
    faults: list[str]
    causes: list[str]
    next: str
    alarms: list[LearnAlarm]
    keep: AlarmState
    offers: list[LearnFault]
    limit: str


@api.post("", responses={200: LearnOut})
@needs("look")
def learn(body: LearnIn) -> Response:
    """One step of the loop to learn on."""
    document = LOOPS[body.loop]
    image, _ = read_document(document, module_types())
    low, high = float(document["device"]["low"]), float(document["device"]["high"])
    limit = low + SHARE_OF_ALARM * (high - low)
    image = image.with_cells(
        {(0, "alarm_h"): Decimal(repr(limit)), (0, "alarm_fault"): "yes", (0, "alarm_h_priority"): "high"}
    )
    faults = _faults(body)
    process = low + (high - low) * body.share / 100.0
    as_it_is = evaluate_faulted(image, Station.PROCESS, np.array([process]), {0: faults} if faults else {})
    healthy = evaluate_faulted(image, Station.PROCESS, np.array([process]), {})
    alarms, passed = _alarms(image, body, float(as_it_is.stations[-1, 0]), int(as_it_is.quality[0]))
    told = advice_of(image, 0, int(as_it_is.reasons[0]))
    family = Family(int(image.family[0]))
    offers = [
        LearnFault(name=k.name, station=k.station.value, says=k.says, amount=k.amount, usual=k.usual)
        for k in kinds_for(family)
        if k.name != "noise"
    ]
    return jsonify(
        LearnOut(
            stations=_stations(image, as_it_is.stations[:, 0], healthy.stations[:, 0], process, faults),
            quality=Quality(int(as_it_is.quality[0])).name.lower(),
            faults=[a.says for a in told],
            causes=list(told[0].causes) if told else [],
            next=told[0].next if told else "",
            alarms=passed,
            keep=alarms,
            offers=offers,
            limit=f"{limit:g} {document['value']['unit']}",
        ).model_dump()
    )


def _faults(body: LearnIn) -> tuple[Fault, ...]:
    try:
        return tuple(
            read_fault(f.kind, f.amount or KINDS[f.kind].usual if f.kind in KINDS else f.amount) for f in body.faults
        )
    except TextError as error:
        raise ProblemError(422, str(error), "the loop stays as it was", "choose another fault or amount") from error


def _alarms(image: PlantImage, body: LearnIn, value: float, quality: int) -> tuple[AlarmState, list[LearnAlarm]]:
    table = AlarmTable.of(image, np.array([0]))
    before = alarm_states.begin(len(table))
    before = Alarms(
        np.array(body.alarms.state, dtype=np.uint8),
        np.array(body.alarms.active),
        before.since,
        before.until,
        before.slow,
        0.0,
    )
    if body.word:
        word = Event.ACKNOWLEDGE if body.word == "acknowledge" else Event.RESET
        before, _ = alarm_states.told(table, before, np.arange(len(table)), word)
    after, _ = alarm_states.step(
        table, before, 1.0, np.array([value]), np.array([quality], dtype=np.uint8), np.array([-1], dtype=np.int8)
    )
    keep = AlarmState(state=after.state.tolist(), active=after.active.tolist())
    names = {"h": "high", "fault": "signal failed"}
    told = [
        LearnAlarm(
            name=names[table.key(k)[1]],
            state=WORDS[State(int(after.state[k]))],
            active=bool(after.active[k]),
            number=int(after.state[k]),
        )
        for k in range(len(table))
    ]
    return keep, told


def _stations(
    image: PlantImage, now: np.ndarray, healthy: np.ndarray, process: float, faults: tuple[Fault, ...]
) -> list[LearnStation]:
    by_row = {0: faults} if faults else {}
    as_it_is = faulted(image, by_row)
    words = describe(as_it_is, 0)
    why = workings(as_it_is, 0, Station.PROCESS, process, upset_of(1, by_row))
    out = []
    for k, name in enumerate(STATIONS):
        figure, plain = (station_figure(image, 0, k, float(x[k]), words[k].decimals) for x in (now, healthy))
        worked = why[k]
        out.append(
            LearnStation(
                name=name.value,
                figure=figure if finite(float(now[k])) is not None else "–",
                healthy=plain,
                unit=words[k].unit,
                formula=worked.formula if worked else "",
                figures=worked.figures if worked else "",
                differs=figure != plain,
            )
        )
    return out
