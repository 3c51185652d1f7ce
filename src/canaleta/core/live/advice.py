"""What a fault is called, what most likely causes it, and what to do next: for each reason, by what is on the wires.

Severity is the plant's: what is usual stands here, `conventions.fault_grades` says otherwise. A channel with nothing
on it that reads open is no fault: "nothing connected" is to know.
"""

from __future__ import annotations

from dataclasses import dataclass

from canaleta.core.model.conventions import fault_grades
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import WORDS, Quality, Reason
from canaleta.core.path.evaluate import reason_messages
from canaleta.core.signals.signal_types import Family

__all__ = ["NOTHING_CONNECTED", "Advice", "advice_for", "advice_of", "grade_of"]


@dataclass(frozen=True)
class Advice:
    """One fault in words. grade: bad, settle, note or off; causes: most likely first; next: what to do first."""

    reason: Reason
    says: str
    grade: str
    causes: tuple[str, ...]
    next: str


NOTHING_CONNECTED = Advice(
    Reason.OPEN_CIRCUIT,
    "nothing connected",
    "note",
    ("a spare channel with no device on it",),
    "nothing: land a device on it, or leave it spare",
)

_ADVICE: dict[Reason, tuple[tuple[str, ...], str]] = {
    Reason.OPEN_CIRCUIT: (
        ("a wire is off a terminal", "a disconnect terminal stands open", "a core is broken", "a fuse has blown"),
        "check disconnects and fuse in the cabinet, then continuity of both cores with the device off",
    ),
    Reason.SHORT_CIRCUIT: (
        ("the two cores touch", "water in a junction box", "a squeezed cable"),
        "lift the cores at the device: if it still reads short, the fault is in the cable",
    ),
    Reason.FAILED_LOW: (
        ("a wire is off or a fuse has blown", "the device reports that it failed", "no supply in the loop"),
        "meter the loop: at 0 mA it is open or without supply, at 3.6 mA and below the device itself says it failed",
    ),
    Reason.FAILED_HIGH: (
        ("the device reports that it failed", "the two cores touch", "water in the head"),
        "meter the loop: at 21 mA and above look at the device's own display; lift it off to exclude the cable",
    ),
    Reason.UNDER_RANGE: (
        ("the quantity is below the range", "the zero of the device has moved", "a leak to earth beside the shunt"),
        "compare with a local gauge, then check the device's zero",
    ),
    Reason.OVER_RANGE: (
        ("the quantity is above the range", "the span of the device is set too small"),
        "compare with a local gauge, then check the device's upper range value",
    ),
    Reason.AT_LIMIT_LOW: (
        ("the signal is below what the module can count", "plus and minus are swapped", "the wrong mode is set"),
        "meter the signal at the terminals: the module cannot say how far below it is",
    ),
    Reason.AT_LIMIT_HIGH: (
        ("the converter is saturated: the signal is above what the module can count", "a shunt is too large"),
        "meter the signal at the terminals: the module cannot tell saturated from failed",
    ),
    Reason.CHANNEL_FAULT: (
        ("the module tests the channel and finds it open, short or over its limits", "the module itself is broken"),
        "put the pair on a spare channel of the same module: if the fault stays behind, change the module",
    ),
    Reason.RACK_SILENT: (
        ("the rack has no power", "the network cable or switch is off", "the address was changed"),
        "look at the rack's supply and its network port, then test the connection from the cabinet's page",
    ),
    Reason.NOT_A_NUMBER: (
        ("the device marks its value as invalid (NaN)", "a division by zero in the device or controller (infinity)",
         "the order of the bytes, or the kind of number, is another than the module type says"),
        "look at the device's own display; if that is well, read the register with the finder and compare its bytes",
    ),
    Reason.REGISTER_REFUSED: (
        ("the module is not fitted, or another one is", "the first register of the rack or the module type is wrong",
         "the device's map has changed", "the name of the value is another now, or nobody publishes it"),
        "compare the rack's settings on the cabinet's page, then read the registers around it with the finder; of a rack by name, look through its names on the module's page",
    ),
    Reason.MODULE_FAULT: (
        ("the module has found a fault in itself", "it was not set up, or its settings were lost"),
        "read its lamps, then switch its supply off and on; if the bit comes back, change the module",
    ),
    Reason.SUPPLY_FAULT: (
        ("a fuse of the field supply has blown", "the supply that feeds the channels is off or too low"),
        "meter the field supply at the module's own terminals, then its fuse",
    ),
    Reason.NOT_CALIBRATED: (
        ("the module's calibration data are lost or out of date", "a calibration was begun and not ended"),
        "check the channel with a source before relying on it; calibrate the module as its manual says",
    ),
    Reason.SOURCE_UNCERTAIN: (
        ("the rack holds the last value it could use", "a sensor of the rack is not calibrated, or works at its limits",
         "the value is put in by hand at the rack"),
        "test the connection on the rack's page, then ask the rack itself what it says of the value",
    ),
    Reason.OUTSIDE_SENSOR: (
        ("another sensor type is fitted or chosen", "an extension wire of another kind", "the element is broken"),
        "compare the element's plate with the list, then measure it at the head",
    ),
    Reason.UNDEFINED_LEVEL: (
        ("leakage of the sensor holds the input half on", "a bad contact", "an input type that does not suit the sensor"),
        "meter volts and milliamps at the input: both decide what it sees",
    ),
    Reason.WRONG_SUPPLY: (("AC and DC are mixed on this channel",), "isolate before touching: then mend the wiring"),
    Reason.NO_CURRENT_PATH: (
        ("device and input pull to the same side",), "see the wiring page: turn the common, or take the other output type"
    ),
    Reason.STARVED_LOOP: (
        ("too much resistance in the loop", "the supply has dropped", "a barrier was added"),
        "meter the supply, then the drop over each hop",
    ),
    Reason.CHATTERS: (
        ("a loose contact", "a sensor at the edge of its range", "no delay set where waves or vibration are usual"),
        "watch its light while the wire is moved by hand; if it is the process, set an on- or off-delay",
    ),
    Reason.LATCHED: (("the fault is over and was not reset",), "look at why it came, then reset it"),
    Reason.FORCED: (("somebody forces it in the rack",), "see the log of temporary changes for whom and why"),
    Reason.DISABLED: (("the channel is switched off in the list",), "switch it on again when the device is back"),
    Reason.MODE_MISFIT: (("the channel works in a mode for another signal",), "choose the mode that takes the signal"),
    Reason.TWO_TEMPERATURES: (("two temperatures give this voltage with this type",), "near the cold end, trust no figure"),
    Reason.SUBSTITUTED: (("the signal failed and a set value stands in",), "see what failed before relying on it"),
    Reason.HELD: (("the signal failed and the last good value is held",), "see what failed before relying on it"),
    Reason.CLAMPED: (
        ("the value lies beyond its range and is held at the end of it",), "compare with a local gauge: the count beside it is not clamped"
    ),
    Reason.NO_MODE: (("no mode is chosen for the channel",), "choose a mode on the list, INPUT, mode"),
    Reason.NOT_SCALED: (
        ("the ends of the count or of the value are empty",), "fill in COUNTS and VALUE, low and high, on the list"
    ),
}  # fmt: skip
_OF_FAMILY: dict[tuple[Reason, Family], tuple[tuple[str, ...], str]] = {
    (Reason.OUTSIDE_SENSOR, Family.THERMOCOUPLE): (
        ("plus and minus are swapped", "another type is fitted or chosen", "an extension wire of another kind"),
        "warm the tip by hand: if the value falls, plus and minus are swapped",
    ),
    (Reason.OPEN_CIRCUIT, Family.THERMOCOUPLE): (
        ("the element has burnt through", "an extension wire is off a terminal"),
        "measure the element at the head: a few ohms is whole, none is burnt through",
    ),
    (Reason.OPEN_CIRCUIT, Family.RESISTANCE): (
        ("a lead is off", "the element is broken", "the jumper of the third wire is absent"),
        "measure between the leads: two of one colour are the same end and read a few ohms",
    ),
    (Reason.SHORT_CIRCUIT, Family.RESISTANCE): (
        ("leads touch in the head",),
        "lift the leads at the head and measure the element: Pt100 is near 110 Ω in a warm room",
    ),
    (Reason.OPEN_CIRCUIT, Family.CONTACT): (
        ("a wire is off: the line monitor sees no end-of-line current", "a fuse has blown"),
        "measure the line's resistance at the cabinet with the input lifted",
    ),
}
_USUAL = {Quality.BAD: "bad", Quality.DOUBTFUL: "settle", Quality.NONE: "note", Quality.GOOD: "note"}


def grade_of(image: PlantImage, reason: Reason) -> str:
    """How the plant takes a fault: bad, settle, note or off."""
    quality, words = WORDS[reason]
    return fault_grades(image.conventions.fault_grades).get(words.lower(), _USUAL[quality])


def advice_for(image: PlantImage, reason: Reason, family: Family = Family.NONE, says: str = "") -> Advice:
    """One fault with its causes and what to do next."""
    causes, first = _OF_FAMILY.get((reason, family)) or _ADVICE[reason]
    return Advice(reason, says or WORDS[reason][1], grade_of(image, reason), causes, first)


def advice_of(image: PlantImage, row: int, reasons: int) -> list[Advice]:
    """Every fault of one point, worst first. A point whose channel nobody wired is "nothing connected"."""
    found = [reason for reason in WORDS if reasons & reason]
    family = Family(int(image.family[row]))
    told = [
        advice_for(image, reason, family, says)
        for reason, says in zip(found, reason_messages(image, row, reasons), strict=True)
    ]
    order = ("bad", "settle", "note", "off")
    return sorted((a for a in told if a.grade != "off"), key=lambda a: order.index(a.grade))
