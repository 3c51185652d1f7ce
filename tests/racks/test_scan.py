"""From registers to values without a network: every word form of the demo rack, faults in the field, holding on."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal

import numpy as np
import pytest

from canaleta.catalogue.demo import FieldFault, demo_plant, layout_of
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.model.registers import RackMap, decode, encode
from canaleta.core.path.evaluate import evaluate
from canaleta.plant.changes.seed import stored_row
from canaleta.plant.live.blocks import LiveBlock, RackState
from canaleta.racks.life import RackLife
from canaleta.racks.scan import Joined
from canaleta.standins.field import FieldRack

PLANT = demo_plant()
LAYOUT = layout_of(PLANT)
MAP = RackMap.of(LAYOUT, 1)


def listed() -> PlantImage:
    empty = PlantImage.of_rows([{}], LAYOUT)
    return PlantImage.of_rows([stored_row(empty, point) for point in PLANT.points], LAYOUT)


START = datetime(2026, 11, 23, 12, tzinfo=UTC)


def read(life: RackLife, field: FieldRack, seconds: float = 0.0) -> LiveBlock:
    return life.read(field.step(0), START + timedelta(seconds=seconds), 1)[0]


def block(image: PlantImage, field: FieldRack, lasting_s: float = 0.0) -> LiveBlock:
    """The block of a field that stays as it is; after some seconds, for what must have lasted."""
    life = RackLife(image, 1, MAP)
    shown = read(life, field)
    return read(life, field, lasting_s) if lasting_s else shown


def test_what_the_field_holds_is_what_the_list_shows_but_where_it_is_wrong_on_purpose() -> None:
    """Every module of the demo rack: 16-bit words, reals in two registers, 32-bit counters, bits, watched bits."""
    image = listed()
    field = FieldRack(PLANT, LAYOUT, 1, seed=7)
    shown = block(image, field, lasting_s=60.0)
    process = dict(
        zip([d.at for d in PLANT.field if d.at.startswith("KC-2·1·")], field.process(0).tolist(), strict=True)
    )
    wrong = {"PT-3107", "PT-3108", "TE-2103", "TE-4102"}
    for point, value in zip(shown.points.tolist(), shown.value.tolist(), strict=True):
        row = image.row_of(point)
        true = evaluate(image, Station.PROCESS, process[image.text("channel", row)], np.array([row])).at(
            Station.VALUE
        )[0]
        if image.label(row) not in wrong:
            assert value == pytest.approx(float(true)), image.label(row)
            assert shown.quality[shown.points.tolist().index(point)] == Quality.GOOD, image.label(row)


def test_registers_there_and_back_for_every_channel() -> None:
    generator = np.random.default_rng(3)
    counts = np.where(
        MAP.bit >= 0, generator.integers(0, 2, len(MAP)), generator.integers(0, 30000, len(MAP))
    ).astype(float)
    words = np.zeros(max(a + n for a, n in MAP.used), dtype=np.uint16)
    encode(MAP, np.arange(len(MAP)), counts, words)
    np.testing.assert_array_equal(decode(MAP, words).counts, counts)


@pytest.mark.parametrize(
    ("at", "fault", "point", "reason"),
    [
        ("KC-2·1·3·1", FieldFault(kind="open"), 6, Reason.OPEN_CIRCUIT),
        ("KC-2·1·2·1", FieldFault(kind="open"), 1, Reason.FAILED_LOW),
        ("KC-2·1·4·1", FieldFault(kind="short"), 13, Reason.SHORT_CIRCUIT),
        ("KC-2·1·7·1", FieldFault(kind="open"), 21, Reason.CHANNEL_FAULT),
    ],
)
def test_faults_in_the_field_reach_the_quality_of_the_value(
    at: str, fault: FieldFault, point: int, reason: Reason
) -> None:
    """Told by a count of its own, by the level, or by nothing but the module's status bit."""
    broken = PLANT.model_copy(
        update={"field": tuple(d.model_copy(update={"faults": (fault,)}) if d.at == at else d for d in PLANT.field)}
    )
    shown = block(listed(), FieldRack(broken, LAYOUT, 1, seed=7), lasting_s=5.0)
    k = shown.points.tolist().index(point)
    assert shown.quality[k] == Quality.BAD
    assert Reason(int(shown.reasons[k])) & reason


def test_a_point_that_holds_keeps_its_last_good_value_through_a_failure() -> None:
    image = listed().with_cells(
        {(3, "on_failure"): "hold last", (6, "on_failure"): "substitute", (6, "substitute"): Decimal(20)}
    )
    life = RackLife(image, 1, MAP)
    sound = read(life, FieldRack(PLANT, LAYOUT, 1, seed=7))
    opened = tuple(
        d.model_copy(update={"faults": (FieldFault(kind="open"),)}) if d.at in ("KC-2·1·2·4", "KC-2·1·3·2") else d
        for d in PLANT.field
    )
    broken = FieldRack(PLANT.model_copy(update={"field": opened}), LAYOUT, 1, seed=7)
    read(life, broken, 1.0)
    first, second = read(life, broken, 6.0), read(life, broken, 7.0)
    held, put = (sound.points.tolist().index(p) for p in (4, 7))
    assert first.value[held] == second.value[held] == sound.value[held]
    assert second.quality[held] == Quality.BAD
    assert Reason(int(second.reasons[held])) & Reason.HELD
    assert second.value[put] == 20
    assert Reason(int(second.reasons[put])) & Reason.SUBSTITUTED


def test_a_failure_is_told_after_the_time_that_the_plant_gives_it() -> None:
    """NE 43: until 4 s have passed the level is only out of range; a moment within it begins the time anew."""
    image = listed().with_cells({(0, "on_failure"): "up-scale"})
    opened = tuple(
        d.model_copy(update={"faults": (FieldFault(kind="open"),)}) if d.at == "KC-2·1·2·1" else d
        for d in PLANT.field
    )
    sound = FieldRack(PLANT, LAYOUT, 1, seed=7)
    broken = FieldRack(PLANT.model_copy(update={"field": opened}), LAYOUT, 1, seed=7)
    life = RackLife(image, 1, MAP)

    def at(seconds: float, field: FieldRack) -> tuple[Quality, Reason, float]:
        shown = read(life, field, seconds)
        k = shown.points.tolist().index(1)
        return Quality(int(shown.quality[k])), Reason(int(shown.reasons[k])), float(shown.value[k])

    young = at(0, broken)
    assert young[0] == Quality.DOUBTFUL
    assert young[1] & Reason.UNDER_RANGE
    assert young[2] == -125.0, "not replaced while it may still be a moment"
    assert at(3.9, broken)[0] == Quality.DOUBTFUL
    old = at(4.0, broken)
    assert old[1] & Reason.FAILED_LOW
    assert old[2] == pytest.approx(500 * 1.03125)
    assert at(5.0, sound)[0] == Quality.GOOD
    assert at(6.0, broken)[0] == Quality.DOUBTFUL
    assert at(9.0, broken)[0] == Quality.DOUBTFUL
    assert at(10.0, broken)[0] == Quality.BAD


def test_racks_read_together_say_what_each_says_alone() -> None:
    """All ten, at rest and with a failed signal that has to last, one of them silent now and then."""
    image = listed()
    fields = {r: FieldRack(PLANT, LAYOUT, r, 20 + r) for r in LAYOUT.racks}
    alone, joined = ({r: RackLife(image, r, RackMap.of(LAYOUT, r)) for r in LAYOUT.racks} for _ in range(2))
    together = Joined({r: life.plan for r, life in joined.items()})
    fields[1].inject(2, 0, 3.5, "mA")
    for step in range(0, 40, 4):
        at = START + timedelta(seconds=step / 4)
        words = {r: field.step(step) for r, field in fields.items() if not (r == 3 and step % 8)}
        read = together.read({r: joined[r].asks(those, at) for r, those in words.items()})
        assert read.keys() == words.keys()
        for r, those in words.items():
            one, other = alone[r].read(those, at, 1)[0], joined[r].take_in(read[r], at, 1)[0]
            for name in ("value", "counts", "quality", "reasons", "switch", "flags", "band", "load_ma"):
                np.testing.assert_array_equal(
                    getattr(one, name), getattr(other, name), f"{name} of rack {r} at {step}"
                )
    assert Reason.FAILED_LOW & int(other_reasons(joined[1], image, "PT-3107")), "3.5 mA for nine seconds"


def other_reasons(life: RackLife, image: PlantImage, tag: str) -> int:
    shown = life.silent(RackState.SILENT, "", START + timedelta(seconds=10), 1)[0]
    return int(shown.reasons[[image.label(image.row_of(int(p))) for p in shown.points].index(tag)])
