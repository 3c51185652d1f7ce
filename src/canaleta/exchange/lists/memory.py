"""What was answered for a list, remembered by its look: the next list that looks so is read so.

A look is the columns of a list in their order, each with its head and with what its cells are. Heads that were renamed
or stand in another language do not matter where the cells and their order are the same.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from canaleta.exchange.lists.headings import bare
from canaleta.exchange.lists.questions import LEFT_OUT
from canaleta.exchange.lists.understanding import Understood

__all__ = ["look", "recalled"]

ALIKE = 0.75
"""The share of columns that must look the same."""
BY_ORDER = 0.85
"""The share that must hold the same kinds of cells in the same order, where heads are others."""


def look(tables: Sequence[Sequence[Mapping[str, Any]]]) -> list[str]:
    """The look of a file, of its lists' columns: keys such as "tag~tag", each once."""
    return list(dict.fromkeys(str(column["key"]) for columns in tables for column in columns))


def recalled(understood: Understood, looks: Sequence[Mapping[str, Any]]) -> tuple[dict[str, str], str]:
    """The answers of the look that is most like a file's, and its name; ({}, "") if none is like it.

    looks: {"name", "look": keys, "answers": {id of a question: reading}}.
    """
    keys = list(dict.fromkeys(column.key for one in understood.tables for column in one.columns))
    if not keys:
        return {}, ""
    best, share = None, 0.0
    for kept in looks:
        if "headings" in kept:
            if by_heads := _by_heads(understood, kept["headings"]):
                return by_heads, str(kept["name"])
            continue
        theirs = list(kept["look"])
        same = len(set(keys) & set(theirs)) / max(1, len(set(keys) | set(theirs)))
        if same > share:
            best, share = kept, same
    if best is not None and share >= ALIKE:
        return dict(best["answers"]), str(best["name"])
    kinds = [key.partition("~")[2] for key in keys]
    for kept in looks:
        if "headings" in kept:
            continue
        theirs = [str(key).partition("~")[2] for key in kept["look"]]
        if len(theirs) != len(kinds):
            continue
        if sum(a == b for a, b in zip(kinds, theirs, strict=True)) / len(kinds) >= BY_ORDER and any(kinds):
            renamed = dict(zip(map(str, kept["look"]), keys, strict=True))
            return _renamed(kept["answers"], renamed), str(kept["name"])
    return {}, ""


def _by_heads(understood: Understood, headings: Mapping[str, str]) -> dict[str, str]:
    """The answers of a mapping by heads alone, as they were kept once; {} if the heads are others."""
    known = {bare(head): target for head, target in headings.items()}
    columns = [column for one in understood.tables for column in one.columns]
    if sum(bare(c.heading) in known for c in columns) < ALIKE * max(1, len(columns), len(known)):
        return {}
    return {
        f"column@{c.key}": known[bare(c.heading)] or LEFT_OUT
        for c in columns
        if bare(c.heading) in known and known[bare(c.heading)] != c.target
    }


def _renamed(answers: Mapping[str, str], renamed: Mapping[str, str]) -> dict[str, str]:
    out = {}
    for question, answer in answers.items():
        code, _, key = question.partition("@")
        out[f"{code}@{renamed.get(key, key)}"] = answer
    return out
