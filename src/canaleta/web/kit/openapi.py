"""The OpenAPI document of an application: made here, or by another process for a server that did not collect it."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
from typing import Any

from flask_openapi3.openapi import OpenAPI

from canaleta.web.kit.routes import NO_DOCUMENT, documented

__all__ = ["document_of", "openapi_text"]

_made: list[str] = []
_making = threading.Lock()


def document_of(app: OpenAPI) -> dict[str, Any]:
    """The document of an application. Errors are told as what they are sent as: application/problem+json (RFC
    9457)."""
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
