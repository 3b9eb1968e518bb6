"""Seasons in a real browser: a week painted and the smallest battery found, a history brought in, a solar site made to last, a logger its year."""

import json

import pytest
from browser.pages import LAPTOP, PHONE, sign_in, violations
from playwright.sync_api import expect

pytestmark = pytest.mark.browser


def open_season(page, site, supply):
    sign_in(page)
    page.get_by_role("link", name=site).first.click()
    page.get_by_role("link", name="Endurance").click()
    page.get_by_role("navigation", name="Views of this stage").get_by_role("link", name="Season").click()
    page.get_by_role("navigation", name="Supply").get_by_role("link", name=supply).click()
    expect(page.get_by_role("navigation", name="Supply").get_by_role("link", name=supply)).to_have_attribute("aria-current", "true")
    return page.locator(".season-answer")


def slide(page, label, value):
    """Drag a slider to a position: its input event is what the page hears."""
    page.get_by_label(label, exact=True).evaluate(
        "(input, value) => { input.value = value; input.dispatchEvent(new Event('input', { bubbles: true })); }", str(value)
    )


def paint(page, row, hours):
    """Paint a stretch of one day with the mouse."""
    box = page.locator(".season-paint").bounding_box()
    y = box["y"] + box["height"] * (row + 0.5) / 7
    start, end = (box["x"] + box["width"] * h / 24 for h in hours)
    page.mouse.move(start + 2, y)
    page.mouse.down()
    page.mouse.move((start + end) / 2, y, steps=4)
    page.mouse.move(end - 2, y, steps=4)
    page.mouse.up()


def test_a_week_is_painted_and_the_smallest_battery_that_survives_it_is_found(open_page):
    """The answer follows the stroke; what cannot be read is told and stays; the battery that is named is tried, made a proposal, and holds there."""
    page = open_page(expected=("422",))
    answer = open_season(page, "Brackwater", "Bay B")
    expect(answer).to_contain_text("Survives for good")
    week = page.get_by_label("Cut", exact=True)
    week.fill("daily 06:00 eleven hours")
    expect(page.locator("#week-help .entry-error")).to_contain_text("is not read: write day, start and how long")
    expect(week).to_have_value("daily 06:00 eleven hours")
    week.fill("")
    expect(page.locator("#week-help .entry-error")).to_have_text("")
    page.locator(".season-paint").scroll_into_view_if_needed()
    expect(page.locator(".paint-on")).to_have_count(0)
    paint(page, 1, (4, 17))
    expect(week).to_have_value("Tue 04:00 13 h")
    paint(page, 4, (4, 17))
    expect(week).to_have_value("Tue 04:00 13 h, Fri 04:00 13 h")
    expect(answer).to_contain_text("on day 2, Tuesday")
    page.get_by_role("button", name="Keep this week").click()
    expect(page.locator(".flash")).to_contain_text("The week is kept.")
    expect(page.locator(".season-ways")).to_contain_text("A new battery of")
    expect(page.locator("#region-verdict")).to_contain_text("Bay B")
    named = page.locator(".season-ways li").first.inner_text().removeprefix("A new battery of ").split(" does it")[0]
    positions = page.get_by_label("Battery", exact=True).get_attribute("data-said").split("|")
    at = positions.index(f"{named}, new")
    slide(page, "Battery", at - 1)
    expect(answer).not_to_contain_text("Survives for good")
    slide(page, "Battery", at)
    expect(answer).to_contain_text("Survives for good")
    page.get_by_role("button", name="Make a proposal of it").click()
    expect(page.locator(".flash")).to_contain_text("has it. Its loads draw what they drew")
    expect(page.locator(".season-answer")).to_contain_text("Survives for good")
    expect(page.get_by_label("Cut", exact=True)).to_have_value("Tue 04:00 13 h, Fri 04:00 13 h")


@pytest.mark.long
def test_a_history_is_brought_in_after_what_it_does_not_say_was_asked(open_page):
    """Doubtful rows first, the zone asked, kept and played with its statistics."""
    page = open_page(expected=("422",))
    answer = open_season(page, "Brackwater", "Main panel")
    page.get_by_label("Or paste it").fill("when\nlast Tuesday")
    page.get_by_role("button", name="Look at it").click()
    expect(page.locator(".entry-error").last).to_contain_text("no date is found in it")
    rows = ["off;back on", "14/03/2026 06:00;14/03/2026 09:00", "15/03/2026 06:00;15/03/2026 06:00", "29/03/2026 00:30;29/03/2026 04:00"]
    page.get_by_label("A file:").set_input_files({"name": "cuts.csv", "mimeType": "text/csv", "buffer": "\n".join(rows).encode()})
    page.get_by_role("button", name="Look at it").click()
    doubtful = page.get_by_role("region", name="Doubtful rows")
    expect(doubtful).to_contain_text("it lasts no time.")
    expect(page.get_by_role("button", name="Keep this history")).to_have_count(0)
    page.get_by_label("Whose clock is it?").fill("Middle/Earth")
    page.get_by_role("button", name="Answer, and read it again").click()
    expect(page.get_by_role("alert")).to_contain_text("no time zone")
    page.get_by_label("Whose clock is it?").fill("Europe/Dublin")
    page.get_by_role("button", name="Answer, and read it again").click()
    # The clocks went forward that night: of three hours and a half, two and a half were without mains.
    expect(page.locator(".season-facts")).to_contain_text("3.0 h, 14 March 2026")
    page.get_by_role("button", name="Keep this history").click()
    expect(page.locator(".flash")).to_contain_text("2 cuts are kept and played as they were.")
    expect(answer).to_contain_text("Survived it all: never below")
    expect(page.locator(".season-facts")).to_contain_text("The longest")
    expect(page.get_by_text("it takes the place of a history of 2 cuts")).to_be_visible()


@pytest.mark.long
def test_a_solar_site_is_made_to_last(open_page):
    """The panels that are named are tried and hold, one fewer does not; sun hours come from a latitude, and one that is none is refused."""
    page = open_page(expected=("422",))
    answer = open_season(page, "Fennick Lock", "Telemetry on the sun")
    expect(answer).to_contain_text("The sun does not sustain it: flat in November")
    expect(page.locator(".season-side")).to_contain_text("A panel in the sun is live")
    named = int(page.locator(".season-ways li").first.inner_text().split()[0])
    slide(page, "Panels", named - 1)
    expect(answer).to_contain_text("as tried")
    expect(answer).to_contain_text("does not sustain")
    slide(page, "Panels", named)
    expect(answer).to_contain_text("Lives on the sun: never below")
    place = page.get_by_role("form", name="Sun hours from the place")
    place.get_by_label("Latitude").fill("95")
    place.get_by_role("button", name="Work it out").click()
    expect(place).to_contain_text("The latitude must be from -90° to 90°.")
    place.get_by_label("Latitude").fill("52,5")
    place.get_by_role("button", name="Work it out").click()
    expect(place.locator("code")).to_have_text(pattern_of_twelve())
    page.get_by_role("button", name="Make a proposal of it").click()
    expect(page.locator(".season-answer")).to_contain_text("Lives on the sun")
    expect(page.get_by_label("Panels", exact=True)).to_have_value(str(named))


def pattern_of_twelve():
    """Twelve numbers with spaces between."""
    import re

    return re.compile(r"^(\d\.\d\d ){11}\d\.\d\d$")


@pytest.mark.long
def test_a_logger_is_made_to_last_its_year(open_page):
    """Days and date, the terms of its hour in µA, and fewer sendings that do it; on a phone."""
    page = open_page(PHONE)
    answer = open_season(page, "Harrow Tarn", "Cells at the mast")
    expect(answer).to_contain_text("It must last 365 days.")
    expect(page.locator(".season-picture")).to_contain_text("× 85 µA")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    way = page.locator(".season-ways li", has_text="as often").inner_text()
    percent = int(way.removeprefix("Send ").split(" %")[0])
    slide(page, "It sends", min(100, percent + 10))
    expect(answer.locator(".shape-fails")).to_have_count(1)
    slide(page, "It sends", percent)
    expect(answer.locator(".shape-holds")).to_have_count(1)
    page.get_by_role("button", name="As it is today").click()
    expect(answer.locator(".shape-fails")).to_have_count(1)


@pytest.mark.parametrize(("size", "scheme"), [(LAPTOP, "light"), (PHONE, "dark")])
@pytest.mark.long
def test_the_pages_of_the_season_can_be_used_by_everybody(open_page, size, scheme):
    """No violation, nothing wider than the screen; the week is painted with a thumb on the phone."""
    page = open_page(size, scheme)
    open_season(page, "Brackwater", "Bay A")
    for site, supply in (("Brackwater", None), ("Fennick Lock", "Telemetry on the sun"), ("Harrow Tarn", "Cells at the mast")):
        if supply:
            page.goto("/")
            page.get_by_role("link", name=site).first.click()
            page.get_by_role("link", name="Endurance").click()
            page.get_by_role("navigation", name="Views of this stage").get_by_role("link", name="Season").click()
            page.get_by_role("navigation", name="Supply").get_by_role("link", name=supply).click()
        expect(page.locator(".season-answer")).to_be_visible()
        assert violations(page) == [], json.dumps(violations(page))
        assert page.evaluate("document.documentElement.scrollWidth") <= size["width"]
