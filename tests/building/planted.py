"""A plant that is right, and faults to plant in it: for tests and for bench/measure.py findings.

Each kind of fault is planted on points that suit it, one fault a point; what an audit must say of it is a rule and
the points. Nothing here asks the rules what they would find.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.catalogue.types import module_types
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import Landing, Stored, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.core.rules import Finding, audit
from canaleta.core.signals.signal_types import signal_named
from canaleta.plant.changes.seed import stored_row
from canaleta.plant.database.cells import read

__all__ = ["KINDS", "Outcome", "Planted", "clean_plant", "demo_image", "plant_faults", "rounds", "weighed"]

MENDED: dict[str, dict[str, str]] = {
    "PT-3107": {"value_high": "600"},
    "PT-3108": {"value_low": "-50", "value_high": "50"},
    "TE-2103": {"extension": "SCA"},
    "TE-4102": {"jumper": "at the head"},
    "TE-4101": {"open_action": "up-scale"},
    "ZS-2207": {"on_delay": "", "off_delay": ""},
    "AT-3120": {"hops": "resistor 250 Ω", "failure_ma": "3.6", "cable_m": "40"},
    "ZS-6102": {"leakage_ma": "0.4", "drop_v": "4"},
}
"""What the demo plant has wrong on purpose, put right."""


@lru_cache(maxsize=1)
def demo_image() -> PlantImage:
    """The demo plant as it is seeded."""
    plant = demo_plant()
    layout = layout_of(plant)
    empty = PlantImage.of_rows([{}], layout, Conventions())
    return PlantImage.of_rows([stored_row(empty, point) for point in plant.points], layout, empty.conventions)


def clean_plant() -> PlantImage:
    """The demo plant with everything put right: one input module of another type, and no policy of spares."""
    document = demo_plant()
    layout = _better_inputs(layout_of(document))
    empty = PlantImage.of_rows([{}], layout)
    rows = []
    for point in document.points:
        texts = point | MENDED.get(point["tag"], {})
        if "counts_low" in texts and point["tag"] not in MENDED and signal_named(texts["signal"]).live_zero:  # type: ignore[union-attr]
            # What was typed for the module that is not there any more follows the new one.
            texts = {n: t for n, t in texts.items() if n not in ("counts_low", "counts_high")}
        rows.append(stored_row(empty, {n: t for n, t in texts.items() if t}))
    return PlantImage.of_rows(rows, layout, Conventions.model_validate({"reserve": {"spare_share": 0.0}}))


def _better_inputs(layout: Layout) -> Layout:
    """Every left-aligned input, which stops at 4 mA, in favour of one that counts below."""
    modules = {n: replace(m, type_key="ai8-ui") if m.type_key == "ai8-left" else m for n, m in layout.modules.items()}
    kinds = layout.types | {
        key: module_types()[key] for key in ("ai8-ui", "ai8-volt", "ai8-left", "di16-sink", "di4-230ac")
    }
    return Layout(layout.cabinets, layout.racks, modules, kinds, layout.channel_base, layout.cables)


@dataclass(frozen=True)
class Kind:
    """A kind of fault. suits: whether a row can have it; cells: what is typed there instead (number: how many there
    are already); pair: whether two neighbours get it together."""

    rule: str
    says: str
    suits: Callable[[PlantImage, int], bool]
    cells: Callable[[PlantImage, int, int], dict[str, str]]
    pair: bool = False
    also: tuple[str, ...] = ()
    """Rules that rightly speak as well: what the fault brings with it."""


@dataclass(frozen=True)
class Planted:
    """A fault in its place."""

    kind: Kind
    points: tuple[int, ...]


@dataclass(frozen=True)
class Outcome:
    """What an audit made of planted faults. false: findings of points that have no fault, or another."""

    planted: tuple[Planted, ...]
    found: tuple[Planted, ...]
    missed: tuple[Planted, ...]
    false: tuple[Finding, ...]


def _signal(*names: str) -> Callable[[PlantImage, int], bool]:
    return lambda image, row: image.text("signal", row) in names and bool(image.landed[row])


def _of(test: Callable[[PlantImage, int], bool], **has: str) -> Callable[[PlantImage, int], bool]:
    """Rows that pass a test and say this in their cells; "" for empty."""
    return lambda image, row: test(image, row) and all(image.text(name, row) == text for name, text in has.items())


def _kind(image: PlantImage, row: int) -> str:
    module = image.layout.modules.get(int(image.module[row]))
    return module.type_key if module else ""


def _on(*keys: str) -> Callable[[PlantImage, int], bool]:
    return lambda image, row: _kind(image, row) in keys and bool(image.landed[row])


def _both(*tests: Callable[[PlantImage, int], bool]) -> Callable[[PlantImage, int], bool]:
    return lambda image, row: all(test(image, row) for test in tests)


CURRENT = _both(_signal("4–20 mA"), _on("ai8-ui"), lambda i, r: i.text("value_law", r) in ("", "straight line"))
PLAIN = _of(CURRENT, wires="2", supply="module")
SWITCH = _both(_signal("contact NO", "contact NC"), _on("di16-24v", "di32"))
HOT = _both(_signal("TC K", "TC S", "TC N"), lambda i, r: bool(i.text("mode", r)))
RTD = _both(
    _signal("Pt100"), lambda i, r: i.text("wires", r) == "3" and bool(i.text("mode", r)) and "rtd" in _kind(i, r)
)


def _high(image: PlantImage, row: int, field: str, factor: float) -> str:
    return f"{float(image.number(field)[row]) * factor:g}"


def _share(image: PlantImage, row: int, share: float) -> str:
    """A share of the value's span, as a width."""
    return f"{abs(float(_mid(image, row, share)) - float(_mid(image, row, 0.0))):.9g}"


def _mid(image: PlantImage, row: int, share: float) -> str:
    low, high = (float(image.number(n)[row]) for n in ("value_low", "value_high"))
    return f"{low + share * (high - low):g}"


def _terminals(image: PlantImage, row: int, one: int, other: int) -> str:
    """Two terminals of a point's channel, counted from 1, as a bridge between them."""
    channel = int(image.channel[row])
    marks = [mark for mark, _ in image.layout.type_at(int(image.module[row]), channel).terminal_marks(channel)]
    return f"{marks[one - 1]}-{marks[other - 1]}"


KINDS: tuple[Kind, ...] = (
    Kind("R01", "a tag given twice", SWITCH, lambda i, r, n: {"tag": f"ZS-77{n // 2:02d}"}, pair=True),
    Kind("R51", "a second name given twice", SWITCH, lambda i, r, n: {"second_name": f"=K1 +A{n // 2} -B1"}, pair=True),
    Kind("R07", "a scaling for another transmitter", CURRENT, lambda i, r, n: {"value_high": _high(i, r, "value_high", 1.25)}),
    Kind("R08", "the text in another unit", _of(CURRENT, device_unit="bar"), lambda i, r, n: {
        "service": f"slip {i.text('device_low', r)}-{i.text('device_high', r)} kPa"}),
    Kind("R27", "the text with another range", _of(CURRENT, device_unit="bar"), lambda i, r, n: {"service": "slip 0-77 bar"}),
    Kind("R27", "two states with one word", SWITCH, lambda i, r, n: {"text_0": "running", "text_1": "running"}),
    Kind("R09", "volts where a current comes", CURRENT, lambda i, r, n: {"mode": "0–10 V"}),
    Kind("R09", "± on an input without minus", _of(_signal("0–10 V"), mode="0–10 V"), lambda i, r, n: {
        "signal": "±10 V"}),
    Kind("R10", "fails where the count has stopped", PLAIN, lambda i, r, n: {"failure_ma": "21.6"}),
    Kind("R11", "ends changed over", CURRENT, lambda i, r, n: {
        "value_low": i.text("value_high", r), "value_high": i.text("value_low", r)}),
    Kind("R11", "a range without span", CURRENT, lambda i, r, n: {
        "device_low": i.text("device_high", r)}),
    Kind("R12", "counts of another make", CURRENT, lambda i, r, n: {"counts_low": "0", "counts_high": "55296"}),
    Kind("R13", "from dead zero on", _of(CURRENT, mode="4–20 mA"), lambda i, r, n: {"counts_low": "-8000", "counts_high": "32000"}),
    Kind("R14", "whole numbers for a small span", CURRENT, lambda i, r, n: {"value_type": "INT"}),
    Kind("R15", "high below low", CURRENT, lambda i, r, n: {"alarm_l": _mid(i, r, 0.7), "alarm_h": _mid(i, r, 0.3)}),
    Kind("R15", "an alarm that cannot come", CURRENT, lambda i, r, n: {"alarm_hh": _mid(i, r, 1.3)}),
    Kind("R16", "a band beyond the range", CURRENT, lambda i, r, n: {"bands": f"fine < {_mid(i, r, 1.4)} < too much"}),
    Kind("R17", "a deadband of one count", CURRENT, lambda i, r, n: {
        "alarm_h": _mid(i, r, 0.6), "alarm_h_deadband": f"{float(_mid(i, r, 1 / 32000)) - float(_mid(i, r, 0)):.9f}"}),
    Kind("R17", "a deadband within the noise", CURRENT, lambda i, r, n: {
        "alarm_h": _mid(i, r, 0.6), "alarm_h_deadband": _share(i, r, 0.005), "noise": _share(i, r, 0.002)}),
    Kind("R18", "a debounce shorter than two scans", SWITCH, lambda i, r, n: {"on_delay": "600"}),
    Kind("R37", "pulses between two scans", SWITCH, lambda i, r, n: {"fastest": "12"}),
    Kind("R19", "two wires, jumper at the input", RTD, lambda i, r, n: {"wires": "2", "jumper": "at the input", "lead_ohm": "2.1", "cores": ""}),
    Kind("R19", "two wires, no jumper", RTD, lambda i, r, n: {"wires": "2", "jumper": "absent", "cores": ""}),
    Kind("R63", "two cores for three wires", RTD, lambda i, r, n: {"cores": "1, 2"}),
    Kind("R20", "a warm head without its wire", _of(HOT, extension="", head_degc=""), lambda i, r, n: {"head_degc": "61"}),
    Kind("R20", "a fixed junction nobody set", HOT, lambda i, r, n: {"junction": "fixed"}),
    Kind("R43", "the wrong extension wire", _of(HOT, extension=""), lambda i, r, n: {"extension": "TX", "head_degc": "52"}),
    Kind("R21", "another element on the mode", _both(HOT, _on("tc8", "tc4-iso")), lambda i, r, n: {
        "mode": "TC J, 0.1 °C"}, also=("R09",)),
    Kind("R22", "a trip without open-circuit action", _of(HOT, trips=""), lambda i, r, n: {"trips": "shuts the burners", "open_action": ""}),
    Kind("R46", "grounded tips together", _both(_of(HOT, tip=""), _on("tc8")), lambda i, r, n: {"tip": "grounded"}, pair=True),
    Kind("R54", "hotter than the element knows", _signal("TC K"), lambda i, r, n: {"device_high": "1450", "value_high": "1450"}),
    Kind("R57", "below absolute zero", RTD, lambda i, r, n: {"device_low": "-280", "value_low": "-280"}),
    Kind("R23", "too much in the loop", PLAIN, lambda i, r, n: {"lift_off_v": "12.5", "hops": "barrier 280 Ω; isolator 60 Ω"}),
    Kind("R41", "two sources", PLAIN, lambda i, r, n: {"supply": "own 24 V"}),
    Kind("R41", "no source", PLAIN, lambda i, r, n: {"supply": "none"}),
    Kind("R45", "HART shorted by the burden", PLAIN, lambda i, r, n: {"hart": "yes"}),
    Kind("R05", "a 12 V device on 24 V", PLAIN, lambda i, r, n: {"supply_low_v": "8", "supply_high_v": "14"}),
    Kind("R47", "damped for too long", CURRENT, lambda i, r, n: {"needs_s": "3", "damping_s": "8"}),
    Kind("R03", "a NAMUR sensor on a plain input", _both(SWITCH, _on("di16-24v")), lambda i, r, n: {"signal": "NAMUR NC"}),
    Kind("R06", "NPN on an input common to 0 V", _both(SWITCH, _on("di16-24v")), lambda i, r, n: {"signal": "NPN NO"}),
    Kind("R04", "mains on 24 V", _both(SWITCH, _on("di16-24v", "di32")), lambda i, r, n: {
        "signal": "AC contact NO", "supply": "none", "cable": "", "cores": ""}),
    Kind("R04", "a DC sensor on mains", _on("di4-230ac"), lambda i, r, n: {"signal": "PNP NO", "cable": "", "cores": ""}),
    Kind("R44", "leaks too much", _both(_signal("PNP NO", "PNP NC", "two-wire NO"), _on("di32", "di8-types")), lambda i, r, n: {
        "leakage_ma": "2.2"}),
    Kind("R48", "a trip by the closed circuit", _of(SWITCH, trips="", alarm_state=""), lambda i, r, n: {
        "trips": "stops the press", "alarm_state": "1"}),
    Kind("R26", "switched off with an alarm", CURRENT, lambda i, r, n: {"enabled": "no", "alarm_h": _mid(i, r, 0.8)}),
    Kind("R24", "a lamp too big", _signal("load 24 V DC"), lambda i, r, n: {"load_ma": "2400"}, also=("R60",)),
    Kind("R40", "an address from before", SWITCH, lambda i, r, n: {"notes": f"was read at %IX77.{n}.3"}),
    Kind("R42", "a root nobody takes", _both(_signal("4–20 mA"), lambda i, r: "square root" in (
        i.text("device_law", r), i.text("value_law", r)) and i.text("value_unit", r) == "m³/h" and i.text("device_unit", r) in ("mbar", "Pa", "kPa")),
        lambda i, r, n: {"device_law": "", "value_law": ""}),
    Kind("R42", "two roots", _both(_signal("4–20 mA"), lambda i, r: "square root" in (
        i.text("device_law", r), i.text("value_law", r))), lambda i, r, n: {"device_law": "square root", "value_law": "square root"}),
    Kind("R49", "letters of something else", CURRENT, lambda i, r, n: {"tag": f"TSH-66{n:02d}"}),
    Kind("R52", "stands in for nobody", _of(SWITCH, redundant=""), lambda i, r, n: {"redundant": f"feed pump {n}"}),
    Kind("R53", "a mode from another module", SWITCH, lambda i, r, n: {"mode!": "Pt100, 0.1 °C"}),
    Kind("R74", "a lost signal on the wrong side", CURRENT, lambda i, r, n: {"safe_side": "high", "used_by": "the press"}),
    Kind("R76", "zone 0 without a barrier", PLAIN, lambda i, r, n: {"zone": "0", "hops": ""}),
    Kind("R78", "a 12 V load on 24 V", _signal("load 24 V DC"), lambda i, r, n: {"load_v": "12"}),
    Kind("R79", "a screen earthed twice", RTD, lambda i, r, n: {"screen": "at both ends"}),
    Kind("R81", "a word taken for two", HOT, lambda i, r, n: {"raw_type": "DINT"}),
    Kind("R82", "a display that ends too soon", CURRENT, lambda i, r, n: {"display_low": i.text("value_low", r), "display_high": _mid(i, r, 0.8)}),
    Kind("R83", "limits in percent", _of(CURRENT, alarm_h="", value_unit="bar"), lambda i, r, n: {"alarm_h": "80", "alarm_unit": "%"}, also=("R15",)),
    Kind("R84", "high priority and no word", _of(CURRENT, alarm_says=""), lambda i, r, n: {"alarm_h": _mid(i, r, 0.9), "alarm_h_priority": "high"}),
    Kind("R86", "landed without a mode", SWITCH, lambda i, r, n: {"mode": ""}),
    Kind("R87", "a filter for other mains", _of(HOT, filter="50 Hz"), lambda i, r, n: {"filter": "60 Hz"}),
    Kind("R90", "another element in the text", HOT, lambda i, r, n: {"service": f"crown {n}, Pt100"}),
    Kind("R14", "one decimal of a small span", CURRENT, lambda i, r, n: {"value_type": "INT", "value_factor": "0.1"}),
    Kind("R19", "leads taken off twice", _of(RTD, lead_taken_ohm=""), lambda i, r, n: {"lead_taken_ohm": "9"}),
    Kind("R100", "a bridge over the signal", _both(PLAIN, _on("ai8-ui")), lambda i, r, n: {"bridged": _terminals(i, r, 1, 2)}),
    Kind("R100", "a jumper nobody speaks of", _both(RTD, _on("rtd6")), lambda i, r, n: {
        "wires": "2", "jumper": "", "cores": "", "lead_ohm": "0", "bridged": _terminals(i, r, 1, 2)}),
    Kind("R101", "the text in a unit of its own", _of(CURRENT, device_unit="bar"), lambda i, r, n: {
        "service": f"slip {i.text('device_low', r)}-{i.text('device_high', r)} kpsq"}),
    Kind("R64", "accepted and without range", CURRENT, lambda i, r, n: {"status!": "accepted", "device_low": "", "device_high": ""}),
)  # fmt: skip
FEW = 4
"""Points of each kind, or as many as suit it."""


def plant_faults(
    image: PlantImage, kinds: Sequence[Kind] = KINDS, few: int = FEW
) -> tuple[PlantImage, list[Planted]]:
    """The plant with faults: each kind on a few points of its own, the rarest kinds first."""
    suits = {k: [row for row in range(len(image)) if kind.suits(image, row)] for k, kind in enumerate(kinds)}
    used: set[int] = set()
    changes: dict[tuple[int, str], Stored] = {}
    planted = []
    for k in sorted(suits, key=lambda k: len(suits[k])):
        kind = kinds[k]
        for number, rows in enumerate(_places(image, kind, [r for r in suits[k] if r not in used], few)):
            for at, row in enumerate(rows):
                used.add(row)
                for name, text in kind.cells(image, row, 2 * number + at if kind.pair else number).items():
                    changes |= _typed(image, row, name, text)
            planted.append(Planted(kind, tuple(int(image.ids[row]) for row in rows)))
    return image.with_cells(changes), planted


def rounds(image: PlantImage, parts: int = 6) -> Iterator[tuple[PlantImage, list[Planted]]]:
    """The kinds in a few rounds, each on a plant of its own: one plant has not points enough for all of them."""
    yield from (plant_faults(image, KINDS[part::parts]) for part in range(parts))


def _places(image: PlantImage, kind: Kind, rows: list[int], few: int) -> Iterator[tuple[int, ...]]:
    if not kind.pair:
        yield from ((row,) for row in rows[:few])
        return
    by_module: dict[int, list[int]] = {}
    for row in rows:
        by_module.setdefault(int(image.module[row]), []).append(row)
    # One pair a module: a third in its group would be told with them.
    pairs = [(here[0], here[1]) for here in by_module.values() if len(here) > 1]
    yield from pairs[:few]


def _typed(image: PlantImage, row: int, name: str, text: str) -> dict[tuple[int, str], Stored]:
    if name.endswith("!"):
        # As it is left behind when a module is swapped: nobody could type it.
        return {(row, name[:-1]): text}
    values = read(image, row, field_named(name), text) if text else {name: None}
    return {(row, n): v for n, v in values.items() if not isinstance(v, Landing)}


def weighed(image: PlantImage, planted: list[Planted]) -> Outcome:
    """What an audit makes of them."""
    findings = audit(image)
    report = {(f.rule, point) for f in findings for point in f.points}
    meant = {(rule, point) for p in planted for point in p.points for rule in (p.kind.rule, *p.kind.also)}
    found = tuple(p for p in planted if all((p.kind.rule, point) in report for point in p.points))
    missed = tuple(p for p in planted if p not in found)
    false = tuple(f for f in findings if not any((f.rule, point) in meant for point in f.points))
    return Outcome(tuple(planted), found, missed, false)
