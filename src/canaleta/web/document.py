"""Write the OpenAPI document into the file of a name, or with - to standard output: the front end's types are made of
it."""

from __future__ import annotations

import sys
from pathlib import Path

from canaleta.plant.database.connection import engine_for
from canaleta.web.app import create_app
from canaleta.web.kit.openapi import openapi_text

__all__ = ["main"]


def main(file: str) -> None:
    """Write the document. No database is needed: nothing connects."""
    text = openapi_text(create_app(engine_for("postgresql://nobody@127.0.0.1:1/none"), frozenset({"localhost"})))
    if file == "-":
        sys.stdout.buffer.write(text.encode())
    else:
        Path(file).write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main(sys.argv[1])
