"""Building in a real browser: a bank of five with one rejected, a charger set up on a phone and stopped at the wrong voltage, what goes on paper."""

import pytest
from browser.pages import LAPTOP, PHONE, sign_in, tab_to, violations
from playwright.sync_api import expect

pytestmark = pytest.mark.browser


def open_build(page, site, view, supply=None):
    """Open a page of building, of one supply."""
    sign_in(page)
    page.get_by_role("link", name=site).click()
    page.get_by_role("link", name="Power").click()
    page.get_by_role("navigation", name="Views of this stage").get_by_role("link", name=view, exact=True).click()
    if supply:
        page.get_by_role("navigation", name="Supply").get_by_role("link", name=supply).click()
    page.wait_for_load_state()


def test_a_bank_of_five_is_built_with_one_rejected(open_page):
    """The block that does not fit is marked; with it out the rest holds; four are laid out and made a proposal that nothing is found of but what was there."""
    page = open_page()
    open_build(page, "Saltmarsh Workshop", "Bank", "Bench of used blocks")
    expect(page.locator(".blocks tr.is-odd")).to_have_count(1)
    expect(page.locator(".blocks tr.is-odd")).to_contain_text("B4")
    expect(page.get_by_text("Blocks shelf-07 and shelf-12 are 0.44 V apart at rest")).to_be_visible()
    page.get_by_role("link", name="Pull B4 out").click()
    expect(page.locator(".pulled")).to_contain_text("The 4 strings left hold")
    page.get_by_role("button", name="Remove B4").click()
    expect(page.locator(".wiring-wide .part-block")).to_have_count(4)
    expect(page.locator(".comes-to")).to_contain_text("12 V 28 Ah")
    expect(page.locator("[data-said]")).to_contain_text("New, it holds")
    page.get_by_role("button", name="Turn B2").click()
    expect(page.get_by_role("alert")).to_contain_text("String 2 is turned against string 1")
    expect(page.get_by_role("button", name="Make a proposal with this bank")).to_have_count(0)
    page.get_by_role("button", name="Turn B2").click()
    expect(page.get_by_role("alert")).to_have_count(0)
    page.get_by_role("button", name="Make a proposal with this bank").click()
    expect(page.locator(".flash")).to_contain_text("has the new battery with its fuse and lead")
    expect(page.locator(".comes-to")).to_contain_text("12 V 28 Ah")
    expect(page.locator(".blocks tr.is-odd")).to_have_count(0)
    page.get_by_role("navigation", name="Views of this stage").get_by_role("link", name="Parts list").click()
    block = page.locator("tr", has_text="block 12 V 7 Ah lead AGM").last
    expect(block).to_contain_text("B1 B2 B3 B4")
    expect(block).to_contain_text("0")


@pytest.mark.long
def test_seven_blocks_as_two_by_three_by_keyboard(open_page):
    """Said beside the field, which is gone to; what was typed stays; six go."""
    page = open_page(expected=("422",))
    open_build(page, "Brackwater County Archive", "Bank", "Bay A")
    page.locator("#main").focus()
    tab_to(page, "Add a string in parallel", most=200)
    page.keyboard.press("Tab")
    expect(page.locator("#try-blocks")).to_be_focused()
    for text in ("7", "2", "3"):
        page.keyboard.press("ControlOrMeta+a")
        page.keyboard.type(text)
        page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page.locator("#try-blocks-help")).to_contain_text("7 blocks do not make 2 × 3: that takes 6, 1 left over.")
    expect(page.locator("#try-blocks")).to_be_focused()
    expect(page.locator("#try-strings")).to_have_value("3")
    page.keyboard.press("ControlOrMeta+a")
    page.keyboard.type("6")
    tab_to(page, "Lay them out", most=6)
    page.keyboard.press("Enter")
    expect(page.locator(".wiring-wide .part-block")).to_have_count(6)
    expect(page.get_by_role("alert")).to_contain_text("the volts double: 24 V on equipment for 12 V")


def test_a_charger_is_set_up_on_a_phone_and_stopped_at_the_wrong_voltage(open_page):
    """Both drops of the diode are said; the wrong one is stopped and kept; the right one goes on; a turned lead is stopped too."""
    page = open_page(PHONE)
    open_build(page, "Brackwater County Archive", "Charger", "Bay A")
    page.get_by_label("How warm it is today").fill("15")
    page.get_by_label("Diode between charger and battery").select_option("silicon")
    page.get_by_role("button", name="Work the sheet out").tap()
    expect(page.locator(".set-figures")).to_have_text("14.22 V at the charger, before the diode; 13.75 V at the battery. Not 14.45 V.")
    read = page.locator("#read-set_v")
    read.get_by_label("What the meter shows").fill("14.5 V")
    read.get_by_role("button", name="Judge and keep").tap()
    expect(page.locator("#read-set_v").get_by_role("alert")).to_contain_text(
        "V above what 6 lead AGM cells behind this diode need: overcharges"
    )
    read.get_by_label("What the meter shows").fill("14.23 V")
    read.get_by_role("button", name="Judge and keep").tap()
    expect(page.locator("#read-set_v .judged-holds")).to_contain_text("right")
    turned = page.locator("#read-polarity_v")
    turned.get_by_label("What the meter shows").fill("-13.1")
    turned.get_by_role("button", name="Judge and keep").tap()
    expect(page.locator("#read-polarity_v").get_by_role("alert")).to_contain_text("wrong way round")
    kept = page.get_by_role("region", name="What was read").locator("tbody tr")
    expect(kept).to_have_count(3)
    expect(kept.first).to_contain_text("Wren Holloway")


def test_what_goes_on_paper(open_page):
    """On paper stand drawing, links, order and sheet; what is pressed or tried does not."""
    page = open_page()
    open_build(page, "Brackwater County Archive", "Bank", "Fire panel")
    page.emulate_media(media="print")
    for shown in (".wiring-wide", ".links", ".build-order", ".protections"):
        expect(page.locator(shown)).to_be_visible()
    for hidden in (".tryout-steps", "#two", ".bank-ways", "nav.stages"):
        expect(page.locator(hidden)).not_to_be_visible()
    assert page.pdf(format="A4").startswith(b"%PDF")


@pytest.mark.long
@pytest.mark.parametrize(("size", "scheme"), [pytest.param(LAPTOP, "light", marks=pytest.mark.long), (PHONE, "dark")])
def test_the_pages_of_building_can_be_used_by_everybody(open_page, size, scheme):
    """Axe finds nothing on any of them, and nothing is wider than the screen."""
    page = open_page(size, scheme)
    open_build(page, "Saltmarsh Workshop", "Bank", "Bench of used blocks")
    expect(page.locator(".bank-ways")).to_be_visible()
    base = page.url.split("/bank")[0]
    for address in ("bank?supply=bench", "bank?supply=bench&second=new&try=12:7;12:7t", "charger?supply=bench&diode=silicon", "parts"):
        page.goto(f"{base}/{address}")
        expect(page.locator("#region-verdict")).to_be_visible()
        page.wait_for_load_state()
        assert violations(page) == []
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
