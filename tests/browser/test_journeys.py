"""Journeys through the real interface: what a technician does at the list and on the path page."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Locator, Page, Route, expect

from canaleta.plant.changes.apply import Applied, Edit, Proposal, apply
from canaleta.plant.changes.undo import undo as turn_back
from canaleta.plant.records.image_cache import ImageCache
from tests.building.site import Site, choose

SETTLED = re.compile(r"3 to settle")
BOTH = re.compile(r"4 to settle")


def cell(page: Page, point: int, field: str) -> Locator:
    return page.locator(f"#cell-{point}-{field}")


def type_into(page: Page, point: int, field: str, text: str) -> None:
    cell(page, point, field).click()
    page.keyboard.type(text)
    page.keyboard.press("Enter")


def undo(page: Page) -> None:
    page.locator(".grid[role=grid]").focus()
    page.keyboard.press("Control+z")


def test_the_list_shows_live_values_and_the_path_of_a_point(site: Site) -> None:
    page = site.enter("ana")
    expect(cell(page, 3, "now")).to_have_text(re.compile(r"^\d.\d{3} m³/h$"))
    expect(cell(page, 8, "now")).to_have_text("healthy")
    cell(page, 3, "tag").click()
    page.keyboard.press("Enter")
    expect(page.locator("h1")).to_have_text("FT-3110")
    expect(page.locator(".station input").nth(4)).to_have_value(re.compile(r"\d"))
    page.keyboard.press("Escape")
    expect(page.locator(".grid .row.here .frozen")).to_have_text("FT-3110")


def test_an_edit_is_saved_seen_by_another_browser_and_undone(site: Site) -> None:
    ana, ben = site.enter("ana"), site.enter("ben", "technician")
    expect(ana.locator(".chip.settle")).to_have_text(BOTH)
    type_into(ana, 1, "value_high", "600")
    expect(cell(ben, 1, "value_high")).to_have_text("600")
    expect(ben.locator(".chip.settle")).to_have_text(SETTLED)
    undo(ana)
    expect(cell(ben, 1, "value_high")).to_have_text("500")
    expect(ana.locator(".chip.settle")).to_have_text(BOTH)
    ana.keyboard.press("Control+y")
    expect(cell(ana, 1, "value_high")).to_have_text("600")
    undo(ana)
    expect(cell(ana, 1, "value_high")).to_have_text("500")


def test_what_cannot_be_read_is_refused_at_the_cell_and_kept(site: Site) -> None:
    page = site.enter("ana")
    type_into(page, 1, "device_high", "lots")
    refused = cell(page, 1, "device_high")
    expect(refused).to_have_text("lots")
    expect(refused).to_have_class(re.compile("refused"))
    refused.click()
    expect(page.locator(".refusal")).to_contain_text("“lots” is not a number")
    expect(page.locator(".refusal")).to_contain_text("the list still says 600")
    page.keyboard.press("Escape")
    expect(refused).to_have_text("600")


def test_a_range_typed_at_once_fills_its_neighbours(site: Site) -> None:
    page = site.enter("ana")
    type_into(page, 4, "device_low", "0-0,1 bar")
    expect(cell(page, 4, "device_high")).to_have_text("0.1")
    expect(cell(page, 4, "device_unit")).to_have_text("bar")
    expect(page.locator(".chip.settle")).to_have_text(BOTH)
    undo(page)
    expect(cell(page, 4, "device_unit")).to_have_text("mbar")


def test_a_conflict_shows_both_and_the_second_chooses(site: Site) -> None:
    ben = site.enter("ben", "technician")
    cache = ImageCache(site.engine)

    def ana_is_faster(route: Route) -> None:
        done = apply(site.engine, cache, Proposal((Edit(5, "service", "roller drive speed", "drive speed"),)), "ana")
        assert isinstance(done, Applied)
        route.continue_()

    ben.route("**/api/proposals", ana_is_faster, times=1)
    type_into(ben, 5, "service", "rollers")
    expect(cell(ben, 5, "service")).to_have_class(re.compile("conflict"))
    cell(ben, 5, "service").click()
    expect(ben.locator(".refusal")).to_contain_text("ana changed it to “drive speed” meanwhile")
    ben.get_by_role("button", name="take mine").click()
    expect(cell(ben, 5, "service")).to_have_text("rollers")
    undo(ben)
    expect(cell(ben, 5, "service")).to_have_text("drive speed")
    type_into(ben, 5, "service", "roller drive speed")
    expect(cell(ben, 5, "service")).to_have_text("roller drive speed")


def test_find_narrows_the_list_and_escape_widens_it(site: Site) -> None:
    page = site.enter("ana")
    page.keyboard.press("/")
    page.keyboard.type("crown te-210")
    expect(page.locator(".grid .row:not(.fresh)")).to_have_count(3)
    page.keyboard.press("Enter")
    page.keyboard.press("ArrowDown")
    expect(page.locator(".grid .row.here .frozen")).to_have_text("TE-2102")
    page.keyboard.press("/")
    page.keyboard.type(" nowhere")
    expect(page.locator(".empty")).to_contain_text("No point has “crown te-210 nowhere”")
    page.keyboard.press("Escape")
    expect(page.locator(".grid .row").nth(12)).to_be_visible()


def test_only_what_is_to_settle(site: Site) -> None:
    page = site.enter("ana")
    page.locator(".chip.settle").click()
    faulty = ["PT-3107", "PT-3108", "ZS-2207", "TE-2103", "TE-4101", "TE-4102", "AT-3120", "ZS-6102"]
    nozzles = [f"PT-150{k}" for k in range(1, 7)]
    expect(page.locator(".grid .row:not(.fresh) .frozen")).to_have_text(
        [re.compile(tag) for tag in (*faulty, *nozzles)]
    )


def test_blocks_are_copied_and_pasted_as_a_sheet_does(site: Site) -> None:
    page = site.enter("ana")
    cell(page, 6, "value_low").click()
    cell(page, 7, "value_high").click(modifiers=["Shift"])
    page.keyboard.press("Control+c")
    assert page.evaluate("navigator.clipboard.readText()") == "0\t1200.0\n0\t1200.0"
    page.evaluate("navigator.clipboard.writeText('10\\t1100\\n20\\t1150')")
    cell(page, 6, "value_low").click()
    page.keyboard.press("Control+v")
    expect(cell(page, 7, "value_high")).to_have_text("1\u202f150")
    expect(cell(page, 6, "value_low")).to_have_text("10")
    undo(page)
    expect(cell(page, 7, "value_high")).to_have_text("1\u202f200.0")


@pytest.mark.long
def test_typing_at_any_station_moves_all_others(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/point/1")
    stations = page.locator(".station input")
    stations.nth(2).click()
    page.keyboard.type("12")
    page.keyboard.press("Enter")
    expect(stations.nth(5)).to_have_value("250.0")
    expect(stations.nth(0)).to_have_value("300.0")
    expect(page.locator(".sources")).to_contain_text("what-if: 12 at LOOP")
    stations.nth(4).click()
    page.keyboard.type("0x7D00")
    page.keyboard.press("Enter")
    expect(stations.nth(2)).to_have_value("20.000")
    page.locator(".why").first.click()
    expect(page.locator(".working")).to_contain_text("quantity = LRV + percent / 100 · (URV − LRV)")
    stations.nth(3).click()
    page.keyboard.type("much")
    page.keyboard.press("Enter")
    expect(page.locator(".station [role=alert]")).to_contain_text("“much” is not a number")
    page.keyboard.press("Escape")
    expect(page.locator(".chip.on")).to_contain_text("live")


@pytest.mark.long
def test_a_signal_put_on_the_terminals_is_read_and_marked(site: Site) -> None:
    page, other = site.enter("ana"), site.enter("ben", "technician")
    page.goto(f"{site.address}/point/1")
    page.get_by_role("button", name="inject…").click()
    page.get_by_label("signal in mA").fill("12")
    with page.expect_response("**/injection") as answer:
        page.get_by_label("signal in mA").press("Enter")
    assert answer.value.ok, answer.value.text()
    expect(page.locator(".station input").nth(5)).to_have_value("250.0")
    expect(page.locator(".sources .apart")).to_contain_text("injected")
    expect(cell(other, 1, "now")).to_have_text(re.compile("◇ ?250.0 mbar"))
    page.locator(".sources .apart").click()
    page.get_by_role("button", name="take it off").click()
    expect(page.locator(".sources .apart")).to_have_count(0)
    expect(cell(other, 1, "now")).not_to_contain_text("◇")


@pytest.mark.long
def test_a_fix_is_previewed_done_and_undone(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/point/1")
    page.get_by_role("button", name="follow the device: 0 … 600 mbar").click()
    expect(page.locator(".preview")).to_contain_text("500 → 600")
    expect(page.locator(".preview")).to_contain_text("PT-3107 at 12 mA: the list shows 250.0 mbar → 300.0 mbar")
    expect(page.locator(".preview")).to_contain_text("settles 1")
    page.get_by_role("button", name="do it").click()
    expect(page.locator(".findings")).to_have_count(0)
    page.locator("h1").click()
    page.keyboard.press("Control+z")
    expect(page.locator(".findings")).to_contain_text("250.0 mbar where the pipe holds 300.0")


@pytest.mark.long
def test_settings_of_a_station_are_edited_in_place(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/point/1")
    page.locator(".station").nth(1).locator("h3").click()
    page.locator(".setting", has_text="direct").or_(page.locator(".settings dd").last.locator("button")).first.click()
    page.keyboard.type("rev")
    page.keyboard.press("Enter")
    expect(page.locator(".findings")).to_contain_text("said to be reverse acting")
    page.locator("h1").click()
    page.keyboard.press("Control+z")
    expect(page.locator(".findings")).not_to_contain_text("said to be reverse")


def test_a_reader_looks_and_is_told_why_not_more(site: Site) -> None:
    page = site.enter("rosa", "reader")
    cell(page, 1, "value_high").click()
    page.keyboard.press("9")
    expect(page.locator(".notice")).to_contain_text("a reader may look, not change")
    expect(cell(page, 1, "value_high")).to_have_text("500")
    page.goto(f"{site.address}/point/1")
    expect(page.get_by_role("button", name="inject…")).to_be_disabled()
    expect(page.get_by_role("button", name="follow the device")).to_have_count(0)


@pytest.mark.long
def test_seven_tabs_of_one_browser_all_live(site: Site) -> None:
    first = site.enter("ana")
    tabs = [first, *(first.context.new_page() for _ in range(6))]
    for tab in tabs[1:]:
        tab.goto(f"{site.address}/list")
    for tab in tabs:
        expect(cell(tab, 6, "now")).to_have_text(re.compile("°C"))
    type_into(first, 2, "service", "draught")
    for tab in tabs:
        expect(cell(tab, 2, "service")).to_have_text("draught")
    undo(first)
    for tab in tabs:
        expect(cell(tab, 2, "service")).to_have_text("furnace draught")


def test_signing_out_leaves_nothing_on_screen(site: Site) -> None:
    page = site.enter("ana")
    page.get_by_role("link", name="You").click()
    page.get_by_role("button", name="sign out").click()
    expect(page.get_by_role("button", name="sign in")).to_be_visible()
    page.goto(f"{site.address}/list")
    expect(page.locator(".grid")).to_have_count(0)


def test_history_tells_who_changed_what(site: Site) -> None:
    page = site.enter("ana")
    type_into(page, 10, "text_0", "too low")
    expect(cell(page, 10, "text_0")).to_have_text("too low")
    page.get_by_role("link", name="History").click()
    first = page.locator("li").first
    expect(first).to_contain_text("ana")
    expect(first).to_contain_text("PSL-3103")
    expect(first).to_contain_text("low → too low")
    page.get_by_role("button", name="undo my last").click()
    expect(page.locator("li").first).to_contain_text("undo")


@pytest.mark.long
def test_something_wrong_in_the_field_is_tried_on_the_path(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/point/12")
    page.locator(".station input").first.fill("1000")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="what if wrong…").click()
    page.get_by_role("button", name="another element is fitted").click()
    choose(page, "another element is fitted", "TC K")
    page.get_by_role("button", name="see it").click()
    expect(page.locator(".sources .apart").first).to_contain_text("what-if: 1000 at PROCESS, wrong sensor: TC K")
    expect(page.locator(".station input").nth(1)).to_have_value("41.276")
    page.get_by_role("button", name="what if wrong…").click()
    page.get_by_role("button", name="all is well again").click()
    expect(page.locator(".station input").nth(1)).to_have_value("9.587")
    page.keyboard.press("Escape")
    expect(page.locator(".sources .apart")).to_have_count(0)


@pytest.mark.long
def test_another_kind_of_signal_reshapes_the_settings_and_is_undone(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/point/4")
    page.locator(".station").nth(2).click()
    expect(page.locator(".settings")).to_contain_text("shunt")
    page.locator(".station").nth(1).click()
    page.locator(".settings .setting").first.click()
    page.keyboard.type("0–10 V")
    page.keyboard.press("Enter")
    expect(page.locator(".station").nth(3)).to_contain_text("mode 0–10 V")
    page.locator(".station").nth(2).click()
    expect(page.locator(".settings")).not_to_contain_text("HART")
    page.locator("h1").click()
    page.keyboard.press("Control+z")
    expect(page.locator(".station").nth(3)).to_contain_text("mode 4–20 mA")


@pytest.mark.long
def test_a_budget_stands_at_its_station_and_follows_the_settings(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/point/16")
    loop = page.locator(".station").nth(2)
    expect(loop).to_contain_text("■ 0.73 V short at 22 mA")
    loop.locator("h3").click()
    expect(page.locator(".facts")).to_contain_text("longest cable")
    page.locator(".settings .setting", has_text="barrier").click()
    page.keyboard.press("Control+a")
    page.keyboard.type("head")
    page.keyboard.press("Enter")
    page.keyboard.type("barrier 250 ohm")
    page.keyboard.press("Control+Enter")
    expect(loop).not_to_contain_text("short at 22 mA")


@pytest.mark.long
def test_conventions_are_obeyed_at_once_on_every_screen(site: Site) -> None:
    ana, ben = site.enter("ana"), site.enter("ben", "technician")
    ana.goto(f"{site.address}/conventions")
    base = ana.locator("dl > div").filter(has_text="number of the first channel of a module").get_by_role("button")
    base.click()
    ana.keyboard.press("Control+a")
    ana.keyboard.type("0")
    ana.keyboard.press("Enter")
    expect(ana.locator(".chip[role=status]")).to_contain_text("KC-2·1·2·1 is now KC-2·1·2·0")
    expect(cell(ben, 1, "channel")).to_have_text("KC-2·1·2·0")
    ben.goto(f"{site.address}/conventions")
    ben.locator(".setting").first.click()
    expect(ben.locator(".v-snackbar, .notice")).to_contain_text("an engineer changes the conventions")
    ana.keyboard.press("Control+z")
    expect(base).to_have_text("1")


@pytest.mark.long
def test_a_point_is_held_and_landed_where_it_fits(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/cabinets")
    page.get_by_role("button", name="move PT-3111").focus()
    page.keyboard.press("Enter")
    expect(page.locator(".module.refused .why").first).to_contain_text("DI-16 takes V; 4–20 mA gives mA")
    page.locator(".seat.warns", has_text="free").first.click()
    expect(page.locator(".aim")).to_contain_text("if it lands on KC-2·1·2·6, terminals 16 / 17 / 18")
    page.keyboard.press("Enter")
    expect(page.locator(".seat", has_text="PT-3111")).to_have_attribute("data-tip", re.compile("^KC-2·1·2·6 "))
    page.get_by_role("link", name="I/O list").click()
    expect(cell(page, 4, "channel")).to_have_text("KC-2·1·2·6")
    undo(page)
    expect(cell(page, 4, "channel")).to_have_text("KC-2·1·2·4")


@pytest.mark.long
def test_a_module_is_moved_with_the_keys_shown_accepted_and_undone(site: Site) -> None:
    page = site.enter("erna", "engineer")
    page.goto(f"{site.address}/cabinets?cabinet=KC-2")
    head = page.locator(".rack", has_text="rack 1").locator(".head", has_text="AI-8 U/I").first
    head.focus()
    page.keyboard.press("Alt+ArrowLeft")
    preview = page.locator(".preview")
    expect(preview).to_contain_text("addresses change")
    expect(preview).to_contain_text("KC-2·1·2·1 → KC-2·1·1·1")
    page.keyboard.press("Escape")
    expect(preview).to_have_count(0)
    head.focus()
    page.keyboard.press("Alt+ArrowLeft")
    expect(preview.get_by_role("button", name="accept")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator(".seat", has_text="PT-3107")).to_have_attribute("data-tip", re.compile("^KC-2·1·1·1 "))
    page.goto(f"{site.address}/list")
    expect(cell(page, 1, "channel")).to_have_text("KC-2·1·1·1")
    undo(page)
    expect(cell(page, 1, "channel")).to_have_text("KC-2·1·2·1")


def test_settings_are_compared_armed_and_written_with_what_they_can_trip(site: Site) -> None:
    """From a rack's page to what it runs, written, and noted what the rack says of itself; the visit ends clean."""
    page = site.enter("erna", "engineer")
    page.goto(f"{site.address}/cabinets?cabinet=KC-2")
    apply(site.engine, ImageCache(site.engine), Proposal((Edit(1, "filter", "", "300 ms"),)), "erna")
    page.locator(".right").get_by_role("button", name="rack 1", exact=True).click()
    page.get_by_role("link", name="what it runs beside the list").click()
    panel = page.locator(".found")
    row = panel.locator("tbody tr", has_text="PT-3107")
    expect(row).to_contain_text("300 ms")
    expect(row).to_contain_text("50 Hz")
    expect(panel).to_contain_text("tell kiln operator")
    write = panel.get_by_role("button", name="write the list’s 1")
    expect(write).to_be_disabled()
    panel.get_by_role("button", name="arm for 15 min").click()
    expect(panel.locator(".armed")).to_contain_text("armed by erna")
    write.click()
    expect(page.locator(".running")).to_contain_text("1 written and read back")
    expect(panel).to_contain_text("Clean.")
    expect(panel.locator(".themselves")).to_contain_text("Canaleta stand-in, 1.0")
    panel.get_by_role("button", name="note it").click()
    expect(panel.locator(".themselves")).to_contain_text("as noted")
    page.keyboard.press("Control+z")
    expect(panel.locator(".themselves")).to_contain_text("nobody noted it")
    panel.get_by_role("button", name="disarm").click()
    expect(panel.locator(".armed")).to_have_count(0)


def test_the_wiring_of_a_point_is_drawn_with_meter_and_calibrator(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/point/1")
    page.get_by_role("link", name="the whole way, meter and calibrator").click()
    expect(page.locator(".drawing svg")).to_be_visible()
    expect(page.locator(".drawing")).to_contain_text("X1:1")
    expect(page.locator(".wiring")).to_contain_text("back to where it began")
    expect(page.locator(".wiring")).to_contain_text("simulate a transmitter")
    page.keyboard.press("Escape")
    expect(page).to_have_url(re.compile("/point/1$"))


@pytest.mark.long
def test_a_module_from_a_made_up_manual_is_typed_in_put_in_a_rack_and_read_live(site: Site) -> None:
    """The manual says: QUAD-9, four passive current inputs, 4–20 mA is 800 to 4000 counts, 50 Ω, word of its own
    7104."""
    page = site.enter("erna", "engineer")
    cache = ImageCache(site.engine)
    image = cache.current()
    point = next(int(image.ids[row]) for row in range(len(image)) if image.label(row) == "PT-2143")
    own = (Edit(point, "supply", "module", "own 24 V"), Edit(point, "wires", "2", "4"))
    apply(site.engine, cache, Proposal(own), "ana")
    page.goto(f"{site.address}/types")
    page.get_by_label("title").fill("QUAD-9")
    page.get_by_label("counts from").fill("800")
    page.locator(".mode label", has_text="to").filter(has_text=re.compile("^to")).nth(1).locator("input").fill("4000")
    page.get_by_label("burden, Ω").fill("50")
    page.get_by_label("number it reports itself by").fill("7104")
    expect(page.locator(".sketch")).to_contain_text("12.000 mA")
    expect(page.locator(".sketch tr", has_text="12.000 mA")).to_contain_text("2\u202f400")
    page.get_by_role("button", name="keep this type").click()
    page.get_by_role("button", name="accept").click()
    expect(page.locator("h1")).to_have_text("QUAD-9")
    page.goto(f"{site.address}/cabinets?cabinet=GL-1")
    page.locator(".right").get_by_role("button", name="rack 2", exact=True).click()
    choose(page, "add modules", "QUAD-9")
    page.get_by_role("button", name="put it in, 4 channels").click()
    expect(page.locator(".preview")).to_contain_text("no address changes")
    page.get_by_role("button", name="accept").click()
    card = page.locator(".module", has_text="QUAD-9")
    expect(card).to_be_visible()
    page.locator(".card", has_text="PT-2143").click()
    card.locator(".seat.warns, .seat.fits").first.click()
    expect(page.locator(".aim")).to_contain_text("GL-1·2·7·1")
    page.get_by_role("button", name="land it").click()
    expect(card.locator(".seat", has_text="PT-2143")).to_be_visible()
    expect(page.locator(".card", has_text="PT-2143")).to_have_count(0)
    page.locator(".middle").get_by_role("button", name="rack 2", exact=True).click()
    page.get_by_role("button", name="make the stand-ins like the list").click()
    expect(page.get_by_text("the stand-in is like the list now")).to_be_visible()
    expect(card.locator(".seat", has_text="PT-2143")).to_contain_text(
        "Pa",
    )
    for _ in range(3):
        turn_back(site.engine, ImageCache(site.engine), "erna")


def test_a_module_is_pasted_from_its_manual_and_what_latches_in_it_is_reset(site: Site) -> None:
    """The manual says: value and status in turn from 30001 on, wire break in bit 4, kept until coil 00001 is set; 4–20 mA
    is 1 000 to 5 000."""
    page = site.enter("erna", "engineer")
    page.goto(f"{site.address}/types")
    page.get_by_label("title").fill("PAIR-2")
    choose(page, "how the manual counts places", "with the table")
    area = page.get_by_label("the table as it stands in the manual")
    for kind, text in (
        ("of its registers", "30001\tChannel 1 value\n30002\tChannel 1 status\n30003\tChannel 2 value\n30004\tChannel 2 status\n3000Z\tx"),
        ("of the bits", "4\twire break\tlatched until reset"),
        ("of the ways", "Loop\t4…20 mA\t1000…5000"),
    ):  # fmt: skip
        choose(page, "which table of the manual", kind)
        area.fill(text)
        if "3000Z" in text:
            expect(page.locator(".paste")).to_contain_text("line 5 is left out")
        page.get_by_role("button", name="take it in").click()
        expect(area).to_have_value("")
    expect(page.locator(".sketch")).to_contain_text("bit 4 latches: say what resets it")
    page.get_by_label("something resets it").check()
    choose(page, "table that resets status word 1", "coils")
    place = page.get_by_label("place that resets status word 1")
    place.fill("00001")
    place.press("Tab")
    expect(page.locator(".places")).to_contain_text("30003")
    expect(page.locator(".sketch tr", has_text="12.000 mA")).to_contain_text("3\u202f000")
    page.get_by_role("button", name="all of it is so").click()
    expect(page.locator(".guessed")).to_have_count(0)
    page.get_by_role("button", name="keep this type").click()
    page.get_by_role("button", name="accept").click()
    expect(page.locator("h1")).to_have_text("PAIR-2")
    kept = ImageCache(site.engine).current().layout.types["pair-2"]
    assert [run.place_of(1)[0] for run in kept.runs()] == [2]
    assert kept.status_words[0].bits[0].latches
    turn_back(site.engine, ImageCache(site.engine), "erna")


def test_a_points_code_is_found_proved_and_taken_along(site: Site) -> None:
    page = site.enter("ana")
    page.goto(f"{site.address}/program?of=IO_KC_1")
    expect(page.locator(".code .row").first).to_be_visible()
    before = page.evaluate("() => fetch('/api/program/text?unit=IO_KC_1').then((r) => r.json())")
    code = next(c for c in before["codes"] if c["kind"] == "DI")
    page.get_by_role("button", name=code["tag"], exact=True).click()
    expect(page.locator(".code .row.on").first).to_be_visible()
    expect(page.get_by_label("the point that is chosen")).to_contain_text(code["tag"])
    page.get_by_label("which points").fill(code["tag"])
    page.get_by_role("button", name="prove", exact=True).click()
    expect(page.locator("td", has_text="✓").first).to_be_visible()
    page.get_by_role("button", name="stop").click()
    expect(page.get_by_role("button", name="prove the rest")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="everything as ZIP").click()
    assert download.value.suggested_filename == "IO_KC_1.zip"
