"""Signals in the words of the trade: "24 V DC contact", "Pt100 3-wire", "TC type T", "4-20 mA HART, loop powered".

A phrase is taken apart into the words that it is made of. Where what is left could be more than one of our signals,
all of them are told, and nobody is chosen.
"""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass, field
from functools import lru_cache

from canaleta.core.model.fields import read_signal
from canaleta.core.notation.patterns import LONGEST_LINE, SPACE, compiled
from canaleta.core.notation.text import TextError, read_range
from canaleta.core.signals.signal_types import SIGNAL_NAMES, SIGNALS

__all__ = ["Phrase", "read_class", "read_form", "read_phrase", "read_supply", "read_wires", "span_of"]

_CLASSES = {
    "AI": "ai|ain|a.i.|analog in|analogue in|analog input|analogue input|anal. input|analoge ingang|analogeingang|ae|ana|ea|eana|entrada analógica|"
    "entrada analogica|entrée analogique|entree analogique|ingresso analogico|entrada analògica|analog eingang|analogue-in|ai-h|aih|ai hart|ai-hart|rtd|tc|rtd input|tc input|"
    "ai-rtd|ai-tc|ai rtd|ai tc|airtd|aitc|ia|analoger eingang|ear|eat",
    "AO": "ao|aout|a.o.|analog out|analogue out|analog output|analogue output|analoge uitgang|analogausgang|aa|sana|sa|salida analógica|salida analogica|"
    "sortie analogique|uscita analogica|sortida analògica|saída analógica|analog ausgang|ua|ao-h|aoh|ao hart|oa|analoger ausgang",
    "DI": "di|din|d.i.|digital in|digital input|discrete in|discrete input|digitale ingang|digitaleingang|de|be|ed|et|etor|tor e|e tor|entrada digital|entrée tor|"
    "entrée digitale|entrée logique|entree tor|ingresso digitale|binäreingang|binaereingang|bi|binary input|digital eingang|id|di-n|din. namur|digitaler eingang|pi|"
    "pulse input|di namur|di-namur|status input|sdi|ent dig|switch input",
    "DO": "do|dout|d.o.|digital out|digital output|discrete out|discrete output|digitale uitgang|digitalausgang|da|ba|sd|st|stor|tor s|s tor|salida digital|sortie tor|"
    "sortie digitale|sortie logique|uscita digitale|sortida digital|saída digital|binärausgang|bo|binary output|digital ausgang|ro|relay output|ud|od|do-r|"
    "digitaler ausgang|do relay|relay out",
}  # fmt: skip
_NO = "no|n.o.|n/o|schliesser|schließer|s|na|n.a.|a|maak|normally open|normalmente abierto|normalmente aperto|normalement ouvert|normalmente aberto|normalment obert|ouvert|open contact"
_NC = "nc|n.c.|n/c|oeffner|öffner|ö|nf|n.f.|c|verbreek|normally closed|normalmente cerrado|normalmente chiuso|normalement fermé|normalmente fechado|normalment tancat|fermé"
_RANGE_OF = compiled(
    rf"([-+\x{{2212}}±]?{SPACE}?\d+(?:[.,]\d+)?){SPACE}*(?:v|ma|mv)?{SPACE}*(?:\.\.\.?|\x{{2026}}|\x{{2013}}|\x{{2014}}|-|÷|/|to|bis|a|à|tot|hasta){SPACE}*"
    rf"(\+?{SPACE}?\d+(?:[.,]\d+)?){SPACE}*(ma|mv|vdc|v{SPACE}?dc|v)(?:{SPACE}?dc)?(?:$|[^\pL])"
)
_AROUND = compiled(rf"(?:±|\+/-|\+-){SPACE}*(\d+){SPACE}*(ma|v)(?:{SPACE}?dc)?(?:$|[^\pL])")
_BARE_LOOP = compiled(rf"([04]){SPACE}*(?:\.\.\.?|\x{{2026}}|\x{{2013}}|-|÷|/|to|bis|a){SPACE}*20")
"""A current loop whose unit nobody writes."""
_HERTZ = compiled(
    rf"(\d+(?:[.,]\d+)?){SPACE}*(?:\.\.\.?|\x{{2026}}|\x{{2013}}|-|to|bis|a){SPACE}*(\d+(?:[.,]\d+)?){SPACE}*(k?hz)"
)
_TC = compiled(
    rf"(?:^|[^\pL])(?:(?:thermocouples?|thermoelement|termopar|termocoppia|thermoelem\.?|termoparell|thermokoppel|t/c|tc|te|th|couple){SPACE}*[-:,(/]?{SPACE}*)?"
    rf"(?:type|typ|tipo|tipus){SPACE}*[-\"'“]?{SPACE}*([bcejknrst])(?:$|[^\pL\pN])"
    rf"|(?:^|[^\pL])(?:thermocouples?|thermoelement|termopar|termocoppia|termoparell|thermokoppel|t/c|tc|th|couple){SPACE}*[-:,(/]?{SPACE}*[\"'“]?([abcejknrst])(?:$|[^\pL\pN])"
    rf"|(?:^|[^\pL\pN])([bcejknrst])[- ]?(?:type|typ)(?:$|[^\pL])"
)
_ALLOYS = (("nicrni", "K"), ("nicrnial", "K"), ("ptrh10pt", "S"), ("pt10rhpt", "S"), ("ptrh13pt", "R"), ("pt13rhpt", "R"),
           ("ptrh30ptrh6", "B"), ("cucuni", "T"), ("nicrsinisi", "N"), ("nicrcuni", "E"))  # fmt: skip
_RTD = compiled(
    rf"(?:^|[^\pL])(pt|ni|cu){SPACE}*[-:]?{SPACE}*(1000|100|120|500|50|10)(?:$|[^\pN.,]|[.,](?:$|[^\pN]))"
)
_WIRES = compiled(
    rf"(?:^|[^\pN.,])([234]){SPACE}*[- ]?{SPACE}*(?:wires?|w|leiter|hilos|fils?|fili|conduttori|draads|draad|draht|drähte|drahtig|fios|conductores|adrig|l|h)(?:$|[^\pL])"
)
_VOLTS = compiled(
    rf"(?:^|[^\pN.,-])(\d{{2,3}})(?:{SPACE}?[/-]{SPACE}?\d{{2,3}})?{SPACE}*v{SPACE}*[-.]?{SPACE}*\(?(dc|ac|cc|ca|gs|ws|=|~)?\)?"
    rf"|(?:^|[^\pL])(dc|ac|cc|ca|gs|ws){SPACE}*(\d{{2,3}}){SPACE}*v(?:$|[^\pL])"
    rf"|(?:^|[^\pL\pN])(\d{{2,3}}){SPACE}*(vdc|vac|vcc|vca|vgs|vws)(?:$|[^\pL])"
)
_ANY_TC = compiled(
    r"(?:^|[^\pL])(?:thermocouples?|thermoelement|termopar|termocoppia|termoparell|thermokoppel|t/c|tc)(?:$|[^\pL])"
)
_ANY_RTD = compiled(
    r"(?:^|[^\pL])(?:rtd|widerstandsthermometer|termorresistencia|termoresistencia|termoresistenza|thermistance|sonde à résistance)(?:$|[^\pL])"
)
_WORD = compiled(r"[\pL\pN][\pL\pN.]*")
_ALTERNATIVES = compiled(r"\bor\b|\boder\b|\bou\b|\?")


@dataclass(frozen=True)
class Phrase:
    """What a phrase says. signals: ours that it can be, one if it is settled, none if it says none. also: {field:
    text} that it says besides. io: AI, AO, DI or DO, "" if it says none of them. code: what is open: form (NO or
    NC), sensor, kind, "" for nothing.
    """

    signals: tuple[str, ...] = ()
    also: dict[str, str] = field(default_factory=dict)
    io: str = ""
    code: str = ""


def _plain(text: str) -> str:
    return " ".join(text.lower().replace("_", " ").replace("\u2212", "-").split())


def _bare(text: str) -> str:
    spread = unicodedata.normalize("NFKD", text.lower())
    return "".join(c for c in spread if c.isalnum())


_CLASS_OF = {_bare(word): name for name, words in _CLASSES.items() for word in words.split("|")}


def read_class(text: str) -> str:
    """AI, AO, DI or DO, "" if the text is none of them, in the languages of the vocabulary."""
    return _CLASS_OF.get(_bare(text), "") if len(text) < 40 else ""


_NO_WORDS, _NC_WORDS = frozenset(_NO.split("|")), frozenset(_NC.split("|"))
_FORM_WORDS = [(word, "NO") for word in _NO_WORDS if len(word) > 1] + [(w, "NC") for w in _NC_WORDS if len(w) > 1]


def read_form(text: str) -> str:
    """NO or NC, "" if the text says neither."""
    body = _plain(text)
    return "NO" if body in _NO_WORDS else "NC" if body in _NC_WORDS else ""


def read_wires(text: str) -> str:
    """The number of wires in "3-wire", "3 hilos", "3-Leiter" or "3", "" if there is none."""
    body = _plain(text)
    if body in ("2", "3", "4"):
        return body
    found = _WIRES.search(body) if len(body) < LONGEST_LINE else None
    return found[1] if found else ""


_SUPPLY = (
    ("module", "loop powered|loop-powered|loop|looppowered|plc|module|modul|módulo|carte|scheda|from module|from plc|input card|card|sps|2-wire loop powered|lazo|boucle|schleife|"
     "schleifengespeist|by module|by plc|channel|dcs|system|baugruppe|alimentado por lazo|alimenté par la boucle|from loop|int|internal|intern|interno|interne"),
    ("own 24 V", "own 24 v|own 24v|external 24 v|external 24v|external 24 vdc|external 24v dc|ext. 24v|ext 24 vdc|field 24 v|separate 24 v|ext. 24 vdc|externally powered 24 vdc|"
     "extern 24 v|extern 24v|extern 24 v dc|externa 24 vcc|externe 24 vcc|esterna 24 vcc"),
    ("drive", "drive|vfd|inverter|umrichter|frequenzumrichter|variador|variateur"),
    ("none", "none|keine|ninguna|aucune|nessuna|passive contact|dry"),
)  # fmt: skip


def read_supply(text: str) -> str:
    """Who feeds the loop, in our words; "" where the text does not settle it."""
    body = _plain(text)
    return next((name for name, words in _SUPPLY if body in words.split("|")), "")


@lru_cache(maxsize=20_000)
def read_phrase(text: str, io: str = "") -> Phrase:
    """What a phrase says of a signal. io: AI, AO, DI or DO of the row, if another column tells it."""
    if len(text) > 120:
        return Phrase()
    if (ours := _OURS.get(_bare(text))) and "±" not in text:
        return Phrase((ours,), {}, io)
    if len(text.strip()) == 1 and text.strip() in "BEJKNRST":
        return Phrase((f"TC {text.strip()}",), {}, io, "letter")
    if ours := span_of(text):
        return Phrase((ours,), {}, io)
    body = f" {_plain(text)} "
    also = _besides(body)
    own = next(
        (name for word in _WORD.findall(body) if (name := _CLASS_OF.get(_bare(word), "")) and word in _LETTERS), ""
    )
    io = own or io
    if _ALTERNATIVES.search(body):
        return Phrase((), also, io)
    for read in (_span, _thermocouple, _element, _counting, _discrete):
        if (found := read(body, io, also)) is not None:
            return Phrase(found[0], also, io, found[1])
    return Phrase((), also, io)


def span_of(text: str) -> str:
    """The signal of a span as it is typed in the list, "4-20 mA" or "±10 V", "" if the text is none: "10 V" is not."""
    try:
        return read_signal(text) if "±" in text or read_range(text) is not None else ""
    except TextError:
        return ""


_OURS = {_bare(name): name for name in SIGNAL_NAMES if "±" not in name}
_POTENTIOMETERS = ("potentiom", "potencióm", "potenziom", " poti ", " poti,", " pot ")
_USUAL_VOLTS = frozenset((12, 24, 48, 60, 100, 110, 115, 120, 125, 127, 208, 220, 230, 240, 250, 380, 400))
"""Supplies of contacts and loads; 10 V is a span that lacks its low end."""
_SIGNS = str.maketrans({" ": "", ",": ".", "\u2212": "-", "±": ""})
_LETTERS = frozenset(("ai", "ao", "di", "do"))
Found = tuple[tuple[str, ...], str] | None


def _besides(body: str) -> dict[str, str]:
    also: dict[str, str] = {}
    if wires := read_wires(body):
        also["wires"] = wires
    if "hart" in body:
        also["hart"] = "yes"
    if any(
        word in body
        for word in (
            "loop powered",
            "loop-powered",
            "looppowered",
            "schleifengespeist",
            "alimentado por lazo",
            "por la boucle",
            "par la boucle",
        )
    ):
        also["supply"] = "module"
    return also


def _span(body: str, io: str, also: dict[str, str]) -> Found:
    if bare := _BARE_LOOP.fullmatch(body.strip()):
        return (f"{bare[1]}–20 mA",), ""
    spans = _RANGE_OF.findall(body)
    around = _AROUND.findall(body)
    if len(spans) + len(around) > 1:
        return (), ""
    if around:
        return _signal_of(float(f"-{around[0][0]}"), float(around[0][0]), around[0][1]), ""
    if spans:
        low, high, unit = spans[0]
        first, last = (float(end.translate(_SIGNS)) for end in (low, high))
        if unit == "mv":
            also["signal_low"], also["signal_high"] = f"{first:g}", f"{last:g}"
            return ("mV",), ""
        return _signal_of(first, last, unit[:1].replace("m", "ma")), ""
    if "mv/v" in body or "load cell" in body or "strain" in body or "wägezelle" in body or "dms" in body.split():
        return ("bridge mV/V",), ""
    return None


def _signal_of(low: float, high: float, unit: str) -> tuple[str, ...]:
    for one in SIGNALS:
        if not one.own_span and one.unit.lower() == unit and (one.low, one.high) == (low, high):
            return (one.name,)
    return ()


def _thermocouple(body: str, io: str, also: dict[str, str]) -> Found:
    if found := _TC.search(body):
        letter = next(group for group in found.groups() if group).upper()
        return (f"TC {letter}",), ""
    joined = _bare(body)
    if letter := next((letter for alloy, letter in _ALLOYS if alloy in joined), ""):
        return (f"TC {letter}",), ""
    if _ANY_TC.search(body):
        return ("TC K", "TC J", "TC S"), "sensor"
    return None


def _element(body: str, io: str, also: dict[str, str]) -> Found:
    if found := _RTD.search(body):
        name = f"{found[1].title()}{found[2]}"
        if name == "Pt100" and "3916" in body:
            name = "Pt100 3916"
        return ((name,), "") if name in SIGNAL_NAMES else ((), "")
    if _ANY_RTD.search(body):
        return ("Pt100", "Pt1000", "Pt500"), "sensor"
    if any(word in body for word in _POTENTIOMETERS):
        return ("potentiometer",), ""
    return None


def _counting(body: str, io: str, also: dict[str, str]) -> Found:
    if span := _HERTZ.search(body):
        scale = 1000 if span[3] == "khz" else 1
        also["signal_low"], also["signal_high"] = (f"{float(span[n].replace(',', '.')) * scale:g}" for n in (1, 2))
        return ("frequency",), ""
    words = set(_WORD.findall(body))
    if words & {
        "pulse",
        "pulses",
        "impuls",
        "impulse",
        "pulso",
        "pulsos",
        "impulso",
        "impulsos",
        "impulsion",
        "impulsions",
        "impulsi",
        "puls",
        "pols",
        "polsos",
    }:
        return ("pulses",), ""
    if words & {
        "frequency",
        "frequenz",
        "frecuencia",
        "fréquence",
        "frequenza",
        "frequentie",
        "freq",
        "freqüència",
        "frequência",
    }:
        return ("frequency",), ""
    if "pwm" in words:
        return ("PWM",), ""
    return None


_CONTACT = ["contact", "kontakt", "contacto", "contatto", "contato", "dry", "potential-free", "potentialfrei", "potenzialfrei", "potentialfreier", "switch", "schalter", "interruptor", "interrupteur", "relay", "relais", "relé", "relè", "relé", "volt-free", "sec", "seco", "pulito", "vrij", "secco", "contacte", "potencialfrei", "libre", "pushbutton", "taster", "hilfskontakt", "endschalter"]  # fmt: skip
_COILS = ["solenoid", "coil", "lamp", "horn", "valve", "relay", "relais", "relé", "relè", "spule", "magnetventil", "lampe", "hupe", "electroválvula", "electrovalve", "électrovanne", "elettrovalvola", "bobina", "bobine", "ventil", "leuchte", "contactor", "schütz", "beacon", "siren"]  # fmt: skip


def _discrete(body: str, io: str, also: dict[str, str]) -> Found:
    words = set(_WORD.findall(body.replace("-", " "))) | set(_WORD.findall(body))
    form = next(
        (
            form
            for word, form in _FORM_WORDS
            if f" {word} " in body.replace(",", " ").replace("(", " ").replace(")", " ").replace("/", " ")
        ),
        "",
    )
    kind, volts = "", _volts(body)
    ac = volts[1] if volts else False
    for name, marks in (("PNP", {"pnp"}), ("NPN", {"npn"}), ("NAMUR", {"namur", "nam"}), ("end-of-line", {"eol"})):
        if words & marks:
            kind = name
    if not kind and ("2-wire prox" in body or "two-wire prox" in body):
        kind = "two-wire"
    contact = bool(words & set(_CONTACT)) or "volt free" in body or "potential free" in body
    if io in ("DO", "AO") or ({"output", "ausgang", "salida", "sortie", "uscita"} & words and io != "DI"):
        return _load(words, volts, ac)
    if words & set(_COILS[:3]) and io != "DI" and volts:
        return _load(words, volts, ac)
    if not kind and volts:
        kind = "AC contact" if ac else "contact"
    if not kind and contact:
        kind = "contact"
    if not kind and form and (io == "DI" or (len(body) > 5 and read_form(body))):
        kind = "contact"
    if not kind:
        return None
    if volts and not contact and io != "DI" and kind in ("contact", "AC contact"):
        # A voltage alone: a load as well as an input, unless the row says which.
        both = ("load AC",) if ac else ("load 24 V DC",)
        return ((f"{kind} {form}",), "") if form else ((f"{kind} NO", f"{kind} NC", *both), "form")
    return ((f"{kind} {form}",), "") if form else ((f"{kind} NO", f"{kind} NC"), "form")


def _load(words: set[str], volts: tuple[int, bool] | None, ac: bool) -> Found:
    if volts:
        return ("load AC" if ac else "load 24 V DC",), ""
    if words & {*_COILS, *_CONTACT} or {"transistor"} & words:
        return ("load 24 V DC", "load AC"), "kind"
    return None


def _volts(body: str) -> tuple[int, bool] | None:
    found = _VOLTS.search(body)
    if found is None:
        return None
    figure = int(found[1] or found[4] or found[5])
    if figure not in _USUAL_VOLTS:
        return None
    letters = found[2] or found[3] or (found[6] or "").removeprefix("v")
    alternating = letters in ("ac", "ca", "ws", "~") or (not letters and figure >= 100)
    return figure, alternating
