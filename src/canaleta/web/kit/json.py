"""JSON in and out: strict, so that no answer holds NaN or infinity, and no request nests without end."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import orjson
from flask.json.provider import JSONProvider

__all__ = ["DEEPEST", "StrictJson", "too_deep"]

DEEPEST = 64
PIECE = 1 << 20


class StrictJson(JSONProvider):
    """Answers are written by orjson, which has no word for what is no number: it becomes null."""

    def dumps(self, obj: Any, **_: Any) -> str:
        """An object as text."""
        try:
            return orjson.dumps(obj, option=orjson.OPT_NON_STR_KEYS).decode()
        except TypeError:
            # A whole number of more than 64 bits: rare, and JSON has it all the same.
            return json.dumps(obj, allow_nan=False, default=str)

    def loads(self, s: str | bytes, **_: Any) -> Any:
        """A text as an object. Raises ValueError for NaN and infinity, as for anything that is no JSON."""
        return json.loads(s, parse_constant=_refused)


def _refused(word: str) -> None:
    raise ValueError(f"{word} is no number of JSON")


def too_deep(body: bytes) -> bool:
    """Whether a body nests deeper than DEEPEST; brackets in texts do not count. Linear in its length, in pieces."""
    if body.count(b"[") + body.count(b"{") <= DEEPEST:
        return False
    depth, inside, escaped = 0, False, False
    for start in range(0, len(body), PIECE):
        piece = np.frombuffer(body, dtype=np.uint8, count=min(PIECE, len(body) - start), offset=start)
        place = np.arange(len(piece), dtype=np.int32)
        # How many backslashes stand before each byte; an odd number takes its meaning from a quotation mark.
        last_other = np.maximum.accumulate(np.where(piece != ord("\\"), place, -1 - escaped))
        before = np.concatenate([[-1 - escaped], last_other[:-1]])
        taken = (place - 1 - before) % 2 == 1
        texts = (np.cumsum((piece == ord('"')) & ~taken) + inside) % 2 == 1
        opens = np.isin(piece, (ord("["), ord("{"))) & ~texts
        closes = np.isin(piece, (ord("]"), ord("}"))) & ~texts
        steps = depth + np.cumsum(opens.astype(np.int32) - closes.astype(np.int32))
        if steps.max() > DEEPEST:
            return True
        depth, inside = int(steps[-1]), bool(texts[-1])
        escaped = bool((place[-1] - last_other[-1]) % 2 == 1)
    return False
