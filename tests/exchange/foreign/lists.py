"""Lists by other hands. Each is a name, its sheets (name, rows with | between cells) and the truth in our own fields.

In the truth a cell with a ? in front is one that a careful reader asks about instead of reading it.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Foreign:
    """A list: sheets as (name, text with | between cells), and its truth as one table with | between cells."""

    name: str
    sheets: tuple[tuple[str, str], ...]
    truth: str


def rows(text: str) -> list[list[str]]:
    """A text with | between its cells, line by line."""
    return [[cell.strip() for cell in line.split("|")] for line in text.strip("\n").splitlines()]


LISTS = (
    Foreign(
        "german, a title block, a cabinet in it, groups, a sum and a signature",
        (
            (
                "EA-Liste",
                """
Ziegelwerk Nord GmbH|||||||||||
E/A-Liste Schaltschrank KC-1|||||Stand: 12.03.2026||||||
|||||||||||
Lfd. Nr.|Messstelle|Benennung|E/A|Signalart|Messbereich|Einheit|Rack|Stp.|Kanal|Klemme|Bemerkung
Brennerstation|||||||||||
1|PT-4101|Gasdruck vor Brenner|AE|4...20 mA 2-Leiter|0...600|mbar|1|2|1|X1:1/2|
2|TE-4102|Temperatur Zone 1|AE|TE Typ K|0...1200|°C|1|4|1|X1:3/4|neu
3|TE-4103|Temperatur Zone 2|AE|Thermoelement Typ S|0 bis 1400|°C|1|4|2|X1:5/6|
4|PDT-4104|Ofenzug|AE|4-20mA|-50 ... 50|Pa|1|2|2|X1:7/8|vor Kamin
Abluft|||||||||||
5|ZSO-4105|Klappe offen|DE|24 V DC Schließer|||1|3|1|X2:1/2|
6|ZSC-4106|Klappe zu|DE|24 V DC Öffner|||1|3|2|X2:3/4|
7|MS-4107|Gebläse läuft|DE|potentialfreier Kontakt NO|||1|3|3|X2:5/6|
Summe|7||||||||||
Erstellt: K. Meier||||Geprüft:|||||||
""",
            ),
        ),
        """
tag|service|signal|wires|device_low|device_high|device_unit|strip|notes|channel
PT-4101|Gasdruck vor Brenner|4–20 mA|2|0|600|mbar|X1:1; X1:2||KC-1·1·2·1
TE-4102|Temperatur Zone 1|TC K||0|1200|°C|X1:3; X1:4|neu|KC-1·1·4·1
TE-4103|Temperatur Zone 2|TC S||0|1400|°C|X1:5; X1:6||KC-1·1·4·2
PDT-4104|Ofenzug|4–20 mA||-50|50|Pa|X1:7; X1:8|vor Kamin|KC-1·1·2·2
ZSO-4105|Klappe offen|contact NO|||||X2:1; X2:2||KC-1·1·3·1
ZSC-4106|Klappe zu|contact NC|||||X2:3; X2:4||KC-1·1·3·2
MS-4107|Gebläse läuft|contact NO|||||X2:5; X2:6||KC-1·1·3·3
""",
    ),
    Foreign(
        "english, type is the class, instrument is words, two ranges under joined heads, alarms by letters",
        (
            (
                "IO",
                """
#|Tag Number|Instrument|Service|Type|Signal|Instrument Range|||Scaling|||Alarm limits||||P&ID|Rev
||||||LRV|URV|EU|Low|High|Units|LL|L|H|HH||
1|FIT-201|Flow transmitter|Combustion air|AI|4-20 mA HART|0|2.5|kPa|0|5000|Nm3/h|||4500|4800|P-100|C
2|TIT-202|RTD transmitter|Return water|AI|4-20mA, loop powered|0|150|degC|0|150|degC|5|10|95|110|P-101|C
3|AIT-203|Oxygen analyser|Stack oxygen|AI|4-20 mA|0|25|%|0|25|%||1.5|||P-101|B
4|SIC-204|Drive|Fan speed reference|AO|0-10 V||||0|1500|rpm|||||P-102|A
5|XV-205|Solenoid valve|Gas shut-off|DO|24 VDC|||||||||||P-102|A
6|LSL-206|Level switch|Drum low|DI|dry contact N.C.|||||||||||P-103|A
""",
            ),
        ),
        """
tag|service|signal|hart|supply|device_low|device_high|device_unit|value_low|value_high|value_unit|alarm_ll|alarm_l|alarm_h|alarm_hh
FIT-201|Combustion air|4–20 mA|yes||0|2.5|kPa|0|5000|Nm³/h|||4500|4800
TIT-202|Return water|4–20 mA||module|0|150|°C|0|150|°C|5|10|95|110
AIT-203|Stack oxygen|4–20 mA|||0|25|%|0|25|%||1.5||
SIC-204|Fan speed reference|0–10 V||||||0|1500|rpm||||
XV-205|Gas shut-off|load 24 V DC|||||||||||||
LSL-206|Drum low|contact NC|||||||||||||
""",
    ),
    Foreign(
        "spanish, decimals by comma, terminals in two columns, wires in the signal, spares",
        (
            (
                "Cuadro SD-1",
                """
LISTA DE SEÑALES - ATOMIZADOR|||||||||||
|||||||||||
TAG|Descripción|E/S|Tipo de señal|Rango mín.|Rango máx.|Uds.|Regleta|Borna +|Borna -|Bastidor|Ranura|Canal|Observaciones
PT-11|Presión barbotina|EA|4-20 mA 2 hilos|0|2,5|bar|X3|1|2|1|2|1|
TT-12|Temperatura salida|EA|Pt100 3 hilos|0|150|ºC|X3|3|4|1|4|1|revisar cable
FT-13|Caudal agua|EA|4-20 mA|0|12,5|m3/h|X3|5|6|1|2|2|
RESERVA||EA|||||X3|7|8|1|2|3|
ZS-14|Compuerta abierta|ED|contacto libre de potencial NA||||X4|1|2|1|5|1|
EV-15|Electroválvula agua|SD|24 Vcc||||X5|1|2|1|6|1|
TOTAL|5||||||||||||
""",
            ),
        ),
        """
tag|service|signal|wires|device_low|device_high|device_unit|strip|channel|notes
PT-11|Presión barbotina|4–20 mA|2|0|2.5|bar|X3:1; X3:2|SD-1·1·2·1|
TT-12|Temperatura salida|Pt100|3|0|150|°C|X3:3; X3:4|SD-1·1·4·1|revisar cable
FT-13|Caudal agua|4–20 mA||0|12.5|m³/h|X3:5; X3:6|SD-1·1·2·2|
ZS-14|Compuerta abierta|contact NO|||||X4:1; X4:2|SD-1·1·5·1|
EV-15|Electroválvula agua|load 24 V DC|||||X5:1; X5:2|SD-1·1·6·1|
""",
    ),
    Foreign(
        "french, a range in one cell with its unit, two languages in the heads, states of contacts",
        (
            (
                "Liste ES",
                """
Repère / Tag|Désignation / Description|Type E/S|Signal|Plage de mesure|État 0|État 1|Câble|Conducteurs|Remarques
PT-301|Pression eau brute|EANA|4-20 mA|0 à 10 bar|||W301|1, 2|
LT-302|Niveau bâche|EANA|4-20 mA|0 - 4,5 m|||W302|1-2|sonde immergée
TT-303|Température air|EANA|sonde Pt100 3 fils|-20 à +60 °C|||W303|1, 2, 3|
FS-304|Débit pompe 1|ETOR|contact sec NO||pas de débit|débit|W304|1/2|
XS-305|Défaut pompe 1|ETOR|contact sec NF||défaut|normal|W305|3/4|
""",
            ),
        ),
        """
tag|service|signal|wires|device_low|device_high|device_unit|text_0|text_1|cable|cores|notes
PT-301|Pression eau brute|4–20 mA||0|10|bar|||W301|1, 2|
LT-302|Niveau bâche|4–20 mA||0|4.5|m|||W302|1, 2|sonde immergée
TT-303|Température air|Pt100|3|-20|60|°C|||W303|1, 2, 3|
FS-304|Débit pompe 1|contact NO|||||pas de débit|débit|W304|1, 2|
XS-305|Défaut pompe 1|contact NC|||||défaut|normal|W305|3, 4|
""",
    ),
    Foreign(
        "a workbook of one sheet a cabinet, a cover and a history of revisions beside them",
        (
            ("Cover", "Vallroja Tileworks\nInstrument index\nRevision|D\nDate|2026-02-01"),
            (
                "Revisions",
                "Rev|Date|Description|By\nA|2025-01-01|first issue|JS\nB|2025-06-01|kiln 2 added|JS\nC|2026-02-01|as built|MM",
            ),
            (
                "KC-1",
                """
Tag|Description|Sensor|Range|Rk/Sl/Ch
TE-1|Zone 1|TC K|0-1200 °C|1/4/1
TE-2|Zone 2|TC K|0-1200 °C|1/4/2
""",
            ),
            (
                "SD-1",
                """
Tag|Description|Signal|Min|Max|Unit|Slot|Ch
PT-3|Slip pressure|4-20 mA|0|25|bar|2|1
PT-4|Air pressure|4-20 mA|0|10|bar|2|2
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit|channel
TE-1|Zone 1|TC K|0|1200|°C|KC-1·1·4·1
TE-2|Zone 2|TC K|0|1200|°C|KC-1·1·4·2
PT-3|Slip pressure|4–20 mA|0|25|bar|?
PT-4|Air pressure|4–20 mA|0|10|bar|?
""",
    ),
    Foreign(
        "two lists on one sheet, one below the other, heads again on each printed page, footers between",
        (
            (
                "List",
                """
Analog inputs||||||
Tag No|Service|Type|From|To|Unit|Cable
PT-1|Header|4-20mA|0|16|bar(g)|C-1
PT-2|Return|4-20mA|0|10|bar(g)|C-2
Page 1 of 2||||||
Tag No|Service|Type|From|To|Unit|Cable
PT-3|Supply|4-20mA|-1|5|bar(g)|C-3
Page 2 of 2||||||
||||||
Digital inputs||||||
Tag No|Service|Contact|State 0|State 1||Cable
LS-1|Tank high|NO|normal|high||C-4
LS-2|Tank low|NC|low|normal||C-5
Prepared by: JS||||||
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit|cable|text_0|text_1
PT-1|Header|4–20 mA|0|16|bar gauge|C-1||
PT-2|Return|4–20 mA|0|10|bar gauge|C-2||
PT-3|Supply|4–20 mA|-1|5|bar gauge|C-3||
LS-1|Tank high|contact NO||||C-4|normal|high
LS-2|Tank low|contact NC||||C-5|low|normal
""",
    ),
    Foreign(
        "traps: dates in a column of the tag's words, 25 bar alone, a signal as range, reversed, thousands",
        (
            (
                "traps",
                """
Item|Instrument|Date|Tag|Function|Range|Signal
1|Pressure transmitter|2025-04-01|PT-1|Feed|25 bar|4-20 mA
2|Flow meter|2025-04-02|FT-2|Water|0-1,000 m3/h|4-20 mA
3|Temp. transmitter|2025-04-03|TT-3|Oil|100-0 °C|4-20 mA
4|Valve positioner|2025-04-04|ZT-4|Valve|4-20 mA|4-20 mA
5|Level|2025-04-05|LT-5|Silo|±2.5 m|4-20 mA
6|Level|2025-04-06|LT-6|Bin|0 … 12.5 m|4-20 mA
7|Weight|2025-04-07|WT-7|Hopper|0 °C to 80 °C|RTD
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit
PT-1|Feed|4–20 mA|?|?|?
FT-2|Water|4–20 mA|?|?|?
TT-3|Oil|4–20 mA|?|?|?
ZT-4|Valve|4–20 mA|?|?|?
LT-5|Silo|4–20 mA|-2.5|2.5|m
LT-6|Bin|4–20 mA|0|12.5|m
WT-7|Hopper|?|0|80|°C
""",
    ),
    Foreign(
        "italian, two lists side by side, units in heads",
        (
            (
                "Elenco",
                """
ANALOGICI|||||DIGITALI||
Sigla|Descrizione|Segnale|Campo min [bar]|Campo max [bar]||Sigla|Descrizione|Segnale
PT-1|Pressione 1|4-20 mA|0|6||FC-1|Finecorsa aperto|contatto NA
PT-2|Pressione 2|4-20 mA|0|10||FC-2|Finecorsa chiuso|contatto NC
PT-3|Pressione 3|4-20 mA|0|16||FC-3|Porta|contatto pulito NC
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit
PT-1|Pressione 1|4–20 mA|0|6|bar
PT-2|Pressione 2|4–20 mA|0|10|bar
PT-3|Pressione 3|4–20 mA|0|16|bar
FC-1|Finecorsa aperto|contact NO|||
FC-2|Finecorsa chiuso|contact NC|||
FC-3|Porta|contact NC|||
""",
    ),
    Foreign(
        "no heads at all",
        (
            (
                "Sheet1",
                """
PT-501|Gas inlet|4-20 mA|0-600 mbar
PT-502|Gas outlet|4-20 mA|0-250 mbar
TE-503|Flame tube|TC type K|0-1200 °C
TE-504|Flue|TC type N|0-1100 °C
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit
PT-501|?|4–20 mA|0|600|mbar
PT-502|?|4–20 mA|0|250|mbar
TE-503|?|TC K|0|1200|°C
TE-504|?|TC N|0|1100|°C
""",
    ),
    Foreign(
        "a tag in parts, German units, ranges by from and to",
        (
            (
                "Tab",
                """
Funktion|Nr.|Text|Mess-bereich von|bis|Einheit|Typ|Hersteller|Typenbezeichnung
PT|101|Wasserdruck|0|16|bar|4..20 mA|Ormeu|P-55
TT|102|Vorlauf|0|120|°C|Pt100 4-Leiter|Ormeu|T-20
SS|103|Drehzahl|0|3000|U/min|0-10V|Ormeu|S-1
""",
            ),
        ),
        """
tag|service|device_low|device_high|device_unit|signal|wires|device_model
?PT-101|Wasserdruck|0|16|bar|4–20 mA||P-55
?TT-102|Vorlauf|0|120|°C|Pt100|4|T-20
?SS-103|Drehzahl|0|3000|rpm|0–10 V||S-1
""",
    ),
    Foreign(
        "dutch and english mixed, addresses as one word with letters, placeholders, rows out of order",
        (
            (
                "I-O",
                """
Tagnummer|Omschrijving|I/O|Signaaltype|Bereik|Adres|Kabel|Klem|Opmerking
TT-9|Temperatuur ketel|AI|Pt100 3-draads|0..200 °C|KC-1 R1S4CH3|K-9|X1:9,10,11|n.v.t.
PT-2|Keteldruk|AI|4..20mA (2-draads)|0..16 bar|KC-1 R1S2CH4|K-2|X1:1,2|-
LS-5|Niveau laag|DI|potentiaalvrij NC|-|KC-1 R1S3CH4|K-5|X2:7,8|
P-1|Pomp 1 start|DO|24VDC|-|KC-1 R1S1CH1|K-6|X3:1,2|tbd
""",
            ),
        ),
        """
tag|service|signal|wires|device_low|device_high|device_unit|channel|cable|strip
TT-9|Temperatuur ketel|Pt100|3|0|200|°C|KC-1·1·4·3|K-9|X1:9; X1:10; X1:11
PT-2|Keteldruk|4–20 mA|2|0|16|bar|KC-1·1·2·4|K-2|X1:1; X1:2
LS-5|Niveau laag|contact NC|||||KC-1·1·3·4|K-5|X2:7; X2:8
P-1|Pomp 1 start|load 24 V DC|||||KC-1·1·1·1|K-6|X3:1; X3:2
""",
    ),
    Foreign(
        "one list with a line over each cabinet and rack, channels counted from 0, a legend behind",
        (
            (
                "IO",
                """
Tag|Signal|Slot|Ch|Description
Cabinet KC-1 Rack 1||||
TE-71|K|4|0|Zone 71
TE-72|K|4|1|Zone 72
Cabinet KC-2 Rack 1||||
TE-73|type K|4|0|Zone 73
TE-74|type K|4|1|Zone 74
||||
Legend:||||
K = thermocouple type K||||
""",
            ),
        ),
        """
tag|signal|service|channel
TE-71|?|Zone 71|KC-1·1·4·1
TE-72|?|Zone 72|KC-1·1·4·2
TE-73|TC K|Zone 73|KC-2·1·4·1
TE-74|TC K|Zone 74|KC-2·1·4·2
""",
    ),
    Foreign(
        "areas and loops in three columns, sensor words, power words, output as head, classes marked",
        (
            (
                "x1 list",
                """
Project 4711|||||||||||||||
INSTRUMENT LIST|||||||||||||||
No.|Area|Func.|Loop No.|Service Description|Output|Power|Range from|Range to|Eng. Unit|AI|AO|DI|DO|Junction Box|P&ID No.
1|31|PT|3101|Glaze pump discharge|4-20 mA|Loop|0|6|bar|1||||JB-31|P-31
2|31|LT|3102|Glaze tank|4-20 mA|24VDC ext.|0|3.2|m|1||||JB-31|P-31
3|31|LSH|3103|Glaze tank high|SPDT 24VDC NC|||||||1||JB-31|P-31
4|31|XV|3104|Glaze valve|24VDC||||||||1|JB-32|P-31
5|31|TT|3105|Glaze temperature|Pt100 3W||0|60|°C|1||||JB-32|P-31
""",
            ),
        ),
        """
tag|area|service|signal|wires|supply|device_low|device_high|device_unit
?PT-3101|31|Glaze pump discharge|4–20 mA||module|0|6|bar
?LT-3102|31|Glaze tank|4–20 mA||?|0|3.2|m
?LSH-3103|31|Glaze tank high|contact NC|||||
?XV-3104|31|Glaze valve|load 24 V DC|||||
?TT-3105|31|Glaze temperature|Pt100|3||0|60|°C
""",
    ),
    Foreign(
        "german with plc addresses, limits with units, decimals by comma",
        (
            (
                "y2",
                """
Pos.|PLT-Stelle|Verwendung|SPS-Adresse|Signal|MBA|MBE|Dim.|Grenzwert min|Grenzwert max|Hersteller|Kabelnummer|Datum
10|LIC 2001|Füllstand Schlickertank|PEW 256|4-20 mA|0|4,5|m|0,5|4,2|Ormeu|W2001|03.02.2026
20|PI 2002|Pumpendruck|PEW 258|4-20 mA|0|16,0|bar|1,5|12,0|Ormeu|W2002|03.02.2026
30|TI 2003|Temperatur|PEW 260|Pt100|0|120,5|°C||95,0|Ormeu|W2003|04.02.2026
40|LS 2004|Überfüllsicherung|E 4.0|NAMUR|||||||W2004|04.02.2026
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit|alarm_l|alarm_h|cable|channel
LIC 2001|Füllstand Schlickertank|4–20 mA|0|4.5|m|0.5|4.2|W2001|?
PI 2002|Pumpendruck|4–20 mA|0|16.0|bar|1.5|12.0|W2002|?
TI 2003|Temperatur|Pt100|0|120.5|°C||95.0|W2003|?
LS 2004|Überfüllsicherung|?||||||W2004|?
""",
    ),
    Foreign(
        "french cards and ways, alarms in words, bar g",
        (
            (
                "z3",
                """
Liste des entrées/sorties - Armoire GL-1||||||||||||
N°|Repère|Libellé|Nature|Signal|Mini|Maxi|Unité|Seuil très bas|Seuil bas|Seuil haut|Seuil très haut|Rack|Carte|Voie|Bornier|Borne
1|PT001|Pression air comprimé|EA|4-20mA passif|0|10|bar|3|4|8,5|9|1|3|1|XA1|1-2
2|PT002|Pression émail|EA|4-20mA actif|0|6|bar||1,5|5,5||1|3|2|XA1|3-4
3|TT003|Température bain|EA|PT100 3 fils|0|80|°C|||65|70|2|3|1|XA1|5-7
4|NSL004|Niveau bas|ET|Contact sec NF||||||||1|1|5|XD1|1-2
5|KM005|Marche pompe|ST|Relais 24 Vcc|||||||||2|1|XD2|1-2
""",
            ),
        ),
        """
tag|service|signal|wires|device_low|device_high|device_unit|alarm_ll|alarm_l|alarm_h|alarm_hh|channel|strip
PT001|Pression air comprimé|4–20 mA||0|10|bar|3|4|8.5|9|GL-1·1·3·1|XA1:1; XA1:2
PT002|Pression émail|4–20 mA||0|6|bar||1.5|5.5||GL-1·1·3·2|XA1:3; XA1:4
TT003|Température bain|Pt100|3|0|80|°C|||65|70|GL-1·2·3·1|XA1:5; XA1:6; XA1:7
NSL004|Niveau bas|contact NC|||||||||GL-1·1·1·5|XD1:1; XD1:2
KM005|Marche pompe|load 24 V DC||||||||||XD2:1; XD2:2
""",
    ),
    Foreign(
        "spanish words everywhere",
        (
            (
                "w4",
                """
Ítem|Etiqueta|Servicio|Tipo|Instrumento|Señal eléctrica|Campo de medida|Alimentación|Cable nº|Plano|Fecha
1|FT-901|Caudal de gas|EA|Caudalímetro|4-20 mA HART|0 a 500 Nm3/h|Lazo|CB-901|PL-9|12/03/2026
2|PT-902|Presión de gas|EA|Transmisor|4-20 mA|0 a 0,6 bar|Lazo|CB-902|PL-9|12/03/2026
3|TE-903|Temp. horno|EA|Termopar|Termopar tipo S|0 a 1400 ºC||CB-903|PL-9|13/03/2026
4|PSL-904|Presostato gas|ED|Presostato|Contacto NC|||CB-904|PL-9|13/03/2026
5|YS-905|Quemador encendido|ED|Relé|Contacto libre de tensión NA|||CB-905|PL-9|13/03/2026
""",
            ),
        ),
        """
tag|service|signal|hart|device_low|device_high|device_unit|supply|cable
FT-901|Caudal de gas|4–20 mA|yes|0|500|Nm³/h|module|CB-901
PT-902|Presión de gas|4–20 mA||0|0.6|bar|module|CB-902
TE-903|Temp. horno|TC S||0|1400|°C||CB-903
PSL-904|Presostato gas|contact NC||||||CB-904
YS-905|Quemador encendido|contact NO||||||CB-905
""",
    ),
    Foreign(
        "english, low and high for range and for alarms without saying which",
        (
            (
                "v5",
                """
Tag|Description|Signal|Low|High|Units|Low Alarm|High Alarm|HiHi|Decimals|Notes
TI-1|Dryer inlet|TC J|0|400|degC|50|350|380|1|
TI-2|Dryer outlet|TC J|0|400|degC||320|360|1|spare element fitted
AI-3|Humidity|0-10V|0|100|%RH|||85|0|
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit|alarm_l|alarm_h|alarm_hh|value_decimals|notes
TI-1|Dryer inlet|TC J|0|400|°C|50|350|380|1|
TI-2|Dryer outlet|TC J|0|400|°C||320|360|1|spare element fitted
AI-3|Humidity|0–10 V|0|100|% r.h.|||85|0|
""",
    ),
    Foreign(
        "wire list below points, address heads by letters, pairs",
        (
            (
                "u6",
                """
CABINET KC-2 - RACK 2|||||||
Slot|Ch|Tag|Descr.|Type|Cable No.|Pair|TB
1|1|PT-61|Oil pressure|4-20mA|IC-61|1|TB1:1,2
1|2|PT-62|Oil return|4-20mA|IC-61|2|TB1:3,4
2|1|TT-63|Oil temp|4-20 mA|IC-62|1|TB1:5,6
2|2|SPARE|||||TB1:7,8
""",
            ),
        ),
        """
tag|service|signal|cable|cores|strip|channel
PT-61|Oil pressure|4–20 mA|IC-61|1|TB1:1; TB1:2|KC-2·2·1·1
PT-62|Oil return|4–20 mA|IC-61|2|TB1:3; TB1:4|KC-2·2·1·2
TT-63|Oil temp|4–20 mA|IC-62|1|TB1:5; TB1:6|KC-2·2·2·1
""",
    ),
    Foreign(
        "cause list with KKS, english dcs",
        (
            (
                "Sheet 1",
                """
KKS|KKS Description|Signal Type|Card Type|Node|Slot|Point|LRL|URL|Eng Unit|LoLo|Lo|Hi|HiHi|Alarm Priority|Remark
10LAB10CP001|FEEDWATER PRESS|4-20mA 2W|AI8|1|3|1|0|250|bar|50|80|200|220|H|
10LAB10CT001|FEEDWATER TEMP|TC-K|TC8|1|4|1|0|400|°C|||350|380|M|redundant
10LAB10CL001|DRUM LEVEL|4-20mA|AI8|1|3|2|-500|500|mm|-300|-200|200|300|H|
10LAC10AP001|FWP 1 RUNNING|24VDC|DI16|1|5|1|||||||||
""",
            ),
        ),
        """
tag|service|signal|wires|device_low|device_high|device_unit|alarm_ll|alarm_l|alarm_h|alarm_hh|notes
10LAB10CP001|FEEDWATER PRESS|4–20 mA|2|0|250|bar|50|80|200|220|
10LAB10CT001|FEEDWATER TEMP|TC K||0|400|°C|||350|380|redundant
10LAB10CL001|DRUM LEVEL|4–20 mA||-500|500|mm|-300|-200|200|300|
10LAC10AP001|FWP 1 RUNNING|?|||||||||
""",
    ),
    Foreign(
        "german brewery, points and bits",
        (
            (
                "EA",
                """
Anlage: Brauerei Test||||||||
Pos|BMK|Klartext|Typ|Adresse|Bereich|Einheit|Klemme|Aderpaar
1|=A1+S1-B1|Temperatur Maische|Pt100|EW 64|0..100|°C|-X1:1,2,3|1
2|=A1+S1-B2|Füllstand Kessel|4-20mA|EW 66|0..3000|l|-X1:4,5|2
3|=A1+S1-B3|Durchfluss|Impuls|E 0.1|||-X1:6,7|3
4|=A1+S1-S1|Deckel zu|Öffner|E 0.2|||-X1:8,9|4
5|=A1+S1-K1|Rührwerk ein|24V DC|A 4.0|||-X2:1,2|5
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit|strip|cores
=A1+S1-B1|Temperatur Maische|Pt100|0|100|°C|-X1:1; -X1:2; -X1:3|1
=A1+S1-B2|Füllstand Kessel|4–20 mA|0|3000|l|-X1:4; -X1:5|2
=A1+S1-B3|Durchfluss|pulses||||-X1:6; -X1:7|3
=A1+S1-S1|Deckel zu|contact NC||||-X1:8; -X1:9|4
=A1+S1-K1|Rührwerk ein|?||||-X2:1; -X2:2|5
""",
    ),
    Foreign(
        "french water works with min and max only and an old address",
        (
            (
                "Entrees",
                """
Station de pompage - Liste des points|||||||
Code|Libellé|Type|Mini|Maxi|Unité|Ancienne adresse|Date MES
LT01|Niveau bâche|4-20 mA|0|5|m|%IW3.0|12/05/2024
PT02|Pression refoulement|4-20 mA|0|16|bar|%IW3.1|12/05/2024
TOR1|Défaut pompe|contact NF||||%I1.0|12/05/2024
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit|old_address
LT01|Niveau bâche|4–20 mA|0|5|m|%IW3.0
PT02|Pression refoulement|4–20 mA|0|16|bar|%IW3.1
TOR1|Défaut pompe|contact NC||||%I1.0
""",
    ),
    Foreign(
        "valve list with outputs and failsafe",
        (
            (
                "Valves",
                """
Tag|Type|Service|Signal|Fail position|Supply|Size|P&ID
FV-101|Control valve|Air damper|4-20 mA|Closes|module|DN80|P1
XV-102|On/off valve|Gas shut off|24 V DC|Closes|none|DN50|P1
FV-103|Control valve|Water|4-20mA|Open|module|DN25|P2
""",
            ),
        ),
        """
tag|service|signal|on_loss|supply
FV-101|Air damper|4–20 mA|closes|module
XV-102|Gas shut off|?|closes|none
FV-103|Water|4–20 mA|opens|module
""",
    ),
    Foreign(
        "spanish with two description columns and PLC tags",
        (
            (
                "Hoja1",
                """
TAG PLC|TAG|Descripción corta|Descripción|E/S|Rango|Ud.|Alarma baja|Alarma alta|Armario|Bastidor|Tarjeta|Canal
AI_001|TT-001|T. horno|Temperatura horno zona 1|EA|0-1200|°C||1100|KC-1|1|4|1
AI_002|TT-002|T. humos|Temperatura humos|EA|0-800|°C||700|KC-1|1|4|2
DI_001|FS-001|Caudal|Caudal mínimo agua|ED|||||KC-1|1|3|1
""",
            ),
        ),
        """
tag|service|device_low|device_high|device_unit|alarm_h|channel
TT-001|Temperatura horno zona 1|0|1200|°C|1100|KC-1·1·4·1
TT-002|Temperatura humos|0|800|°C|700|KC-1·1·4·2
FS-001|Caudal mínimo agua|||||KC-1·1·3·1
""",
    ),
    Foreign(
        "list with page numbers, continuation and units in range heads, signals by min max",
        (
            (
                "L",
                """
INSTRUMENT LIST - PAGE 1|||||||
Item No.|Instrument Tag|Description|Range Min (°C)|Range Max (°C)|Set point|Output|Notes
1|TE 001|Oven 1|0|300|180|Pt100|
2|TE 002|Oven 2|0|300|185|Pt100|new
Sub-total|2||||||
INSTRUMENT LIST - PAGE 2|||||||
Item No.|Instrument Tag|Description|Range Min (°C)|Range Max (°C)|Set point|Output|Notes
3|TE 003|Oven 3|0|300|190|Pt100|
Grand total|3||||||
Checked by JS|||||||
""",
            ),
        ),
        """
tag|service|device_low|device_high|device_unit|signal|notes
TE 001|Oven 1|0|300|°C|Pt100|
TE 002|Oven 2|0|300|°C|Pt100|new
TE 003|Oven 3|0|300|°C|Pt100|
""",
    ),
    Foreign(
        "bytes and bits without letters",
        (
            (
                "E",
                """
Tag|Text|Adresse|Signal
LS1|oben|4.0|4-20
LS2|unten|4.1|4-20
LS3|Tür|5.0|4-20
""",
            ),
        ),
        """
tag|service|signal|channel
LS1|oben|4–20 mA|?
LS2|unten|4–20 mA|?
LS3|Tür|4–20 mA|?
""",
    ),
    Foreign(
        "portuguese bakery",
        (
            (
                "Lista 1",
                """
Nº|Etiqueta|Descrição|E/S|Tipo de sinal|Faixa|Unidade|Painel|Slot|Canal|Cabo
1|TT-10|Temperatura forno 1|EA|PT100 3 fios|0 a 300|°C|GL-1|3|1|C10
2|TT-11|Temperatura forno 2|EA|Termopar tipo K|0 a 600|°C|GL-1|3|2|C11
3|PT-12|Pressão vapor|EA|4-20 mA|0 a 10|bar|GL-1|3|3|C12
4|LS-13|Nível alto|ED|contato seco NF||||1|1|C13
""",
            ),
        ),
        """
tag|service|signal|wires|device_low|device_high|device_unit|cable|channel
TT-10|Temperatura forno 1|Pt100|3|0|300|°C|C10|?
TT-11|Temperatura forno 2|TC K||0|600|°C|C11|?
PT-12|Pressão vapor|4–20 mA||0|10|bar|C12|?
LS-13|Nível alto|contact NC|||||C13|
""",
    ),
    Foreign(
        "catalan, names of words as tags",
        (
            (
                "Full 1",
                """
Nom|Descripció|Tipus|Senyal|Mínim|Màxim|Unitats
Forn_Temp_1|Temperatura zona 1|EA|Pt100|0|400|°C
Forn_Temp_2|Temperatura zona 2|EA|Pt100|0|400|°C
Vent_Marxa|Ventilador en marxa|ED|contacte NO|||
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit
Forn_Temp_1|Temperatura zona 1|Pt100|0|400|°C
Forn_Temp_2|Temperatura zona 2|Pt100|0|400|°C
Vent_Marxa|Ventilador en marxa|contact NO|||
""",
    ),
    Foreign(
        "old and new tags, two services, unit of plant, revision marks",
        (
            (
                "Tags",
                """
Rev|Old Tag|New Tag|Unit|Equipment|Service|Function|I/O|Range|EU
A|P101|PT-0101|100|Boiler|Steam pressure|Indication|AI|0-16|barg
A|T102|TT-0102|100|Boiler|Steam temperature|Indication|AI|0-300|degC
B|L103|LT-0103|200|Tank|Level|Control|AI|0-100|%
""",
            ),
        ),
        """
tag|second_name|area|service|device_low|device_high|device_unit
PT-0101|P101|?|Steam pressure|0|16|bar gauge
TT-0102|T102|?|Steam temperature|0|300|°C
LT-0103|L103|?|Level|0|100|%
""",
    ),
    Foreign(
        "test bench with channels in words, sensors, calibrated ranges, coefficients",
        (
            (
                "Bench",
                """
Ch|Name|Sensor|Cal. range low|Cal. range high|Unit|Gain|Offset|Sample rate
1|P_inlet|0-5V|0|10|bar|2|0|1000
2|P_outlet|0-5V|0|5|bar|1|0|1000
3|T_oil|TC type J|-40|200|degC|||10
4|Torque|±10V|-500|500|Nm|50|0|1000
""",
            ),
        ),
        """
tag|signal|device_low|device_high|device_unit|channel|slope|offset
P_inlet|0–5 V|0|10|bar|?|?|?
P_outlet|0–5 V|0|5|bar|?|?|?
T_oil|TC J|-40|200|°C|?||
Torque|±10 V|-500|500|N·m|?|?|?
""",
    ),
    Foreign(
        "tank farm with alarms in percent and in units, sets in words",
        (
            (
                "TF",
                """
Tag|Description|Signal|Range|Alarm LL|Alarm L|Alarm H|Alarm HH
LT-1|Tank 1 level|4-20mA|0-12 m|1 m|2 m|10 m|11 m
LT-2|Tank 2 level|4-20mA|0-8 m|5 %|10 %|90 %|95 %
TT-3|Tank 1 temp|Pt100 4-wire|-20...80 °C|||60|70
""",
            ),
        ),
        """
tag|service|signal|wires|device_low|device_high|device_unit|alarm_ll|alarm_l|alarm_h|alarm_hh
LT-1|Tank 1 level|4–20 mA||0|12|m|1|2|10|11
LT-2|Tank 2 level|4–20 mA||0|8|m|?|?|?|?
TT-3|Tank 1 temp|Pt100|4|-20|80|°C|||60|70
""",
    ),
    Foreign(
        "spread over with blank rows and columns, heads in capitals with line breaks",
        (
            (
                "BLATT",
                """
|||||||
||MESSSTELLE NR.||BENENNUNG / FUNKTION||SIGNAL ART|MB VON|MB BIS|EINHEIT
|||||||
||P-1||Netzdruck||4 … 20 mA|0|10|bar
|||||||
||P-2||Vordruck||4 … 20 mA|0|6|bar
||T-3||Vorlauf||Pt 1000|0|120|Grad C
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit
P-1|Netzdruck|4–20 mA|0|10|bar
P-2|Vordruck|4–20 mA|0|6|bar
T-3|Vorlauf|Pt1000|0|120|°C
""",
    ),
    Foreign(
        "outputs with scaling and counts",
        (
            (
                "AO",
                """
Tag|Description|Type|Signal|Raw min|Raw max|EU min|EU max|EU
ZC-1|Damper 1|AO|4-20 mA|0|32000|0|100|%
ZC-2|Damper 2|AO|4-20 mA|0|32000|0|100|%
""",
            ),
        ),
        """
tag|service|signal|counts_low|counts_high|value_low|value_high|value_unit
ZC-1|Damper 1|4–20 mA|0|32000|0|100|%
ZC-2|Damper 2|4–20 mA|0|32000|0|100|%
""",
    ),
    Foreign(
        "a name with figures beside tags whose head is not known",
        (
            (
                "N",
                """
Kennung X|Name|Signal|Bereich
PT-1|Temperatur 1|4-20 mA|0-10 bar
PT-2|Temperatur 2|4-20 mA|0-10 bar
""",
            ),
        ),
        """
tag|service|signal|device_low|device_high|device_unit
PT-1|?|4–20 mA|0|10|bar
PT-2|?|4–20 mA|0|10|bar
""",
    ),
)
