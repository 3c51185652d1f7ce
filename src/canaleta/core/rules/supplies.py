"""Rules about what feeds what: fuses over their rating, supplies that are not there, signals that two supplies compare."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from canaleta.core.hardware.loads import carried
from canaleta.core.model.feeding import channel_feeds, fed, feeds_of, supply_of
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import shown
from canaleta.core.rules.finding import Cell, Finding, Fix
from canaleta.core.rules.rule import report, report_of_plant, rule
from canaleta.core.signals.signal_types import Family


def _on_same_supply(image: PlantImage, points: set[int]) -> set[int]:
    """The points that are fed from what feeds some points."""
    feeds = image.conventions.feeds
    if not feeds.by_name:
        return set()
    names = feeds_of(image, points)
    texts = fed(image, np.arange(len(image)))
    chains = {text: {f.name for f in feeds.chain(text)} for text in set(texts) - {None}}
    also = [row for row, text in enumerate(texts) if text is not None and names & chains[text]]
    return set(image.ids[also].tolist())


@rule(
    "R88",
    "a fuse that carries more than it may",
    "ratings of supplies and fuses, as the plant has put them down",
    ("fed_from", "takes_ma", "load_ma", "signal", "supply", "wires", "channel"),
    near=_on_same_supply,
    severity="settle",
    harm="hides",
    looks="what points take together from the supplies and fuses that feed them",
)
def over_fuse(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The currents of all that a fuse feeds add up to more than it lets through: it opens, and all of them are gone."""
    feeds = image.conventions.feeds
    if not feeds.by_name:
        return
    for name, there in carried(image, rows).items():
        most = feeds.by_name[name.casefold()].amperes
        if most is not None and there.ma > 1000.0 * most:
            text = f"{name} carries {shown(there.ma, 0)} mA for {len(there.rows)} points, and {shown(1000.0 * most, 0)} mA are its rating"
            yield report(image, "R88", there.rows, Station.LOOP, text, ("fed_from",), about=name)


@rule(
    "R89",
    "fed from what is not there",
    "a name on a drawing is one of the plant's supplies and fuses",
    ("fed_from",),
    severity="note",
    harm="confuses",
    looks="names of supplies and fuses against those that the plant has put down",
)
def fed_by_nothing(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A fuse that nobody put down, where some are: its voltage and its rating are not known."""
    feeds = image.conventions.feeds
    if not feeds.by_name:
        return
    for row in rows[image.filled("fed_from")[rows]].tolist():
        name = image.text("fed_from", row)
        if not feeds.chain(name):
            text = f"it is fed from {name}, and the plant has no such supply or fuse (Rules, supplies)"
            yield report(image, "R89", [row], Station.LOOP, text, ("fed_from",))


@rule(
    "R96",
    "a supply on channels that are not there",
    "a place on a drawing is one of the plant's",
    (),
    scope="plant",
    severity="note",
    harm="confuses",
    looks="the cabinets, racks, modules and channels that supplies and fuses are said to be on",
)
def on_nothing(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A supply that is said to be on a cabinet, a rack or a module that the plant does not have feeds nothing."""
    layout = image.layout
    seats = {
        (layout.cabinets[rack.cabinet].name.casefold(), rack.name.casefold(), layout.slots[module.id]): module
        for module in layout.modules.values()
        for rack in (layout.racks[module.rack],)
    }
    for feed in image.conventions.feeds.by_name.values():
        for group in feed.on:
            here = [
                m
                for (cabinet, rack, slot), m in seats.items()
                if cabinet == group.cabinet.casefold() and group.holds(rack, slot)
            ]
            last = layout.channel_base - 1 + max((layout.types[m.type_key].channels for m in here), default=0)
            if here and group.last <= last:
                continue
            why = "the plant has no such place" if not here else f"its last channel is {last}"
            text = f"{feed.name} is said to be on {group.text}, and {why} (Rules, supplies)"
            yield report_of_plant("R96", f"{feed.name}:{group.text}", Station.LOOP, text)


@rule(
    "R97",
    "a ratio of two supplies",
    "a span that follows the supply cancels that one alone",
    ("fed_from", "signal", "channel", "mode"),
    severity="settle",
    harm="falsifies",
    looks="what feeds a device against the supply that its channel compares it with",
)
def two_supplies(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The channel's span moves with its own supply, and the device hangs on another: what one of them moves by is read as
    value."""
    feeds, table = image.conventions.feeds, image.layout.mode_table
    if not feeds.grouped or not len(table.follows_supply):
        return
    mode = image.mode[rows]
    rows = rows[(mode >= 0) & table.follows_supply[np.maximum(mode, 0)] & (image.family[rows] == Family.LINEAR)]
    rows = rows[image.filled("fed_from")[rows]]
    _, least, greatest = supply_of(image, rows)
    for at, (row, on) in enumerate(zip(rows.tolist(), channel_feeds(image, rows), strict=True)):
        device, channel = feeds.chain(image.text("fed_from", row)), feeds.chain(on or "")
        if not device or not channel or device[-1].name == channel[-1].name:
            continue
        swing = 100.0 * (greatest[at] - least[at]) / (greatest[at] + least[at]) if least[at] < greatest[at] else 0.0
        by = f": it may be off by {shown(swing, 0)} % of the reading" if swing else ""
        text = f"the device is fed by {device[-1].name} and its channel compares it with {channel[-1].name}{by}"
        fix = Fix(f"it is fed from {channel[0].name}", ((Cell(int(image.ids[row]), "fed_from"), channel[0].name),))
        yield report(image, "R97", [row], Station.LOOP, text, ("fed_from", "channel"), fixes=(fix,))
