"""What every group of routes begins with: its blueprint, and the base of what its requests and answers look like.

The API's document takes longer to collect than all the rest of the program to load, and is asked for by hardly
anybody: a running server does not collect it (`CANALETA_NO_DOCUMENT`), and has it made when it is first asked for.
"""

from __future__ import annotations

import os
from typing import Any

from flask_openapi3.blueprint import APIBlueprint
from pydantic import BaseModel, ConfigDict

__all__ = ["NO_DOCUMENT", "Shape", "documented", "routes"]

NO_DOCUMENT = "CANALETA_NO_DOCUMENT"


def documented() -> bool:
    """Whether this process collects the API's document."""
    return not os.environ.get(NO_DOCUMENT)


def routes(name: str, module: str, *, url_prefix: str, abp_responses: Any) -> APIBlueprint:
    """A group of routes."""
    return APIBlueprint(name, module, url_prefix=url_prefix, abp_responses=abp_responses, doc_ui=documented())


class Shape(BaseModel):
    """What a request or an answer looks like. Its checks are made when it is first used, not when it is loaded."""

    model_config = ConfigDict(defer_build=True)
