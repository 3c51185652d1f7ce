"""Numbers in registers: how a channel's count stands in one or two 16-bit words.

Nothing here assumes a convention: signedness, offset binary, bits shifted to the left of the word, 32-bit whole
numbers and IEEE 754 in any of the four byte orders are all properties of a WordForm.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from canaleta.core.notation.arrays import Floats, Words

__all__ = ["ORDERS", "WordForm", "round_counts"]

ORDERS = ("ABCD", "CDAB", "BADC", "DCBA")
"""Byte orders of 32 bits in two registers, A the most significant byte, as the bytes come over the line."""


class WordForm(BaseModel):
    """How a number stands in registers.

    kind: whole number or IEEE 754. bits: of the field, 16 in one register or 32 in two. coding: how sign is kept.
    used_bits: of a left-justified converter, which fills the word from the top; 0 if it fills it from below.
    order: of the bytes; in one register ABCD and CDAB are the bytes as Modbus has them, BADC and DCBA swapped.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["whole", "float"] = "whole"
    bits: Literal[16, 32] = 16
    coding: Literal["two's complement", "unsigned", "offset binary"] = "two's complement"
    used_bits: int = Field(default=0, ge=0, le=32)
    order: Literal["ABCD", "CDAB", "BADC", "DCBA"] = "ABCD"

    @model_validator(mode="after")
    def _consistent(self) -> WordForm:
        if self.kind == "float" and (self.bits != 32 or self.used_bits):
            raise ValueError("bits: IEEE 754 single precision has 32 bits, all used")
        if self.used_bits > self.bits:
            raise ValueError("used_bits: more than the word has")
        return self

    @property
    def words(self) -> int:
        """Registers a number takes."""
        return self.bits // 16

    @property
    def least(self) -> float:
        """The least number the form holds."""
        if self.kind == "float":
            return -float(np.finfo(np.float32).max)
        return 0.0 if self.coding == "unsigned" else -float(1 << (self._width - 1))

    @property
    def most(self) -> float:
        """The greatest number the form holds."""
        if self.kind == "float":
            return float(np.finfo(np.float32).max)
        return float((1 << self._width) - 1 if self.coding == "unsigned" else (1 << (self._width - 1)) - 1)

    @property
    def _width(self) -> int:
        return self.used_bits or self.bits

    def words_of(self, counts: ArrayLike) -> Words:
        """Registers of numbers: (n,) in, (n, words) uint16 out, in the order of their addresses.

        Raises ValueError for a number that the form does not hold.
        """
        numbers = np.atleast_1d(np.asarray(counts, dtype=np.float64))
        if self.kind == "float":
            raw = numbers.astype(np.float32).view(np.uint32).astype(np.uint64)
        else:
            whole = np.rint(numbers)
            bad = ~((whole >= self.least) & (whole <= self.most))
            if bad.any():
                raise ValueError(
                    f"{numbers[bad][0]:.12g} does not fit: the word holds {self.least:.0f} to {self.most:.0f}"
                )
            shift = (1 << (self._width - 1)) if self.coding == "offset binary" else 0
            field = (whole.astype(np.int64) + shift) & ((1 << self._width) - 1)
            raw = (field << (self.bits - self._width)).astype(np.uint64)
        return self._split(raw)

    def counts_of(self, words: ArrayLike) -> Floats:
        """Numbers of registers: the inverse of `words_of`. words: (n, words) or (words,)."""
        raw = self._joined(np.atleast_2d(np.asarray(words)).astype(np.uint64))
        if self.kind == "float":
            return raw.astype(np.uint32).view(np.float32).astype(np.float64)
        field = (raw >> np.uint64(self.bits - self._width)).astype(np.int64)
        if self.coding == "offset binary":
            field = field - (1 << (self._width - 1))
        elif self.coding == "two's complement":
            field = np.where(field >= 1 << (self._width - 1), field - (1 << self._width), field)
        return field.astype(np.float64)

    def _split(self, raw: NDArray[np.uint64]) -> Words:
        octets = [(raw >> np.uint64(8 * k)) & np.uint64(0xFF) for k in reversed(range(self.bits // 8))]
        octets = [octets[at] for at in self._octets()]
        pairs = zip(octets[::2], octets[1::2], strict=True)
        return np.stack([(high << np.uint64(8)) | low for high, low in pairs], axis=1).astype(np.uint16)

    def _joined(self, words: NDArray[np.uint64]) -> NDArray[np.uint64]:
        sent = [octet for k in range(self.words) for octet in (words[:, k] >> np.uint64(8), words[:, k])]
        octets = [np.zeros(len(words), dtype=np.uint64)] * len(sent)
        for at, octet in zip(self._octets(), sent, strict=True):
            octets[at] = octet & np.uint64(0xFF)
        out = np.zeros(len(words), dtype=np.uint64)
        for octet in octets:
            out = (out << np.uint64(8)) | octet
        return out

    def _octets(self) -> list[int]:
        """Which byte, 0 the most significant, stands at each place on the line."""
        if self.bits == 32:
            return ["ABCD".index(letter) for letter in self.order]
        return [1, 0] if self.order in ("BADC", "DCBA") else [0, 1]


def round_counts(
    exact: Floats, rounding: NDArray[np.int8] | int, step: ArrayLike = 1.0, zero: ArrayLike = 0.0
) -> Floats:
    """Counts as the converter gives them. rounding: 0 nearest (a half up, away from zero), 1 down, 2 toward zero, 3
    none.

    step: how far the count moves at once; steps of more than one count are counted from `zero`.
    """
    code = np.broadcast_to(np.asarray(rounding), exact.shape)
    width = np.maximum(np.asarray(step, dtype=np.float64), 1e-300)
    origin = np.where(width == 1.0, 0.0, np.asarray(zero, dtype=np.float64))
    steps = (exact - origin) / width
    # A fraction that is a whole number but for the last binary digits is that number.
    near = np.rint(steps)
    settled = np.where(np.abs(steps - near) < 1e-9 * np.maximum(1.0, np.abs(steps)), near, steps)
    nearest = np.copysign(np.floor(np.abs(settled) + 0.5), settled)
    whole = np.where(code == 1, np.floor(settled), np.where(code == 2, np.trunc(settled), nearest))
    return np.where(code == 3, exact, whole * width + origin)
