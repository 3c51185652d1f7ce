"""Journeys at the list: work in bulk by keyboard alone, lists from outside, and several people at once."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Locator, Page, Route, expect

from canaleta.plant.people import accounts
from canaleta.plant.records.image_cache import ImageCache
from tests.building.site import Site, choose

pytestmark = pytest.mark.browser
TAKE_AWAY = """async (point) => {
  const { csrf } = await (await fetch('/api/session')).json()
  const headers = { 'Content-Type': 'application/json', 'X-Canaleta-Csrf': csrf }
  return (await fetch('/api/points/remove', { method: 'POST', headers, body: JSON.stringify({ points: [point] }) })).status
}"""
"""Tests share a plant: what one leaves in the list would stand among the rows of the next."""
POINTS = ".row:not(.fresh) .cell.frozen"
PASSWORD = "a long enough word"


def cell(page: Page, point: int, field: str) -> Locator:
    return page.locator(f"#cell-{point}-{field}")


def grid(page: Page) -> Locator:
    return page.locator(".grid[role=grid]")


def newest(site: Site) -> int:
    return int(ImageCache(site.engine).current().ids[-1])


def undo(page: Page) -> None:
    grid(page).focus()
    page.keyboard.press("Control+z")


def tags(page: Page) -> list[str]:
    """Of the rows in sight. While the list moves it has no rows that one could read."""
    expect(page.locator(POINTS).first).to_be_attached()
    return [re.sub(r"[▲■\s]", "", text) for text in page.locator(POINTS).all_inner_texts()]


@pytest.mark.long
def test_sixteen_numbered_points_without_the_mouse(site: Site) -> None:
    page = site.enter("ana")
    page.keyboard.press("Alt+n")
    expect(page.get_by_label("how many")).to_be_focused()
    page.keyboard.type("16")
    page.keyboard.press("Tab")
    page.keyboard.press("Control+a")
    page.keyboard.type("PT-8501")
    expect(page.get_by_role("button", name="make 16")).to_be_enabled()
    expect(page.locator("aside li", has_text="PT-8516")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator(".row.here .frozen")).to_have_text("PT-8501")
    expect(page.locator(".row .frozen", has_text="PT-8516")).to_be_visible()
    # The first of a column is typed, the rest counted on.
    first = newest(site) - 15
    for _ in range(7):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Escape")
    cell(page, first, "service").click()
    page.keyboard.type("press 1 cell 7")
    page.keyboard.press("Enter")
    page.keyboard.press("ArrowUp")
    for _ in range(15):
        page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Alt+s")
    expect(cell(page, first + 15, "service")).to_have_text("press 1 cell 22")
    page.keyboard.press("Control+Delete")
    expect(page.get_by_role("heading", name="take 16 points away")).to_be_visible()
    expect(page.get_by_role("button", name="take away")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_text("286 points")).to_be_visible()
    for _ in range(4):
        undo(page)
    expect(page.get_by_text("286 points")).to_be_visible()


@pytest.mark.long
def test_a_view_is_found_made_and_kept_by_keyboard(site: Site) -> None:
    page = site.enter("ana")
    page.keyboard.press("/")
    page.keyboard.type("kiln 2 signal:tc high>1000")
    page.keyboard.press("Enter")
    expect(page.get_by_text(re.compile(r"^\d+ of 286 points"))).to_be_visible()
    expect(page.locator(".row .cell.frozen").first).to_have_text(re.compile("^TE-2101"))
    found = tags(page)
    assert all(tag.startswith("TE-") for tag in found), found
    page.keyboard.press("Alt+c")
    page.keyboard.type("direct address")
    page.keyboard.press("Tab")
    page.keyboard.press("Space")
    page.keyboard.press("Escape")
    grid(page).focus()
    # It stands among the columns of its station, not behind the last one.
    expect(page.locator(".row .cell", has_text=re.compile(r"^%IW\d+\.\d+")).first).to_be_attached()
    page.locator(".name.frozen").click()
    page.locator(".name.frozen").click()
    expect(page.locator(POINTS).first).to_have_text(re.compile("^TE-(?!2101)"))
    now = tags(page)
    assert now == sorted(now, reverse=True)
    page.keyboard.press("Alt+v")
    page.get_by_label("name of the view").fill("hot ends")
    page.keyboard.press("Enter")
    expect(page.locator(".card.on")).to_contain_text("hot ends")
    page.reload()
    expect(page.get_by_role("button", name=re.compile("view: hot ends"))).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("columns 25"))).to_be_visible()


def test_groups_close_and_sums_are_of_what_is_selected(site: Site) -> None:
    page = site.enter("ana")
    choose(page, "group by", "area")
    head = page.locator(".group").first
    expect(head).to_contain_text("dryer")
    rows = int(grid(page).get_attribute("aria-rowcount") or 0)
    head.get_by_role("button").click()
    expect(head).to_have_attribute("aria-expanded", "false")
    assert int(grid(page).get_attribute("aria-rowcount") or 0) < rows
    choose(page, "group by", "no groups")
    cell(page, 1, "device_high").click()
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Shift+ArrowDown")
    expect(page.locator(".strip")).to_contain_text("sum 675 · mean 225 · from 25 to 600")


def test_a_column_is_filtered_at_its_head_and_the_address_carries_it(site: Site) -> None:
    page = site.enter("ana")
    cell(page, 1, "signal").click()
    page.keyboard.press("Alt+ArrowDown")
    sieve = page.get_by_role("dialog", name="filter by signal")
    expect(sieve.get_by_label("find a text")).to_be_focused()
    expect(sieve.get_by_role("checkbox", name="Ni120")).to_be_checked()
    page.keyboard.type("ni120")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    expect(sieve).to_have_count(0)
    expect(page.get_by_text(re.compile(r"^\d+ of 286 points"))).to_be_visible()
    assert tags(page)
    assert all(text == "Ni120" for text in page.locator(".row:not(.fresh) [id$='-signal']").all_inner_texts())
    expect(page).to_have_url(re.compile("where="))
    page.reload()
    expect(page.locator(POINTS).first).to_have_text(re.compile("TE-"))
    page.get_by_role("button", name="signal: Ni120 ✕").click()
    expect(page.get_by_text(re.compile(r"^286 points"))).to_be_visible()


def test_a_tag_typed_below_the_last_row_is_a_point_and_rows_can_stay_in_sight(site: Site) -> None:
    page = site.enter("ana")
    cell(page, 1, "tag").click()
    page.keyboard.press("Alt+p")
    expect(page.get_by_text("1 kept in sight")).to_be_visible()
    page.keyboard.press("Control+ArrowDown")
    # A service first: nothing is made until it has a tag.
    page.keyboard.press("ArrowRight")
    page.keyboard.type("kiln car brake")
    page.keyboard.press("Enter")
    expect(cell(page, 0, "tag")).to_have_text("tag?")
    page.keyboard.press("ArrowLeft")
    page.keyboard.type("ZS-9901")
    page.keyboard.press("Tab")
    made = page.locator(".row.here")
    expect(made.locator(".frozen")).to_have_text("ZS-9901")
    expect(cell(page, newest(site), "service")).to_have_text("kiln car brake")
    assert int(cell(page, 1, "tag").evaluate("e => e.getBoundingClientRect().y")) < 200, "it stays at the top"
    page.keyboard.press("Alt+p")
    page.get_by_role("button", name="2 kept in sight ✕").click()
    undo(page)
    expect(page.get_by_text("ZS-9901", exact=True)).to_have_count(0)


def test_free_channels_are_offered_in_the_cell_and_value_takes_the_devices_range(site: Site) -> None:
    page = site.enter("ana")
    cell(page, 1, "channel").click()
    page.keyboard.press("F2")
    offered = page.get_by_role("listbox").get_by_role("option")
    expect(offered.first).to_have_text(re.compile("KC-2·1·2·"))
    page.keyboard.press("Escape")
    cell(page, 1, "value_high").click()
    expect(cell(page, 1, "value_high")).to_have_text("500")
    page.keyboard.press("Alt+=")
    expect(cell(page, 1, "value_high")).to_have_text("600")
    page.get_by_role("button", name="undo").click()
    expect(cell(page, 1, "value_high")).to_have_text("500")


def test_a_transmitter_from_nothing_to_live_scaled_and_proved_in_twenty_actions(site: Site) -> None:
    """By keyboard alone; typing a text and the key behind it is one action, and so is choosing a button."""
    page = site.enter("ana")
    actions = 0

    def act(*keys: str, typed: str = "") -> None:
        nonlocal actions
        actions += 1
        if typed:
            page.keyboard.type(typed)
        for key in keys:
            page.keyboard.press(key)

    cell(page, 1, "tag").click()  # where everybody begins
    act("Control+ArrowDown")
    act("Tab", typed="PT-9911")
    expect(page.locator(".row.here .frozen")).to_have_text("PT-9911")
    point = newest(site)
    act("Tab", typed="burner oil pressure")
    act("Tab", typed="kiln 2")
    act("Tab", typed="4–20 mA")
    act("Tab", typed="0-6 bar")
    expect(cell(page, point, "device_unit")).to_have_text("bar")
    act(*["ArrowRight"] * 4)
    act("Tab", typed="2")
    act("Tab", typed="module")
    expect(cell(page, point, "supply")).to_have_text("module")
    act("F2", "ArrowDown")
    expect(page.get_by_role("option").first).to_have_attribute("aria-selected", "true")
    act("Enter")
    expect(cell(page, point, "mode")).to_have_text("4–20 mA")
    act("ArrowUp")
    act("Alt+=")
    expect(cell(page, point, "value_high")).to_have_text("6")
    act("Enter")
    expect(page.get_by_label("VALUE, what people trust")).to_have_value(re.compile(r"\d"))
    act("Alt+c")
    play = page.get_by_role("button", name="play it on the stand-in")
    expect(play).to_be_visible()
    play.focus()
    act("Enter")
    expect(page.get_by_text("✓ within").first).to_be_visible()
    # It plays eight more steps by itself; name and password are two more actions (test_a_check_is_played_on_the_stand_in…).
    assert actions + 2 <= 20, actions
    page.get_by_role("link", name="path").click()
    assert page.evaluate(TAKE_AWAY, point) == 200


def test_of_a_paste_what_is_wrong_stays_in_its_cell_and_the_rest_is_in(site: Site) -> None:
    page = site.enter("ana")
    cell(page, 1, "service").click()
    page.evaluate("navigator.clipboard.writeText('gas header\\tkiln 9\\nfurnace draft\\tkiln 9')")
    page.keyboard.press("Control+v")
    expect(cell(page, 2, "area")).to_have_text("kiln 9")
    cell(page, 1, "device_low").click()
    page.evaluate("navigator.clipboard.writeText('0\\t700\\nnone\\t60')")
    page.keyboard.press("Control+v")
    expect(cell(page, 1, "device_high")).to_have_text("700")
    expect(cell(page, 2, "device_low")).to_have_class(re.compile("refused"))
    expect(cell(page, 2, "device_high")).to_have_text("60")
    cell(page, 2, "device_low").click()
    expect(page.locator(".refusal")).to_contain_text("“none” is not a number")
    page.keyboard.press("Escape")
    for _ in range(2):
        undo(page)
    expect(cell(page, 1, "device_high")).to_have_text("600")
    expect(cell(page, 1, "service")).to_have_text("burner gas header pressure")


@pytest.mark.long
def test_find_and_replace_shows_each_cell_before_it_is_done(site: Site) -> None:
    page = site.enter("ana")
    cell(page, 1, "service").click()
    page.keyboard.press("Alt+r")
    page.get_by_label("find", exact=True).last.fill("burner gas")
    page.get_by_label("becomes").fill("fuel")
    page.keyboard.press("Enter")
    expect(page.locator("aside li").first).to_contain_text("burner gas header pressure fuel header pressure")

    # What was looked at stays while somebody else works on other cells.
    other = site.enter("bru")
    type_into(other, 2, "area", "seen")
    expect(cell(page, 2, "area")).to_have_text("seen")
    undo(other)
    expect(cell(page, 2, "area")).not_to_have_text("seen")

    page.get_by_role("button", name=re.compile(r"replace in \d+ cells")).click()
    expect(cell(page, 1, "service")).to_have_text("fuel header pressure")
    undo(page)
    expect(cell(page, 1, "service")).to_have_text("burner gas header pressure")


def test_a_list_from_a_sheet_is_shown_cell_by_cell_then_taken_in(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/import")
    sheet = (
        "Vallroja;;;;\n;;Instrument;;\ntag;service;signal;min;colour\n"
        "PT-3111;air header;4 to 20 mA;0;red\nPT-9001;new one;4-20 mA;low;red\n"
    )
    file = {"name": "list.csv", "mimeType": "text/csv", "buffer": sheet.encode()}
    page.locator("input[type=file]").set_input_files(file)
    expect(page.get_by_role("button", name="1 change", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(page.locator(".outcome")).to_contain_text("combustion air header pressure air header")
    page.get_by_role("button", name="1 cells not taken").click()
    expect(page.locator(".outcome")).to_contain_text("“low” is not a number")
    page.get_by_role("button", name=re.compile("^colour is taken for nothing")).click()
    choose(page, "colour is", "point notes")
    expect(page.get_by_role("button", name="1 new")).to_be_visible()
    page.get_by_role("button", name="take it in").click()
    page.get_by_role("button", name="to the list").click()
    expect(page.get_by_text("287 points")).to_be_visible()
    undo(page)
    expect(page.get_by_text("286 points")).to_be_visible()


def test_a_list_by_other_hands_asks_once_and_is_answered_by_keys(site: Site) -> None:
    """Four actions: the file, two keys, take it in. What was answered is remembered by the look of the list."""
    page = site.enter("ana")
    page.goto(f"{site.address}/import")

    def brought(number: str) -> None:
        sheet = (
            "Contractor's list;;;;\nTag;Function;Type;Signal;Range\n"
            f"LS-{number}1;tank high;DI;24 V DC contact;\nPT-{number}2;header;AI;4-20 mA;25 bar\nTotal;2;;;\n"
        )
        file = {"name": "contractor.csv", "mimeType": "text/csv", "buffer": sheet.encode()}
        page.locator("input[type=file]").set_input_files(file)

    brought("77")
    expect(page.get_by_role("heading", name="normally open or normally closed?")).to_be_visible()
    expect(page.locator(".file tr.out")).to_contain_text("total")
    page.keyboard.press("2")
    expect(page.get_by_role("heading", name="which range is meant?")).to_be_visible()
    expect(page.locator(".outcome")).to_contain_text("contact NC")
    page.keyboard.press("1")
    expect(page.get_by_text("Nothing is open")).to_be_visible()
    page.get_by_role("button", name="take it in").click()
    expect(page.get_by_text("Taken in as one change: 2 new")).to_be_visible()
    page.get_by_role("button", name="another one").click()
    brought("78")
    expect(page.get_by_text("It looks as “contractor.csv” did")).to_be_visible()
    expect(page.get_by_text("Nothing is open")).to_be_visible()
    page.get_by_role("button", name="leave it").click()
    page.goto(f"{site.address}/list")
    expect(page.get_by_text("288 points")).to_be_visible()
    undo(page)
    expect(page.get_by_text("286 points")).to_be_visible()


@pytest.mark.long
def test_people_see_each_other_and_a_locked_row_is_kept(site: Site) -> None:
    ana, ben = site.enter("ana"), site.enter("ben", "technician")
    cell(ana, 3, "service").click()
    expect(cell(ben, 3, "service").locator(".other").first).to_have_text("ana")
    expect(ben.get_by_text("here too: ana")).to_be_visible()
    ana.keyboard.press("Alt+l")
    ana.get_by_label("why").fill("loop test")
    ana.keyboard.press("Enter")
    expect(cell(ben, 3, "tag").locator(".lock")).to_have_text("locked")
    cell(ben, 3, "service").click()
    ben.keyboard.type("air")
    ben.keyboard.press("Enter")
    cell(ben, 3, "service").click()
    expect(ben.locator(".refusal")).to_contain_text("ana has locked this row: loop test")
    ben.keyboard.press("Escape")
    cell(ana, 3, "service").click()
    ana.keyboard.press("Alt+l")
    ana.get_by_role("button", name="lift the lock").click()
    expect(cell(ben, 3, "tag").locator(".lock")).to_have_count(0)


def test_what_is_typed_while_the_server_is_away_waits_and_is_sent(site: Site) -> None:
    page = site.enter("ana")

    def away(route: Route) -> None:
        route.abort()

    page.route("**/api/proposals", away)
    cell(page, 5, "service").click()
    page.keyboard.type("drive")
    page.keyboard.press("Enter")
    expect(cell(page, 5, "service")).to_have_class(re.compile("held"))
    page.unroute("**/api/proposals", away)
    page.reload()
    page.wait_for_selector(".grid .row")
    expect(cell(page, 5, "service")).to_have_text("drive")
    expect(page.get_by_text("1 typed cell waits here")).to_be_visible()
    page.get_by_role("button", name="send").click()
    expect(page.get_by_text("1 typed cell waits here")).to_have_count(0)
    page.wait_for_function("() => !localStorage.getItem('canaleta-waiting-ana')")
    undo(page)
    expect(cell(page, 5, "service")).to_have_text("roller drive speed")


@pytest.mark.long
def test_the_list_is_put_up_signed_by_another_and_compared(site: Site) -> None:
    ana, eva = site.enter("ana"), site.enter("eva")
    with site.engine.begin() as connection:
        accounts.set_password(connection, "eva", PASSWORD)
        accounts.set_password(connection, "ana", PASSWORD)
    ana.goto(f"{site.address}/revisions")
    ana.get_by_label("why with findings open").fill("wrong on purpose")
    ana.get_by_role("button", name="put up").click()
    expect(ana.locator("article").first).to_contain_text("in check")
    for page, act, name in ((eva, "check…", "Eva Ferrer"), (ana, "issue…", "Ana Soler")):
        page.goto(f"{site.address}/revisions")
        page.get_by_role("button", name=act).click()
        page.get_by_label("name", exact=True).fill(name)
        page.get_by_label("your password").fill(PASSWORD)
        page.keyboard.press("Enter")
        expect(page.locator("article").first).to_contain_text(name)
    expect(ana.locator("article").first).to_contain_text("issued")
    ana.goto(f"{site.address}/list")
    cell(ana, 1, "device_high").click()
    ana.keyboard.type("1000")
    ana.keyboard.press("Enter")
    expect(cell(ana, 1, "device_high")).to_have_text("1\u202f000")
    ana.goto(f"{site.address}/revisions")
    expect(ana.locator(".right > table")).to_contain_text("range 0…600 → 0…1000 mbar: four check points move")
    ana.goto(f"{site.address}/list")
    undo(ana)
    expect(cell(ana, 1, "device_high")).to_have_text("600")


def test_a_tag_is_put_together_of_its_letters(site: Site) -> None:
    page = site.enter("ana")
    page.keyboard.press("Alt+n")
    page.get_by_text("put the letters together").click()
    choose(page, "measured", "P")
    choose(page, "device", "S")
    expect(page.locator("aside")).to_contain_text("PS pressure switch")
    choose(page, "at", "L")
    expect(page.locator("aside")).to_contain_text("PSL pressure switch, low")
    expect(page.get_by_label("first tag")).to_have_value("PSL-3105")
    page.keyboard.press("Escape")
    expect(page.locator("aside")).to_have_count(0)


def test_units_stand_in_the_heads(site: Site) -> None:
    page = site.enter("ana")
    page.keyboard.press("Alt+v")
    page.get_by_role("button", name="switches").click()
    expect(page.locator(".name", has_text="on after")).to_have_text(re.compile(r"on after\s*ms"))


def test_a_rename_shows_the_texts_that_name_the_point(site: Site) -> None:
    page = site.enter("ana")
    held: list[Route] = []
    page.route("**/api/proposals", lambda route: held.append(route), times=1)
    type_into(page, 3, "service", "like PT-3107, behind the fan")
    type_into(page, 1, "tag", "PT-3199")
    # The server has not had the text yet, and it counts already.
    expect(page.get_by_role("heading", name="PT-3107 becomes PT-3199")).to_be_visible()
    assert len(held) == 1
    held[0].continue_()
    expect(page.locator("aside")).to_contain_text("like PT-3107, behind the fan like PT-3199, behind the fan")
    page.get_by_role("button", name="rename, and there too").click()
    expect(cell(page, 3, "service")).to_have_text("like PT-3199, behind the fan")
    expect(cell(page, 1, "tag")).to_contain_text("PT-3199")
    for _ in range(2):
        undo(page)
    expect(cell(page, 1, "tag")).to_contain_text("PT-3107")
    expect(cell(page, 3, "service")).to_have_text("combustion air flow")


def type_into(page: Page, point: int, field: str, text: str) -> None:
    cell(page, point, field).click()
    page.keyboard.type(text)
    page.keyboard.press("Enter")


def test_two_hands_on_one_cell_and_the_second_is_asked(site: Site) -> None:
    """Ana's cell is open when Bea saves the same one: what stood there when Ana began decides, and she chooses."""
    ana, bea = site.enter("ana"), site.enter("bea")
    for page in (ana, bea):
        page.keyboard.press("/")
        page.keyboard.type("ZS-2208")
        page.keyboard.press("Enter")
        expect(page.locator(".row .cell.frozen").first).to_have_text(re.compile("^ZS-2208"))
        page.keyboard.press("ArrowRight")
    ana.keyboard.press("F2")
    ana.keyboard.type("Ana's car")
    bea.keyboard.press("F2")
    bea.keyboard.type("Bea's car")
    bea.keyboard.press("Enter")
    expect(bea.locator(".row .cell", has_text="Bea's car")).to_be_visible()
    # The news has reached Ana's screen, beneath her open cell.
    expect(ana.locator(".strip")).to_contain_text("bea")
    ana.keyboard.press("Enter")
    ana.keyboard.press("ArrowUp")
    expect(ana.locator("body")).to_contain_text("bea changed it to “Bea's car” meanwhile")
    expect(bea.locator(".row .cell", has_text="Bea's car")).to_be_visible()


def test_the_list_prints_whole(site: Site) -> None:
    """Thirty rows are on screen, all of them on paper."""
    page = site.enter("ana")
    page.evaluate("dispatchEvent(new Event('beforeprint'))")
    expect(page.locator(".paper tbody tr")).to_have_count(286)
    page.evaluate("dispatchEvent(new Event('afterprint'))")
    expect(page.locator(".paper")).to_have_count(0)
