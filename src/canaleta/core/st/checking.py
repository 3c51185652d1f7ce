"""Types and names of what has been read: every expression gets its type, and what cannot be is told with its place.

What loses (a narrower type, an integer division) is told as well; whether that matters is for who asks.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from canaleta.core.st.functions import FUNCTIONS, conversion
from canaleta.core.st.kinds import BITS, INTEGERS, RANGES, REALS, common, holds, is_number, written
from canaleta.core.st.prelude import prelude
from canaleta.core.st.reading import ELEMENTARY
from canaleta.core.st.tree import (
    Argument,
    Array,
    Assign,
    Binary,
    Call,
    Case,
    Expression,
    For,
    Function,
    If,
    Initial,
    Literal,
    Pou,
    Reference,
    Source,
    Statement,
    Struct,
    Type,
    Unary,
    Until,
    Variable,
    While,
)

__all__ = ["Library", "Problem", "check"]

HARMLESS = ("narrowing", "integer division", "bound", "loop bound", "not called")
"""Codes of what compiles and is wrong all the same."""


@dataclass(frozen=True)
class Problem:
    """What is wrong, and where. code: "unknown name", "unknown type", "type", "twice", "no input", "not writable",
    "narrowing", "integer division", "bound", "loop bound"."""

    code: str
    unit: str
    line: int
    says: str

    @property
    def compiles(self) -> bool:
        """Whether a compiler may take it nevertheless."""
        return self.code in HARMLESS


@dataclass
class Library:
    """Units, structures and global variables by name, in small letters."""

    pous: dict[str, Pou] = field(default_factory=dict)
    structs: dict[str, Struct] = field(default_factory=dict)
    variables: dict[str, Variable] = field(default_factory=dict)

    def members(self, of: Type) -> dict[str, Variable]:
        """Variables of a block or structure, {} if it is none."""
        if isinstance(of, Array):
            return {}
        unit = self.pous.get(of.lower()) or self.structs.get(of.lower())
        return {v.name.lower(): v for v in unit.variables} if unit else {}

    def block(self, of: Type) -> Pou | None:
        """The function block of that name."""
        found = self.pous.get(of.lower()) if isinstance(of, str) else None
        return found if found is not None and found.kind == "FUNCTION_BLOCK" else None


def check(sources: Iterable[Source]) -> tuple[Library, list[Problem]]:
    """The library of some texts, the standard's blocks among them, and what is wrong in them."""
    library, problems = Library(), list[Problem]()
    for pou in prelude().pous:
        library.pous[pou.name.lower()] = pou
    standard = set(library.pous)
    for source in sources:
        for pou in source.pous:
            if pou.name.lower() not in standard:
                problems += _twice(pou, library.pous)
            library.pous[pou.name.lower()] = pou
        for struct in source.structs:
            problems += _twice(struct, library.structs)
            library.structs[struct.name.lower()] = struct
        for variable in source.variables:
            problems += _twice(variable, library.variables)
            library.variables[variable.name.lower()] = variable
    for struct in library.structs.values():
        problems += _Unit(library, struct.name, struct.variables).declared()
    problems += _Unit(library, "", tuple(library.variables.values())).declared()
    for pou in library.pous.values():
        unit = _Unit(library, pou.name, pou.variables, pou.returns if pou.kind == "FUNCTION" else "")
        problems += [*unit.declared(), *unit.body(pou.body)]
    return library, problems


def _twice(one: Pou | Struct | Variable, known: Mapping[str, object]) -> list[Problem]:
    return [Problem("twice", one.name, one.line, f"{one.name} is there twice")] if one.name.lower() in known else []


class _Unit:
    """One unit being looked at."""

    def __init__(self, library: Library, name: str, variables: Sequence[Variable], returns: Type = "") -> None:
        self._library, self._name, self._variables = library, name, variables
        self._here = {v.name.lower(): v for v in variables}
        if returns:
            self._here[name.lower()] = Variable(name, returns, None, "VAR_OUTPUT", False, "", 1)
        self._problems: list[Problem] = []
        self._loops: dict[str, tuple[int, int]] = {}

    def _tell(self, code: str, line: int, says: str) -> None:
        self._problems.append(Problem(code, self._name, line, says))

    def declared(self) -> list[Problem]:
        """Types and initial values of the variables."""
        self._problems = []
        seen: set[str] = set()
        for v in self._variables:
            if v.name.lower() in seen:
                self._tell("twice", v.line, f"{v.name} is declared twice")
            seen.add(v.name.lower())
            if not self._known(v.type):
                self._tell("unknown type", v.line, f"{v.name}: there is no type {written(v.type)}")
            elif v.initial is not None:
                self._begins(v.name, v.type, v.initial, v.line)
        return self._problems

    def _known(self, of: Type) -> bool:
        if isinstance(of, Array):
            return self._known(of.of)
        return of in ELEMENTARY or of.lower() in self._library.structs or self._library.block(of) is not None

    def _begins(self, name: str, of: Type, given: Initial, line: int) -> None:
        if isinstance(given, Literal):
            self._literal(given, of, name)
        elif isinstance(given, dict):
            members = self._library.members(of)
            for part, value in given.items():
                if part.lower() not in members:
                    self._tell("unknown name", line, f"{name}: {written(of)} has no {part}")
                else:
                    self._begins(f"{name}.{part}", members[part.lower()].type, value, line)
        elif not isinstance(of, Array):
            self._tell("type", line, f"{name} is no array")
        else:
            if len(given) > of.length:
                self._tell("bound", line, f"{name} has {of.length} elements, and {len(given)} are given")
            for value in given:
                self._begins(name, of.of, value, line)

    def _literal(self, given: Literal, into: Type, what: str) -> None:
        if given.type:
            self._fits(into, given.type, given.line, what)
        elif isinstance(given.value, float):
            if into not in REALS:
                self._tell(
                    "type" if into not in INTEGERS else "narrowing",
                    given.line,
                    f"{what} is {written(into)}, and {given.text} is a real",
                )
        elif into in REALS or (into in RANGES and _within(into, given.value)):
            pass
        elif into in RANGES:
            self._tell("narrowing", given.line, f"{what}: {given.value} is no {written(into)}")
        else:
            self._tell("type", given.line, f"{what} is {written(into)}, and {given.text} is a number")
        if not given.type and isinstance(into, str):
            given.type = into

    def _fits(self, into: Type, of: Type, line: int, what: str) -> None:
        if not of or not into or holds(into, of):
            return
        # What is a number on both sides loses; a target that takes it cuts it off.
        loses = (is_number(into) or into in BITS) and (is_number(of) or of in BITS)
        self._tell(
            "narrowing" if loses else "type", line, f"{what} is {written(into)}, and {written(of)} stands there"
        )

    # Statements.

    def body(self, statements: Sequence[Statement]) -> list[Problem]:
        """Names and types of what is done."""
        self._problems = []
        self._statements(statements)
        return self._problems

    def _statements(self, statements: Sequence[Statement]) -> None:
        for one in statements:
            self._statement(one)

    def _statement(self, s: Statement) -> None:
        if isinstance(s, Assign):
            into = self._reference(s.target, writes=True)
            self._value(s.value, into, s.target.written)
        elif isinstance(s, Call):
            self._call(s)
        elif isinstance(s, If):
            for condition, then in s.branches:
                self._value(condition, "BOOL", "a condition")
                self._statements(then)
            self._statements(s.otherwise)
        elif isinstance(s, Case):
            self._type(s.of, "")
            for _, then in s.choices:
                self._statements(then)
            self._statements(s.otherwise)
        elif isinstance(s, For):
            self._for(s)
        elif isinstance(s, While | Until):
            self._value(s.condition, "BOOL", "a condition")
            self._statements(s.body)

    def _for(self, s: For) -> None:
        of = self._reference(s.variable, writes=True)
        for x in (s.first, s.last, *((s.by,) if s.by else ())):
            self._value(x, of, s.variable.written)
        name, ends = s.variable.name.lower(), [self.constant(x) for x in (s.first, s.last)]
        if of in RANGES and ends[1] is not None and ends[1] >= RANGES[str(of)][1]:
            self._tell(
                "loop bound",
                s.line,
                f"{s.variable.name} as {written(of)} never goes beyond {ends[1]}: the loop does not end",
            )
        before = self._loops.get(name)
        if ends[0] is not None and ends[1] is not None:
            self._loops[name] = (min(ends[0], ends[1]), max(ends[0], ends[1]))
        self._statements(s.body)
        self._loops.pop(name, None)
        if before is not None:
            self._loops[name] = before

    def _call(self, s: Call) -> None:
        of = self._reference(s.target) if self._variable(s.target.name) else ""
        block = self._library.block(of)
        if block is None:
            code = "type" if of else "unknown name"
            self._tell(code, s.line, f"{s.target.written} is no function block that is declared here")
            return
        members = {v.name.lower(): v for v in block.variables}
        inputs = [v for v in block.variables if v.section in ("VAR_INPUT", "VAR_IN_OUT")]
        seen: set[str] = set()
        for place, argument in enumerate(s.arguments):
            name = argument.name or (inputs[place].name if place < len(inputs) else "")
            found = members.get(name.lower())
            wanted = ("VAR_OUTPUT",) if argument.out else ("VAR_INPUT", "VAR_IN_OUT")
            if found is None or found.section not in wanted:
                self._tell(
                    "no input",
                    s.line,
                    f"{block.name} has no {'output' if argument.out else 'input'} {name or place + 1}",
                )
                self._type(argument.value, "")
                continue
            if name.lower() in seen:
                self._tell("twice", s.line, f"{name} is given twice")
            seen.add(name.lower())
            if argument.out:
                assert isinstance(argument.value, Reference)
                into = self._reference(argument.value, writes=True)
                self._fits(into, found.type, s.line, argument.value.written)
            else:
                self._value(argument.value, found.type, f"{s.target.written}.{found.name}")

    def _value(self, x: Expression, into: Type, what: str) -> None:
        if isinstance(x, Literal):
            self._literal(x, into, what) if into else None
            return
        of = self._type(x, into)
        self._fits(into, of, x.line, what)

    # Expressions.

    def _variable(self, name: str) -> Variable | None:
        return self._here.get(name.lower()) or self._library.variables.get(name.lower())

    def _reference(self, x: Reference, writes: bool = False) -> Type:
        found = self._variable(x.name)
        if found is None:
            self._tell("unknown name", x.line, f"{x.name} is not declared")
            for step in x.steps:
                if not isinstance(step, str):
                    self._type(step, "DINT")
            return ""
        if writes and (found.constant or (found.section == "VAR_INPUT" and found.name.lower() in self._here)):
            self._tell(
                "not writable", x.line, f"{x.name} is {'a constant' if found.constant else 'an input'} and is written"
            )
        of: Type = found.type
        for step in x.steps:
            if isinstance(step, str):
                members = self._library.members(of)
                part = members.get(step.lower())
                if part is None:
                    self._tell("unknown name", x.line, f"{x.name}: {written(of)} has no {step}")
                    return ""
                of = part.type
                continue
            if not isinstance(of, Array):
                self._tell("type", x.line, f"{x.written} is no array")
                return ""
            self._index(x, of, step)
            of = of.of
        x.type = of
        return of

    def _index(self, x: Reference, of: Array, step: Expression) -> None:
        self._value(step, "DINT", "an index")
        at = self.constant(step)
        low, high = (at, at) if at is not None else self._reach(step) or (of.low, of.high)
        if low < of.low or high > of.high:
            reaches = str(at) if at is not None else f"{low} to {high}"
            self._tell("bound", x.line, f"{x.written}: {reaches}, and the array runs from {of.low} to {of.high}")

    def _reach(self, x: Expression) -> tuple[int, int] | None:
        """What an index goes through in the loops around it, where that can be seen."""
        if isinstance(x, Reference) and not x.steps:
            return self._loops.get(x.name.lower())
        if isinstance(x, Binary) and x.sign in ("+", "-"):
            a, b = self._reach(x.left), self.constant(x.right)
            if a is not None and b is not None:
                by = b if x.sign == "+" else -b
                return a[0] + by, a[1] + by
        return None

    def constant(self, x: Expression) -> int | None:
        """A whole number that is known from the text alone."""
        if isinstance(x, Literal):
            return x.value if isinstance(x.value, int) and not isinstance(x.value, bool) else None
        if isinstance(x, Unary) and x.sign == "-":
            found = self.constant(x.x)
            return None if found is None else -found
        if isinstance(x, Binary) and x.sign in ("+", "-", "*"):
            a, b = self.constant(x.left), self.constant(x.right)
            if a is None or b is None:
                return None
            return a + b if x.sign == "+" else a - b if x.sign == "-" else a * b
        if isinstance(x, Reference) and not x.steps:
            found_variable = self._variable(x.name)
            if found_variable and found_variable.constant and isinstance(found_variable.initial, Literal):
                return self.constant(found_variable.initial)
        return None

    def _type(self, x: Expression, into: Type) -> Type:
        """The type of an expression; a bare number takes the one it stands by."""
        if isinstance(x, Literal):
            if not x.type:
                real = isinstance(x.value, float)
                x.type = into if (into in REALS or (not real and into in RANGES)) else "LREAL" if real else "DINT"
            return x.type
        if isinstance(x, Reference):
            return self._reference(x)
        if isinstance(x, Unary):
            of = self._type(x.x, into)
            good = of == "BOOL" or of in BITS if x.sign == "NOT" else is_number(of) or of == "TIME"
            if of and not good:
                self._tell("type", x.line, f"{x.sign} of {written(of)}")
            x.type = of
            return of
        if isinstance(x, Function):
            x.type = self._function(x, into)
            return x.type
        x.type = self._binary(x, into)
        return x.type

    def _pair(self, x: Binary, into: Type) -> Type:
        """Both sides in one type."""
        left, right = x.left, x.right
        if isinstance(left, Literal) and not left.type and not (isinstance(right, Literal) and not right.type):
            of = self._type(right, into)
            self._literal(left, of, "the other side") if of else None
            return of
        of = self._type(left, into)
        if isinstance(right, Literal) and not right.type:
            self._literal(right, of, "the other side") if of else None
            return of
        other = self._type(right, into)
        if not of or not other:
            return ""
        found = common(of, other)
        if not found:
            self._tell("type", x.line, f"{written(of)} {x.sign} {written(other)}: convert one of the two")
        return found

    def _binary(self, x: Binary, into: Type) -> Type:
        if x.sign in ("AND", "OR", "XOR"):
            of = self._pair(x, into)
            if of and of != "BOOL" and of not in BITS:
                self._tell("type", x.line, f"{x.sign} of {written(of)}")
            return of
        if x.sign in ("=", "<>", "<", ">", "<=", ">="):
            of = self._pair(x, "")
            if isinstance(of, Array) or of.lower() in self._library.pous:
                self._tell("type", x.line, f"{written(of)} cannot be compared")
            return "BOOL"
        if x.sign == "**":
            of = self._type(x.left, into if into in REALS else "LREAL")
            self._type(x.right, of)
            if of and of not in REALS:
                self._tell("type", x.line, f"a power of {written(of)}")
            return of
        of = self._pair(x, into)
        if of == "TIME" and x.sign in ("+", "-"):
            return of
        if of and not is_number(of):
            self._tell("type", x.line, f"{x.sign} of {written(of)}")
        if x.sign == "/" and of in INTEGERS:
            self._tell("integer division", x.line, f"{written(of)} / {written(of)} cuts off what is left over")
        return of

    def _function(self, x: Function, into: Type) -> Type:
        name = x.name.upper()
        if (pair := conversion(name)) is not None:
            if len(x.arguments) != 1:
                self._tell("no input", x.line, f"{x.name} takes one value")
                return pair[1]
            self._value(x.arguments[0].value, pair[0], x.name)
            return pair[1]
        user = self._library.pous.get(x.name.lower())
        if user is not None and user.kind == "FUNCTION":
            inputs = [v for v in user.variables if v.section == "VAR_INPUT"]
            for place, argument in enumerate(x.arguments):
                found = (
                    next((v for v in inputs if v.name.lower() == argument.name.lower()), None)
                    if argument.name
                    else (inputs[place] if place < len(inputs) else None)
                )
                if found is None:
                    self._tell("no input", x.line, f"{user.name} has no input {argument.name or place + 1}")
                else:
                    self._value(argument.value, found.type, f"{user.name}.{found.name}")
            return user.returns
        if name not in FUNCTIONS:
            self._tell("unknown name", x.line, f"there is no function {x.name}")
            for argument in x.arguments:
                self._type(argument.value, "")
            return ""
        return self._standard(x, name, into)

    def _standard(self, x: Function, name: str, into: Type) -> Type:
        wanted = FUNCTIONS[name]
        if not wanted.least <= len(x.arguments) <= wanted.most:
            self._tell("no input", x.line, f"{x.name} takes {wanted.least} values")
            return ""
        values = [a.value for a in x.arguments]
        if name == "SCAN_TIME":
            return "TIME"
        if name == "SEL":
            self._value(values[0], "BOOL", "SEL")
            values = values[1:]
        if name in ("SHL", "SHR", "ROL", "ROR"):
            of = self._type(values[0], into)
            self._value(values[1], "DINT", name)
            return of
        if wanted.real:
            of = self._type(values[0], into if into in REALS else "LREAL")
            if of and of not in REALS:
                self._tell("type", x.line, f"{x.name} of {written(of)}")
            return into if name == "TRUNC" and into in INTEGERS else "DINT" if name == "TRUNC" else of
        typed = [v for v in values if not (isinstance(v, Literal) and not v.type)]
        of = ""
        for v in typed:
            found = self._type(v, into)
            of = found if not of else common(of, found) if found else of
        of = of or self._type(values[0], into)
        for v in values:
            if isinstance(v, Literal) and not v.type and of:
                self._literal(v, of, x.name)
        return of


def _within(of: Type, value: bool | int | float | str) -> bool:
    return isinstance(of, str) and isinstance(value, int) and RANGES[of][0] <= value <= RANGES[of][1]


def arguments_of(arguments: Sequence[Argument], inputs: Sequence[Variable]) -> Iterator[tuple[str, Expression, bool]]:
    """(name, value, whether it is taken out) of a call, those without a name by their place."""
    for place, argument in enumerate(arguments):
        yield argument.name or inputs[place].name, argument.value, argument.out
