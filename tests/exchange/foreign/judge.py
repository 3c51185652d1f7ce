"""How well a list was read: its cells right, asked, missed and silently wrong, against the truth."""

from __future__ import annotations

import csv
import io
from collections import Counter
from dataclasses import dataclass, field
from typing import Any

import xlsxwriter
from tests.exchange.foreign.lists import Foreign, rows

from canaleta.exchange.lists.apart import Wish, read_here
from canaleta.exchange.lists.places import Seats
from canaleta.exchange.sheets import read_book

__all__ = ["Judged", "as_file", "judged"]


@dataclass
class Judged:
    """counts: right, asked, missed, wrong. told: each cell that is not right."""

    counts: Counter[str] = field(default_factory=Counter)
    told: list[str] = field(default_factory=list)
    questions: int = 0


def as_file(one: Foreign) -> bytes:
    """The list as a file: a workbook where its sheets have names that say something, else CSV."""
    if len(one.sheets) == 1 and one.sheets[0][0].isalpha():
        out = io.StringIO()
        csv.writer(out, delimiter=";").writerows(rows(one.sheets[0][1]))
        return out.getvalue().encode()
    data = io.BytesIO()
    book = xlsxwriter.Workbook(data)
    for name, text in one.sheets:
        page = book.add_worksheet(name)
        for r, row in enumerate(rows(text)):
            for c, cell in enumerate(row):
                page.write_string(r, c, cell)
    book.close()
    return data.getvalue()


def judged(one: Foreign, seats: Seats, answers: dict[str, str] | None = None) -> Judged:
    """Read a list and hold each cell against the truth."""
    understood = read_here(read_book(as_file(one)), Wish(seats, answers or {}))
    got, asked = _got(understood)
    heads, *body = rows(one.truth)
    out = Judged(questions=len(understood["questions"]) + understood["more"])
    for cells in body:
        truth = dict(zip(heads, [*cells, *[""] * len(heads)], strict=False))
        tag = truth["tag"].lstrip("?")
        mine = got.pop(tag, None) or got.pop(tag.replace("-", " "), None)
        if mine is None:
            out.counts["missed"] += sum(map(bool, cells))
            out.told.append(f"missed: the whole of {tag}")
            continue
        fields, doubts = mine
        for name in dict.fromkeys((*heads, *fields)):
            want, have = truth.get(name, ""), fields.get(name, "")
            code = _code(
                want,
                have,
                name in doubts or (name, "*") in asked or any(d.startswith(name.partition("_")[0]) for d in doubts),
            )
            if code:
                out.counts[code] += 1
            if code not in ("", "right"):
                out.told.append(f"{code}: {tag} {name}: want “{want}”, got “{have}”")
    for tag in got:
        out.counts["wrong"] += 1
        out.told.append(f"wrong: there is no point {tag}")
    return out


def _code(want: str, have: str, doubted: bool) -> str:
    plain = want.lstrip("?")
    if have:
        return "right" if have == plain else "wrong"
    if not want:
        return ""
    if want.startswith("?") or doubted:
        return "asked"
    return "missed"


def _got(understood: dict[str, Any]) -> tuple[dict[str, tuple[dict[str, str], set[str]]], set[tuple[str, str]]]:
    """{tag: (its fields, targets of what was not read)}, and fields of columns that are asked about."""
    out: dict[str, tuple[dict[str, str], set[str]]] = {}
    asked: set[tuple[str, str]] = set()
    for table in understood["tables"]:
        for column in table["columns"]:
            if column["why"] == "asked" and not column["target"]:
                asked |= {(target, "*") for target in column["likely"]}
        for at in range(len(table["numbers"])):
            fields = {name: texts[at] for name, texts in table["fields"].items() if texts[at]}
            doubts = table["doubts"].get(str(at), [])
            tag = fields.get("tag") or next(
                (d["typed"] for d in doubts if d["target"] == "tag"), f"row {table['numbers'][at]}"
            )
            out[tag] = fields, {d["target"] for d in doubts}
    return out, asked
