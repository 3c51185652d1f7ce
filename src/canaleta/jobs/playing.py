"""Playing a script: puts on what is due, watches what the scan reads, and writes down what was seen and when.

A run is worked on in a thread of the web worker that was asked; its row in the database tells everybody how it
stands. However it ends, whatever it put on is taken off again.
"""

from __future__ import annotations

import logging
import threading
import time
from collections import defaultdict
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from sqlalchemy import Connection, Engine, select
from sqlalchemy.exc import SQLAlchemyError

from canaleta.core.checks.injection import TAKE_OFF, Injection
from canaleta.core.checks.scripts import Observation, Script, ScriptStep, See, Sighting, judged
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.notation.text import short
from canaleta.core.path.evaluate import describe
from canaleta.core.sheet.entry import station_figure
from canaleta.plant.checks import scripts
from canaleta.plant.database import tables as t
from canaleta.plant.database.clock import PlantClock
from canaleta.plant.live.blocks import read_block
from canaleta.plant.live.commands import Outcome, ask, awaited, done_at, injection_of

__all__ = ["MISSED", "PENDING", "Player", "lines_of"]

log = logging.getLogger("script")
POLL_S = 0.1
NOTE_S = 0.5
PUT_WAIT_S = 9.0
PATIENCE_SCANS = 2.5
PENDING, PUT, SEEN, MISSED, FAILED = "waits", "put", "seen", "not seen", "failed"
VALUE = STATIONS.index(Station.VALUE)


def lines_of(image: PlantImage, script: Script) -> list[dict[str, Any]]:
    """A script's steps as a run tells them, none of them begun. began, after: s from the beginning of the run, and
    from the beginning of the step; read: what the scan said then. level: what is put on in the unit of the wires,
    None for nothing and for a fault; becomes, in_s: where a signal that moves gets to, and how soon."""
    return [
        {
            "line": step.line, "at": step.at_s, "tag": image.label(step.row), "point": step.point, "says": step.says,
            "sees": isinstance(step.act, See), "ends": step.ends_s, "state": PENDING, "began": None, "after": None, "read": "",
            **_put_of(step.act),
        }
        for step in script.steps
    ]  # fmt: skip


def _put_of(act: Injection | See) -> dict[str, Any]:
    """What a line puts on, as figures to be drawn."""
    put = act if isinstance(act, Injection) else TAKE_OFF
    moves = put.form not in ("fixed", "noise")
    return {
        "level": put.level,
        "becomes": put.high if moves else put.level,
        "in_s": put.period_s if moves else 0.0,
        "fault": put.faults[0][0] if put.faults else "",
    }


@dataclass
class _Playing:
    """One run under way."""

    number: int
    image: PlantImage
    script: Script
    who: str
    lines: list[dict[str, Any]]
    began: float
    puts: dict[int, Future[tuple[Outcome, float]]] = field(default_factory=dict)
    seen: dict[int, list[Observation]] = field(default_factory=lambda: defaultdict(list))
    scans: dict[int, int] = field(default_factory=dict)
    given_before: list[list[int]] = field(init=False)
    """For each step the steps before it, by time and line, that give its point something."""

    def __post_init__(self) -> None:
        steps = self.script.steps
        self.given_before = [
            [
                at
                for at, other in enumerate(steps)
                if isinstance(other.act, Injection)
                and other.row == step.row
                and (other.at_s, other.line) <= (step.at_s, step.line)
            ]
            for step in steps
        ]

    def rack_of(self, row: int) -> int:
        return self.image.layout.modules[int(self.image.module[row])].rack

    def patience_s(self, row: int) -> float:
        return PATIENCE_SCANS * self.image.layout.racks[self.rack_of(row)].period_ms / 1000.0


class Player:
    """Plays the scripts that one web worker is asked for."""

    def __init__(self, engine: Engine, clock: PlantClock) -> None:
        self._engine, self._clock = engine, clock

    def start(self, number: int, image: PlantImage, script: Script, who: str) -> None:
        """Begin to play; the run's row exists already."""
        run = _Playing(number, image, script, who, lines_of(image, script), self._clock.looked_lately())
        threading.Thread(target=lambda: self._play(run), name=f"script {number}", daemon=True).start()

    def _play(self, run: _Playing) -> None:
        state, says = "failed", "the server could not go on"
        with ThreadPoolExecutor(1, f"script {run.number} puts") as hands:
            try:
                state, says = self._watch(run, hands)
            except SQLAlchemyError as error:
                log.exception("script run %d", run.number)
                says = f"the database did not answer: {short(error, 120)}"
            finally:
                left = self._take_off(run, hands)
        if left:
            says += f"; not taken off: {', '.join(left)}"
        try:
            with self._engine.begin() as connection:
                body = {"lines": run.lines}
                if not scripts.note(connection, run.number, state=state, says=says, body=body):
                    scripts.ended_lines(connection, run.number, body, says)
        except SQLAlchemyError:
            log.exception("script run %d: its end could not be written", run.number)

    def _watch(self, run: _Playing, hands: ThreadPoolExecutor) -> tuple[str, str]:
        """(state, words) at the end."""
        noted = 0.0
        while True:
            now = self._clock.now()
            for k, step in enumerate(run.script.steps):
                if isinstance(step.act, Injection) and k not in run.puts and now >= run.began + step.at_s:
                    run.puts[k] = hands.submit(self._put, run, step, step.act)
            self._read(run)
            over = [self._settled(run, k, step, now) for k, step in enumerate(run.script.steps)]
            if refused := next((line for line in run.lines if line["state"] == FAILED), None):
                return "failed", f"line {refused['line']}: {refused['read']}"
            if all(over):
                missed = sum(line["state"] == MISSED for line in run.lines)
                sees = sum(line["sees"] for line in run.lines)
                return "done", f"{missed} of {sees} not seen" if missed else f"all {sees} seen"
            if now - noted >= NOTE_S:
                noted = now
                with self._engine.begin() as connection:
                    if not scripts.note(connection, run.number, body={"lines": run.lines}):
                        return "called off", "called off"
            time.sleep(POLL_S)

    def _put(self, run: _Playing, step: ScriptStep, put: Injection) -> tuple[Outcome, float]:
        """Put something on: what became of it, and when it stood there."""
        rack, target = injection_of(run.image, step.row, put)
        with self._engine.begin() as connection:
            number = ask(connection, run.who, rack, "inject", target)
        result = awaited(self._engine, number, PUT_WAIT_S)
        with self._engine.connect() as connection:
            at = done_at(connection, number)
        return result, at.timestamp() if at else self._clock.now()

    def _read(self, run: _Playing) -> None:
        """Take in the blocks that are new, with the alarms that stood with them."""
        rows = defaultdict(set)
        for step in run.script.steps:
            rows[run.rack_of(step.row)].add(step.row)
        with self._engine.connect().execution_options(isolation_level="REPEATABLE READ") as connection:
            query = select(t.live_block.c.rack, t.live_block.c.scan).where(t.live_block.c.rack.in_(list(rows)))
            newer = [r.rack for r in connection.execute(query) if run.scans.get(r.rack) != r.scan]
            for rack in newer:
                self._take_in(run, connection, rack, rows[rack])

    @staticmethod
    def _take_in(run: _Playing, connection: Connection, rack: int, rows: set[int]) -> None:
        if (block := read_block(connection, rack)) is None:
            return
        run.scans[rack] = block.scan
        points = {int(run.image.ids[row]): row for row in rows}
        query = select(t.alarm.c.point, t.alarm.c.kind).where(t.alarm.c.point.in_(list(points)), t.alarm.c.active)
        active = defaultdict(set)
        for alarm in connection.execute(query):
            active[alarm.point].add(alarm.kind)
        for k in np.flatnonzero(np.isin(block.points, list(points))).tolist():
            point = int(block.points[k])
            state = int(block.switch[k])
            run.seen[points[point]].append(
                Observation(
                    block.read_at.timestamp(),
                    float(block.value[k]),
                    int(block.quality[k]),
                    int(block.reasons[k]),
                    state,
                    frozenset(active[point]),
                )
            )

    def _settled(self, run: _Playing, k: int, step: ScriptStep, now: float) -> bool:
        """Bring a step's line up to date. Returns whether nothing more is expected of it."""
        line = run.lines[k]
        if line["state"] != PENDING:
            return True
        if isinstance(step.act, Injection):
            if k not in run.puts or not run.puts[k].done():
                return False
            result, at = run.puts[k].result()
            line |= {
                "state": PUT if result.done else FAILED,
                "began": round(at - run.began, 3),
                "read": result.says,
            }
            return True
        begins = self._begins(run, k)
        if begins is None or now < begins:
            return False
        line["began"] = round(begins - run.began, 3)
        found = judged(step.act, begins, run.seen[step.row], now, run.patience_s(step.row))
        line["read"] = _told(run.image, step, found)
        if found.passes is None:
            return False
        line["state"] = SEEN if found.passes else MISSED
        line["after"] = None if found.after_s is None else round(found.after_s, 3)
        return True

    @staticmethod
    def _begins(run: _Playing, k: int) -> float | None:
        """When an expectation begins: at its time, and not before what its point was given by then stands there."""
        given = [run.puts.get(at) for at in run.given_before[k]]
        if not all(put is not None and put.done() for put in given):
            return None
        stood = [put.result()[1] for put in given if put is not None]
        return max([run.began + run.script.steps[k].at_s, *stood])

    def _take_off(self, run: _Playing, hands: ThreadPoolExecutor) -> list[str]:
        """Take off whatever is put on; the points where that was not done."""
        for future in run.puts.values():
            future.cancel()
        left = []
        touched = [k for k, future in run.puts.items() if not future.cancelled()]
        for row in dict.fromkeys(run.script.steps[k].row for k in touched):
            last = max((k for k in touched if run.script.steps[k].row == row), key=lambda k: run.script.steps[k].at_s)
            if run.script.steps[last].act == TAKE_OFF and run.puts[last].done():
                continue
            step = ScriptStep(0, 0.0, int(run.image.ids[row]), row, TAKE_OFF, "")
            try:
                result = hands.submit(self._put, run, step, TAKE_OFF).result()[0]
            except SQLAlchemyError:
                result = Outcome.failed("the database did not answer")
            if not result.done:
                left.append(f"{run.image.label(row)} ({result.says})")
        return left


def _told(image: PlantImage, step: ScriptStep, found: Sighting) -> str:
    """What the scan said at the reading that decided, in words."""
    if found.last is None:
        return "nothing was read"
    x, words = found.last, describe(image, step.row)[VALUE]
    figure = station_figure(image, step.row, VALUE, x.value, words.decimals)
    told = [f"{figure} {words.unit}".strip() if figure else "no value", Quality(x.quality).name.lower()]
    told += [r.name.lower().replace("_", " ") for r in Reason if x.reasons & r and r.name]
    if x.alarms:
        told.append(f"alarm {' '.join(sorted(x.alarms))}")
    return ", ".join(told)
