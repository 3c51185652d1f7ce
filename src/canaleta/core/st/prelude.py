"""The standard's function blocks (IEC 61131-3:2013, tables 43 to 46), written in the language itself, so that they run and become C
as every other block does."""

from __future__ import annotations

from functools import cache

from canaleta.core.st.reading import read
from canaleta.core.st.tree import Source

__all__ = ["PRELUDE", "prelude"]

PRELUDE = """
FUNCTION_BLOCK TON
VAR_INPUT IN : BOOL; PT : TIME; END_VAR
VAR_OUTPUT Q : BOOL; ET : TIME; END_VAR
VAR Since : TIME; Was : BOOL; END_VAR
IF IN THEN
  IF NOT Was THEN Since := SCAN_TIME(); END_IF
  ET := SCAN_TIME() - Since;
  Q := ET >= PT;
  IF Q THEN ET := PT; END_IF
ELSE
  Q := FALSE;
  ET := T#0ms;
END_IF
Was := IN;
END_FUNCTION_BLOCK

FUNCTION_BLOCK TOF
VAR_INPUT IN : BOOL; PT : TIME; END_VAR
VAR_OUTPUT Q : BOOL; ET : TIME; END_VAR
VAR Since : TIME; Was : BOOL; END_VAR
IF IN THEN
  Q := TRUE;
  ET := T#0ms;
ELSE
  IF Was THEN Since := SCAN_TIME(); END_IF
  IF Q THEN
    ET := SCAN_TIME() - Since;
    IF ET >= PT THEN Q := FALSE; ET := PT; END_IF
  END_IF
END_IF
Was := IN;
END_FUNCTION_BLOCK

FUNCTION_BLOCK R_TRIG
VAR_INPUT CLK : BOOL; END_VAR
VAR_OUTPUT Q : BOOL; END_VAR
VAR M : BOOL; END_VAR
Q := CLK AND NOT M;
M := CLK;
END_FUNCTION_BLOCK

FUNCTION_BLOCK F_TRIG
VAR_INPUT CLK : BOOL; END_VAR
VAR_OUTPUT Q : BOOL; END_VAR
VAR M : BOOL := TRUE; END_VAR
Q := NOT CLK AND NOT M;
M := NOT CLK;
END_FUNCTION_BLOCK

FUNCTION_BLOCK CTU
VAR_INPUT CU : BOOL; R : BOOL; PV : INT; END_VAR
VAR_OUTPUT Q : BOOL; CV : INT; END_VAR
VAR Was : BOOL; END_VAR
IF R THEN
  CV := 0;
ELSIF CU AND NOT Was AND CV < 32767 THEN
  CV := CV + 1;
END_IF
Was := CU;
Q := CV >= PV;
END_FUNCTION_BLOCK
"""


@cache
def prelude() -> Source:
    """The standard's blocks, read once."""
    return read(PRELUDE)
