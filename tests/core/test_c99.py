"""The same as C99: it compiles without a warning, runs clean under the sanitizers, and gives the very bits that the structured text
gives in 32-bit reals."""

from __future__ import annotations

import subprocess
from pathlib import Path

import numpy as np
import pytest
from tests.building.planted import clean_plant

from canaleta.core.model.image import PlantImage
from canaleta.core.program.points import PointCode
from canaleta.core.program.proof import Run, read_back
from canaleta.core.program.unit import UnitText, generate, scopes_of
from canaleta.core.st import check, read
from canaleta.core.st.c99 import header_and_source
from canaleta.core.st.kinds import Target
from canaleta.exchange.program_files import c_files

WARNINGS = ["-std=c99", "-Wall", "-Wextra", "-Wconversion", "-Wdouble-promotion", "-Wshadow", "-Werror"]
SANE = ["-O1", "-fsanitize=address,undefined", "-fno-sanitize-recover=all"]
TICK_MS = 100


@pytest.fixture(scope="module")
def plant() -> PlantImage:
    return clean_plant()


def compiled(folder: Path, unit: UnitText, main: str) -> Path:
    """A unit with a main of its own."""
    library, _ = check([read(unit.blocks), read(unit.text)])
    name = unit.scope.unit
    header, source = header_and_source(
        library, library.pous[name.lower()], unit.target, {b.type for c in unit.codes for b in c.network.blocks}
    )
    (folder / f"{name}.h").write_text(header)
    (folder / f"{name}.c").write_text(source)
    (folder / "main.c").write_text(main)
    program = folder / "program"
    subprocess.run(
        ["gcc", *WARNINGS, *SANE, f"{name}.c", "main.c", "-o", str(program), "-lm"],
        cwd=folder,
        check=True,
        capture_output=True,
        text=True,
    )
    return program


def test_each_points_channel_is_called_by_its_name(plant: PlantImage) -> None:
    unit = generate(plant, next(s for s in scopes_of(plant) if s.name == "KC-2"))
    header = c_files(unit)["IO_KC_2.h"]
    assert "#define PSL_3101_CHANNEL KC_2_1_S01_IX[0]\n" in header
    assert header.count("_CHANNEL ") == len(unit.codes)
    assert header.rstrip().endswith("#endif")


@pytest.mark.long
def test_every_cabinet_compiles_without_a_warning(plant: PlantImage, tmp_path: Path) -> None:
    for scope in scopes_of(plant):
        if scope.kind != "cabinet":
            continue
        folder = tmp_path / scope.unit
        folder.mkdir()
        unit = generate(plant, scope)
        main = f'#include "{scope.unit}.h"\nint main(void) {{ {scope.unit}_begin(); for (int k = 0; k < 50; k++) {{ {scope.unit}_scan(k * {TICK_MS}); }} return 0; }}\n'
        subprocess.run([str(compiled(folder, unit, main))], check=True, capture_output=True)


def _some(unit: UnitText, kind: str, wanted: int) -> list[PointCode]:
    """Points of one kind that differ in their blocks."""
    seen: dict[tuple[str, ...], PointCode] = {}
    for code in unit.codes:
        if code.kind == kind and code.raw_type in ("INT", "UINT", "BOOL"):
            seen.setdefault(tuple(b.type for b in code.network.blocks), code)
    return list(seen.values())[:wanted]


def _of_c(type_name: str) -> str:
    return {"INT": "(int16_t)", "UINT": "(uint16_t)"}[type_name]


@pytest.mark.long
def test_every_count_gives_the_very_bits_of_the_structured_text(plant: PlantImage, tmp_path: Path) -> None:
    unit = generate(plant, next(s for s in scopes_of(plant) if s.name == "KC-2"))
    some = [c for c in _some(unit, "AI", 12) if all(of == "REAL" for n, of, _ in c.network.variables if n == c.name)]
    assert len(some) >= 5
    loops = []
    for code in some:
        c = code.channel
        at = f"{c.array}[{c.index - next(a.low for a in unit.arrays if a.name == c.array)}]"
        loops.append(
            f"{unit.scope.unit}_begin(); for (int32_t w = 0; w < 65536; w++) {{ {at} = {_of_c(code.raw_type)}w; if (w == 0) {{ {unit.scope.unit}_begin(); {at} = {_of_c(code.raw_type)}w; }}"
            f" {unit.scope.unit}_scan(w * {TICK_MS});"
            f" struct {{ float v; uint32_t q; }} one = {{ {code.name}, ({code.name}_Bad ? 1u : 0u) + ({code.name}_Doubt ? 2u : 0u) }}; fwrite(&one, sizeof one, 1, stdout); }}"
        )
    main = (
        f'#include <stdio.h>\n#include "{unit.scope.unit}.h"\nint main(void) {{\n'
        + "\n".join(loops)
        + "\nreturn 0; }\n"
    )
    out = subprocess.run([str(compiled(tmp_path, unit, main))], check=True, capture_output=True).stdout
    found = np.frombuffer(out, dtype=[("v", np.float32), ("q", np.uint32)]).reshape(len(some), 65_536)
    back = read_back(unit.text, unit.blocks, unit.scope.unit)
    for code, of_c in zip(some, found, strict=True):
        # The C went through all words one after the other, scan by scan; here as well, in one lane, over a part of them.
        run = Run(back, Target(), code)
        run.fresh()
        for w in range(3000):
            word = np.uint16(w).view(np.int16) if code.raw_type == "INT" else np.uint16(w)
            run.at(word, w * TICK_MS)
            assert np.float32(run.value(code.name, 1)[0]) == of_c["v"][w], (code.tag, w)
            quality = int(run.state(f"{code.name}_Bad", 1)[0]) + 2 * int(run.state(f"{code.name}_Doubt", 1)[0])
            assert quality == of_c["q"][w], (code.tag, w)


def test_contacts_go_through_time_in_c_as_in_structured_text(plant: PlantImage, tmp_path: Path) -> None:
    unit = generate(plant, next(s for s in scopes_of(plant) if s.name == "KC-2"))
    some = [c for c in _some(unit, "DI", 8) if c.network.blocks]
    assert some
    states = np.random.default_rng(3).integers(0, 2, 400).repeat(3)
    train = ", ".join(map(str, states.tolist()))
    loops = []
    for code in some:
        c = code.channel
        at = f"{c.array}[{c.index - next(a.low for a in unit.arrays if a.name == c.array)}]"
        loops.append(
            f"{unit.scope.unit}_begin(); for (int32_t k = 0; k < {len(states)}; k++) {{ {at} = train[k] != 0; {unit.scope.unit}_scan(k * {TICK_MS}); putchar({code.name} ? '1' : '0'); }}"
        )
    main = (
        f'#include <stdio.h>\n#include "{unit.scope.unit}.h"\nstatic const int train[] = {{{train}}};\nint main(void) {{\n'
        + "\n".join(loops)
        + "\nreturn 0; }\n"
    )
    out = subprocess.run([str(compiled(tmp_path, unit, main))], check=True, capture_output=True, text=True).stdout
    back = read_back(unit.text, unit.blocks, unit.scope.unit)
    for k, code in enumerate(some):
        run = Run(back, Target(), code)
        run.fresh()
        told = ""
        for n, state in enumerate(states.tolist()):
            run.at(np.bool_(state), n * TICK_MS)
            told += "1" if run.state(code.name, 1)[0] else "0"
        assert told == out[k * len(states) : (k + 1) * len(states)], code.tag


def test_whole_numbers_wrap_and_convert_in_c_as_in_structured_text(tmp_path: Path) -> None:
    text = """
    VAR_GLOBAL A : INT := 32767; B : DINT := -7; C : UINT; R : REAL := 2.5; S : INT; W : WORD := 16#8001; X : WORD; E : DINT; G : INT; END_VAR
    PROGRAM P VAR K : INT; T : ARRAY [1..3] OF INT := [1, 2, 3]; END_VAR
    A := A + 1; B := B / 2; C := C - 1; S := REAL_TO_INT(R); X := SHL(W, 1) OR SHR(W, 15); E := B MOD 2;
    G := 0; FOR K := 1 TO 3 DO G := G + T[K]; END_FOR
    CASE G OF 6: G := G * 10; ELSE G := 0; END_CASE
    WHILE G > 55 DO G := G - 1; END_WHILE
    REPEAT G := G + 1; UNTIL G >= 57 END_REPEAT
    R := -R ** 2.0 + LIMIT(0.0, 3.0, 1.0) + SEL(TRUE, 1.0, 2.0) + ABS(-4.0) + MAX(1.0, 2.0, 0.5);
    END_PROGRAM
    """
    library, problems = check([read(text)])
    assert [p for p in problems if not p.compiles] == []
    header, source = header_and_source(library, library.pous["p"], Target(), set())
    (tmp_path / "P.h").write_text(header)
    (tmp_path / "P.c").write_text(source)
    (tmp_path / "main.c").write_text(
        '#include <stdio.h>\n#include "P.h"\nint main(void) { P_begin(); P_scan(0); printf("%d %d %d %d %d %d %d %.6g", A, B, C, S, X, E, G, (double)R); return 0; }\n'
    )
    subprocess.run(
        ["gcc", *WARNINGS, *SANE, "P.c", "main.c", "-o", "p", "-lm"], cwd=tmp_path, check=True, capture_output=True
    )
    out = subprocess.run([str(tmp_path / "p")], check=True, capture_output=True, text=True).stdout
    # −2.5 squared is 6.25: the sign binds closer; 6.25 + 1 + 2 + 4 + 2.
    assert out == "-32768 -3 65535 2 3 -1 57 15.25"
