"""Which statements of a program make a variable: by what each reads and writes, not by where it stands."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from canaleta.core.st.tree import (
    Assign,
    Binary,
    Call,
    Case,
    Expression,
    For,
    Function,
    If,
    Literal,
    Pou,
    Reference,
    Statement,
    Unary,
    Until,
    While,
)

__all__ = ["Slices", "reads_and_writes", "references"]


def references(x: Expression) -> Iterator[Reference]:
    """Every variable in an expression."""
    if isinstance(x, Reference):
        yield x
        for step in x.steps:
            if not isinstance(step, str):
                yield from references(step)
    elif isinstance(x, Unary):
        yield from references(x.x)
    elif isinstance(x, Binary):
        yield from references(x.left)
        yield from references(x.right)
    elif isinstance(x, Function):
        for argument in x.arguments:
            yield from references(argument.value)
    else:
        assert isinstance(x, Literal)


def _names(x: Expression) -> set[str]:
    return {r.name.lower() for r in references(x)}


def reads_and_writes(s: Statement) -> tuple[set[str], set[str]]:
    """(read, written) names of a statement, in small letters. An instance that is called is both."""
    if isinstance(s, Assign):
        inside = {n for step in s.target.steps if not isinstance(step, str) for n in _names(step)}
        return _names(s.value) | inside, {s.target.name.lower()}
    if isinstance(s, Call):
        reads, writes = {s.target.name.lower()}, {s.target.name.lower()}
        for argument in s.arguments:
            if argument.out:
                writes |= _names(argument.value)
            else:
                reads |= _names(argument.value)
        return reads, writes
    out_reads: set[str] = set()
    out_writes: set[str] = set()
    inner: list[Statement] = []
    if isinstance(s, If):
        for condition, then in s.branches:
            out_reads |= _names(condition)
            inner += then
        inner += s.otherwise
    elif isinstance(s, Case):
        out_reads |= _names(s.of)
        inner += [one for _, then in s.choices for one in then] + list(s.otherwise)
    elif isinstance(s, For):
        out_reads |= _names(s.first) | _names(s.last) | (_names(s.by) if s.by else set())
        out_writes.add(s.variable.name.lower())
        inner += s.body
    elif isinstance(s, While | Until):
        out_reads |= _names(s.condition)
        inner += s.body
    for one in inner:
        reads, writes = reads_and_writes(one)
        out_reads |= reads
        # What is written under a condition keeps what it was otherwise.
        out_reads |= writes
        out_writes |= writes
    return out_reads, out_writes


class Slices:
    """The statements of a program, ready to be asked for what makes a variable."""

    def __init__(self, program: Pou) -> None:
        self._body = program.body
        self._of = [reads_and_writes(s) for s in program.body]
        self.writes: dict[str, list[int]] = {}
        for k, (_, writes) in enumerate(self._of):
            for name in writes:
                self.writes.setdefault(name, []).append(k)

    def behind(self, wanted: Iterable[str], given: Iterable[str]) -> list[Statement]:
        """The statements that make some variables, in their order; those that are given are not made."""
        known, todo = set(given), [n for n in wanted if n not in set(given)]
        seen, chosen = set(todo), set()
        while todo:
            name = todo.pop()
            for k in self.writes.get(name, ()):
                if k in chosen:
                    continue
                chosen.add(k)
                for read in self._of[k][0] - seen - known:
                    seen.add(read)
                    todo.append(read)
        return [self._body[k] for k in sorted(chosen)]

    def names(self, statements: Iterable[Statement]) -> set[str]:
        """Every variable that some statements name."""
        out: set[str] = set()
        for s in statements:
            reads, writes = reads_and_writes(s)
            out |= reads | writes
        return out
