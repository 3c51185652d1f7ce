"""Where a signal stops: the stages from the device to the display, what each must show, and between which two to
look.

One says what is in the pipe now; each stage is ticked as it is looked at. What lies between the last that shows it
and the first that does not is the suspect; where stages between them were not looked at, the middle one is next.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from canaleta.core.model.addresses import addresses_of
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.registers import RackMap
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.sheet.entry import station_figure
from canaleta.core.signals.signal_types import Family

__all__ = ["STAGES", "Stage", "Traced", "stages_of", "traced"]

STAGES = ("device", "terminals", "module lamp", "register", "named point", "display")


@dataclass(frozen=True)
class Stage:
    """A stage: its name, where to look and with what, and what must be there, in words; figure: as a number where it
    is one (of the register and of the named point), NaN elsewhere."""

    name: str
    look: str
    expected: str
    figure: float


@dataclass(frozen=True)
class Traced:
    """What the ticks say. suspect: (last stage that shows it, first that does not), -1 for before the device; None
    while nothing can be said. following: the stage to look at next, -1 for none."""

    suspect: tuple[int, int] | None
    says: str
    do: str
    following: int


def stages_of(image: PlantImage, row: int, process: float) -> tuple[Stage, ...]:
    """The stages of a landed point while a quantity is in the pipe (in the device's unit; of a contact 1 for acted
    upon)."""
    paths = evaluate(image, Station.PROCESS, process, np.array([row]))
    words = describe(image, row)

    def at(station: Station) -> str:
        k = STATIONS.index(station)
        return (
            f"{station_figure(image, row, k, float(paths.at(station)[0]), words[k].decimals)} {words[k].unit}".strip()
        )

    module = image.layout.modules[int(image.module[row])]
    kind, channel = image.layout.type_at(module.id, int(image.channel[row])), int(image.channel[row])
    slot, number = image.layout.slots[module.id], channel + image.layout.channel_base
    found = addresses_of(
        image.layout, RackMap.of(image.layout, module.rack), module.id, channel, image.text("mode", row)
    )
    marks = " and ".join(mark for mark, _ in kind.terminal_marks(channel)) or "of the channel"
    contact = image.family[row] == Family.CONTACT
    counts, value = (float(paths.at(s)[0]) for s in (Station.COUNTS, Station.VALUE))
    lamp = ("lit" if counts >= 0.5 else "dark") if contact else "no fault is lit"
    return (
        Stage("device", "its own lamp or display", at(Station.DEVICE) if contact else at(Station.PROCESS), np.nan),
        Stage("terminals", f"meter at terminals {marks}", at(Station.LOOP), np.nan),
        Stage("module lamp", f"channel {number} of {kind.title} in slot {slot}", lamp, np.nan),
        Stage("register", found.told if found.by_name else f"{found.told}, from 0", at(Station.COUNTS), counts),
        Stage("named point", f"{image.label(row)} here", at(Station.VALUE), value),
        Stage("display", "what the controller's own screen shows", at(Station.VALUE), np.nan),
    )


_BETWEEN = {
    0: ("the wire from the device: a core, a terminal, a disconnect, or what feeds the device",
        "measure at the strip, then at the device: where does it come back?"),
    1: ("the terminal and the channel: another terminal, the common, the input's type and levels, or the channel itself",
        "compare what is measured with what the mode takes; move the wire to a free channel"),
    2: ("module and controller: communication, slot or address",
        "does another channel of this module move? Test the connection, and compare slots and registers with the list"),
    3: ("the list: another channel, turned round, a delay, another mode or scaling",
        "does another point move in its place? Look at its path"),
    4: ("the controller's program or the screen: bound to another address or scaled again",
        "compare the controller's own value with ours: “controller shows at”"),
}  # fmt: skip
"""What lies behind each stage, and what to do next."""


def traced(seen: Sequence[bool | None]) -> Traced:
    """What ticks say, one a stage: True for what shows as it must, False for what does not, None for not looked
    at."""
    dark = [k for k, tick in enumerate(seen) if tick is False]
    lit = [k for k, tick in enumerate(seen) if tick]
    if not dark:
        if len(lit) == len(seen):
            return Traced(None, "it arrives everywhere", "nothing is wrong on this way", -1)
        rest = [k for k, tick in enumerate(seen) if tick is None]
        # The far end first: if it arrives there, everything before it is sound.
        return Traced(None, "nothing is found missing yet", f"look at the {STAGES[rest[-1]]}", rest[-1])
    first = dark[0]
    if later := [k for k in lit if k > first]:
        says = f"the {STAGES[later[0]]} shows it although the {STAGES[first]} does not"
        do = (
            f"look at the {STAGES[first]} again; is it forced or replaced behind it, or does another channel show it?"
        )
        return Traced(None, says, do, first)
    before = max((k for k in lit if k < first), default=-1)
    if first == 0:
        return Traced(
            (-1, 0),
            "the device itself: nothing of it is seen there",
            "is it fed, does it act, is it set as the list says?",
            -1,
        )
    if first - before > 1:
        middle = (before + first) // 2 if before >= 0 else 0 if first == 1 else first // 2
        middle = max(middle, before + 1)
        from_ = f"the {STAGES[before]}" if before >= 0 else "the process"
        says = f"it is lost between {from_} and the {STAGES[first]}"
        return Traced((before, first), says, f"look at the {STAGES[middle]} next: it halves the way", middle)
    what, do = _BETWEEN[before]
    return Traced((before, first), f"between {STAGES[before]} and {STAGES[first]}: {what}", do, -1)
