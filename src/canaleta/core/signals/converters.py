"""Numbers in registers: how a channel's count stands in one, two or four 16-bit words.

Nothing here assumes a convention: signedness, offset binary, bits shifted to the left of the word or flags above it,
whole numbers and IEEE 754 of several lengths in any byte order, decimal digits four bits each, and registers that
count to 9999 are all properties of a WordForm.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from canaleta.core.notation.arrays import Floats, Words

__all__ = ["ORDERS", "WordForm", "round_counts"]

ORDERS = ("ABCD", "CDAB", "BADC", "DCBA")
"""Byte orders of 32 bits in two registers, A the most significant byte, as the bytes come over the line. Of other
lengths they mean: as written, registers in reverse, bytes of each register swapped, and both."""
Kind = Literal["whole", "float", "BCD", "modulo 10000"]
DIGITS_A_WORD = 4
MODULUS = 10_000
"""What a register counts to before the next one takes over, where a counter is kept in decimal."""


class WordForm(BaseModel):
    """How a number stands in registers.

    kind: whole number, IEEE 754 (single in 32 bits, double in 64), BCD of four bits a digit, or decimal registers of
    0 to 9999 each, the first the most significant. bits: of the field, 16 in one register, 32 in two, 64 in four.
    coding: how sign is kept; BCD and decimal registers have none. used_bits: of a converter that does not fill the
    field; 0 if it does. low_bit: where those begin, counted from the least significant; None for a left-justified
    converter, which fills the field from the top. What is not used may be flags. order: see ORDERS.

    A count is a float64: whole numbers beyond 2⁵³ lose their last digits.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Kind = "whole"
    bits: Literal[16, 32, 64] = 16
    coding: Literal["two's complement", "unsigned", "offset binary"] = "two's complement"
    used_bits: int = Field(default=0, ge=0, le=64)
    low_bit: int | None = Field(default=None, ge=0, le=63)
    order: Literal["ABCD", "CDAB", "BADC", "DCBA"] = "ABCD"

    @model_validator(mode="after")
    def _consistent(self) -> WordForm:
        if self.kind == "float" and (self.bits == 16 or self.used_bits):
            raise ValueError("bits: IEEE 754 has 32 bits, or 64 in double precision, all used")
        if self.kind in ("BCD", "modulo 10000") and self.used_bits:
            raise ValueError("used_bits: decimal digits fill their registers")
        if self.kind == "modulo 10000" and self.bits == 16:
            raise ValueError("bits: registers that count to 9999 are two or four together")
        if self.used_bits > self.bits:
            raise ValueError("used_bits: more than the word has")
        if self.low_bit is not None and (not self.used_bits or self.low_bit + self.used_bits > self.bits):
            raise ValueError("low_bit: the used bits, counted from it, go over the end of the word")
        return self

    @property
    def words(self) -> int:
        """Registers a number takes."""
        return self.bits // 16

    @property
    def least(self) -> float:
        """The least number the form holds."""
        if self.kind == "float":
            return -float(np.finfo(self._ieee).max)
        if self._digits:
            return 0.0
        return 0.0 if self.coding == "unsigned" else -float(1 << (self._width - 1))

    @property
    def most(self) -> float:
        """The greatest number the form holds."""
        if self.kind == "float":
            return float(np.finfo(self._ieee).max)
        if self._digits:
            return float(10**self._digits - 1)
        return float((1 << self._width) - 1 if self.coding == "unsigned" else (1 << (self._width - 1)) - 1)

    @property
    def _width(self) -> int:
        return self.used_bits or self.bits

    @property
    def _shift(self) -> int:
        """Bits below the number."""
        return self.bits - self._width if self.low_bit is None else self.low_bit

    @property
    def _ieee(self) -> type[np.float32] | type[np.float64]:
        return np.float32 if self.bits == 32 else np.float64

    @property
    def _digits(self) -> int:
        """Decimal digits of a number that is kept in such, 0 for all others."""
        return self.words * DIGITS_A_WORD if self.kind in ("BCD", "modulo 10000") else 0

    def words_of(self, counts: ArrayLike) -> Words:
        """Registers of numbers: (n,) in, (n, words) uint16 out, in the order of their addresses.

        Raises ValueError for a number that the form does not hold.
        """
        numbers = np.atleast_1d(np.asarray(counts, dtype=np.float64))
        if self.kind == "float":
            field = numbers.astype(self._ieee).view(np.uint32 if self.bits == 32 else np.uint64)
            return self._split(field.astype(np.uint64))
        whole = np.rint(numbers)
        bad = ~((whole >= self.least) & (whole <= self.most))
        if bad.any():
            raise ValueError(
                f"{numbers[bad][0]:.12g} does not fit: the word holds {self.least:.0f} to {self.most:.0f}"
            )
        if self._digits:
            # Sixteen nines are no float64 either.
            most = np.uint64(10**self._digits - 1)
            return self._split(self._from_digits(np.minimum(whole.astype(np.uint64), most)))
        shift = (1 << (self._width - 1)) if self.coding == "offset binary" else 0
        if self._width < 64:
            field = (whole.astype(np.int64) + shift) & ((1 << self._width) - 1)
            return self._split(field.astype(np.uint64) << np.uint64(self._shift))
        # 2⁶⁴ − 1 is no float64: what was rounded up to 2⁶⁴ is taken down again.
        top = (1 << (64 - (self.coding != "unsigned"))) - 1
        raw = [(min(int(one), top) + shift) & ((1 << 64) - 1) for one in whole.tolist()]
        return self._split(np.array(raw, dtype=np.uint64))

    def counts_of(self, words: ArrayLike) -> Floats:
        """Numbers of registers: the inverse of `words_of`. words: (n, words) or (words,).

        NaN where there is none: a float that is no number, a digit beyond nine, a decimal register beyond 9999.
        """
        raw = self._joined(np.atleast_2d(np.asarray(words)).astype(np.uint64))
        if self.kind == "float":
            return raw.astype(np.uint32 if self.bits == 32 else np.uint64).view(self._ieee).astype(np.float64)
        if self._digits:
            return self._of_digits(raw)
        field = raw >> np.uint64(self._shift)
        if self._width < 64:
            field = field & np.uint64((1 << self._width) - 1)
        half = 1 << (self._width - 1)
        if self.coding == "unsigned":
            return field.astype(np.float64)
        # Offset binary and two's complement differ in the sign bit alone; then the sign is spread over the bits above.
        signed = (field ^ np.uint64(half)) if self.coding == "offset binary" else field
        above = 64 - self._width
        return ((signed << np.uint64(above)).view(np.int64) >> np.int64(above)).astype(np.float64)

    def _from_digits(self, whole: NDArray[np.uint64]) -> NDArray[np.uint64]:
        base, bits = (MODULUS, 16) if self.kind == "modulo 10000" else (10, 4)
        raw = np.zeros(len(whole), dtype=np.uint64)
        for place in range(self.bits // bits):
            raw |= (whole % np.uint64(base)) << np.uint64(bits * place)
            whole = whole // np.uint64(base)
        return raw

    def _of_digits(self, raw: NDArray[np.uint64]) -> Floats:
        base, bits = (MODULUS, 16) if self.kind == "modulo 10000" else (10, 4)
        out = np.zeros(len(raw), dtype=np.float64)
        for place in reversed(range(self.bits // bits)):
            digit = (raw >> np.uint64(bits * place)) & np.uint64((1 << bits) - 1)
            out = np.where(digit < base, out * base + digit, np.nan)
        return out

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
        words = range(self.words) if self.order in ("ABCD", "BADC") else reversed(range(self.words))
        swapped = self.order in ("BADC", "DCBA")
        return [2 * word + (half ^ swapped) for word in words for half in (0, 1)]


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
