"""New points read by columns: the same as one row after the other, whatever else stands in the row."""

from __future__ import annotations

import random

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.core.model.fields import STORED
from canaleta.core.model.image import PlantImage
from canaleta.plant.changes.entering import enter_new, enter_row

DEMO = demo_plant()
PLANT = PlantImage.of_rows([], layout_of(DEMO))
ROWS = [dict(point) for point in DEMO.points]


def columns_of(rows: list[dict[str, str]]) -> dict[str, list[str]]:
    names = dict.fromkeys(name for row in rows for name in row)
    return {name: [row.get(name, "") for row in rows] for name in names}


def one_by_one(plant: PlantImage, rows: list[dict[str, str]]) -> list[tuple[object, object]]:
    out = []
    for row in rows:
        values, troubles = enter_row(plant, None, row)
        out.append(({n: v for n, v in values.items() if v is not None}, troubles))
    return out


def by_columns(plant: PlantImage, rows: list[dict[str, str]]) -> list[tuple[object, object]]:
    entered = enter_new(plant, columns_of(rows), len(rows))
    values = [{n: v for n, v in cells.items() if v is not None} for cells in entered.rows()]
    return [(cells, entered.troubles.get(at, {})) for at, cells in enumerate(values)]


def test_the_demo_plant_entered_anew_by_columns_is_the_same() -> None:
    assert by_columns(PLANT, ROWS) == one_by_one(PLANT, ROWS)


def test_rows_mixed_from_texts_of_all_kinds_are_the_same() -> None:
    """Texts that mean nothing, modes of other modules, signals from which more follows, scalings in other forms."""
    some = random.Random(22)
    texts: dict[str, list[str]] = {
        f.name: [*sorted({row.get(f.name, "") for row in ROWS}), "", "nothing of it"] for f in STORED
    }
    texts |= {"slope": ["", "", "", "0.01", "x"], "offset": ["", "", "", "-5"], "factors": ["", "", "1; 2; 3"]}
    for _ in range(20):
        names = some.sample(sorted(texts), 30)
        rows = [
            {"tag": f"M-{at}"} | {name: text for name in names if (text := some.choice(texts[name]))}
            for at in range(40)
        ]
        assert by_columns(PLANT, rows) == one_by_one(PLANT, rows)


def test_what_follows_from_a_text_gives_way_to_what_is_typed() -> None:
    rows = [
        {"tag": "A-1", "device_unit": "bar (g)"},
        {"tag": "A-2", "device_unit": "bar (g)", "device_reference": "absolute"},
    ]
    followed, typed = by_columns(PLANT, rows)
    assert [followed, typed] == one_by_one(PLANT, rows)
