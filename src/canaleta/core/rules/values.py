"""Rules about the value: number types, bands, roots, tables, references, spans that moved with the supply."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from canaleta.core.checks.checkpoints import TEMPERATURE
from canaleta.core.model.feeding import channel_supply_v
from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.references import asks_reference
from canaleta.core.model.whole_numbers import whole_factor
from canaleta.core.notation.arrays import Floats, Rows
from canaleta.core.notation.text import as_typed, shown
from canaleta.core.notation.units import Unit, find_unit
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.path.facts.base import significant
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.chains import CHAINS
from canaleta.core.path.joints.linear import DeviceJoint
from canaleta.core.path.joints.scaling import Scaling
from canaleta.core.rules.finding import Cause, Cell, Finding, Fix
from canaleta.core.rules.masks import PATH, derived_counts, follows_supply
from canaleta.core.rules.rule import report, rule
from canaleta.core.signals.bands import Bands, bands_of
from canaleta.core.signals.laws import CUT_OFF_IN, LAW_NAMES, TABLE_LAWS, VALUE_LAW_NAMES
from canaleta.core.signals.plc_types import LOSS_ALLOWED, RANGES, chain_of
from canaleta.core.signals.signal_types import Family
from canaleta.core.signals.tables import table_of

_SCALED = (
    "signal", "channel", "mode", "counts_low", "counts_high", "value_low", "value_high", "value_unit", "value_law", "value_form",
    "slope", "offset", "factors", "signal_low", "signal_high", "shunt_ohm",
)  # fmt: skip
_ROOT = LAW_NAMES.index("square root")
_FLOWS = ("volume flow", "mass flow", "normal volume flow")


def _analog(image: PlantImage, rows: Rows) -> Rows:
    """Rows with counts to scale, in a known mode."""
    return rows[np.isin(image.family[rows], (Family.LINEAR, *TEMPERATURE)) & (image.mode[rows] >= 0)]


def _point_form(image: PlantImage, rows: Rows) -> tuple[Floats, Floats, Floats, Floats]:
    """Both end points of each row's straight part."""
    out = np.full((4, len(rows)), np.nan)
    for code in (Family.LINEAR, *TEMPERATURE):
        at = np.flatnonzero(image.family[rows] == code)
        if len(at):
            scaling = CHAINS[Family(code)].joints[-1]
            out[:, at] = scaling.point_form(PathRows(image, rows[at]))  # type: ignore[attr-defined]
    return out[0], out[1], out[2], out[3]


@rule(
    "R14",
    "whole numbers lose the value",
    "IEC 61131-3: ranges of the integer types",
    ("value_type", "value_factor", *_SCALED),
    harm="falsifies",
    looks="the value's type against its span and its step",
)
def integer_loss(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A whole-number type whose step is more than a thousandth of the span, or that the value runs out of."""
    rows = _analog(image, rows)
    kinds = image.cells["value_type"][rows]
    rows = rows[np.isin(kinds.astype(str), list(RANGES))]
    if not len(rows):
        return
    c0, c1, v0, v1 = _point_form(image, rows)
    p = PathRows(image, rows)
    least, most = p.of_mode("least"), p.of_mode("most")
    kinds = image.cells["value_type"][rows]
    low, high = np.array([RANGES[kind] for kind in kinds], dtype=np.float64).T
    times = whole_factor(image, rows)
    reach = times * np.sort(np.stack([v0 + (end - c0) / (c1 - c0) * (v1 - v0) for end in (least, most)]), axis=0)
    lossy = 1.0 / np.abs(times * (v1 - v0)) > LOSS_ALLOWED
    for at in np.flatnonzero(lossy | (reach[0] < low) | (reach[1] > high)).tolist():
        row, point = int(rows[at]), int(image.ids[int(rows[at])])
        chain = chain_of(
            image.layout.type_of(int(image.module[row])).word_form,
            str(kinds[at]),
            (float(c0[at]), float(c1[at])),
            (float(v0[at]), float(v1[at])),
            (float(least[at]), float(most[at])),
            float(times[at]),
        )
        fixes = [Fix("as REAL", ((Cell(point, "value_type"), "REAL"),))]
        # The fewest decimals that keep the value, if its type holds them.
        bare = reach[:, at] / times[at]
        for power in (1.0, 10.0, 100.0, 1000.0, 10_000.0):
            if power != times[at] and 1.0 / abs(power * (v1[at] - v0[at])) <= LOSS_ALLOWED:
                if power * bare[0] >= low[at] and power * bare[1] <= high[at]:
                    text = f"{power:.0f}" if power != 1.0 else ""
                    fixes.append(Fix(f"times {power:.0f}", ((Cell(point, "value_factor"), text),)))
                break
        yield report(
            image,
            "R14",
            [row],
            Station.VALUE,
            "; ".join(chain.troubles) or chain.verdict,
            ("value_type", "value_factor"),
            fixes=fixes,
        )


def _of_bands(bands: Bands | None) -> tuple[float, float, bool]:
    """(the lowest edge, the highest, whether two bands have one name)."""
    if bands is None or not bands.edges:
        return np.nan, np.nan, False
    names = {name.casefold() for name in bands.names}
    return float(bands.edges[0]), float(bands.edges[-1]), len(names) < len(bands.names)


@rule(
    "R16",
    "bands beyond the range",
    "bands from end to end, each of them reached",
    ("bands", "value_low", "value_high", "value_form", "value_table"),
    harm="confuses",
    looks="the edges of the bands against the range, and their names",
)
def bands_unreached(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """An edge outside the range: the band beyond it is never met; two bands of one name cannot be told apart."""
    rows = rows[image.filled("bands")[rows]]
    texts = image.cells["bands"][rows]
    known = {text: bands_of(text) for text in set(texts)}
    facts = {text: _of_bands(bands) for text, bands in known.items()}
    first, last, twice = np.array([facts[text] for text in texts]).reshape(-1, 3).T
    least, most = np.sort([image.number(name)[rows] for name in ("value_low", "value_high")], axis=0)
    # Most bands lie within their range: only the others are looked at one by one.
    suspect = (first <= least) | (last >= most) | (twice > 0)
    for row, text in zip(rows[suspect].tolist(), texts[suspect], strict=True):
        bands = known[text]
        if bands is None:
            continue
        ends = sorted(float(image.number(name)[row]) for name in ("value_low", "value_high"))
        plain = (
            image.cells["value_table"][row] is None
            and image.code("value_form")[row] <= 0
            and not np.isnan(ends).any()
        )
        low, high = (as_typed(image.text(name, row)) for name in ("value_low", "value_high"))
        for k, edge in enumerate(bands.edges):
            if plain and not ends[0] < float(edge) < ends[1]:
                lost = bands.names[k] if float(edge) <= ends[0] else bands.names[k + 1]
                text = f"“{lost}” is never met: its edge {as_typed(str(edge))} lies outside the range {low}…{high}"
                yield report(image, "R16", [row], Station.VALUE, text, ("bands",), about=f"{image.ids[row]}:{edge}")
        names = [name.casefold() for name in bands.names]
        if again := next((name for k, name in enumerate(bands.names) if name.casefold() in names[:k]), ""):
            text = f"two bands are called “{again}”: nobody can tell them apart"
            yield report(image, "R16", [row], Station.VALUE, text, ("bands",), about=f"{image.ids[row]}:names")


_DEADBANDS = ("bands_deadband", *(f"alarm_{level}_deadband" for level in (*ALARM_LEVELS, "dev")))
_BANDS = ("on_at", "off_at", "bands", *_DEADBANDS)


def _narrowest(bands: Bands | None) -> float:
    return min((float(high - low) for low, high in pairwise(bands.edges)), default=np.nan) if bands else np.nan


@rule(
    "R17",
    "a band of a few counts",
    "a converter's last digit moves by one; noise stays within three standard deviations to either side",
    (*_BANDS, "noise", *_SCALED),
    harm="wavers",
    looks="bands in steps of the converter; deadbands against those and against the value's own noise",
)
def narrow_band(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A band between two edges that is a few steps wide; a deadband that one step, or the noise, crosses."""
    rows = _analog(image, rows)
    rows = rows[np.logical_or.reduce([image.filled(name)[rows] for name in _BANDS])]
    rows = rows[image.code("value_law")[rows] <= _ROOT]
    if not len(rows):
        return
    c0, c1, v0, v1 = _point_form(image, rows)
    p = PathRows(image, rows)
    step = np.nan_to_num(p.of_mode("step"), nan=1.0)
    step = np.where((p.of_mode("rounding") == ModeTable.ROUNDINGS.index("none")) & (step <= 1), 0.0, step)
    per = np.abs((v1 - v0) / (c1 - c0)) * step
    c = image.conventions
    noise = np.nan_to_num(image.number("noise")[rows])
    texts = image.cells["bands"][rows]
    narrowest = {text: _narrowest(bands_of(text or "")) for text in set(texts)}
    between = np.array([narrowest[text] for text in texts], dtype=np.float64)
    for at in np.flatnonzero(between < c.least_band_steps * per * (1.0 - 1e-9)).tolist():
        yield _too_narrow(
            image,
            int(rows[at]),
            "bands",
            "the narrowest band",
            float(between[at]),
            float(per[at]),
            c.least_band_steps,
        )
    on, off = image.number("on_at")[rows], image.number("off_at")[rows]
    widths: list[tuple[str, str, Floats]] = [
        ("on_at", "the deadband of the switch", np.abs(on - np.where(np.isnan(off), on, off)))
    ]
    for name in _DEADBANDS:
        words = (
            "the deadband of the bands"
            if name == "bands_deadband"
            else f"the deadband of alarm {name.split('_')[1].upper()}"
        )
        width = image.number(name)[rows]
        widths.append((name, words, np.where(width > 0, width, np.nan)))
    for name, words, width in widths:
        steps = width < c.least_deadband_steps * per * (1.0 - 1e-9)
        trembles = width < c.deadband_sigmas * noise * (1.0 - 1e-9)
        for at in np.flatnonzero(steps | trembles).tolist():
            row = int(rows[at])
            if steps[at]:
                yield _too_narrow(image, row, name, words, float(width[at]), float(per[at]), c.least_deadband_steps)
                continue
            unit, one = image.text("value_unit", row), float(noise[at])
            text = (
                f"{words} is {significant(float(width[at]), 3)} {unit}, which is {shown(float(width[at]) / one, 1)} times the {significant(one, 3)} {unit}"
                f" that the value trembles by: it chatters; {shown(c.deadband_sigmas, 0)} times are {significant(c.deadband_sigmas * one, 3)} {unit}"
            )
            yield report(image, "R17", [row], Station.VALUE, text, (name, "noise"), about=f"{image.ids[row]}:{name}")


def _too_narrow(
    image: PlantImage, row: int, name: str, words: str, width: float, one: float, least: float
) -> Finding:
    unit = image.text("value_unit", row)
    text = (
        f"{words} is {significant(width, 3)} {unit}, which is {shown(width / one, 1)} steps of"
        f" {significant(one, 3)} {unit}: it chatters; {shown(least, 0)} steps are {significant(least * one, 3)} {unit}"
    )
    which = "least_band_steps" if name == "bands" else "least_deadband_steps"
    what = "bands" if name == "bands" else "deadbands"
    cause = Cause(
        which, f"the plant asks for {shown(least, 1)} steps of the converter for its {what} (Rules, {which})"
    )
    return report(image, "R17", [row], Station.VALUE, text, (name,), about=f"{image.ids[row]}:{name}", cause=cause)


@rule(
    "R39",
    "counts of another supply",
    "spans that follow the supply",
    ("counts_low", "counts_high", "signal", "channel", "mode", "shunt_ohm"),
    harm="falsifies",
    looks="typed counts of modes whose span moves with the supply",
)
def stale_counts(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """End-point counts typed for the nominal supply, and the plant's supply is another."""
    for row in rows[follows_supply(image, rows)].tolist():
        at = np.array([row])
        c0, c1 = (float(x[0]) for x in derived_counts(image, at))
        low, high = float(image.number("counts_low")[row]), float(image.number("counts_high")[row])
        if max(abs(low - c0), abs(high - c1)) <= image.conventions.agreement_share * abs(c1 - c0):
            continue
        point, supply = int(image.ids[row]), f"{channel_supply_v(image, at)[0]:g}"
        text = (
            f"the span follows the supply of {supply} V: the ends are at counts {shown(c0, 0)} and"
            f" {shown(c1, 0)} now, and {shown(low, 0)} and {shown(high, 0)} are typed"
        )
        fix = Fix("as signal and module make it", ((Cell(point, "counts_low"), ""), (Cell(point, "counts_high"), "")))
        cause = Cause(f"supply_v:{supply}", f"the supply of {supply} V (Rules, supply_v and supplies)")
        yield report(
            image, "R39", [row], Station.COUNTS, text, ("counts_low", "counts_high"), fixes=(fix,), cause=cause
        )


@rule(
    "R35",
    "a trimmed pair that is no trim",
    "a converter that is far off is broken, or another one",
    ("found_low", "found_high", "channel", "mode", "signal"),
    severity="bad",
    harm="falsifies",
    looks="what channels were found to count against their data sheets",
)
def far_from_data_sheet(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Half a pair, one that falls, or one further from the data sheet than the plant lets a channel be trimmed."""
    low, high = (image.number(f"found_{end}")[rows] for end in ("low", "high"))
    told = ~(np.isnan(low) & np.isnan(high))
    mode = image.mode[rows]
    most = image.conventions.trimming.most_percent
    for at in np.flatnonzero(told).tolist():
        row, numbers = int(rows[at]), image.layout.mode_table.numbers
        if np.isnan(low[at] + high[at]):
            text = "one end of what the channel was found to count is missing: it counts as its data sheet says"
        elif mode[at] < 0:
            text = "what its channel was found to count is said, and it has no channel in a known mode"
        else:
            c0, c1 = (float(numbers[name][mode[at]]) for name in ("counts_low", "counts_high"))
            off = [100.0 * (float(found) - c) / abs(c1 - c0) for found, c in ((low[at], c0), (high[at], c1))]
            if (high[at] - low[at]) * (c1 - c0) > 0 and max(map(abs, off)) <= most:
                continue
            text = (
                f"found to count {shown(float(low[at]), 0)} … {shown(float(high[at]), 0)} where the data sheet says"
                f" {shown(c0, 0)} … {shown(c1, 0)}: {shown(max(off, key=abs), 2)} % of span, and {most:g} % is the most"
            )
        fix = Fix(
            "as the data sheet says",
            tuple((Cell(int(image.ids[row]), n), "") for n in ("found_low", "found_high", "trimmed")),
        )
        yield report(image, "R35", [row], Station.COUNTS, text, ("found_low", "found_high"), fixes=(fix,))


@rule(
    "R42",
    "square root taken twice or never",
    "a differential pressure goes with the square of the flow (ISO 5167)",
    PATH,
    severity="bad",
    harm="falsifies",
    looks="where the root of a differential pressure is taken: device, scaling, both, neither",
)
def roots(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """At a quarter of the pressure the flow is a half: with two roots it shows more, with none less."""
    rows = rows[image.family[rows] == Family.LINEAR]
    device, value = image.code("device_law")[rows], image.code("value_law")[rows]
    twice = (device == _ROOT) & (value == _ROOT)
    straight = (device <= 0) & (value <= 0)
    quantity = {
        unit: found.quantity if (found := find_unit(unit or "")) else ""
        for side in ("device_unit", "value_unit")
        for unit in set(image.cells[side][rows])
    }
    pressure = np.array([quantity[unit] == "pressure" for unit in image.cells["device_unit"][rows]], dtype=bool)
    flow = np.array([quantity[unit] in _FLOWS for unit in image.cells["value_unit"][rows]], dtype=bool)
    for at in np.flatnonzero(twice | (straight & pressure & flow)).tolist():
        row, point = int(rows[at]), int(image.ids[int(rows[at])])
        text = (
            "the root is taken twice, by the device and by the scaling"
            if twice[at]
            else "the root of the pressure is taken nowhere"
        )
        if told := _at_a_quarter(image, row):
            text += told
        takes = [
            Fix(f"{who} takes it", ((Cell(point, law), "square root"),))
            for who, law in (("the device", "device_law"), ("the scaling", "value_law"))
        ]
        leaves = [
            Fix(f"only {who} takes it", ((Cell(point, law), "straight line"),))
            for who, law in (("the scaling", "device_law"), ("the device", "value_law"))
        ]
        yield report(
            image,
            "R42",
            [row],
            Station.DEVICE,
            text,
            ("device_law", "value_law"),
            fixes=leaves if twice[at] else takes,
        )


def _at_a_quarter(image: PlantImage, row: int) -> str:
    """ ": at a quarter of the range the list shows 500 m³/h where 1000 flow"; "" where it cannot be told."""
    low, high = float(image.number("device_low")[row]), float(image.number("device_high")[row])
    v0, v1 = float(image.number("value_low")[row]), float(image.number("value_high")[row])
    says = float(
        evaluate(image, Station.PROCESS, np.array([low + 0.25 * (high - low)]), np.array([row])).at(Station.VALUE)[0]
    )
    if not np.isfinite(says + v0 + v1):
        return ""
    words = describe(image, row)[5]
    true = v0 + 0.5 * (v1 - v0)
    return f": at a quarter of the range the list shows {shown(says, words.decimals)} {words.unit} where {shown(true, words.decimals)} flow"


@rule(
    "R55",
    "a table that turns",
    "a value has one figure behind it",
    ("device_table", "value_table", "device_law", "value_law"),
    severity="bad",
    harm="falsifies",
    looks="whether tables rise or fall all the way",
)
def table_turns(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A table that rises and then falls: two figures make one value, and there is no way back."""
    for side, station, names in (("device", Station.DEVICE, LAW_NAMES), ("value", Station.VALUE, VALUE_LAW_NAMES)):
        law = image.code(f"{side}_law")[rows]
        in_use = np.isin(law, [names.index(name) for name in TABLE_LAWS]) & image.filled(f"{side}_table")[rows]
        for row in rows[in_use].tolist():
            table = table_of(image.text(f"{side}_table", row), image.text(f"{side}_law", row) != "table")
            if table.direction == 0:
                text = f"the {'device' if side == 'device' else 'scaling'}'s table turns at point {table.turns_at()}: a value has no one figure behind it"
                yield report(image, "R55", [row], station, text, (f"{side}_table",), about=f"{image.ids[row]}:{side}")


@rule(
    "R73",
    "a cut-off that hides a flow, or none",
    "low cut-offs lie at a few percent of the flow; a tenth of the flow is a hundredth of the pressure",
    PATH,
    severity="settle",
    harm="hides",
    looks="low cut-offs of roots, in the unit they are said in",
)
def cut_off_off(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A cut-off of half the flow and more, or below the range: said in another unit than meant, most likely."""
    rows = rows[image.family[rows] == Family.LINEAR]
    paths = PathRows(image, rows)
    value_share = Scaling.cut_off(paths, paths.number("value_low"), paths.number("value_high"))
    for side, station, share in (
        ("device", Station.DEVICE, DeviceJoint().cut_off(paths)),
        ("value", Station.VALUE, value_share),
    ):
        figure, said = paths.number(f"{side}_cutoff"), paths.code(f"{side}_cutoff_in")
        here = (paths.code(f"{side}_law") == _ROOT) & ~np.isnan(share)
        wrong = here & ((share >= 0.5) | ((share <= 0) & (figure != 0)))
        for at in np.flatnonzero(wrong).tolist():
            row = int(rows[at])
            how = CUT_OFF_IN[max(int(said[at]), 0)]
            unit = image.text(f"{side}_unit", row) if how == "the unit of the range" else how
            text = (
                f"a cut-off of {figure[at]:g} {unit}: every flow below {shown(100 * float(share[at]), 0)} % of the whole reads as none"
                if share[at] >= 0.5
                else f"a cut-off of {figure[at]:g} {unit} lies below the range and cuts nothing off"
            )
            yield report(
                image,
                "R73",
                [row],
                station,
                text,
                (f"{side}_cutoff", f"{side}_cutoff_in"),
                about=f"{image.ids[row]}:{side}",
            )


@rule(
    "R56",
    "not said what it is counted from",
    "UCUM has no gauge pressure and no normal volume",
    ("device_unit", "value_unit", "device_reference", "value_reference", "signal"),
    severity="note",
    harm="wavers",
    looks="units that mean two things until one is said",
)
def uncounted(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A normal volume at which temperature, a water column at which: one side says it and the other does not."""
    rows = rows[image.family[rows] == Family.LINEAR]
    for side, other in (("device", "value"), ("value", "device")):
        said_here = image.code(f"{side}_reference")[rows] >= 0
        said_there = image.code(f"{other}_reference")[rows] >= 0
        for row in rows[~said_here & said_there].tolist():
            unit = image.text(f"{side}_unit", row)
            offered = asks_reference(unit)
            there = image.text(f"{other}_reference", row)
            if offered and there in offered:
                whose = "the device's" if side == "device" else "the value's"
                text = f"{whose} {unit} may be {' or '.join(offered)}; the other side says {there}"
                fixes = [
                    Fix(
                        f"{choice} too" if choice == there else choice,
                        ((Cell(int(image.ids[row]), f"{side}_reference"), choice),),
                    )
                    for choice in offered
                ]
                yield report(
                    image,
                    "R56",
                    [row],
                    Station.DEVICE if side == "device" else Station.VALUE,
                    text,
                    (f"{side}_unit",),
                    fixes=fixes,
                )


_UNITS = (
    "device_unit",
    "value_unit",
    "device_low",
    "device_high",
    "value_low",
    "value_high",
    "device_reference",
    "value_reference",
    "signal",
)
_LEAST = {"temperature": {"°C": -273.15, "K": 0.0, "°F": -459.67}}


@rule(
    "R57",
    "what cannot be",
    "physics: absolute zero, no pressure below none",
    _UNITS,
    severity="bad",
    harm="falsifies",
    looks="ranges below absolute zero, temperatures that become something else",
)
def impossible(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A range below absolute zero; an absolute pressure below none; a temperature that is scaled into bar."""
    rows = rows[np.isin(image.family[rows], (Family.LINEAR, *TEMPERATURE))]
    units: dict[str | None, Unit | None] = {
        u: find_unit(u) if u else None for side in ("device", "value") for u in set(image.cells[f"{side}_unit"][rows])
    }
    for side in ("device", "value"):
        column = image.cells[f"{side}_unit"][rows]
        least = {
            u: _LEAST["temperature"].get(found.shown, np.nan)
            if (found := units[u]) and found.quantity == "temperature"
            else np.nan
            for u in units
        }
        floor = np.array([least[u] for u in column], dtype=np.float64)
        absolute = (
            np.array([image.text(f"{side}_reference", row) == "absolute" for row in rows.tolist()])
            if image.filled(f"{side}_reference").any()
            else np.zeros(len(rows), bool)
        )
        floor = np.where(absolute, 0.0, floor)
        low = np.fmin(image.number(f"{side}_low")[rows], image.number(f"{side}_high")[rows])
        for at in np.flatnonzero(low < floor - 1e-9).tolist():
            row = int(rows[at])
            what = "an absolute pressure below none" if absolute[at] else "below absolute zero"
            text = f"the {'device' if side == 'device' else 'value'}'s range begins at {shown(float(low[at]), 2)} {column[at]}: {what}"
            yield report(
                image,
                "R57",
                [row],
                Station.DEVICE if side == "device" else Station.VALUE,
                text,
                (f"{side}_low", f"{side}_unit"),
                about=f"{image.ids[row]}:{side}",
            )
    hot = {u for u, found in units.items() if found and found.quantity == "temperature"}
    others = {
        u
        for u, found in units.items()
        if found and found.quantity not in ("temperature", "temperature difference", "", "ratio", "dimensionless")
    }
    device, value = image.cells["device_unit"][rows], image.cells["value_unit"][rows]
    for at in np.flatnonzero(
        np.isin(device.astype(str), list(map(str, hot))) & np.isin(value.astype(str), list(map(str, others)))
    ).tolist():
        row = int(rows[at])
        text = f"the device measures in {device[at]} and the value is in {value[at]}: one does not become the other"
        yield report(
            image, "R57", [row], Station.VALUE, text, ("value_unit", "device_unit"), about=f"{image.ids[row]}:units"
        )
