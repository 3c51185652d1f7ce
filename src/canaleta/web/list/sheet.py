"""Everything of one point that does not move with its reading: settings, check points, curve, terminals, facts."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np
from flask import Response, jsonify
from numpy.typing import NDArray

from canaleta.core.checks.checkpoints import check_points, curve, true_value
from canaleta.core.hardware.settings import FIELD_OF
from canaleta.core.model.addresses import addresses_of
from canaleta.core.model.fields import STATIONS, STORED, Field, Kind, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.text import TextError, shown
from canaleta.core.path.evaluate import describe, reason_messages
from canaleta.core.path.facts import facts_of
from canaleta.core.path.faults import FaultKind, evaluate_faulted, kinds_for
from canaleta.core.sheet.derived import applies, derived_texts, misfits
from canaleta.core.sheet.entry import station_figure
from canaleta.core.signals.sensors.extension import EXTENSION_NAMES
from canaleta.core.signals.signal_types import SIGNALS, Family, signal_named
from canaleta.core.wiring.terminals import Wiring, wiring
from canaleta.plant.database.cells import offered_filters, offered_modes
from canaleta.web.kit.access import needs
from canaleta.web.kit.figures import finite, words_in_hex
from canaleta.web.kit.point import PointPath, found
from canaleta.web.kit.problems import PROBLEMS
from canaleta.web.kit.routes import Shape, routes

__all__ = ["api", "choices_of", "misfits_of"]

api = routes("sheet", __name__, url_prefix="/api/points", abp_responses=PROBLEMS)


class CheckRow(Shape):
    """One check point: figures at the stations as shown, what the list shows and what is true. share: of the span, %,
    null for others."""

    label: str
    share: int | None
    figures: list[str]
    hex: str
    shows: str
    true: str
    quality: str
    reasons: list[str]
    wrong: bool


class CurveOut(Shape):
    """The curve over the wires: what the list shows, and beside it the device or the straight line."""

    loop_unit: str
    value_unit: str
    loop: list[float | None]
    shows: list[float | None]
    device: list[float | None]
    straight: list[float | None]
    fault_low: float | None
    fault_high: float | None


class CoreOut(Shape):
    """A core between device and terminal. terminal: '' where it ends at a rail, which `role` names."""

    device_side: str
    terminal: str
    role: str
    flows: str


class TerminalOut(Shape):
    """A terminal of the channel that stays empty."""

    mark: str
    role: str


class LinkOut(Shape):
    """A wire in the cabinet from a terminal of the channel, to another one or to a rail."""

    terminal: str
    role: str
    to: str


class WiringOut(Shape):
    """The terminals of a point."""

    cores: list[CoreOut]
    links: list[LinkOut]
    unused: list[TerminalOut]
    inside: str
    words: str


class SettingOut(Shape):
    """A setting: the field, its text, what it may be, what an empty one follows, why the hardware fixes it (''
    if it does not), and which choices do not fit and why."""

    field: str
    text: str
    choices: list[str]
    applies: bool
    unit: str
    derived: str
    fixed: str
    unfit: dict[str, str]


class FactRow(Shape):
    """One fact: what, how much, what it rests on."""

    label: str
    figure: str
    basis: str
    tone: str


class FactSection(Shape):
    """Facts that belong together, and the one thing to take away."""

    station: str
    title: str
    verdict: str
    tone: str
    rows: list[FactRow]


class FaultKindOut(Shape):
    """A fault that this path can be given. amount: what its figure is in, '' if it has none."""

    name: str
    says: str
    amount: str
    usual: str
    choices: list[str]


class SheetOut(Shape):
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
    facts: list[FactSection]
    faults: list[FaultKindOut]


@api.get("/<int:point>/sheet", responses={200: SheetOut})
@needs("read")
def sheet_of(path: PointPath) -> Response:
    """Settings, check points, curve, terminals and facts of a point."""
    whole, at = found(path.point)
    image, row = whole.only(np.array([at])), 0
    family = Family(int(image.family[row]))
    wired = wiring(image, row)
    signal = signal_named(image.text("signal", row))
    module = int(image.module[row])
    words = describe(image, row)
    derived = derived_texts(image, row)
    out = SheetOut(
        point=path.point,
        seq=image.seq,
        family=family.name.lower(),
        settings=[
            SettingOut(
                field=f.name,
                text=image.text(f.name, row),
                choices=choices_of(image, row, f),
                applies=applies(image, row, f),
                unit=f.unit,
                derived=derived.get(f.name, ""),
                unfit=misfits_of(image, row, f),
                fixed=_fixed(image, row, f.name),
            )
            for f in STORED
        ],
        check_columns=[_column(image, row, k) for k in _CHECKED[family]],
        value_unit=words[5].unit,
        true_unit=words[5].unit if true_value(image, row, 0.0) is not None else words[0].unit,
        check_points=_checks(image, row),
        curve=_curve(image, row),
        wiring=_wiring(wired) if wired else None,
        module=image.layout.type_of(module).title if module in image.layout.modules else "",
        register_at=_register(image, row),
        injectable=words[2].unit if signal and bool(image.landed[row]) else "",
        facts=[
            FactSection(
                station=s.station.value,
                title=s.title,
                verdict=s.verdict,
                tone=s.tone,
                rows=[FactRow(label=r.label, figure=r.figure, basis=r.basis, tone=r.tone) for r in s.rows],
            )
            for s in facts_of(image, row)
        ],
        faults=[_fault_kind(image, row, k) for k in kinds_for(family)],
    )
    return jsonify(out.model_dump())


def _fault_kind(image: PlantImage, row: int, kind: FaultKind) -> FaultKindOut:
    """A fault with the names to choose from: other elements of the family, other wires than the one that is there."""
    names: list[str] = []
    if kind.amount == "signal":
        names = [s.name for s in SIGNALS if s.family == image.family[row] and s.name != image.text("signal", row)]
    elif kind.amount == "extension":
        names = [name for name in EXTENSION_NAMES if name != image.text("extension", row)]
    usual = kind.usual if not names or kind.usual in names else names[0]
    return FaultKindOut(name=kind.name, says=kind.says, amount=kind.amount, usual=usual, choices=names)


_CHECKED: dict[Family, tuple[int, ...]] = {
    Family.NONE: (),
    Family.LINEAR: (2, 3, 4),
    Family.THERMOCOUPLE: (0, 2, 4),
    Family.RESISTANCE: (0, 2, 4),
    Family.CONTACT: (1, 2, 4),
}


def _column(image: PlantImage, row: int, k: int) -> str:
    if STATIONS[k] is Station.COUNTS:
        return "counts"
    return describe(image, row)[k].unit or STATIONS[k].lower()


def _checks(image: PlantImage, row: int) -> list[CheckRow]:
    words = describe(image, row)
    family = Family(int(image.family[row]))
    out = []
    for point in check_points(image, row):
        paths = evaluate_faulted(
            image, point.station, np.array([point.given]), {0: point.faults} if point.faults else {}
        )
        figures = paths.stations[:, 0]
        quality = Quality(int(paths.quality[0])).name.lower()
        sound = quality == "good" and not point.faults
        shows = station_figure(image, row, 5, float(figures[5]), words[5].decimals)
        true, wrong = _truth(image, row, figures) if sound and family is not Family.CONTACT else ("", False)
        out.append(
            CheckRow(
                label=point.label,
                share=point.share,
                figures=[
                    station_figure(image, row, k, float(figures[k]), words[k].decimals) for k in _CHECKED[family]
                ],
                hex=words_in_hex(image, row, float(figures[4])),
                shows=shows,
                true=true,
                quality=quality,
                reasons=reason_messages(image, row, int(paths.reasons[0])),
                wrong=wrong,
            )
        )
    return out


def _truth(image: PlantImage, row: int, figures: NDArray[np.float64]) -> tuple[str, bool]:
    """What is true at a check point, in the value's unit where it measures the same, and whether VALUE differs."""
    words = describe(image, row)
    true = true_value(image, row, float(figures[0]))
    if true is None:
        return shown(float(figures[0]), words[0].decimals), False
    span = true_value(image, row, float(image.number("device_high")[row]))
    zero = true_value(image, row, float(image.number("device_low")[row]))
    allowed = image.conventions.agreement_share * abs((span or 0.0) - (zero or 0.0))
    return shown(true, words[5].decimals), bool(abs(true - figures[5]) > allowed)


def _curve(image: PlantImage, row: int) -> CurveOut | None:
    drawn = curve(image, row)
    if drawn is None:
        return None
    words = describe(image, row)
    signal = signal_named(image.text("signal", row))
    namur = image.conventions.namur if signal and signal.live_zero and signal.unit == "mA" else None
    return CurveOut(
        loop_unit=words[2].unit,
        value_unit=words[5].unit,
        loop=[finite(v) for v in drawn.loop],
        shows=[finite(v) for v in drawn.shows],
        device=[] if drawn.device is None else [finite(v) for v in drawn.device],
        straight=[] if drawn.straight is None else [finite(v) for v in drawn.straight],
        fault_low=namur.failed_low_ma if namur else None,
        fault_high=namur.failed_high_ma if namur else None,
    )


def choices_of(image: PlantImage, row: int, field: Field) -> list[str]:
    """What a field of a point may be, where it is one of a few."""
    if field.kind is Kind.MODE:
        return list(_modes(image, row))
    if field.kind is Kind.FILTER:
        return list(offered_filters(image, row))
    if field.name == "open_action" and (module := int(image.module[row])) in image.layout.modules:
        return list(image.layout.type_of(module).open_choices)
    return list(field.choices)


def misfits_of(image: PlantImage, row: int, field: Field) -> dict[str, str]:
    """Which of its choices do not fit the point, and why."""
    return misfits(image, row, _modes(image, row)) if field.kind is Kind.MODE else {}


def _fixed(image: PlantImage, row: int, name: str) -> str:
    """Why the module fixes a setting of its channels, '' if it does not."""
    module = int(image.module[row])
    setting = next((of for of, field in FIELD_OF.items() if field == name), None)
    if module not in image.layout.modules or setting is None:
        return ""
    kind = image.layout.type_of(module)
    if setting in kind.fixed:
        return kind.fixed[setting]
    if setting in ("filter", "open circuit") and not kind.choices_of(setting):
        return f"{kind.title} offers none to choose from"
    return ""


def _modes(image: PlantImage, row: int) -> tuple[str, ...]:
    try:
        return offered_modes(image, row)
    except TextError:
        return ()


def _wiring(wired: Wiring) -> WiringOut:
    return WiringOut(
        cores=[
            CoreOut(device_side=c.device_side, terminal=c.terminal, role=c.role, flows=c.flows) for c in wired.cores
        ],
        links=[LinkOut(**asdict(link)) for link in wired.links],
        unused=[TerminalOut(**asdict(terminal)) for terminal in wired.unused],
        inside=wired.inside,
        words=wired.words,
    )


def _register(image: PlantImage, row: int) -> str:
    """Table and place of the point's channel, counted from 0, and its bit if it has one; or its name at the rack."""
    if not image.landed[row]:
        return ""
    module, channel = int(image.module[row]), int(image.channel[row])
    rack_map = RackMap.of(image.layout, image.layout.modules[module].rack)
    return addresses_of(image.layout, rack_map, module, channel, image.text("mode", row)).told_fully
