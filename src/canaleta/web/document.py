"""The OpenAPI document, written to a file for the front end's types; run as a module with the file's name."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from canaleta.plant.database import engine_for
from canaleta.web.app import create_app

__all__ = ["openapi_text"]


def openapi_text() -> str:
    """The document as text that two runs write alike. No database is needed: nothing connects."""
    app = create_app(engine_for("postgresql://nobody@127.0.0.1:1/none"), frozenset({"localhost"}))
    return json.dumps(app.api_doc, indent=1, sort_keys=True, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(openapi_text(), encoding="utf-8")
