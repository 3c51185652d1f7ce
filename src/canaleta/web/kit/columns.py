"""The list as one piece of bytes that a browser opens without reading through it.

All integers are little endian:

    4 bytes    length of the head
    head       JSON: {"seq", "rows", "columns": [{"name", "texts", "bits"} or {"name", "bytes", "width"} …]}
    4 × rows   number of each point
    4 × rows   rack of each point, 0 for none
    and for each column in the head's order
      with "texts", its few different ones:
        bits × rows / 8   for each row the place of its text in them, so many bits each, the first row's lowest; 0 bits
                          where all say the same
      with "bytes":
        width × rows      length of each row's text in UTF-16 code units, as a browser counts
        bytes             the texts in UTF-8, a line feed between two

As JSON, fifty thousand points are twenty-five megabytes that a browser reads for a third of a second before it can
draw one row. Here it decodes a column when somebody looks at it.
"""

from __future__ import annotations

import struct
from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
import orjson

__all__ = ["packed"]

MOST_CODED = 256
"""A place among the different texts of a column is one byte."""


def packed(seq: int, ids: Sequence[int], racks: Sequence[int], columns: Iterable[tuple[str, list[str]]]) -> bytes:
    """seq: what the list stands at. columns: a field and a text for each point, '' if empty, of one after the other."""
    heads: list[dict[str, Any]] = []
    parts: list[bytes] = [np.asarray(ids, "<u4").tobytes(), np.asarray(racks, "<u4").tobytes()]
    for name, texts in columns:
        different = dict.fromkeys(texts)
        if len(different) <= MOST_CODED:
            place = {text: k for k, text in enumerate(different)}
            bits = next(bits for bits in (0, 1, 2, 4, 8) if len(different) <= 1 << bits)
            heads.append({"name": name, "texts": list(different), "bits": bits})
            parts.append(_in_bits(np.fromiter(map(place.__getitem__, texts), np.uint8, len(texts)), bits))
        else:
            whole = "\n".join(texts).encode()
            lengths = _lengths(texts)
            width = next(width for width in (1, 2, 4) if lengths.max() < 1 << 8 * width)
            heads.append({"name": name, "bytes": len(whole), "width": width})
            parts += [lengths.astype(f"<u{width}").tobytes(), whole]
    head = orjson.dumps({"seq": seq, "rows": len(ids), "columns": heads})
    return b"".join([struct.pack("<I", len(head)), head, *parts])


def _in_bits(places: np.ndarray, bits: int) -> bytes:
    """places: uint8, each below 2 to the power of bits."""
    if not bits:
        return b""
    each = 8 // bits
    whole = np.zeros(-(-len(places) // each) * each, np.uint8)
    whole[: len(places)] = places
    shifted = whole.reshape(-1, each) << (bits * np.arange(each, dtype=np.uint8))
    return bytes(np.bitwise_or.reduce(shifted, axis=1).astype(np.uint8))


def _lengths(texts: list[str]) -> np.ndarray:
    lengths = np.fromiter(map(len, texts), "<u4", len(texts))
    if max(map(max, filter(None, texts))) > "\uffff":
        # A letter beyond the first 65,536 is two code units.
        lengths += np.fromiter((sum(letter > "\uffff" for letter in text) for text in texts), "<u4", len(texts))
    return lengths
