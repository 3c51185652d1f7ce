"""What a program is made of once it has been read. Every node knows its line, counted from 1."""

from __future__ import annotations

from dataclasses import dataclass, field

__all__ = [
    "Argument",
    "Array",
    "Assign",
    "Binary",
    "Call",
    "Case",
    "Exit",
    "Expression",
    "For",
    "Function",
    "If",
    "Initial",
    "Literal",
    "Pou",
    "Reference",
    "Return",
    "Source",
    "Statement",
    "Struct",
    "Type",
    "Unary",
    "Until",
    "Variable",
    "While",
]


@dataclass(frozen=True)
class Array:
    """ARRAY [low..high] OF of; bounds are inclusive."""

    low: int
    high: int
    of: Type

    @property
    def length(self) -> int:
        """How many elements it has."""
        return self.high - self.low + 1


Type = str | Array
"""An elementary type in capitals, the name of a block or structure as it was written, or an array."""


@dataclass(slots=True)
class Literal:
    """value: bool, int, float, str, or milliseconds of a TIME. type: "" for a number that takes the type it stands by."""

    value: bool | int | float | str
    type: Type
    line: int
    text: str = ""


@dataclass(slots=True)
class Reference:
    """A variable, an element or a part: steps are indices and names, from the left."""

    name: str
    steps: tuple[str | Expression, ...]
    line: int
    type: Type = ""

    @property
    def written(self) -> str:
        """As it stands in the text, its indices left out."""
        return self.name + "".join(f".{s}" if isinstance(s, str) else "[…]" for s in self.steps)


@dataclass(slots=True)
class Unary:
    """sign: "-" or "NOT"."""

    sign: str
    x: Expression
    line: int
    type: Type = ""


@dataclass(slots=True)
class Binary:
    """sign: as IEC 61131-3 writes it, in capitals."""

    sign: str
    left: Expression
    right: Expression
    line: int
    type: Type = ""


@dataclass(slots=True)
class Function:
    """A function in an expression."""

    name: str
    arguments: tuple[Argument, ...]
    line: int
    type: Type = ""


Expression = Literal | Reference | Unary | Binary | Function


@dataclass(slots=True)
class Argument:
    """name: "" where it stands by its place. out: taken out of the block, =>."""

    name: str
    value: Expression
    out: bool = False


@dataclass(slots=True)
class Assign:
    target: Reference
    value: Expression
    line: int


@dataclass(slots=True)
class Call:
    """A call of a block's instance, or of a function whose result nobody takes."""

    target: Reference
    arguments: tuple[Argument, ...]
    line: int


@dataclass(slots=True)
class If:
    """branches: condition and statements of IF and each ELSIF."""

    branches: tuple[tuple[Expression, tuple[Statement, ...]], ...]
    otherwise: tuple[Statement, ...]
    line: int


@dataclass(slots=True)
class Case:
    """choices: (labels, statements); a label is a pair of bounds, inclusive."""

    of: Expression
    choices: tuple[tuple[tuple[tuple[int, int], ...], tuple[Statement, ...]], ...]
    otherwise: tuple[Statement, ...]
    line: int


@dataclass(slots=True)
class For:
    variable: Reference
    first: Expression
    last: Expression
    by: Expression | None
    body: tuple[Statement, ...]
    line: int


@dataclass(slots=True)
class While:
    condition: Expression
    body: tuple[Statement, ...]
    line: int


@dataclass(slots=True)
class Until:
    """REPEAT … UNTIL."""

    body: tuple[Statement, ...]
    condition: Expression
    line: int


@dataclass(slots=True)
class Exit:
    line: int


@dataclass(slots=True)
class Return:
    line: int


Statement = Assign | Call | If | Case | For | While | Until | Exit | Return
Initial = Literal | tuple["Initial", ...] | dict[str, "Initial"]
"""What a variable begins with: a literal, elements of an array, or parts by name."""


@dataclass(slots=True)
class Variable:
    """section: "VAR", "VAR_INPUT" … address: a direct address, "" for none."""

    name: str
    type: Type
    initial: Initial | None
    section: str
    constant: bool
    address: str
    line: int


@dataclass(slots=True)
class Pou:
    """A program organisation unit. kind: PROGRAM, FUNCTION_BLOCK or FUNCTION; returns: of a function."""

    kind: str
    name: str
    returns: Type
    variables: tuple[Variable, ...]
    body: tuple[Statement, ...]
    line: int


@dataclass(slots=True)
class Struct:
    name: str
    variables: tuple[Variable, ...]
    line: int


@dataclass(slots=True)
class Source:
    """One text: units, structures and global variables in their order."""

    pous: list[Pou] = field(default_factory=list)
    structs: list[Struct] = field(default_factory=list)
    variables: list[Variable] = field(default_factory=list)
