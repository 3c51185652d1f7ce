"""`generate`, `prove`, `check-code`: code for the controller, whether it is right, and whether a project still is what the list says."""

from __future__ import annotations

import difflib
import json
from collections.abc import Sequence
from contextlib import nullcontext
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import Connection

from canaleta.core.model.image import PlantImage
from canaleta.core.program.project import check_project
from canaleta.core.program.proof import Proof, prove
from canaleta.core.program.unit import Scope, UnitText, by_hand, generate, generate_all, scopes_of
from canaleta.exchange.program_files import program_files, proof_sheet
from canaleta.exchange.tc6 import Tc6Error, texts_of
from canaleta.host.steps import TroubleError, say, step
from canaleta.host.upkeep import database_of
from canaleta.plant.changes import seed
from canaleta.plant.changes.revisions import issue_now
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["LEFT_OUT", "WRONG", "check_code", "generate_code", "prove_code"]

LEFT_OUT, WRONG = 3, 4
"""Exit statuses: some points have no code; the code is not proved, or a project is not what the list says."""


def generate_code(data: Path, folder: Path, scopes: Sequence[str], languages: Sequence[str]) -> int:
    """Write the code of cabinets or areas into a folder; what was written there by hand stays. Returns 0, or LEFT_OUT."""
    image, plant, issue = _plant(data)
    folder.mkdir(parents=True, exist_ok=True)
    if not folder.is_dir():
        raise TroubleError(f"{folder} is no folder", "name one, or a name that is free")
    with step("generating"):
        scopes_here = _chosen(image, scopes)
        before = {s.unit: folder / f"{s.unit}.st" for s in scopes_here}
        kept = {unit: by_hand(_text(file)) for unit, file in before.items() if file.exists()}
        units = generate_all(image, scopes_here, issue, kept)
        files = program_files(units, languages, plant)
    for name, text in files.items():
        file = folder / name
        old = _text(file) if file.exists() else None
        if old == text:
            say(f"  {name}: as it was")
            continue
        if old is not None:
            changed = [
                line
                for line in difflib.unified_diff(old.splitlines(), text.splitlines(), lineterm="", n=0)
                if line[:1] in "+-" and line[:3] not in ("+++", "---")
            ]
            came = sum(line[0] == "+" for line in changed)
            others = max(came, len(changed) - came)
            say(f"  {name}: {others} lines are others, {len(text.splitlines()) - came} are as they were")
            for line in changed[:20]:
                say(f"    {line}")
        else:
            say(f"  {name}: {len(text.splitlines())} lines")
        partial = file.with_name(f"{name}.part")
        partial.write_text(text, encoding="utf-8", newline="")
        partial.replace(file)
    for unit in units:
        for place, lines in unit.lost.items():
            say(
                f"  ▲ {unit.file}: {len(lines)} lines by hand stood at “{place}”, which is no place any more; they are in {unit.file}.by_hand"
            )
            (folder / f"{unit.file}.by_hand").write_text("\n".join(lines) + "\n", encoding="utf-8")
        for one in unit.refused:
            say(f"  ▲ {one.tag or 'a point without a tag'}: no code, {one.says}")
    return LEFT_OUT if any(unit.refused for unit in units) else 0


def prove_code(
    data: Path, scopes: Sequence[str], sheet: Path | None, who: str, as_json: bool, folder: Path | None
) -> int:
    """Prove the code of cabinets or areas, as it is generated or as it lies in a folder. Returns 0, or WRONG."""
    image, plant, issue = _plant(data)
    units, proofs = [], []
    for scope in _chosen(image, scopes):
        unit = generate(image, scope, issue)
        text = None
        if folder is not None:
            file = folder / unit.file
            if not file.exists():
                raise TroubleError(f"{file} is not there", "generate it first, or leave --from out")
            text = _text(file)
        with nullcontext() if as_json else step(f"proving {scope.unit}, {len(unit.codes)} points"):
            proofs.append(prove(image, unit, text))
        units.append(unit)
    if as_json:
        print(json.dumps([asdict(proof) for proof in proofs], ensure_ascii=False, indent=1))
    else:
        for proof in proofs:
            _tell(proof)
    if sheet is not None:
        _write_sheet(data, sheet, plant, units, proofs, who, silent=as_json)
    return 0 if all(proof.holds for proof in proofs) else WRONG


def check_code(data: Path, files: Sequence[Path], as_json: bool) -> int:
    """Hold a project, as structured text or PLCopen XML, against the list. Returns 0, or WRONG."""
    image, _, issue = _plant(data)
    texts: dict[str, str] = {}
    for file in files:
        try:
            raw = file.read_bytes()
        except OSError as error:
            raise TroubleError(f"{file}: {error.strerror}") from error
        if file.suffix.lower() == ".xml":
            try:
                texts |= texts_of(raw, file.name)
            except Tc6Error as error:
                where = f", line {error.line}" if error.line else ""
                raise TroubleError(
                    f"{file}{where}: {error.says}", "export it as PLCopen XML, or as structured text"
                ) from error
        else:
            texts[file.name] = raw.decode("utf-8-sig", errors="replace")
    findings, scopes = check_project(image, texts, issue)
    if as_json:
        print(json.dumps([asdict(f) | {"rule": f.rule} for f in findings], ensure_ascii=False, indent=1))
    else:
        for f in findings:
            rule = f"{f.rule} " if f.rule else ""
            print(f"▲ {f.file}, line {f.line}  {rule}{f.code}: {f.says}" + (f" ({f.tag})" if f.tag else ""))
        print(
            f"{', '.join(s.unit for s in scopes) or 'nothing of this plant'}: {len(findings) or 'nothing'} to settle"
        )
    return WRONG if findings else 0


def _plant(data: Path) -> tuple[PlantImage, str, str]:
    with database_of(data) as (_, engine), engine.connect() as connection:
        if not seed.has_plant(connection):
            raise TroubleError("there is no plant in this database", "./canaleta start loads the demo plant")
        return ImageCache(engine).caught_up(connection), _name(connection), issue_now(connection)


def _name(connection: Connection) -> str:
    return seed.plant_name(connection)


def _chosen(image: PlantImage, wanted: Sequence[str]) -> list[Scope]:
    """The cabinets and areas that are named; every cabinet where nothing is. Raises TroubleError for a name of nothing."""
    scopes = scopes_of(image)
    if not wanted:
        return [s for s in scopes if s.kind == "cabinet"]
    out = []
    for name in wanted:
        found = next((s for s in scopes if name.lower() in (s.name.lower(), s.unit.lower())), None)
        if found is None:
            raise TroubleError(
                f"there is no cabinet and no area “{name}”", "they are: " + ", ".join(s.name for s in scopes)
            )
        out.append(found)
    return out


def _text(file: Path) -> str:
    try:
        # Ends of lines as they are: a table has others than a program.
        return file.read_bytes().decode("utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise TroubleError(f"{file} cannot be read: {error}", "move it away, or choose another folder") from error


def _tell(proof: Proof) -> None:
    for problem in proof.problems:
        print(f"■ {proof.unit}, line {problem.line}: {problem.says}")
    for sentence in proof.mapping.wrong:
        print(f"■ {proof.unit}: {sentence}")
    for p in proof.points:
        for fault in (*((p.says,) if p.wrong else ()), *p.faults):
            print(f"■ {p.tag}: {fault}")
    proved = [p for p in proof.points if not p.wrong]
    worst = max(proved, key=lambda p: p.counts, default=None)
    print(
        f"{proof.unit}: {len(proved)} of {len(proof.points)} points proved, {proof.mapping.mapped} mapped exactly once"
        + (
            f"; largest difference {worst.units:.3g} {worst.unit} ({worst.counts:.2g} counts) at {worst.tag}"
            if worst and worst.counts
            else ""
        )
    )


def _write_sheet(
    data: Path, sheet: Path, plant: str, units: list[UnitText], proofs: list[Proof], who: str, *, silent: bool
) -> None:
    from canaleta.exchange.dossier.seal import plant_seal, seal_pdf

    if sheet.exists():
        raise TroubleError(f"{sheet} exists already", "choose another name: nothing is written over")
    with database_of(data) as (_, engine):
        seal = plant_seal(engine)
    partial = sheet.with_name(f"{sheet.name}.part")
    partial.write_bytes(proof_sheet(plant, units, proofs, who, datetime.now(UTC).date().isoformat()))
    holds = all(proof.holds for proof in proofs)
    seal_pdf(partial, seal, who or "Canaleta", "code proved" if holds else "code tried: not all of it is right")
    partial.rename(sheet)
    if not silent:
        say(f"  {sheet}")
