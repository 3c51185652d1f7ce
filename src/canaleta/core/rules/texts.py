"""Rules about what is written: tags against the device and the plant's shape, texts against ranges and states."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Bools, Rows
from canaleta.core.notation.patterns import SPACE, Lines, compiled, lines_with
from canaleta.core.notation.tags import Tag, function_of, has_shape, letters_in, own_letters, read_tag
from canaleta.core.notation.text import RangeText, TextError, as_typed, plain, read_range
from canaleta.core.notation.units import Unit, factor_and_offset, find_unit, find_unit_and_reference
from canaleta.core.rules.finding import Cause, Cell, Finding, Fix
from canaleta.core.rules.rule import report, rule
from canaleta.core.sheet.follows import followed_by
from canaleta.core.signals.signal_types import Family

_QUOTED = compiled(
    rf"(?:^|[^\pL\pN_.,\-])((?:[-+\x{{2212}}]?\d+(?:[.,]\d+)?){SPACE}*(?:\.\.\.?|\x{{2026}}|\x{{2013}}|-|to|bis){SPACE}*"
    rf"(?:[-+\x{{2212}}]?\d+(?:[.,]\d+)?){SPACE}*([^\s\d,;.()]{{1,8}}))"
)
_BARE = {Family.THERMOCOUPLE, Family.RESISTANCE}
_SUSPECT = {"T": (*_BARE, Family.CONTACT), "E": (Family.LINEAR,), "S": (Family.LINEAR,)}
"""Families of signal that a last function letter does not go with, or not always."""
_may_quote = lines_with(rf"\d{SPACE}*(?:\.\.|\x{{2026}}|\x{{2013}}|-|to|bis){SPACE}*[-+\x{{2212}}\d]")


@rule(
    "R49",
    "tag against device and rule",
    "ISA-5.1 letters; the plant's own shape of a tag",
    ("tag", "signal", "device_unit"),
    looks="a tag's letters against signal and unit, its shape against the plant's",
    harm="confuses",
)
def tag_disagrees(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Letters that name another kind of device than the signal is; a tag that has not the plant's shape."""
    rule_text = image.conventions.tag_rule
    try:
        own = own_letters(image.conventions.tag_letters)
    except TextError:
        own = {}
    tags = image.cells["tag"][rows]
    if rule_text:
        for at, tag in enumerate(tags):
            if tag and not has_shape(rule_text, tag):
                yield _tag_finding(
                    image, int(rows[at]), "shape", f"{tag} has not the shape {rule_text} that the plant has set"
                )
    # What the same letters on the same kind of signal have nothing against, they have nothing against again.
    letters, family = image.letters[rows], image.family[rows].astype(np.int64)
    kind = (family * 64 + image.code("signal")[rows]) * 4096 + image.unit("device_unit")[rows]
    suspect = (letters != 0) & ~_beyond_suspicion(letters, family)
    asked = np.flatnonzero(suspect)
    silent: set[tuple[int, int]] = set()
    for at in asked[np.lexsort((asked, kind[asked], letters[asked]))].tolist():
        row, tag, alike = int(rows[at]), tags[at], (int(letters[at]), int(kind[at]))
        if alike in silent or not tag or (rule_text and not has_shape(rule_text, tag)):
            continue
        read = read_tag(tag)
        if read is None:
            continue
        if read.letters in own or not (says := _letters(image, row, read)):
            silent.add(alike)
        else:
            yield _tag_finding(image, row, "letters", says)


def _beyond_suspicion(letters: NDArray[np.int64], family: NDArray[np.int64]) -> Bools:
    """Where a tag's letters go with whatever signal there is: no temperature or pressure, and no last letter that minds."""
    known, where = np.unique(letters, return_inverse=True)
    words = [letters_in(int(code)) for code in known]
    out = ~np.array([word[:1] in tuple("TP") for word in words], dtype=bool)[where]
    minds = np.array([function_of(word) for word in words])[where]
    for function, families in _SUSPECT.items():
        out &= ~((minds == function) & np.isin(family, families))
    return out


def _lines(image: PlantImage, rows: Rows, seek: Callable[[Iterable[str | None] | Lines], list[int]]) -> list[int]:
    """Which of some rows have something in their service text; of the whole plant the texts are put together once, and each
    search is made once."""
    if len(rows) < len(image):
        return seek(image.cells["service"][rows])
    lines = image.once("lines service", lambda: Lines(image.cells["service"]))
    found: list[int] = image.once(f"lines {id(seek)}", lambda: seek(lines))
    return found


def _letters(image: PlantImage, row: int, tag: Tag) -> str:
    """What the letters say that the device is not; "" if nothing."""
    family, signal = Family(int(image.family[row])), image.text("signal", row)
    name = image.label(row)
    if tag.function == "T" and family in _BARE:
        return f"{name} says {tag.meaning}, but {signal} is a bare element: those are {tag.letters[:-1]}E"
    if tag.function == "E" and family == Family.LINEAR and signal == "4–20 mA":
        return f"{name} says {tag.meaning}, but {signal} comes from a transmitter: those are {tag.letters[:-1]}T"
    if tag.function == "S" and family == Family.LINEAR and signal == "4–20 mA":
        return f"{name} says {tag.meaning}, but its signal is {signal}"
    if tag.function == "T" and family == Family.CONTACT:
        return f"{name} says {tag.meaning}, but its signal is a {signal}"
    unit = find_unit(image.text("device_unit", row))
    wrong = (
        unit is not None
        and tag.function
        and (
            (tag.letters[0] == "T" and unit.quantity == "pressure")
            or (tag.letters[0] == "P" and unit.quantity == "temperature")
        )
    )
    return f"{name} says {tag.meaning}, but the device is in {unit.shown}" if wrong and unit else ""


def _tag_finding(image: PlantImage, row: int, cause: str, says: str) -> Finding:
    shared = None
    if cause == "shape":
        shape = image.conventions.tag_rule
        shared = Cause(f"tag_rule:{shape}", f"the shape of tags that the plant has set: {shape} (Rules, tag_rule)")
    return report(image, "R49", [row], Station.POINT, says, ("tag",), about=f"{image.ids[row]}:{cause}", cause=shared)


_RANGES = ("device_low", "device_high", "device_unit", "value_low", "value_high", "value_unit")


@rule(
    "R08",
    "unit of the range against the text",
    "text and number agree",
    ("service", *_RANGES),
    looks="a range quoted in the text against the range's unit",
    harm="falsifies",
)
def unit_in_text(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The text quotes the same figures as the range, in another unit."""
    for row, quoted, unit, stands in _quoting(image, rows):
        for side in ("device", "value"):
            shown = image.text(f"{side}_unit", row)
            if not shown or shown == unit.shown or not _same_figures(image, row, side, quoted):
                continue
            point = int(image.ids[row])
            yield report(
                image,
                "R08",
                [row],
                Station.DEVICE if side == "device" else Station.VALUE,
                f"the text says {_told(quoted)} {unit.shown}, the {side} is in {shown}",
                ("service", f"{side}_unit"),
                fixes=(
                    Fix(f"follow the text: {unit.shown}", ((Cell(point, f"{side}_unit"), unit.shown),)),
                    _corrected(image, row, stands, _range_of(image, row, side)),
                ),
            )
            break


@rule(
    "R27",
    "text contradicts range or state",
    "text and number agree",
    ("service", "signal", "text_0", "text_1", *_RANGES),
    looks="a range quoted in the text against the range; the words of both states",
    harm="confuses",
)
def text_contradicts(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The text quotes a range that neither device nor value has; or both states of a switch say the same."""
    for row, quoted, unit, stands in _quoting(image, rows):
        sides = [side for side in ("device", "value") if image.text(f"{side}_unit", row)]
        fits = [_agrees(image, row, side, quoted, unit) for side in sides]
        comparable = [fit for fit in fits if fit is not None]
        figures = any(_same_figures(image, row, side, quoted) for side in sides)
        if not comparable or any(comparable) or figures:
            continue
        point = int(image.ids[row])
        has = " and ".join(dict.fromkeys(_range_of(image, row, side) for side in sides))
        text = f"{as_typed(plain(quoted.low))}…{as_typed(plain(quoted.high))} {unit.shown}"
        yield report(
            image,
            "R27",
            [row],
            Station.DEVICE,
            f"the text says {text}, the range is {has}",
            ("service", "device_low", "device_high"),
            about=f"{point}:range",
            fixes=(
                Fix(f"follow the text: {text}", ((Cell(point, "device_low"), text),)),
                _corrected(image, row, stands, _range_of(image, row, sides[0])),
            ),
        )
    switches = rows[
        (image.family[rows] == Family.CONTACT) & image.filled("text_0")[rows] & image.filled("text_1")[rows]
    ]
    words = list(zip(image.cells["text_0"][switches], image.cells["text_1"][switches], strict=True))
    alike = {pair for pair in set(words) if pair[0].casefold() == pair[1].casefold()}
    for row, pair in zip(switches.tolist(), words, strict=True) if alike else ():
        if pair in alike:
            zero = pair[0]
            point = int(image.ids[row])
            yield report(
                image,
                "R27",
                [row],
                Station.VALUE,
                f"0 and 1 both say “{zero}”: nobody can tell them apart",
                ("text_0", "text_1"),
                about=f"{point}:state",
            )


@rule(
    "R101",
    "a unit in the text that is not known",
    "what a range is told in is one of the units of UCUM",
    ("service", *_RANGES),
    severity="note",
    harm="confuses",
    looks="a range quoted in the text with the figures of the point's own range, and the unit behind it",
)
def unknown_unit(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The text tells the point's own figures in a unit that nobody knows: it could not be held against the range's."""
    texts = image.cells["service"][rows]
    for at in _lines(image, rows, _may_quote):
        row, text = int(rows[at]), texts[at]
        for found in _QUOTED.finditer(text):
            if find_unit_and_reference(found[2]) or not found[2][0].isalpha():
                continue
            try:
                quoted = read_range(found[1].removesuffix(found[2]))
            except TextError:
                continue
            sides = [
                s
                for s in ("device", "value")
                if quoted and image.text(f"{s}_unit", row) and _same_figures(image, row, s, quoted)
            ]
            if quoted and sides:
                says = f"the text says {_told(quoted)} {found[2]}, and {found[2]} is no unit that is known here; the {sides[0]} is in {image.text(f'{sides[0]}_unit', row)}"
                fix = _corrected(image, row, str(found[1]), _range_of(image, row, sides[0]))
                yield report(image, "R101", [row], Station.POINT, says, ("service",), fixes=(fix,))
                break


def _quoting(image: PlantImage, rows: Rows) -> Iterator[tuple[int, RangeText, Unit, str]]:
    """Rows whose service quotes a range with a unit of the table, what it quotes, and how that stands there."""
    texts = image.cells["service"][rows]
    for at in _lines(image, rows, _may_quote):
        row, text = int(rows[at]), texts[at]
        for found in _QUOTED.finditer(text):
            try:
                known = find_unit_and_reference(found[2])
                quoted = read_range(found[1]) if known else None
            except TextError:
                continue
            if known is None:
                continue
            unit = known[0]
            if quoted and unit.quantity not in ("", "electric current", "electric potential"):
                yield row, quoted, unit, str(found[1])
                break


def _corrected(image: PlantImage, row: int, stands: str, right: str) -> Fix:
    """The text with the range that the list has in the place of the one that it quotes."""
    text = image.text("service", row).replace(stands, right, 1)
    return Fix(f"correct the text: {right}", ((Cell(int(image.ids[row]), "service"), text),))


def _told(quoted: RangeText) -> str:
    return f"{as_typed(plain(quoted.low))}…{as_typed(plain(quoted.high))}"


def _ends(image: PlantImage, row: int, side: str) -> tuple[Decimal, Decimal] | None:
    low, high = image.cells[f"{side}_low"][row], image.cells[f"{side}_high"][row]
    return (low, high) if isinstance(low, Decimal) and isinstance(high, Decimal) else None


def _same_figures(image: PlantImage, row: int, side: str, quoted: RangeText) -> bool:
    ends = _ends(image, row, side)
    return ends is not None and ends == (quoted.low, quoted.high)


def _agrees(image: PlantImage, row: int, side: str, quoted: RangeText, unit: Unit) -> bool | None:
    """Whether the range on one side is the one quoted, within the plant's share of span; None if it cannot be
    told."""
    ends, shown = _ends(image, row, side), image.text(f"{side}_unit", row)
    pair = factor_and_offset(unit.shown, shown) if ends and find_unit(shown) else None
    if ends is None or pair is None:
        return None
    low, high = (float(end) * pair[0] + pair[1] for end in (quoted.low, quoted.high))
    allowed = image.conventions.agreement_share * abs(high - low)
    return abs(low - float(ends[0])) <= allowed and abs(high - float(ends[1])) <= allowed


def _range_of(image: PlantImage, row: int, side: str) -> str:
    low, high = (as_typed(image.text(f"{side}_{end}", row)) for end in ("low", "high"))
    return f"{low}…{high} {image.text(f'{side}_unit', row)}"


_TYPED_ADDRESS = compiled(r"%[IQM][XBWD]?\d+(?:\.\d+)*")
_WRITTEN = {"service": "service text", "notes": "notes", "alarm_says": "alarm's text"}


@rule(
    "R40",
    "an address typed into a text",
    "addresses are derived, and move with the modules",
    (*_WRITTEN, "channel"),
    harm="confuses",
    looks="direct addresses in texts against the one the channel has",
)
def typed_address(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A text names a direct address that is not the point's: it was right once, before something moved."""
    for name in _WRITTEN:
        for row in rows[image.filled(name)[rows]].tolist():
            text = image.cells[name][row]
            found = _TYPED_ADDRESS.findall(text) if "%" in text else ()
            if not found or int(image.module[row]) not in image.layout.modules:
                continue
            own = followed_by(image, ("channel",), [row])["direct"][0]
            point = int(image.ids[row])
            if own and (stale := next((address for address in found if address != own), "")):
                fix = Fix(f"say {own}", ((Cell(point, name), text.replace(stale, own)),))
                yield report(
                    image,
                    "R40",
                    [row],
                    Station.INPUT,
                    f"{stale} stands in its {_WRITTEN[name]}, and its address is {own}",
                    (name, "channel"),
                    about=f"{point}:{name}",
                    fixes=(fix,),
                )


_SIGNALS = compiled(
    rf"(?:^|[^\pL\pN])((?P<ma>4{SPACE}*(?:-|\x{{2013}}|\.\.\.?|\x{{2026}}|to){SPACE}*20{SPACE}*mA)|(?P<v>0{SPACE}*(?:-|\x{{2013}}|\.\.\.?|\x{{2026}}|to)"
    rf"{SPACE}*10{SPACE}*V)|(?P<rtd>PT{SPACE}?1000?)|(?:thermocouple|TC){SPACE}(?:type{SPACE})?(?P<tc>[BEJKNRST])|(?P<namur>NAMUR))(?:[^\pL\pN]|$)",
    ignore_case=True,
)
_may_name = lines_with(r"(?i)mA|10{0}*V|PT ?100|thermocouple|TC |NAMUR".replace("{0}", SPACE))


@rule(
    "R90",
    "the text names another signal",
    "text and signal agree",
    ("service", "signal"),
    severity="note",
    harm="confuses",
    looks="signals named in the service text against the point's own",
)
def other_signal(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A Pt100 in the text, and a thermocouple on the wires."""
    texts = image.cells["service"][rows]
    for at in _lines(image, rows, _may_name):
        row, signal = int(rows[at]), image.text("signal", int(rows[at]))
        found = _SIGNALS.search(texts[at])
        if found is None or not signal:
            continue
        says = found.groupdict()
        wanted = (
            "4–20 mA" if says["ma"] else "0–10 V" if says["v"] else f"TC {says['tc'].upper()}" if says["tc"] else "NAMUR" if says["namur"]
            else f"Pt{''.join(c for c in says['rtd'] if c.isdigit())}"
        )  # fmt: skip
        if not signal.startswith(wanted):
            text = f"the text says {found[1]}, and the signal is {signal}"
            yield report(image, "R90", [row], Station.POINT, text, ("service", "signal"))
