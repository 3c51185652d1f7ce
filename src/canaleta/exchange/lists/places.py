"""Channels and terminals as other people's lists write them: "R1/S3/CH05", "2.3.07", "Slot 3 Ch 5"; "X1:5/6", "TB2-7,8"."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

from canaleta.core.model.layout import SEPARATOR, Layout
from canaleta.core.notation.patterns import SPACE, compiled
from canaleta.core.notation.text import TextError
from canaleta.core.signals.strips import read_cores, read_terminals
from canaleta.exchange.lists.figures import DoubtError

__all__ = ["Place", "Seats", "address_of", "context_of", "read_core_text", "read_place", "read_strip"]

_LABELS = {
    "rack": "r rk rack rck chassis bgt bastidor chasis bac rek telaio bg crate",
    "slot": "s sl slot slt m mod module modul módulo modulo card karte carte tarjeta scheda stp steckplatz ranura emplacement empl bgr baugruppe kaart",
    "channel": "c ch chan channel chn k kan kanal canal can v voie p pt point i in input bit ai ao di do kanaal canale",
    "cabinet": "cab cabinet panel schrank armario armoire quadro node n kast station stn plc",
}
_LABEL_OF = {word: name for name, words in _LABELS.items() for word in words.split()}
_PAIR = compiled(r"([A-Za-zóäáâ]+)\.?\s?[#:]?\s?(\d+)")
_BETWEEN = " .:/-·_,;\\"
_APART = compiled(r"[-.:/·_,;\\\s]+")
_CONTEXT = {
    "cabinet": compiled(
        rf"(?:^|[^A-Za-z])(?:cabinet|panel|cubicle|schaltschrank|schrank|armario|cuadro|tablero|armoire|coffret|quadro|armadio|painel|kast|armari|quadre|node|nodo|remote i/o|junction box|"
        rf"feldstation|enclosure){SPACE}*(?:no\.?|nr\.?|n°|nº|name|:|#)?{SPACE}*[:#=]?{SPACE}*([=+-]?[A-Za-z0-9][A-Za-z0-9.+_/-]*)", ignore_case=True),
    "rack": compiled(
        rf"(?:^|[^A-Za-z])(?:rack|chassis|baugruppenträger|bgt|bastidor|chasis|châssis|telaio|rek){SPACE}*(?:no\.?|nr\.?|n°|nº|:|#)?{SPACE}*[:#=]?{SPACE}*([A-Za-z]?\d+)(?:$|[^A-Za-z0-9])",
        ignore_case=True),
    "slot": compiled(
        rf"(?:^|[^A-Za-z])(?:slot|module|modul|card|karte|steckplatz|tarjeta|ranura|carte|scheda|kaart){SPACE}*(?:no\.?|nr\.?|n°|nº|:|#)?{SPACE}*[:#=]?{SPACE}*(\d+)(?:$|[^A-Za-z0-9])",
        ignore_case=True),
    "strip": compiled(
        rf"(?:^|[^A-Za-z])(?:terminal strip|terminal block|strip|klemmleiste|klemmenleiste|regleta|bornero|bornier|morsettiera|klemmenstrook){SPACE}*[:#=]?{SPACE}*([-+=]?[A-Za-z]+\d[A-Za-z0-9.]*)",
        ignore_case=True),
}  # fmt: skip
_MARKS = compiled(r"\d{1,4}[a-z]?|[a-z]{1,2}\d{0,3}|[+-]|PE|pe")
_STRIP = compiled(rf"([-+=]?[A-Za-z]+[A-Za-z0-9]*(?:\.[A-Za-z0-9]+)?){SPACE}*[:./\s-]{SPACE}*(.+)")
_COLON = compiled(rf"([^\s:;,]{{1,12}}){SPACE}*:{SPACE}*(.+)")
_RUN = compiled(rf"(\d{{1,4}}){SPACE}*(?:-|\x{{2013}}|\.\.\.?|\x{{2026}}|to|bis|a){SPACE}*(\d{{1,4}})")
MOST = 6


@dataclass(frozen=True)
class Seats:
    """The channels that a plant has, as far as addresses are read by them. racks: (cabinet, rack, {slot: channels}).
    base: the number of the first channel of a module."""

    racks: tuple[tuple[str, str, Mapping[int, int]], ...] = ()
    base: int = 1

    @classmethod
    def of(cls, layout: Layout) -> Seats:
        """Those of a layout."""
        racks = tuple(
            (
                layout.cabinets[rack.cabinet].name,
                rack.name,
                {
                    layout.slots[m.id]: layout.type_of(m.id).channels
                    for m in layout.modules_of(rack.id)
                    if layout.slots[m.id]
                },
            )
            for rack in layout.racks.values()
        )
        return cls(racks, layout.channel_base)

    @cached_property
    def cabinets(self) -> tuple[str, ...]:
        """The names of the cabinets, in their order."""
        return tuple(dict.fromkeys(cabinet for cabinet, _, _ in self.racks))

    def of_cabinet(self, name: str) -> list[tuple[str, str, Mapping[int, int]]]:
        """The racks of a cabinet, however its name is written; all for no name."""
        return self._by_cabinet.get(_key(name), []) if name else list(self.racks)

    def begins(self, text: str) -> str:
        """The name of a cabinet that a text begins with, the longest, "" for none."""
        lower = text.lower()
        for length in self._lengths:
            name = self._lower.get(lower[:length])
            if name is not None and (len(text) == length or not text[length].isalnum()):
                return name
        return ""

    def has(self, text: str) -> bool:
        """Whether a text is the address of a channel exactly as the plant writes it."""
        slot, _, channel = text.rpartition(SEPARATOR)
        count = self._exact.get(slot, 0)
        return count > 0 and channel.isdecimal() and self.base <= int(channel[:6]) < self.base + count

    @cached_property
    def _exact(self) -> dict[str, int]:
        """The channels of each slot, by cabinet, rack and slot as the plant writes them."""
        return {
            SEPARATOR.join((cabinet, rack, str(slot))): count
            for cabinet, rack, slots in self.racks
            for slot, count in slots.items()
        }

    @cached_property
    def _by_cabinet(self) -> dict[str, list[tuple[str, str, Mapping[int, int]]]]:
        out: dict[str, list[tuple[str, str, Mapping[int, int]]]] = {}
        for one in self.racks:
            out.setdefault(_key(one[0]), []).append(one)
        return out

    @cached_property
    def _lower(self) -> dict[str, str]:
        return {name.lower(): name for name in self.cabinets}

    @cached_property
    def _lengths(self) -> tuple[int, ...]:
        return tuple(sorted({len(name) for name in self.cabinets}, reverse=True))

    def missing(self, cabinet: str, rack: str, slots: Mapping[int, int], slot: str, channel: int) -> str:
        """Why a rack has no such channel, "" if it has."""
        if not slot.isdecimal() or int(slot) not in slots:
            return f"there is no slot {slot} in rack {rack} of {cabinet}"
        count = slots[int(slot)]
        if not self.base <= channel < self.base + count:
            return (
                f"slot {slot} in rack {rack} of {cabinet} has channels {self.base} to {self.base + count - 1}"
                if count
                else f"slot {slot} has no channels"
            )
        return ""


@dataclass(frozen=True)
class Place:
    """A channel in its parts, "" for what is not said."""

    cabinet: str = ""
    rack: str = ""
    slot: str = ""
    channel: str = ""

    @property
    def whole(self) -> bool:
        """Whether it says a slot and a channel."""
        return bool(self.slot and self.channel)

    def under(self, other: Place) -> Place:
        """With what the lines above say, where it says nothing itself."""
        return Place(
            *(getattr(self, part) or getattr(other, part) for part in ("cabinet", "rack", "slot", "channel"))
        )

    def text(self) -> str:
        """Its parts as people write them."""
        return SEPARATOR.join(part for part in (self.cabinet, self.rack, self.slot, self.channel) if part)


def read_place(text: str, seats: Seats, order: tuple[str, ...] = ()) -> Place | None:
    """The parts of an address in any style, None if it is none. order: of figures without letters, if the head says it."""
    body = text.strip()
    if not body or len(body) > 60 or not any(c.isdigit() for c in body):
        return None
    name, rest = _named(body, seats)
    rest = rest.strip(_BETWEEN)
    pairs = _PAIR.findall(rest)
    if pairs and not _PAIR.sub("", rest).strip(_BETWEEN):
        parts: dict[str, str] = {"cabinet": name} if name else {}
        for letters, digits in pairs:
            label = _LABEL_OF.get(letters.lower())
            if label is None or (label in parts and label != "channel"):
                return None
            parts[label] = digits if label != "cabinet" else f"{letters}{digits}"
        return _cleaned(Place(**parts)) if "channel" in parts else None
    figures = [part for part in _APART.split(rest) if part]
    if not figures or not all(part.isdecimal() and len(part) < 5 for part in figures):
        return None
    if order and len(order) == len(figures):
        return _cleaned(replace(Place(cabinet=name), **dict(zip(order, figures, strict=True))))
    match len(figures):
        case 2:
            return _cleaned(Place(name, "", *figures))
        case 3:
            return _cleaned(Place(name, *figures))
        case 4 if not name:
            return _cleaned(Place(*figures))
    return None


def _cleaned(place: Place) -> Place:
    """Without the zeros before figures: slot 03 is slot 3."""
    return Place(place.cabinet, *(_short(part) for part in (place.rack, place.slot, place.channel)))


def _short(text: str) -> str:
    return (text.lstrip("0") or "0") if text.isdecimal() else text


def _named(body: str, seats: Seats) -> tuple[str, str]:
    """The plant's cabinet that an address begins with, and the rest."""
    name = seats.begins(body)
    return name, body[len(name) :]


def address_of(place: Place, seats: Seats, shift: int = 0) -> str:
    """The address in the plant's own words. shift: what is added to the channel, where a list counts from another
    number. Raises DoubtError: where, if several may be meant; place, if the plant has no such channel."""
    if not place.whole:
        raise DoubtError("place", f"“{place.text()}” names no slot and channel")
    racks = seats.of_cabinet(place.cabinet)
    if not racks:
        raise DoubtError(
            "place", f"the plant has no cabinet “{place.cabinet}”" if seats.racks else "the plant has no cabinets yet"
        )
    racks = [one for one in racks if not place.rack or _same(one[1], place.rack)]
    if not racks:
        raise DoubtError("place", f"there is no rack {place.rack} in {place.cabinet or 'any cabinet'}")
    channel = int(place.channel) + shift if place.channel.isdecimal() else -1
    says = [seats.missing(*one, place.slot, channel) for one in racks]
    fits = [
        SEPARATOR.join((one[0], one[1], place.slot, str(channel)))
        for one, why in zip(racks, says, strict=True)
        if not why
    ]
    if len(fits) > 1:
        raise DoubtError("where", f"“{place.text()}” may be {' or '.join(fits[:3])}")
    if not fits:
        raise DoubtError("place", says[0])
    return fits[0]


@lru_cache(maxsize=20_000)
def _key(name: str) -> str:
    """What tells names of cabinets and racks apart: letters and figures; rack 01 and R1 are rack 1."""
    plain = "".join(c for c in name.lower() if c.isalnum())
    number = plain.lstrip("r0")
    return number if number.isdecimal() else plain


def _same(name: str, said: str) -> bool:
    return name == said or _key(name) == _key(said)


def context_of(texts: Iterable[str], seats: Seats) -> tuple[Place, str]:
    """What lines above a table, or the name of its sheet, say of where its rows are: parts of an address, and the
    strip."""
    found: dict[str, str] = {}
    for text in texts:
        if len(text) > 200:
            continue
        for part, pattern in _CONTEXT.items():
            if part not in found and (match := pattern.search(text)):
                said = match[1].rstrip(".-_/")
                # "Cabinet drawing" names nothing: a name has a figure, or is one of the plant's.
                if any(c.isdigit() for c in said) or _of_plant(said, seats):
                    found[part] = said
        if "cabinet" not in found:
            for cabinet in seats.cabinets:
                if _stands_in(cabinet, text):
                    found["cabinet"] = cabinet
    strip = found.pop("strip", "")
    cabinet = next((c for c in seats.cabinets if _same(c, found.get("cabinet", ""))), found.get("cabinet", ""))
    return Place(cabinet, found.get("rack", ""), found.get("slot", ""), ""), strip


def _of_plant(said: str, seats: Seats) -> bool:
    return any(_same(cabinet, said) for cabinet in seats.cabinets)


def _stands_in(name: str, text: str) -> bool:
    at = text.lower().find(name.lower())
    if at < 0:
        return False
    before, after = text[at - 1 : at] if at else "", text[at + len(name) : at + len(name) + 1]
    return not before.isalnum() and not after.isalnum()


def read_strip(text: str, strip: str = "") -> str:
    """Terminals in our words: "X1:5; X1:6". strip: the name of the strip, if another column or a line above says it.

    "X1:1/2", "X1:1-2", "X1.1, X1.2", "TB1 5,6", and "1-2" beside the name of a strip. Raises DoubtError.
    """
    body = text.strip()
    if not body or len(body) > 120:
        raise DoubtError("terminal", f"“{body[:40]}” is not a terminal")
    out: list[str] = []
    now = strip
    for part in (
        p.strip() for p in body.replace(";", ",").replace("&", ",").replace("+", ",+").split(",") if p.strip(" +")
    ):
        part = part.lstrip("+").strip() if part.startswith("+") and len(part) > 1 and part[1].isdigit() else part
        for piece in _pieces(part):
            name, mark = piece
            now = name or now
            if not now:
                raise DoubtError("strip", f"“{body}” does not say on which strip")
            out.append(f"{now}:{mark}")
    try:
        return read_terminals("; ".join(out))
    except TextError as error:
        raise DoubtError("terminal", str(error)) from error


def _pieces(part: str) -> list[tuple[str, str]]:
    """("X1", "5"), ("", "6") of "X1:5/6"."""
    name, rest = "", part
    if found := _COLON.fullmatch(part) or _STRIP.fullmatch(part):
        name, rest = found[1], found[2].strip()
    out: list[tuple[str, str]] = []
    for piece in (p.strip() for p in rest.split("/") if p.strip()):
        if run := _RUN.fullmatch(piece):
            first, last = int(run[1]), int(run[2])
            if not first < last <= first + MOST:
                raise DoubtError("terminal", f"“{part}” is not a run of terminals")
            out += [(name, str(n)) for n in range(first, last + 1)]
        elif found := _COLON.fullmatch(piece):
            out.append((found[1], found[2].strip()))
        elif _MARKS.fullmatch(piece):
            out.append((name, piece))
        else:
            words = piece.split()
            if len(words) == 2 and words[1].lower() in ("fuse", "knife", "test") and _MARKS.fullmatch(words[0]):
                out.append((name, piece))
            else:
                raise DoubtError("terminal", f"“{part}” is not a terminal")
    return out


def read_core_text(text: str) -> str:
    """Cores of a cable in our words: "1, 2". Raises DoubtError."""
    body = text.strip()
    for mark in ("/", "+", "&"):
        body = body.replace(mark, ",")
    try:
        return read_cores(body)
    except TextError as error:
        raise DoubtError("core", str(error)) from error
