"""The starter catalogue of module types: generic, our own, none describes a real product."""

from __future__ import annotations

import json
from functools import cache
from importlib import resources
from typing import Any

from canaleta.core.model.module_type import ModuleType

__all__ = ["module_types", "starter_typicals"]


@cache
def module_types() -> dict[str, ModuleType]:
    """All module types of the catalogue by key. A plant copies a type at its first use."""
    folder = resources.files(__package__).joinpath("module_types")
    found = [
        ModuleType.model_validate_json(file.read_text(encoding="utf-8"))
        for file in sorted(folder.iterdir(), key=lambda f: f.name)
        if file.name.endswith(".json")
    ]
    return {kind.key: kind for kind in found}


def starter_typicals() -> list[dict[str, Any]]:
    """Kinds of point to begin with: {"name", "says", "cells": {field: text}}."""
    text = resources.files("canaleta.catalogue").joinpath("typicals.json").read_text(encoding="utf-8")
    out: list[dict[str, Any]] = json.loads(text)
    return out
