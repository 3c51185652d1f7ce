"""The OpenAPI document: for the front end's types, and for whoever asks a running server for it.

Run as a module with a file's name it writes the document there, with - to standard output.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
from pathlib import Path
from typing import Any

from flask_openapi3.openapi import OpenAPI

from canaleta.web.routes import NO_DOCUMENT, documented

__all__ = ["document_of", "openapi_text"]

_made: list[str] = []
_making = threading.Lock()


def document_of(app: OpenAPI) -> dict[str, Any]:
    """The document of an application. Errors are told as what they are sent as: application/problem+json (RFC 9457)."""
    document: dict[str, Any] = json.loads(json.dumps(app.api_doc))
    for path in document["paths"].values():
        for operation in path.values():
            for code, response in operation.get("responses", {}).items():
                content = response.get("content", {})
                if code[0] in "45" and "application/json" in content:
                    content["application/problem+json"] = content.pop("application/json")
    return document


def openapi_text(app: OpenAPI) -> str:
    """The document as text that two runs write alike. A server that did not collect it has it made once, by another
    process, for collecting it takes longer than loading all the rest."""
    if documented():
        return json.dumps(document_of(app), indent=1, sort_keys=True, ensure_ascii=False) + "\n"
    with _making:
        if not _made:
            environment = {k: v for k, v in os.environ.items() if k != NO_DOCUMENT}
            argv = [sys.executable, "-m", "canaleta.web.document", "-"]
            _made.append(subprocess.run(argv, env=environment, capture_output=True, check=True).stdout.decode())
        return _made[0]


def main(file: str) -> None:
    """Write the document. No database is needed: nothing connects."""
    from canaleta.plant.database import engine_for
    from canaleta.web.app import create_app

    text = openapi_text(create_app(engine_for("postgresql://nobody@127.0.0.1:1/none"), frozenset({"localhost"})))
    if file == "-":
        sys.stdout.buffer.write(text.encode())
    else:
        Path(file).write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main(sys.argv[1])
