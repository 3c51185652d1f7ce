"""Files that were made apart, handed out part by part: however large one is, little of it is in memory."""

from __future__ import annotations

from collections.abc import Iterator

from flask import Response

__all__ = ["handed_out"]


def handed_out(parts: Iterator[bytes], kind: str, name: str) -> Response:
    """A file to be kept under a name. kind: its media type; name: of plain letters."""
    return Response(parts, mimetype=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
