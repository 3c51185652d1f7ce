"""Rules about what is watched live: deviations, quiet by design, lamps of bands, where a controller shows its
value."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

import numpy as np

from canaleta.core.checks.own_numbers import must_be_of
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import TextError
from canaleta.core.rules.finding import Finding
from canaleta.core.rules.rule import report, rule
from canaleta.core.signals.bands import bands_of
from canaleta.core.signals.decodings import Shown, read_limits, read_pair, read_shown
from canaleta.core.signals.signal_types import Family


@rule(
    "R65",
    "a deviation from nothing",
    "IEC 62682: a deviation is counted from a set point",
    ("alarm_dev", "alarm_dev_from"),
    looks="deviation alarms and their set points",
    harm="hides",
)
def deviation_from_nothing(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A deviation alarm without a set point counts from zero."""
    bare = image.filled("alarm_dev")[rows] & ~image.filled("alarm_dev_from")[rows]
    for row in rows[bare].tolist():
        text = (
            f"a deviation of {image.text('alarm_dev', row)} is an alarm, and no set point is said: it counts from 0"
        )
        yield report(image, "R65", [row], Station.VALUE, text, ("alarm_dev",))


def _suppressed(image: PlantImage, points: set[int]) -> set[int]:
    """Some points with those that name one of them as what keeps them quiet."""
    tags = {image.cells["tag"][image.row_of(p)] for p in points if image.has(p)}
    named = np.flatnonzero(image.filled("quiet_while"))
    return points | {int(image.ids[row]) for row in named.tolist() if image.cells["quiet_while"][row] in tags}


@rule(
    "R66",
    "suppressed by nobody",
    "IEC 62682: what suppresses an alarm by design is a known state",
    ("quiet_while", "tag", "signal", "on_at"),
    near=_suppressed,
    looks="which points suppress the alarms of others",
    harm="hides",
)
def suppressed_by_nobody(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The point that suppresses alarms is not there, is the point itself, or has no state that could."""
    named = rows[image.filled("quiet_while")[rows]]
    if not len(named):
        return
    by_tag = {tag: row for row, tag in enumerate(image.cells["tag"])}
    for row in named.tolist():
        tag = image.text("quiet_while", row)
        other = by_tag.get(tag)
        if other is None:
            text = f"its alarms are suppressed while {tag} is on, and no point is called so: they never are"
        elif other == row:
            text = "its alarms are suppressed while it is on itself"
        elif image.family[other] != Family.CONTACT and image.cells["on_at"][other] is None:
            text = f"its alarms are suppressed while {tag} is on, and {tag} has no state: they never are"
        else:
            continue
        yield report(image, "R66", [row], Station.VALUE, text, ("quiet_while",))


@rule(
    "R67",
    "lamps and bands do not pair",
    "each band lights what is named for it",
    ("bands", "bands_lamps"),
    looks="how many lamps are named for how many bands",
    harm="confuses",
    severity="settle",
)
def lamps_without_bands(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """More or fewer lamps than bands."""
    rows = rows[image.filled("bands_lamps")[rows]]
    counts = {
        text: len(bands.names) if (bands := bands_of(text or "")) else 0 for text in {*image.cells["bands"][rows]}
    }
    for row, text, named in zip(
        rows.tolist(), image.cells["bands"][rows], image.cells["bands_lamps"][rows], strict=True
    ):
        lamps, names = named.count(";") + 1, counts[text]
        if lamps != names:
            one = "lamp is" if lamps == 1 else "lamps are"
            text = f"{lamps} {one} named for {names} bands: one for each, with nothing between two semicolons where none lights"
            yield report(image, "R67", [row], Station.VALUE, text, ("bands_lamps",))


@rule(
    "R68",
    "where the controller has it cannot be read",
    "an address is registers and a data type (IEC 61131-3)",
    ("controller_at", "pair_at", "limits_at"),
    looks="the addresses at which the controller shows its own value, and keeps its own pair and limits",
    harm="hides",
)
def unreadable_address(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """An address that means nothing is never read, and its difference never seen."""
    of_text: tuple[tuple[str, Callable[[str], Iterable[Shown]]], ...] = (
        ("controller_at", lambda text: [read_shown(text)]),
        ("pair_at", read_pair),
        ("limits_at", lambda text: read_limits(text).values()),
    )
    for name, read in of_text:
        for row in rows[image.filled(name)[rows]].tolist():
            try:
                places = read(image.text(name, row))
                module = image.layout.modules.get(int(image.module[row]))
                # The value that a controller shows is read where it has registers, whatever the rack is.
                if name != "controller_at" and module is not None:
                    must_be_of(places, image.layout.racks[module.rack])
            except TextError as error:
                about = "" if name == "controller_at" else f"{image.ids[row]}:{name}"
                yield report(image, "R68", [row], Station.COUNTS, str(error), (name,), about=about)
