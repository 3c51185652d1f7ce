"""At which registers other systems read the plant's values, and what stands there: values in units, or as many whole numbers
of them as the point's type says.

A register says nothing of quality, so a bit does: the coil with the number of the first holding register, the discrete input
with that of the first input register, is 1 while the value is good. What is bad is no figure: a real is not a number then,
a whole number stands at the end of its range that no plant reaches by itself.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.image import PlantImage
from canaleta.core.model.whole_numbers import whole_factor
from canaleta.core.notation.arrays import Bools, Floats, Rows
from canaleta.core.notation.text import TextError
from canaleta.core.signals.converters import WordForm
from canaleta.core.signals.decodings import Shown, read_shown

__all__ = ["FUNCTIONS", "Published", "bad_number", "published"]

FUNCTIONS = ("input", "holding")
_read = lru_cache(maxsize=100_000)(read_shown)


def bad_number(form: WordForm) -> float:
    """What stands there while there is no value to be trusted: NaN in a real; the least of a number with a sign, the
    greatest of one without."""
    if form.kind == "float":
        return float("nan")
    return float(form.least if form.least < 0 else form.most)


@dataclass(frozen=True)
class Published:
    """Every point that is published, in the order of its registers. rows: of the image; function: index into FUNCTIONS;
    register: the first, from 0; factor: how many of its numbers one unit is; form: index into `forms`. All (n,).
    wrong: {row: why it is not there}."""

    rows: Rows
    function: NDArray[np.int8]
    register: NDArray[np.int64]
    factor: Floats
    form: NDArray[np.int64]
    forms: tuple[WordForm, ...]
    wrong: Mapping[int, str]

    def words(
        self, which: NDArray[np.int64], value: Floats, bad: Bools
    ) -> Iterator[tuple[NDArray[np.int64], NDArray[np.uint16]]]:
        """(places into this table, their registers (k, words)) of some of them, form by form. value: in units; bad: where it
        is not to be trusted. A number that does not go into its registers stands there as a bad one."""
        for index, form in enumerate(self.forms):
            mine = np.flatnonzero(self.form[which] == index)
            if not len(mine):
                continue
            places = which[mine]
            numbers = value[mine] * self.factor[places]
            numbers = np.where(self.unfit(places, value[mine]) | bad[mine], bad_number(form), numbers)
            yield places, form.words_of(numbers).astype(np.uint16)

    def unfit(self, which: NDArray[np.int64], value: Floats) -> Bools:
        """Where a value does not go into the registers that are kept for it, or is no figure."""
        numbers = value * self.factor[which]
        out = ~np.isfinite(numbers)
        for index, form in enumerate(self.forms):
            mine = self.form[which] == index
            if form.kind == "float":
                out |= mine & (np.abs(np.where(np.isfinite(numbers), numbers, 0.0)) > np.finfo(np.float32).max)
            else:
                whole = np.rint(np.where(np.isfinite(numbers), numbers, 0.0))
                out |= mine & ~((whole >= form.least) & (whole <= form.most))
        return out


def published(image: PlantImage) -> Published:
    """What is published of a list. Two points at one register are both left out: nobody could tell them apart."""
    places: list[tuple[int, Shown]] = []
    wrong: dict[int, str] = {}
    for row in np.flatnonzero(image.filled("published_at")).tolist():
        try:
            places.append((row, _read(image.text("published_at", row))))
        except TextError as error:
            wrong[row] = str(error)
    places.sort(key=lambda one: (one[1].function, one[1].register))
    # The one that reaches furthest of those before: a number of two registers may cover two others.
    last: tuple[int, Shown] | None = None
    for row, place in places:
        if last is not None and last[1].function == place.function and place.register < _end(last[1]):
            text = f"{image.label(last[0])} and {image.label(row)} are published at the same registers"
            wrong |= {last[0]: text, row: text}
        if last is None or last[1].function != place.function or _end(place) > _end(last[1]):
            last = (row, place)
    places = [(row, place) for row, place in places if row not in wrong]
    forms: dict[WordForm, int] = {}
    rows = np.array([row for row, _ in places], dtype=np.int64)
    form = [forms.setdefault(place.form, len(forms)) for _, place in places]
    real = np.array([place.form.kind == "float" for _, place in places], dtype=bool)
    return Published(
        rows,
        np.array([FUNCTIONS.index(place.function) for _, place in places], dtype=np.int8),
        np.array([place.register for _, place in places], dtype=np.int64),
        np.where(real, 1.0, whole_factor(image, rows)) if len(rows) else np.empty(0),
        np.array(form, dtype=np.int64),
        tuple(forms),
        wrong,
    )


def _end(place: Shown) -> int:
    return place.register + place.form.words
