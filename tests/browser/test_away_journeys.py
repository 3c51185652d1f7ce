"""A package of work in the browser: made, taken along as one file, filled in without a server, brought back and signed; kept on
the device for when there is no network."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import expect

from canaleta.plant.people import accounts
from tests.building.site import Site

pytestmark = pytest.mark.browser
VALUES = ("0", "150", "300", "450,5", "600", "450", "300", "150", "0.2")
"""At PT-3107, 0 to 600 mbar: half a millibar off at 75 %, which is 0.1 % of 500."""


def test_a_package_is_taken_along_filled_in_and_brought_back(site: Site, tmp_path: Path) -> None:
    page = site.enter("pau")
    with site.engine.begin() as connection:
        accounts.set_password(connection, "pau", "a long one of his own")
    page.goto(f"{site.address}/packages")
    page.get_by_label("which points").fill("pt-3107")
    page.get_by_label("name of the package").fill("header")
    page.get_by_role("button", name="make it").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="take along as a file").click()
    file, brought = tmp_path / "header.html", tmp_path / "results.json"
    download.value.save_as(file)
    expect(page.locator("tbody tr").first).to_contain_text("pau")

    context = page.context.browser.new_context(viewport={"width": 390, "height": 844})  # type: ignore[union-attr]
    away = context.new_page()
    troubles: list[object] = []
    away.on("pageerror", lambda error: troubles.append(error))
    away.goto(f"file://{file}")
    away.get_by_label("your name").fill("Pau Riba")
    away.get_by_label("instrument", exact=True).fill("cal 3")
    away.get_by_label("calibrated until").fill("2999-12")
    away.get_by_role("button", name="PT-3107").click()
    for k, text in enumerate(VALUES):
        away.get_by_placeholder("read, mbar").nth(k).fill(text)
        away.keyboard.press("Tab")
    expect(away.get_by_text("✓ within")).to_have_count(9)
    away.get_by_role("button", name="done", exact=True).click()
    expect(away.get_by_text("✓ done")).to_be_visible()
    away.reload()
    expect(away.locator("header")).to_contain_text("1 of 1 done")
    with away.expect_download() as saved:
        away.get_by_role("button", name="save the results as a file").click()
    saved.value.save_as(brought)
    assert troubles == []
    context.close()

    page.get_by_label("file of results").set_input_files(brought)
    expect(page.get_by_text("○ fresh")).to_be_visible()
    page.get_by_label("your password once more").fill("a long one of his own")
    page.get_by_role("button", name="bring 1 back").click()
    expect(page.get_by_text("✓ signed")).to_be_visible()
    page.get_by_label("file of results").set_input_files(brought)
    expect(page.get_by_text("brought before: signed as record")).to_be_visible()


@pytest.mark.long
def test_a_package_on_this_device_opens_without_a_network(site: Site) -> None:
    """This address is one of the machine itself, which a browser trusts as it does TLS."""
    page = site.enter("pau")
    page.goto(f"{site.address}/packages")
    page.get_by_label("which points").fill("ft-3110")
    page.get_by_label("name of the package").fill("air")
    page.get_by_role("button", name="make it").click()
    row = page.locator("tbody tr", has_text="air")
    row.get_by_role("button", name="on this device").click()
    link = page.get_by_role("link", name="open it")
    expect(link).to_be_visible()
    path = link.get_attribute("href")
    page.wait_for_function("() => navigator.serviceWorker.getRegistration('/away/').then((r) => !!r?.active)")
    page.context.set_offline(True)
    kept = page.context.new_page()
    kept.goto(f"{site.address}{path}")
    expect(kept.get_by_role("heading", name="air")).to_be_visible()
    expect(kept.get_by_role("button", name="FT-3110")).to_be_visible()
    page.context.set_offline(False)
    # The plant is everybody's: what was taken along is let go of again.
    row.get_by_role("button", name="let it go").click()
    expect(row.get_by_role("button", name="let it go")).to_have_count(0)
