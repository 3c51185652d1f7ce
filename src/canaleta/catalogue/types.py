"""The starter catalogue of module types: generic, our own, none describes a real product."""

from __future__ import annotations

from functools import cache
from importlib import resources

from canaleta.core.modules import ModuleType

__all__ = ["module_types"]


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
