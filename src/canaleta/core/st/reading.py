"""From text to tree. The grammar is LALR(1): a text of any length is read in time that grows with its length."""

from __future__ import annotations

import gc
from functools import cache
from typing import Any

from lark import Lark, Token, Transformer, v_args
from lark.exceptions import (
    LarkError,
    UnexpectedCharacters,
    UnexpectedEOF,
    UnexpectedInput,
    UnexpectedToken,
    VisitError,
)

from canaleta.core.st.tree import (
    Argument,
    Array,
    Assign,
    Binary,
    Call,
    Case,
    Exit,
    Expression,
    For,
    Function,
    If,
    Literal,
    Pou,
    Reference,
    Return,
    Source,
    Struct,
    Unary,
    Until,
    Variable,
    While,
)

__all__ = ["DEEPEST", "ELEMENTARY", "LONGEST", "StError", "read"]

ELEMENTARY = frozenset(
    [
        "BOOL",
        "SINT",
        "INT",
        "DINT",
        "LINT",
        "USINT",
        "UINT",
        "UDINT",
        "ULINT",
        "BYTE",
        "WORD",
        "DWORD",
        "LWORD",
        "REAL",
        "LREAL",
        "TIME",
        "LTIME",
        "STRING",
    ]
)
DEEPEST = 150
"""How deep expressions and statements may stand in each other."""
LONGEST = 20_000_000
"""Characters of a text that is read."""
MOST_ELEMENTS = 1_000_000


class StError(ValueError):
    """A text that cannot be read. code: "syntax", "too deep", "too long", "number"; line and column count from 1."""

    def __init__(self, code: str, line: int, column: int, says: str) -> None:
        super().__init__(f"line {line}: {says}")
        self.code, self.line, self.column, self.says = code, line, column, says


GRAMMAR = r"""
start: _unit*
_unit: pou | structs | globals | configuration | ";"
configuration: "CONFIGURATION"i NAME (globals | resource)* "END_CONFIGURATION"i
resource: "RESOURCE"i NAME "ON"i NAME (globals | task | instance)* "END_RESOURCE"i
task: "TASK"i NAME "(" NAME ":=" expression ("," NAME ":=" expression)* ")" ";"
instance: "PROGRAM"i NAME ("WITH"i NAME)? ":" NAME ";"

pou: "PROGRAM"i NAME vars* statements "END_PROGRAM"i                         -> program
   | "FUNCTION_BLOCK"i NAME vars* statements "END_FUNCTION_BLOCK"i           -> block
   | "FUNCTION"i NAME ":" type vars* statements "END_FUNCTION"i              -> function_unit
structs: "TYPE"i struct+ "END_TYPE"i
struct: NAME ":" "STRUCT"i declaration* "END_STRUCT"i ";"?
globals: "VAR_GLOBAL"i (CONSTANT|RETAIN|NON_RETAIN)* declaration* "END_VAR"i
vars: (VAR|VAR_INPUT|VAR_OUTPUT|VAR_IN_OUT|VAR_TEMP|VAR_EXTERNAL) (CONSTANT|RETAIN|NON_RETAIN)* declaration* "END_VAR"i
VAR: "VAR"i
VAR_INPUT: "VAR_INPUT"i
VAR_OUTPUT: "VAR_OUTPUT"i
VAR_IN_OUT: "VAR_IN_OUT"i
VAR_TEMP: "VAR_TEMP"i
VAR_EXTERNAL: "VAR_EXTERNAL"i
CONSTANT: "CONSTANT"i
RETAIN: "RETAIN"i
NON_RETAIN: "NON_RETAIN"i
declaration: NAME ("," NAME)* at? ":" type (":=" initial)? ";"
at: "AT"i ADDRESS
type: NAME                                                               -> named
    | "STRING"i ("[" INTEGER "]")?                                       -> string
    | "ARRAY"i "[" range ("," range)* "]" "OF"i type                     -> array
range: bound ".." bound
bound: "-"? INTEGER
initial: expression | listed | parts
listed: "[" (initial ("," initial)*)? "]"
parts: "(" part ("," part)* ")"
part: NAME ":=" initial

statements: _statement*
_statement: assign | call | if | case | for | while | repeat | exit | return | ";"
assign: reference ":=" expression ";"
call: reference "(" (argument ("," argument)*)? ")" ";"
if: "IF"i expression "THEN"i statements elsif* else? "END_IF"i ";"?
elsif: "ELSIF"i expression "THEN"i statements
else: "ELSE"i statements
case: "CASE"i expression "OF"i choice* else? "END_CASE"i ";"?
choice: label ("," label)* ":" statements
label: bound (".." bound)?
for: "FOR"i reference ":=" expression "TO"i expression by? "DO"i statements "END_FOR"i ";"?
by: "BY"i expression
while: "WHILE"i expression "DO"i statements "END_WHILE"i ";"?
repeat: "REPEAT"i statements "UNTIL"i expression "END_REPEAT"i ";"?
exit: EXIT ";"
return: RETURN ";"
EXIT: "EXIT"i
RETURN: "RETURN"i

?expression: x_or
?x_or: x_xor | x_or OR x_xor          -> binary
?x_xor: x_and | x_xor XOR x_and       -> binary
?x_and: x_equal | x_and (AND|AMPERSAND) x_equal   -> binary
?x_equal: x_compare | x_equal (EQ|NE) x_compare              -> binary
?x_compare: x_sum | x_compare (LE|GE|LT|GT) x_sum            -> binary
?x_sum: x_term | x_sum (PLUS|MINUS) x_term                   -> binary
?x_term: x_power | x_term (TIMES|DIVIDE|MOD) x_power         -> binary
?x_power: x_unary | x_power POWER x_unary                -> binary
?x_unary: x_primary | MINUS x_unary -> unary | NOT x_unary -> unary | PLUS x_unary -> plus
?x_primary: literal | reference | function | "(" expression ")" -> group
function: NAME "(" (argument ("," argument)*)? ")"
argument: expression                    -> by_place
        | NAME ":=" expression          -> by_name
        | NAME "=>" reference            -> taken
reference: NAME (index | "." NAME)*
index: "[" expression ("," expression)* "]"
literal: INTEGER | BASED | REAL | TYPED | TIME | TRUE | FALSE | TEXT

OR: "OR"i
XOR: "XOR"i
AND: "AND"i
AMPERSAND: "&"
NOT: "NOT"i
MOD: "MOD"i
TRUE: "TRUE"i
FALSE: "FALSE"i
NE.3: "<>"
LE.3: "<="
GE.3: ">="
EQ: "="
LT: "<"
GT: ">"
PLUS: "+"
MINUS: "-"
POWER.3: "**"
TIMES: "*"
DIVIDE: "/"
TYPED.4: /(BOOL|SINT|INT|DINT|LINT|USINT|UINT|UDINT|ULINT|BYTE|WORD|DWORD|LWORD|REAL|LREAL)#[-+]?(16#[0-9A-F_]+|8#[0-7_]+|2#[01_]+|[0-9][0-9_]*(\.[0-9][0-9_]*)?(E[-+]?[0-9]+)?|TRUE|FALSE)/i
TIME.4: /(TIME|T|LTIME|LT)#-?[0-9][0-9_.DHMSUN]*/i
BASED.4: /(16#[0-9A-F_]+|8#[0-7_]+|2#[01_]+)/i
REAL.3: /[0-9][0-9_]*\.[0-9][0-9_]*(E[-+]?[0-9]+)?/i
INTEGER.2: /[0-9][0-9_]*/
TEXT: /'([^'$\n]|\$.)*'/
ADDRESS: /%[IQM]\*|%[IQM][XBWDL]?[0-9]+(\.[0-9]+)*/i
NAME: /[A-Z_][A-Z0-9_]*/i
COMMENT.9: /\(\*[^*]*\*+([^)*][^*]*\*+)*\)/
LINE_COMMENT.9: /\/\/[^\n]*/
PRAGMA.9: /\{[^}]*\}/
%ignore COMMENT
%ignore LINE_COMMENT
%ignore PRAGMA
%ignore /[ \t\r\n\f\uFEFF]+/
"""

_UNITS_MS = {"d": 86_400_000.0, "h": 3_600_000.0, "m": 60_000.0, "s": 1000.0, "ms": 1.0, "us": 0.001, "ns": 1e-6}


def read(text: str) -> Source:
    """The tree of a text. Raises StError with the place of what cannot be read."""
    if len(text) > LONGEST:
        raise StError("too long", 1, 1, f"{len(text)} characters; at most {LONGEST} are read")
    collects = gc.isenabled()
    # Nodes by the million and no circle among them: looking for some takes a third of the time.
    gc.disable()
    try:
        return _parser().parse(text)  # type: ignore[return-value]
    except VisitError as error:
        if isinstance(error.orig_exc, StError):
            raise error.orig_exc from None
        raise
    except UnexpectedInput as error:
        raise _syntax(error) from None
    except LarkError as error:
        raise StError("syntax", 1, 1, str(error)) from None
    finally:
        if collects:
            gc.enable()


def _syntax(error: UnexpectedInput) -> StError:
    if isinstance(error, UnexpectedEOF):
        return StError("syntax", max(error.line, 1), max(error.column, 1), "the text ends in the middle")
    if isinstance(error, UnexpectedToken):
        token = error.token
        if token.type == "$END":
            return StError("syntax", max(token.line or 1, 1), 1, "the text ends in the middle")
        return StError("syntax", token.line or 1, token.column or 1, f"“{str(token)[:40]}” does not belong here")
    assert isinstance(error, UnexpectedCharacters)
    return StError("syntax", error.line, error.column, f"“{error.char}” does not belong here")


@cache
def _parser() -> Lark:
    # The basic lexer takes the longest word: one that begins as a keyword does is a name, wherever it stands.
    return Lark(GRAMMAR, parser="lalr", lexer="basic", transformer=_Trees(), propagate_positions=False)


def _whole(token: str) -> int:
    text = token.replace("_", "")
    base, _, digits = text.partition("#")
    return int(digits, int(base)) if digits else int(text)


def _milliseconds(token: Token) -> float:
    text = token.partition("#")[2].lower().replace("_", "")
    sign, text = (-1.0, text[1:]) if text.startswith("-") else (1.0, text)
    total, at = 0.0, 0
    while at < len(text):
        begins = at
        while at < len(text) and (text[at].isdigit() or text[at] == "."):
            at += 1
        figure, begins = text[begins:at], at
        while at < len(text) and text[at].isalpha():
            at += 1
        unit = text[begins:at]
        if not figure or unit not in _UNITS_MS or figure.count(".") > 1:
            raise StError("number", token.line or 1, token.column or 1, f"“{token}” is no duration")
        total += float(figure) * _UNITS_MS[unit]
    return sign * total


def _line(node: Any) -> int:
    return int(getattr(node, "line", 1) or 1)


@v_args(inline=True)
class _Trees(Transformer[Token, Any]):
    """Nodes as they are read, from the inside out: the reader calls these itself, so that nothing recurs."""

    def __init__(self) -> None:
        super().__init__(visit_tokens=False)

    # Expressions. Each is kept as (node, how deep) until it has its place.

    def literal(self, token: Token) -> tuple[Expression, int]:
        kind, line = token.type, _line(token)
        if kind in ("TRUE", "FALSE"):
            return Literal(kind == "TRUE", "BOOL", line, str(token)), 1
        if kind == "TIME":
            return Literal(_milliseconds(token), "TIME", line, str(token)), 1
        if kind == "TEXT":
            return Literal(str(token)[1:-1], "STRING", line, str(token)), 1
        if kind == "REAL":
            return Literal(float(token.replace("_", "")), "", line, str(token)), 1
        if kind == "TYPED":
            of, _, figure = token.partition("#")
            return _typed(of.upper(), figure, token), 1
        return Literal(_whole(token), "", line, str(token)), 1

    def group(self, x: tuple[Expression, int]) -> tuple[Expression, int]:
        return x

    def plus(self, _: Token, x: tuple[Expression, int]) -> tuple[Expression, int]:
        return x

    def unary(self, sign: Token, x: tuple[Expression, int]) -> tuple[Expression, int]:
        return Unary(str(sign).upper(), x[0], _line(sign)), _one_deeper(sign, x[1])

    def binary(self, a: tuple[Expression, int], sign: Token, b: tuple[Expression, int]) -> tuple[Expression, int]:
        said = "AND" if sign == "&" else str(sign).upper()
        return Binary(said, a[0], b[0], _line(sign)), _one_deeper(sign, max(a[1], b[1]))

    def function(self, name: Token, *arguments: tuple[Argument, int]) -> tuple[Expression, int]:
        deep = _one_deeper(name, max((d for _, d in arguments), default=0))
        return Function(str(name), tuple(a for a, _ in arguments), _line(name)), deep

    def by_place(self, x: tuple[Expression, int]) -> tuple[Argument, int]:
        return Argument("", x[0]), x[1]

    def by_name(self, name: Token, x: tuple[Expression, int]) -> tuple[Argument, int]:
        return Argument(str(name), x[0]), x[1]

    def taken(self, name: Token, x: tuple[Expression, int]) -> tuple[Argument, int]:
        return Argument(str(name), x[0], out=True), x[1]

    def reference(self, name: Token, *steps: Any) -> tuple[Reference, int]:
        parts: list[str | Expression] = []
        deep = 1
        for step in steps:
            if isinstance(step, Token):
                parts.append(str(step))
                continue
            parts += [x for x, _ in step]
            deep = max([deep, *(_one_deeper(name, d) for _, d in step)])
        return Reference(str(name), tuple(parts), _line(name)), deep

    def index(self, *expressions: tuple[Expression, int]) -> list[tuple[Expression, int]]:
        return list(expressions)

    # Statements, each as (node, how deep).

    def statements(self, *given: tuple[Any, int]) -> tuple[tuple[Any, ...], int]:
        return tuple(s for s, _ in given), max((d for _, d in given), default=0)

    def assign(self, target: tuple[Reference, int], value: tuple[Expression, int]) -> tuple[Assign, int]:
        return Assign(target[0], value[0], target[0].line), 1

    def call(self, target: tuple[Reference, int], *arguments: tuple[Argument, int]) -> tuple[Call, int]:
        return Call(target[0], tuple(a for a, _ in arguments), target[0].line), 1

    def if_(self, condition: Any, then: Any, *rest: Any) -> tuple[If, int]:
        branches, otherwise = [(condition[0], then[0])], ()
        deep = then[1]
        for kind, *of in rest:
            deep = max(deep, of[-1][1])
            if kind == "elsif":
                branches.append((of[0][0], of[1][0]))
            else:
                otherwise = of[0][0]
        line = condition[0].line
        return If(tuple(branches), otherwise, line), _one_deeper(condition[0], deep)

    def elsif(self, condition: Any, then: Any) -> tuple[str, Any, Any]:
        return "elsif", condition, then

    def else_(self, then: Any) -> tuple[str, Any]:
        return "else", then

    def case(self, of: Any, *rest: Any) -> tuple[Case, int]:
        choices, otherwise, deep = [], (), 0
        for one in rest:
            deep = max(deep, one[-1][1])
            if one[0] == "else":
                otherwise = one[1][0]
            else:
                choices.append((one[1], one[2][0]))
        return Case(of[0], tuple(choices), otherwise, of[0].line), _one_deeper(of[0], deep)

    def choice(self, *given: Any) -> tuple[str, tuple[tuple[int, int], ...], Any]:
        return "choice", tuple(given[:-1]), given[-1]

    def label(self, first: int, last: int | None = None) -> tuple[int, int]:
        return first, first if last is None else last

    def for_(self, variable: Any, first: Any, last: Any, *rest: Any) -> tuple[For, int]:
        by = rest[0][1] if len(rest) > 1 else None
        body = rest[-1]
        line = variable[0].line
        return For(variable[0], first[0], last[0], by, body[0], line), _one_deeper(variable[0], body[1])

    def by(self, x: Any) -> tuple[str, Expression]:
        return "by", x[0]

    def while_(self, condition: Any, body: Any) -> tuple[While, int]:
        return While(condition[0], body[0], condition[0].line), _one_deeper(condition[0], body[1])

    def repeat(self, body: Any, condition: Any) -> tuple[Until, int]:
        return Until(body[0], condition[0], condition[0].line), _one_deeper(condition[0], body[1])

    def exit(self, token: Token) -> tuple[Exit, int]:
        return Exit(_line(token)), 1

    def return_(self, token: Token) -> tuple[Return, int]:
        return Return(_line(token)), 1

    # Declarations.

    def named(self, name: Token) -> str:
        upper = str(name).upper()
        return upper if upper in ELEMENTARY else str(name)

    def string(self, *_: Token) -> str:
        return "STRING"

    def array(self, *given: Any) -> Array:
        *ranges, of = given
        out = of
        for low, high in reversed(ranges):
            if high < low or high - low >= MOST_ELEMENTS:
                raise StError("number", 1, 1, f"an array from {low} to {high}")
            out = Array(low, high, out)
        return out  # type: ignore[no-any-return]

    def range(self, low: int, high: int) -> tuple[int, int]:
        return low, high

    def bound(self, *given: Token) -> int:
        return -_whole(given[-1]) if len(given) > 1 else _whole(given[-1])

    def at(self, address: Token) -> tuple[str, str]:
        return "at", str(address)

    def initial(self, given: Any) -> tuple[str, Any]:
        return "initial", _folded(given[0]) if isinstance(given, tuple) else given[0]

    def listed(self, *given: tuple[str, Any]) -> Any:
        return [tuple(value for _, value in given)]

    def parts(self, *given: tuple[str, Any]) -> list[Any]:
        return [dict(given)]

    def part(self, name: Token, value: tuple[str, Any]) -> tuple[str, Any]:
        return str(name), value[1]

    def declaration(self, *given: Any) -> list[Variable]:
        names = [g for g in given if isinstance(g, Token)]
        rest = [g for g in given if not isinstance(g, Token)]
        address, initial, of = "", None, ""
        for one in rest:
            if isinstance(one, tuple) and one and one[0] == "at":
                address = one[1]
            elif isinstance(one, tuple) and one and one[0] == "initial":
                initial = one[1]
            else:
                of = one
        return [Variable(str(n), of, initial, "", False, address, _line(n)) for n in names]

    def vars(self, section: Token, *rest: Any) -> list[Variable]:
        constant = any(isinstance(r, Token) and r.type == "CONSTANT" for r in rest)
        out = []
        for declared in rest:
            if isinstance(declared, Token):
                continue
            for variable in declared:
                variable.section, variable.constant = str(section).upper(), constant
                out.append(variable)
        return out

    def globals(self, *rest: Any) -> tuple[str, list[Variable]]:
        return "globals", self.vars(Token("SECTION", "VAR_GLOBAL"), *rest)

    def task(self, *_: Any) -> tuple[str, list[Variable]]:
        """When programs are called is the controller's matter."""
        return "globals", []

    instance = task

    def resource(self, *given: Any) -> tuple[str, list[Variable]]:
        return "globals", [v for one in given if isinstance(one, tuple) for v in one[1]]

    configuration = resource

    def struct(self, name: Token, *declared: list[Variable]) -> Struct:
        return Struct(str(name), tuple(v for d in declared for v in d), _line(name))

    def structs(self, *given: Struct) -> tuple[str, list[Struct]]:
        return "structs", list(given)

    def program(self, name: Token, *rest: Any) -> Pou:
        return _pou("PROGRAM", name, "", rest)

    def block(self, name: Token, *rest: Any) -> Pou:
        return _pou("FUNCTION_BLOCK", name, "", rest)

    def function_unit(self, name: Token, returns: Any, *rest: Any) -> Pou:
        return _pou("FUNCTION", name, returns, rest)

    def start(self, *units: Any) -> Source:
        out = Source()
        for one in units:
            if isinstance(one, Pou):
                out.pous.append(one)
            elif one[0] == "globals":
                out.variables += one[1]
            else:
                out.structs += one[1]
        return out


for _rule in ("if", "else", "for", "while", "return"):
    setattr(_Trees, _rule, getattr(_Trees, f"{_rule}_"))


def _pou(kind: str, name: Token, returns: Any, rest: tuple[Any, ...]) -> Pou:
    *sections, body = rest
    return Pou(kind, str(name), returns, tuple(v for s in sections for v in s), body[0], _line(name))


def _typed(of: str, figure: str, token: Token) -> Literal:
    text = figure.upper().replace("_", "")
    if of == "BOOL":
        return Literal(text in ("TRUE", "1"), "BOOL", _line(token), str(token))
    if of in ("REAL", "LREAL"):
        return Literal(float(text), of, _line(token), str(token))
    sign, digits = (-1, text[1:]) if text.startswith("-") else (1, text.removeprefix("+"))
    try:
        return Literal(sign * _whole(digits), of, _line(token), str(token))
    except ValueError:
        raise StError("number", _line(token), token.column or 1, f"“{token}” is no {of}") from None


def _folded(x: Expression) -> Any:
    """A literal of an initial value, its sign taken in."""
    if isinstance(x, Unary) and x.sign == "-" and isinstance(x.x, Literal) and not isinstance(x.x.value, str):
        return Literal(-x.x.value, x.x.type, x.line, f"-{x.x.text}")
    return x


def _one_deeper(at: Any, deep: int) -> int:
    if deep >= DEEPEST:
        raise StError("too deep", _line(at), 1, f"more than {DEEPEST} brackets or statements in each other")
    return deep + 1
