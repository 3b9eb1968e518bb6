"""The audit as it is done: on a phone in a cupboard without signal, a table brought in at the desk, the register by keyboard alone."""

import logging
import threading

import pytest
from browser.pages import PHONE, open_archive, press, sign_in, tab_to
from playwright.sync_api import expect
from web.client import rows
from werkzeug.serving import make_server

pytestmark = pytest.mark.browser


class Station:
    """The application on one port, which can go away and come back."""

    def __init__(self, app):
        logging.getLogger("werkzeug").setLevel(logging.ERROR)
        self.app, self.port = app, 0
        self.start()

    def start(self):
        self.listener = make_server("127.0.0.1", self.port, self.app, threaded=True)
        self.port = self.listener.server_port
        self.thread = threading.Thread(target=self.listener.serve_forever, daemon=True)
        self.thread.start()

    def stop(self):
        self.listener.shutdown()
        self.thread.join()
        self.listener.server_close()


@pytest.fixture
def station(app):
    """A server that can be stopped, as a signal that is lost."""
    found = Station(app)
    yield found
    found.stop()


def choose(page, name, value):
    page.locator(f".read-form input[name={name}][value='{value}']").check(force=True)


def read_at(page, point, value, *, state="standby", mains="off", unit="mA"):
    page.get_by_label("Point").select_option(label=point)
    choose(page, "state", state)
    choose(page, "mains", mains)
    choose(page, "unit", unit)
    page.get_by_label("Reading, the mean").fill(value)
    page.get_by_role("button", name="Store reading").tap()


def test_a_whole_audit_on_a_phone(open_page, station, conninfo):
    """Six readings: one slip is caught, one supersedes another, two are typed without signal, survive a reload and are stored once."""
    page = open_page(PHONE, expected=("409", "422", "ERR_CONNECTION_REFUSED", "ERR_FAILED", "Failed to fetch"))
    page.context.set_default_timeout(15_000)
    before = rows(conninfo, "SELECT count(*) AS n FROM reading")[0]["n"]
    base = f"http://127.0.0.1:{station.port}"
    page.goto(f"{base}/sign-in")
    page.get_by_label("E-mail").fill("wren@saltmarsh.example")
    page.get_by_label("Password").fill("brackwater-tide")
    page.get_by_role("button", name="Sign in").tap()
    page.get_by_role("link", name="Brackwater County Archive").tap()
    page.get_by_role("link", name="Audit").tap()
    page.get_by_role("link", name="Take a reading").tap()
    # No single reading would help much here, so none is chosen beforehand.
    page.get_by_label("Point").select_option(label="Door magnet, fail-safe")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    expect(page.locator(".caution-line")).to_contain_text("Tell the monitoring centre before anything goes off line")
    expect(page.locator(".caution-line")).to_contain_text("a life-safety system is never put off line unannounced")
    expect(page.locator(".expected")).to_contain_text("Expected here: 480 mA")
    page.get_by_label("Instrument").select_option(label="Yellow multimeter, van 2")
    expect(page.locator(".hook-jack")).to_contain_text("jack 10 A, range 10 A")

    # 1: as expected; the next point is offered, the state stays.
    read_at(page, "Door magnet, fail-safe", "476")
    expect(page.locator(".told")).to_contain_text("Stored at Door magnet, fail-safe: 476 mA, it adds up.")
    expect(page.locator(".read-form input[name=state]:checked")).to_have_value("standby")
    expect(page.get_by_label("Reading, the mean")).to_have_value("")

    # 2: a slip of unit is asked about, and mended.
    read_at(page, "Card reader", "105", unit="A")
    expect(page.get_by_role("alert").filter(has_text="Is that right?")).to_contain_text(
        "105 A is 880 times what is expected here (120 mA)."
    )
    page.get_by_role("button", name="Change it").tap()
    choose(page, "unit", "mA")
    page.get_by_role("button", name="Store reading").tap()
    expect(page.locator(".told")).to_contain_text("Stored at Card reader: 105 mA")

    # 3: on the battery lead with mains on it is said to be charge.
    page.get_by_label("Point").select_option(label="Bay B battery lead")
    choose(page, "mains", "on")
    expect(page.locator(".read-form > .reading-note")).to_contain_text("never counted as load")
    choose(page, "positive_means", "charge")
    read_at(page, "Bay B battery lead", "1,35 A", mains="on")
    expect(page.locator(".told")).to_contain_text("it is kept, not compared")

    # The page is kept by now; the signal goes.
    page.wait_for_function("document.documentElement.dataset.offline === 'ready'")
    station.stop()
    # 4 and 5: without signal.
    read_at(page, "Exit button, illuminated", "26")
    expect(page.locator(".read .unsent")).to_contain_text("1 reading is not sent yet")
    read_at(page, "Doors", "621")
    expect(page.locator(".read .unsent")).to_contain_text("2 readings are not sent yet")
    expect(page.locator(".unsent-mark").first).to_have_text("not sent")
    page.reload()
    expect(page.locator(".read .unsent")).to_contain_text("2 readings are not sent yet")
    expect(page.locator(".read .unsent")).to_contain_text("26 mA at Exit button, illuminated, standby")
    assert rows(conninfo, "SELECT count(*) AS n FROM reading")[0]["n"] == before + 3
    station.start()
    # Wherever one goes meanwhile, what waits is said and found again.
    page.goto(f"{base}/library/")
    expect(page.get_by_text("2 readings on this phone are not sent yet.")).to_be_visible()
    page.get_by_role("link", name="Go to them").tap()
    expect(page.locator(".read .unsent")).not_to_be_visible()
    page.reload()
    expect(page.locator(".read .unsent")).not_to_be_visible()
    assert rows(conninfo, "SELECT count(*) AS n FROM reading")[0]["n"] == before + 5

    # 6: the first one was wrong; it is superseded with a reason and stays on record.
    page.goto(f"{base}/")
    page.get_by_role("link", name="Brackwater County Archive").tap()
    page.get_by_role("link", name="Audit").tap()
    page.locator(".tree-list").get_by_role("button", name="Door magnet, fail-safe").tap()
    page.locator(".sheet").get_by_role("link", name="Supersede").tap()
    expect(page.locator(".ask").first).to_contain_text("This supersedes 476 mA, standby, mains off")
    page.get_by_label("Reading, the mean").fill("470")
    page.get_by_role("button", name="Store reading").tap()
    expect(page.locator("[data-entry=reason] .entry-help")).to_contain_text("must not be empty: say why")
    page.get_by_label("Why").fill("one door stood open")
    page.get_by_role("button", name="Store reading").tap()
    expect(page.locator(".told")).to_contain_text("470 mA")
    kept = rows(conninfo, "SELECT value_a, reason, supersedes_id IS NOT NULL AS newer FROM reading ORDER BY id DESC LIMIT 6")
    assert kept[0] == {"value_a": 0.47, "reason": "one door stood open", "newer": True}
    assert kept[5]["value_a"] == 0.476

    # Measured beats data sheet: taken into the register, the band narrows in sight.
    page.goto(f"{base}/")
    page.get_by_role("link", name="Brackwater County Archive").tap()
    page.get_by_role("link", name="Audit").tap()
    band = page.locator(".brief-band").inner_text()
    page.locator(".tree-list").get_by_role("button", name="Door magnet, fail-safe").tap()
    page.locator(".sheet").get_by_role("button", name="Take into the register").tap()
    expect(page.locator(".notice")).to_contain_text("Door magnet, fail-safe, standby: measured, in the register. Band of Bay B:")
    expect(page.locator(".brief-band")).not_to_have_text(band)


TABLE = """Fennick Lock, loads;;;;
Device;No. of;Quiescent (mA);Alarm mA;Location
Flood float;2;16,5;24;Sump
Pump relay;1;60-70;75;Sump
Beacon;1;1,250;;Roof
Total;4;;;
"""


def test_a_table_comes_in_with_mapping_and_nothing_before_it_is_confirmed(open_page, conninfo):
    """Title and totals are left out, two doubtful cells say why; one is corrected, one accepted, a column is mapped by hand; then undone."""
    page = open_page(expected=("422",))
    open_archive(page)
    page.get_by_role("link", name="Audit").click()
    page.get_by_role("link", name="Import a table").click()
    page.get_by_label("File").set_input_files({"name": "fennick.csv", "mimeType": "text/csv", "buffer": TABLE.encode()})
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_role("heading", name="fennick.csv")).to_be_visible()
    expect(page.locator(".doubtful")).to_have_count(2)
    expect(page.locator(".review")).to_contain_text("is a range (60-70): write one figure")
    count = rows(conninfo, "SELECT count(*) AS n FROM load")[0]["n"]
    page.get_by_role("button", name="Bring in what is chosen").click()
    expect(page.get_by_role("alert")).to_contain_text("Rows 4, 5 are still in doubt")
    assert rows(conninfo, "SELECT count(*) AS n FROM load")[0]["n"] == count
    page.get_by_label("Row 4, Quiescent (mA)").fill("65")
    page.locator("tr", has=page.get_by_label("Leave out row 5")).get_by_label("right as read").check()
    page.get_by_label("Where no supply is named").select_option(label="Bay A")
    page.get_by_label("What the column Location is").select_option(label="Branch")
    page.get_by_role("button", name="Bring in what is chosen").click()
    expect(page.locator(".flash")).to_contain_text("3 loads came in from fennick.csv.")
    found = rows(conninfo, "SELECT name, quantity, standby_current_a AS a, branch FROM load ORDER BY id DESC LIMIT 3")
    assert [tuple(r.values()) for r in found] == [
        ("Beacon", 1, 0.00125, "Roof"),
        ("Pump relay", 1, 0.065, "Sump"),
        ("Flood float", 2, 0.0165, "Sump"),
    ]
    expect(page.get_by_label("Branch of Pump relay")).to_have_value("Sump")


def test_the_register_by_keyboard_alone(open_page):
    """Filter, move down, double a load, select two, set their branch at once, open one, be asked about a thousand, undo all of it."""
    page = open_page(expected=("409",))
    open_archive(page)
    press(page, "a")
    expect(page.get_by_role("heading", name="Current tree")).to_be_visible()
    page.locator("#region-register .filter-text").focus()
    page.keyboard.type("stores")
    page.keyboard.press("Enter")
    expect(page.locator(".filter-count")).to_have_text("4 of 27 loads")
    tab_to(page, "Quantity of Dual-technology detector, stores")
    page.keyboard.press("ArrowDown")
    assert page.evaluate("document.activeElement.getAttribute('aria-label')") == "Quantity of Passive infrared detector, stores"
    page.keyboard.press("Control+d")
    expect(page.locator(".filter-count")).to_have_text("5 of 28 loads")
    expect(page.locator(".notice")).to_contain_text("added as copies")
    page.keyboard.press("Tab")
    page.keyboard.type("10.5 A")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("is the unit right?")
    tab_back(page, "Keep what stood here")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_have_count(0)
    for name in ("Select Dual-technology detector, stores", "Select Zone expander, stores"):
        page.get_by_label(name).focus()
        page.keyboard.press("Space")
    expect(page.locator("[data-count]")).to_have_text("2 selected")
    page.get_by_label("Set branch of the selected loads").focus()
    page.keyboard.type("Cellar")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Branch of Zone expander, stores")).to_have_value("Cellar")
    page.get_by_label("Name of Zone expander, stores").focus()
    page.keyboard.press("Control+Enter")
    expect(page.locator(".sheet [name=branch]")).to_have_value("Cellar")
    page.keyboard.press("Escape")
    page.locator("#main").focus()
    page.keyboard.press("Control+z")
    expect(page.locator(".notice")).to_contain_text("Undone: 2 changes.")
    expect(page.get_by_label("Branch of Zone expander, stores")).to_have_value("Stores")


def tab_back(page, name, most=12):
    for _ in range(most):
        page.keyboard.press("Shift+Tab")
        if page.evaluate("(document.activeElement.innerText || '').trim()") == name:
            return
    raise AssertionError(f"Shift+Tab does not reach {name!r}")


def test_the_tree_shows_supplies_states_and_what_does_not_add_up(open_page):
    """The weakest supply first; its residual in words; another supply, the alarm; a node is opened by keyboard."""
    page = open_page()
    sign_in(page)
    page.get_by_role("link", name="Brackwater County Archive").click()
    page.get_by_role("link", name="Audit").click()
    tree = page.locator("svg.tree")
    expect(tree).to_contain_text("✕ +32 mA, 4.9 × what can be uncertainty")
    expect(tree.locator("a.tree-differs")).to_have_count(1)
    expect(tree.locator("a.tree-open")).to_have_count(8)
    page.get_by_role("button", name="Bay A does not add up").click()
    expect(tree).to_contain_text("88.9 A read, 90 mA by register")
    tree.get_by_role("link", name="Zone expander").focus()
    page.keyboard.press("Enter")
    expect(page.locator(".sheet .causes li").first).to_contain_text("mA may have been written as A")
    page.keyboard.press("Escape")
    page.get_by_role("group", name="State").get_by_role("button", name="Alarm").click()
    expect(page.locator(".tree-sum")).to_contain_text("Bay A, alarm: 2 of 15 points measured")
