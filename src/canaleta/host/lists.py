"""Lists by the command line: read, told, asked, taken in; with answers from a file, for scripts."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

import orjson

from canaleta.core.model.image import PlantImage
from canaleta.exchange.bring_in import Choices, ListPlan, apply_plan, plan_list
from canaleta.exchange.lists.apart import Brought, Wish, bring_apart
from canaleta.exchange.lists.memory import look
from canaleta.exchange.lists.places import Seats
from canaleta.exchange.lists.questions import LEFT_OUT
from canaleta.exchange.sheets import SheetError
from canaleta.host.steps import TroubleError, say
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["Asked", "import_list"]

MOST_TOLD = 200
MOST_FILE = 4_000_000


class Asked:
    """What a call asked for. dry: only tell. mapping: a file with a look and its answers; answers: a file with {id of a
    question: reading}. write_map: where to keep how the columns were taken. as_json: everything as JSON."""

    def __init__(
        self,
        *,
        dry: bool = False,
        mapping: Path | None = None,
        answers: Path | None = None,
        write_map: Path | None = None,
        as_json: bool = False,
        renamed: str = "asked",
    ) -> None:
        self.dry, self.mapping, self.answers, self.write_map, self.as_json = dry, mapping, answers, write_map, as_json
        self.renamed = renamed


def import_list(cache: ImageCache, engine: Any, file: Path, content: bytes, who: str, asked: Asked) -> int:
    """Bring a list in as one change set. Returns the exit status: 0, or 2 if something of it was left out."""
    image = cache.current()
    try:
        choices = Choices(answers=_read_answers(asked.answers), renamed=asked.renamed)  # type: ignore[arg-type]
        looks = [_read_map(asked.mapping)] if asked.mapping else []
        brought = bring_apart(content, Wish(Seats.of(image.layout), choices.answers, looks=looks))
        understood = brought.understood
        if asked.mapping and not understood["recalled"]:
            raise TroubleError(
                f"{asked.mapping}: it was kept for a list that looks otherwise",
                "leave --map out and answer what is asked, or choose the mapping of this list",
            )
        choices = choices.model_copy(update={"answers": understood["answers"]})
        planned = plan_list(image, understood, choices)
        if not asked.dry:

            def again(now: PlantImage) -> ListPlan:
                return plan_list(now, understood, choices)

            _, planned = apply_plan(engine, cache, again, planned, choices, who, f"import {file.name}"[:60])
    except SheetError as error:
        raise TroubleError(f"{file}: {error}", "nothing was changed") from error
    if asked.write_map:
        _write_map(asked.write_map, understood)
    if asked.as_json:
        print(orjson.dumps(_as_json(brought, planned), option=orjson.OPT_INDENT_2).decode())
    else:
        _tell(brought, planned, asked.dry)
    left = any(line.troubles or (line.kind == "out" and line.code in _TOLD_ROWS) for line in planned.lines)
    return 2 if left or understood["questions"] else 0


_TOLD_ROWS = frozenset(("no tag", "twice", "several", "untagged", "renamed"))
"""Rows that are left out and may be points; titles, totals and the like are none."""


def _read_answers(file: Path | None) -> dict[str, str]:
    if file is None:
        return {}
    body = _json(file)
    answers = body.get("answers", body)
    if not isinstance(answers, dict) or not all(isinstance(x, str) for pair in answers.items() for x in pair):
        raise TroubleError(f"{file}: not answers", "write an object of texts: {“form@signal~signal”: “NO”}")
    return answers


def _read_map(file: Path) -> dict[str, Any]:
    body = _json(file)
    if not isinstance(body.get("look"), list) or not isinstance(body.get("answers"), dict):
        raise TroubleError(f"{file}: not a mapping", "write one with --write-map, or take it from the page of a list")
    return {"name": file.name, "look": [str(key) for key in body["look"]], "answers": body["answers"]}


def _json(file: Path) -> dict[str, Any]:
    try:
        if file.stat().st_size > MOST_FILE:
            raise TroubleError(f"{file}: too large for a mapping")
        body = json.loads(file.read_text(encoding="utf-8"))
    except OSError as error:
        raise TroubleError(f"{file}: {error.strerror}") from error
    except (ValueError, RecursionError) as error:
        raise TroubleError(f"{file}: not JSON: {error}") from error
    if not isinstance(body, dict):
        raise TroubleError(f"{file}: not an object of JSON")
    return body


def _write_map(file: Path, understood: dict[str, Any]) -> None:
    tables = [table["columns"] for table in understood["tables"]]
    settled = {
        f"column@{c['key']}": c["target"] or LEFT_OUT for t in tables for c in t if c["why"] not in ("asked", "empty")
    }
    body = {
        "canaleta": "mapping",
        "version": 1,
        "look": look(tables),
        "answers": {**settled, **understood["answers"]},
    }
    if file.exists():
        raise TroubleError(f"{file} exists already", "choose another name: files are not written over")
    file.write_text(json.dumps(body, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")


def _as_json(brought: Brought, planned: ListPlan) -> dict[str, Any]:
    understood = brought.understood
    return {
        "sheets": [
            {"name": name, "rows": rows, "told": [asdict(one) for one in told]} for name, rows, told in brought.sheets
        ],
        "lists": [
            {
                "sheet": table["name"],
                "heads": [number + 1 for number in range(*table["heads"])],
                "columns": table["columns"],
                "points": len(table["numbers"]),
            }
            for table in understood["tables"]
        ],
        "beside": [{"sheet": name, "says": says} for _, name, says in understood["beside"]],
        "questions": understood["questions"],
        "answered": understood["answered"],
        "counts": planned.counts(),
        "reasons": planned.reasons(),
        "rows": [line.told() for line in planned.lines],
    }


def _tell(brought: Brought, planned: ListPlan, dry: bool) -> None:
    """Say what a list did, or would do, and what it asks."""
    counts, would = planned.counts(), "would be" if dry else "were"
    understood = brought.understood
    for _, _, told in brought.sheets:
        for one in told:
            say(f"  {one.says} (rows {', '.join(map(str, one.rows[:8]))})")
    if understood["recalled"]:
        say(f"  read as “{understood['recalled']}” was")
    say(
        f"  {counts['added']} points {would} added, {counts['changed']} changed in {counts['cells']} cells, "
        f"{counts['same']} are the same, {counts['unmatched']} of the plant are not in the file"
    )
    if counts["renamed"]:
        say(
            f"  {counts['renamed']} points look renamed: --renamed joined takes the new tags, --renamed new makes new points"
        )
    for table in understood["tables"]:
        for column in table["columns"]:
            if not column["target"] and column["why"] in ("unknown", "nothing", "second"):
                says = "means no field here" if column["why"] != "second" else "says again what another column says"
                say(f"  “{column['heading']}” {says}: left out")
    for question in understood["questions"]:
        say(
            f"  ? {question['says']} “{question['heading']}”, {question['rows']} rows, such as {', '.join(question['examples'][:3])}"
        )
        say(f"    {question['id']}: {' | '.join(r['answer'] for r in question['readings'])} | {LEFT_OUT}")
    if understood["more"]:
        say(f"  and {understood['more']} questions behind them")
    for reason in planned.reasons():
        say(f"  {reason['cells']} × {reason['field']}: {reason['says']}")
    wrong = [line for line in planned.lines if line.kind in ("out", "renamed")]
    for line in wrong[:MOST_TOLD]:
        say(f"  row {line.row}: {line.tag or '–'}: {line.says}")
    if len(wrong) > MOST_TOLD:
        say(f"  and {len(wrong) - MOST_TOLD} rows more")
