"""`compare`: what the racks run beside the list and its newest issue; for a person, and for a night's timer."""

from __future__ import annotations

import json
from pathlib import Path

from canaleta.catalogue.types import module_types
from canaleta.host.steps import TroubleError, say
from canaleta.host.upkeep import database_of
from canaleta.plant.changes import seed
from canaleta.plant.changes.revisions import was_issued
from canaleta.plant.checks.running import Look, look_at, tells_of_itself
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["APART", "BLIND", "compare_racks"]

APART, BLIND = 3, 5
"""Exit statuses: something is apart and not kept so; a rack could not be compared, whatever the others are."""
WHO = "compare"


def compare_racks(data: Path, cabinet: str, as_json: bool) -> int:
    """Read every rack that tells anything of itself, of one cabinet or of all, and say what is apart. Returns 0 where all is clean."""
    looks: list[tuple[str, Look]] = []
    with database_of(data) as (_, engine):
        with engine.connect() as connection:
            if not seed.has_plant(connection):
                raise TroubleError("there is no plant in this database", "start it, or load one")
            issued = was_issued(connection)
        image = ImageCache(engine).current()
        layout = image.layout
        names = {c.name.casefold(): c.id for c in layout.cabinets.values()}
        if cabinet and cabinet.casefold() not in names:
            raise TroubleError(f"there is no cabinet {cabinet}", f"it is one of {', '.join(sorted(names))}")
        types = list((module_types() | layout.types).values())
        for rack in layout.racks.values():
            elsewhere = cabinet and rack.cabinet != names[cabinet.casefold()]
            if elsewhere or not tells_of_itself(image, rack.id):
                continue
            name = f"{layout.cabinets[rack.cabinet].name} rack {rack.name}"
            looks.append((name, look_at(engine, image, issued, rack.id, WHO, types)))
            if not as_json:
                _tell(*looks[-1])
    if as_json:
        print(json.dumps([_as_json(name, look) for name, look in looks], ensure_ascii=False, indent=1))
    return (
        BLIND
        if any(look.says or look.missing for _, look in looks)
        else APART
        if any(look.open for _, look in looks)
        else 0
    )


def _tell(name: str, look: Look) -> None:
    if look.says:
        say(f"{name}: not compared: {look.says}")
        return
    kept = len(look.parameters) - len(look.open)
    say(f"{name}: {f'{len(look.open)} apart' if look.open else 'clean'}{f', {kept} kept' if kept else ''}")
    for text in look.missing:
        say(f"  not read: {text}")
    for p in look.open:
        say(
            f"  {p.tag} {p.setting}: list {p.configured}, issued {p.issued or 'nothing'}, rack {p.running}: {p.stands}"
        )


def _as_json(name: str, look: Look) -> dict[str, object]:
    rows = [
        {
            "tag": p.tag, "address": p.address, "setting": p.setting, "configured": p.configured, "issued": p.issued,
            "running": p.running, "stands": p.stands, "kept": kept.reason if kept else "",
        }
        for p, kept in zip(look.parameters, look.kept, strict=True)
    ]  # fmt: skip
    return {
        "rack": name,
        "says": look.says,
        "open": len(look.open),
        "missing": list(look.missing),
        "parameters": rows,
    }
