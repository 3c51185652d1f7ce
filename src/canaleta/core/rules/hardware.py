"""Rules about hardware: addresses of racks, what supplies carry, isolation groups, cables."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from canaleta.core.hardware.loads import Load, device_ma, module_load, rack_load
from canaleta.core.model.ambient import rack_ambient_degc
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.links import is_serial
from canaleta.core.model.naming import departures
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import shown
from canaleta.core.rules.finding import Cause, Finding
from canaleta.core.rules.masks import of_signal, on_same_module
from canaleta.core.rules.rule import report, report_of_plant, rule
from canaleta.core.signals.signal_types import LOADS, Family
from canaleta.core.signals.strips import cores_of

_AC = ("AC contact", "AC load")


@rule(
    "R58",
    "two racks at one address",
    "a Modbus TCP address names one device",
    (),
    scope="plant",
    severity="bad",
    harm="falsifies",
    looks="host, port and unit number of every rack",
)
def one_address(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Two racks that are reached in one place: both read the same device, and one of them is not read at all."""
    layout = image.layout
    by_place: dict[tuple[str, int], list[str]] = {}
    for rack in layout.racks.values():
        # Stand-ins of a plant that nobody serves share an address nobody answers at.
        if not rack.by_name and (rack.stand_in or rack.host != "127.0.0.1"):
            at = rack.host if is_serial(rack.link) else f"{rack.host.lower()}:{rack.port}"
            by_place.setdefault((at, rack.unit), []).append(f"{layout.cabinets[rack.cabinet].name} {rack.name}")
    for (at, unit), racks in by_place.items():
        if len(racks) > 1:
            yield report_of_plant(
                "R58",
                f"{at}:{unit}",
                Station.INPUT,
                f"{' and '.join(racks)} are both at {at}, unit {unit}: they read one device twice",
            )


@rule(
    "R59",
    "an address that departs from the rule",
    "the plant's rule of addresses",
    (),
    scope="plant",
    harm="confuses",
    looks="each rack's network address against what its names make of the rule",
)
def departs(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A rack whose address is not what the plant's rule makes of its cabinet and its name."""
    if not image.conventions.address_rule:
        return
    layout = image.layout
    for rack, ruled in departures(image.conventions.address_rule, layout):
        name = f"{layout.cabinets[rack.cabinet].name} {rack.name}"
        yield report_of_plant(
            "R59", f"{rack.id}", Station.INPUT, f"{name} is at {rack.host}; the rule makes it {ruled}"
        )


_FED = ("signal", "supply", "wires", "takes_ma", "load_ma", "channel", "mode")


def _on_same_rack(image: PlantImage, points: set[int]) -> set[int]:
    """The points whose modules share a rack with those of some points."""
    modules = image.layout.modules
    racks = {modules[m].rack for p in points if image.has(p) and (m := int(image.module[image.row_of(p)])) in modules}
    here = [number for number, module in modules.items() if module.rack in racks]
    return set(image.ids[np.isin(image.module, here)].tolist())


@rule(
    "R60",
    "more load than it carries",
    "ratings of module types: feeds, fuses, bus, 24 V",
    _FED,
    near=_on_same_rack,
    harm="destroys",
    looks="what modules, fuses, buses and supplies carry against their ratings",
)
def overloaded(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A module that feeds more than it may, a fuse that blows, a bus or a supply that gives less than is taken."""
    layout = image.layout
    mine = rows[image.landed[rows]]
    rated = [
        n for n, m in layout.modules.items() if layout.types[m.type_key].loop_ma or layout.types[m.type_key].fuse_ma
    ]
    supplied = {
        m.rack for m in layout.modules.values() if (k := layout.types[m.type_key]).gives_ma or k.backplane_gives_ma
    }
    in_racks = [n for n, m in layout.modules.items() if m.rack in supplied]
    mine = mine[np.isin(image.module[mine], [*rated, *in_racks])]
    if not len(mine):
        return
    ma, modules = device_ma(image, mine), image.module[mine]
    numbers, at = np.unique(modules, return_inverse=True)
    sums = dict(zip(numbers.tolist(), np.bincount(at, ma).tolist(), strict=True))
    kinds = [layout.type_of(n) for n in numbers.tolist()]
    behind = np.array([kind.channels_a_fuse or 64 for kind in kinds])[at]
    fuse, of_fuse = np.unique(modules * 64 + image.channel[mine] // behind, return_inverse=True)
    through = np.bincount(of_fuse, ma)
    ratings = {
        n: (kind.loop_ma or np.inf, kind.fuse_ma or np.inf) for n, kind in zip(numbers.tolist(), kinds, strict=True)
    }
    over = {n for n in ratings if sums[n] > ratings[n][0]}
    over |= {
        key // 64 for key, taken in zip(fuse.tolist(), through.tolist(), strict=True) if taken > ratings[key // 64][1]
    }
    for module in sorted(over):
        kind = layout.type_of(module)
        here = mine[modules == module].tolist()
        found = module_load(image, module, here)
        address = layout.address(module, 0).rpartition("·")[0]
        for part, load in enumerate((found.feeds, *found.fuses)):
            if load.over:
                yield _over(image, f"{address} {kind.title}", load, here, about=f"{module}:{part}")
    for rack in {layout.modules[n].rack for n in numbers.tolist()} & supplied:
        total = rack_load(image, rack, [sums.get(m.id, 0.0) for m in layout.modules_of(rack)])
        name = f"{layout.cabinets[layout.racks[rack].cabinet].name} {layout.racks[rack].name}"
        for load in (total.bus, total.supply):
            if load.over:
                here = mine[np.isin(modules, [m.id for m in layout.modules_of(rack)])].tolist()
                yield _over(image, name, load, here, about=f"rack {rack}:{load.name}")


def _over(image: PlantImage, where: str, load: Load, rows: list[int], about: str) -> Finding:
    text = f"{where}, {load.name}: {shown(load.ma, 0)} mA are taken and {shown(load.rating_ma, 0)} mA are there"
    return report(image, "R60", rows, Station.LOOP, text, ("takes_ma",), about=about, cause=Cause(about, where))


@rule(
    "R61",
    "what does not belong in one isolation group",
    "isolation groups of the module type",
    ("tag", "signal", "channel"),
    near=on_same_module,
    severity="bad",
    harm="destroys",
    looks="AC and DC loads by isolation group",
)
def groups_mixed(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """AC and DC loads share one group: what parts them is not made for it."""
    rows = rows[image.landed[rows]]
    loads = rows[of_signal(image, rows, lambda s: s.switch in LOADS) == 1.0]
    groups: dict[tuple[int, int], list[int]] = {}
    for row in loads.tolist():
        kind = image.layout.type_of(int(image.module[row]))
        if kind.channels_a_group != 1:
            groups.setdefault((int(image.module[row]), kind.group_of(int(image.channel[row]))), []).append(row)
    for (module, group), here in groups.items():
        mains = [row for row in here if image.text("signal", row) == "load AC"]
        others = [row for row in here if row not in mains]
        if mains and others:
            title = image.layout.type_of(module).title
            text = f"{image.label(mains[0])} switches AC and {image.label(others[0])} DC in one isolation group of {title}"
            yield report(image, "R61", here, Station.LOOP, text, ("signal", "channel"), about=f"{module}:{group}")


@rule(
    "R62",
    "mains and signals in one cable",
    "segregation by voltage (IEC 60204-1, 13.1.3)",
    ("tag", "cable", "signal"),
    group="cable",
    severity="bad",
    harm="destroys",
    looks="what is together in each cable",
)
def mains_beside_signals(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A multicore that carries 230 V beside signals: hum on all of them, and mains on them when it is hurt."""
    held = rows[image.filled("cable")[rows] & (image.family[rows] != Family.NONE)]
    if not len(held):
        return
    mains = of_signal(image, held, lambda s: s.switch in _AC) == 1.0
    if not mains.any():
        return
    cables: dict[str, list[int]] = {}
    for at, row in enumerate(held.tolist()):
        cables.setdefault(image.text("cable", row).casefold(), []).append(at)
    for name, places in cables.items():
        some = [at for at in places if mains[at]]
        others = [at for at in places if not mains[at]]
        if some and others:
            here = [int(held[at]) for at in (*some, *others)]
            with_mains, beside = (", ".join(image.label(int(held[at])) for at in part[:3]) for part in (some, others))
            text = f"cable {image.text('cable', here[0])} carries {image.conventions.mains_v:g} V AC for {with_mains} beside the signals of {beside}"
            yield report(image, "R62", here, Station.LOOP, text, ("cable",), about=name)


@rule(
    "R63",
    "fewer cores than wires",
    "a compensated element needs each of its wires",
    ("cores", "wires", "signal"),
    harm="hides",
    looks="the cores typed for a resistance element against its wires",
)
def too_few_cores(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """An element with three or four wires on two cores: what the wires were for is lost."""
    rows = rows[(image.family[rows] == Family.RESISTANCE) & image.filled("cores")[rows] & image.filled("wires")[rows]]
    for row in rows.tolist():
        cores, wires = len(cores_of(image.text("cores", row))), int(image.number("wires")[row])
        if cores < wires:
            text = f"the element has {wires} wires and the list gives it {cores} core{'s' if cores > 1 else ''}"
            yield report(image, "R63", [row], Station.LOOP, text, ("cores", "wires"))


@rule(
    "R98",
    "too warm or too cold for its modules",
    "data sheets: the air in which a module works",
    (),
    scope="plant",
    harm="wavers",
    looks="how warm each cabinet is inside against what its modules work in",
)
def beyond_its_air(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A cabinet that is warmer, or colder, than a module of it may have: it drifts, ages, or stops."""
    layout = image.layout
    told: dict[tuple[int, str], int] = {}
    for module in layout.modules.values():
        told.setdefault((layout.racks[module.rack].cabinet, module.type_key), module.rack)
    for (number, key), rack in sorted(told.items()):
        kind, cabinet, degc = layout.types[key], layout.cabinets[number], rack_ambient_degc(image, rack)
        if kind.hottest_degc is not None and degc > kind.hottest_degc:
            says = f"works up to {shown(kind.hottest_degc, 0)} °C"
        elif kind.coldest_degc is not None and degc < kind.coldest_degc:
            says = f"works from {shown(kind.coldest_degc, 0)} °C on"
        else:
            continue
        text = f"it is {shown(degc, 0)} °C in {cabinet.name}, and {kind.title} {says}"
        yield report_of_plant("R98", f"{cabinet.name}:{key}", Station.INPUT, text)


@rule(
    "R99",
    "spares that are on",
    "the plant's rule for unused channels",
    ("channel",),
    scope="plant",
    severity="note",
    harm="confuses",
    looks="unused channels that could be switched off, where the plant wants them off",
)
def spares_on(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """An unused channel that is on reports its open terminals for ever, and a true fault is lost among them."""
    if image.conventions.reserve.spares != "switched off":
        return
    layout = image.layout
    held = set(zip(image.module[image.landed].tolist(), image.channel[image.landed].tolist(), strict=True))
    for module in layout.modules.values():
        kind = layout.types[module.type_key]
        if not any(setting.of == "enabled" for setting in kind.settings):
            continue
        on = [n for n in range(kind.channels) if (module.id, n) not in held and n not in module.off]
        if on:
            numbers = ", ".join(str(n + layout.channel_base) for n in on)
            where = layout.address(module.id, 0).rpartition("·")[0]
            are = "channel is" if len(on) == 1 else "channels are"
            text = f"{where} {kind.title}: {len(on)} unused {are} on ({numbers})"
            yield report_of_plant("R99", str(module.id), Station.INPUT, text)
