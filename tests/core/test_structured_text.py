"""Structured text: what the standard says of arithmetic, timers and names, and what a text may not do. Figures are the standard's or
worked out by hand."""

from __future__ import annotations

import random

import numpy as np
import pytest
import tree_sitter_iec61131_3_st
from tree_sitter import Language, Parser

from canaleta.core.st import StError, check, read
from canaleta.core.st.kinds import Target
from canaleta.core.st.reading import DEEPEST
from canaleta.core.st.running import Machine, Stumble

Lanes = dict[str, object]


def run(declared: str, body: str, target: Target | None = None, **given: object) -> tuple[Machine, Lanes]:
    """A program that was run once, and its variables."""
    library, problems = check([read(f"PROGRAM P VAR {declared} END_VAR {body} END_PROGRAM")])
    assert [p for p in problems if not p.compiles] == []
    machine = Machine(library, target)
    frame = machine.frame(library.pous["p"])
    frame.update(given)
    machine.run(library.pous["p"], frame)
    return machine, frame


def codes(text: str) -> list[str]:
    return [p.code for p in check([read(text)])[1]]


@pytest.mark.parametrize(
    ("expression", "is_"),
    [
        ("-7 / 2", -3),  # division goes to zero
        ("-7 MOD 2", -1),  # the rest has the dividend's sign
        ("7 MOD -2", 1),
        ("2 + 3 * 4", 14),
        ("(2 + 3) * 4", 20),
        ("10 - 4 - 3", 3),
        ("16#7F", 127),
        ("2#1010", 10),
    ],
)
def test_whole_numbers(expression: str, is_: int) -> None:
    assert run("X : INT;", f"X := {expression};")[1]["x"] == is_


def test_a_sign_binds_closer_than_a_power() -> None:
    assert run("X : REAL;", "X := -2.0 ** 2.0;")[1]["x"] == 4.0


def test_sixteen_bits_wrap() -> None:
    _, frame = run("X : INT := 32767; Y : INT := -32768; Z : UINT := 0;", "X := X + 1; Y := Y / -1; Z := Z - 1;")
    assert (frame["x"], frame["y"], frame["z"]) == (-32768, -32768, 65535)


def test_a_difference_of_counts_wraps_before_it_is_converted() -> None:
    """30000 − (−10000) is 40000, which no INT holds: convert first, then subtract."""
    _, frame = run(
        "A : INT := 30000; B : INT := -10000; X : REAL; Y : REAL;",
        "X := INT_TO_REAL(A - B); Y := INT_TO_REAL(A) - INT_TO_REAL(B);",
    )
    assert (frame["x"], frame["y"]) == (-25536.0, 40000.0)


@pytest.mark.parametrize(
    ("rounding", "of"),
    [
        ("half to even", [0, 2, 2, 0, -2]),
        ("half away from zero", [1, 2, 3, 0, -2]),
        ("cut off", [0, 1, 2, 0, -1]),
    ],
)
def test_a_half_is_rounded_as_the_target_does(rounding: str, of: list[int]) -> None:
    given = np.array([0.5, 1.5, 2.5, 0.49999997, -1.5], dtype=np.float32)
    _, frame = run("X : REAL; Y : INT;", "Y := REAL_TO_INT(X);", Target(rounding=rounding), x=given)  # type: ignore[arg-type]
    assert np.asarray(frame["y"]).tolist() == of


def test_a_real_that_does_not_fit_is_told_and_an_index_and_a_zero_too() -> None:
    machine, _ = run(
        "X : REAL := 40000.0; Y : INT; A : ARRAY [1..3] OF INT; K : INT := 4; D : INT;",
        "Y := REAL_TO_INT(X); Y := A[K]; Y := 1 / D; X := SQRT(-X);",
    )
    assert {code for code, _, _ in machine.faults} == {"conversion", "index", "division by zero", "root"}


def test_what_happens_in_other_lanes_is_nobodys_fault() -> None:
    x = np.array([-4.0, 9.0], dtype=np.float32)
    machine, frame = run("X : REAL; Y : REAL;", "IF X >= 0.0 THEN Y := SQRT(X); ELSE Y := -1.0; END_IF", x=x)
    assert np.asarray(frame["y"]).tolist() == [-1.0, 3.0]
    assert not machine.faults


def test_loops_lane_by_lane_and_together() -> None:
    n = np.array([0, 3, 5], dtype=np.int16)
    _, frame = run(
        "N : INT; K : INT; S : INT; A : ARRAY [1..4] OF INT;",
        "S := 0; K := N; WHILE K > 0 DO S := S + K; K := K - 1; END_WHILE"
        " FOR K := 1 TO 4 DO A[K] := K * K; END_FOR S := S + A[4]; REPEAT S := S + 1; UNTIL TRUE END_REPEAT",
        n=n,
    )
    assert np.asarray(frame["s"]).tolist() == [17, 23, 32]


def test_a_loop_without_an_end_is_not_run_for_ever() -> None:
    with pytest.raises(Stumble):
        run("K : INT;", "WHILE TRUE DO K := 1; END_WHILE")


def test_a_case_of_several_labels() -> None:
    n = np.array([1, 2, 4, 9], dtype=np.int16)
    _, frame = run("N : INT; R : INT;", "CASE N OF 1, 2: R := 10; 3..5: R := 20; ELSE R := 30; END_CASE", n=n)
    assert np.asarray(frame["r"]).tolist() == [10, 10, 20, 30]


def timed(block: str, pt: int, trains: list[int], step_ms: int = 10) -> list[int]:
    """Q of a timer at each scan."""
    library, _ = check(
        [
            read(
                f"PROGRAM P VAR X : BOOL; T : {block}; Q : BOOL; END_VAR T(IN := X, PT := T#{pt}ms, Q => Q); END_PROGRAM"
            )
        ]
    )
    machine = Machine(library)
    frame, out = machine.frame(library.pous["p"]), []
    for k, state in enumerate(trains):
        machine.now_ms = k * step_ms
        frame["x"] = np.bool_(state)
        machine.run(library.pous["p"], frame)
        out.append(int(frame["q"]))
    return out


def test_timers_as_the_standard_draws_them() -> None:
    """TON is on once its input has been on for its time; TOF stays on for its time after it (IEC 61131-3, figure 15)."""
    assert timed("TON", 30, [0, 1, 1, 0, 1, 1, 1, 1, 0]) == [0, 0, 0, 0, 0, 0, 0, 1, 0]
    assert timed("TOF", 30, [0, 1, 0, 0, 0, 0, 1, 0, 0]) == [0, 1, 1, 1, 1, 0, 1, 1, 1]
    assert timed("TON", 0, [0, 1, 0]) == [0, 1, 0]


def test_a_timer_goes_its_own_way_in_every_lane() -> None:
    library, _ = check(
        [read("PROGRAM P VAR X : BOOL; T : TON; END_VAR IF X THEN T(IN := TRUE, PT := T#20ms); END_IF END_PROGRAM")]
    )
    machine = Machine(library)
    frame = machine.frame(library.pous["p"])
    for k in range(4):
        machine.now_ms = 10 * k
        frame["x"] = np.array([True, False, k >= 2])
        machine.run(library.pous["p"], frame)
    assert np.asarray(frame["t"]["q"]).tolist() == [True, False, False]  # type: ignore[index]


def test_an_input_that_is_left_out_of_a_call_keeps_its_figure() -> None:
    library, _ = check(
        [
            read(
                "FUNCTION_BLOCK B VAR_INPUT A : INT := 5; C : INT; END_VAR VAR_OUTPUT Q : INT; END_VAR Q := A + C; END_FUNCTION_BLOCK PROGRAM P VAR X : B; R : INT; END_VAR X(C := 1); X(A := 7); R := X.Q; END_PROGRAM"
            )
        ]
    )
    machine = Machine(library)
    frame = machine.frame(library.pous["p"])
    machine.run(library.pous["p"], frame)
    assert frame["r"] == 8


def test_the_standards_counter_and_edges() -> None:
    library, _ = check(
        [
            read(
                "PROGRAM P VAR X : BOOL; C : CTU; R : R_TRIG; F : F_TRIG; N : INT; END_VAR C(CU := X, PV := 2); R(CLK := X); F(CLK := X); IF R.Q THEN N := N + 1; END_IF IF F.Q THEN N := N + 10; END_IF END_PROGRAM"
            )
        ]
    )
    machine = Machine(library)
    frame = machine.frame(library.pous["p"])
    for state in (0, 1, 1, 0, 1):
        frame["x"] = np.bool_(state)
        machine.run(library.pous["p"], frame)
    assert (int(frame["c"]["cv"]), bool(frame["c"]["q"]), int(frame["n"])) == (2, True, 12)


@pytest.mark.parametrize(
    ("body", "code"),
    [
        ("Y := 1;", "unknown name"),
        ("X := B;", "type"),
        ("X := D;", "narrowing"),
        ("X := 3.5;", "narrowing"),
        ("X := 40000;", "narrowing"),
        ("X := X / 2;", "integer division"),
        ("X := A[9];", "bound"),
        ("FOR X := 0 TO 8 DO A[X] := 1; END_FOR", "bound"),
        ("FOR X := 1 TO 32767 DO B := TRUE; END_FOR", "loop bound"),
        ("T(IM := B);", "no input"),
        ("U(IN := B);", "unknown name"),
        ("X := HALF(X);", "unknown name"),
        ("K := 3;", "not writable"),
        ("X := B + X;", "type"),
        ("IF X THEN B := TRUE; END_IF", "type"),
    ],
)
def test_what_is_wrong_is_told(body: str, code: str) -> None:
    declared = "VAR X : INT; D : DINT; B : BOOL; A : ARRAY [1..8] OF INT; T : TON; END_VAR VAR CONSTANT K : INT := 2; END_VAR"
    assert code in codes(f"PROGRAM P {declared} {body} END_PROGRAM")


def test_a_name_twice_and_a_type_that_is_not_there() -> None:
    assert "twice" in codes("PROGRAM P VAR X : INT; x : REAL; END_VAR END_PROGRAM")
    assert "unknown type" in codes("PROGRAM P VAR X : Nothing; END_VAR END_PROGRAM")


@pytest.mark.parametrize(
    ("text", "code", "line"),
    [
        ("PROGRAM P\nX := ;\nEND_PROGRAM", "syntax", 2),
        ("PROGRAM P\nX := 1;", "syntax", 2),
        ("PROGRAM P (* never closed", "syntax", 1),
        ("PROGRAM P\n\nX := T#3parsecs; END_PROGRAM", "syntax", 3),
        ("€", "syntax", 1),
        (f"PROGRAM P X := {'NOT ' * 200}TRUE; END_PROGRAM", "too deep", 1),
        (f"PROGRAM P {'IF A THEN ' * 200} {'END_IF ' * 200} END_PROGRAM", "too deep", 1),
    ],
)
def test_a_text_that_cannot_be_read_says_where(text: str, code: str, line: int) -> None:
    with pytest.raises(StError) as error:
        read(text)
    assert (error.value.code, error.value.line) == (code, line)


def test_brackets_alone_are_not_deep() -> None:
    assert DEEPEST < 500
    read(f"PROGRAM P X := {'(' * 500}1{')' * 500}; END_PROGRAM")


def _random_program(rng: random.Random) -> str:
    def number() -> str:
        return rng.choice(["1.5", "2.0", "0.25", "-3.0", "A", "B", "C"])

    def expression(deep: int) -> str:
        if not deep:
            return number()
        kind = rng.randrange(5)
        inner = expression(deep - 1)
        if kind == 0:
            return f"({inner} {rng.choice('+-*')} {expression(deep - 1)})"
        if kind == 1:
            return f"ABS({inner})"
        if kind == 2:
            return f"LIMIT(-10.0, {inner}, 10.0)"
        if kind == 3:
            return f"SEL({inner} > {number()}, {inner}, {number()})"
        return f"MAX({inner}, {expression(deep - 1)})"

    lines = []
    for _ in range(rng.randrange(2, 7)):
        target = rng.choice("ABC")
        line = f"{target} := {expression(rng.randrange(4))};"
        if rng.random() < 0.4:
            line = f"IF {expression(1)} <= {number()} THEN {line} ELSE B := {number()}; END_IF"
        lines.append(line)
    return (
        "PROGRAM P VAR A : LREAL := 1.0; B : LREAL; C : LREAL := -2.0; END_VAR\n"
        + "\n".join(lines)
        + "\nEND_PROGRAM\n"
    )


def test_a_reader_by_other_hands_takes_what_ours_takes_and_refuses_what_ours_refuses() -> None:
    other = Parser(Language(tree_sitter_iec61131_3_st.language()))
    rng = random.Random(61131)
    refused = 0
    for _ in range(150):
        text = _random_program(rng)
        read(text)
        assert not other.parse(text.encode()).root_node.has_error, text
        # One character of the body gone: what ours refuses, or both take.
        at = rng.randrange(text.index("\n") + 1, text.rindex("\nEND"))
        spoiled = text[:at] + text[at + 1 :]
        try:
            read(spoiled)
        except StError:
            refused += 1
            continue
        assert not other.parse(spoiled.encode()).root_node.has_error, spoiled
    assert refused > 20


def test_lanes_are_run_as_each_alone_would_be() -> None:
    rng = random.Random(7)
    values = np.array([-3.0, -0.5, 0.0, 0.5, 1.5, 8.0])
    for _ in range(40):
        library, problems = check([read(_random_program(rng))])
        assert problems == []
        machine, pou = Machine(library), library.pous["p"]
        together = machine.frame(pou)
        together["a"] = values
        machine.run(pou, together)
        for k, one in enumerate(values):
            alone = machine.frame(pou)
            alone["a"] = np.float64(one)
            machine.run(pou, alone)
            for name in "abc":
                assert np.broadcast_to(together[name], values.shape)[k] == alone[name]
