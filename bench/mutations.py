"""Would a test notice? One operator, comparison or constant of the core is changed at a time, and its tests are run.

    PYTHONPATH=src .venv/bin/python bench/mutations.py [--sample 200] [--seed 1] [--at-once 2]

What is changed is drawn by lot. Tests that import the changed file run first, then the rest of tests/core, until one
fails. A change that makes no difference is no fault of the tests: such ones are named in bench/mutations-same.txt, after
reading. Results: bench/results-mutations.txt; the exit code is 1 below nineteen of twenty.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from queue import SimpleQueue

HERE = Path(__file__).parent
ROOT = HERE.parent
CORE = Path("src/canaleta/core")
SAME = HERE / "mutations-same.txt"
HANGS_S = 900
WANTED = 0.95
COMPARED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
CALCULATED = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
    ast.FloorDiv: ast.Mult, ast.Mod: ast.Add,
}  # fmt: skip
SENTENCES = ("_words.py", "circuit_drawing.py")
"""Files of sentences and drawings: what they say is proved elsewhere."""


@dataclass(frozen=True)
class Change:
    """One change: the file, the line, what stands there and what comes in its place."""

    file: Path
    line: int
    number: int
    was: str
    becomes: str

    @property
    def key(self) -> str:
        """As it is named where changes are listed that make no difference."""
        return f"{self.file.relative_to(CORE)}: {self.was} → {self.becomes}"


def _changed(node: ast.AST) -> Iterator[ast.AST]:
    """What a node may become, each by one change."""
    if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in COMPARED:
        yield ast.Compare(node.left, [COMPARED[type(node.ops[0])]()], node.comparators)
    elif isinstance(node, ast.BinOp) and type(node.op) in CALCULATED and not _is_text(node):
        yield ast.BinOp(node.left, CALCULATED[type(node.op)](), node.right)
    elif isinstance(node, ast.BoolOp):
        yield ast.BoolOp(ast.And() if isinstance(node.op, ast.Or) else ast.Or(), node.values)
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not | ast.Invert):
        yield node.operand
    elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
        yield ast.Constant(not node.value)
    elif isinstance(node, ast.Constant) and isinstance(node.value, int | float):
        yield ast.Constant(node.value + 1)


def _is_text(node: ast.BinOp) -> bool:
    texts = (ast.JoinedStr, ast.List, ast.Tuple)
    sides = (node.left, node.right)
    return any(isinstance(s, texts) or (isinstance(s, ast.Constant) and isinstance(s.value, str)) for s in sides)


def _sites(tree: ast.Module) -> list[ast.AST]:
    """The nodes in functions that can be changed, without texts and without what only types look at."""
    out: list[ast.AST] = []

    def walk(node: ast.AST) -> None:
        for name, value in ast.iter_fields(node):
            if name in ("annotation", "returns", "decorator_list", "type_comment"):
                continue
            for child in value if isinstance(value, list) else [value]:
                if isinstance(child, ast.AST) and not isinstance(child, ast.JoinedStr):
                    if next(_changed(child), None) is not None:
                        out.append(child)
                    walk(child)

    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef):
            for line in node.body:
                walk(ast.Module([line], []))
    return list(dict.fromkeys(out))


def changes(sample: int, seed: int) -> list[Change]:
    """So many changes, drawn by lot."""
    every: list[Change] = []
    for file in sorted(ROOT.joinpath(CORE).rglob("*.py")):
        if file.name.endswith(SENTENCES):
            continue
        for number, node in enumerate(_sites(ast.parse(file.read_text(encoding="utf-8")))):
            becomes = next(_changed(node))
            every.append(
                Change(file.relative_to(ROOT), node.lineno, number, ast.unparse(node), ast.unparse(ast.fix_missing_locations(becomes)))
            )  # fmt: skip
    return random.Random(seed).sample(every, sample)


def _text_of(change: Change) -> str:
    tree = ast.parse((ROOT / change.file).read_text(encoding="utf-8"))
    target = _sites(tree)[change.number]

    class Put(ast.NodeTransformer):
        def visit(self, node: ast.AST) -> ast.AST:
            return ast.copy_location(next(_changed(node)), node) if node is target else super().visit(node)

    return ast.unparse(ast.fix_missing_locations(Put().visit(tree)))


def _copied(copy: Path) -> None:
    """Everything that git knows: tests read documents and the front end's sources as well."""
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=ROOT, capture_output=True, text=True, check=True).stdout
    for name in listed.split("\0"):
        if name and (ROOT / name).exists():
            (copy / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(ROOT / name, copy / name)


def _tests(module: str) -> tuple[list[str], list[str]]:
    """Test files of the core that name a module, and the others."""
    near, far = [], []
    for file in sorted((ROOT / "tests" / "core").glob("test_*.py")):
        text = file.read_text(encoding="utf-8")
        (near if module in text or f"import {module.rpartition('.')[2]}" in text else far).append(
            str(file.relative_to(ROOT))
        )
    return near, far


def noticed(change: Change | None, copies: SimpleQueue[Path]) -> bool:
    """Whether a test fails with the change made; None for none."""
    copy = copies.get()
    try:
        if change:
            (copy / change.file).write_text(_text_of(change), encoding="utf-8")
        near, far = _tests(".".join(change.file.with_suffix("").parts[1:]) if change else "")
        environment = os.environ | {"PYTHONPATH": f"{copy / 'src'}{os.pathsep}{copy}", "PYTHONDONTWRITEBYTECODE": "1"}
        for files in (near, far):
            argv = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:xdist", "-p", "no:schemathesis", *files]
            if files:
                try:
                    done = subprocess.run(
                        argv, cwd=copy, env=environment, capture_output=True, timeout=HANGS_S, check=False
                    )
                except subprocess.TimeoutExpired:
                    return True
                if done.returncode:
                    return True
        return False
    finally:
        if change:
            shutil.copy(ROOT / change.file, copy / change.file)
        copies.put(copy)


def main() -> int:
    """Draw, change, run, tell."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sample", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--at-once", type=int, default=2, help="how many are tried beside each other")
    options = parser.parse_args()
    same = set(SAME.read_text(encoding="utf-8").splitlines()) if SAME.exists() else set()
    drawn = [change for change in changes(options.sample, options.seed) if change.key not in same]
    with tempfile.TemporaryDirectory() as folder:
        copies: SimpleQueue[Path] = SimpleQueue()
        for k in range(options.at_once):
            copy = Path(folder) / str(k)
            _copied(copy)
            copies.put(copy)
        if noticed(None, copies):
            sys.exit("the tests fail with nothing changed: they would notice everything")
        with ThreadPoolExecutor(options.at_once) as pool:
            answers = []
            for change, seen in zip(drawn, pool.map(lambda c: noticed(c, copies), drawn), strict=True):
                answers.append(seen)
                print(
                    f"{'noticed ' if seen else 'SURVIVED'} {change.file}:{change.line}: {change.was} → {change.becomes}",
                    flush=True,
                )
    survived = [change for change, seen in zip(drawn, answers, strict=True) if not seen]
    lines = [
        f"mutations, {date.today()}, seed {options.seed}: {len(drawn) - len(survived)} of {len(drawn)} changes were noticed",
        *(f"    not noticed: {c.file}:{c.line}: {c.was} → {c.becomes}" for c in survived),
    ]
    (HERE / "results-mutations.txt").write_text("\n".join(lines) + "\n", encoding="utf-8")
    print(lines[0])
    return 0 if len(survived) <= (1 - WANTED) * len(drawn) else 1


if __name__ == "__main__":
    sys.exit(main())
