"""A project that is brought back: is all that was generated still there, called, and as the list has it?

Trees are compared, not texts: how a line is broken or a name is capitalised is nobody's fault. What stands between the marks
“by hand” is somebody's own and is only looked at for what would go wrong in it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from canaleta.core.model.image import PlantImage
from canaleta.core.program.unit import HAND_BEGINS, HAND_ENDS, Scope, UnitText, generate, scopes_of
from canaleta.core.st import Library, StError, check, read
from canaleta.core.st.kinds import written
from canaleta.core.st.slices import reads_and_writes
from canaleta.core.st.tree import (
    Argument,
    Array,
    Assign,
    Binary,
    Call,
    Expression,
    For,
    Function,
    Initial,
    Literal,
    Pou,
    Reference,
    Source,
    Statement,
    Unary,
    Variable,
)

__all__ = ["CODES", "CodeFinding", "check_project"]

CODES: dict[str, tuple[str, str]] = {
    "unreadable": ("", "a text that is no structured text as we read it"),
    "nothing of ours": ("R28", "no program of this plant is in the project"),
    "missing unit": ("R28", "a block that is called is not there"),
    "missing call": ("R28", "an instance is declared and never called"),
    "missing line": ("R28", "a line of the mapping or of the values is gone"),
    "changed": ("", "a line says something else than the list"),
    "changed block": ("", "a block of ours was changed"),
    "foreign": ("", "a line outside the marks that was not generated"),
    "other issue": ("", "made for another issue of the list"),
    "declared otherwise": ("R29", "a variable is declared with another type or other bounds"),
    "bound": ("R29", "an index beyond its array"),
    "loop bound": ("R29", "a loop longer than its array, or without an end"),
    "integer division": ("R14", "a division of whole numbers"),
    "narrowing": ("R14", "a type that loses"),
    "does not compile": ("", "what a compiler refuses"),
}
"""{code: (rule of the list of rules, what it is)}."""
MOST_FINDINGS = 2000


@dataclass(frozen=True)
class CodeFinding:
    """What is wrong in a project. rule: of docs/rules.md, "" for none; file, unit, line: where; point: whose line it is, 0 for
    none; tag: its name."""

    code: str
    file: str
    unit: str
    line: int
    says: str
    point: int = 0
    tag: str = ""

    @property
    def rule(self) -> str:
        """The rule that it breaks."""
        return CODES[self.code][0]


@dataclass(frozen=True)
class _File:
    name: str
    text: str
    source: Source


def check_project(
    image: PlantImage, files: Mapping[str, str], issue: str = ""
) -> tuple[list[CodeFinding], list[Scope]]:
    """(what is wrong, the parts of the plant that are in it). files: {name: structured text}. issue: of the list as it is now."""
    out: list[CodeFinding] = []
    readable: list[_File] = []
    for name, text in files.items():
        try:
            readable.append(_File(name, text, read(text)))
        except StError as error:
            out.append(CodeFinding("unreadable", name, "", error.line, error.says))
    found = {pou.name.lower(): (file, pou) for file in readable for pou in file.source.pous}
    scopes = [s for s in scopes_of(image) if s.unit.lower() in found]
    if not scopes:
        first = next(iter(files), "")
        out.append(
            CodeFinding(
                "nothing of ours",
                first,
                "",
                1,
                "no program here has a name that this list gives: " + ", ".join(s.unit for s in scopes_of(image)[:6]),
            )
        )
        return out, []
    library, problems = check([file.source for file in readable])
    at_file = {pou: file.name for pou, (file, _) in found.items()}
    for p in problems:
        code = p.code if p.code in CODES else "does not compile"
        if p.code == "unknown type":
            code = "missing unit"
        out.append(CodeFinding(code, at_file.get(p.unit.lower(), readable[0].name), p.unit, p.line, p.says))
    for scope in scopes:
        file, program = found[scope.unit.lower()]
        unit = generate(image, scope, issue)
        out += _Compared(unit, file, program, library).findings()
        out += _blocks(unit, found, file.name)
        out += _issue(unit, file, issue)
    return out[:MOST_FINDINGS], scopes


def _issue(unit: UnitText, file: _File, issue: str) -> list[CodeFinding]:
    """Whether the text says that it was made for another issue."""
    for n, line in enumerate(file.text.splitlines(), start=1):
        if f"(* {unit.scope.unit}: " in line and " for issue " in line:
            told = line.split(" for issue ", 1)[1].split(" of the list", 1)[0]
            if told != issue:
                now = f"issue {issue}" if issue else "a draft"
                return [
                    CodeFinding(
                        "other issue", file.name, unit.scope.unit, n, f"made for issue {told}; the list is at {now}"
                    )
                ]
    return []


def _blocks(unit: UnitText, found: Mapping[str, tuple[_File, Pou]], program_file: str) -> list[CodeFinding]:
    """Whether our blocks are as we give them."""
    out = []
    for pou in read(unit.blocks).pous:
        have = found.get(pou.name.lower())
        if have is None:
            out.append(CodeFinding("missing unit", program_file, pou.name, 1, f"{pou.name} is not in the project"))
        elif _pou(have[1]) != _pou(pou):
            out.append(
                CodeFinding(
                    "changed block",
                    have[0].name,
                    pou.name,
                    have[1].line,
                    f"{pou.name} is not the block that the generated code was proved with",
                )
            )
    return out


class _Compared:
    """A program of ours as it came back, beside the one that the list gives."""

    def __init__(self, unit: UnitText, file: _File, program: Pou, library: Library) -> None:
        self._unit, self._file, self._program, self._library = unit, file, program, library
        source = read(unit.text)
        self._wanted = next(p for p in source.pous if p.name == unit.scope.unit)
        self._globals = source.variables
        self._tags = {c.point: c.tag for c in unit.codes}

    def findings(self) -> list[CodeFinding]:
        """All that differs."""
        return [*self._declared(), *self._done()]

    def _tell(self, code: str, line: int, says: str, wanted_line: int = 0) -> CodeFinding:
        point = self._unit.point_of.get(wanted_line, 0)
        return CodeFinding(code, self._file.name, self._program.name, line, says, point, self._tags.get(point, ""))

    def _declared(self) -> Iterable[CodeFinding]:
        here = {v.name.lower(): v for v in self._program.variables if v.section != "VAR_EXTERNAL"}
        for wanted, where in ((self._globals, self._library.variables), (self._wanted.variables, here)):
            for v in wanted:
                if v.section == "VAR_EXTERNAL":
                    continue
                have = where.get(v.name.lower())
                if have is None:
                    yield self._tell("missing line", self._program.line, f"{v.name} is not declared", v.line)
                elif _type(have.type) != _type(v.type):
                    yield self._tell(
                        "declared otherwise",
                        have.line,
                        f"{v.name} is {written(have.type)}, and the list gives {written(v.type)}",
                        v.line,
                    )
                elif _initial(have.initial) != _initial(v.initial):
                    yield self._tell(
                        "changed", have.line, f"{v.name} begins with other figures than the list gives", v.line
                    )
                elif have.address.upper() != v.address.upper():
                    yield self._tell(
                        "changed",
                        have.line,
                        f"{v.name} is at {have.address or 'no address'}, and the list gives {v.address or 'none'}",
                        v.line,
                    )

    def _done(self) -> Iterable[CodeFinding]:
        have: dict[object, list[Statement]] = {}
        for s in self._program.body:
            have.setdefault(_key(s), []).append(s)
        taken: set[int] = set()
        called = {n for s in self._program.body for n in (reads_and_writes(s)[1])}
        for s in self._wanted.body:
            some = have.get(_key(s), [])
            same = next((one for one in some if id(one) not in taken and _statement(one) == _statement(s)), None)
            if same is not None:
                taken.add(id(same))
                continue
            if isinstance(s, For) and (each := self._one_by_one(s)):
                # A diagram has no loop: it switches the spares off one by one.
                taken |= {id(one) for one in each}
                continue
            other = next((one for one in some if id(one) not in taken), None)
            if other is not None:
                taken.add(id(other))
                yield self._tell("changed", other.line, _difference(other, s), s.line)
            elif isinstance(s, Call):
                name = s.target.name
                if name.lower() not in called:
                    yield self._tell("missing call", self._program.line, f"{name} is never called", s.line)
            else:
                yield self._tell("missing line", self._program.line, f"“{_words(s)}” is gone", s.line)
        own = self._own_lines()
        for s in self._program.body:
            if id(s) not in taken and s.line not in own:
                yield self._tell(
                    "foreign", s.line, f"“{_words(s)}” was not generated and stands outside the marks “by hand”"
                )

    def _one_by_one(self, loop: For) -> list[Assign]:
        """Elements of the array that a loop goes through, each set to what the loop sets it to."""
        inside = loop.body[0] if len(loop.body) == 1 else None
        if not isinstance(inside, Assign):
            return []
        nothing, name = _expression(inside.value), inside.target.name.lower()
        each = [
            s
            for s in self._program.body
            if isinstance(s, Assign) and s.target.name.lower() == name and _expression(s.value) == nothing
        ]
        ends = [x.value for x in (loop.first, loop.last) if isinstance(x, Literal) and isinstance(x.value, int)]
        given = sum(isinstance(s, Assign) and s.target.name.lower() == name for s in self._wanted.body)
        # One that is left out is a spare that nobody keeps off.
        return each if len(ends) == 2 and len(each) >= ends[1] - ends[0] + 1 - given else []

    def _own_lines(self) -> set[int]:
        """Lines between the marks."""
        out, inside = set(), False
        for n, line in enumerate(self._file.text.splitlines(), start=1):
            bare = line.strip()
            if bare.startswith(HAND_BEGINS):
                inside = True
            elif bare == HAND_ENDS:
                inside = False
            elif inside:
                out.add(n)
        return out


def _key(s: Statement) -> object:
    """What a statement is known by: what it writes, or whom it calls."""
    if isinstance(s, Assign):
        return ("set", *_expression(s.target))
    if isinstance(s, Call):
        return ("call", *_expression(s.target))
    return (type(s).__name__, *sorted(reads_and_writes(s)[1]))


def _words(s: Statement) -> str:
    if isinstance(s, Assign):
        return f"{s.target.written} := …"
    if isinstance(s, Call):
        return f"{s.target.written}(…)"
    return type(s).__name__.upper()


def _difference(have: Statement, wanted: Statement) -> str:
    """In what two statements differ."""
    if isinstance(have, Call) and isinstance(wanted, Call):
        mine, theirs = ({a.name.lower(): a for a in s.arguments} for s in (have, wanted))
        for name, argument in theirs.items():
            if name not in mine:
                return f"{have.target.written}: {argument.name} is not given; the list gives {_shown(argument.value)}"
            if _expression(mine[name].value) != _expression(argument.value):
                return f"{have.target.written}: {argument.name} is {_shown(mine[name].value)}, and the list gives {_shown(argument.value)}"
        more = next((a.name for name, a in mine.items() if name not in theirs), "")
        return f"{have.target.written}: {more} is given, and the list gives none"
    if isinstance(have, Assign) and isinstance(wanted, Assign):
        return f"{have.target.written} := {_shown(have.value)}, and the list gives {_shown(wanted.value)}"
    return f"{_words(have)} is not as it was generated"


def _shown(x: Expression) -> str:
    if isinstance(x, Literal):
        return x.text or str(x.value)
    if isinstance(x, Reference):
        return x.name + "".join(f".{s}" if isinstance(s, str) else f"[{_shown(s)}]" for s in x.steps)
    if isinstance(x, Unary):
        return f"{x.sign} {_shown(x.x)}"
    if isinstance(x, Binary):
        return f"{_shown(x.left)} {x.sign} {_shown(x.right)}"
    return f"{x.name}({', '.join(_shown(a.value) for a in x.arguments)})"


# Trees without lines, texts and types: what is compared.


def _expression(x: Expression) -> tuple[object, ...]:
    if isinstance(x, Literal):
        return (
            "literal",
            float(x.value) if isinstance(x.value, int | float) and not isinstance(x.value, bool) else x.value,
        )
    if isinstance(x, Reference):
        return ("at", x.name.lower(), *(s.lower() if isinstance(s, str) else _expression(s) for s in x.steps))
    if isinstance(x, Unary):
        return (x.sign, _expression(x.x))
    if isinstance(x, Binary):
        return (x.sign, _expression(x.left), _expression(x.right))
    assert isinstance(x, Function)
    return ("of", x.name.upper(), *_arguments(x.arguments, sort=False))


def _arguments(arguments: Sequence[Argument], sort: bool) -> list[tuple[object, ...]]:
    out: list[tuple[object, ...]] = [(a.name.lower(), a.out, _expression(a.value)) for a in arguments]
    return sorted(out, key=str) if sort else out


def _statement(s: object) -> object:
    """A statement and all in it."""
    if isinstance(s, Assign):
        return ("set", _expression(s.target), _expression(s.value))
    if isinstance(s, Call):
        return ("call", _expression(s.target), *_arguments(s.arguments, sort=True))
    if isinstance(s, Literal | Reference | Unary | Binary | Function):
        return _expression(s)
    if isinstance(s, tuple):
        return tuple(_statement(one) for one in s)
    if isinstance(s, str | int | float | bool) or s is None:
        return s
    fields: Callable[[object], Iterable[str]] = lambda one: (n for n in one.__slots__ if n != "line")  # type: ignore[attr-defined]  # noqa: E731
    return (type(s).__name__, *(_statement(getattr(s, n)) for n in fields(s)))


def _type(of: object) -> object:
    return (of.low, of.high, _type(of.of)) if isinstance(of, Array) else str(of).lower()


def _initial(given: Initial | None) -> object:
    if given is None:
        return None
    if isinstance(given, Literal):
        return _expression(given)
    if isinstance(given, dict):
        return tuple(sorted(((k.lower(), _initial(v)) for k, v in given.items()), key=str))
    return tuple(_initial(v) for v in given)


def _variable(v: Variable) -> object:
    return (v.name.lower(), _type(v.type), _initial(v.initial), v.section)


def _pou(pou: Pou) -> object:
    return (pou.kind, pou.name.lower(), *(_variable(v) for v in pou.variables), *(_statement(s) for s in pou.body))
