"""Running units over many values at once: one run is as many lanes as there are values, all of them one scan.

A variable is a NumPy scalar where all lanes agree, else an array (lanes,). What happens in some lanes alone happens under a
mask. What a controller would stumble over (a division by zero, an index beyond its array, a conversion that does not fit) is
kept with its place, and counts only where it happens in a lane that is there.
"""

from __future__ import annotations

import contextlib
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from canaleta.core.st.checking import Library, arguments_of
from canaleta.core.st.functions import conversion
from canaleta.core.st.kinds import BITS, DTYPES, INTEGERS, RANGES, REALS, Target, common
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
    While,
)

__all__ = ["Machine", "Stumble"]

Value = Any
Frame = dict[str, Any]
Mask = NDArray[np.bool_] | None
Eval = Callable[[Frame], Value]
Do = Callable[[Frame, Mask], None]
MOST_ROUNDS = 200_000
_UNIT = "__unit__"


class Stumble(ValueError):
    """What cannot be run at all: a loop without an end, or leaving one in some lanes alone."""


class _ExitLoop(Exception):
    """EXIT, where all lanes leave together."""


class _Leave(Exception):
    """RETURN, where all lanes leave together."""


class Machine:
    """Units of a library, run for a target. now_ms: the time of the scan. faults: {(code, unit, line): in how many lanes}."""

    def __init__(self, library: Library, target: Target | None = None, *, with_globals: bool = True) -> None:
        self.library, self.target = library, target or Target()
        self.now_ms = 0
        self.faults: Counter[tuple[str, str, int]] = Counter()
        self._mask: Mask = None
        self._bodies: dict[str, Do] = {}
        self.variables: Frame = {}
        if with_globals:
            self.variables = {name: self.begin(v.type, v.initial) for name, v in library.variables.items()}

    # Variables.

    def frame(self, pou: Pou) -> Frame:
        """A unit's variables as they begin."""
        out: Frame = {_UNIT: pou.name}
        for v in pou.variables:
            if v.section != "VAR_EXTERNAL":
                out[v.name.lower()] = self.begin(v.type, v.initial)
        if pou.kind == "FUNCTION":
            out[pou.name.lower()] = self.begin(pou.returns, None)
        return out

    def begin(self, of: Type, given: Initial | None) -> Value:
        """What a variable of a type begins with."""
        if isinstance(of, Array):
            values = list(given) if isinstance(given, tuple) else []
            one = [self.begin(of.of, values[k] if k < len(values) else None) for k in range(of.length)]
            return np.array(one) if isinstance(of.of, str) and of.of in DTYPES else one
        if of in DTYPES:
            return _scalar(of, given.value if isinstance(given, Literal) else 0)
        if of == "STRING":
            return given.value if isinstance(given, Literal) else ""
        parts = {name.lower(): value for name, value in given.items()} if isinstance(given, dict) else {}
        members = self.library.members(of)
        if not members:
            raise Stumble(f"there is no type {of}")
        return {
            _UNIT: of,
            **{name: self.begin(v.type, parts.get(name, v.initial)) for name, v in members.items()},
        }

    def run(self, pou: Pou, frame: Frame) -> None:
        """One scan of a unit."""
        with np.errstate(all="ignore"), contextlib.suppress(_Leave):
            self._body(pou)(frame, None)

    def prepared(self, statements: Sequence[Statement], unit: str) -> Callable[[Frame], None]:
        """Some statements of a unit, to be run again and again."""
        do = _block([self._statement(s, unit) for s in statements])

        def run(frame: Frame) -> None:
            with np.errstate(all="ignore"):
                do(frame, None)

        return run

    def _body(self, pou: Pou) -> Do:
        key = pou.name.lower()
        if key not in self._bodies:
            self._bodies[key] = _block([self._statement(s, pou.name) for s in pou.body])
        return self._bodies[key]

    def _fault(self, code: str, unit: str, line: int, where: Value) -> None:
        hit = np.asarray(where)
        if self._mask is not None:
            hit = hit & self._mask
        count = int(np.count_nonzero(hit))
        if count:
            self.faults[code, unit, line] += count

    # Statements.

    def _statement(self, s: Statement, unit: str) -> Do:
        if isinstance(s, Assign):
            return self._assign(s.target, self._as(s.value, s.target.type, unit), unit)
        if isinstance(s, Call):
            return self._call(s, unit)
        if isinstance(s, If):
            return self._if(s, unit)
        if isinstance(s, Case):
            return self._case(s, unit)
        if isinstance(s, For):
            return self._for(s, unit)
        if isinstance(s, While):
            return self._loop(self._eval(s.condition, unit), s.body, unit, s.line, first=False)
        if isinstance(s, Until):
            ends = self._eval(s.condition, unit)
            return self._loop(lambda f: np.logical_not(ends(f)), s.body, unit, s.line, first=True)
        return _leaves(_ExitLoop if isinstance(s, Exit) else _Leave)

    def _assign(self, target: Reference, value: Eval, unit: str) -> Do:
        place = self._place(target, unit)

        def do(f: Frame, mask: Mask) -> None:
            given = value(f)
            holder, key = place(f)
            if isinstance(holder, _Element):
                holder.put(given, mask)
            elif mask is None:
                holder[key] = given
            else:
                holder[key] = np.where(mask, given, holder[key])

        return do

    def _place(self, x: Reference, unit: str) -> Callable[[Frame], tuple[Any, Any]]:
        """Where a reference points: the frame that holds it and its name there."""
        name = x.name.lower()
        variables = self.variables

        def root(f: Frame) -> tuple[Any, Any]:
            return (f if name in f else variables), name

        place: Callable[[Frame], tuple[Any, Any]] = root
        for step in x.steps:
            before = place
            if isinstance(step, str):
                place = _part(before, step.lower())
            else:
                place = self._element(before, step, x, unit)
        return place

    def _element(
        self, before: Callable[[Frame], tuple[Any, Any]], step: Expression, x: Reference, unit: str
    ) -> Callable[[Frame], tuple[Any, Any]]:
        index, line = self._eval(step, unit), x.line
        low = self._low_of(x, step, unit)

        def place(f: Frame) -> tuple[Any, Any]:
            holder, key = before(f)
            inside = holder.get() if isinstance(holder, _Element) else holder[key]
            at = np.asarray(index(f)).astype(np.int64) - low
            length = len(inside)
            beyond = (at < 0) | (at >= length)
            if beyond.any():
                self._fault("index", unit, line, beyond)
                at = np.clip(at, 0, length - 1)
            if isinstance(inside, list):
                if at.ndim:
                    raise Stumble(f"{unit}, line {line}: another element in every lane of an array of blocks")
                return inside, int(at)
            return _Element(holder, key, inside, at), None

        return place

    def _low_of(self, x: Reference, step: Expression, unit: str) -> int:
        """The lower bound of the array that an index goes into."""
        of = self._declared(x.name, unit)
        for one in x.steps:
            if one is step:
                break
            of = self.library.members(of)[one.lower()].type if isinstance(one, str) else of.of  # type: ignore[union-attr]
        if not isinstance(of, Array):
            raise Stumble(f"{unit}, line {x.line}: {x.written} is no array")
        return of.low

    def _declared(self, name: str, unit: str) -> Type:
        pou = self.library.pous.get(unit.lower())
        for v in pou.variables if pou else ():
            if v.name.lower() == name.lower() and v.section != "VAR_EXTERNAL":
                return v.type
        if pou and pou.kind == "FUNCTION" and pou.name.lower() == name.lower():
            return pou.returns
        found = self.library.variables.get(name.lower())
        if found is None:
            raise Stumble(f"{unit}: {name} is not declared")
        return found.type

    def _call(self, s: Call, unit: str) -> Do:
        of = s.target.type or self._declared(s.target.name, unit)
        block = self.library.block(of)
        if block is None:
            raise Stumble(f"{unit}, line {s.line}: {s.target.written} cannot be called")
        members = {v.name.lower(): v for v in block.variables}
        inputs = [v for v in block.variables if v.section in ("VAR_INPUT", "VAR_IN_OUT")]
        given: list[tuple[str, Eval]] = []
        taken: list[tuple[Do]] = []
        instance = self._place(s.target, unit)
        for name, value, out in arguments_of(s.arguments, inputs):
            found = members[name.lower()]
            if out:
                assert isinstance(value, Reference)
                key = name.lower()
                source = _taken(instance, key)
                taken.append((self._assign(value, source, unit),))
            else:
                given.append((name.lower(), self._as(value, found.type, unit)))
        owner: list[Do] = []

        def do(f: Frame, mask: Mask) -> None:
            if not owner:
                owner.append(self._body(block))
            holder, key = instance(f)
            inner = holder[key]
            values = [(name, value(f)) for name, value in given]
            for name, new in values:
                inner[name] = (
                    new if mask is None or isinstance(new, list | dict) else np.where(mask, new, inner[name])
                )
            with contextlib.suppress(_Leave):
                owner[0](inner, mask)
            for (one,) in taken:
                one(f, mask)

        return do

    def _if(self, s: If, unit: str) -> Do:
        branches = [(self._eval(c, unit), _block([self._statement(x, unit) for x in then])) for c, then in s.branches]
        otherwise = _block([self._statement(x, unit) for x in s.otherwise])

        def do(f: Frame, mask: Mask) -> None:
            left = mask
            for condition, then in branches:
                before, self._mask = self._mask, left
                holds = np.asarray(condition(f), dtype=bool)
                self._mask = before
                if not holds.ndim or holds.all() or not holds.any():
                    if bool(holds.flat[0]) if holds.ndim else bool(holds):
                        return self._under(then, f, left)
                    continue
                both = holds if left is None else holds & left
                if both.any():
                    self._under(then, f, both)
                left = ~holds if left is None else left & ~holds
                if not left.any():
                    return None
            return self._under(otherwise, f, left)

        return do

    def _under(self, then: Do, f: Frame, mask: Mask) -> None:
        before, self._mask = self._mask, mask
        try:
            then(f, mask)
        finally:
            self._mask = before

    def _case(self, s: Case, unit: str) -> Do:
        of = self._eval(s.of, unit)
        choices = [(labels, _block([self._statement(x, unit) for x in then])) for labels, then in s.choices]
        otherwise = _block([self._statement(x, unit) for x in s.otherwise])

        def do(f: Frame, mask: Mask) -> None:
            value = np.asarray(of(f)).astype(np.int64)
            left = np.ones(value.shape, dtype=bool) if mask is None else mask & np.ones(value.shape, dtype=bool)
            for labels, then in choices:
                hit = np.zeros(value.shape, dtype=bool)
                for low, high in labels:
                    hit |= (value >= low) & (value <= high)
                both = hit & left
                if both.any():
                    self._under(
                        then,
                        f,
                        None
                        if mask is None and both.all()
                        else np.broadcast_to(both, both.shape)
                        if both.ndim
                        else None,
                    )
                left = left & ~hit
            if left.any():
                self._under(otherwise, f, None if (mask is None and left.all()) or not left.ndim else left)

        return do

    def _for(self, s: For, unit: str) -> Do:
        of = s.variable.type if isinstance(s.variable.type, str) else "DINT"
        first, last = self._as(s.first, of, unit), self._as(s.last, of, unit)
        by = self._as(s.by, of, unit) if s.by else None
        body = _block([self._statement(x, unit) for x in s.body])
        place = self._place(s.variable, unit)
        least, most = RANGES[of]

        def do(f: Frame, mask: Mask) -> None:
            begin, end = np.asarray(first(f)), np.asarray(last(f))
            step = np.asarray(by(f)) if by else np.asarray(1)
            if begin.ndim or end.ndim or step.ndim:
                raise Stumble(f"{unit}, line {s.line}: a loop with other bounds in every lane")
            at, stop, width, rounds = int(begin), int(end), int(step), 0
            while width and ((at <= stop) if width > 0 else (at >= stop)):
                holder, key = place(f)
                holder[key] = _scalar(of, at)
                try:
                    body(f, mask)
                except _ExitLoop:
                    break
                at, rounds = at + width, rounds + 1
                if not least <= at <= most or rounds > MOST_ROUNDS:
                    self._fault("endless", unit, s.line, np.array(True))
                    raise Stumble(f"{unit}, line {s.line}: the loop does not end")
            if not width:
                raise Stumble(f"{unit}, line {s.line}: the loop does not end")
            holder, key = place(f)
            holder[key] = _scalar(of, at)

        return do

    def _loop(self, condition: Eval, statements: Sequence[Statement], unit: str, line: int, first: bool) -> Do:
        body = _block([self._statement(x, unit) for x in statements])

        def do(f: Frame, mask: Mask) -> None:
            active, again = mask, first
            for _ in range(MOST_ROUNDS):
                if not again:
                    before, self._mask = self._mask, active
                    holds = np.asarray(condition(f), dtype=bool)
                    self._mask = before
                    if active is not None:
                        active = active & holds
                        if not active.any():
                            return
                    elif not holds.ndim or holds.all() or not holds.any():
                        if not bool(holds.flat[0] if holds.ndim else holds):
                            return
                    else:
                        active = holds
                again = False
                try:
                    self._under(body, f, active)
                except _ExitLoop:
                    return
            self._fault("endless", unit, line, np.array(True))
            raise Stumble(f"{unit}, line {line}: the loop does not end")

        return do

    # Expressions.

    def _as(self, x: Expression, into: Type, unit: str) -> Eval:
        """An expression in the type of what takes it; what does not fit wraps, as it does in a controller."""
        if isinstance(x, Literal) and isinstance(into, str) and into in DTYPES:
            constant = _scalar(into, x.value)
            return lambda f: constant
        value = self._eval(x, unit)
        of = x.type
        if of == into or not isinstance(into, str) or into not in DTYPES or not isinstance(of, str):
            return value
        return _cast(value, of, into)

    def _eval(self, x: Expression, unit: str) -> Eval:
        if isinstance(x, Literal):
            if x.type == "STRING":
                return lambda f: x.value
            constant = _scalar(x.type if isinstance(x.type, str) and x.type in DTYPES else "DINT", x.value)
            return lambda f: constant
        if isinstance(x, Reference):
            return self._read(x, unit)
        if isinstance(x, Unary):
            inner = self._eval(x.x, unit)
            return (lambda f: np.invert(inner(f))) if x.sign == "NOT" else (lambda f: np.negative(inner(f)))
        if isinstance(x, Function):
            return self._function(x, unit)
        return self._binary(x, unit)

    def _read(self, x: Reference, unit: str) -> Eval:
        name = x.name.lower()
        if not x.steps:
            variables = self.variables
            return lambda f: f[name] if name in f else variables[name]
        place = self._place(x, unit)

        def value(f: Frame) -> Value:
            holder, key = place(f)
            return holder.get() if isinstance(holder, _Element) else holder[key]

        return value

    def _binary(self, x: Binary, unit: str) -> Eval:
        sign = x.sign
        if sign == "**":
            of = x.left.type
            a, b = self._eval(x.left, unit), self._as(x.right, of, unit)
            return lambda f: np.power(a(f), b(f))
        both = common(x.left.type, x.right.type) if x.left.type != x.right.type else x.left.type
        a, b = self._as(x.left, both, unit), self._as(x.right, both, unit)
        simple = _SIGNS.get(sign)
        if simple is not None:
            return lambda f: simple(a(f), b(f))
        line = x.line
        if both in REALS:

            def over(f: Frame) -> Value:
                divisor = b(f)
                zero = divisor == 0
                if np.any(zero):
                    self._fault("division by zero", unit, line, zero)
                return np.divide(a(f), divisor)

            return over
        dtype = DTYPES[str(both)]

        def whole(f: Frame) -> Value:
            divisor = np.asarray(b(f)).astype(np.int64)
            zero = divisor == 0
            if np.any(zero):
                self._fault("division by zero", unit, line, zero)
                divisor = np.where(zero, 1, divisor)
            dividend = np.asarray(a(f)).astype(np.int64)
            rest = np.fmod(dividend, divisor)
            # Division goes to zero, and the rest has the dividend's sign.
            out = rest if sign == "MOD" else (dividend - rest) // divisor
            return out.astype(dtype)[()]

        return whole

    def _function(self, x: Function, unit: str) -> Eval:
        name = x.name.upper()
        if (pair := conversion(name)) is not None:
            return self._conversion(self._as(x.arguments[0].value, pair[0], unit), *pair, unit, x.line)
        if name == "SCAN_TIME":
            return lambda f: np.int64(self.now_ms)
        user = self.library.pous.get(x.name.lower())
        if user is not None and user.kind == "FUNCTION":
            return self._own_function(x, user, unit)
        values = [a.value for a in x.arguments]
        if name == "SEL":
            which = self._eval(values[0], unit)
            no, yes = (self._as(v, x.type, unit) for v in values[1:])
            return lambda f: np.asarray(np.where(which(f), yes(f), no(f)))[()]
        if name in ("SHL", "SHR"):
            a, by = self._eval(values[0], unit), self._eval(values[1], unit)
            shift = np.left_shift if name == "SHL" else np.right_shift

            def shifted(f: Frame) -> Value:
                word = a(f)
                return shift(word, np.asarray(by(f)).astype(np.asarray(word).dtype))

            return shifted
        given = [self._as(v, x.type if name != "TRUNC" else v.type, unit) for v in values]
        if name == "TRUNC":
            return self._conversion(given[0], str(values[0].type), str(x.type), unit, x.line, cut=True)
        if name == "LIMIT":
            low, at, high = given
            return lambda f: np.minimum(np.maximum(at(f), low(f)), high(f))
        if name in ("MIN", "MAX"):
            pick = np.minimum if name == "MIN" else np.maximum

            def picked(f: Frame) -> Value:
                out = given[0](f)
                for one in given[1:]:
                    out = pick(out, one(f))
                return out

            return picked
        only, plain = given[0], _PLAIN[name]
        if name in ("SQRT", "LN", "LOG"):

            def guarded(f: Frame) -> Value:
                inside = only(f)
                wrong = inside < 0 if name == "SQRT" else inside <= 0
                if np.any(wrong):
                    self._fault("root" if name == "SQRT" else "logarithm", unit, x.line, wrong)
                return plain(inside)

            return guarded
        return lambda f: plain(only(f))

    def _own_function(self, x: Function, user: Pou, unit: str) -> Eval:
        inputs = [v for v in user.variables if v.section == "VAR_INPUT"]
        types = {v.name.lower(): v.type for v in inputs}
        given = [
            (name.lower(), self._as(value, types[name.lower()], unit))
            for name, value, _ in arguments_of(x.arguments, inputs)
        ]

        def value(f: Frame) -> Value:
            inner = self.frame(user)
            for name, one in given:
                inner[name] = one(f)
            with contextlib.suppress(_Leave):
                self._body(user)(inner, None)
            return inner[user.name.lower()]

        return value

    def _conversion(self, value: Eval, of: str, into: str, unit: str, line: int, cut: bool = False) -> Eval:
        dtype = DTYPES[into]
        if into == "BOOL":
            return lambda f: np.asarray(value(f)) != 0
        if of in REALS and into in RANGES:
            least, most = RANGES[into]
            rounding = "cut off" if cut else self.target.rounding

            def rounded(f: Frame) -> Value:
                x = np.asarray(value(f)).astype(np.float64)
                if rounding == "half to even":
                    whole = np.rint(x)
                elif rounding == "cut off":
                    whole = np.trunc(x)
                else:
                    # Adding a half and cutting off makes 1 of 0.49999997: what is left over decides.
                    cut_off = np.trunc(x)
                    whole = cut_off + np.where(np.abs(x - cut_off) >= 0.5, np.sign(x), 0.0)
                bad = ~((whole >= least) & (whole <= most))
                if np.any(bad):
                    self._fault("conversion", unit, line, bad)
                    whole = np.where(bad, least, whole)
                return whole.astype(np.int64 if most < 1 << 63 else np.uint64).astype(dtype)[()]

            return rounded
        if of in RANGES and into in INTEGERS and of not in BITS:
            least, most = RANGES[into]

            def narrowed(f: Frame) -> Value:
                x = np.asarray(value(f))
                bad = (x < least) | (x > most)
                if np.any(bad):
                    self._fault("conversion", unit, line, bad)
                return x.astype(dtype)[()]

            return narrowed
        return _cast(value, of, into)


class _Element:
    """One element of an array, another one in every lane if need be."""

    __slots__ = ("_array", "_at", "_holder", "_key")

    def __init__(self, holder: Any, key: Any, array: NDArray[Any], at: NDArray[np.int64]) -> None:
        self._holder, self._key, self._array, self._at = holder, key, array, at

    def get(self) -> Value:
        if not self._at.ndim or self._array.ndim == 1:
            return self._array[self._at]
        return self._array[self._at, np.arange(self._array.shape[1])]

    def put(self, value: Value, mask: Mask) -> None:
        array = self._array
        given = np.asarray(value)
        lanes = max((len(x) for x in (given, self._at, mask) if x is not None and np.ndim(x)), default=0)
        if lanes and array.ndim == 1:
            array = np.repeat(array[:, None], lanes, axis=1)
        else:
            array = array.copy()
        if array.ndim == 1:
            array[self._at] = given
        elif self._at.ndim:
            lane = np.arange(array.shape[1])
            array[self._at, lane] = given if mask is None else np.where(mask, given, array[self._at, lane])
        else:
            array[self._at] = given if mask is None else np.where(mask, given, array[self._at])
        if isinstance(self._holder, _Element):
            raise Stumble("arrays in arrays are not run")
        self._holder[self._key] = array


_SIGNS: dict[str, Callable[[Value, Value], Value]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "=": np.equal,
    "<>": np.not_equal,
    "<": np.less,
    ">": np.greater,
    "<=": np.less_equal,
    ">=": np.greater_equal,
    "AND": np.bitwise_and,
    "OR": np.bitwise_or,
    "XOR": np.bitwise_xor,
}
_PLAIN: dict[str, Callable[[Value], Value]] = {
    "ABS": np.abs,
    "SQRT": np.sqrt,
    "EXP": np.exp,
    "LN": np.log,
    "LOG": np.log10,
    "SIN": np.sin,
    "COS": np.cos,
    "TAN": np.tan,
}


def _scalar(of: str, value: Any) -> Value:
    """A value of a type; whole numbers that do not fit wrap."""
    if of in RANGES:
        bits = 64 if RANGES[of][1] >= 1 << 62 else RANGES[of][1].bit_length() + (RANGES[of][0] < 0)
        whole = int(value) & ((1 << bits) - 1)
        if RANGES[of][0] < 0 and whole >> (bits - 1):
            whole -= 1 << bits
        return np.dtype(DTYPES[of]).type(whole)
    if of in ("TIME", "LTIME"):
        return np.int64(round(value))
    return np.dtype(DTYPES[of]).type(value)


def _cast(value: Eval, of: str, into: str) -> Eval:
    dtype = DTYPES[into]
    if of in REALS and into in RANGES:
        return lambda f: np.trunc(np.asarray(value(f))).astype(np.int64).astype(dtype)[()]
    return lambda f: np.asarray(value(f)).astype(dtype)[()]


def _part(before: Callable[[Frame], tuple[Any, Any]], name: str) -> Callable[[Frame], tuple[Any, Any]]:
    def place(f: Frame) -> tuple[Any, Any]:
        holder, key = before(f)
        return holder[key], name

    return place


def _taken(instance: Callable[[Frame], tuple[Any, Any]], key: str) -> Eval:
    def value(f: Frame) -> Value:
        holder, name = instance(f)
        return holder[name][key]

    return value


def _leaves(how: type[Exception]) -> Do:
    def do(f: Frame, mask: Mask) -> None:
        if mask is not None and not mask.all():
            raise Stumble("leaving a loop or a unit in some lanes alone is not run")
        raise how

    return do


def _block(statements: Iterable[Do]) -> Do:
    every = tuple(statements)
    if len(every) == 1:
        return every[0]

    def do(f: Frame, mask: Mask) -> None:
        for one in every:
            one(f, mask)

    return do
