"""After any edits, looking again at what they touch finds what a look at everything finds."""

import numpy as np
import pytest

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.core.model.fields import STORED, Landing, Stored, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.rules import RULES, Finding, audit, audit_change
from canaleta.plant.changes.seed import stored_row

POOL = {
    "alarm_state": ["0", "1"], "trips": ["shuts the gas"], "redundant": ["P1", "p2"], "second_name": ["=A1", "=a1"],
    "hart": ["yes"], "tip": ["grounded"], "needs_s": ["0.1"], "value_type": ["INT"], "takes_ma": ["300"], "status": ["accepted"],
    "lift_off_v": ["19"], "notes": ["%IW9.9"], "fastest": ["20"], "bands": ["a < 1 < a"], "enabled": ["no"],
}  # fmt: skip
"""Contents that the demo plant has none or little of; cells of other points are mixed in with them."""


@pytest.fixture(scope="module")
def demo() -> PlantImage:
    document = demo_plant()
    empty = PlantImage.of_rows([{}], layout_of(document))
    return PlantImage.of_rows([stored_row(empty, point) for point in document.points], empty.layout)


def by_key(found: list[Finding]) -> dict[str, Finding]:
    out = {finding.key: finding for finding in found}
    assert len(out) == len(found), "two findings with one key"
    return out


def edited(image: PlantImage, random: np.random.Generator) -> dict[tuple[int, str], Stored]:
    """A few cells as another point has them, or as none has."""
    changes: dict[tuple[int, str], Stored] = {}
    for _ in range(int(random.integers(1, 6))):
        row, other = (int(k) for k in random.integers(0, len(image), 2))
        name = str(random.choice([f.name for f in STORED]))
        if name in POOL and random.random() < 0.6:
            changes |= {(row, n): v for n, v in read_cell(field_named(name), str(random.choice(POOL[name]))).items()}
        else:
            value = None if random.random() < 0.2 else image.cells[name][other]
            if isinstance(value, Landing):
                # The other one holds it: this is a wish.
                value = value._replace(landed=False)
            changes[row, name] = value
    return changes


@pytest.mark.parametrize("seed", [0, 1, *(pytest.param(seed, marks=pytest.mark.long) for seed in range(2, 6))])
def test_incremental_equals_full(demo: PlantImage, seed: int) -> None:
    random = np.random.default_rng(seed)
    image, known = demo, by_key(audit(demo))
    seen: set[str] = set()
    for _ in range(26):
        changes = edited(image, random)
        after = image.with_cells(changes)
        touched: dict[int, set[str]] = {}
        for row, name in changes:
            touched.setdefault(int(image.ids[row]), set()).add(name)
        looked, found = audit_change(image, after, touched)
        known = {key: f for key, f in known.items() if not (set(f.points) & looked.get(f.rule, set()))} | by_key(
            found
        )
        whole = by_key(audit(after))
        assert known == whole
        image = after
        seen |= {f.rule for f in whole.values()}
    assert len(seen) > 10


def test_what_a_rule_looks_at_is_a_field() -> None:
    """A name that no field has would never call for another look."""
    names = {f.name for f in STORED}
    assert [(rule.id, name) for rule in RULES for name in rule.reads if name not in names] == []
