"""Rules about switches: leakage and drop against the input's type, states it cannot tell, trips that nobody would
miss."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from canaleta.core.checks.checkpoints import TEMPERATURE
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.sources import driven
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import shown
from canaleta.core.path.discrete import INPUT_TYPES, agreement
from canaleta.core.path.evaluate import evaluate
from canaleta.core.path.joints import contact
from canaleta.core.path.joints.base import PathRows
from canaleta.core.rules.finding import Cell, Finding, Fix
from canaleta.core.rules.masks import of_signal, of_type, signal_of, takes
from canaleta.core.rules.rule import report, rule
from canaleta.core.signals.signal_types import LOADS, Family

_CIRCUIT = ("signal", "channel", "mode", "leakage_ma", "drop_v", "series_ohm", "parallel_ohm")


@rule(
    "R44",
    "device and discrete input disagree",
    "IEC 61131-2 types 1, 2, 3; IEC 60947-5-6",
    _CIRCUIT,
    severity="bad",
    harm="falsifies",
    looks="leakage, drop and resistors of the switch against the levels of the input",
)
def unnamed_states(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The open switch leaks enough to hold the input on, the closed one drops too much, a state lies between."""
    rows = rows[(image.family[rows] == Family.CONTACT) & (image.mode[rows] >= 0)]
    p = PathRows(image, rows)
    load = of_signal(image, rows, lambda s: s.switch in LOADS) == 1.0
    ac = of_signal(image, rows, lambda s: s.switch in ("AC contact", "AC load")) == 1.0
    here = takes(image, rows) & contact.current_path(p) & ~load & ~p.mode_flag("alternating") & ~ac
    rows = rows[here]
    p = PathRows(image, rows)
    kind = np.nan_to_num(p.of_mode("input_type")).astype(int)
    leak, drop = np.nan_to_num(p.number("leakage_ma")), np.nan_to_num(p.number("drop_v"))
    typed = (kind > 0) & ~contact.watched(p)
    wrong = np.zeros(len(rows), dtype=bool)
    for number, limits in INPUT_TYPES.items():
        over = (leak > limits.off_ma + 1e-9) | (image.conventions.least_supply_v - drop < limits.on_v - 1e-9)
        wrong |= typed & (kind == number) & over
    untyped = np.flatnonzero(~typed)
    if len(untyped):
        told = np.stack([evaluate(image, Station.DEVICE, x, rows[untyped]).at(Station.INPUT) for x in (0.0, 1.0)])
        wrong[untyped] = ~((told[0] == 0.0) & (told[1] == 1.0))
        # End-of-line resistors that nobody typed are not known to be wrong.
        eol = of_signal(image, rows[untyped], lambda s: s.switch == "end-of-line") == 1.0
        unknown = eol & np.isnan(p.number("series_ohm") + p.number("parallel_ohm"))[untyped]
        wrong[untyped] &= ~unknown
    for at in np.flatnonzero(wrong).tolist():
        row = int(rows[at])
        if typed[at]:
            c = image.conventions
            found = agreement(int(kind[at]), float(leak[at]), float(drop[at]), c.least_supply_v, c.greatest_supply_v)
            text = "; ".join(found.troubles) + (f"; {found.bleed} mends the leakage" if found.bleed else "")
        else:
            text = _levels(image, row)
        yield report(image, "R44", [row], Station.INPUT, text, ("leakage_ma", "drop_v", "channel"))


def _levels(image: PlantImage, row: int) -> str:
    """What both states give, and what the input makes of it."""
    at = np.array([row])
    watched = bool(contact.watched(PathRows(image, at))[0])
    words = []
    for closed, name in ((0.0, "open"), (1.0, "closed")):
        found = evaluate(image, Station.DEVICE, closed, at)
        level, state = float(found.at(Station.LOOP)[0]), float(found.at(Station.INPUT)[0])
        takes_it = "neither off nor on" if np.isnan(state) else "on" if state else "off"
        words.append(
            f"{name} gives {shown(level, 2 if watched else 1)} {'mA' if watched else 'V'}, taken for {takes_it}"
        )
    return f"the input does not tell the two states apart: {'; '.join(words)}"


@rule(
    "R48",
    "a trip on a channel that would not miss it",
    "a broken wire must be seen or be safe",
    ("signal", "channel", "mode", "trips", "alarm_state", "open_action", "shunt_ohm", "signal_high", "excitation_v"),
    harm="hides",
    looks="points that shut something: what a broken wire of theirs does",
)
def trip_unwatched(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A broken wire leaves the point where all is well: whatever it should shut is not shut, and nobody knows."""
    rows = rows[image.filled("trips")[rows] & (image.mode[rows] >= 0) & takes(image, rows)]
    p = PathRows(image, rows)
    status = (of_type(image, rows, lambda kind: kind.status is not None) == 1.0) & ~driven(image, rows)
    family, outputs = image.family[rows], p.mode_flag("outputs")
    live = of_signal(image, rows, lambda s: s.live_zero) == 1.0
    silent = np.isnan(p.of_mode("open_counts")) & ~status & ~outputs
    # A closed circuit is the alarm: a broken one never comes.
    by_current = (image.code("alarm_state")[rows] == 1) & ~contact.watched(p)
    switch = (family == Family.CONTACT) & by_current & ~outputs
    level = (family == Family.LINEAR) & ~live & silent
    element = np.isin(family, TEMPERATURE) & silent
    for at in np.flatnonzero(switch | level | element).tolist():
        row = int(rows[at])
        what, fixes = image.text("trips", row), []
        if switch[at]:
            text = f"its alarm is the closed circuit: with a broken wire it never comes, and it {what}"
            fixes = [Fix("the alarm is the open circuit", ((Cell(int(image.ids[row]), "alarm_state"), "0"),))]
        elif level[at]:
            text = f"{signal_of(image, row).name} has no live zero: a broken wire reads as the bottom of the range, and it {what}"
        else:
            text = f"the module does not tell a broken element, and it {what}"
        yield report(image, "R48", [row], Station.INPUT, text, ("trips", "channel"), fixes=fixes)


@rule(
    "R91",
    "the word for actuated stands on the other side",
    "a contact that is open at rest closes when its device is actuated (IEC 60947-5-1)",
    ("signal", "acting", "text_0", "text_1", "actuated"),
    harm="falsifies",
    looks="the form of a contact against the word for its actuated state",
)
def other_word(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A break contact whose word for 1 is that it is actuated: it says so while nothing happens."""
    rows = rows[image.filled("actuated")[rows] & (image.family[rows] == Family.CONTACT)]
    for row in rows.tolist():
        signal, word = signal_of(image, row), image.text("actuated", row)
        if signal.switch in LOADS or not signal.name.endswith((" NO", " NC")):
            continue
        words = [image.text(name, row) for name in ("text_0", "text_1")]
        places = [n for n, text in enumerate(words) if text.casefold() == word.casefold()]
        if not places:
            text = f"actuated is called “{word}”, and its states are “{words[0]}” and “{words[1]}”"
            yield report(image, "R91", [row], Station.VALUE, text, ("actuated", "text_0", "text_1"))
            continue
        is_ = int(not signal.closed_at_rest) ^ int(image.text("acting", row) == "reverse")
        if len(places) == 1 and places[0] != is_:
            point = int(image.ids[row])
            form = "closed" if signal.closed_at_rest else "open"
            text = f"its contact is {form} at rest: actuated it reads {is_}, and “{word}” is the word for {places[0]}"
            swap = ((Cell(point, "text_0"), words[1]), (Cell(point, "text_1"), words[0]))
            yield report(
                image,
                "R91",
                [row],
                Station.VALUE,
                text,
                ("actuated", "text_0", "text_1"),
                fixes=(Fix("change the words over", swap),),
            )
