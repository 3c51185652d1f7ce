"""C99 out of a library that was checked: a structure and a function for every block, globals, and a program to be called every
scan. Whole numbers wrap as they do in a controller, and every conversion is written.

What comes out compiles without a warning with -std=c99 -Wall -Wextra -Wconversion -Wdouble-promotion -Wshadow.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from canaleta.core.st.checking import Library, arguments_of
from canaleta.core.st.functions import conversion
from canaleta.core.st.kinds import BITS, INTEGERS, RANGES, REALS, Target, common
from canaleta.core.st.tree import (
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
    Initial,
    Literal,
    Pou,
    Reference,
    Statement,
    Type,
    Unary,
    Until,
    Variable,
    While,
)

__all__ = ["header_and_source"]

_TYPES = {
    "BOOL": "bool", "SINT": "int8_t", "INT": "int16_t", "DINT": "int32_t", "LINT": "int64_t", "USINT": "uint8_t", "UINT": "uint16_t",
    "UDINT": "uint32_t", "ULINT": "uint64_t", "BYTE": "uint8_t", "WORD": "uint16_t", "DWORD": "uint32_t", "LWORD": "uint64_t",
    "REAL": "float", "LREAL": "double",
}  # fmt: skip
_KEYWORDS = frozenset(
    [
        "auto",
        "bool",
        "break",
        "case",
        "char",
        "const",
        "continue",
        "default",
        "do",
        "double",
        "else",
        "enum",
        "extern",
        "false",
        "float",
        "for",
        "goto",
        "if",
        "inline",
        "int",
        "long",
        "register",
        "restrict",
        "return",
        "short",
        "signed",
        "sizeof",
        "static",
        "struct",
        "switch",
        "true",
        "typedef",
        "union",
        "unsigned",
        "void",
        "volatile",
        "while",
        "main",
        "self",
    ]
)
_SIGNS = {"=": "==", "<>": "!=", "<": "<", ">": ">", "<=": "<=", ">=": ">="}
_PRELUDE = """\
#include <math.h>
#include <stdbool.h>
#include <stdint.h>

"""
_ROUNDINGS = {
    "half to even": "nearbyint(x)",
    "half away from zero": "round(x)",
    "cut off": "trunc(x)",
}


def header_and_source(
    library: Library, program: Pou, target: Target, used: Iterable[str], comment: str = ""
) -> tuple[str, str]:
    """(header, source) of a program. used: names of blocks that it needs, those of the standard among them, in any order."""
    return _Writer(library, program, target).texts(_ordered(library, used), comment)


def _ordered(library: Library, used: Iterable[str]) -> list[Pou]:
    """Blocks with those that they hold before them."""
    out: dict[str, Pou] = {}

    def add(name: str) -> None:
        pou = library.pous[name.lower()]
        if pou.name.lower() in out:
            return
        for v in pou.variables:
            if isinstance(v.type, str) and library.block(v.type):
                add(v.type)
        out[pou.name.lower()] = pou

    for name in sorted(used):
        add(name)
    return list(out.values())


def _name(name: str) -> str:
    return f"{name}_" if name.lower() in _KEYWORDS else name


class _Writer:
    def __init__(self, library: Library, program: Pou, target: Target) -> None:
        self._library, self._program, self._target = library, program, target
        self._here: dict[str, Variable] = {}

    def _c(self, of: Type) -> str:
        if isinstance(of, Array):
            return self._c(of.of)
        if of in ("TIME", "LTIME"):
            return f"int{self._target.time_bits}_t"
        return _TYPES.get(of) or f"{self._library.pous[of.lower()].name}_t"

    def _declared(self, v: Variable) -> str:
        of, sizes = v.type, ""
        while isinstance(of, Array):
            sizes += f"[{of.length}]"
            of = of.of
        return f"{self._c(of)} {_name(v.name)}{sizes};"

    def texts(self, blocks: Sequence[Pou], comment: str) -> tuple[str, str]:
        program, library = self._program, self._library
        time = f"int{self._target.time_bits}_t"
        unit = program.name
        header = [
            f"/* {comment} */" if comment else "",
            f"#ifndef {unit.upper()}_H",
            f"#define {unit.upper()}_H",
            "",
            "#include <stdbool.h>",
            "#include <stdint.h>",
            "",
        ]
        header += [
            "/* Channels: filled before a scan, given out after it. Points: read by others, and written where they are outputs. */"
        ]
        for v in library.variables.values():
            at = f" /* {v.address} */" if v.address else ""
            header.append(f"extern {self._declared(v)}{at}")
        header += [
            "",
            "/* Once, before the first scan. */",
            f"void {unit}_begin(void);",
            "/* Every scan; now_ms: time, in milliseconds. */",
            f"void {unit}_scan({time} now_ms);",
            "",
            "#endif",
            "",
        ]
        out = [f'#include "{unit}.h"', "", _PRELUDE.rstrip(), "", f"static {time} ct_now_ms;", ""]
        out += self._conversions()
        for pou in blocks:
            out += self._block(pou)
        for v in library.variables.values():
            out.append(self._declared(v))
        out.append("")
        self._here = {v.name.lower(): v for v in program.variables if v.section != "VAR_EXTERNAL"}
        out += ["static struct {", *(f"  {self._declared(v)}" for v in self._here.values()), "} program_;", ""]
        out += [f"void {unit}_begin(void) {{"]
        for v in library.variables.values():
            out += self._begins(_name(v.name), v.type, v.initial)
        for v in self._here.values():
            out += self._begins(f"program_.{_name(v.name)}", v.type, v.initial)
        out += ["}", "", f"void {unit}_scan({time} now_ms) {{", "  ct_now_ms = now_ms;"]
        self._self = "program_."
        out += self._statements(program.body, 1)
        out += ["}", ""]
        return "\n".join(header), "\n".join(out)

    def _conversions(self) -> list[str]:
        """Reals to whole numbers: rounded as the target does, and held at the ends of the type."""
        out = []
        rounding = _ROUNDINGS[self._target.rounding]
        for of in ("INT", "UINT", "DINT", "UDINT"):
            low, high = RANGES[of]
            c = _TYPES[of]
            for name, how in ((f"to_{of}", rounding), (f"trunc_{of}", "trunc(x)")):
                out.append(
                    f"static inline {c} {name}(double x) {{ const double y = {how}; return y >= {high}.0 ? ({c}){high}{'U' if low == 0 else ''} : y > {low}.0 ? ({c})y : ({c})({low + 1 if low < 0 else low}{' - 1' if low < 0 else ''}); }}"
                )
        return [*out, ""]

    def _block(self, pou: Pou) -> list[str]:
        self._here = {v.name.lower(): v for v in pou.variables}
        self._self = "self->"
        out = ["typedef struct {", *(f"  {self._declared(v)}" for v in pou.variables), f"}} {pou.name}_t;", ""]
        out.append(f"static inline void {pou.name}_begin({pou.name}_t *self) {{")
        for v in pou.variables:
            out += self._begins(f"self->{_name(v.name)}", v.type, v.initial)
        out += ["}", "", f"static inline void {pou.name}_run({pou.name}_t *self) {{"]
        out += self._statements(pou.body, 1)
        return [*out, "}", ""]

    def _begins(self, place: str, of: Type, given: Initial | None) -> list[str]:
        if isinstance(of, Array):
            values = list(given) if isinstance(given, tuple) else []
            if not values and isinstance(of.of, str) and self._library.block(of.of) is None:
                nothing = self._literal(None, of.of)
                return [f"  for (int32_t k = 0; k < {of.length}; k++) {{ {place}[k] = {nothing}; }}"]
            return [
                line
                for k in range(of.length)
                for line in self._begins(f"{place}[{k}]", of.of, values[k] if k < len(values) else None)
            ]
        if self._library.block(of):
            return [f"  {self._library.pous[of.lower()].name}_begin(&{place});"]
        return [f"  {place} = {self._literal(given if isinstance(given, Literal) else None, of)};"]

    def _literal(self, x: Literal | None, of: Type) -> str:
        value = 0 if x is None else x.value
        if of == "BOOL":
            return "true" if value else "false"
        if of == "REAL":
            return f"{_digits(float(np.float32(value)), single=True)}f"
        if of == "LREAL":
            return _digits(float(value), single=False)
        whole = round(float(value)) if of in ("TIME", "LTIME") else int(value)
        if whole == -(1 << 31):
            return "(-2147483647 - 1)"
        if of in ("UDINT", "DWORD"):
            return f"{whole}U"
        long = "LL" if abs(whole) > 0x7FFFFFFF else ""
        return f"{whole}{long}"

    # Statements.

    def _statements(self, statements: Sequence[Statement], deep: int) -> list[str]:
        return [line for s in statements for line in self._statement(s, deep)]

    def _statement(self, s: Statement, deep: int) -> list[str]:
        pad = "  " * deep
        if isinstance(s, Assign):
            return self._assign(s, pad)
        if isinstance(s, Call):
            return self._call(s, pad)
        if isinstance(s, If):
            out = []
            for k, (condition, then) in enumerate(s.branches):
                word = "if" if k == 0 else "} else if"
                out += [f"{pad}{word} ({self._bare(condition)}) {{", *self._statements(then, deep + 1)]
            if s.otherwise:
                out += [f"{pad}}} else {{", *self._statements(s.otherwise, deep + 1)]
            return [*out, f"{pad}}}"]
        if isinstance(s, Case):
            out = [f"{pad}switch ({self._value(s.of)}) {{"]
            for labels, then in s.choices:
                out += [f"{pad}  case {n}:" for low, high in labels for n in range(low, high + 1)]
                out += [*self._statements(then, deep + 2), f"{pad}    break;"]
            return [
                *out,
                f"{pad}  default:",
                *self._statements(s.otherwise, deep + 2),
                f"{pad}    break;",
                f"{pad}}}",
            ]
        if isinstance(s, For):
            at, of = self._reference(s.variable), str(s.variable.type)
            by = self._as(s.by, of) if s.by else "1"
            return [
                f"{pad}for ({at} = {self._as(s.first, of)}; {at} <= {self._as(s.last, of)}; {at} = ({self._c(of)})({at} + {by})) {{",
                *self._statements(s.body, deep + 1), f"{pad}}}",
            ]  # fmt: skip
        if isinstance(s, While):
            return [f"{pad}while ({self._bare(s.condition)}) {{", *self._statements(s.body, deep + 1), f"{pad}}}"]
        if isinstance(s, Until):
            return [
                f"{pad}do {{",
                *self._statements(s.body, deep + 1),
                f"{pad}}} while (!{self._value(s.condition)});",
            ]
        return [f"{pad}break;" if isinstance(s, Exit) else f"{pad}return;"]

    def _assign(self, s: Assign, pad: str) -> list[str]:
        target = self._reference(s.target)
        of = s.target.type
        if isinstance(of, Array):
            source = self._value(s.value)
            return [f"{pad}for (int32_t k = 0; k < {of.length}; k++) {{ {target}[k] = {source}[k]; }}"]
        return [f"{pad}{target} = {_outer(self._as(s.value, of))};"]

    def _call(self, s: Call, pad: str) -> list[str]:
        block = self._library.block(s.target.type)
        assert block is not None
        instance = self._reference(s.target)
        members = {v.name.lower(): v for v in block.variables}
        inputs = [v for v in block.variables if v.section in ("VAR_INPUT", "VAR_IN_OUT")]
        before, after = [], []
        for name, value, out in arguments_of(s.arguments, inputs):
            v = members[name.lower()]
            if out:
                assert isinstance(value, Reference)
                after.append(f"{pad}{self._reference(value)} = {instance}.{_name(v.name)};")
            elif isinstance(v.type, Array):
                before.append(
                    f"{pad}for (int32_t k = 0; k < {v.type.length}; k++) {{ {instance}.{_name(v.name)}[k] = {self._value(value)}[k]; }}"
                )
            else:
                before.append(f"{pad}{instance}.{_name(v.name)} = {_outer(self._as(value, v.type))};")
        return [*before, f"{pad}{block.name}_run(&{instance});", *after]

    # Expressions.

    def _variable(self, name: str) -> tuple[Variable, str]:
        found = self._here.get(name.lower())
        if found is not None:
            return found, f"{self._self}{_name(found.name)}"
        known = self._library.variables[name.lower()]
        return known, _name(known.name)

    def _reference(self, x: Reference) -> str:
        found, text = self._variable(x.name)
        of: Type = found.type
        for step in x.steps:
            if isinstance(step, str):
                part = self._library.members(of)[step.lower()]
                text, of = f"{text}.{_name(part.name)}", part.type
            else:
                assert isinstance(of, Array)
                low = of.low
                at = self._as(step, "DINT")
                constant = isinstance(step, Literal) and isinstance(step.value, int)
                text += f"[{int(step.value) - low}]" if constant else f"[{at} - {low}]" if low else f"[{at}]"  # type: ignore[union-attr]
                of = of.of
        return text

    def _bare(self, x: Expression) -> str:
        return _outer(self._value(x))

    def _as(self, x: Expression | None, into: Type) -> str:
        """A value in another type, cast where the types differ."""
        assert x is not None
        if isinstance(x, Literal):
            return self._literal(x, into)
        text = self._value(x)
        return text if x.type == into or isinstance(into, Array) else f"({self._c(into)}){text}"

    def _value(self, x: Expression) -> str:
        if isinstance(x, Literal):
            return self._literal(x, x.type)
        if isinstance(x, Reference):
            return self._reference(x)
        if isinstance(x, Unary):
            inner = self._value(x.x)
            if x.sign == "NOT":
                return f"(!{inner})" if x.type == "BOOL" else f"(({self._c(x.type)})~{inner})"
            return f"(-{inner})" if x.type in REALS else f"(({self._c(x.type)})-{inner})"
        if isinstance(x, Function):
            return self._function(x)
        return self._binary(x)

    def _binary(self, x: Binary) -> str:
        if x.sign == "**":
            name = "powf" if x.type == "REAL" else "pow"
            return f"{name}({_outer(self._value(x.left))}, {_outer(self._as(x.right, x.left.type))})"
        both = x.left.type if x.left.type == x.right.type else common(x.left.type, x.right.type)
        a, b = self._as(x.left, both), self._as(x.right, both)
        if x.sign in _SIGNS:
            return f"({a} {_SIGNS[x.sign]} {b})"
        if both == "BOOL":
            return f"({a} {({'AND': '&&', 'OR': '||', 'XOR': '!='})[x.sign]} {b})"
        if both in BITS:
            return f"(({self._c(both)})({a} {({'AND': '&', 'OR': '|', 'XOR': '^'})[x.sign]} {b}))"
        if both in REALS:
            return f"({a} {x.sign} {b})"
        c = self._c(both)
        if x.sign in ("/", "MOD"):
            return f"(({c})({a} {'/' if x.sign == '/' else '%'} {b}))"
        # Signed numbers must not overflow in C; unsigned ones wrap, as a controller's do.
        wide = "uint64_t" if both in ("LINT", "ULINT") or self._c(both) == "int64_t" else "uint32_t"
        return f"(({c})(({wide}){a} {x.sign} ({wide}){b}))"

    def _function(self, x: Function) -> str:
        name = x.name.upper()
        values = [a.value for a in x.arguments]
        if name == "SCAN_TIME":
            return "ct_now_ms"
        if (pair := conversion(name)) is not None:
            of, into = pair
            inner = self._as(values[0], of)
            if into == "BOOL":
                return f"({inner} != 0)"
            if of in REALS and into in INTEGERS:
                return f"to_{into}({_outer(inner) if of == 'LREAL' else f'(double){inner}'})"
            return f"(({self._c(into)}){inner})"
        if name == "TRUNC":
            inner = self._value(values[0])
            return f"trunc_{x.type}({_outer(inner) if values[0].type == 'LREAL' else f'(double){inner}'})"
        if name in ("SHL", "SHR"):
            word, by = self._value(values[0]), self._as(values[1], "DINT")
            wide = "uint64_t" if values[0].type == "LWORD" else "uint32_t"
            return f"(({self._c(x.type)})(({wide}){word} {'<<' if name == 'SHL' else '>>'} {by}))"
        given = [self._as(v, x.type) for v in (values[1:] if name == "SEL" else values)]
        if name == "SEL":
            return f"({self._value(values[0])} ? {given[1]} : {given[0]})"
        if name == "LIMIT":
            low, at, high = given
            return f"({at} < {low} ? {low} : {at} > {high} ? {high} : {at})"
        if name in ("MIN", "MAX"):
            out = given[0]
            for one in given[1:]:
                out = f"({one} {'<' if name == 'MIN' else '>'} {out} ? {one} : {out})"
            return out
        single = "f" if x.type == "REAL" else ""
        plain = {"SQRT": "sqrt", "EXP": "exp", "LN": "log", "LOG": "log10", "SIN": "sin", "COS": "cos", "TAN": "tan"}
        if name == "ABS":
            return (
                f"fabs{single}({_outer(given[0])})"
                if x.type in REALS
                else f"({given[0]} < 0 ? ({self._c(x.type)})-{given[0]} : {given[0]})"
            )
        return f"{plain[name]}{single}({_outer(given[0])})"


def _outer(text: str) -> str:
    """A text without the brackets around all of it."""
    if not (text.startswith("(") and text.endswith(")")):
        return text
    deep = 0
    for k, c in enumerate(text):
        deep += (c == "(") - (c == ")")
        if deep == 0 and k < len(text) - 1:
            return text
    inner = text[1:-1]
    # A cast stands before its value.
    return text if inner in ("bool", *_TYPES.values()) else inner


def _digits(value: float, *, single: bool) -> str:
    x = np.float32(value) if single else np.float64(value)
    text = (
        np.format_float_positional(x, unique=True, trim="0")
        if value == 0 or 1e-4 <= abs(value) < 1e9
        else np.format_float_scientific(x, unique=True, trim="0")
    )
    return str(text)
