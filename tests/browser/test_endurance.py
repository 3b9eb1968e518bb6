"""Endurance in a real browser: turn the controls, find the burst that trips the cut-off, paste a table, write a profile, two requirements."""

import re

import pytest
from browser.pages import PHONE, fill, open_archive, save, to_strip, violations
from playwright.sync_api import expect

pytestmark = pytest.mark.browser
TABLE = "0.85 A; 20 h; 10.5 V\n1,58 A; 10 h; 10,5 V\n2.91 A; 5 h; 10.5 V\n4.37 A; 3 h; 10.5 V\n10.3 A; 1 h; 10.5 V\n17.5 A; 30 min; 10.5 V"


def go_deep(page, name, supply=None):
    page.get_by_role("navigation", name="Views of this stage").get_by_role("link", name=name).click()
    if supply:
        page.get_by_role("navigation", name="Supply").get_by_role("link", name=supply).click()


def played(page):
    """Return how often the page has drawn an answer."""
    return int(page.locator(".outage").get_attribute("data-played") or 0)


def turn(page, label, keys, times):
    """Turn a control by keyboard as a drag would, and wait for the answer of the last step."""
    before = played(page)
    control = page.get_by_label(label, exact=True)
    control.focus()
    for _ in range(times):
        page.keyboard.press(keys)
    page.wait_for_function("n => Number(document.querySelector('.outage').dataset.played || 0) > n", arg=before)
    page.wait_for_function("() => !Alpine.$data(document.querySelector('.outage')).asking")


def end_h(page):
    return page.evaluate("() => Alpine.$data(document.querySelector('.outage')).lines[0].end_h")


def test_the_burst_that_trips_the_cut_off_is_found_and_age_and_temperature_move_the_end(open_page):
    """From the strip to the panel's outage: the words name the burst; older, colder and half full end sooner; an alarm is carried or not."""
    page = open_page()
    open_archive(page)
    page.get_by_role("link", name="Main panel").first.click()
    expect(page.locator(".outage-why")).to_contain_text("burst of Cellular communicator pulls the terminals to 10.8 V")
    expect(page.locator(".outage-why")).to_contain_text("At rest they would still show")
    expect(page.locator(".happens-end")).to_contain_text("Cellular communicator is lost")
    expect(page.locator(".outage-warning")).to_contain_text("if an alarm starts with it")
    page.wait_for_selector("[data-sampled='1000']", timeout=60_000)
    expect(page.get_by_text("1000 outages sampled")).to_be_visible()
    first = end_h(page)
    turn(page, "Battery condition", "ArrowLeft", 20)
    older = end_h(page)
    assert older < first
    expect(page.locator("output[data-of=condition]")).to_have_text("58 %")
    turn(page, "Temperature", "ArrowLeft", 18)
    colder = end_h(page)
    assert colder < older
    page.get_by_label("An alarm sounds").check()
    turn(page, "Alarm begins after", "Home", 1)
    expect(page.locator(".happens")).to_contain_text("The alarm begins")
    # A drag with the mouse along the control.
    track = page.get_by_label("Full at the start", exact=True).bounding_box()
    before = played(page)
    page.mouse.move(track["x"] + track["width"] - 8, track["y"] + track["height"] / 2)
    page.mouse.down()
    page.mouse.move(track["x"] + track["width"] / 2, track["y"] + track["height"] / 2, steps=6)
    page.mouse.up()
    page.wait_for_function("n => Number(document.querySelector('.outage').dataset.played) > n", arg=before)
    page.wait_for_function("() => !Alpine.$data(document.querySelector('.outage')).asking")
    assert end_h(page) < colder
    page.get_by_role("button", name="As it is today").click()
    page.wait_for_function("h => Math.abs(Alpine.$data(document.querySelector('.outage')).lines[0].end_h - h) < 1e-6", arg=first)
    with page.expect_download() as download:
        page.get_by_role("link", name="Timeline as CSV").click()
    assert download.value.path().read_text().startswith("t_h,terminal_v,current_a")
    assert violations(page) == []


@pytest.mark.long
def test_a_table_with_one_bad_row_is_pasted_asked_about_mended_and_fitted(open_page):
    """A line without units is told; a row off by ten is asked; mended, the sheet shows every row's residual, ends and readings, and both charts."""
    page = open_page(expected=("422",))
    open_archive(page)
    go_deep(page, "Battery", "Bay A")
    page.get_by_role("button", name="Edit battery and table").click()
    fill(page, bank_discharge_table=TABLE + "\n0.35 20")
    page.locator(".sheet").get_by_role("button", name="Save").click()
    expect(page.locator("#bank_discharge_table-help")).to_contain_text("Line 7")
    fill(page, bank_discharge_table=TABLE.replace("2.91 A", "29.1 A"))
    page.locator(".sheet").get_by_role("button", name="Save").click()
    expect(page.locator(".sheet .ask")).to_contain_text("29.1 A for 5 h to 10.5 V does not go with the other rows")
    fill(page, bank_discharge_table=TABLE)
    page.locator(".sheet").get_by_role("button", name="Save").first.click()
    expect(page.locator(".sheet")).not_to_be_visible()
    page.reload()
    expect(page.get_by_text("No row has volts on the way")).to_be_visible()
    page.get_by_role("button", name="Edit battery and table").click()
    fill(page, bank_discharge_table=TABLE + "\n0.85 A; 10 h; 12.2 V on the way")
    page.locator(".sheet").get_by_role("button", name="Save").first.click()
    expect(page.locator(".sheet")).not_to_be_visible()
    page.reload()
    expect(page.get_by_text("within ±3 %")).to_be_visible()
    expect(page.get_by_role("region", name="Discharge table").locator("tbody tr")).to_have_count(7)
    expect(page.get_by_text("No row has volts on the way")).to_have_count(0)
    expect(page.get_by_role("img", name="Volts of one new block")).to_be_visible()
    expect(page.get_by_role("img", name="Run time of one new block")).to_be_visible()
    expect(page.locator(".row-suspect")).to_have_count(0)
    assert violations(page) == []


@pytest.mark.long
def test_a_profile_of_ones_own_is_written_and_two_requirements_stand_on_one_site(open_page):
    """Kept in the library, picked for this site, given to one supply: each supply is judged by its own, and the schools say which rules."""
    page = open_page()
    open_archive(page)
    page.get_by_role("link", name="Library").click()
    page.get_by_role("button", name="Add a profile").click()
    fill(
        page,
        name="Cameras, 4 h",
        source="client's letter of May",
        standby_h="4 h",
        alarm_min="0",
        method="Derated by usable, age, activity",
    )
    page.locator(".sheet").get_by_role("button", name="Save").click()
    expect(page.get_by_text("Cameras, 4 h", exact=True)).to_be_visible()
    page.get_by_role("link", name="Sites").click()
    page.get_by_role("link", name="Brackwater County Archive").click()
    page.get_by_role("link", name="Brief").click()
    page.get_by_role("button", name="Add a requirement").click()
    page.locator(".profiles").get_by_role("button", name="Cameras, 4 h", exact=True).click()
    expect(page.locator(".sheet [name=standby_h]")).to_have_value("4 h")
    save(page)
    to_strip(page)
    page.get_by_role("button", name="Edit Bay B and its battery").click()
    fill(page, requirement_id="Cameras, 4 h")
    save(page)
    lanes = page.locator(".lane")
    expect(lanes.filter(has_text="Bay B")).to_contain_text("of 4 h")
    expect(lanes.filter(has_text="Main panel")).to_contain_text("of 24 h")
    expect(lanes.filter(has_text="Fire panel")).to_contain_text("of 72 h")
    go_deep(page, "Schools", "Bay B")
    expect(page.locator("tr.prescribed")).to_contain_text("Derated prescribed")
    page.locator("tr.prescribed").get_by_role("button").last.click()
    expect(page.locator(".working")).to_contain_text("f_use")
    page.keyboard.press("Escape")
    go_deep(page, "Outage, played")
    page.get_by_role("navigation", name="Supply").get_by_role("link", name="Whole plan").click()
    expect(page.locator(".happening h3")).to_have_count(4)
    expect(page.locator(".outage-why b")).to_have_text(re.compile(r"Bay B: \d+ h\."))
    assert violations(page) == []


def test_the_outage_is_played_with_a_thumb(open_page):
    """On a phone nothing runs off the side, and the charts are as wide as the screen."""
    page = open_page(PHONE)
    open_archive(page)
    page.get_by_role("link", name="Bay B").first.click()
    expect(page.locator(".outage-why")).to_contain_text("the charge is spent")
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert page.locator(".plot canvas").first.bounding_box()["width"] <= 390
    assert violations(page) == []
