"""The networks of points: what the path and the conditioning make of a count, as blocks."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.live.alarms import KINDS, RATE_OVER_S, AlarmTable
from canaleta.core.live.conditioning import Settings
from canaleta.core.model.conventions import Programming
from canaleta.core.model.field_table import VALUE_TYPES
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Reason
from canaleta.core.model.whole_numbers import whole_factor
from canaleta.core.notation.arrays import Floats
from canaleta.core.path.evaluate import evaluate
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.scaling import beyond_the_line
from canaleta.core.program.blocks import WIDE
from canaleta.core.program.channels import Channel, channels_of
from canaleta.core.program.figures import CODES, Figures, analog_figures
from canaleta.core.program.names import Name, names_for
from canaleta.core.program.network import (
    Arg,
    Block,
    Bool,
    Call,
    Constants,
    Is,
    Network,
    Not,
    Or,
    Pin,
    Real,
    Set,
    Time,
    Var,
    Whole,
)
from canaleta.core.signals.bands import bands_of
from canaleta.core.signals.laws import LAW_NAMES, SENSOR_LAW, TABLE_LAWS, VALUE_LAW_NAMES
from canaleta.core.signals.plc_types import REAL_DIGITS
from canaleta.core.signals.signal_types import Family
from canaleta.core.signals.tables import MOST_POINTS, table_of
from canaleta.core.st.kinds import RANGES, Target

__all__ = ["PointCode", "Refusal", "codes_of", "target_of"]

_ROOT, _SENSOR = LAW_NAMES.index("square root"), VALUE_LAW_NAMES.index(SENSOR_LAW)
_FIRST_TABLE = VALUE_LAW_NAMES.index(TABLE_LAWS[0])
_MISFIT = int(Reason.NO_MODE | Reason.MODE_MISFIT)
CURVE_POINTS = (17, 33, 65, 129, 255)
"""Points that a sensor's curve is tried with, until it is as near as CURVE_WITHIN."""
CURVE_WITHIN = 2e-6
"""Of the curve's span."""


@dataclass(frozen=True)
class Refusal:
    """Why a point has no code. code: "no channel", "no mode", "misfit", "no value", "word form", "law", "table", "no name",
    "two become one", "too long", "switched off", "other number"."""

    point: int
    tag: str
    code: str
    says: str


@dataclass(frozen=True)
class PointCode:
    """A point and its code. kind: "AI", "DI", "AO" or "DO". raw: the variable that stands for its channel; value: that which
    others read, or write of an output; fault: the variable that is true while the module reports a fault, "" where it reports none. notes: what is worth knowing of it, as a name that
    is not the tag."""

    row: int
    point: int
    tag: str
    name: str
    kind: str
    channel: Channel
    raw: str
    raw_type: str
    fault: str
    network: Network
    notes: tuple[str, ...] = ()


def target_of(image: PlantImage) -> Target:
    """What the plant says of its controllers."""
    p = image.conventions.program
    return Target(p.real, p.rounding, p.longest_name, p.time_bits, p.scan_ms)


def codes_of(image: PlantImage, rows: NDArray[np.int64] | None = None) -> tuple[list[PointCode], list[Refusal]]:
    """The code of some points of a plant, all if None, and why others have none."""
    chosen = np.arange(len(image)) if rows is None else np.asarray(rows, dtype=np.int64)
    named = _names_of(image)
    channels = channels_of(image, chosen)
    refused: list[Refusal] = []
    here: list[int] = []
    for row in chosen.tolist():
        why = _why_not(image, row, named[row], channels.get(row))
        if why:
            refused.append(Refusal(int(image.ids[row]), image.text("tag", row), *why))
        else:
            here.append(row)
    good = np.array(here, dtype=np.int64)
    maker = _Maker(image, good, [channels[row] for row in here], [named[row] for row in here])
    out: list[PointCode] = []
    for k, row in enumerate(here):
        made = maker.code(k)
        if isinstance(made, tuple):
            refused.append(Refusal(int(image.ids[row]), image.text("tag", row), *made))
        else:
            out.append(made)
    return out, refused


_names: dict[tuple[int, Programming], tuple[NDArray[np.object_], list[Name]]] = {}
MOST_NAMED = 4


def _names_of(image: PlantImage) -> list[Name]:
    """The names of all points: a name is one of all names of the plant, whatever part of it is generated. Kept for as long as nobody
    changes a tag, for part after part asks for them."""
    column, rule = image.cells["tag"], image.conventions.program
    kept = _names.get((id(column), rule))
    # The column is kept with its names, so that no other one can come to stand in its place in memory.
    if kept is not None and kept[0] is column:
        return kept[1]
    made = names_for(image.texts("tag"), rule)
    while len(_names) >= MOST_NAMED:
        _names.pop(next(iter(_names)), None)
    _names[id(column), rule] = (column, made)
    return made


def _why_not(image: PlantImage, row: int, name: Name, channel: Channel | None) -> tuple[str, str] | None:
    if name.code:
        return name.code, name.says
    if not image.landed[row] or channel is None:
        return "no channel", "it has no channel yet"
    if image.text("enabled", row) == "no":
        return "switched off", "its channel is switched off"
    if image.mode[row] < 0 or image.family[row] == Family.NONE:
        return "no mode", "its channel has no mode yet"
    return (channel.refused, channel.says) if channel.refused else None


class _Maker:
    """Networks of some points whose columns are at hand."""

    def __init__(
        self, image: PlantImage, rows: NDArray[np.int64], channels: Sequence[Channel], names: Sequence[Name]
    ) -> None:
        self._image, self._rows, self._channels, self._names = image, rows, channels, names
        self._target = target_of(image)
        least = np.array([c.least for c in channels], dtype=np.float64)
        most = np.array([c.most for c in channels], dtype=np.float64)
        analog = np.flatnonzero(image.family[rows] != Family.CONTACT)
        self._at = np.full(len(rows), -1, dtype=np.int64)
        self._at[analog] = np.arange(len(analog))
        self._figures: Figures = analog_figures(image, rows[analog], least[analog], most[analog])
        self._settings = Settings.of(image, rows)
        self._alarms = AlarmTable.of(image, rows)
        self._of_alarm: dict[int, list[int]] = {}
        for k, at in enumerate(self._alarms.at.tolist()):
            self._of_alarm.setdefault(at, []).append(k)
        self._laws = image.code("value_law")[rows]
        self._cubic = LAW_NAMES.index(TABLE_LAWS[1])
        self._reverse = image.code("acting")[rows] == 1
        self._contact = image.family[rows] == Family.CONTACT
        self._misfits = self._found_misfits(rows)
        self._curves: dict[tuple[object, ...], tuple[Floats, Floats, Floats, float, float] | None] = {}

    def _found_misfits(self, rows: NDArray[np.int64]) -> NDArray[np.bool_]:
        if not len(rows):
            return np.zeros(0, dtype=bool)
        reasons = evaluate(self._image, Station.COUNTS, 0.0, rows).reasons
        return np.asarray((reasons & np.uint32(_MISFIT)) != 0, dtype=bool)

    def code(self, k: int) -> PointCode | tuple[str, str]:
        """The code of the k-th point, or (code, sentence) why it has none."""
        row, channel, name = int(self._rows[k]), self._channels[k], self._names[k]
        if self._misfits[k]:
            return "misfit", "the channel's mode cannot take its signal"
        contact = bool(self._contact[k])
        if channel.direction == "in":
            made = self._discrete(k) if contact else self._analog(k, channel)
        else:
            made = self._given_state(k) if contact else self._given(k, channel)
        if not isinstance(made, Network):
            return made
        kind = ("D" if contact else "A") + ("I" if channel.direction == "in" else "O")
        notes = (f"named {name.name}: {name.renamed}",) if name.renamed else ()
        return PointCode(
            row,
            int(self._image.ids[row]),
            self._image.text("tag", row),
            name.name,
            kind,
            channel,
            f"{name.name}_Raw",
            channel.type,
            self._fault(k, channel),
            made,
            notes,
        )

    # Inputs.

    def _analog(self, k: int, channel: Channel) -> Network | tuple[str, str]:
        f, at, name = self._figures, int(self._at[k]), self._names[k].name
        if not f.usable[at]:
            return "no value", "no count of its converter makes a good value: is its scaling complete?"
        real = self._real(at, channel)
        net = _Growing(name, WIDE if real != self._target.real else "")
        x = self._count(net, channel, real)
        fault = self._fault(k, channel)
        told = (("Fault", Var(fault)),) if fault else ()
        net.call("Check", "CT_Check", (*self._check_pins(at, x), *told))
        bad, doubt = net.pin("Check", "Bad"), net.pin("Check", "Doubt")
        value = self._scaled(net, k, at, x)
        if not isinstance(value, Pin):
            return value
        policy = self._policy_pins(at)
        if policy:
            net.call("Policy", "CT_Policy", (("X", x), ("V", value), ("Bad", bad), ("Doubt", doubt), *policy))
            value = net.pin("Policy", "Q")
        tau = float(self._settings.smoothing_s[k])
        if tau > 0:
            share = 1.0 - float(np.exp(-self._target.period_ms / 1000.0 / tau))
            net.call("Filter", "CT_Filter", (("V", value), ("Bad", bad), ("Share", Real(share))))
            value = net.pin("Filter", "Q")
        self._shown(net, k, value, real)
        net.set("Bad", "BOOL", bad, "the signal has failed")
        net.set("Doubt", "BOOL", doubt, "the signal is in doubt")
        on_at = float(self._settings.on_at[k])
        state: Pin | None = None
        if not np.isnan(on_at):
            net.call(
                "Switch",
                "CT_Switch",
                (("V", value), ("Bad", bad), ("OnAt", Real(on_at)), ("OffAt", Real(float(self._settings.off_at[k])))),
            )
            state = self._timed(net, k, net.pin("Switch", "Q"), bad)
            net.set("On", "BOOL", state, "as a switch")
        self._counter(net, k)
        self._pulses(net, k, x, bad, real)
        self._banded(net, k, value, bad)
        self._alarmed(net, k, value, state, bad)
        return net.done()

    def _fault(self, k: int, channel: Channel) -> str:
        """The variable that says that the module reports a fault of an analog input."""
        told = channel.tells_faults and channel.direction == "in" and not self._contact[k]
        return f"{self._names[k].name}_Fault" if told else ""

    def _real(self, at: int, channel: Channel) -> str:
        """The type that a point is worked out in: LREAL where REAL could not tell its counts apart."""
        f = self._figures
        reach = max(
            abs(x) for x in (float(f.least[at]), float(f.most[at]), channel.least, channel.most) if np.isfinite(x)
        )
        return "LREAL" if channel.form.kind != "float" and reach > 1 << REAL_DIGITS else self._target.real

    def _count(self, net: _Growing, channel: Channel, real: str) -> Arg:
        """The channel's count as a real: through CT_Word where it does not fill its word."""
        raw = Var(f"{net.name}_Raw")
        if channel.decode is None:
            return Var(raw.name, "" if channel.type == real else f"{channel.type}_TO_{real}")
        d = channel.decode
        if d.bits == 16:
            pins: tuple[tuple[str, Arg], ...] = (
                ("W", raw),
                ("Shift", Whole(d.shift)),
                ("Mask", Whole(d.mask)),
                ("Half", Whole(d.half)),
            )
            net.call("Word", "CT_Word", (*pins, ("Signed", Bool(d.signed)), ("Offset", Bool(d.offset))))
            return Pin(net.instance("Word"), "C", f"DINT_TO_{real}")
        net.call("Word", "CT_Order", (("D", raw), ("Words", Bool(d.words_swapped)), ("Bytes", Bool(d.bytes_swapped))))
        if d.into == "REAL":
            net.call("Float", "CT_Float", (("D", net.pin("Word", "Q")),))
            return net.pin("Float", "V")
        if d.into == "UDINT":
            return Pin(net.instance("Word"), "U", f"UDINT_TO_{real}")
        return Pin(net.instance("Word"), "C", f"DINT_TO_{real}")

    def _check_pins(self, at: int, x: Arg) -> tuple[tuple[str, Arg], ...]:
        f = self._figures
        pins: list[tuple[str, Arg]] = [("X", x)]
        for pin, column in (
            ("BadTo", f.bad_to),
            ("DoubtTo", f.doubt_to),
            ("DoubtFrom", f.doubt_from),
            ("BadFrom", f.bad_from),
        ):
            if not np.isnan(column[at]):
                pins.append((pin, Real(float(column[at]))))
        if f.after_ms[at] > 0:
            pins.append(("After", Time(float(f.after_ms[at]))))
        told = {
            float(f.codes[c, at]): bool(f.code_bad[c, at]) for c in range(len(CODES)) if not np.isnan(f.codes[c, at])
        }
        for stem, wanted in (("BadAt", True), ("DoubtAt", False)):
            some = [count for count, bad in told.items() if bad == wanted]
            pins += [(f"{stem}{n}", Real(count)) for n, count in enumerate(some[:2], start=1)]
        return tuple(pins)

    def _scaled(self, net: _Growing, k: int, at: int, x: Arg) -> Pin | tuple[str, str]:
        f, row, law = self._figures, int(self._rows[k]), int(self._laws[k])
        ends = [float(column[at]) for column in (f.c0, f.c1, f.v0, f.v1)]
        if not np.isfinite(ends).all():
            return "no value", "its scaling has no two ends"
        line = tuple((pin, Real(figure)) for pin, figure in zip(("C0", "C1", "V0", "V1"), ends, strict=True))
        if law == _ROOT:
            cut = float(f.cut[at])
            more = (("Cut", Real(cut)),) if cut > 0 else ()
            net.call("Root", "CT_Root", (("X", x), *line, *more))
            return net.pin("Root", "V")
        net.call("Line", "CT_Line", (("X", x), *line))
        if law < _FIRST_TABLE:
            return net.pin("Line", "V")
        if law == _SENSOR:
            return self._through_curve(net, k, at)
        text = self._image.text("value_table", row)
        if not text:
            return "table", "its scaling takes a table, and there is none"
        table = table_of(text, law == self._cubic)
        x_of, y_of = tuple(table.x.tolist()), tuple(table.y.tolist())
        n = len(x_of)
        if len(set(np.array(x_of, dtype=np.float32 if self._target.real == "REAL" else np.float64).tolist())) < n:
            return "table", f"two points of its table are one as {self._target.real}"
        if not table.cubic or n == 2:
            net.call("Table", f"CT_Table{n}", (("F", net.pin("Line", "V")), *net.arrays((("X", x_of), ("Y", y_of)))))
            return net.pin("Table", "V")
        slopes = table.slope(table.x)
        first, last = (y_of[1] - y_of[0]) / (x_of[1] - x_of[0]), (y_of[-1] - y_of[-2]) / (x_of[-1] - x_of[-2])
        self._curve(net, n, (table.x, table.y, slopes, first, last))
        return net.pin("Table", "V")

    def _curve(self, net: _Growing, n: int, curve: tuple[Floats, Floats, Floats, float, float]) -> None:
        x, y, m, before, behind = curve
        arrays = net.arrays(tuple((pin, tuple(column.tolist())) for pin, column in (("X", x), ("Y", y), ("M", m))))
        net.call(
            "Table",
            f"CT_Curve{n}",
            (("F", net.pin("Line", "V")), *arrays, ("Before", Real(before)), ("Behind", Real(behind))),
        )

    def _through_curve(self, net: _Growing, k: int, at: int) -> Pin | tuple[str, str]:
        """The sensor's own curve, as a cubic through so many of its points as it needs."""
        image, row = self._image, int(self._rows[k])
        f = self._figures
        slope = (f.v1[at] - f.v0[at]) / (f.c1[at] - f.c0[at])
        reach = sorted(float(f.v0[at] + (c - f.c0[at]) * slope) for c in (f.least[at], f.most[at]))
        key = (
            image.text("signal", row),
            image.text("value_unit", row),
            image.text("curve_table", row),
            image.text("junction", row),
            image.text("junction_degc", row),
            *reach,
        )
        if key not in self._curves:
            self._curves[key] = _sampled(image, row, reach[0], reach[1])
        curve = self._curves[key]
        if curve is None:
            return "law", "its sensor's curve has no values where its converter counts"
        self._curve(net, len(curve[0]), curve)
        return net.pin("Table", "V")

    def _policy_pins(self, at: int) -> tuple[tuple[str, Arg], ...]:
        f = self._figures
        pins: list[tuple[str, Arg]] = []
        for edge, column, do, of, value, values in (
            ("LowAt", f.below, "LowDo", f.low_do, "LowValue", f.low_value), ("HighAt", f.above, "HighDo", f.high_do, "HighValue", f.high_value),
        ):  # fmt: skip
            if of[at] and not np.isnan(column[at]):
                pins += [(edge, Real(float(column[at]))), (do, Whole(int(of[at])))]
                if of[at] == 2 and not np.isnan(values[at]):
                    pins.append((value, Real(float(values[at]))))
        if f.fail_do[at]:
            pins.append(("FailDo", Whole(int(f.fail_do[at]))))
            if f.fail_do[at] == 2 and not np.isnan(f.fail_value[at]):
                pins.append(("FailValue", Real(float(f.fail_value[at]))))
        return tuple(pins)

    def _shown(self, net: _Growing, k: int, value: Pin, real: str) -> None:
        """The value in the type that the point has in the controller."""
        row = int(self._rows[k])
        wanted = self._image.code("value_type")[row]
        of = VALUE_TYPES[int(wanted)] if wanted >= 0 else self._target.real
        unit = self._image.text("value_unit", row)
        if of in RANGES:
            least, most = RANGES[of]
            times = float(whole_factor(self._image, np.array([row]))[0])
            if times != 1.0:
                net.call("Times", "CT_Line", (("X", value), ("V1", Real(times))))
                value = net.pin("Times", "V")
            net.call(
                "Whole",
                "CT_Limit",
                (
                    ("V", value),
                    ("Least", Real(float(least))),
                    ("Most", Real(float(np.nextafter(np.float32(most), 0)) if real == "REAL" else float(most))),
                ),
            )
            value = Pin(net.instance("Whole"), "Q", f"{real}_TO_{of}")
        elif of != real:
            value = Pin(value.instance, value.pin, f"{real}_TO_{of}")
        net.set("", of, value, unit)

    def _discrete(self, k: int) -> Network:
        net = _Growing(self._names[k].name)
        raw = Var(f"{net.name}_Raw")
        told: Arg = Not(raw) if self._reverse[k] else raw
        s = self._settings
        timed = (
            any(float(column[k]) > 0 for column in (s.debounce_s, s.on_delay_s, s.off_delay_s, s.stretch_s))
            or s.edge[k] >= 0
        )
        row = int(self._rows[k])
        words = " · ".join(f"{n} {w}" for n in (0, 1) if (w := self._image.text(f"text_{n}", row)))
        if timed:
            state = self._timed(net, k, told, None)
            net.set("", "BOOL", state, words)
            self._counter(net, k)
        else:
            net.set("", "BOOL", told, words)
        self._alarmed(net, k, None, Var(net.name), None)
        return net.done()

    def _timed(self, net: _Growing, k: int, told: Arg, bad: Pin | None) -> Pin:
        s = self._settings
        pins: list[tuple[str, Arg]] = [("In", told)]
        if bad is not None:
            pins.append(("Bad", bad))
        for pin, column in (
            ("Debounce", s.debounce_s),
            ("OnDelay", s.on_delay_s),
            ("OffDelay", s.off_delay_s),
            ("Stretch", s.stretch_s),
        ):
            if column[k] > 0:
                pins.append((pin, Time(float(column[k]) * 1000.0)))
        net.call("Time", "CT_Delays", tuple(pins))
        return net.pin("Time", "Q")

    def _counter(self, net: _Growing, k: int) -> None:
        s = self._settings
        if s.edge[k] < 0 or not net.has("Time"):
            return
        rise, fall = net.pin("Time", "Rise"), net.pin("Time", "Fall")
        edge: Arg = rise if s.edge[k] == 0 else fall if s.edge[k] == 1 else Or(rise, fall)
        pins: list[tuple[str, Arg]] = [("Edge", edge), ("Reset", Var(f"{net.name}_Reset"))]
        net.variable("Reset", "BOOL", "sets the counter back, written by others")
        if not np.isnan(s.preset[k]):
            pins.append(("Preset", Whole(int(np.ceil(s.preset[k])))))
        if s.pulse_value[k] != 1.0:
            pins.append(("Each", Real(float(s.pulse_value[k]))))
        net.call("Count", "CT_Count", tuple(pins))
        net.set("Num", "DINT", net.pin("Count", "Count"), "edges counted")
        net.set("Done", "BOOL", net.pin("Count", "Done"), "the preset is reached")
        if s.pulse_value[k] != 1.0:
            net.set(
                "Total",
                self._target.real,
                net.pin("Count", "Total"),
                self._image.text("pulse_unit", int(self._rows[k])),
            )

    def _pulses(self, net: _Growing, k: int, x: Arg, bad: Pin, real: str) -> None:
        """Pulses that the module counts by itself."""
        s = self._settings
        if not s.cumulative[k] or not np.isfinite(s.wrap[k]):
            return
        most = float(s.wrap[k]) / 2.0
        if np.isfinite(s.fastest[k]):
            most = min(most, 1.5 * float(s.fastest[k]) * self._target.period_ms / 1000.0 + 1.0)
        net.variable("Reset", "BOOL", "sets the count back, written by others")
        given = (("X", x), ("Bad", bad), ("Reset", Var(f"{net.name}_Reset")), ("Wrap", Real(float(s.wrap[k]))))
        each = (("Each", Real(float(s.pulse_value[k]))),) if s.pulse_value[k] != 1.0 else ()
        net.call("Pulses", "CT_Pulses", (*given, ("Most", Real(most)), *each))
        net.set("Num", real, net.pin("Pulses", "Count"), "pulses that came")
        unit = self._image.text("pulse_unit", int(self._rows[k]))
        net.set("Total", real, net.pin("Pulses", "Total"), unit or "what they stand for")

    def _banded(self, net: _Growing, k: int, value: Pin, bad: Pin) -> None:
        text = self._image.text("bands", int(self._rows[k]))
        bands = bands_of(text)
        if bands is None:
            return
        edges = tuple(float(edge) for edge in bands.edges)
        more = (
            (("Deadband", Real(float(self._settings.band_deadband[k]))),)
            if self._settings.band_deadband[k] > 0
            else ()
        )
        net.call(
            "Bands", f"CT_Bands{len(edges)}", (("V", value), ("Bad", bad), *net.arrays((("Edge", edges),)), *more)
        )
        for n, name in enumerate(bands.names):
            net.set(f"B{n}", "BOOL", Is(net.pin("Bands", "Band"), n), f"band {name}")

    def _alarmed(self, net: _Growing, k: int, value: Pin | None, state: Var | Pin | None, bad: Pin | None) -> None:
        t = self._alarms
        for a in self._of_alarm.get(k, ()):
            kind = KINDS[int(t.kind[a])]
            delays = tuple(
                (pin, Time(float(s) * 1000.0))
                for pin, s in (("OnDelay", t.on_s[a]), ("OffDelay", t.off_s[a]))
                if s > 0
            )
            if kind in ("ll", "l", "h", "hh") and value is not None and bad is not None:
                low = (("Low", Bool(True)),) if kind in ("ll", "l") else ()
                dead = (("Deadband", Real(float(t.deadband[a]))),) if t.deadband[a] > 0 else ()
                net.call(
                    kind.upper(),
                    "CT_Alarm",
                    (("V", value), ("Bad", bad), *low, ("Limit", Real(float(t.limit[a]))), *dead, *delays),
                )
                net.set(f"Is{kind.upper()}", "BOOL", net.pin(kind.upper(), "Q"), f"alarm {kind.upper()}")
            elif kind == "dev" and value is not None and bad is not None:
                net.call("Off", "CT_Off", (("V", value), ("From", Real(float(t.set_point[a])))))
                dead = (("Deadband", Real(float(t.deadband[a]))),) if t.deadband[a] > 0 else ()
                net.call(
                    "DEV",
                    "CT_Alarm",
                    (("V", net.pin("Off", "Q")), ("Bad", bad), ("Limit", Real(float(t.limit[a]))), *dead, *delays),
                )
                net.set("IsDEV", "BOOL", net.pin("DEV", "Q"), "deviation alarm")
            elif kind == "rate" and value is not None and bad is not None:
                scan_s = self._target.period_ms / 1000.0
                share = min(1.0 - float(np.exp(-scan_s / RATE_OVER_S)), 1.0 - 1e-9)
                gain = share / ((1.0 - share) * scan_s) * 60.0
                net.call(
                    "Fast", "CT_Rate", (("V", value), ("Bad", bad), ("Share", Real(share)), ("Gain", Real(gain)))
                )
                limit = ("Limit", Real(float(t.limit[a])))
                net.call("RATE", "CT_Alarm", (("V", net.pin("Fast", "Q")), ("Bad", bad), limit, *delays))
                net.set("IsRATE", "BOOL", net.pin("RATE", "Q"), "alarm of how fast it changes")
            elif kind == "state" and state is not None:
                told: Arg = state if t.limit[a] == 1 else Not(state)
                also: tuple[tuple[str, Arg], ...] = (("Bad", bad),) if bad is not None else ()
                net.call("ST", "CT_StateAlarm", (("In", told), *also, *delays[:1]))
                net.set("IsST", "BOOL", net.pin("ST", "Q"), "alarm at this state")
            elif kind == "fault" and bad is not None:
                net.call("FLT", "CT_StateAlarm", (("In", bad), *delays[:1]))
                net.set("IsFLT", "BOOL", net.pin("FLT", "Q"), "alarm of a failed signal")

    # Outputs.

    def _given_state(self, k: int) -> Network:
        net = _Growing(self._names[k].name)
        row = int(self._rows[k])
        words = " · ".join(f"{n} {w}" for n in (0, 1) if (w := self._image.text(f"text_{n}", row)))
        net.variable("", "BOOL", words)
        told = Var(net.name)
        net.steps.append(Set(f"{net.name}_Raw", Not(told) if self._reverse[k] else told))
        return net.done()

    def _given(self, k: int, channel: Channel) -> Network | tuple[str, str]:
        f, at = self._figures, int(self._at[k])
        net = _Growing(self._names[k].name)
        law, real = int(self._laws[k]), self._target.real
        ends = [float(column[at]) for column in (f.c0, f.c1, f.v0, f.v1)]
        if not np.isfinite(ends).all():
            return "no value", "its scaling has no two ends"
        if law >= _FIRST_TABLE:
            return "law", f"an output's “{VALUE_LAW_NAMES[law]}” has no form here: give it a straight line or a root"
        if channel.decode is not None or channel.type not in ("INT", "UINT", "DINT"):
            return "word form", "an output whose word is no INT, UINT or DINT is not written"
        pins: list[tuple[str, Arg]] = [("V", Var(net.name))]
        pins += [(pin, Real(figure)) for pin, figure in zip(("C0", "C1", "V0", "V1"), ends, strict=True)]
        if law == _ROOT:
            pins.append(("Square", Bool(True)))
        for pin, column in (("Low", f.give_low), ("High", f.give_high)):
            if not np.isnan(column[at]):
                pins.append((pin, Real(float(column[at]))))
        least, most = RANGES[channel.type]
        for pin, count in (("Least", max(np.ceil(f.least[at]), least)), ("Most", min(np.floor(f.most[at]), most))):
            pins.append((pin, Whole(int(count))))
        net.variable("", real, self._image.text("value_unit", int(self._rows[k])))
        net.call("Give", "CT_Give", tuple(pins))
        net.set("Clamped", "BOOL", net.pin("Give", "Clamped"), "more is wanted than the channel gives")
        convert = "" if channel.type == "DINT" else f"DINT_TO_{channel.type}"
        net.steps.append(Set(f"{net.name}_Raw", Pin(net.instance("Give"), "C", convert)))
        return net.done()


class _Growing:
    """A network that is being made."""

    def __init__(self, name: str, wide: str = "") -> None:
        """wide: behind the names of blocks that work in another type than the target does."""
        self.name, self._wide = name, wide
        self.steps: list[Call | Set] = []
        self._variables: list[tuple[str, str, str]] = []
        self._blocks: dict[str, Block] = {}
        self._arrays: list[Constants] = []

    def instance(self, stem: str) -> str:
        return f"{self.name}_{stem}"

    def pin(self, stem: str, pin: str) -> Pin:
        return Pin(self.instance(stem), pin)

    def has(self, stem: str) -> bool:
        return self.instance(stem) in self._blocks

    def arrays(self, given: tuple[tuple[str, tuple[float, ...]], ...]) -> tuple[tuple[str, Arg], ...]:
        """Pins that take arrays of figures, each declared under the name of its pin."""
        for pin, values in given:
            self._arrays.append(Constants(self.instance(pin), values))
        return tuple((pin, Var(self.instance(pin))) for pin, _ in given)

    def call(self, stem: str, of: str, pins: tuple[tuple[str, Arg], ...]) -> None:
        name = self.instance(stem)
        of = of if of in ("CT_Order", "CT_Word", "CT_Delays", "CT_Count", "CT_StateAlarm") else f"{of}{self._wide}"
        self._blocks[name] = Block(name, of)
        self.steps.append(Call(name, of, pins))

    def variable(self, suffix: str, of: str, comment: str) -> str:
        name = f"{self.name}_{suffix}" if suffix else self.name
        self._variables.append((name, of, comment))
        return name

    def set(self, suffix: str, of: str, to: Arg, comment: str) -> None:
        self.steps.append(Set(self.variable(suffix, of, comment), to))

    def done(self) -> Network:
        return Network(tuple(self._variables), tuple(self._blocks.values()), tuple(self._arrays), tuple(self.steps))


def _sampled(
    image: PlantImage, row: int, low: float, high: float
) -> tuple[Floats, Floats, Floats, float, float] | None:
    """Points of a sensor's curve with slopes, between figures that its converter reaches and that the curve has."""

    def curve(x: Floats, forward: bool = True) -> Floats:
        p = PathRows(image, np.full(len(x), row))
        with np.errstate(all="ignore"):
            return beyond_the_line(p, x, forward=forward)

    tried = np.linspace(low, high, 2001)
    known = np.flatnonzero(np.isfinite(curve(tried)))
    if len(known) < 2:
        return None
    low, high = _end_of(curve, tried, int(known[0]), -1), _end_of(curve, tried, int(known[-1]), 1)
    first, last = float(curve(np.array([low]))[0]), float(curve(np.array([high]))[0])
    between = np.linspace(low, high, 1999)[1:-1]
    wanted, best, least = curve(between), None, np.inf
    for n in CURVE_POINTS:
        # Even steps of temperature: where the sensor says little, figures lie close together.
        y = np.linspace(first, last, n)
        x = curve(y, forward=False)
        x[0], x[-1] = low, high
        h = np.minimum(np.diff(x, prepend=x[0] - (x[1] - x[0])), np.diff(x, append=x[-1] + (x[-1] - x[-2]))) * 1e-3
        left, right = np.maximum(x - h, low), np.minimum(x + h, high)
        m = (curve(right) - curve(left)) / (right - left)
        if not (np.isfinite(x).all() and np.isfinite(m).all() and (np.diff(x) > 0).all()):
            continue
        off = float(np.max(np.abs(_hermite(x, y, m, between) - wanted)))
        if off < least:
            best, least = (x, y, m, float(m[0]), float(m[-1])), off
        if off <= CURVE_WITHIN * abs(last - first):
            break
    assert n <= MOST_POINTS
    return best


def _end_of(curve: Callable[[Floats], Floats], tried: Floats, at: int, away: int) -> float:
    """The outermost figure that a curve has, beyond one that it has and before one that it has not."""
    inside = float(tried[at])
    if not 0 <= at + away < len(tried):
        return inside
    outside = float(tried[at + away])
    for _ in range(50):
        middle = (inside + outside) / 2.0
        if np.isfinite(curve(np.array([middle]))[0]):
            inside = middle
        else:
            outside = middle
    return inside


def _hermite(x: Floats, y: Floats, m: Floats, at: Floats) -> Floats:
    k = np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(x) - 2)
    w = x[k + 1] - x[k]
    t = (at - x[k]) / w
    rise = y[k + 1] - y[k]
    out: Floats = y[k] + t * (
        w * m[k] + t * (3.0 * rise - w * (2.0 * m[k] + m[k + 1]) + t * (w * (m[k] + m[k + 1]) - 2.0 * rise))
    )
    return out
