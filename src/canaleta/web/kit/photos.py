"""Photos that go with what people sign or raise: JPEG in base64, made small by the browser."""

from __future__ import annotations

import base64
import binascii

from canaleta.web.kit.problems import ProblemError

__all__ = ["MOST_PHOTO", "refuse_photo"]

MOST_PHOTO = 1_400_000
"""Characters of base64: about a megabyte of JPEG."""
_JPEG = b"\xff\xd8\xff"


def refuse_photo(text: str) -> None:
    """Raise ProblemError for what is there and no JPEG."""
    if text and not _is_jpeg(text):
        raise ProblemError(422, "the photo is no JPEG", "nothing was kept", "take another one, or leave it out")


def _is_jpeg(text: str) -> bool:
    try:
        return base64.b64decode(text, validate=True).startswith(_JPEG)
    except binascii.Error:
        return False
