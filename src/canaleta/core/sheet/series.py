"""Texts counted on: tags, terminals, cores, figures, channels, from one text or from the step between several."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from decimal import Decimal

from canaleta.core.model.field import Field, Kind
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.patterns import SPACE, compiled
from canaleta.core.notation.tags import letters_of
from canaleta.core.notation.text import TextError, plain, read_number

__all__ = ["MOST", "continued", "counted_on", "next_tag"]

MOST = 20_000
LONGEST = 1_000
_LISTED = compiled(rf"[,;]{SPACE}*")
_RUN = compiled(r"\d+")


def continued(image: PlantImage, field: Field, texts: Sequence[str], count: int) -> list[str]:
    """The next `count` texts after the given ones, as a cell of that field would hold them.

    Channels go on along their module, then along the next module of the same type in the rack, and leave out what
    somebody claims. Raises TextError where nothing can be counted, or where the channels end.
    """
    if not texts or not texts[-1].strip():
        raise TextError("a series begins with a text in its first cell")
    if field.kind is Kind.ADDRESS:
        return _channels(image, texts[-1], count)
    if field.kind in (Kind.NUMBER, Kind.WHOLE):
        return _figures(texts, count)
    return counted_on(texts, count)


def counted_on(texts: Sequence[str], count: int) -> list[str]:
    """The next texts after some: every run of digits that differs between the last two goes on by that difference.

    From a single text, the last run of digits goes on by one; core lists ("1, 2") and terminals go on by their own
    length. Leading zeros keep their width. Texts without digits are repeated. Raises TextError if the two do not
    match.
    """
    last = texts[-1]
    if len(last) > LONGEST:
        raise TextError(f"{len(last)} characters: a series goes on from {LONGEST} at most")
    runs = [(m.start(), m.end(), int(m[0])) for m in _RUN.finditer(last)]
    if not runs:
        return [texts[k % len(texts)] for k in range(count)]
    steps = _steps(texts, runs, last)
    out = []
    for k in range(1, count + 1):
        text, at = "", 0
        for (start, end, value), step in zip(runs, steps, strict=True):
            now = value + step * k
            if now < 0:
                raise TextError(f"after {k - 1} the numbers would fall below zero")
            text += last[at:start] + f"{now:0{end - start}d}"
            at = end
        out.append(text + last[at:])
    return out


def next_tag(tags: Iterable[str | None], letters: str) -> str:
    """The tag after the highest-numbered one with these letters, in its own way of writing; LETTERS-1 if there is
    none."""
    there = [tag for tag in tags if tag]
    alike = [tag for tag in there if letters_of(tag) == letters and _RUN.search(tag)]
    if not alike:
        return f"{letters}-1"
    last = max(alike, key=lambda tag: int(_RUN.findall(tag)[-1]))
    # A number in front or a suffix may lead to a name that is taken: a name that exists is no suggestion.
    taken = {tag.casefold() for tag in there}
    made = counted_on([last], 1)[0]
    while made.casefold() in taken:
        made = counted_on([made], 1)[0]
    return made


def _steps(texts: Sequence[str], runs: list[tuple[int, int, int]], last: str) -> list[int]:
    if len(texts) > 1:
        before = texts[-2]
        if _RUN.sub("#", before) != _RUN.sub("#", last):
            raise TextError(f"“{before}” and “{last}” differ in more than their numbers")
        steps = [now - int(then[0]) for then, (_, _, now) in zip(_RUN.finditer(before), runs, strict=True)]
        if any(steps):
            return steps
    pairs = _LISTED.split(last)
    if len(pairs) > 1 and all(_RUN.search(part) for part in pairs):
        return _block_steps(pairs)
    return [0] * (len(runs) - 1) + [1]


def _block_steps(pairs: Sequence[str]) -> list[int]:
    """For a list of numbered things in one cell: the last number of each goes on by how many there are."""
    out: list[int] = []
    for part in pairs:
        found = len(_RUN.findall(part))
        out += [0] * (found - 1) + [len(pairs)]
    return out


def _figures(texts: Sequence[str], count: int) -> list[str]:
    last = read_number(texts[-1])
    step = last - read_number(texts[-2]) if len(texts) > 1 and texts[-2].strip() else Decimal(0)
    return [plain(last + step * k) for k in range(1, count + 1)]


def _channels(image: PlantImage, text: str, count: int) -> list[str]:
    layout = image.layout
    module, channel = layout.read_address(text)
    claimed = set(zip(image.module.tolist(), image.channel.tolist(), strict=True))
    kind = layout.modules[module].type_key
    row = [m.id for m in layout.modules_of(layout.modules[module].rack) if m.type_key == kind]
    out: list[str] = []
    for number in row[row.index(module) :]:
        first = channel + 1 if number == module else 0
        for at in range(first, layout.type_of(number).channels):
            if len(out) == count:
                return out
            if (number, at) not in claimed:
                out.append(layout.address(number, at))
    if len(out) < count:
        raise TextError(
            f"after {text} only {len(out)} channels of this kind of module are free in the rack; {count} are asked for"
        )
    return out
