"""The verdicts of the core on a plant with faults, as JSON; with --reworded, with every sentence of the program
reworded.

Run as a process of its own: the sentences are changed as the modules are loaded. A sentence is a text with words in
it that a function puts together or hands on; what the list itself says (choices, units, names of fields) stays.
"""

from __future__ import annotations

import ast
import json
import re
import sys
from collections.abc import Sequence
from importlib.machinery import ModuleSpec, PathFinder, SourceFileLoader
from pathlib import Path
from types import ModuleType
from typing import Any

REWORDED = ("canaleta.core", "canaleta.exchange")
KEYS = {
    "compiled",
    "once",
    "escaped",
    "getattr",
    "startswith",
    "endswith",
    "removeprefix",
    "removesuffix",
    "text",
    "number",
}
"""Calls whose texts are keys or patterns."""
SMALL_LANGUAGES = ("resistor ", "typical ")
"""What fixes type into cells that have a language of their own."""
SHORTEST = 4
"""Words from which on a plain text is a sentence: shorter ones are choices of fields."""


def _other(text: str) -> str:
    return re.sub(r"[a-z]{3,}", lambda word: word[0][::-1] + "um", text)


class Reword(ast.NodeTransformer):
    """Rewords the sentences in functions of a module."""

    def __init__(self, protected: frozenset[str]) -> None:
        self.protected, self.inside, self.count = protected, 0, 0

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        self.inside += 1
        docstring = node.body[:1] if ast.get_docstring(node) is not None else []
        node.body = [*docstring, *(self.visit(line) for line in node.body[len(docstring) :])]
        self.inside -= 1
        return node

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        return node

    def visit_Subscript(self, node: ast.Subscript) -> ast.AST:
        return node

    def visit_Call(self, node: ast.Call) -> ast.AST:
        name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
        return node if name in KEYS else self.generic_visit(node)

    def visit_keyword(self, node: ast.keyword) -> ast.AST:
        # What a finding is about is its key: no sentence, though it may read like one.
        return node if node.arg == "about" else self.generic_visit(node)

    def visit_JoinedStr(self, node: ast.JoinedStr) -> ast.AST:
        for part in node.values:
            if isinstance(part, ast.Constant) and self._is_sentence(part.value, 1):
                part.value = _other(part.value)
                self.count += 1
            elif isinstance(part, ast.FormattedValue):
                part.value = self.visit(part.value)
        return node

    def visit_Constant(self, node: ast.Constant) -> ast.AST:
        if isinstance(node.value, str) and self._is_sentence(node.value, SHORTEST):
            self.count += 1
            return ast.copy_location(ast.Constant(_other(node.value)), node)
        return node

    def _is_sentence(self, text: str, least: int) -> bool:
        known = text in self.protected or text.lstrip().startswith(SMALL_LANGUAGES)
        return bool(self.inside) and not known and " " in text and len(re.findall(r"[a-z]{3,}", text)) >= least


class Loader(SourceFileLoader):
    """Loads a module with other sentences."""

    protected: frozenset[str] = frozenset()
    changed = 0

    def get_code(self, fullname: str) -> Any:
        tree = ast.parse(self.get_data(self.path))
        if fullname.startswith(REWORDED):
            change = Reword(self.protected)
            tree = ast.fix_missing_locations(change.visit(tree))
            Loader.changed += change.count
        return compile(tree, self.path, "exec")


class Finder(PathFinder):
    """Finds our modules for the loader above."""

    @classmethod
    def find_spec(
        cls, fullname: str, path: Sequence[str] | None = None, target: ModuleType | None = None
    ) -> ModuleSpec | None:
        spec = super().find_spec(fullname, path, target) if fullname.startswith(REWORDED) else None
        if spec and spec.origin and isinstance(spec.loader, SourceFileLoader):
            spec.loader = Loader(fullname, spec.origin)
        return spec


def verdicts() -> dict[str, Any]:
    """What is decided on the clean plant, on plants with faults, and of a few channels, checks and scripts: no
    sentence."""
    import numpy as np

    from canaleta.catalogue.demo import demo_plant, layout_of
    from canaleta.core.checks.checkpoints import check_points
    from canaleta.core.checks.scripts import read_script
    from canaleta.core.hardware.fit import judge
    from canaleta.core.live.advice import advice_of
    from canaleta.core.model.fields import Station
    from canaleta.core.model.quality import Reason
    from canaleta.core.path.evaluate import evaluate
    from canaleta.core.path.faults import evaluate_faulted
    from canaleta.core.rules import audit
    from canaleta.exchange.bring_in import Choices, plan_list
    from canaleta.exchange.list_out import every_field, list_sheet
    from canaleta.exchange.lists.apart import Wish, read_here
    from canaleta.exchange.lists.places import Seats
    from canaleta.exchange.sheets import Page
    from tests.building.planted import clean_plant, rounds

    image = clean_plant()
    out: dict[str, Any] = {"findings": [], "report": []}
    plants = [image, *(planted for planted, _ in list(rounds(image))[:3])]
    for plant in plants:
        for f in audit(plant):
            cells = [(c.point, c.field) for c in f.cells]
            edits = [[(c.point, c.field, text) for c, text in fix.edits] for fix in f.fixes]
            out["findings"].append(
                [f.rule, f.key, f.station, f.severity, f.harm, cells, edits, f.facts, f.fingerprint, f.trips]
            )
            out["report"].append(f.text)
    rows = np.flatnonzero(image.landed)[::7]
    paths = evaluate(image, Station.DEVICE, np.full(len(rows), 50.0), rows)
    out["paths"] = [paths.reasons.tolist(), paths.quality.tolist()]
    out["faults"] = []
    for row in rows.tolist():
        for point in check_points(image, int(row)):
            one = image.only(np.array([row]))
            found = evaluate_faulted(
                one, point.station, np.array([point.given]), {0: point.faults} if point.faults else {}
            )
            out["faults"].append([int(found.reasons[0]), int(found.quality[0])])
    modules = list(image.layout.modules)[::3]
    judged = [judge(image, row, module, 0) for row in rows.tolist()[::4] for module in modules]
    out["fits"] = [[j.level.name, j.mode] for j in judged]
    out["report"] += [why for j in judged for why in j.reasons]
    out["advice"] = [
        [a.reason, a.grade] for row in rows.tolist()[::9] for r in Reason for a in advice_of(image, row, int(r))
    ]
    script = "0 s PT-3107 put 12 mA\n+0 s PT-3107 see 250 ± 1 within 5 s\n+1 s PT-3107 make open\n0 s NO-1 put 4 mA"
    read = read_script(image, script)
    out["script"] = [[(s.at_s, s.row) for s in read.steps], [p.line for p in read.problems]]
    sheet = list_sheet(image, every_field(), image.ids[rows].tolist(), {}, {})
    texts = tuple(tuple(str(cell) for cell in line) for line in [sheet.heads, *sheet.rows])
    page = Page("list", texts)
    layout = layout_of(demo_plant())
    foreign = (
        ("Tag", "Signal", "Range"),
        ("T-1", "24 V DC", "25 bar"),
        ("T-2", "RTD", "100-0 °C"),
        ("T-3", "PNP", "1,000"),
    )
    read = read_here((page, Page("foreign", foreign)), Wish(Seats.of(layout), {}))
    plan = plan_list(image, read, Choices())
    out["list"] = [
        [line.kind, line.code, line.point, [c[0] for c in line.cells], [t[3] for t in line.troubles]]
        for line in plan.lines
    ]
    out["asked"] = [[q["id"], [r["answer"] for r in q["readings"]]] for q in read["questions"]]
    return out


if __name__ == "__main__":
    if "--reworded" in sys.argv:
        from canaleta.core.model import conventions, field_table, module_type
        from canaleta.core.signals import signal_types

        data = (conventions, field_table, module_type, signal_types)
        texts = (ast.walk(ast.parse(Path(str(m.__file__)).read_text(encoding="utf-8"))) for m in data)
        Loader.protected = frozenset(
            n.value for some in texts for n in some if isinstance(n, ast.Constant) and isinstance(n.value, str)
        )
        for name in [name for name in sys.modules if name.startswith(REWORDED)]:
            del sys.modules[name]
        sys.meta_path.insert(0, Finder)
    print(json.dumps(verdicts() | {"reworded": Loader.changed}, default=str))
