"""Stand-ins follow the list one rack at a time: the others go on, and what was put on stays where it still fits."""

from __future__ import annotations

import asyncio
from dataclasses import replace

import pytest
from tests.building.agents import in_a_loop_of_its_own

from canaleta.catalogue.demo import DemoPlant, demo_plant, layout_of
from canaleta.core.model.image import PlantImage
from canaleta.core.model.registers import decode
from canaleta.host.cluster import free_port
from canaleta.plant.changes.seed import stored_row
from canaleta.plant.checks.stand_in import followed_document
from canaleta.standins.field import InjectionError
from canaleta.standins.server import StandIns, with_rack


def image_of(plant: DemoPlant) -> PlantImage:
    layout = layout_of(plant)
    empty = PlantImage.of_rows([{}], layout)
    return PlantImage.of_rows([stored_row(empty, point) for point in plant.points], layout)


def first_on(image: PlantImage, rack: int, signal: str) -> int:
    return next(
        row
        for row in range(len(image))
        if image.landed[row]
        and image.layout.modules[int(image.module[row])].rack == rack
        and image.text("signal", row) == signal
    )


def test_an_edit_of_one_point_renews_its_rack_alone_and_drops_nothing_that_was_put_on() -> None:
    plant = demo_plant()
    before = image_of(plant)
    row, other = first_on(before, 1, "4–20 mA"), first_on(before, 2, "4–20 mA")
    elsewhere = next(
        r
        for r in range(row + 1, len(before))
        if before.landed[r]
        and before.text("signal", r) == "4–20 mA"
        and before.layout.modules[int(before.module[r])].rack == 1
    )
    now = before.with_cells({(row, "device_high"): 700})
    wanted = followed_document(before, now, 1)
    assert wanted
    assert followed_document(before, now, 2) is None
    assert followed_document(before, before.with_cells({(row, "service"): "other"}), 1) is None
    document, _, keep = wanted
    assert before.text("channel", row) not in keep, "its device is another now"
    assert keep[before.text("channel", elsewhere)] == before.text("channel", elsewhere), "all others stay"

    async def run() -> None:
        ports = {1: free_port(), 2: free_port()}
        made = StandIns(plant, ports, seed=5)
        await made.begin()
        try:
            places = {r: before.layout.modules[int(before.module[r])].place for r in (elsewhere, other)}
            made.racks[1].field.inject(places[elsewhere], int(before.channel[elsewhere]), 13.0, "mA")
            made.racks[2].field.inject(places[other], int(before.channel[other]), 9.0, "mA")
            was, same = made.racks[1], made.racks[2]
            await made.become(DemoPlant.model_validate(document), {1: ports[1]}, 1, keep)
            assert made.racks[2] is same, "another rack goes on without a break"
            assert made.racks[1] is not was
            assert [put[:2] for put in made.racks[1].field.injected()] == [
                (places[elsewhere], int(before.channel[elsewhere]))
            ]
            assert made.racks[2].field.injected()
            assert made.racks[1].step >= was.step, "the process goes on where it was"
        finally:
            await made.end()

    in_a_loop_of_its_own(run)


def test_what_was_made_different_for_practice_stays_with_a_device_that_nobody_touched() -> None:
    plant = demo_plant()
    before = image_of(plant)
    row = first_on(before, 1, "4–20 mA")
    wanted = followed_document(before, before.with_cells({(row, "device_high"): 700}), 1)
    assert wanted
    document, _, keep = wanted
    merged = with_rack(plant, DemoPlant.model_validate(document), 1, keep)
    odd = {d.at: d for d in plant.field}
    layout = layout_of(plant)
    changed = before.text("channel", row)
    here = [d for d in merged.field if layout.modules[layout.read_address(d.at)[0]].rack == 1]
    assert any(d.faults or d.cells for d in here)
    for device in here:
        if device.at != changed and device.at in odd:
            assert device == odd[device.at]
    assert len([d for d in merged.field if d.at == changed]) == 1
    assert next(d for d in merged.field if d.at == changed).high == pytest.approx(700)


def test_a_rack_that_is_asked_to_be_like_the_list_touches_no_other() -> None:
    async def run() -> None:
        plant = demo_plant()
        ports = {1: free_port(), 2: free_port(), 3: free_port()}
        made = StandIns(plant, ports, seed=5)
        await made.begin()
        before = dict(made.racks)
        await made.become(plant, ports, only=2)
        assert made.racks[1] is before[1]
        assert made.racks[3] is before[3]
        assert made.racks[2] is not before[2]
        await asyncio.sleep(0)
        await made.end()

    in_a_loop_of_its_own(run)


def test_an_output_is_led_to_an_input_of_another_rack_and_stays_so_when_one_is_begun_anew() -> None:
    """The input reads what the output of the other rack gives; without the wires it reads its own process again."""

    async def run() -> None:
        plant = demo_plant()
        layout = layout_of(plant)
        ports = {1: free_port(), 2: free_port()}
        made = StandIns(plant, ports, seed=5)
        await made.begin()
        try:
            (out, out_channel), (into, channel) = layout.read_address("KC-2·2·5·1"), layout.read_address("KC-2·1·2·1")
            at = layout.modules[into].place, channel
            output = 2, layout.modules[out].place, out_channel

            def reads_ma() -> float:
                """4 to 20 mA are 0 to 32 000 counts."""
                field = made.racks[1].field
                counts = decode(field.map, field.step(made.racks[1].step)).counts[field.map.row_of(into, channel)]
                return 4.0 + 16.0 * float(counts) / 32_000

            def gives_ma() -> float:
                return made.racks[2].field.signals({"KC-2·2·5·1"})["KC-2·2·5·1"]

            by_itself = reads_ma()
            await made.wire(1, *at, output)
            assert abs(by_itself - gives_ma()) > 1.0, "else this test tells nothing"
            assert reads_ma() == pytest.approx(gives_ma(), abs=0.001)
            await made.become(made.plant, ports, only=1)
            await made.racks[2].refresh()
            made.racks[1].field.brought = made.racks[2].field.signals(made.racks[1].field.wants)
            assert reads_ma() == pytest.approx(gives_ma(), abs=0.001)
            with pytest.raises(InjectionError, match="no output there"):
                await made.wire(1, *at, (1, *at))
            with pytest.raises(InjectionError, match="no stand-in"):
                await made.wire(1, *at, (9, *at))
            await made.wire(1, *at, None)
            assert reads_ma() == pytest.approx(by_itself, abs=0.5)
        finally:
            await made.end()

    in_a_loop_of_its_own(run)


def test_a_setting_of_a_module_is_written_by_somebody_and_follows_nothing_by_itself() -> None:
    """Filter, mode and whether a channel is on live in the rack: the difference is what “compare” is there to
    tell."""
    before = image_of(demo_plant())
    row = first_on(before, 1, "4–20 mA")
    for name, value in (("filter", "300 ms"), ("mode", "0–20 mA"), ("enabled", "no")):
        now = before.with_cells({(row, name): value})
        assert followed_document(before, now, 1) is None, name


def test_how_the_plant_counts_its_channels_is_no_matter_of_the_stand_in() -> None:
    """Counted from 0 instead of 1 every address reads otherwise, and not one device has moved."""
    before = image_of(demo_plant())
    from_zero = before.with_layout(replace(before.layout, channel_base=0))
    assert from_zero.text("channel", 0) != before.text("channel", 0)
    assert followed_document(before, from_zero, 1) is None
