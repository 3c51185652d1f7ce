"""Facts of the channel itself: its addresses, what its filter does, what an open circuit means for the plant."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.addresses import addresses_of
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.filters import attenuation, decibels, response_of
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.register_tables import written_place
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.text import shown
from canaleta.core.path.evaluate import evaluate
from canaleta.core.path.facts.base import Row, Section, first, of_value
from canaleta.core.path.joints.base import PathRows
from canaleta.core.signals.signal_types import Family

__all__ = ["addresses", "filtering", "of_manual", "open_circuit"]


def _kind(p: PathRows) -> ModuleType | None:
    module = int(p.image.module[p.rows[0]])
    if module not in p.image.layout.modules:
        return None
    return p.image.layout.type_at(module, int(p.image.channel[p.rows[0]]), p.text("mode"))


def addresses(p: PathRows) -> Section | None:
    """Every address of the point's channel, and the other numbers the module has for it."""
    row, kind = int(p.rows[0]), _kind(p)
    if kind is None or not kind.registers:
        return None
    layout, module, channel = p.image.layout, int(p.image.module[row]), int(p.image.channel[row])
    rack = layout.modules[module].rack
    found = addresses_of(layout, RackMap.of(layout, rack), module, channel, p.text("mode"))
    rows = [
        Row("channel", layout.address(module, channel), "cabinet · rack · slot · channel"),
    ]
    if found.by_name:
        rows.append(Row(f"{layout.racks[rack].link} name", found.words, "picked on the module's page"))
        return Section(Station.INPUT, "addresses", tuple(rows), found.words)
    rows += [
        Row(found.table.one, found.words, "derived from the modules before it"),
        Row("direct address", found.direct, "IEC 61131-3, counted in words; the target may count bytes"),
    ]
    base = layout.first_places(rack)[module]
    for run in kind.runs(layout.racks[rack].function):
        if run.registers.holds == "other numbers" and channel in run.channels:
            place = written_place(run.table, base[run.table] + run.place_of(channel)[0], "from 0")
            says = run.registers.says or "another number"
            chosen = kind.mode_named(p.text("mode"))
            use = (
                "the one in use"
                if chosen and chosen.reads and chosen.reads == run.registers.says
                else "not the one in use"
            )
            rows.append(Row("beside it", f"{run.table.one} {place} from 0", f"{says}; {use}"))
    if kind.channels_a_group:
        rows.append(
            Row("isolation group", str(kind.group_of(channel) + 1), f"{kind.channels_a_group} channels a group")
        )
    return Section(Station.INPUT, "addresses", tuple(rows), found.direct)


def filtering(p: PathRows) -> Section | None:
    """The step response of the chosen filter, what it leaves of the mains, and whether the scan keeps up."""
    kind, name = _kind(p), p.text("filter")
    chosen = kind.filter_named(name) if kind and name else None
    if kind is None or chosen is None:
        return None
    times, hz = response_of(chosen), float(p.conventions.mains_hz)
    period = p.image.layout.racks[p.image.layout.modules[int(p.image.module[p.rows[0]])].rack].period_ms
    how = (
        f"{chosen.stages} averages over one period of {chosen.rejects_hz:g} Hz"
        if chosen.rejects_hz
        else f"{chosen.stages} first-order stage{'s' if chosen.stages > 1 else ''}"
    )
    rows = [
        Row("a step shows to 63.2 %", f"after {_ms(times.to_63_ms)}", how),
        Row("to 95 %", f"after {_ms(times.to_95_ms)}"),
        Row("to 99 %", f"after {_ms(times.to_99_ms)}"),
        Row(f"{hz:g} Hz hum", f"less by {decibels(attenuation(chosen, hz))}", "the plant's mains frequency"),
        Row(
            "oldest figure",
            f"{_ms(period + times.to_63_ms)} behind the wires",
            f"one scan of {period} ms and the filter",
        ),
    ]
    contact = p.image.family[p.rows[0]] == Family.CONTACT
    slow = contact and 0 < chosen.time_ms < 2 * period
    verdict = f"63 % of a step after {_ms(times.to_63_ms)}"
    if slow:
        verdict = f"a pulse that passes the {_ms(chosen.time_ms)} filter can fall between two scans of {period} ms"
    return Section(Station.INPUT, "filter", tuple(rows), verdict)


def open_circuit(p: PathRows) -> Section | None:
    """What is read when the circuit opens, and what the plant then does, in words of the process."""
    action, kind = p.text("open_action"), _kind(p)
    if not action or kind is None:
        return None
    counts = first(p.of_mode("open_counts"))
    if np.isnan(counts):
        return None
    value = first(evaluate(p.image, Station.COUNTS, np.array([counts]), p.rows).stations[len(STATIONS) - 1])
    goes = {"up-scale": "if_high", "down-scale": "if_low"}.get(action)
    consequence = p.text(goes) if goes else ""
    rows = [
        Row("the count goes to", shown(counts, 0), f"{action}, chosen for this channel"),
        Row(
            "which reads", of_value(p, value) if np.isfinite(value) else "no value", "unless the fault is told first"
        ),
    ]
    if goes:
        rows.append(
            Row("then", consequence or "not said yet", f"typed at “if too {'high' if goes == 'if_high' else 'low'}”")
        )
    verdict = f"{action}: {consequence}" if consequence else f"{action}: say what the plant does then"
    return Section(Station.INPUT, "open circuit", tuple(rows), verdict, "" if consequence or not goes else "settle")


def of_manual(p: PathRows) -> Section | None:
    """What the module's manual says that nothing is worked out of."""
    kind = _kind(p)
    if kind is None:
        return None
    rows = []
    if kind.supply is not None:
        rows.append(Row("its supply", f"{shown(kind.supply.low, 1)} to {shown(kind.supply.high, 1)} V"))
    if kind.feed_v:
        rows.append(Row("feeds devices with", f"{shown(kind.feed_v, 1)} V", "at its terminals"))
    if kind.on_bus_stop and kind.direction == "out":
        after = f"after {shown(kind.watch_s, 2)} s without a word" if kind.watch_s else "when nobody writes to it"
        rows.append(Row("when the bus stops", kind.on_bus_stop, after))
    rows += [Row(one.about, one.says) for one in kind.statements]
    return Section(Station.INPUT, "from the manual", tuple(rows)) if rows else None


def _ms(time: float) -> str:
    return f"{shown(time / 1000.0, 2)} s" if time >= 1000 else f"{shown(time, 0 if time >= 10 else 1)} ms"
