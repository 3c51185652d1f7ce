"""Generated code as files: structured text, PLCopen XML, C99, a table of parameters; and the sheet that says it is proved."""

from __future__ import annotations

import hashlib
import io
import zipfile
from collections.abc import Mapping, Sequence
from typing import Any

from canaleta.core.notation.text import rounded_text
from canaleta.core.program.blocks import block_text, names_of
from canaleta.core.program.proof import Proof, summary
from canaleta.core.program.unit import BLOCKS_FILE, UnitText, parameters
from canaleta.core.st import check, read
from canaleta.core.st.c99 import header_and_source
from canaleta.exchange.pages import Page
from canaleta.exchange.tc6 import project_xml

__all__ = ["LANGUAGES", "digest", "program_files", "proof_sheet", "zipped"]

LANGUAGES = ("st", "xml", "fbd", "ld", "c", "csv")
"""Structured text; PLCopen XML with programs as structured text, function block diagrams or ladders; C99; parameters."""
MOST_ON_SHEET = 4000


def program_files(units: Sequence[UnitText], languages: Sequence[str], name: str) -> dict[str, str]:
    """{file name: text} of some units in some of LANGUAGES."""
    out: dict[str, str] = {}
    if "st" in languages:
        out[BLOCKS_FILE] = blocks_of(units)
        out |= {unit.file: unit.text for unit in units}
        out |= {f"{unit.scope.unit}_whole.st": unit.whole for unit in units}
    if "xml" in languages:
        out["canaleta.xml"] = project_xml(units, name).decode("utf-8")
    for language in ("fbd", "ld"):
        if language in languages:
            out[f"canaleta_{language}.xml"] = project_xml(units, name, language.upper()).decode("utf-8")
    if "c" in languages:
        for unit in units:
            out |= c_files(unit)
    if "csv" in languages:
        out["parameters.csv"] = parameters(units)
    return out


def blocks_of(units: Sequence[UnitText]) -> str:
    """The blocks that some units need, each once."""
    if not units:
        return ""
    used = {b.type for unit in units for code in unit.codes for b in code.network.blocks}
    return "\n".join(block_text(name, units[0].target.real) for name in names_of(used))


def c_files(unit: UnitText) -> dict[str, str]:
    """{file name: text} of one unit as C99."""
    library, _ = check([read(unit.blocks), read(unit.text)])
    used = {b.type for code in unit.codes for b in code.network.blocks}
    name = unit.scope.unit
    about = f"{name}: {unit.scope.kind} {unit.scope.name}. Made from {unit.file}.".replace("*/", "* /")
    header, source = header_and_source(library, library.pous[name.lower()], unit.target, used, about)
    low = {a.name: a.low for a in unit.arrays}
    channels = "".join(
        f"#define {c.name}_CHANNEL {c.channel.array}[{c.channel.index - low[c.channel.array]}]\n" for c in unit.codes
    )
    header = header.replace("\n#endif\n", f"\n/* The channel of each point by its name. */\n{channels}\n#endif\n")
    return {f"{name}.h": header, f"{name}.c": source}


def zipped(files: Mapping[str, str]) -> bytes:
    """Files as one, the same bytes for the same files."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in sorted(files.items()):
            archive.writestr(zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0)), text.encode("utf-8"), zipfile.ZIP_DEFLATED)
    return out.getvalue()


def digest(unit: UnitText) -> str:
    """SHA-256 of a unit's text and its blocks: what a proof is of."""
    return hashlib.sha256(f"{unit.blocks}\n{unit.text}".encode()).hexdigest()


def proof_sheet(plant: str, units: Sequence[UnitText], proofs: Sequence[Proof], who: str, day: str) -> bytes:
    """The proof as PDF: what was tried, the largest difference of each point, and what the texts were."""
    page = Page()
    page.set_title(f"{plant}: proof of generated code")
    page.foot = f"{plant} · proof of generated code · {day}"
    page.add_page()
    page.words("Proof of generated code", 16, bold=True)
    page.words(f"{plant} · {day} · {who}".rstrip(" ·"))
    total = summary(proofs)
    page.words(
        f"{total['proved']} of {total['points']} points proved over {total['words']} words and {total['scans']} scans: the text itself,"
        " read back and run in the controller's arithmetic, against the signal path and the conditioning of the list."
    )
    for unit, proof in zip(units, proofs, strict=True):
        page.ln(2)
        target = unit.target
        page.words(f"{unit.scope.unit}: {unit.scope.kind} {unit.scope.name}", 12, bold=True)
        page.words(
            f"{target.real}, rounding {target.rounding}, TIME of {target.time_bits} bits, a scan every {target.period_ms:g} ms; SHA-256 {digest(unit)}",
            8,
        )
        page.words(
            f"mapping: {proof.mapping.mapped} points, each mapped exactly once; {sum(len(s) for s in proof.mapping.spares.values())} spares",
            8,
        )
        for sentence in (*proof.mapping.wrong, *(f"line {p.line}: {p.says}" for p in proof.problems)):
            page.words(f"! {sentence}", 9, bold=True)
        rows: list[list[Any]] = []
        for p in proof.points[:MOST_ON_SHEET]:
            away = f"{rounded_text(p.units)} {p.unit}".strip() if p.units else "none"
            counts = rounded_text(p.counts) if p.counts else ""
            rows.append(
                [
                    p.tag,
                    p.kind,
                    str(p.words),
                    f"{p.sequences}×{p.scans}" if p.scans else "",
                    away,
                    counts,
                    p.says or "proved",
                ]
            )
        page.grid(
            ["tag", "kind", "words", "scans", "largest difference", "in counts", "result"],
            rows,
            [28, 10, 18, 18, 34, 22, 48],
        )
    return page.packed()
