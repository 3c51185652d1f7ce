"""What the heads of other people's lists may mean: by the field's own names, by words of the trade, by their parts.

A head such as “EU max [bar]” has a part (max), a station (EU) and a unit; words come in the languages that lists are
written in (vocabulary.tsv). A head alone settles little: every meaning that it may have is told with how surely the
words say it, and the cells below decide (judging.py).
"""

from __future__ import annotations

import csv
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache, lru_cache
from importlib import resources

from canaleta.core.model.field import STATIONS, Kind, Station
from canaleta.core.model.fields import FIELDS, STORED
from canaleta.core.notation.patterns import LONGEST_LINE, SPACE, compiled
from canaleta.core.notation.text import TextError
from canaleta.core.notation.units import read_unit_and_reference

__all__ = [
    "CLASS",
    "CLASS_MARKS",
    "ENDS",
    "FORM",
    "NO_FIELD",
    "NUMBER_TARGETS",
    "PARTS",
    "RANGES",
    "STRIP_NAME",
    "TAG_PARTS",
    "TERMINALS",
    "Heading",
    "bare",
    "read_heading",
]

PARTS = ("part of address: cabinet", "part of address: rack", "part of address: slot", "part of address: channel")
"""Columns that together are a channel."""
TAG_PARTS = ("part of tag: first", "part of tag: second", "part of tag: third")
"""Columns that together are a tag, in their order."""
TERMINALS = ("terminal: first", "terminal: second", "terminal: third")
STRIP_NAME = "strip name"
CLASS = "io class"
"""Whether a row is an input or an output, analog or discrete: no field of ours, but it says what other words mean."""
CLASS_MARKS = ("marked_as_AI", "marked_as_AO", "marked_as_DI", "marked_as_DO")
"""Columns of which each is a class, with a mark in the rows that are of it."""
FORM = "contact form"
"""Normally open or closed, said in a column of its own."""
RANGES = {
    "device_range": ("device_low", "device_high", "device_unit"),
    "value_range": ("value_low", "value_high", "value_unit"),
    "counts_range": ("counts_low", "counts_high", ""),
}
"""Both ends, and the unit, in one cell."""
NO_FIELD = "no field: "
"""What a target begins with that is known, and no field of ours."""
_FOLLOWS = "what follows from other columns"
CERTAIN, WEAK = 2, 1

_PART_WORDS = {
    "low": "low lo min minimum lrv lower from zero start lrl von unten untere unterer anfang messanfang mba mín minim mini mínimo mínima "
    "bas inf inferior inférieur inférieure desde de da du 0% begin vanaf laag límite_inferior début debut bajo baja inizio basso "
    "mín. minimo minima mínim inicio ug uw skalenanfang laag onder ondergrens lsl",
    "high": "high hi max maximum urv upper to bis oben obere oberer ende messende mbe máx maxim maxi máximo máxima haut sup superior supérieur "
    "supérieure hasta a à au 100% url end fullscale span_high tot hoog alto alta fin fine massimo massima màxim fino og skalenende boven "
    "bovengrens usl",
    "unit": "unit units unid unit. uom einheit einheiten unidad unidades unité unités unitat unitats unità egu engunits dim dimension eh einh ud uds "
    "u.m. um maßeinheit masseinheit eenheid unidade unidades ein me",
    "range": "range span messbereich bereich rango rang plage campo spanne skala scale étendue gamme escala échelle mb messspanne scala meetbereich "
    "bereik faixa marge bereiche ranges rangos scaling skalierung skalering escalado escalat scalatura",
}
_STATION_WORDS = {
    "device": "instrument device sensor transmitter tx measuring measured meas measurement calibrated calibration cal mess messumformer "
    "process gerät instrumento strumento field lrv urv lrl url messbereich medida mesure misura medición mesurage proceso instr mb mba mbe "
    "lectura capteur transmetteur transmisor trasmettitore prozess étalonnage physical physikalisch meet mesura calibrado calibración",
    "value": "eu scaling scaled engineering display value hmi scada skalierung anzeige wert escala escalado visu ing ingeniería visualización "
    "affichage valeur scalatura visualizzazione eng engg plc_scaling dcs schaal weergave skala échelle scala scale skaliert escalada mise_à_échelle "
    "ingénieur ingegneria escalat egu",
    "counts": "raw count counts digit digits adc roh rohwert cuentas bruto brut plc bits rohwerte grezzo grezzi points_api bruts brutos ruwe",
    "signal": "signal señal segnale electrical elektrisch eléctrico électrique elettrico output ausgang salida sortie ma mv signaal senyal sinal",
}
_LEVELS = {
    "ll": "ll lolo lowlow bb l2 ll2 tiefalarm2 muybajo bajobajo tbtb tb min2 la2 l-l",
    "l": "l lo low bajo bas b basso tief unten min unterer untere lower niedrig laag l1 min1 baix inférieur inferior inf",
    "h": "h hi high alto haut a alta hoch oben max oberer obere upper hoog h1 max1 alt supérieur superior sup",
    "hh": "hh hihi highhigh aa h2 muyalto altoalto tht max2 ha2 h-h",
}
_DOUBLED = {"ll": ("lolo", "lowlow"), "hh": ("hihi", "highhigh")}
_TWICE = {"l": "ll", "h": "hh"}
_VERY = frozenset(("very", "tres", "muy", "sehr", "molto", "zeer", "molt", "muito", "extra", "emergency"))
_ALARM_WORDS = frozenset(
    [
        "alarm",
        "alarms",
        "alm",
        "al",
        "limit",
        "limits",
        "setpoint",
        "setpoints",
        "grenzwert",
        "grenzwerte",
        "alarma",
        "alarmas",
        "alarme",
        "alarmes",
        "trip",
        "allarme",
        "allarmi",
        "límite",
        "límites",
        "seuil",
        "seuils",
        "soglia",
        "soglie",
        "umbral",
        "umbrales",
        "grenze",
        "gw",
        "alarmgrenze",
        "alarmgrenzen",
        "alarmwert",
        "alarmen",
        "grens",
        "limite",
        "limiti",
        "sp",
        "consigna",
        "seuil_alarme",
        "alarmschwelle",
        "schaltpunkt",
        "llindar",
        "switchpoint",
    ]
)
_FILLERS = frozenset(
    [
        "of",
        "the",
        "limit",
        "point",
        "val",
        "de",
        "del",
        "der",
        "des",
        "la",
        "le",
        "input",
        "signal",
        "in",
        "for",
        "für",
        "value",
        "range",
        "no",
        "nr",
        "and",
        "und",
        "y",
        "et",
        "e",
        "ed",
        "i",
        "or",
        "at",
        "with",
        "al",
        "du",
        "dell",
        "data",
        "für",
        "process",
        "den",
        "im",
        "los",
        "las",
        "les",
        "il",
        "lo",
        "dels",
        "d",
    ]
)
_PREPOSITIONS = frozenset(
    ["de", "desde", "da", "du", "a", "al", "to", "from", "von", "bis", "van", "tot", "hasta", "vanaf"]
)
_UNIT_BEHIND = compiled(rf"{SPACE}*[\[(<]{SPACE}*([^\])>]{{1,20}}?){SPACE}*[\])>]{SPACE}*$")
_UNIT_AFTER = compiled(rf"{SPACE}*(?:,|/|{SPACE}in{SPACE}){SPACE}*([^,/]{{1,12}}(?:/[a-z0-9³]{{1,4}})?)$")
_WORD = compiled(r"[\pL\pN\pM_%°+]+")
_BETWEEN = compiled(r"[/|;()\[\]\n:]|\s-\s|\s–\s")


@dataclass(frozen=True)
class Heading:
    """What a head may mean: {target: 2 where the words say it, 1 where its cells must}; the unit written behind it."""

    meanings: Mapping[str, int] = field(default_factory=dict)
    unit: str = ""

    @property
    def best(self) -> str:
        """The first of its surest meanings, "" if it means nothing."""
        return max(self.meanings, key=lambda t: self.meanings[t], default="")


def bare(text: str) -> str:
    """Letters and digits alone, lower case, without accents; %, + and - are kept as they carry a meaning."""
    if text.isascii() and text.isalnum():
        return text.lower()
    spread = unicodedata.normalize("NFKD", text.lower())
    return "".join(c for c in spread if c.isalnum() or c in "%+") + (
        "-" if text.strip()[-1:] in ("-", "\u2212") else ""
    )


@cache
def _phrases() -> dict[str, dict[str, int]]:
    out: dict[str, dict[str, int]] = {}

    def says(phrase: str, target: str, weight: int) -> None:
        meanings = out.setdefault(bare(phrase), {})
        meanings[target] = max(weight, meanings.get(target, 0))

    text = resources.files(__package__).joinpath("vocabulary.tsv").read_text(encoding="utf-8")
    for line in csv.reader(
        (x for x in text.splitlines() if x and x[0] != "#"), delimiter="\t", quoting=csv.QUOTE_NONE
    ):
        for phrase in line[2].split(";"):
            known = phrase.strip()
            says(known.removesuffix("?"), line[0], WEAK if known.endswith("?") else CERTAIN)
    for one in STORED:
        # Our own heads, as exports write them, come first; a word such as “signal” may mean more in another list, and a
        # plain “offset” or “above” is anybody's.
        own = CERTAIN + 1 if "_" in one.name or bare(one.name) in out else WEAK
        out[bare(one.name)] = {**out.get(bare(one.name), {}), one.name: own}
        full = bare(f"{one.station}{one.label}")
        out[full] = {**out.get(full, {}), one.name: CERTAIN + 1}
        if one.station is Station.POINT or one.station not in STATIONS:
            says(one.label, one.name, CERTAIN)
    for one in STORED:
        # A unit's column is of the range that it stands beside.
        for report in one.headers if one.kind is not Kind.UNIT else ():
            says(report, one.name, WEAK if bare(report) in out else CERTAIN)
    for one in FIELDS:
        if not one.stored:
            out[bare(f"{one.station}{one.label}")] = {f"{NO_FIELD}{_FOLLOWS}": CERTAIN + 1}
    out.pop("", None)
    return out


@cache
def _tokens(words: str) -> frozenset[str]:
    return frozenset(bare(word) for word in words.split())


@lru_cache(maxsize=20_000)
def read_heading(text: str, above: str = "") -> Heading:
    """What a head may mean. above: the head of a group of columns over it, "" if none."""
    # A head of more is a sentence, and means nothing here.
    if len(text) > LONGEST_LINE or len(above) > LONGEST_LINE:
        return Heading()
    unit, body = _unit_behind(text)
    phrases = _phrases()
    for report in (f"{above} {body}" if above else "", f"{above} {text}" if above else "", body, text):
        if report and (known := phrases.get(bare(report))):
            # What its words say one by one is as good a guess: the cells decide between “Bereich” and “Bereich”.
            least = CERTAIN if max(known.values()) == WEAK else WEAK
            parted = {target: min(weight, least) for target, weight in _by_parts(body, above).items()}
            return Heading({**parted, **known}, unit)
    if parted := _by_parts(body, above):
        return Heading(parted, unit)
    if tongues := _in_tongues(text, above):
        return Heading(tongues, unit)
    if above and not body and (known := phrases.get(bare(above))):
        return Heading(known, unit)
    if not above and (split := _unit_after(text)) and (inner := read_heading(split[0])).meanings:
        return Heading(inner.meanings, split[1])
    return Heading({}, unit)


ENDS = frozenset(("device_low", "device_high", "value_low", "value_high", *RANGES))


def _unit_behind(text: str) -> tuple[str, str]:
    """("bar", "range max") from "range max [bar]"; "" where the brackets hold no unit of the table."""
    found = _UNIT_BEHIND.search(text)
    if not found or not (shown := _unit(found[1], least=1)):
        return "", text
    return shown, text[: found.start()]


def _unit_after(text: str) -> tuple[str, str] | None:
    """("range max", "bar") from "range max, bar" or "range max / bar"."""
    found = _UNIT_AFTER.search(text)
    if not found or not found.start() or not (shown := _unit(found[1])):
        return None
    return text[: found.start()], shown


def _unit(text: str, least: int = 2) -> str:
    """A unit's own text, with what it is counted from; "" if it is none. One letter is no unit behind a word."""
    if len(text) < least and text not in ("%", "°"):
        return ""
    try:
        unit, _ = read_unit_and_reference(text)
    except TextError:
        return ""
    return text if unit.shown else ""


def _in_tongues(text: str, above: str) -> dict[str, int]:
    """A head in two languages ("Messstelle / Tag"): what all of its known parts say."""
    parts = [part.strip() for part in _BETWEEN.split(text) if part.strip()]
    if len(parts) < 2:
        words = text.split()
        parts = [" ".join(words[:at]) for at in range(1, len(words))]
        tails = [" ".join(words[at:]) for at in range(1, len(words))]
        halves = [(_phrases().get(bare(a)), _phrases().get(bare(b))) for a, b in zip(parts, tails, strict=True)]
        both = [_shared([a, b]) for a, b in halves if a and b]
        return next((one for one in both if one), {})
    known = [meanings for part in parts if (meanings := _phrases().get(bare(part)) or _by_parts(part, above))]
    if len(known) == 1:
        # The other words are not known: they may say something else.
        return dict.fromkeys(known[0], WEAK)
    return _shared(known) if known else {}


def _shared(known: list[dict[str, int]]) -> dict[str, int]:
    same = set.intersection(*map(set, known))
    return {target: max(one[target] for one in known) for target in same}


def _by_parts(body: str, above: str) -> dict[str, int]:
    """Fields by the part and the station that the words name: “EU max”, “raw low”, “alarm HH”."""
    told = [bare(word) for word in _WORD.findall(body)]
    # "From" and "to" say an end where nothing follows them: "plage de mesure" is no low end.
    own = {word for at, word in enumerate(told) if word not in _PREPOSITIONS or at == len(told) - 1}
    over = {bare(word) for word in _WORD.findall(above)}
    words = own | over
    if not words:
        return {}
    if words & _alarm_tokens():
        if words & _VERY:
            own = {
                _TWICE.get(next((n for n in ("l", "h") if word in _tokens(_LEVELS[n])), ""), word)
                for word in own - _VERY
            }
            over -= _VERY
            words = own | over
        for level in ("ll", "hh", "l", "h"):
            if own & _tokens(_LEVELS[level]) or (not own - _alarm_tokens() and over & _tokens(_LEVELS[level])):
                return (
                    {}
                    if words - _meant_words() - _FILLERS - _alarm_tokens() - _tokens(_LEVELS[level])
                    else {f"alarm_{level}": CERTAIN}
                )
        return {}
    if len(own) == 1 and not over:
        # Letters alone: alarms if there are more of them, or the ends of a range.
        for level in ("ll", "hh", "l", "h"):
            if own <= {level, f"{level}alarm", f"a{level}", *(_DOUBLED.get(level, ()))}:
                return {f"alarm_{level}": WEAK if len(level) == 1 else CERTAIN}
    if own and own <= {"eu", "egu"}:
        station = next((s for s in ("value", "device") if over & (_tokens(_STATION_WORDS[s]) - own)), "")
        return {f"{station}_unit": CERTAIN} if station else {"device_unit": CERTAIN, "value_unit": CERTAIN}
    if words - _meant_words() - _FILLERS:
        return {}
    parts = [part for part in ("low", "high", "unit") if own & _tokens(_PART_WORDS[part])]
    if not parts and words & _tokens(_PART_WORDS["range"]):
        parts = ["range"]
    if len(parts) > 1 and "unit" in parts and own & {"eu", "egu"}:
        parts.remove("unit")
    if parts == ["low", "high"]:
        parts = ["range"]
    if len(parts) != 1:
        return {}
    part = parts[0]
    station = next((s for s in ("counts", "value", "device", "signal") if words & _tokens(_STATION_WORDS[s])), "")
    if part == "unit":
        return (
            {f"{station}_unit": CERTAIN}
            if station in ("device", "value")
            else {"device_unit": CERTAIN, "value_unit": WEAK}
        )
    if station == "signal":
        return {"signal": WEAK} if part == "range" else {f"signal_{part}": WEAK}
    if part == "range":
        return {f"{station or 'device'}_range": CERTAIN, **({} if station else {"value_range": WEAK, "signal": WEAK})}
    if station:
        return {f"{station}_{part}": CERTAIN}
    return {f"device_{part}": CERTAIN, f"value_{part}": WEAK, f"alarm_{'l' if part == 'low' else 'h'}": WEAK}


@cache
def _alarm_tokens() -> frozenset[str]:
    return frozenset(bare(word) for word in _ALARM_WORDS)


@cache
def _meant_words() -> frozenset[str]:
    every = [*_PART_WORDS.values(), *_STATION_WORDS.values()]
    return frozenset().union(*(_tokens(words) for words in every))


NUMBER_TARGETS = frozenset(one.name for one in STORED if one.kind is Kind.NUMBER)
"""Fields whose cells are figures."""
