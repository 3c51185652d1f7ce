"""Function blocks of our own, written in structured text: what a point's code is made of, beside the standard's blocks.

Each does one thing that the path or the conditioning does, with the same words. REAL stands for the type that the target works
in. A value that is bad moves no filter, switch, delay, band or alarm, as in core.live.
"""

from __future__ import annotations

from functools import lru_cache

from canaleta.core.st.kinds import Target
from canaleta.core.st.reading import read
from canaleta.core.st.tree import Source

__all__ = ["BLOCKS", "WIDE", "block_source", "block_text", "names_of", "parted"]

WIDE = "_L"
"""Behind the name of a block that works in LREAL where the target works in REAL: for counts that REAL cannot tell apart."""
BLOCKS = """
(* What a count says of the signal: bad at and beyond the inner two limits once that has lasted, at once at a count that tells
   a fault; in doubt at and beyond the outer two. *)
FUNCTION_BLOCK CT_Check
VAR_INPUT
  X : REAL; (* count *)
  BadTo : REAL := -3.0E38;
  DoubtTo : REAL := -3.0E38;
  DoubtFrom : REAL := 3.0E38;
  BadFrom : REAL := 3.0E38;
  After : TIME; (* how long a level must last to be a failure *)
  BadAt1 : REAL := 3.0E38; (* counts that tell a fault of their own *)
  BadAt2 : REAL := 3.0E38;
  DoubtAt1 : REAL := 3.0E38;
  DoubtAt2 : REAL := 3.0E38;
  Fault : BOOL; (* the module reports one, whatever it counts *)
END_VAR
VAR_OUTPUT
  Bad : BOOL;
  Doubt : BOOL;
END_VAR
VAR
  Told : BOOL;
  Only : BOOL;
  Beyond : BOOL;
  Lasts : TON;
END_VAR
Told := X = BadAt1 OR X = BadAt2;
Only := X = DoubtAt1 OR X = DoubtAt2;
Beyond := NOT Told AND NOT Only AND (X <= BadTo OR X >= BadFrom);
Lasts(IN := Beyond, PT := After);
Bad := Fault OR Told OR Lasts.Q;
Doubt := NOT Bad AND (Only OR X <= DoubtTo OR X >= DoubtFrom OR Beyond);
END_FUNCTION_BLOCK

(* A number that does not fill its word, or whose sign is kept otherwise: Half is the weight of its first bit. *)
FUNCTION_BLOCK CT_Word
VAR_INPUT
  W : WORD;
  Shift : INT;
  Mask : WORD := 16#FFFF;
  Half : DINT;
  Signed : BOOL; (* two's complement *)
  Offset : BOOL; (* offset binary *)
END_VAR
VAR_OUTPUT
  C : DINT;
END_VAR
C := WORD_TO_DINT(SHR(W, Shift) AND Mask);
IF Signed AND C >= Half THEN
  C := C - Half - Half;
ELSIF Offset THEN
  C := C - Half;
END_IF
END_FUNCTION_BLOCK

(* 32 bits whose words, or the bytes of each, stand in another order. *)
FUNCTION_BLOCK CT_Order
VAR_INPUT
  D : DWORD;
  Words : BOOL; (* the two words are swapped *)
  Bytes : BOOL; (* the two bytes of each word are swapped *)
END_VAR
VAR_OUTPUT
  Q : DWORD;
  C : DINT;
  U : UDINT;
END_VAR
Q := D;
IF Words THEN
  Q := SHL(Q, 16) OR SHR(Q, 16);
END_IF
IF Bytes THEN
  Q := (SHL(Q, 8) AND 16#FF00FF00) OR (SHR(Q, 8) AND 16#00FF00FF);
END_IF
C := DWORD_TO_DINT(Q);
U := DWORD_TO_UDINT(Q);
END_FUNCTION_BLOCK

(* The number that 32 bits are in single precision (IEC 60559). What is no number is the largest there is. *)
FUNCTION_BLOCK CT_Float
VAR_INPUT
  D : DWORD;
END_VAR
VAR_OUTPUT
  V : REAL;
END_VAR
VAR
  E : DINT;
  F : DINT;
END_VAR
E := DWORD_TO_DINT(SHR(D, 23) AND 16#000000FF);
F := DWORD_TO_DINT(D AND 16#007FFFFF);
IF E = 255 THEN
  V := 3.4028235E38;
ELSIF E = 0 THEN
  V := DINT_TO_REAL(F) * 1.1920929E-7 * 1.1754944E-38;
ELSE
  V := DINT_TO_REAL(F + 8388608) * 1.1920929E-7;
  E := E - 127;
  WHILE E > 0 DO
    V := V * 2.0;
    E := E - 1;
  END_WHILE
  WHILE E < 0 DO
    V := V * 0.5;
    E := E + 1;
  END_WHILE
END_IF
IF (D AND 16#80000000) <> 16#00000000 THEN
  V := -V;
END_IF
END_FUNCTION_BLOCK

(* Two points define a line. *)
FUNCTION_BLOCK CT_Line
VAR_INPUT
  X : REAL;
  C0 : REAL;
  C1 : REAL := 1.0;
  V0 : REAL;
  V1 : REAL := 1.0;
END_VAR
VAR_OUTPUT
  V : REAL;
END_VAR
V := V0 + (X - C0) / (C1 - C0) * (V1 - V0);
END_FUNCTION_BLOCK

(* The root of the share of the span; below the cut-off it is nothing. *)
FUNCTION_BLOCK CT_Root
VAR_INPUT
  X : REAL;
  C0 : REAL;
  C1 : REAL := 1.0;
  V0 : REAL;
  V1 : REAL := 1.0;
  Cut : REAL; (* share of the root, 0 to 1 *)
END_VAR
VAR_OUTPUT
  V : REAL;
END_VAR
VAR
  Share : REAL;
END_VAR
Share := (X - C0) / (C1 - C0);
IF Share > 0.0 THEN
  Share := SQRT(Share);
ELSE
  Share := 0.0;
END_IF
IF Share < Cut THEN
  Share := 0.0;
END_IF
V := V0 + Share * (V1 - V0);
END_FUNCTION_BLOCK

(* What becomes of a value beyond its range: 0 passes, 1 the last good one is held, 2 another one is put in its place. And of
   one whose signal has failed: 0 as read, 1 held, 2 put in its place. *)
FUNCTION_BLOCK CT_Policy
VAR_INPUT
  X : REAL; (* count *)
  V : REAL;
  Bad : BOOL;
  Doubt : BOOL;
  LowAt : REAL := -3.0E38; (* counts at and beyond which the range is left *)
  HighAt : REAL := 3.0E38;
  LowDo : INT;
  LowValue : REAL;
  HighDo : INT;
  HighValue : REAL;
  FailDo : INT;
  FailValue : REAL;
END_VAR
VAR_OUTPUT
  Q : REAL;
END_VAR
VAR
  Last : REAL;
END_VAR
Q := V;
IF X <= LowAt THEN
  IF LowDo = 1 THEN
    Q := Last;
  ELSIF LowDo = 2 THEN
    Q := LowValue;
  END_IF
ELSIF X >= HighAt THEN
  IF HighDo = 1 THEN
    Q := Last;
  ELSIF HighDo = 2 THEN
    Q := HighValue;
  END_IF
END_IF
IF Bad THEN
  IF FailDo = 1 THEN
    Q := Last;
  ELSIF FailDo = 2 THEN
    Q := FailValue;
  END_IF
ELSIF NOT Doubt THEN
  Last := Q;
END_IF
END_FUNCTION_BLOCK

(* First order. It begins at the first value that is not bad, and anew after one that was. *)
FUNCTION_BLOCK CT_Filter
VAR_INPUT
  V : REAL;
  Bad : BOOL;
  Share : REAL := 1.0; (* of a step in one scan: 1 - exp(-scan / time constant) *)
END_VAR
VAR_OUTPUT
  Q : REAL;
END_VAR
VAR
  Smooth : REAL;
  Runs : BOOL;
END_VAR
IF Bad THEN
  Runs := FALSE;
  Q := V;
ELSE
  IF Runs THEN
    Smooth := Smooth + Share * (V - Smooth);
  ELSE
    Smooth := V;
  END_IF
  Runs := TRUE;
  Q := Smooth;
END_IF
END_FUNCTION_BLOCK

(* An analog value as a switch: on from OnAt, off beyond OffAt, else as before. *)
FUNCTION_BLOCK CT_Switch
VAR_INPUT
  V : REAL;
  Bad : BOOL;
  OnAt : REAL;
  OffAt : REAL;
END_VAR
VAR_OUTPUT
  Q : BOOL;
  Known : BOOL;
END_VAR
IF NOT Bad THEN
  IF OffAt > OnAt THEN
    IF V <= OnAt THEN
      Q := TRUE;
    ELSIF V > OffAt THEN
      Q := FALSE;
    END_IF
  ELSIF V >= OnAt THEN
    Q := TRUE;
  ELSIF V < OffAt THEN
    Q := FALSE;
  END_IF
  Known := TRUE;
END_IF
END_FUNCTION_BLOCK

(* Debounce, then on-delay and off-delay, then the shortest time that it stays on. Rise and Fall: its edges. *)
FUNCTION_BLOCK CT_Delays
VAR_INPUT
  In : BOOL;
  Bad : BOOL;
  Debounce : TIME;
  OnDelay : TIME;
  OffDelay : TIME;
  Stretch : TIME;
END_VAR
VAR_OUTPUT
  Q : BOOL;
  Rise : BOOL;
  Fall : BOOL;
END_VAR
VAR
  Known : BOOL;
  Settled : BOOL;
  Was : BOOL;
  Change : TON;
  Comes : TON;
  Goes : TON;
  Stays : TON;
END_VAR
Was := Q;
Stays(IN := Q, PT := Stretch);
Change(IN := Known AND NOT Bad AND (In <> Settled), PT := Debounce);
IF NOT Bad AND (NOT Known OR Change.Q) THEN
  Settled := In;
  Change(IN := FALSE, PT := Debounce);
END_IF
Comes(IN := Settled AND NOT Bad, PT := OnDelay);
Goes(IN := NOT Settled AND NOT Bad, PT := OffDelay);
IF NOT Bad THEN
  IF NOT Known THEN
    Q := Settled AND OnDelay <= T#0ms;
    Was := Q;
    Known := TRUE;
  ELSIF NOT Q AND Comes.Q THEN
    Q := TRUE;
  ELSIF Q AND Goes.Q AND Stays.Q THEN
    Q := FALSE;
  END_IF
END_IF
Rise := Q AND NOT Was;
Fall := Was AND NOT Q;
Stays(IN := Q, PT := Stretch);
END_FUNCTION_BLOCK

(* Counts edges up to a preset, and on. Total: what they stand for. *)
FUNCTION_BLOCK CT_Count
VAR_INPUT
  Edge : BOOL;
  Reset : BOOL;
  Preset : DINT := 2147483647;
  Each : REAL := 1.0; (* what one stands for *)
END_VAR
VAR_OUTPUT
  Count : DINT;
  Done : BOOL;
  Total : REAL;
END_VAR
IF Reset THEN
  Count := 0;
ELSIF Edge AND Count < 2147483647 THEN
  Count := Count + 1;
END_IF
Done := Count >= Preset;
Total := DINT_TO_REAL(Count) * Each;
END_FUNCTION_BLOCK

(* Pulses that the module counts by itself: how many came since, over where its count begins again. Most: more in one scan than can
   have come, so that the count was set back. *)
FUNCTION_BLOCK CT_Pulses
VAR_INPUT
  X : REAL; (* count *)
  Bad : BOOL;
  Reset : BOOL;
  Wrap : REAL := 65536.0; (* counts before it begins again *)
  Most : REAL := 32768.0;
  Each : REAL := 1.0; (* what one stands for *)
END_VAR
VAR_OUTPUT
  Count : REAL;
  Total : REAL;
END_VAR
VAR
  Last : REAL;
  Known : BOOL;
  Came : REAL;
END_VAR
Came := 0.0;
IF NOT Bad THEN
  IF Known THEN
    Came := X - Last;
    IF Came < 0.0 THEN
      Came := Came + Wrap;
    END_IF
    IF Came > Most THEN
      Came := 0.0;
    END_IF
  END_IF
  Last := X;
  Known := TRUE;
END_IF
Count := Count + Came;
IF Reset THEN
  Count := 0.0;
END_IF
Total := Count * Each;
END_FUNCTION_BLOCK

(* An alarm of a value: it comes at its limit and ends beyond its deadband, each after its delay. Low: below the limit. *)
FUNCTION_BLOCK CT_Alarm
VAR_INPUT
  V : REAL;
  Bad : BOOL;
  Low : BOOL;
  Limit : REAL;
  Deadband : REAL;
  OnDelay : TIME;
  OffDelay : TIME;
END_VAR
VAR_OUTPUT
  Q : BOOL;
END_VAR
VAR
  Holds : BOOL;
  Comes : TON;
  Goes : TON;
END_VAR
IF NOT Bad THEN
  IF Low THEN
    IF NOT Q THEN
      Holds := V <= Limit;
    ELSIF Deadband > 0.0 THEN
      Holds := V < Limit + Deadband;
    ELSE
      Holds := V <= Limit;
    END_IF
  ELSIF NOT Q THEN
    Holds := V >= Limit;
  ELSIF Deadband > 0.0 THEN
    Holds := V > Limit - Deadband;
  ELSE
    Holds := V >= Limit;
  END_IF
ELSE
  Holds := Q;
END_IF
Comes(IN := Holds AND NOT Q, PT := OnDelay);
Goes(IN := Q AND NOT Holds, PT := OffDelay);
IF Comes.Q THEN
  Q := TRUE;
ELSIF Goes.Q THEN
  Q := FALSE;
END_IF
END_FUNCTION_BLOCK

(* An alarm of a state. Bad: nothing changes, for nobody knows. *)
FUNCTION_BLOCK CT_StateAlarm
VAR_INPUT
  In : BOOL;
  Bad : BOOL;
  OnDelay : TIME;
END_VAR
VAR_OUTPUT
  Q : BOOL;
END_VAR
VAR
  Comes : TON;
END_VAR
Comes(IN := In AND NOT Bad AND NOT Q, PT := OnDelay);
IF Comes.Q THEN
  Q := TRUE;
ELSIF NOT Bad AND NOT In THEN
  Q := FALSE;
END_IF
END_FUNCTION_BLOCK

(* How far a value is from its set point, either way. *)
FUNCTION_BLOCK CT_Off
VAR_INPUT
  V : REAL;
  From : REAL;
END_VAR
VAR_OUTPUT
  Q : REAL;
END_VAR
Q := ABS(V - From);
END_FUNCTION_BLOCK

(* How fast a value changes, in a minute, either way: of a steady ramp exactly, once it has settled. *)
FUNCTION_BLOCK CT_Rate
VAR_INPUT
  V : REAL;
  Bad : BOOL;
  Share : REAL := 1.0; (* of a step in one scan: 1 - exp(-scan / time it is judged over) *)
  Gain : REAL; (* share / ((1 - share) * scan) * 60 *)
END_VAR
VAR_OUTPUT
  Q : REAL;
END_VAR
VAR
  Slow : REAL;
  Known : BOOL;
END_VAR
Q := 0.0;
IF NOT Bad THEN
  IF Known THEN
    Slow := Slow + Share * (V - Slow);
    Q := ABS((V - Slow) * Gain);
  ELSE
    Slow := V;
    Known := TRUE;
  END_IF
END_IF
END_FUNCTION_BLOCK

(* Kept within what a whole number holds, before it becomes one. *)
FUNCTION_BLOCK CT_Limit
VAR_INPUT
  V : REAL;
  Least : REAL;
  Most : REAL;
END_VAR
VAR_OUTPUT
  Q : REAL;
END_VAR
IF V < Least THEN
  Q := Least;
ELSIF V > Most THEN
  Q := Most;
ELSE
  Q := V;
END_IF
END_FUNCTION_BLOCK

(* What an output is given for a value: clamped, rounded, stopped at what the module takes. Rounds: 0 nearest, a half away from
   zero; 1 down; 2 toward zero. *)
FUNCTION_BLOCK CT_Give
VAR_INPUT
  V : REAL;
  C0 : REAL;
  C1 : REAL := 1.0;
  V0 : REAL;
  V1 : REAL := 1.0;
  Square : BOOL; (* the scaling takes a root *)
  Low : REAL := -3.0E38; (* share of the span that it is clamped to *)
  High : REAL := 3.0E38;
  Least : DINT := -2147483647;
  Most : DINT := 2147483647;
  Rounds : INT;
END_VAR
VAR_OUTPUT
  C : DINT;
  Clamped : BOOL;
END_VAR
VAR
  Share : REAL;
  Exact : REAL;
  Rest : REAL;
END_VAR
Share := (V - V0) / (V1 - V0);
IF Square AND Share > 0.0 THEN
  Share := Share * Share;
END_IF
Clamped := FALSE;
IF Share < Low THEN
  Share := Low;
  Clamped := TRUE;
ELSIF Share > High THEN
  Share := High;
  Clamped := TRUE;
END_IF
Exact := C0 + Share * (C1 - C0);
IF Exact <= DINT_TO_REAL(Least) THEN
  Clamped := Clamped OR Exact < DINT_TO_REAL(Least);
  C := Least;
ELSIF Exact >= DINT_TO_REAL(Most) THEN
  Clamped := Clamped OR Exact > DINT_TO_REAL(Most);
  C := Most;
ELSE
  C := TRUNC(Exact);
  Rest := Exact - DINT_TO_REAL(C);
  IF Rounds = 0 AND Rest >= 0.5 THEN
    C := C + 1;
  ELSIF Rounds = 0 AND Rest <= -0.5 THEN
    C := C - 1;
  ELSIF Rounds = 1 AND Rest < 0.0 THEN
    C := C - 1;
  END_IF
END_IF
END_FUNCTION_BLOCK
"""

_TABLE = """
(* Straight lines between {n} points; beyond the ends the last piece runs on. *)
FUNCTION_BLOCK CT_Table{n}
VAR_INPUT
  F : REAL;
  X : ARRAY [1..{n}] OF REAL;
  Y : ARRAY [1..{n}] OF REAL;
END_VAR
VAR_OUTPUT
  V : REAL;
END_VAR
VAR
  K : INT;
END_VAR
K := 1;
WHILE K < {last} AND F >= X[K + 1] DO
  K := K + 1;
END_WHILE
V := Y[K] + (F - X[K]) / (X[K + 1] - X[K]) * (Y[K + 1] - Y[K]);
END_FUNCTION_BLOCK
"""
_CURVE = """
(* A cubic between {n} points with a slope at each; beyond the ends it runs on straight. *)
FUNCTION_BLOCK CT_Curve{n}
VAR_INPUT
  F : REAL;
  X : ARRAY [1..{n}] OF REAL;
  Y : ARRAY [1..{n}] OF REAL;
  M : ARRAY [1..{n}] OF REAL;
  Before : REAL; (* slope before the first point and behind the last *)
  Behind : REAL;
END_VAR
VAR_OUTPUT
  V : REAL;
END_VAR
VAR
  K : INT;
  W : REAL;
  T : REAL;
END_VAR
IF F <= X[1] THEN
  V := Y[1] + (F - X[1]) * Before;
ELSIF F >= X[{n}] THEN
  V := Y[{n}] + (F - X[{n}]) * Behind;
ELSE
  K := 1;
  WHILE K < {last} AND F >= X[K + 1] DO
    K := K + 1;
  END_WHILE
  W := X[K + 1] - X[K];
  T := (F - X[K]) / W;
  V := Y[K] + T * (W * M[K] + T * (3.0 * (Y[K + 1] - Y[K]) - W * (2.0 * M[K] + M[K + 1])
       + T * (2.0 * (Y[K] - Y[K + 1]) + W * (M[K] + M[K + 1]))));
END_IF
END_FUNCTION_BLOCK
"""
_BANDS = """
(* The one band of {more} that holds a value; an edge belongs to the band above it. *)
FUNCTION_BLOCK CT_Bands{n}
VAR_INPUT
  V : REAL;
  Bad : BOOL;
  Edge : ARRAY [1..{n}] OF REAL;
  Deadband : REAL;
END_VAR
VAR_OUTPUT
  Band : INT := -1; (* 0 for the lowest, -1 while none is known *)
END_VAR
VAR
  K : INT;
  Plain : INT;
  Stays : BOOL;
END_VAR
IF NOT Bad THEN
  Plain := 0;
  FOR K := 1 TO {n} DO
    IF V >= Edge[K] THEN
      Plain := K;
    END_IF
  END_FOR
  Stays := Band >= 0;
  IF Stays AND Band > 0 THEN
    IF V < Edge[LIMIT(1, Band, {n})] - Deadband THEN
      Stays := FALSE;
    END_IF
  END_IF
  IF Stays AND Band < {n} THEN
    IF V >= Edge[LIMIT(1, Band + 1, {n})] + Deadband THEN
      Stays := FALSE;
    END_IF
  END_IF
  IF NOT Stays THEN
    Band := Plain;
  END_IF
END_IF
END_FUNCTION_BLOCK
"""
_SIZED = {"CT_Table": _TABLE, "CT_Curve": _CURVE, "CT_Bands": _BANDS}


@lru_cache(maxsize=8)
def parted(real: str) -> dict[str, str]:
    """{block: its text} of the fixed blocks in one type of real, in their order."""
    out = {}
    for part in BLOCKS.replace("REAL", real).split("END_FUNCTION_BLOCK")[:-1]:
        name = part.split("FUNCTION_BLOCK", 1)[1].split(None, 1)[0]
        out[name] = part.strip() + "\nEND_FUNCTION_BLOCK\n"
    return out


@lru_cache(maxsize=2048)
def block_text(name: str, real: str) -> str:
    """The text of one block. Raises KeyError for a name that is none of ours."""
    if name.endswith(WIDE):
        plain = name.removesuffix(WIDE)
        return block_text(plain, "LREAL").replace(f"FUNCTION_BLOCK {plain}\n", f"FUNCTION_BLOCK {name}\n", 1)
    fixed = parted(real)
    if name in fixed:
        return fixed[name]
    stem = name.rstrip("0123456789")
    n = int(name[len(stem) :])
    return _SIZED[stem].format(n=n, last=n - 1, more=n + 1).replace("REAL", real).strip() + "\n"


def names_of(used: set[str]) -> list[str]:
    """Blocks in the order in which they are written: the fixed ones as they stand here, then by name and size."""
    fixed = list(parted("REAL"))
    rest = sorted(used - set(fixed), key=lambda name: (name.removesuffix(WIDE).rstrip("0123456789"), len(name), name))
    return [name for name in fixed if name in used] + rest


@lru_cache(maxsize=64)
def block_source(names: tuple[str, ...], target: Target) -> Source:
    """Blocks, read."""
    return read("\n".join(block_text(name, target.real) for name in names))
