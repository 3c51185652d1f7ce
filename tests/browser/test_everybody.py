"""Every page for everybody: no serious finding of axe-core, light and dark; the guide and the palette by keys alone."""

from __future__ import annotations

import os
import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from canaleta.host.check import LONG
from tests.building.site import Site

pytestmark = pytest.mark.browser
AXE = Path(__file__).parents[2] / "ui/node_modules/axe-core/axe.min.js"
PAGES = {
    "/list": ".grid .row", "/point/1": ".station", "/point/1/wiring": ".drawing svg", "/live": ".hung", "/now/1": ".now",
    "/alarms": ".topbar", "/temporary": "form", "/scripts": ".topbar", "/learn": ".told", "/checkout": "h1",
    "/progress": ".bar", "/packages": "form", "/punches": "form", "/records": "h1", "/check/1": "h1", "/trim/1": ".levels", "/finder": "form", "/history": "h1", "/cabinets": ".module", "/running": ".rack", "/registers": "h1", "/prints": ".document", "/served": "form", "/types/ai4-iso": ".sketch table",
    "/cables": ".cables", "/findings": "h1", "/import": "textarea", "/program": ".code .row", "/revisions": "h1", "/handover": ".page h2",
    "/conventions": "h1", "/account": "h1", "/guide": "article h2",
}  # fmt: skip
_RUN = """async (rules) => {
  // The rows of the list lie transparent over their drawing: what is seen has the theme's contrast, measured elsewhere.
  const tags = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']
  const found = await axe.run({ exclude: [['.layer']] }, {
    runOnly: rules.length ? { type: 'rule', values: rules } : tags, resultTypes: ['violations'] })
  return found.violations.filter((v) => ['serious', 'critical'].includes(v.impact))
    .map((v) => `${v.id}: ${v.nodes.slice(0, 3).map((n) => n.target.join(' ')).join(' | ')} (${v.nodes.length})`)
}"""
_GO = "path => { history.pushState({}, '', path); dispatchEvent(new PopStateEvent('popstate')) }"


def serious(page: Page, *rules: str) -> list[str]:
    """What axe-core finds on the page as it stands, that is serious or critical; by some of its rules, or all."""
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE.read_text(encoding="utf-8"))
    found: list[str] = page.evaluate(_RUN, list(rules))
    return found


def test_no_page_has_a_serious_finding_of_axe_light_or_dark(site: Site) -> None:
    """What a page is made of is the same in both; the colours are not."""
    page = site.enter("ana")
    found = {}
    for path, there in PAGES.items():
        page.evaluate(_GO, path)
        page.locator(there).first.wait_for()
        told = serious(page)
        if path in EVERY_DAY or os.environ.get(LONG):
            page.get_by_role("button", name="dark", exact=True).click()
            told += [f"dark: {one}" for one in serious(page, "color-contrast")]
            page.get_by_role("button", name="light", exact=True).click()
        if told:
            found[path] = told
    assert found == {}


@pytest.mark.long
def test_everything_can_be_reached_and_done_by_the_palette(site: Site) -> None:
    page = site.enter("ana")
    page.keyboard.press("Control+k")
    asked = page.get_by_label("what to do, or where to go").and_(page.locator("input"))
    expect(asked).to_be_focused()
    asked.fill("shelve")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/alarms"))
    page.keyboard.press("/")
    field = page.get_by_label("find", exact=True).and_(page.locator("input"))
    expect(field).to_be_focused()
    field.fill("te-2102")
    expect(page.get_by_role("option", name=re.compile("^TE-2102"))).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator(".work h1")).to_have_text("TE-2102")
    page.keyboard.press("Control+k")
    expect(asked).to_be_focused()
    page.keyboard.press("Escape")
    expect(page.get_by_label("what to do, or where to go").and_(page.locator("input"))).to_have_count(0)


@pytest.mark.long
def test_the_question_mark_opens_the_guide_where_it_is_about_the_page(site: Site) -> None:
    page = site.enter("ana")
    page.goto(site.address + "/alarms")
    page.get_by_label("the guide to this page").wait_for()
    with page.expect_popup() as opened:
        page.get_by_label("the guide to this page").click()
    expect(opened.value).to_have_url(re.compile("/guide#alarms$"))
    expect(opened.value.locator("#alarms")).to_be_in_viewport()


@pytest.mark.long
def test_the_first_steps_are_five_and_left_at_once(site: Site) -> None:
    page = site.enter("ana")
    page.evaluate("localStorage.setItem('canaleta-first-steps', 'false')")
    page.keyboard.press("Control+k")
    page.get_by_label("what to do, or where to go").and_(page.locator("input")).fill("first steps")
    page.keyboard.press("Enter")
    steps = page.get_by_label("first steps")
    for number in range(1, 5):
        expect(steps).to_contain_text(f"{number} of 5")
        steps.get_by_role("button", name="next").click()
    expect(page).to_have_url(re.compile("/live"))
    steps.get_by_role("button", name="leave").click()
    expect(steps).to_have_count(0)


def test_at_twice_the_size_the_list_is_whole_and_its_cells_are_where_they_are_drawn(site: Site) -> None:
    page = site.enter("ana")
    page.set_viewport_size({"width": 640, "height": 400})  # 1280×800 at 200 %
    page.locator("#cell-2-service").click()
    expect(page.locator(".row.here .frozen")).to_contain_text("PT-3108")
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), "nothing hangs out of the page"


_FOCUSED = """() => {
  const one = document.activeElement
  if (!one || one === document.body) return null
  const seen = (style) => (style.outlineStyle !== 'none' && parseFloat(style.outlineWidth) > 0) || style.boxShadow !== 'none'
  const around = one.closest('.v-field--focused, .v-selection-control, .pick, .grid')
  // The cell that the hand is on is framed in the drawing.
  const marked = one.matches('.grid') || seen(getComputedStyle(one)) || seen(getComputedStyle(one, '::after')) ||
    (around && (around.matches('.v-field--focused') || seen(getComputedStyle(around))))
  const at = one.getBoundingClientRect()
  const there = at.width > 0 && at.bottom > 0 && at.top < innerHeight && at.right > 0 && at.left < innerWidth
  one.dataset.stop ||= String((window.stops = (window.stops ?? 0) + 1))
  const name = (one.getAttribute('aria-label') || one.textContent || '').trim().slice(0, 40)
  return { stop: one.dataset.stop, name: `${one.tagName} ${name}`, good: marked && there }
}"""
MOST_STOPS = 250
"""More than this on the way through a page nobody presses: many of a kind are one stop, and the arrows go on from it."""
EVERY_DAY = ("/point/1", "/live", "/cables", "/alarms", "/check/1")


def test_f6_leads_out_of_the_list_and_through_the_parts_of_the_screen(site: Site) -> None:
    page = site.enter("ana")
    page.locator(".grid[role=grid]").focus()
    parts = []
    for key in ("F6", "F6", "F6", "Shift+F6", "Shift+F6"):
        page.keyboard.press(key)
        within = "['.rail', '.topbar', '.tools', '.grid'].find((name) => document.activeElement.closest(name))"
        parts.append(page.evaluate(within))
    assert parts == [".rail", ".topbar", ".tools", ".topbar", ".rail"]


@pytest.mark.long
def test_tab_goes_through_every_page_and_what_it_comes_to_is_seen(site: Site) -> None:
    page = site.enter("ana")
    found: dict[str, list[str]] = {}
    for path in PAGES if os.environ.get(LONG) else EVERY_DAY:
        page.evaluate(_GO, path)
        page.locator(PAGES[path]).first.wait_for()
        stops: dict[str, str] = {}
        # In the list Tab goes from cell to cell, as in a sheet.
        page.keyboard.press("F6")
        for _ in range(MOST_STOPS):
            page.keyboard.press("Tab")
            one = page.evaluate(_FOCUSED)
            if one is None or one["stop"] in stops:
                break
            stops[one["stop"]] = one["name"]
            if not one["good"]:
                found.setdefault(path, []).append(one["name"])
        else:
            found.setdefault(path, []).append(f"more than {MOST_STOPS} stops")
        assert len(stops) > 2, f"{path}: {stops}"
        ahead = page.locator("[tabindex]:not([tabindex='0'], [tabindex='-1'])").count()
        assert ahead == 0, "what comes first in the page comes first"
    assert found == {}
