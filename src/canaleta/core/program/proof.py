"""Proof: the text itself, read back and run in the target's arithmetic, against the path and the conditioning.

Of every point: each word that its converter can give (so many at random where it has 32 bits), what becomes of it once a failure
has lasted, and what is held; outputs the other way round; and over random sequences of scans everything that takes time. Nothing
of how the text was made is used here but which variable is which: that, too, is read out of the text.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from canaleta.core.live import alarms, conditioning
from canaleta.core.live.alarms import KINDS, AlarmTable
from canaleta.core.live.conditioning import Reading, Settings
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality, Reason, ripened
from canaleta.core.model.whole_numbers import whole_factor
from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.path.evaluate import Runs, evaluate
from canaleta.core.program.points import PointCode
from canaleta.core.program.unit import UnitText
from canaleta.core.st import Library, Problem, check, read
from canaleta.core.st.kinds import RANGES, Target
from canaleta.core.st.running import Machine
from canaleta.core.st.slices import Slices
from canaleta.core.st.tree import Assign, Literal, Pou, Reference

__all__ = ["MappingProof", "PointProof", "Proof", "Run", "prove", "read_back", "summary"]

PIECE = 16_384
RANDOM = 10_000
WITHIN_SPAN = 1e-5
WITHIN_COUNTS = 1e-2
"""A difference is arithmetic, and no fault, within so much of the span and so much of a count."""
SCANS, LANES = 160, 48
_FAILING = np.uint32(Reason.FAILED_LOW | Reason.FAILED_HIGH)


@dataclass(frozen=True)
class PointProof:
    """What was tried of one point. words: how many words or values; scans: of how many sequences of scans, (sequences, scans).
    units, counts: the largest difference of the value, in its unit and as counts; at_word: where. quality: words whose quality
    differs; differ: counts of an output or sequences that go another way. aside: sequences in which a value came so near to a
    limit that arithmetic decides. faults: what the controller would stumble over. wrong: codes of what is wrong, empty if
    nothing is: "value", "quality", "count", "timing", "fault", "mapping", "not in the text"."""

    point: int
    tag: str
    name: str
    kind: str
    words: int = 0
    sequences: int = 0
    scans: int = 0
    units: float = 0.0
    counts: float = 0.0
    at_word: int = 0
    unit: str = ""
    quality: int = 0
    differ: int = 0
    aside: int = 0
    faults: tuple[str, ...] = ()
    wrong: tuple[str, ...] = ()
    says: str = ""


@dataclass(frozen=True)
class MappingProof:
    """The mapping layer: how many points are mapped exactly once; spares: {array: indices that no point is mapped from or to};
    wrong: sentences."""

    mapped: int
    spares: dict[str, tuple[int, ...]]
    wrong: tuple[str, ...]


@dataclass(frozen=True)
class Proof:
    """Of one unit. problems: what a compiler would refuse."""

    unit: str
    points: tuple[PointProof, ...]
    mapping: MappingProof
    problems: tuple[Problem, ...]

    @property
    def holds(self) -> bool:
        """Whether nothing is wrong."""
        return not (self.problems or self.mapping.wrong or any(p.wrong for p in self.points))


@dataclass
class ReadBack:
    """A text that was read: its library, the program, and its slices by what they make."""

    library: Library
    problems: list[Problem]
    program: Pou | None
    slices: Slices | None
    mapped: dict[str, tuple[str, int, int]] = field(default_factory=dict)
    written: dict[tuple[str, int], str] = field(default_factory=dict)
    twice: list[str] = field(default_factory=list)


def read_back(text: str, blocks: str, unit: str) -> ReadBack:
    """A unit's text, read. Raises StError where it cannot be."""
    library, problems = check([read(blocks), read(text)])
    program = library.pous.get(unit.lower())
    out = ReadBack(
        library, [p for p in problems if p.code != "integer division"], program, Slices(program) if program else None
    )
    for s in program.body if program else ():
        if not isinstance(s, Assign):
            continue
        if (element := _element(s.value)) and not s.target.steps and element[0].lower() in library.variables:
            if s.target.name.lower() in out.mapped:
                out.twice.append(f"{s.target.name} is mapped twice, again in line {s.line}")
            out.mapped[s.target.name.lower()] = (element[0].lower(), element[1], s.line)
        elif (element := _element(s.target)) and isinstance(s.value, Reference) and not s.value.steps:
            key = (element[0].lower(), element[1])
            if key in out.written:
                out.twice.append(f"{element[0]}[{element[1]}] is written twice, again in line {s.line}")
            out.written[key] = s.value.name.lower()
    return out


def _element(x: object) -> tuple[str, int] | None:
    if (
        isinstance(x, Reference)
        and len(x.steps) == 1
        and isinstance(x.steps[0], Literal)
        and isinstance(x.steps[0].value, int)
    ):
        return x.name, x.steps[0].value
    return None


def prove(
    image: PlantImage,
    unit: UnitText,
    text: str | None = None,
    only: Iterable[int] | None = None,
    timing: bool = True,
) -> Proof:
    """The proof of a unit's text, or of another text in its place, against the list. only:
    points, by identity. timing: whether sequences of scans are tried as well."""
    back = read_back(unit.text if text is None else text, unit.blocks, unit.scope.unit)
    wanted = None if only is None else set(only)
    codes = [c for c in unit.codes if wanted is None or c.point in wanted]
    out: list[PointProof] = []
    tester = _Tester(image, back, unit.target, timing=timing)
    refused = any(not p.compiles for p in back.problems) or back.program is None
    out += [_missing(code) if refused else tester.point(code) for code in codes]
    return Proof(unit.scope.unit, tuple(out), _mapping(unit, back), tuple(back.problems))


def _missing(code: PointCode) -> PointProof:
    return PointProof(
        code.point, code.tag, code.name, code.kind, wrong=("not in the text",), says="the text does not compile"
    )


def _mapping(unit: UnitText, back: ReadBack) -> MappingProof:
    """Whether every point is mapped exactly once, to the channel that the list gives it."""
    wrong, mapped = list(back.twice), 0
    taken: dict[tuple[str, int], list[str]] = {}
    for raw, (array, index, _) in back.mapped.items():
        taken.setdefault((array, index), []).append(raw)
    for (array, index), raw_of in back.written.items():
        taken.setdefault((array, index), []).append(raw_of)
    for (array, index), names in taken.items():
        if len(names) > 1:
            wrong.append(f"{array}[{index}] is mapped to {' and '.join(names)}")
    for code in unit.codes:
        c = code.channel
        if c.direction == "in":
            found = back.mapped.get(code.raw.lower())
            at = found[:2] if found else None
        else:
            at = next((key for key, raw in back.written.items() if raw == code.raw.lower()), None)
        told = back.mapped.get(code.fault.lower()) if code.fault else None
        if code.fault and (told is None or told[:2] != (f"{c.array}_Fault".lower(), c.index)):
            wrong.append(f"{code.tag}: what the module reports of it is not mapped from {c.array}_Fault[{c.index}]")
        if at is None:
            wrong.append(f"{code.tag} is not mapped")
        elif at != (c.array.lower(), c.index):
            wrong.append(f"{code.tag} is mapped to {at[0]}[{at[1]}], and the list says {c.array}[{c.index}]")
        else:
            mapped += 1
    wrong += _status(unit, back)
    spares = {a.name: tuple(i for i in a.channels if (a.name.lower(), i) not in taken) for a in unit.arrays}
    return MappingProof(mapped, {name: some for name, some in spares.items() if some}, tuple(wrong))


def _status(unit: UnitText, back: ReadBack) -> list[str]:
    """Arrays whose faults are not what their status words say: run with random words, against the modules' own bits."""
    out: list[str] = []
    if back.program is None or back.slices is None:
        return out
    rng = np.random.default_rng(len(unit.arrays))
    for a in unit.arrays:
        if not a.status:
            continue
        name, lanes = f"{a.name}_fault".lower(), 256
        words = {
            b.word.lower(): rng.integers(0, 1 << 16, lanes).astype(np.uint16) for _, bits in a.status for b in bits
        }
        machine = Machine(back.library, unit.target, with_globals=False)
        statements = back.slices.behind({name}, set(words))
        declared = back.library.variables.get(name)
        if declared is None:
            out.append(f"{a.name}_Fault is not declared")
            continue
        frame: dict[str, Any] = {name: machine.begin(declared.type, None), **words}
        machine.prepared(statements, back.program.name)(frame)
        told = np.broadcast_to(frame[name].T, (lanes, a.high - a.low + 1)) if frame[name].ndim == 1 else frame[name].T
        for index, bits in a.status:
            wanted = np.zeros(lanes, dtype=bool)
            for b in bits:
                wanted |= ((words[b.word.lower()].astype(np.int64) >> b.bit) & 1).astype(bool) == b.fault_is_one
            if (told[:, index - a.low] != wanted).any():
                out.append(f"{a.name}_Fault[{index}] is not what the module's status says")
    return out


class _Tester:
    """Runs points of one text that was read."""

    def __init__(self, image: PlantImage, back: ReadBack, target: Target, *, timing: bool) -> None:
        self._timing = timing
        self._image, self._back, self._target = image, back, target
        self._ready: dict[int, Runs] = {}
        self._ready_row = -1

    def _runs(self, row: int, lanes: int) -> Runs:
        """The path of one point in so many lanes, made ready once."""
        if self._ready_row != row:
            self._ready, self._ready_row = {}, row
        if lanes not in self._ready:
            self._ready[lanes] = Runs.of(self._image, np.full(lanes, row, dtype=np.int64))
        return self._ready[lanes]

    def point(self, code: PointCode) -> PointProof:
        """What was tried of a point, and what came of it."""
        have = self._back.slices.writes if self._back.slices else {}
        missing = [
            n
            for n, _, _ in code.network.variables
            if n.lower() not in have and not n.endswith("_Reset") and not (code.kind[1] == "O" and n == code.name)
        ]
        if missing or (code.kind[1] == "I" and code.raw.lower() not in have):
            return PointProof(
                code.point,
                code.tag,
                code.name,
                code.kind,
                wrong=("not in the text",),
                says=f"{(missing or [code.raw])[0]} is never written",
            )
        run = Run(self._back, self._target, code)
        trial = {"AI": self._analog, "DI": self._discrete, "AO": self._given, "DO": self._given_state}[code.kind]
        out = trial(code, run)
        faults = run.faults()
        wrong = tuple(dict.fromkeys((*out["wrong"], *(("fault",) if faults else ()))))
        return PointProof(code.point, code.tag, code.name, code.kind, **{**out, "wrong": wrong}, faults=faults)

    # Inputs.

    def _words(self, code: PointCode) -> tuple[NDArray[Any], Floats]:
        """(what is read, counts that the list makes of it) of each lane."""
        form = code.channel.form
        if form.bits == 16:
            words = np.arange(65_536, dtype=np.uint16)
            return words.view(np.int16) if code.raw_type == "INT" else words, form.counts_of(words[:, None])
        rng = np.random.default_rng(code.point)
        if form.kind == "float":
            most = 4.0 * max(abs(x) for x in self._span(code)) + 1.0
            counts = np.concatenate([rng.uniform(-most, most, RANDOM), self._span(code), [0.0]])
            pairs = form.words_of(counts)
            counts = form.counts_of(pairs)
        else:
            counts = np.concatenate(
                [
                    rng.integers(int(form.least), int(form.most), RANDOM, endpoint=True).astype(np.float64),
                    np.rint(self._near(code, form.least, form.most)),
                ]
            )
            pairs = form.words_of(counts)
        raw = (pairs[:, 0].astype(np.uint32) << np.uint32(16)) | pairs[:, 1]
        if code.raw_type == "DINT":
            return raw.view(np.int32), counts
        return (raw.view(np.float32) if code.raw_type == "REAL" else raw), counts

    def _span(self, code: PointCode) -> tuple[float, float]:
        mode = self._image.layout.mode_table
        at = int(self._image.mode[code.row])
        return float(mode.numbers["counts_low"][at]), float(mode.numbers["counts_high"][at])

    def _near(self, code: PointCode, least: float, most: float) -> Floats:
        low, high = self._span(code)
        shares = np.linspace(-0.2, 1.2, 2001)
        return np.clip(low + shares * (high - low), least, most)

    def _path(
        self, row: int, counts: Floats, last: float | None
    ) -> tuple[Floats, NDArray[np.uint8], NDArray[np.uint32]]:
        held = None if last is None else np.full(len(counts), last)
        paths = self._runs(row, len(counts)).evaluate(Station.COUNTS, counts, held)
        return paths.at(Station.VALUE), paths.quality, paths.reasons

    def _analog(self, code: PointCode, run: Run) -> dict[str, Any]:
        words, counts = self._words(code)
        real = self._of_value(code)
        after = int(self._image.conventions.namur.after_s * 1000.0) + 1000
        worst = {"units": 0.0, "counts": 0.0, "at_word": 0, "quality": 0, "differ": 0}
        pieces = [slice(begin, begin + PIECE) for begin in range(0, len(words), PIECE)]
        paths = [self._path(code.row, counts[part], None) for part in pieces]
        span = _span_of(np.concatenate([value[quality == Quality.GOOD] for value, quality, _ in paths]))
        beyond = 0
        for part, (value, quality, reasons) in zip(pieces, paths, strict=True):
            run.fresh()
            # A level that fails does so once it has lasted; whatever else is told is told at once.
            for _ in range(2 if (reasons & _FAILING).any() else 1):
                run.scan(words[part], after)
            got = run.value(code.name, len(value))
            bad, doubt = run.state(f"{code.name}_Bad", len(got)), run.state(f"{code.name}_Doubt", len(got))
            held = (reasons & np.uint32(Reason.HELD)) != 0
            known = np.isfinite(value) & ~held & (~bad | (quality == Quality.BAD))
            beyond += self._compare(worst, got, value, counts[part], known, span, real, part.start, self._times(code))
            wrong = (bad != (quality == Quality.BAD)) | (doubt != (quality == Quality.DOUBTFUL))
            # Where the path has no value, the code must not call its own good.
            wrong = np.where(np.isfinite(value) | (quality == Quality.BAD), wrong, ~(bad | doubt))
            wrong &= ~(held & ~np.isfinite(value))
            worst["quality"] += int(wrong.sum())
            if held.any() and (good := self._good(code, words, counts)) is not None:
                beyond += self._held(code, run, words[part], counts[part], good, after, worst, span, real, part.start)
        if code.fault:
            worst["quality"] += self._reported(code, run, words[:: max(1, len(words) // 512)])
        timing = self._in_time(code, run, words, counts)
        wrong_codes = [
            c for c, hit in (("value", beyond), ("quality", worst["quality"]), ("timing", timing["differ"])) if hit
        ]
        return {
            **worst,
            **timing,
            "words": len(words),
            "unit": self._image.text("value_unit", code.row),
            "wrong": tuple(wrong_codes),
            "says": self._sentence(beyond, worst, timing),
        }

    @staticmethod
    def _sentence(beyond: int, worst: dict[str, Any], timing: dict[str, Any]) -> str:
        parts = []
        if beyond:
            parts.append(f"{beyond} words give another value")
        if worst["quality"]:
            parts.append(f"{worst['quality']} words have another quality")
        if timing["differ"]:
            parts.append(f"{timing['differ']} sequences of scans go another way")
        return "; ".join(parts)

    def _held(
        self, code: PointCode, run: Run, words: NDArray[Any], counts: Floats, good: tuple[Any, float], after: int,
        worst: dict[str, Any], span: float, real: str, begin: int,
    ) -> int:  # fmt: skip
        """What is held, after a good word."""
        word, count = good
        last = float(self._path(code.row, np.array([count]), None)[0][0])
        value, quality, reasons = self._path(code.row, counts, last)
        run.fresh()
        run.scan(np.array([word], dtype=words.dtype)[0], 0)
        run.scan(words, 0)
        run.scan(words, after)
        held = (reasons & np.uint32(Reason.HELD)) != 0
        got = run.value(code.name, len(counts))
        bad = run.state(f"{code.name}_Bad", len(got))
        worst["quality"] += int((held & (bad != (quality == Quality.BAD))).sum())
        return self._compare(
            worst, got, value, counts, held & np.isfinite(value), span, real, begin, self._times(code)
        )

    @staticmethod
    def _reported(code: PointCode, run: Run, words: NDArray[Any]) -> int:
        """Words that are not bad although the module reports a fault: it counts whatever it counts, at once."""
        run.fresh()
        run.given(code.fault, np.ones(len(words), dtype=bool))
        run.scan(words, 0)
        return int((~run.state(f"{code.name}_Bad", len(words))).sum())

    def _good(self, code: PointCode, words: NDArray[Any], counts: Floats) -> tuple[Any, float] | None:
        some = np.unique(np.linspace(0, len(words) - 1, 2000).astype(np.int64))
        value, quality, _ = self._path(code.row, counts[some], 0.0)
        found = some[(quality == Quality.GOOD) & np.isfinite(value)]
        return None if not len(found) else (words[found[len(found) // 2]], float(counts[found[len(found) // 2]]))

    def _of_value(self, code: PointCode) -> str:
        return next(of for name, of, _ in code.network.variables if name == code.name)

    def _times(self, code: PointCode) -> float:
        return float(whole_factor(self._image, np.array([code.row]))[0])

    def _value_span(self, code: PointCode) -> float:
        low, high = self._span(code)
        return _span_of(self._path(code.row, np.linspace(low, high, 65), 0.0)[0])

    def _compare(
        self,
        worst: dict[str, Any],
        got: Floats,
        value: Floats,
        counts: Floats,
        known: Bools,
        span: float,
        of: str,
        begin: int,
        times: float,
    ) -> int:
        """How many words are off by more than arithmetic; the worst is kept. times: how many whole numbers one unit is."""
        wanted = value = value * times
        span = span * times
        if of in RANGES:
            wanted = np.clip(value, *RANGES[of])
        away = np.where(known, np.abs(got - wanted), 0.0)
        slope = _slopes(value, counts)
        allowed = WITHIN_SPAN * span + WITHIN_COUNTS * slope + (0.5 + WITHIN_SPAN if of in RANGES else 0.0)
        if of == "REAL":
            # What 24 bits cannot hold is no fault of the code: the type of the value was chosen.
            allowed = allowed + np.abs(wanted) * 2.0**-23
        if not len(away):
            return 0
        at = int(np.argmax(away))
        if away[at] > worst["units"]:
            usual = span / max(abs(float(counts[-1] - counts[0])), 1.0)
            worst["units"], worst["at_word"] = float(away[at]), begin + at
            worst["counts"] = float(away[at] / (slope[at] or usual))
        return int((away > allowed).sum())

    def _discrete(self, code: PointCode, run: Run) -> dict[str, Any]:
        run.fresh()
        timing = self._in_time(code, run, np.array([False, True]), np.array([0.0, 1.0]))
        return {
            **timing,
            "words": 2,
            "wrong": ("timing",) if timing["differ"] else (),
            "says": self._sentence(0, {"quality": 0}, timing),
        }

    # Time.

    def _in_time(self, code: PointCode, run: Run, words: NDArray[Any], counts: Floats) -> dict[str, Any]:
        """Random sequences of scans, by the code and by the conditioning: at the task's period, and where a delay is long, once more
        at so much longer ones that it is gone through."""
        if not self._timing:
            return {"sequences": 0, "scans": 0, "differ": 0, "aside": 0}
        rows = np.full(LANES, code.row, dtype=np.int64)
        settings, table = Settings.of(self._image, rows), AlarmTable.of(self._image, rows)
        longest = max(
            float(np.max(column, initial=0.0))
            for column in (
                settings.debounce_s,
                settings.on_delay_s,
                settings.off_delay_s,
                settings.stretch_s,
                table.on_s,
                table.off_s,
            )
        )
        period = self._target.period_ms
        out = self._sequences(code, run, words, counts, settings, table, 1)
        # A filter and a rate are worked out for the task's own period.
        own_period = (
            settings.smoothing_s.any() or settings.cumulative.any() or (table.kind == KINDS.index("rate")).any()
        )
        if longest * 1000.0 * 6 > SCANS * period and not own_period:
            slower = int(np.ceil(longest * 1000.0 * 12 / (SCANS * period)))
            more = self._sequences(code, run, words, counts, settings, table, slower)
            out = {name: out[name] if name == "scans" else out[name] + more[name] for name in out}
        return out

    def _sequences(
        self, code: PointCode, run: Run, words: NDArray[Any], counts: Floats, settings: Settings, table: AlarmTable, slower: int
    ) -> dict[str, Any]:  # fmt: skip
        rng = np.random.default_rng((code.point, slower))
        limits = _limits(settings, table)
        span = self._value_span(code) if code.kind == "AI" else 1.0
        given = _trains(rng, words, counts, self._good(code, words, counts) if code.kind == "AI" else None)
        if code.kind == "AI" and len(limits):
            self._around(code, rng, given, counts, limits, span)
        condition, alarm = conditioning.begin(LANES), alarms.begin(len(table))
        last, since = np.full(LANES, np.nan), np.full(LANES, np.nan)
        apart, near = np.zeros(LANES, dtype=bool), np.zeros(LANES, dtype=bool)
        # Of other lengths, so that a delay does not always end with a scan.
        steps = rng.integers(1, 2 * slower, SCANS) if slower > 1 else np.ones(SCANS, dtype=np.int64)
        run.fresh()
        now = 0
        for k in range(SCANS):
            now += int(steps[k] * self._target.period_ms)
            word, count = words[given[k]], counts[given[k]]
            reading, since = self._reading(code, count, last, since, now / 1000.0)
            good = reading.quality == Quality.GOOD
            last = np.where(good & np.isfinite(reading.value), reading.value, last)
            condition, seen = conditioning.step(settings, condition, now / 1000.0, reading)
            alarm, _ = alarms.step(table, alarm, now / 1000.0, seen.value, reading.quality, seen.state)
            run.at(word, now)
            if code.kind == "AI" and len(limits):
                near |= (np.abs(seen.value[:, None] - limits[None, :]) <= WITHIN_SPAN * span).any(axis=1)
            apart |= self._apart(code, run, reading, seen, condition, table, alarm, span)
        return {"sequences": LANES, "scans": SCANS, "differ": int((apart & ~near).sum()), "aside": int(near.sum())}

    def _around(
        self,
        code: PointCode,
        rng: np.random.Generator,
        given: NDArray[np.int64],
        counts: Floats,
        limits: Floats,
        span: float,
    ) -> None:
        """Half of the sequences stay for a while just before or just behind a limit: there a wrong one shows."""
        order = np.argsort(counts, kind="stable")
        sides = np.concatenate([limits - 0.004 * span, limits + 0.004 * span])
        wanted = evaluate(self._image, Station.VALUE, sides, np.full(len(sides), code.row)).at(Station.COUNTS)
        wanted = wanted[np.isfinite(wanted)]
        if not len(wanted):
            return
        places = order[np.clip(np.searchsorted(counts[order], wanted), 0, len(order) - 1)]
        for lane in range(0, LANES, 2):
            k = 0
            while k < SCANS:
                lasts = int(rng.integers(2, 40))
                given[k : k + lasts, lane] = rng.choice(places)
                k += lasts

    def _reading(
        self, code: PointCode, count: Floats, last: Floats, since: Floats, now: float
    ) -> tuple[Reading, Floats]:
        after_s = self._image.conventions.namur.after_s
        found = since.copy()

        def ripen(places: NDArray[np.int64], reasons: NDArray[np.uint32]) -> NDArray[np.uint32]:
            failing = (reasons & _FAILING) != 0
            found[places] = np.where(failing, np.where(np.isnan(since[places]), now, since[places]), np.nan)
            return ripened(reasons, np.nan_to_num(now - found[places]), after_s)

        paths = self._runs(code.row, LANES).evaluate(Station.COUNTS, count, last, ripen=ripen)
        value = paths.at(Station.VALUE)
        return Reading(value, count, paths.reasons, paths.quality), found

    def _apart(
        self,
        code: PointCode,
        run: Run,
        reading: Reading,
        seen: Any,
        condition: Any,
        table: AlarmTable,
        alarm: Any,
        span: float,
    ) -> Bools:
        """In which lanes the code says something else."""
        name, n = code.name, LANES
        have = {v.lower() for v, _, _ in code.network.variables}
        out = np.zeros(n, dtype=bool)
        if code.kind == "DI":
            out |= run.state(name, n) != (seen.state == 1)
        else:
            good = (reading.quality != Quality.BAD) & np.isfinite(seen.value)
            of = self._of_value(code)
            times = self._times(code)
            wanted = np.clip(seen.value * times, *RANGES[of]) if of in RANGES else seen.value
            slack = 20 * WITHIN_SPAN * span * times + (0.5 + WITHIN_SPAN if of in RANGES else 0.0)
            slack = slack + (np.abs(wanted) * 2.0**-23 if of == "REAL" else 0.0)
            held = (reading.reasons & np.uint32(Reason.HELD)) != 0
            with np.errstate(invalid="ignore"):
                out |= good & ~held & (np.abs(run.value(name, n) - wanted) > slack)
            out |= run.state(f"{name}_Bad", n) != (reading.quality == Quality.BAD)
            if f"{name}_on".lower() in have:
                out |= run.state(f"{name}_On", n) != (seen.state == 1)
            for k in range(64):
                if f"{name}_b{k}".lower() not in have:
                    break
                out |= run.state(f"{name}_B{k}", n) != (seen.band == k)
        if f"{name}_num".lower() in have:
            out |= run.value(f"{name}_Num", n) != condition.counted
            if f"{name}_done".lower() in have:
                out |= run.state(f"{name}_Done", n) != seen.done
        for kind, stem in (
            ("ll", "LL"),
            ("l", "L"),
            ("h", "H"),
            ("hh", "HH"),
            ("dev", "DEV"),
            ("state", "ST"),
            ("fault", "FLT"),
            ("rate", "RATE"),
        ):
            if f"{name}_is{stem}".lower() in have:
                mine = np.flatnonzero(table.kind == KINDS.index(kind))
                wanted_state = np.zeros(n, dtype=bool)
                wanted_state[table.at[mine]] = alarm.active[mine]
                out |= run.state(f"{name}_Is{stem}", n) != wanted_state
        return out

    # Outputs.

    def _given_state(self, code: PointCode, run: Run) -> dict[str, Any]:
        run.fresh()
        rows = np.full(2, code.row, dtype=np.int64)
        states = np.array([False, True])
        wanted = evaluate(self._image, Station.VALUE, states.astype(np.float64), rows).at(Station.COUNTS)
        run.given(code.name, states)
        run.at(None, 0)
        differ = int((run.value(code.raw, 2) != wanted).sum())
        return {
            "words": 2,
            "differ": differ,
            "wrong": ("count",) if differ else (),
            "says": f"{differ} states give another bit" if differ else "",
        }

    def _given(self, code: PointCode, run: Run) -> dict[str, Any]:
        table, at = self._image.layout.mode_table, int(self._image.mode[code.row])
        least, most = (float(table.numbers[name][at]) for name in ("least", "most"))
        whole = (
            np.arange(np.ceil(least), np.floor(most) + 1)
            if most - least < 200_000
            else np.linspace(least, most, RANDOM).round()
        )
        # A quarter beside each count is far from where it rounds.
        counts = np.concatenate([whole, whole[:-1] + 0.25, [least - 5.25, most + 5.25]])
        rows = np.full(len(counts), code.row, dtype=np.int64)
        values = evaluate(self._image, Station.COUNTS, counts, rows, last=np.zeros(len(counts))).at(Station.VALUE)
        known = np.isfinite(values)
        # The controller has the value in its own type: what is wanted is what the path makes of that.
        values = values.astype(np.float32).astype(np.float64) if self._target.real == "REAL" else values
        wanted = evaluate(self._image, Station.VALUE, values, rows).at(Station.COUNTS)
        run.fresh()
        run.given(code.name, values)
        run.at(None, 0)
        away = np.where(known, np.abs(run.value(code.raw, len(counts)) - wanted), 0.0)
        span = self._value_span(code)
        differ, worst = int((away > 0).sum()), int(np.argmax(away))
        slope = span / max(abs(float(whole[-1] - whole[0])), 1.0)
        return {
            "words": len(counts), "differ": differ, "counts": float(away[worst]), "units": float(away[worst] * slope), "at_word": worst,
            "unit": self._image.text("value_unit", code.row), "wrong": ("count",) if differ else (),
            "says": f"{differ} values give another count" if differ else "",
        }  # fmt: skip


def _limits(settings: Settings, table: AlarmTable) -> Floats:
    """Every value at which a switch, a band or an alarm goes over."""
    edges, dead = settings.edges[0], settings.band_deadband[0]
    around = table.set_point[table.kind == KINDS.index("dev")], table.limit[table.kind == KINDS.index("dev")]
    own = ~np.isin(table.kind, [KINDS.index(kind) for kind in ("state", "fault", "dev", "rate")])
    limit, back = table.limit[own], table.deadband[own]
    every = [
        limit,
        limit - back,
        limit + back,
        settings.on_at[:1],
        settings.off_at[:1],
        edges,
        edges - dead,
        edges + dead,
        around[0] - around[1],
        around[0] + around[1],
    ]
    found = np.unique(np.concatenate(every))
    kept: Floats = found[np.isfinite(found)]
    return kept


def _span_of(values: Floats) -> float:
    """From the least to the greatest of some values, 1 where there is none."""
    known = values[np.isfinite(values)]
    return float(known.max() - known.min()) or 1.0 if len(known) else 1.0


def _slopes(value: Floats, counts: Floats) -> Floats:
    """How steep the value is at each count, (n,); 0 where that cannot be said."""
    order = np.argsort(counts, kind="stable")
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        steps = np.abs(np.diff(value[order]) / np.diff(counts[order]))
    steps = np.where(np.isfinite(steps), steps, 0.0)
    out = np.zeros(len(counts))
    if len(steps):
        out[order] = np.maximum(np.append(steps, steps[-1]), np.insert(steps, 0, steps[0]))
    return out


def _trains(
    rng: np.random.Generator, words: NDArray[Any], counts: Floats, good: tuple[Any, float] | None
) -> NDArray[np.int64]:
    """(SCANS, LANES) places in `words`: states that last for a while; of a converter, values that wander through its span and now
    and then leave it."""
    out = np.empty((SCANS, LANES), dtype=np.int64)
    if good is None:
        state = rng.integers(0, 2, LANES)
        often = rng.uniform(0.02, 0.6, LANES)
        for k in range(SCANS):
            state = np.where(rng.uniform(size=LANES) < often, 1 - state, state)
            out[k] = state
        return out
    order = np.argsort(counts, kind="stable")
    ranked = counts[order]
    middle = int(np.searchsorted(ranked, good[1]))
    at = np.full(LANES, float(middle))
    reach = len(words) * 0.15
    for k in range(SCANS):
        far = rng.uniform(size=LANES)
        step = rng.normal(size=LANES) * reach * np.where(far < 0.1, 1.0, 0.05)
        at = np.clip(at + step, 0, len(words) - 1)
        at = np.where(far > 0.97, rng.integers(0, len(words), LANES), at)
        out[k] = order[at.astype(np.int64)]
    return out


class Run:
    """One point's statements, run again and again."""

    def __init__(self, back: ReadBack, target: Target, code: PointCode) -> None:
        names = {name.lower() for name, _, _ in code.network.variables} | {code.raw.lower()}
        names |= {code.fault.lower()} if code.fault else set()
        assert back.program is not None
        assert back.slices is not None
        self._machine = Machine(back.library, target, with_globals=False)
        raw = code.raw.lower()
        self._raw, self._code = raw, code
        # What comes from the module is given: its word, and whether it reports a fault.
        given = {raw, code.fault.lower()} if code.kind[1] == "I" else {code.name.lower()}
        wanted = names - (given if code.kind[1] == "I" else set())
        statements = back.slices.behind(wanted, given)
        if code.kind[1] == "O":
            # The line that maps to the channel is not run; what stands for the channel is looked at.
            statements = [s for s in statements if not (isinstance(s, Assign) and s.target.steps)]
        self._do = self._machine.prepared(statements, back.program.name)
        named = back.slices.names(statements) | names
        own = {v.name.lower(): v for v in back.program.variables if v.section != "VAR_EXTERNAL"}
        everybodys = back.library.variables
        self._variables = {n: v for n in sorted(named) if (v := own.get(n) or everybodys.get(n)) is not None}
        self.frame: dict[str, Any] = {}

    def fresh(self) -> None:
        """Everything as it begins."""
        machine = self._machine
        machine.now_ms = 0
        self.frame = {name: machine.begin(v.type, v.initial) for name, v in self._variables.items()}

    def scan(self, word: Any, later_ms: int) -> None:
        """One scan, so much later, with these words."""
        self.at(word, self._machine.now_ms + later_ms)

    def at(self, word: Any, now_ms: int) -> None:
        """One scan at a time."""
        self._machine.now_ms = now_ms
        if word is not None:
            self.frame[self._raw] = word
        self._do(self.frame)

    def given(self, name: str, values: NDArray[Any]) -> None:
        """What others write."""
        of = np.asarray(self.frame[name.lower()]).dtype
        self.frame[name.lower()] = values.astype(of)

    def value(self, name: str, lanes: int) -> Floats:
        """A variable as numbers, (lanes,)."""
        out: Floats = np.broadcast_to(np.asarray(self.frame[name.lower()], dtype=np.float64), (lanes,))
        return out

    def state(self, name: str, lanes: int) -> Bools:
        """A variable as states, (lanes,)."""
        out: Bools = np.broadcast_to(np.asarray(self.frame[name.lower()], dtype=bool), (lanes,))
        return out

    def faults(self) -> tuple[str, ...]:
        """What the controller would stumble over."""
        return tuple(
            f"{code} in {unit}, line {line}: {n} times"
            for (code, unit, line), n in sorted(self._machine.faults.items())
        )


def summary(proofs: Sequence[Proof]) -> dict[str, int]:
    """How many points, how many are proved, how many words and scans were tried."""
    every = [p for proof in proofs for p in proof.points]
    return {
        "points": len(every),
        "proved": sum(not p.wrong for p in every),
        "words": sum(p.words for p in every),
        "scans": sum(p.scans * p.sequences for p in every),
    }
