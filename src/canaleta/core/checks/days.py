"""Days and months until which something holds, as people write them: 2027-03-31, or 2027-03 for all of March."""

from __future__ import annotations

from canaleta.core.notation.patterns import compiled

__all__ = ["has_passed"]

_MONTH_OR_DAY = compiled(r"\d{4}-\d{2}(-\d{2})?")


def has_passed(text: str, today: str) -> bool:
    """Whether a day, or the end of a month, is over on a day of ISO 8601. False for what names none."""
    due = text.strip()
    return _MONTH_OR_DAY.fullmatch(due) is not None and due < today[: len(due)]
