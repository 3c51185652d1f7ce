"""What goes to others: a print asked for and fetched, registers given out and the map taken along, an output given away and
taken back."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from canaleta.plant.changes.undo import undo
from canaleta.plant.records.image_cache import ImageCache
from tests.building.site import Site, choose


def _fetched(page: Page, press: str) -> bytes:
    with page.expect_download() as download:
        page.get_by_role("link", name=press).first.click()
    return Path(download.value.path()).read_bytes()


@pytest.mark.long
def test_check_records_of_an_area_are_printed_and_fetched(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/prints")
    page.get_by_role("radio", name="check records").click()
    choose(page, "of what", "an area")
    choose(page, "which one", "kiln 2")
    page.get_by_role("button", name="print", exact=True).click()
    made = page.get_by_role("region", name="made")
    expect(made.get_by_role("link").first).to_be_visible()
    with page.expect_download() as download:
        made.get_by_role("link").first.click()
    assert Path(download.value.path()).read_bytes().startswith(b"%PDF-")


def test_registers_are_given_out_and_the_map_says_them(site: Site) -> None:
    page = site.enter("erna", "engineer")
    page.goto(f"{site.address}/registers")
    page.get_by_role("button", name="give registers…").click()
    choose(page, "of which area", "stack")
    page.get_by_label("first register, from 0").fill("900")
    page.get_by_role("button", name="show what they would get").click()
    page.get_by_role("button", name="into the list").click()
    expect(page.get_by_role("table", name="register map")).to_contain_text("900")
    text = _fetched(page, "CSV").decode("utf-8-sig")
    assert any("900" in cell for row in csv.reader(io.StringIO(text)) for cell in row)
    undo(site.engine, ImageCache(site.engine), "erna")


def test_an_output_is_given_away_for_a_time_and_taken_back(site: Site) -> None:
    page = site.enter("erna", "engineer")
    page.goto(f"{site.address}/served")
    page.get_by_label("output to give away").fill("YV-6105")
    page.get_by_label("why it is given away").fill("trial of the stacker's screen")
    page.get_by_role("button", name="give it away").click()
    given = page.get_by_role("region", name="given away")
    expect(given).to_contain_text("trial of the stacker's screen")
    given.get_by_role("button", name="take it back").click()
    expect(given.get_by_role("button", name="take it back")).to_have_count(0)
