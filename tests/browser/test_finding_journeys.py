"""Findings by their cause: settled with a preview, accepted with a reason, told before a convention is changed."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy import delete

from canaleta.plant.changes.accepting import lift
from canaleta.plant.changes.apply import Applied, Edit, Proposal, apply
from canaleta.plant.database import tables as t
from canaleta.plant.records.image_cache import ImageCache
from tests.building.site import Site

pytestmark = pytest.mark.browser
PT_3111, PT_1501, TE_2103 = 4, 186, 12
SPARE = "the nozzle rings get another input in May"


def edit(site: Site, point: int, field: str, text: str) -> None:
    """What somebody else types meanwhile."""
    cache = ImageCache(site.engine)
    image = cache.current()
    was = image.text(field, image.row_of(point))
    assert isinstance(apply(site.engine, cache, Proposal((Edit(point, field, was, text),)), "bru"), Applied)


def group(page: Page, words: str) -> None:
    page.get_by_role("option").filter(has_text=words).click()


def test_one_cause_is_settled_in_one_step_and_the_count_is_everybodys(site: Site) -> None:
    page, other = site.enter("ana"), site.enter("bru")
    page.get_by_role("link", name="Findings").click()
    expect(page.get_by_text("3 bad")).to_be_visible()
    expect(other.get_by_role("link", name="Findings")).to_contain_text("14")

    # The loop's station alone, found with the keyboard alone.
    page.get_by_role("button", name="LOOP 3").click()
    expect(page.get_by_role("option")).to_have_count(3)
    page.keyboard.press("ArrowDown")
    expect(page.locator("article h2")).to_contain_text("the wrong extension wire")
    page.get_by_role("button", name="it is SCA").click()
    expect(page.locator(".preview")).to_contain_text("loop extension wire KX → SCA")
    page.get_by_role("button", name="do it").click()
    expect(page.get_by_text("2 bad")).to_be_visible()
    expect(other.get_by_role("link", name="Findings")).to_contain_text("13")
    page.get_by_role("button", name="LOOP 2").focus()
    page.keyboard.press("Control+z")
    expect(page.get_by_text("3 bad")).to_be_visible()


@pytest.mark.long
def test_several_of_a_kind_are_settled_in_one_step(site: Site) -> None:
    page = site.enter("ana")
    edit(site, PT_3111, "value_high", "8.00")
    page.goto(f"{site.address}/findings")
    group(page, "at 12 mA the list shows 250.0 mbar")
    page.get_by_role("button", name="take all 2 of this rule together").click()
    page.get_by_role("button", name="follow the device · all 2").click()
    expect(page.locator(".preview")).to_contain_text("settles 2")
    page.get_by_role("button", name="do it").click()
    expect(page.get_by_role("option").filter(has_text="at 12 mA the list shows")).to_have_count(0)
    page.locator("h1").click()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("option").filter(has_text="at 12 mA the list shows")).to_have_count(2)
    edit(site, PT_3111, "value_high", "10.00")


@pytest.mark.long
def test_six_places_of_one_cause_are_accepted_with_a_reason_and_open_again_when_a_fact_changes(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/findings")
    group(page, "the converter stops at 4.00 mA")
    expect(page.get_by_text("6 places of one cause: AI-8 L in mode 4–20 mA")).to_be_visible()
    page.get_by_role("button", name="accept all 6").click()
    page.get_by_label("why it may stay so").fill(SPARE)
    page.keyboard.press("Enter")
    expect(page.get_by_text("5 to settle")).to_be_visible()
    page.get_by_role("button", name="accepted 6").click()
    expect(page.locator("article")).to_contain_text("accepted by ana")
    expect(page.locator("article")).to_contain_text(SPARE)

    # It is printed with the list, and at the station of its point.
    page.get_by_role("link", name="PT-1501").click()
    expect(page.locator(".findings")).to_contain_text(f"accepted: {SPARE}")
    page.go_back()

    # Another fact of one of them: that one is open again, and says so.
    edit(site, PT_1501, "failure_ma", "3.6")
    page.goto(f"{site.address}/findings")
    expect(page.get_by_text("6 to settle")).to_be_visible()
    group(page, "the converter stops at 4.00 mA")
    expect(page.get_by_text("was accepted")).to_contain_text("its facts have changed since")
    page.get_by_role("button", name="accepted 5").click()
    page.get_by_role("button", name="open all 5 again").click()
    expect(page.get_by_text("11 to settle")).to_be_visible()
    edit(site, PT_1501, "failure_ma", "")
    lift(site.engine, ImageCache(site.engine), [f"R10:{PT_1501}"], "ana")


@pytest.mark.long
def test_a_supply_that_is_to_change_says_what_would_come_of_it_first(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/conventions")
    page.get_by_role("button", name="20.4").click()
    page.keyboard.type("11")
    page.keyboard.press("Enter")
    expect(page.locator(".would")).to_contain_text(re.compile(r"20.4 → 11 would raise \d+ findings"))
    expect(page.locator(".would")).to_contain_text("V short at 22 mA")
    page.get_by_role("button", name="leave it").click()
    expect(page.get_by_role("button", name="20.4")).to_be_visible()


@pytest.mark.long
def test_another_wire_is_work_for_the_field_and_the_list_follows_who_did_it(site: Site) -> None:
    """The wrong extension wire goes on the punch list; whoever changed it says so, and another who finds that it is not so
    sends the list back to what it was."""
    page, other = site.enter("ana"), site.enter("bru")
    page.goto(f"{site.address}/findings")
    group(page, "type S on KX wire")
    page.get_by_role("button", name="to be done in the field").first.click()
    page.get_by_label("who does it").fill("Bru")
    page.get_by_role("button", name="on the punch list").click()
    expect(page.get_by_text("of the punch list: the list changes when it is said to be mended")).to_be_visible()

    def extension() -> str:
        image = ImageCache(site.engine).current()
        return image.text("extension", image.row_of(TE_2103))

    assert extension() == "KX"
    other.goto(f"{site.address}/punches")
    other.get_by_role("button", name="mended…").first.click()
    other.get_by_label("how it was mended").fill("drew SCA from the head to TC-8")
    other.get_by_role("button", name="mended", exact=True).click()
    expect(other.get_by_role("button", name="look at it…").first).to_be_visible()
    assert extension() == "SCA"
    expect(page.get_by_role("option").filter(has_text="type S on KX wire")).to_have_count(0)
    page.goto(f"{site.address}/punches")
    page.get_by_role("button", name="look at it…").first.click()
    page.get_by_label("what you saw").fill("it is still KX")
    page.get_by_role("button", name="not so").click()
    expect(page.get_by_role("button", name="mended…").first).to_be_visible()
    assert extension() == "KX"
    with site.engine.begin() as connection:
        connection.execute(delete(t.punch).where(t.punch.c.point == TE_2103))


@pytest.mark.long
def test_a_fuse_over_its_rating_is_told_before_the_supplies_are_put_down(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/conventions")
    expect(page.get_by_text("None is put down")).to_be_visible()
    page.get_by_role("button", name="put one down").click()
    page.get_by_label("name of the new one").fill("G1")
    page.get_by_label("gives of G1").fill("24")
    page.get_by_role("button", name="another", exact=True).click()
    page.get_by_label("name of the new one").fill("F1")
    page.get_by_label("fed by of F1").fill("G1")
    page.get_by_label("rating of F1").fill("0,05")
    page.get_by_label("channels behind it of F1").fill("KC-2·1·2")
    page.get_by_role("button", name="see what it would do").click()
    expect(page.locator(".would")).to_contain_text(
        re.compile(r"F1 carries \d+ mA for \d points, and 50 mA are its rating")
    )
    page.get_by_role("button", name="leave it").first.click()
    expect(page.locator(".would")).to_have_count(0)
    page.get_by_label("channels behind it of F1").fill("KC-2·1·x")
    page.get_by_role("button", name="see what it would do").click()
    expect(page.get_by_role("alert").first).to_contain_text("write channels as in TC-3·1·4·1 to 8")
