"""What is asked of the instrument that something was measured with, before anything is signed."""

from __future__ import annotations

from datetime import UTC, date, datetime

from canaleta.core.checks.days import has_passed
from canaleta.plant.records.instruments import Instrument, instruments
from canaleta.web.kit.problems import ProblemError
from canaleta.web.kit.shared import shared

__all__ = ["known_instrument", "refuse_instrument", "today"]


def known_instrument(name: str) -> Instrument | None:
    """The instrument that the plant keeps under a name, None for one that it does not know."""
    with shared().engine.connect() as connection:
        return next((one for one in instruments(connection) if one.name == name.strip()), None)


def refuse_instrument(instrument: str, serial: str, due: str) -> dict[str, str]:
    """The serial and the day that a record names of an instrument. Raises ProblemError where it has no name or no day until which it is calibrated, or that day has passed. due: a day or
    a month, as in 2027-03; of an instrument that the plant keeps, its own counts."""
    if (known := known_instrument(instrument)) is not None:
        serial, due = known.serial, known.due
    if not instrument.strip():
        raise ProblemError(
            422, "with which instrument was it checked?", "nothing was signed", "name it, and its serial number"
        )
    if not due.strip():
        raise ProblemError(
            422,
            "until when is the instrument calibrated?",
            "nothing was signed",
            "give the day or the month, as in 2027-03",
        )
    if has_passed(due, today().isoformat()):
        raise ProblemError(
            409,
            f"the instrument's calibration was due in {due.strip()}",
            "nothing was signed",
            "check with an instrument that is calibrated, or correct the day",
        )
    return {"serial": serial.strip(), "due": due.strip()}


def today() -> date:
    """The plant's day."""
    return datetime.fromtimestamp(shared().clock.looked_lately(), UTC).date()
