"""Texts that people send are read in time that grows with their length, whatever they are made of."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest
from tests.building.mean_texts import LONG, MEAN, READERS, SHORT, spent

import canaleta
from canaleta.core.model.fields import STORED, read_cell


@pytest.mark.parametrize("name", READERS)
def test_four_times_the_text_takes_no_more_than_four_times_as_long(name: str) -> None:
    """A reader of squared time takes sixteen times; two milliseconds are the grain of the clock."""
    read = READERS[name]
    for piece in MEAN:
        for end in ("", "x", "1"):
            short, long = (piece * (n // len(piece)) + end for n in (SHORT, LONG))
            assert spent(read, long) <= 9 * max(spent(read, short), 0.002), (name, piece, end)


@pytest.mark.parametrize("field", STORED, ids=lambda f: f.name)
def test_every_cell_refuses_or_reads_a_very_long_text_at_once(field: object) -> None:
    for piece in (" ", "1 ", "a;", "1,"):
        assert spent(lambda text: read_cell(field, text), piece * 10_000) < 1.0  # type: ignore[arg-type]


def test_nothing_that_reads_texts_has_a_backtracking_pattern() -> None:
    """`re` is left to what no user's text reaches, and to one pattern whose every repeat is bounded."""
    root = Path(canaleta.__file__).parent
    found = []
    for file in sorted(root.rglob("*.py")):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Import) and any(alias.name == "re" for alias in node.names):
                found.append(file.relative_to(root).as_posix())
    assert found == ["convert/stream.py", "host/debian.py", "host/frontend.py"]
