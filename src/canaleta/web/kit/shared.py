"""How routes reach what their worker shares."""

from __future__ import annotations

from typing import cast

from flask import current_app

from canaleta.web.kit.state import Shared

__all__ = ["shared"]


def shared() -> Shared:
    """The worker's shared state."""
    return cast(Shared, current_app.extensions["canaleta"])
