"""Whole tasks in a real browser: build a site from nothing, change the demo, files out and in, two people, keyboard, thumb, accessibility."""

import json
import re

import psycopg
import pytest
from browser.pages import LAPTOP, PHONE, do_with_plan, fill, open_archive, press, save, sign_in, tab_to, to_register, to_strip, violations
from playwright.sync_api import expect

from ypomoni.actions.accounts import Passwords, create_account, create_organisation
from ypomoni.core.things.device_types import types_of

pytestmark = pytest.mark.browser


def lane_end(page, name):
    """Return where a lane's expected end is drawn, in percent of the axis; 100 where it runs on beyond it."""
    if page.locator(".lane", has_text=name).locator("line.end").count() == 0:
        return 100.0
    return float(page.locator(".lane", has_text=name).locator("line.end").get_attribute("x1").rstrip("%"))


def test_a_new_organisation_builds_a_site_from_nothing(open_page, conninfo):
    """Empty states lead on: site, requirement, supply with its battery, loads; then rename, remove, undo, sign out."""
    with psycopg.connect(conninfo, row_factory=psycopg.rows.dict_row) as connection:
        organisation_id = create_organisation(connection, "Reedmace Security")
        person = {"email": "tam@reedmace.example", "name": "Tam", "password": "reed-by-reed"}
        create_account(connection, Passwords(cheap=True), organisation_id=organisation_id, **person)
    page = open_page(expected=("422",))
    sign_in(page, "tam@reedmace.example", "reed-by-reed")
    expect(page.get_by_text("No site yet")).to_be_visible()
    page.get_by_role("button", name="Add a site").click()
    fill(page, name="Boat House", typical_degc="18", min_degc="4 °C")
    page.locator(".sheet").get_by_role("button", name="Save").click()
    steps = page.get_by_role("list", name="The first steps")
    steps.get_by_role("button", name="Add a requirement").click()
    fill(page, name="Intruder", standby_h="12 h", alarm_min="15 min", recharge_h="72")
    save(page)
    steps.get_by_role("button", name="Add a supply").click()
    fill(
        page, name="Panel", own_current_a="60", bank_capacity_ah="7 Ah", supply_current_a="1 A", charge_limit_a="0,5 A", charge_v="13.65 V"
    )
    page.locator(".sheet").get_by_role("button", name="Save").click()
    expect(page.locator("#own_current_a-help")).to_contain_text("60 has no unit. Write 60 mA or 60 A")
    expect(page.locator(".sheet [name=bank_capacity_ah]")).to_have_value("7 Ah")
    fill(page, own_current_a="60 mA")
    save(page)
    steps.get_by_role("button", name="Add a load").click()
    fill(page, name="Motion detector", quantity="6", standby="11,5 mA")
    save(page)
    expect(steps).to_have_count(0)
    to_strip(page)
    expect(page.locator(".answer-line")).to_have_text(re.compile(r"Holds \d+ h of 12 h\. Panel ends when its charge is spent\."))
    before = lane_end(page, "Panel")
    press(page, "r")
    page.get_by_role("button", name="All of Motion detector").click()
    page.get_by_role("button", name="Add a burst").click()
    burst = {"bursts-0-name": "LED", "bursts-0-current_a": "400 mA", "bursts-0-duration_s": "5 s", "bursts-0-per_hour": "60 an hour"}
    for name, text in burst.items():
        page.locator(f".sheet [name={name}]").fill(text)
    save(page)
    assert lane_end(page, "Panel") < before
    to_register(page)
    expect(page.locator(".load-more")).to_contain_text("400 mA for 5 s every min")
    do_with_plan(page, "button", "Edit site")
    fill(page, name="Boat House, north bank")
    save(page)
    expect(page.get_by_role("heading", name="Boat House, north bank")).to_be_visible()
    page.get_by_role("link", name="Brief").click()
    expect(page.locator("#region-site")).to_contain_text("18 °C typical, down to 4 °C")
    to_register(page)
    page.get_by_role("button", name="All of Motion detector").click()
    page.get_by_role("button", name="Remove Motion detector").click()
    expect(page.locator(".notice")).to_contain_text("Motion detector is removed.")
    expect(page.get_by_text("No load yet.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Name of Motion detector")).to_have_value("Motion detector")
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()


def test_a_load_added_to_the_demo_shrinks_the_strip_and_turns_the_verdict_and_stays(open_page):
    """The workshop holds; a heavy load is added, its lane ends before the line; after a reload it is still so."""
    page = open_page()
    sign_in(page)
    page.get_by_role("link", name="Saltmarsh Workshop").click()
    expect(page.locator(".answer-holds")).to_be_visible()
    page.get_by_role("button", name="Add a load").click()
    fill(page, name="Heated lamp", supply="Panel", standby="8.4 W @ 12 V", standby_provenance="data sheet")
    save(page)
    expect(page.locator(".answer-fails")).to_contain_text("Panel gives out first")
    expect(page.locator(".findings .finding-fails")).to_have_count(1)
    assert lane_end(page, "Panel") < 60
    expect(page.locator("rect.hatch")).to_have_count(1)
    shown = page.locator(".answer-line").inner_text()
    page.reload()
    assert page.locator(".answer-line").inner_text() == shown
    to_register(page)
    expect(page.get_by_label("Standby current of one Heated lamp")).to_have_value("8.4 W @ 12 V")


def test_every_figure_opens_and_the_theme_can_be_changed(open_page):
    """The working of the answer shows formula, numbers and source; dark is kept after a reload."""
    page = open_page()
    open_archive(page)
    page.locator(".answer-lead").click()
    sheet = page.locator(".sheet")
    expect(sheet).to_contain_text("V = E − I · Rb · G − b · asinh(I · G / i_x)")
    expect(sheet).to_contain_text("V = 10.5 V")
    expect(sheet).to_contain_text("Manwell & McGowan")
    sheet.get_by_role("button", name="Close").click()
    page.locator("#theme").click()
    page.reload()
    assert page.evaluate("document.documentElement.dataset.theme") == "dark"


@pytest.mark.long
def test_a_site_goes_out_and_comes_in_the_same(open_page, tmp_path):
    """Downloaded, brought in as another site after being asked, downloaded again: equal."""
    page = open_page(expected=("409",))
    open_archive(page)

    def download(name):
        with page.expect_download() as caught:
            do_with_plan(page, "link", "Export")
        caught.value.save_as(tmp_path / name)
        return json.loads((tmp_path / name).read_text())

    first = download("first.json")
    answer = page.locator(".answer-line").inner_text()
    page.keyboard.press("Escape")
    page.get_by_role("link", name="Sites", exact=True).click()
    page.get_by_role("link", name="Import a site file").click()
    page.get_by_label("A site file (.json)").set_input_files(tmp_path / "first.json")
    page.get_by_role("button", name="Import").click()
    expect(page.get_by_role("alert")).to_contain_text("There is a site named “Brackwater County Archive” already")
    page.get_by_role("button", name="Add it as another site").click()
    expect(page.locator(".answer-line")).to_have_text(answer)
    assert download("second.json") == first


@pytest.mark.long
def test_two_browsers_on_one_load(open_page):
    """The second edit on the same version is shown theirs and its own; saved again it stands, and the first sees it on reload."""
    one, two = open_page(), open_page(expected=("409",))
    for page in (one, two):
        open_archive(page)
        to_register(page)
    cell = "Standby current of one Keypad"
    one.get_by_label(cell).fill("30 mA")
    one.get_by_label(cell).press("Enter")
    expect(one.locator("tr", has=one.get_by_label(cell))).to_have_attribute("data-version", "2")
    two.get_by_label(cell).fill("26 mA")
    two.get_by_label(cell).press("Enter")
    expect(two.get_by_role("alert")).to_contain_text("Theirs: 30 mA. Yours: 26 mA.")
    expect(two.get_by_label(cell)).to_have_value("26 mA")
    two.get_by_role("button", name="Save mine").click()
    expect(two.get_by_role("alert")).to_have_count(0)
    expect(two.locator("tr", has=two.get_by_label(cell))).to_have_attribute("data-version", "3")
    one.reload()
    expect(one.get_by_label(cell)).to_have_value("26 mA")


def test_no_connection_keeps_what_was_typed_and_enter_tries_again(open_page):
    """The cell says that nothing was saved, keeps the text, and is saved once the connection is back."""
    page = open_page(expected=("ERR_FAILED",))
    open_archive(page)
    to_register(page)
    page.route("**/cell", lambda route: route.abort())
    cell = page.get_by_label("Standby current of one Card reader")
    cell.fill("75 mA")
    cell.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("No connection. It is not saved")
    expect(cell).to_have_value("75 mA")
    page.unroute("**/cell")
    cell.press("Enter")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.reload()
    expect(page.get_by_label("Standby current of one Card reader")).to_have_value("75 mA")


def test_everything_by_keyboard_alone(open_page):
    """Sign in, open the archive, go to the audit by its letter, correct a load, be asked back, restore, open a figure, find, and be told the keys."""
    page = open_page(expected=("422",))
    page.goto("/sign-in")
    page.get_by_label("E-mail").focus()
    page.keyboard.type("wren@saltmarsh.example")
    page.keyboard.press("Tab")
    page.keyboard.type("brackwater-tide")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Sites")).to_be_visible()
    tab_to(page, "Brackwater County Archive")
    page.keyboard.press("Enter")
    expect(page.locator(".answer-line")).to_contain_text("11 h of 24 h")
    press(page, "a")
    page.wait_for_url("**/audit")
    tab_to(page, "Quantity of Perimeter beam", most=300)
    page.keyboard.type("3")
    page.keyboard.press("Enter")
    # Fewer are listed now, and as much was measured: the difference counts until it is found.
    expect(page.locator(".answer-line")).to_contain_text("An unlisted load counts at Bay B")
    assert page.evaluate("document.activeElement.getAttribute('aria-label')") == "Standby current of one Perimeter beam"
    page.keyboard.type("1,200 mA")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("could be 1.2 mA or 1200 mA")
    page.keyboard.press("Shift+Tab")
    expect(page.get_by_label("Standby current of one Perimeter beam")).to_have_value("1,200 mA")
    page.keyboard.press("Escape")
    expect(page.get_by_label("Standby current of one Perimeter beam")).to_have_value("60.5 mA")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.locator("#main").focus()
    tab_to(page, "11 h")
    page.keyboard.press("Enter")
    expect(page.locator(".sheet .working")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.locator(".sheet")).not_to_be_visible()
    assert page.evaluate("document.activeElement.innerText") == "11 h"
    press(page, "/")
    page.keyboard.type("card rea")
    expect(page.locator(".finder li")).not_to_have_count(0)
    page.keyboard.press("Enter")
    expect(page.locator(".sheet [name=name]")).to_have_value("Card reader")
    page.keyboard.press("Escape")
    page.keyboard.press("?")
    expect(page.locator(".sheet")).to_contain_text("the load register, over any stage")
    page.keyboard.press("Escape")
    for letter, stage in (("b", "Brief"), ("l", "Balance"), ("e", "Endurance")):
        press(page, letter)
        expect(page.locator(".stages [aria-current]")).to_contain_text(stage)


def test_by_thumb_on_a_phone(open_page):
    """Answer, strip and register fit the width; a current is corrected by tapping, and the answer follows."""
    page = open_page(PHONE)
    open_archive(page)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.get_by_role("link", name="Audit").tap()
    cell = page.get_by_label("Quantity of Door magnet, fail-safe")
    cell.tap()
    cell.fill("1")
    cell.press("Enter")
    # Fewer are listed now, and as much was measured: the difference counts until it is found.
    expect(page.locator(".answer-line")).to_contain_text("An unlisted load counts at Bay B")
    small = page.evaluate(
        "[...document.querySelectorAll('main button, main .cell')].filter(e => e.offsetHeight && e.offsetHeight < 24).length"
    )
    assert small == 0
    page.get_by_role("button", name="All of Card reader").tap()
    expect(page.locator(".sheet [name=name]")).to_have_value("Card reader")
    assert page.evaluate("document.querySelector('.sheet').scrollWidth") <= 390


@pytest.mark.parametrize(
    ("size", "scheme"),
    [
        # Some minutes in all; the newest pages have a run of their own with every `make test`.
        pytest.param(LAPTOP, "light", id="laptop-light", marks=pytest.mark.long),
        pytest.param(PHONE, "dark", id="phone-dark", marks=pytest.mark.long),
        pytest.param(LAPTOP, "dark", id="laptop-dark", marks=pytest.mark.long),
        pytest.param(PHONE, "light", id="phone-light", marks=pytest.mark.long),
    ],
)
def test_no_page_or_sheet_has_an_accessibility_violation(open_page, size, scheme):
    """Axe on sign-in, sites, people, import, the plan, a working, and the forms of all records."""
    page = open_page(size, scheme)
    found = []

    def check(where):
        page.wait_for_timeout(50)
        # A sheet is looked at by itself: the page behind it was already.
        context = ".sheet" if page.locator(".sheet[open]").count() else None
        worse = violations(page, context)
        found.extend(f"{where}: {v['id']} {[n['target'] for n in v['nodes']][:3]}" for v in worse)

    page.goto("/sign-in")
    check("sign-in")
    sign_in(page)
    check("sites")
    for address in ("/people/", "/import", "/library/"):
        page.goto(address)
        check(address)
    page.goto("/")
    page.get_by_role("link", name="Brackwater County Archive").click()
    check("plan")
    # The forms are one template: on the phone one of them stands for all.
    page.get_by_role("link", name="Brief").click()
    check("brief")
    forms = ("Edit temperatures", "Add a requirement", "Add a place") if size is LAPTOP else ()
    for name in (*forms, "Add a load", "Edit Bay B and its battery"):
        if name == "Add a load":
            to_strip(page)
        page.get_by_role("button", name=name, exact=True).click()
        expect(page.locator(".sheet .record")).to_be_visible()
        check(name)
        page.keyboard.press("Escape")
    for part in ("outage", "schools", "battery", "compare", "history") if (size is LAPTOP) == (scheme == "dark") else ():
        where = f"/sites/1/{part}" if part == "compare" else f"/sites/1/as-found/{part}"
        page.goto(where)
        expect(page.locator(".answer-line").first).to_be_visible()
        check(part)
    page.goto("/sites/1/as-found")
    for mark in page.locator(".finding summary, .unchecked summary, details.strip-key summary").all():
        if mark.is_visible():
            mark.click()
    check("opened")
    page.locator(".menu summary").click()
    page.locator(".bar-find").click()
    page.keyboard.type("be")
    expect(page.locator(".finder li")).not_to_have_count(0)
    check("finder")
    page.keyboard.press("Escape")
    page.locator(".answer-lead").click()
    expect(page.locator(".sheet .working")).to_be_visible()
    check("working")
    page.keyboard.press("Escape")
    page.get_by_role("link", name="Audit").click()
    expect(page.get_by_role("heading", name="Current tree")).to_be_visible()
    check("audit")
    page.locator("[data-open*='bay-b-perimeter-east']:visible").first.click()
    expect(page.locator(".sheet .point")).to_be_visible()
    check("point")
    page.keyboard.press("Escape")
    for name in ("Add a point", "From the library") if size is LAPTOP else ():
        page.get_by_role("button", name=name, exact=True).click()
        expect(page.locator(".sheet .record")).to_be_visible()
        check(name)
        page.keyboard.press("Escape")
    page.goto(page.url.replace("/audit", "/read"))
    check("read")
    page.goto(page.url.replace("/read", "/bring-loads"))
    page.get_by_label("Or paste rows").fill("Device;mA\nLamp;20-30\nBeam;60")
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_role("heading", name="What comes in")).to_be_visible()
    check("review")
    assert not found, "\n".join(found)


@pytest.mark.long
def test_the_walk_through_the_demo_leads_over_six_pages_and_is_left_for_good(open_page):
    """Each step on its own page; who leaves it is not asked again."""
    page = open_page(walks=True)
    sign_in(page)
    walk = page.get_by_role("complementary", name="A walk through the demo")
    for step in range(1, 7):
        expect(walk).to_contain_text(f"{step} of 6")
        walk.get_by_role("button", name="Next" if step < 6 else "Done").click()
    expect(walk).not_to_be_visible()
    page.goto("/")
    expect(page.locator(".sites")).to_be_visible()
    expect(walk).not_to_be_visible()
    second = open_page(walks=True)
    sign_in(second)
    walk = second.get_by_role("complementary", name="A walk through the demo")
    walk.get_by_role("button", name="Leave the walk").click()
    second.reload()
    expect(walk).not_to_be_visible()


LISTED = (
    ("2", "Keypad", "45 mA", "90 mA"),
    ("6", "Passive infrared detector", "", ""),
    ("4", "Smoke head", "0.1 mA", ""),
    ("1", "Siren", "20 mA", "0.9 A"),
    ("1", "Cellular communicator", "", ""),
    ("2", "Zone expander", "", ""),
    ("1", "Card reader", "", ""),
    ("1", "Exit button, illuminated", "", ""),
    ("3", "Glass-break detector", "", ""),
    ("1", "Router", "", ""),
)


class Counted:
    """A person whose keys and touches are counted."""

    def __init__(self, page):
        self.page, self.count = page, 0

    def press(self, key):
        self.count += 1
        self.page.keyboard.press(key)

    def type(self, text):
        self.count += len(text)
        self.page.keyboard.type(text)

    def tap(self, target):
        self.count += 1
        target.tap()

    def go_to(self, name):
        """Press Tab until the focus is on what is called so."""
        for _ in range(60):
            if (
                self.page.evaluate("(document.activeElement.getAttribute('aria-label') || document.activeElement.innerText || '').trim()")
                == name
            ):
                return
            self.press("Tab")
        raise AssertionError(name)

    def fill(self, **fields):
        """Go by Tab to each field and type into it, in the order they stand in the form, and send it."""
        names = list(fields)
        expect(self.page.locator(".sheet [name=name]")).to_be_visible()
        for _ in range(80):
            at = self.page.evaluate("document.activeElement.name || ''")
            if at in names:
                self.press("Control+a")
                self.type(fields[at])
                names.remove(at)
                if not names:
                    break
            self.press("Tab")
        assert not names
        self.press("Enter")
        expect(self.page.locator(".sheet")).not_to_be_visible()

    def from_the_top(self, name):
        self.page.locator("#main").focus()
        self.go_to(name)
        self.press("Enter")


def build_frame(one, name):
    """From the list of sites to a site with a requirement and a supply, by keyboard."""
    one.page.goto("/")
    one.from_the_top("Add a site")
    one.fill(name=name, typical_degc="20", min_degc="5")
    expect(one.page.get_by_role("list", name="The first steps")).to_be_visible()
    one.from_the_top("Add a requirement")
    one.fill(name="Intruder", standby_h="24 h")
    one.from_the_top("Add a supply")
    one.fill(name="Panel", own_current_a="40 mA", bank_capacity_ah="17 Ah")


def kind_of(name):
    (kind, *_) = types_of(name)
    return kind


# Load by load, as it was before there was a list; counted anew by `make test-long`.
KEYS_BEFORE, TOUCHES_BEFORE = 634, 65
WAYS = pytest.mark.parametrize("way", ["a list", pytest.param("load by load", marks=pytest.mark.long)])


@WAYS
def test_from_an_empty_site_to_an_answer_with_ten_loads_by_keyboard_alone(open_page, way):
    """Every key is counted: with a list there are a third fewer than load by load, as it was before there was one."""
    page = open_page()
    sign_in(page)
    one = Counted(page)
    build_frame(one, f"By {way}")
    if way == "a list":
        one.from_the_top("List them")
        expect(page.locator(".sheet [name=lines]")).to_be_focused()
        for quantity, name, standby, alarm in LISTED:
            one.type(f"{quantity} {name}{f' {standby}' * bool(standby)}{f' / {alarm}' * bool(alarm)}")
            one.press("Enter")
        one.go_to("Add them")
        one.press("Enter")
    else:
        for n, (quantity, name, standby, alarm) in enumerate(LISTED):
            one.from_the_top("Add a load")
            known = {"quantity": quantity} if quantity != "1" else {}
            figures = {"standby": standby or f"{kind_of(name).standby_a[1] * 1000:g} mA"} | ({"alarm": alarm} if alarm else {})
            one.fill(**{"name": name, **known, **figures})
            if n == 0:
                to_strip(page)
    to_strip(page)
    expect(page.locator(".answer-line")).to_contain_text(re.compile(r"Holds"))
    assert one.count <= KEYS_BEFORE * 2 / 3 if way == "a list" else one.count == KEYS_BEFORE, one.count


@WAYS
def test_from_an_empty_site_to_an_answer_with_ten_loads_by_thumb_alone(open_page, way):
    """Every touch is counted, and what is typed is the same either way: with a list there are a third fewer."""
    page = open_page(PHONE)
    sign_in(page)

    def put(one, **fields):
        for name, text in fields.items():
            field = page.locator(f".sheet [name={name}]")
            one.tap(field)
            field.fill(text)
        one.tap(page.locator(".sheet").get_by_role("button", name="Add them" if "lines" in fields else "Save", exact=True))
        expect(page.locator(".sheet")).not_to_be_visible()

    one = Counted(page)
    page.goto("/")
    one.tap(page.get_by_role("button", name="Add a site"))
    put(one, name=f"Thumb, {way}", typical_degc="20", min_degc="5")
    for button, fields in (
        ("Add a requirement", {"name": "Intruder", "standby_h": "24 h"}),
        ("Add a supply", {"name": "Panel", "own_current_a": "40 mA", "bank_capacity_ah": "17 Ah"}),
    ):
        one.tap(page.get_by_role("list", name="The first steps").get_by_role("button", name=button))
        put(one, **fields)
    if way == "a list":
        one.tap(page.get_by_role("button", name="List them"))
        put(one, lines="\n".join(f"{q} {name} {standby} {alarm}".strip() for q, name, standby, alarm in LISTED))
    else:
        for quantity, name, standby, _ in LISTED:
            one.tap(page.get_by_role("button", name="Add a load").first)
            put(one, name=name, quantity=quantity, standby=standby or f"{kind_of(name).standby_a[1] * 1000:g} mA")
            if not page.url.endswith("as-found"):
                one.tap(page.get_by_role("link", name="Endurance"))
    expect(page.locator(".answer-line")).to_contain_text(re.compile(r"Holds"))
    assert one.count <= TOUCHES_BEFORE * 2 / 3 if way == "a list" else one.count == TOUCHES_BEFORE, one.count
