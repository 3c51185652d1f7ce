"""Scripts of injections: what is put on which terminals when, and what must be seen within what time. One line a
step:

    0 s     PT-3107   put 12 mA
    0 s     PT-3107   see 250 ± 2 within 3 s
    +5 s    PT-3107   put ramp 12 mA to 20 mA in 10 s
    +5 s    PT-3107   see alarm h within 8 s
    +10 s   PT-3107   make open
    +0 s    PT-3107   see bad within 6 s
    +0 s    PT-3107   see no alarm l for 3 s
    +10 s   PT-3107   take off

A time with + counts from the line before. Lines that begin with # are remarks. Nothing here acts: whoever runs a
script puts on what is due and hands what the scan read to `judged`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from canaleta.core.checks.injection import TAKE_OFF, Injection, loop_unit, read_injection
from canaleta.core.live.alarms import KINDS, AlarmTable
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.notation.patterns import LONGEST_LINE, SPACE, compiled
from canaleta.core.notation.text import TextError, read_number
from canaleta.core.path.evaluate import describe
from canaleta.core.sheet.entry import read_station, station_figure
from canaleta.core.signals.waveforms import FORMS

__all__ = [
    "LONGEST_S",
    "MOST_LINES",
    "Observation",
    "Problem",
    "Script",
    "ScriptStep",
    "See",
    "Sighting",
    "judged",
    "read_script",
]

LONGEST_S = 3600.0
MOST_LINES = 400
USUAL_WITHIN_S = 5.0
_TIME = rf"(?P<time>[\d.,]+){SPACE}*(?P<unit>s|min)?"
_LINE = compiled(rf"(?P<plus>\+?){SPACE}*{_TIME}{SPACE}+(?P<rest>\S.*)", ignore_case=True)
_VERB = compiled(rf"(?P<tag>.+?){SPACE}+(?P<verb>put|make|take off|see)(?:{SPACE}+(?P<what>.*))?", ignore_case=True)
_MOVES = compiled(
    rf"(?P<form>[a-z]+){SPACE}+(?P<low>.+?){SPACE}+(?:to|and|with){SPACE}+(?P<high>.+?)"
    rf"(?:{SPACE}+in{SPACE}+(?P<period>[\d.,]+){SPACE}*(?P<unit>s|min))?",
    ignore_case=True,
)
_CLAUSE = compiled(rf"{SPACE}+(?P<word>within|for){SPACE}+{_TIME}{SPACE}*$", ignore_case=True)
_ALARM = compiled(rf"(?P<no>no )?alarm(?:{SPACE}+(?P<kind>\S+))?")
_QUALITIES = {"good": Quality.GOOD, "doubtful": Quality.DOUBTFUL, "bad": Quality.BAD, "no value": Quality.NONE}
_REASONS = {reason.name.lower().replace("_", " "): reason for reason in Reason if reason.name}


@dataclass(frozen=True)
class See:
    """What must be seen: within so many seconds, and then for so long. what: "value", "quality", "reason", "state",
    "alarm" or "no alarm". figure ± around for a value in the value's unit; alarm: a kind of core.live.alarms.KINDS, ""
    for any; code: of the quality, reason or state."""

    what: str
    within_s: float
    for_s: float
    figure: float = 0.0
    around: float = 0.0
    code: int = 0
    alarm: str = ""


@dataclass(frozen=True)
class ScriptStep:
    """One line: at_s from the beginning, the point, and what is put there or must be seen. says: the line in
    words."""

    line: int
    at_s: float
    point: int
    row: int
    act: Injection | See
    says: str

    @property
    def ends_s(self) -> float:
        """When nothing more is expected of it."""
        return self.at_s + (self.act.within_s + self.act.for_s if isinstance(self.act, See) else 0.0)


@dataclass(frozen=True)
class Problem:
    """A line that cannot be read, and why. line: from 1."""

    line: int
    says: str


@dataclass(frozen=True)
class Script:
    """A script as it was read. steps: in the order of their times."""

    steps: tuple[ScriptStep, ...]
    problems: tuple[Problem, ...]

    @property
    def length_s(self) -> float:
        """When the last of it is over."""
        return max((step.ends_s for step in self.steps), default=0.0)

    @property
    def put_on(self) -> tuple[int, ...]:
        """The rows at which something is put on, in their order."""
        return tuple(dict.fromkeys(step.row for step in self.steps if isinstance(step.act, Injection)))


@dataclass(frozen=True)
class Observation:
    """What the scan said of one point at a time (s): its value (NaN for none), quality, reasons, state (-1 for none)
    and the kinds of its active alarms."""

    at: float
    value: float
    quality: int
    reasons: int
    state: int
    alarms: frozenset[str]


@dataclass(frozen=True)
class Sighting:
    """What became of one See. after_s: from its beginning until it was seen, None if it was not. passes: None while
    it can still come. last: the observation that decided, None where nothing was read."""

    passes: bool | None
    after_s: float | None
    last: Observation | None


def read_script(image: PlantImage, text: str) -> Script:
    """A script from its text. Whatever cannot be read is told by its line; the rest is read all the same."""
    steps: list[ScriptStep] = []
    problems: list[Problem] = []
    rows = {image.text("tag", row).lower(): row for row in reversed(range(len(image)))}
    at = 0.0
    lines = text.splitlines()
    for number, line in enumerate(lines[:MOST_LINES], start=1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        try:
            step = _step(image, rows, number, line.strip(), at)
        except TextError as error:
            problems.append(Problem(number, str(error)))
            continue
        at = step.at_s
        steps.append(step)
    if len(lines) > MOST_LINES:
        problems.append(Problem(MOST_LINES + 1, f"a script has at most {MOST_LINES} lines"))
    return Script(tuple(sorted(steps, key=lambda step: step.at_s)), tuple(problems))


def _step(image: PlantImage, rows: dict[str, int], number: int, line: str, before: float) -> ScriptStep:
    if len(line) > LONGEST_LINE:
        raise TextError(f"{len(line)} characters; a line has at most {LONGEST_LINE}")
    found = _LINE.fullmatch(line)
    if not found:
        raise TextError("begin with a time: “5 s TAG put 12 mA”, or “+5 s …” from the line before")
    at = _seconds(found["time"], found["unit"]) + (before if found["plus"] else 0.0)
    if at > LONGEST_S:
        raise TextError(f"{at:g} s: a script is over within {LONGEST_S / 60:g} min")
    words = _VERB.fullmatch(found["rest"])
    if not words:
        raise TextError("after the tag comes put, make, take off or see")
    row = rows.get(words["tag"].strip().lower())
    if row is None:
        raise TextError(f"there is no point “{words['tag'].strip()}” on the list")
    if not image.landed[row]:
        raise TextError(f"{image.label(row)} holds no channel yet: nothing can be put on or seen")
    act, says = _act(image, row, words["verb"].lower(), (words["what"] or "").strip())
    return ScriptStep(number, at, int(image.ids[row]), row, act, says)


def _act(image: PlantImage, row: int, verb: str, what: str) -> tuple[Injection | See, str]:
    if verb == "see":
        return _see(image, row, what)
    if verb == "take off":
        if what:
            raise TextError(f"“take off” takes everything off: “{what}” says nothing")
        return TAKE_OFF, "nothing is put on any more"
    if not _stand_in(image, row):
        raise TextError(f"{image.label(row)} is in a real rack: a script can see there, and put nothing on")
    if verb == "make":
        return _make(image, row, what)
    return _put(image, row, what)


def _stand_in(image: PlantImage, row: int) -> bool:
    return image.layout.racks[image.layout.modules[int(image.module[row])].rack].stand_in


def _make(image: PlantImage, row: int, what: str) -> tuple[Injection, str]:
    """A fault: its kind and, behind it, its amount."""
    for cut in range(len(parts := what.split()), 0, -1):
        kind, amount = " ".join(parts[:cut]), " ".join(parts[cut:])
        try:
            return read_injection(image, row, "", faults=[(kind, amount)]), f"something is wrong: {what}"
        except TextError as error:
            problem = error
    raise problem if parts else TextError("make what? a fault, such as “make open”")


def _put(image: PlantImage, row: int, what: str) -> tuple[Injection, str]:
    if not what:
        raise TextError(f"put what on? a level in {loop_unit(image, row)}, such as “put 12 mA”")
    unit = loop_unit(image, row)
    moves = _MOVES.fullmatch(what)
    if moves and moves["form"].lower() in FORMS:
        form = moves["form"].lower()
        period = _seconds(moves["period"], moves["unit"]) if moves["period"] else 10.0
        put = read_injection(image, row, moves["low"], form, moves["high"], period)
        return put, f"{form} from {put.level:g} to {put.high:g} {unit}, {period:g} s"
    put = read_injection(image, row, what)
    return put, f"{put.level:g} {unit} is on the wires"


def _see(image: PlantImage, row: int, what: str) -> tuple[See, str]:
    times = {"within": USUAL_WITHIN_S, "for": 0.0}
    report: set[str] = set()
    while clause := _CLAUSE.search(f" {what}"):
        word = clause["word"].lower()
        if word in report:
            raise TextError(f"“{word}” is said twice")
        report.add(word)
        times[word] = _seconds(clause["time"], clause["unit"])
        what = f" {what}"[: clause.start()].strip()
    within, lasts = times["within"], times["for"]
    if "for" in report and "within" not in report and what.lower().split()[:2] == ["no", "alarm"]:
        # “see no alarm h for 5 s”: from now on, not from some moment within the usual time.
        within = 0.0
    see, says = _condition(image, row, what, within, lasts)
    says += f", within {within:g} s" if within else ", from now on"
    return see, says + (f", for {lasts:g} s" if lasts else "")


def _condition(image: PlantImage, row: int, what: str, within: float, lasts: float) -> tuple[See, str]:
    typed = what.strip().lower()
    if not typed:
        raise TextError("see what? a value with ±, a state, good or bad, a fault, an alarm")
    if found := _ALARM.fullmatch(typed):
        kind, table = found["kind"] or "", AlarmTable.of(image, np.array([row]))
        if kind and kind not in KINDS:
            raise TextError(f"“{kind}” is no alarm: {', '.join(KINDS)}")
        has = {name for k in range(len(table)) for _, name in [table.key(k)]}
        if kind and kind not in has:
            raise TextError(f"{image.label(row)} has no alarm {kind}")
        return See("no alarm" if found["no"] else "alarm", within, lasts, alarm=kind), f"{typed} is seen"
    words = [image.text(f"text_{state}", row) or usual for state, usual in enumerate(("off", "on"))]
    for state, (word, usual) in enumerate(zip(words, ("off", "on"), strict=True)):
        if typed in (word.lower(), usual):
            return See("state", within, lasts, code=state), f"it says {word}"
    if typed in _QUALITIES:
        return See("quality", within, lasts, code=int(_QUALITIES[typed])), f"its quality is {typed}"
    if typed in _REASONS:
        return See("reason", within, lasts, code=int(_REASONS[typed])), f"it is said: {typed}"
    figure, _, around = what.partition("±")
    if not around:
        raise TextError(f"“{what}”: a value needs what it may be off, such as “see 250 ± 2”")
    value = read_station(image, row, Station.VALUE, figure)
    k = STATIONS.index(Station.VALUE)
    station = describe(image, row)[k]
    off = _around(image, row, around.strip(), station.unit)
    shown = station_figure(image, row, k, value, station.decimals)
    return See("value", within, lasts, value, off), f"the value is {shown} ± {off:g} {station.unit}"


def _around(image: PlantImage, row: int, text: str, unit: str) -> float:
    if text.endswith("%") and unit != "%":
        span = abs(float(image.number("value_high")[row]) - float(image.number("value_low")[row]))
        if not np.isfinite(span):
            raise TextError(f"“± {text}”: {image.label(row)} has no range that this could be a share of")
        off = float(read_number(text[:-1])) / 100.0 * span
    else:
        off = float(read_number(text.removesuffix(unit) if unit else text))
    if off < 0:
        raise TextError(f"“± {text}” is zero or more")
    return off


def _seconds(text: str, unit: str | None) -> float:
    return float(read_number(text)) * (60.0 if (unit or "s").lower() == "min" else 1.0)


def judged(see: See, begins: float, observations: Sequence[Observation], now: float, patience_s: float) -> Sighting:
    """What became of an expectation that began at a time. observations: of its point, in their order; now: until when
    they tell, s; patience_s: how long a reading may be under way. It is seen at the first reading from which it holds
    for as long as asked; readings that do not cover that time show nothing."""
    told = [x for x in observations if x.at >= begins]
    deadline = max(begins + see.within_s, told[0].at) if told else begins + see.within_s
    since = None
    for x in told:
        if not _holds(see, x):
            since = None
            if x.at >= deadline:
                return Sighting(False, None, x)
            continue
        since = x.at if since is None else since
        if since > deadline:
            return Sighting(False, None, x)
        if x.at - since >= see.for_s:
            return Sighting(True, since - begins, x)
    over = now > begins + see.within_s + see.for_s + patience_s
    return Sighting(False if over else None, None, told[-1] if told else None)


def _holds(see: See, x: Observation) -> bool:
    match see.what:
        case "value":
            # The last digit of a binary fraction is no fault: 0.1 + 0.2 is within 0.3.
            return abs(x.value - see.figure) <= see.around * (1.0 + 1e-12) + 1e-12
        case "quality":
            return x.quality == see.code
        case "reason":
            return bool(x.reasons & see.code)
        case "state":
            return x.state == see.code
        case "alarm":
            return see.alarm in x.alarms if see.alarm else bool(x.alarms)
        case _:
            return see.alarm not in x.alarms if see.alarm else not x.alarms
