"""What the headings of other people's lists mean: by the field's own names, by words of the trade, by their parts.

A heading such as “EU max [bar]” has a part (max), a station (EU) and a unit; words come in the languages that lists
are written in. Nothing is guessed beyond that: what is not known is left to the person.
"""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass
from functools import cache

from canaleta.core.model.field import STATIONS, Kind, Station
from canaleta.core.model.fields import STORED
from canaleta.core.notation.patterns import LONGEST_LINE, SPACE, compiled
from canaleta.core.notation.text import TextError
from canaleta.core.notation.units import read_unit

__all__ = ["NUMBER_TARGETS", "PARTS", "Heading", "bare", "read_heading"]

PARTS = ("part of address: cabinet", "part of address: rack", "part of address: slot", "part of address: channel")
"""Columns that together are a channel."""
_WORDS: dict[str, str] = {
    "tag": "tag no; tag number; tag name; tagname; point; point name; point id; io tag; instrument tag; instrument no; "
    "instrument; device tag; symbol; loop tag; kennzeichen; messstelle; messstellennummer; bmk; etiqueta; tag n; "
    "repère; repere; référence; sigla; signal name; signalname; nombre; name; bezeichner; tagnaam",
    "service": "description; service; service description; function; designation; benennung; bezeichnung; beschreibung; "
    "funktion; descripción; descripcion; servicio; descripció; libellé; désignation; descrizione; servizio; "
    "text; comment text; signal description; omschrijving; what",
    "area": "area; unit area; system; section; plant area; process area; anlage; anlagenteil; bereich anlage; zona; "
    "àrea; área; secteur; zone; impianto; location; einbauort; ubicación",
    "signal": "signal; signal type; io signal; input type; output type; type; sensor type; signalart; signaltyp; "
    "signalform; señal; tipo de señal; tipo senal; type de signal; tipo segnale; instrument signal; sensor",
    "supply": "supply; power; powered by; power supply; loop power; speisung; versorgung; alimentación; alimentacion; "
    "alimentation",
    "wires": "wires; no of wires; wire; number of wires; leiter; hilos; fils; n wires",
    "channel": "channel; address; io address; plc address; i/o address; channel address; adresse; sps adresse; "
    "dirección; direccion; canal; hardware address; hw address; terminal address",
    "cable": "cable; cable no; cable tag; cable number; kabel; kabelnummer; câble; cavo",
    "cores": "cores; core; core no; adern; ader; pair; hilos cable; wire no; wire numbers",
    "strip": "terminal; terminals; terminal strip; tb; terminal block; klemme; klemmen; klemmleiste; borna; bornas; "
    "borne; bornier; morsetto; marshalling",
    "text_0": "state 0; 0 state; off text; text 0; zero state; 0 means; off state; 0",
    "text_1": "state 1; 1 state; on text; text 1; one state; 1 means; on state; 1",
    "notes": "note; notes; remark; remarks; comment; comments; bemerkung; bemerkungen; observaciones; notas; remarques",
    "old_address": "old address; previous address; former address; old plc address; old channel; alte adresse; "
    "dirección antigua; ancienne adresse; legacy address; was",
    "device_model": "model; make model; manufacturer model; part no; part number; order code; type code; typ; modelo",
    "serial": "serial; serial no; serial number; s n; seriennummer; número de serie",
    "data_sheet": "data sheet; datasheet; data sheet link; datenblatt; hoja de datos",
    "accuracy": "accuracy; accuracy %; genauigkeit; precisión; précision",
    "status": "status; state; progress; stand; estado; état",
    "value_decimals": "decimals; dec; decimal places; nachkommastellen; decimales",
    "filter": "filter; damping filter; filtro",
    "trips": "trips; shuts; trip; interlock; abschaltung; verriegelung; dispara; enclavamiento",
    "acting": "acting; action; wirkrichtung",
    "mode": "mode; input mode; channel mode; module mode; range code",
    "debounce": "debounce; debounce ms; debounce time; entprellung; entprellzeit; antirrebote",
    "on_delay": "on delay; on delay ms; einschaltverzögerung",
    "off_delay": "off delay; off delay ms; ausschaltverzögerung",
    "tolerance_loop": "tolerance; loop tolerance; toleranz; tolerancia",
    "part of address: cabinet": "cabinet; panel; schrank; cubicle; armario; cuadro; armoire; junction box; node; station",
    "part of address: rack": "rack; baugruppenträger; chasis; chassis; bastidor; plc rack; rack no",
    "part of address: slot": "slot; steckplatz; module; module no; card; slot no; ranura; carte; karte; card no",
    "part of address: channel": "ch; channel no; chan; kanal; ch no; point no; canal no; voie",
}
_PART_WORDS = {
    "low": "low lo min minimum lrv lower from zero von unten untere unterer anfang messanfang mín minim mini bas inf inferior desde 0% lrl begin",
    "high": "high hi max maximum urv upper to bis oben obere oberer ende messende máx maxim maxi haut sup superior hasta 100% url end fullscale",
    "unit": "unit units uom einheit einheiten unidad unidades unité unités unitat unità egu ing engunits dim dimension",
    "range": "range span messbereich bereich rango rang plage campo spanne skala scale",
}
_STATION_WORDS = {
    "device": "instrument device sensor transmitter measuring measured meas calibrated calibration cal mess messumformer process gerät instrumento field lrv urv messbereich",
    "value": "eu scaling scaled engineering display value hmi scada skalierung anzeige wert escala escalado visu ing",
    "counts": "raw count counts digit digits adc roh rohwert cuentas bruto brut plc bits",
}
_LEVELS = {"ll": "ll lolo lowlow", "l": "l lo low", "h": "h hi high", "hh": "hh hihi highhigh"}
_ALARM_WORDS = frozenset(["alarm", "alarms", "alm", "limit", "setpoint", "grenzwert", "alarma", "alarme", "trip"])
_UNIT_BEHIND = compiled(rf"{SPACE}*[\[(]{SPACE}*([^\])]{{1,20}}){SPACE}*[\])]{SPACE}*$")
_WORD = compiled(r"[\pL\pN\pM_%]+")


@dataclass(frozen=True)
class Heading:
    """What a heading means: a field's name or one of PARTS, "" if nothing; the unit written behind it; how sure, 0 to
    3."""

    target: str
    unit: str = ""
    sure: int = 0


def bare(text: str) -> str:
    """Letters and digits alone, lower case, without accents; % and / are kept as they carry a meaning."""
    spread = unicodedata.normalize("NFKD", text.lower())
    return "".join(c for c in spread if c.isalnum() or c == "%")


@cache
def _exact() -> dict[str, str]:
    out: dict[str, str] = {}
    for field in STORED:
        for report in (field.name, f"{field.station}{field.label}", *field.headers):
            out.setdefault(bare(report), field.name)
        if field.station is Station.POINT or field.station not in STATIONS:
            out.setdefault(bare(field.label), field.name)
    for target, words in _WORDS.items():
        for word in words.split(";"):
            out.setdefault(bare(word), target)
    return out


@cache
def _tokens(words: str) -> frozenset[str]:
    return frozenset(bare(word) for word in words.split())


def read_heading(text: str, above: str = "") -> Heading:
    """What a heading means. above: the heading of a group of columns over it, "" if none."""
    # A heading of more is a sentence, and means nothing here.
    text, above = text[:LONGEST_LINE], above[:LONGEST_LINE]
    unit, body = _unit_behind(text)
    for report, sure in ((f"{above} {body}", 3), (body, 3 if not above else 2)):
        if known := _exact().get(bare(report)):
            field_has_unit = known in _ALL_ENDS
            return Heading(known, unit if field_has_unit else "", sure)
    parted = _by_parts(body, above)
    if parted:
        return Heading(parted, unit, 2)
    if above and not body and (known := _exact().get(bare(above))):
        return Heading(known, "", 1)
    return Heading("")


_ALL_ENDS = frozenset(("device_low", "device_high", "value_low", "value_high"))


def _unit_behind(text: str) -> tuple[str, str]:
    """("bar", "range max") from "range max [bar]"; "" where the brackets hold no unit of the table."""
    found = _UNIT_BEHIND.search(text)
    if not found:
        return "", text
    try:
        return read_unit(found[1]).shown, text[: found.start()]
    except TextError:
        return "", text


def _by_parts(body: str, above: str) -> str:
    """A field by the part and the station that the words name: “EU max”, “raw low”, “alarm HH”."""
    own = {bare(word) for word in _WORD.findall(body)}
    all_words = own | {bare(word) for word in _WORD.findall(above)}
    if all_words & _ALARM_WORDS:
        for level in ("ll", "hh", "l", "h"):
            if own & _tokens(_LEVELS[level]):
                return f"alarm_{level}"
        return ""
    parts = [part for part in ("low", "high", "unit") if own & _tokens(_PART_WORDS[part])]
    if not parts and all_words & _tokens(_PART_WORDS["range"]):
        parts = ["range"]
    if len(parts) > 1 and "unit" in parts and "eu" in own:
        parts.remove("unit")
    if len(parts) != 1:
        return ""
    known = own | all_words
    leftover = all_words - _meant_words() - _FILLERS
    if leftover:
        return ""
    station = next((s for s in ("counts", "value", "device") if known & _tokens(_STATION_WORDS[s])), "device")
    part = parts[0]
    if part == "range":
        return f"{station}_low"
    if part == "unit" and station == "counts":
        return ""
    return f"{station}_{part}"


_FILLERS = frozenset(("of", "the", "limit", "point", "val", "de", "del", "der", "des", "la", "le", "input", "signal"))


@cache
def _meant_words() -> frozenset[str]:
    every = [*_PART_WORDS.values(), *_STATION_WORDS.values()]
    return frozenset().union(*(_tokens(words) for words in every))


NUMBER_TARGETS = frozenset(field.name for field in STORED if field.kind is Kind.NUMBER)
"""Fields whose cells are figures, so that a comma in them may need a choice."""
