"""Rules about what a point is called and what it claims: one tag, one channel."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.tags import has_shape
from canaleta.core.rules.finding import Cell, Finding, Fix
from canaleta.core.rules.rule import report, rule
from canaleta.core.sheet.series import counted_on

MOST_TRIED = 1000


def _groups(image: PlantImage, field: str, rows: Rows) -> list[list[int]]:
    """Rows that say the same in a field, where more than one does, in the order of the list."""
    if field == "channel":
        held = rows[image.module[rows] >= 0]
        keys = (image.module[held] * 4096 + image.channel[held]).tolist()
    else:
        held = rows[image.filled(field)[rows]]
        keys = image.folded(field)[held].tolist()
    if len(set(keys)) == len(keys):
        return []
    by_key: dict[object, list[int]] = {}
    for row, key in zip(held.tolist(), keys, strict=True):
        by_key.setdefault(key, []).append(row)
    return [group for group in by_key.values() if len(group) > 1]


@rule(
    "R01",
    "duplicate tag",
    "a tag names one device (IEC 62424 practice)",
    ("tag", "service"),
    group="tag",
    looks="tags against each other, whatever their case",
    severity="bad",
    harm="confuses",
)
def duplicate_tag(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Two points with one tag: neither can be called up with certainty."""
    for group in _groups(image, "tag", rows):
        tag = image.label(group[0])
        services = " · ".join(image.text("service", row) or "no service" for row in group)
        last = Cell(int(image.ids[group[-1]]), "tag")
        free = _free_name(image, tag)
        yield report(
            image,
            "R01",
            group,
            Station.POINT,
            f"{len(group)} points are called {tag}: {services}",
            ("tag",),
            about=tag.casefold(),
            fixes=(Fix(f"call the last one {free}", ((last, free),)),),
        )


@rule(
    "R51",
    "second name twice",
    "a reference designation names one object (IEC 81346)",
    ("tag", "second_name"),
    group="second_name",
    looks="second names against each other",
    severity="bad",
    harm="confuses",
)
def second_name_twice(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Two points with one second name."""
    for group in _groups(image, "second_name", rows):
        name, tags = image.text("second_name", group[0]), ", ".join(image.label(row) for row in group)
        yield report(
            image,
            "R51",
            group,
            Station.POINT,
            f"{tags} have one second name, {name}",
            ("second_name",),
            about=name.casefold(),
        )


@rule(
    "R02",
    "two claims on a channel",
    "one terminal, one use",
    ("channel", "tag"),
    group="channel",
    looks="claims on each channel",
    severity="bad",
    harm="hides",
)
def two_claims(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Two points on one channel: one holds it, the others wish for it."""
    for group in _groups(image, "channel", rows):
        holders = [row for row in group if image.landed[row]]
        wishing = [row for row in group if not image.landed[row]]
        first = group[0]
        address = image.text("channel", first)
        held = f"{image.label(holders[0])} holds {address}; " if holders else f"nobody holds {address}; "
        names = ", ".join(image.label(row) for row in wishing)
        free = _free_channel(image, first)
        last = Cell(int(image.ids[(wishing or group)[-1]]), "channel")
        fixes = [Fix(f"land {image.label((wishing or group)[-1])} on {free}", ((last, free),))] if free else []
        fixes.append(Fix(f"{image.label((wishing or group)[-1])} gives it up", ((last, ""),)))
        yield report(
            image,
            "R02",
            group,
            Station.INPUT,
            f"{held}{names} {'claims' if len(wishing) == 1 else 'claim'} it too and reads nothing",
            ("channel",),
            about=f"{image.module[first]}:{image.channel[first]}",
            fixes=fixes,
        )


@rule(
    "R38",
    "stand-ins on one module",
    "one failure must not take both",
    ("redundant", "channel", "tag"),
    group="redundant",
    looks="points that stand in for each other, and their modules",
    harm="hides",
)
def together(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Points that stand in for each other, landed on one module: it takes both with it."""
    for group in _groups(image, "redundant", rows):
        by_module: dict[int, list[int]] = {}
        for row in group:
            if image.landed[row]:
                by_module.setdefault(int(image.module[row]), []).append(row)
        for module, here in by_module.items():
            if len(here) < 2:
                continue
            word, tags = image.text("redundant", here[0]), " and ".join(image.label(row) for row in here)
            place = image.layout.address(module, int(image.channel[here[0]])).rpartition("·")[0]
            yield report(
                image,
                "R38",
                here,
                Station.INPUT,
                f"{tags} stand in for each other ({word}) and are both on {place}",
                ("channel",),
                about=f"{word.casefold()}:{module}",
            )


@rule(
    "R52",
    "stands in for nobody",
    "who stands in is one of two at least",
    ("redundant", "tag"),
    group="redundant",
    looks="words that say who stands in for whom",
    harm="confuses",
)
def alone(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A word for stand-ins that one point alone carries: most often a slip of the pen in one of two."""
    held = rows[image.filled("redundant")[rows]]
    words = [word.casefold() for word in image.cells["redundant"][held]]
    many = Counter(words)
    for row, word in zip(held.tolist(), words, strict=True):
        if many[word] == 1:
            told = image.text("redundant", row)
            yield report(
                image,
                "R52",
                [row],
                Station.POINT,
                f"{image.label(row)} stands in as “{told}”, and nobody else does",
                ("redundant",),
                fixes=(Fix("it stands in for nobody", ((Cell(int(image.ids[row]), "redundant"), ""),)),),
            )


def _free_name(image: PlantImage, tag: str) -> str:
    taken = {(other or "").casefold() for other in image.cells["tag"]}
    rule_text, name = image.conventions.tag_rule, tag
    # By the plant's own shape, the next number that is free; else a number of its own behind the tag.
    for _ in range(MOST_TRIED if rule_text and any(c.isdigit() for c in tag) else 0):
        name = counted_on([name], 1)[0]
        if name.casefold() not in taken and has_shape(rule_text, name):
            return name
    number = 2
    while f"{tag}-{number}".casefold() in taken:
        number += 1
    return f"{tag}-{number}"


def _free_channel(image: PlantImage, row: int) -> str:
    """The address of the first channel of the same module that nobody claims, or ''."""
    module = int(image.module[row])
    if module not in image.layout.modules:
        return ""
    claimed = set(image.channel[image.module == module].tolist())
    for channel in range(image.layout.type_of(module).channels):
        if channel not in claimed:
            return image.layout.address(module, channel)
    return ""
