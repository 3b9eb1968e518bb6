"""Proof in a real browser: from a proposal through its work list on a phone to a signed report and its verification; a battery replaced, the calendar moves."""

import pytest
from browser.pages import LAPTOP, PHONE, sign_in, violations
from playwright.sync_api import expect
from web.client import rows

from ypomoni.actions.working import work_once
from ypomoni.storage.connection import open_pool

pytestmark = pytest.mark.browser


def make_what_waits(conninfo):
    """Do what a worker does."""
    pool = open_pool(conninfo, most=2)
    try:
        while work_once(pool):
            pass
    finally:
        pool.close()


def test_from_a_proposal_over_its_work_list_to_a_signed_report(open_page, conninfo, tmp_path):
    """Steps ticked by thumb, one without signal, one that could not be done; the plan as left; the report drafted, signed and verified."""
    page = open_page(PHONE, expected=("422", "net::ERR_INTERNET_DISCONNECTED"))
    sign_in(page)
    page.goto("/sites/1/proposal/proof")
    steps = page.locator(".work-step")
    total = steps.count()
    expect(steps.nth(total - 1)).to_contain_text("take the system off test")
    rest = [n for n in range(total) if page.locator(".work-step").nth(n).locator(".work-state b").count() == 0]
    moving = next(n for n in rest if steps.nth(n).inner_text().lstrip().startswith("Move"))
    # What could not be done says why.
    steps.nth(moving).get_by_role("button", name="Could not be done").tap()
    expect(steps.nth(moving)).to_contain_text("say why it could not be done")
    steps.nth(moving).get_by_label("Note").fill("cupboard was locked")
    steps.nth(moving).get_by_role("button", name="Could not be done").tap()
    expect(steps.nth(moving).locator(".work-state")).to_contain_text("not done")
    rest.remove(moving)
    expect(page.locator("html")).to_have_attribute("data-offline", "ready")
    page.context.set_offline(True)
    steps.nth(rest[0]).locator("button[value=done]").tap()
    expect(steps.nth(rest[0])).to_contain_text("1 tick is not sent yet")
    page.context.set_offline(False)
    page.reload()
    expect(steps.nth(rest[0]).locator(".work-state")).to_contain_text("done by")
    for n in rest[1:]:
        steps.nth(n).locator("button[value=done]").tap()
        expect(steps.nth(n).locator(".work-state")).to_contain_text("done by")
    page.get_by_role("button", name="Make the plan as left").tap()
    expect(page.locator(".flash")).to_contain_text("Measure each supply again")
    expect(page.get_by_role("figure")).to_have_count(3)

    page = open_page(LAPTOP)
    sign_in(page)
    page.goto("/sites/1/as-left/proof/report")
    page.get_by_role("button", name="Make the report").click()
    expect(page.get_by_text("The report is being made")).to_be_visible()
    make_what_waits(conninfo)
    expect(page.get_by_role("link", name="Open the PDF").first).to_be_visible()
    page.locator("summary", has_text="Sign …").first.click()
    page.get_by_role("button", name="Yes, sign report").first.click()
    expect(page.locator(".flash")).to_contain_text("signed and sealed")
    address = page.get_by_role("link", name="Open the PDF").first.get_attribute("href")
    kept = tmp_path / "report.pdf"
    kept.write_bytes(page.request.get(address).body())
    page.get_by_label("The PDF").set_input_files(kept)
    page.get_by_role("button", name="Verify it").click()
    expect(page.locator(".verified")).to_contain_text("It is genuine")
    expect(page.get_by_text("Nothing of its plan has changed since")).to_be_visible()
    bent = bytearray(kept.read_bytes())
    bent[len(bent) // 2] ^= 1
    kept.write_bytes(bytes(bent))
    page.get_by_label("The PDF").set_input_files(kept)
    page.get_by_role("button", name="Verify it").click()
    expect(page.locator(".verified")).not_to_contain_text("It is genuine")


def test_a_battery_is_replaced_and_the_calendar_moves(open_page, conninfo):
    """What is due is closed with a thumb; the next one is years ahead, and the old battery has its file."""
    page = open_page(PHONE)
    sign_in(page)
    page.get_by_role("link", name="Due", exact=True).tap()
    page.get_by_label("Site").fill("workshop")
    page.get_by_role("button", name="Show").tap()
    item = page.locator(".due > li", has_text="Replace the battery of Panel")
    expect(item).to_contain_text("Its kind is planned for")
    before = item.locator(".due-when").inner_text()
    item.get_by_role("link").tap()
    item = page.locator(".due > li", has_text="Replace the battery of Panel")
    item.locator("summary").tap()
    item.get_by_label("Note").fill("one new block")
    item.get_by_role("button", name="Close").tap()
    expect(page.locator(".flash")).to_contain_text("It is closed")
    after = page.locator(".due > li", has_text="Replace the battery of Panel").locator(".due-when").inner_text()
    assert after != before
    expect(page.get_by_role("region", name="The file of each battery")).to_contain_text("reached")
    assert rows(conninfo, "SELECT note FROM upkeep_done") == [{"note": "one new block"}]


@pytest.mark.long
@pytest.mark.parametrize(("size", "scheme"), [(LAPTOP, "dark"), (PHONE, "light")])
def test_the_pages_of_proof_and_upkeep_can_be_used_by_everybody(open_page, size, scheme):
    """Axe finds nothing on any of them, and nothing is wider than the screen."""
    page = open_page(size, scheme)
    sign_in(page)
    page.wait_for_load_state()
    for address in ("proposal/proof", "proposal/proof/left", "proposal/proof/report", "as-found/upkeep"):
        page.goto(f"/sites/1/{address}")
        page.wait_for_load_state()
        assert violations(page) == [], address
        assert page.evaluate("document.documentElement.scrollWidth") <= size["width"], address
    for address in ("/upkeep", "/", "/sites/2/as-found/upkeep/block?supply=bench&block=shelf-11"):
        page.goto(address)
        page.wait_for_load_state()
        assert violations(page) == [], address
        assert page.evaluate("document.documentElement.scrollWidth") <= size["width"], address
