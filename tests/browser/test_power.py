"""Power in a real browser: a UPS identified from two runs, UPS or DC, a small supply benched on a phone, a backup that is never reached mended."""

import pytest
from browser.pages import LAPTOP, PHONE, sign_in, violations
from playwright.sync_api import expect

pytestmark = pytest.mark.browser


def open_power(page, site, view=None):
    sign_in(page)
    page.get_by_role("link", name=site).click()
    page.get_by_role("link", name="Power").click()
    if view:
        page.get_by_role("navigation", name="Views of this stage").get_by_role("link", name=view).click()


def test_a_ups_is_identified_from_two_runs(open_page):
    """The label's guess first; a line that cannot be read is told and nothing is lost; two runs give overhead and condition, and the answer follows."""
    page = open_page(expected=("422",))
    open_power(page, "Orrin Vale", "Timed runs")
    runs = page.get_by_label("A line for each run")
    runs.fill("")
    page.get_by_role("button", name="Save the runs").click()
    expect(page.locator(".power-answer")).to_contain_text("2 % of its rating, 30 W, which may be half off")
    guessed = page.locator("#region-verdict").inner_text()
    page.get_by_label("A line for each run").fill("31 W 1 h 10 min\n110 watt, half an hour")
    page.get_by_role("button", name="Save the runs").click()
    expect(page.locator(".entry-error")).to_contain_text("Line 2")
    expect(page.get_by_label("A line for each run")).to_have_value("31 W 1 h 10 min\n110 watt, half an hour")
    page.get_by_label("A line for each run").fill("31 W 40 h")
    page.get_by_role("button", name="Save the runs").click()
    expect(page.locator(".entry-error")).to_contain_text("longer than this battery could ever give")
    page.get_by_label("A line for each run").fill("31 W 1 h 10 min\n110 W 0:25")
    page.get_by_role("button", name="Save the runs").click()
    expect(page.locator(".power-answer")).to_contain_text("to stay awake, give or take")
    expect(page.get_by_text("of its rated capacity left, give or take")).to_be_visible()
    expect(page.locator(".power-run")).to_have_count(3)
    expect(page.locator("#region-verdict")).not_to_have_text(guessed)
    expect(page.locator("#region-verdict")).to_contain_text("70 min")


@pytest.mark.long
def test_ups_or_dc_is_chosen_and_made_a_plan(open_page):
    """Side by side the DC supply lasts longer; one click makes it a proposal that holds what was promised, and the plan stays as it is."""
    page = open_page()
    open_power(page, "Orrin Vale")
    expect(page.locator(".power-answer")).to_contain_text("A DC supply on the same battery would last")
    row = page.locator("tr", has_text="DC supply with the battery that just meets it")
    promised = row.locator("b").inner_text()
    row.get_by_role("button", name="Make a proposal").click()
    expect(page.locator(".notice, .flash").first).to_contain_text("feeds these loads from: DC supply with the battery")
    expect(page.locator("#region-verdict")).to_contain_text(f"Holds {promised}")
    expect(page.locator("#region-strip")).to_contain_text("DC supply for Rack UPS")
    page.locator(".menu summary").click()
    page.locator(".menu").get_by_role("link", name="As found").click()
    expect(page.locator("#region-verdict")).to_contain_text("of 4 h")


@pytest.mark.long
def test_a_small_supply_is_benched_on_a_phone(open_page):
    """One number a step, back and on again without losing one; a cell that is never let go of is unsafe, and it is kept with its reasons."""
    page = open_page(PHONE, expected=("422",))
    open_power(page, "Fennick Lock", "Bench")
    page.get_by_role("link", name="Bench a supply").click()
    step = page.get_by_role("button", name="Next")
    page.get_by_label("What is it called").fill("Pocket 5 V supply")
    step.tap()
    page.get_by_label("What cell is in it").select_option("li_ion")
    step.tap()
    page.get_by_label("What does the cell hold").fill("2600 mAh")
    step.tap()
    page.get_by_label("What does its output give").fill("5.02 V")
    step.tap()
    page.get_by_label("What does it draw idle").fill("14")
    step.tap()
    expect(page.locator(".entry-error")).to_be_visible()
    page.get_by_label("What does it draw idle").fill("14 mA")
    step.tap()
    page.get_by_role("button", name="Back").tap()
    expect(page.get_by_label("What does it draw idle")).to_have_value("14 mA")
    step.tap()
    page.get_by_label("Below which load does it sleep").fill("60 mA")
    step.tap()
    page.get_by_label("After how long does it sleep").fill("30 s")
    step.tap()
    page.get_by_label("Does a load wake it").select_option("no")
    step.tap()
    step.tap()
    page.get_by_label("How far was it turned down").fill("2.3 V")
    step.tap()
    page.get_by_label("With the cell flat").select_option("yes")
    step.tap()
    expect(page.locator(".bench-verdict")).to_contain_text("unsafe")
    expect(page.get_by_text("it never lets go of its cell")).to_be_visible()
    expect(page.get_by_text("alone it empties a full cell of 2.6 Ah in 1.1 weeks")).to_be_visible()
    page.get_by_role("button", name="Keep it in the library").tap()
    expect(page.get_by_role("row", name="Pocket 5 V supply")).to_contain_text("No load wakes it")
    page.get_by_role("row", name="Pocket 5 V supply").get_by_role("button", name="Fit it in").tap()
    expect(page.locator(".notice, .flash").first).to_be_visible()


@pytest.mark.long
def test_a_selectors_outage_is_played(open_page):
    """A line goes through the picture by itself and by the slider; each instant says what feeds the device."""
    page = open_page()
    open_power(page, "Fennick Lock", "Backup")
    said = page.locator(".backup-instant").first
    expect(said).to_contain_text("the device is fed with")
    first, line = said.inner_text(), page.locator("[data-now]").first
    begins_at = float(line.get_attribute("x1"))
    page.get_by_role("button", name="Play").first.click()
    expect(page.get_by_role("button", name="Pause")).to_be_visible()
    expect(said).not_to_have_text(first)
    page.get_by_role("button", name="Pause").click()
    assert float(line.get_attribute("x1")) > begins_at
    slider = page.get_by_label("Instant of the outage").first
    slider.focus()
    page.keyboard.press("End")
    expect(said).to_contain_text("Camera pack shows")
    expect(page.locator(".backup").first).to_contain_text("At the low end of its band")


def test_a_backup_that_is_never_reached_is_seen_and_mended(open_page):
    """The line says why; the way out it names is followed in the form, and then the backup is reached and it holds as long as was said."""
    page = open_page(expected=("422",))
    open_power(page, "Fennick Lock", "Backup")
    expect(page.locator(".backup .power-answer")).to_contain_text("Backup is never reached: Camera pack sags below the 10 V")
    expect(page.locator(".backup-ways").first).to_contain_text("Let it change over below 10.3 V")
    page.get_by_role("button", name="Edit Camera feed").click()
    sheet = page.locator(".sheet")
    sheet.get_by_label("Changes over below").fill("")
    sheet.get_by_role("button", name="Save").click()
    expect(sheet.locator(".entry-wrong")).to_contain_text("the voltage below which it changes over")
    sheet.get_by_label("Changes over below").fill("10.3 V")
    sheet.get_by_label("Goes back above").fill("13 V")
    sheet.get_by_label("Input 2").select_option("")
    sheet.get_by_role("button", name="Save").click()
    expect(sheet.locator(".faults")).to_contain_text("two inputs at least")
    sheet.get_by_label("Input 2").select_option(label="Cells inside the camera")
    sheet.get_by_role("button", name="Save").click()
    expect(page.locator(".backup .power-answer")).to_contain_text("holds 110 h of 72 h")
    expect(page.locator(".power-feed")).to_have_count(2)
    expect(page.get_by_text("is never reached")).to_have_count(0)


@pytest.mark.long
@pytest.mark.parametrize(("size", "scheme"), [(LAPTOP, "light"), (PHONE, "dark")])
def test_the_pages_of_power_can_be_used_by_everybody(open_page, size, scheme):
    """Axe finds nothing on any of them, and nothing is wider than the screen."""
    page = open_page(size, scheme)
    open_power(page, "Orrin Vale")
    base = page.url.split("?")[0]
    for address in (base, f"{base}/runs", base.replace("/power", "/bench"), base.replace("/power", "/bench/new")):
        page.goto(address)
        expect(page.locator("#region-verdict")).to_be_visible()
        assert violations(page) == []
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.goto("/")
    page.get_by_role("link", name="Fennick Lock").click()
    page.goto(page.url.split("?")[0].rstrip("/") + ("" if "as-found" in page.url else "/as-found") + "/power/backup")
    expect(page.locator(".backup").first).to_be_visible()
    assert violations(page) == []
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
