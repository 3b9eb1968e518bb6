"""The bench in a real browser, against simulated meters over real TCP: a device logged and taken over, a lot on a phone without signal, an outage timed."""

import pytest
from browser.pages import LAPTOP, PHONE, sign_in, violations
from playwright.sync_api import expect
from web.client import rows

from ypomoni.actions.recorder import Recorder
from ypomoni.core.things.batteries import Bank
from ypomoni.instruments.simulated import SimulatedBurst, SimulatedDevice, SimulatedLoad, SimulatedMultimeter, SimulatedServer
from ypomoni.storage.connection import open_pool

pytestmark = pytest.mark.browser
DEVICE = SimulatedDevice(name="d", modes={"armed": 0.062}, bursts=(SimulatedBurst(current_a=0.95, duration_s=0.8, per_hour=1200.0),))


@pytest.fixture
def _recorder(conninfo):
    """Record in threads of this process."""
    pool = open_pool(conninfo, most=4)
    found = Recorder(pool)
    found.start()
    yield
    found.stop()
    pool.close()


@pytest.fixture
def multimeter():
    server = SimulatedServer(SimulatedMultimeter(device=DEVICE)).start()
    yield server
    server.stop()


@pytest.fixture
def electronic_load():
    meter = SimulatedLoad(bank=Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=7), speed=4_000.0)
    server = SimulatedServer(meter).start()
    yield meter, server
    server.stop()


@pytest.mark.usefixtures("_recorder")
def test_a_device_is_logged_by_a_meter_and_its_bursts_are_taken_into_a_load(open_page, multimeter, conninfo):
    """Connected, watched live, the page left and found again, stopped, drawn out by dragging, compared with a load and taken over."""
    page = open_page()
    sign_in(page)
    page.get_by_role("link", name="Bench", exact=True).click()
    page.get_by_role("link", name="Connect a meter").click()
    page.get_by_label("What is measured").fill("communicator, armed")
    page.get_by_label("Where the meter is").fill(multimeter.address)
    page.get_by_role("button", name="Connect and record").click()
    expect(page.locator(".live-value")).to_contain_text("mA")
    page.get_by_role("link", name="Library").click()
    page.get_by_role("link", name="Bench", exact=True).click()
    expect(page.get_by_role("listitem").filter(has=page.locator(".bench-live"))).to_contain_text("communicator, armed")
    page.get_by_role("link", name="communicator, armed", exact=True).click()
    expect(page.locator(".live-said")).to_contain_text("samples")
    # Three bursts at least, so that they are seen to come again.
    page.wait_for_timeout(10_000)
    page.get_by_role("button", name="Stop").click()
    expect(page.locator(".power-answer")).to_contain_text("at rest")
    # How often depends on how busy the machine is that samples; the height does not.
    expect(page.get_by_role("group", name="Bursts")).to_contain_text("mA")
    box = page.locator(".log-chart").bounding_box()
    page.mouse.move(box["x"] + 0.3 * box["width"], box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + 0.6 * box["width"], box["y"] + 90, steps=5)
    page.mouse.up()
    expect(page.get_by_role("link", name="Show all")).to_be_visible()
    page.get_by_label("Into a load of").select_option(label="Brackwater County Archive, As found")
    page.get_by_role("button", name="Compare it there").click()
    page.get_by_role("combobox", name="It is of").first.select_option(label="Cellular communicator")
    page.get_by_role("button", name="Compare with that load").click()
    expect(page.get_by_text("Cellular communicator is registered with")).to_be_visible()
    page.get_by_role("button", name="Let Cellular communicator draw what was logged").click()
    expect(page.locator(".flash")).to_contain_text("now draws what was logged")
    (load,) = rows(conninfo, "SELECT standby_current_a, bursts FROM load WHERE name = 'Cellular communicator' AND plan_id = 1")
    assert load["standby_current_a"] == pytest.approx(0.062, rel=0.03)
    assert load["bursts"][0]["current_a"] == pytest.approx(0.95, rel=0.03)


def test_a_lot_is_measured_on_a_phone_without_signal_and_matched(open_page, conninfo):
    """Blocks typed without signal wait on the phone and are sent once; each has its verdict, strings come out, labels are printed."""
    page = open_page(PHONE, expected=("net::ERR_INTERNET_DISCONNECTED", "422"))
    # A browser that says when it is back on line has all sent before anybody presses anything. This one does not say so.
    page.add_init_script("addEventListener('online', (event) => event.stopImmediatePropagation())")
    sign_in(page)
    page.goto("/bench/")
    page.get_by_role("link", name="Test a lot").tap()
    page.get_by_label("Lot").fill("Van, spring")
    page.get_by_label("Block capacity").fill("7")
    page.get_by_label("All were charged in full").check()
    page.get_by_label("Then rested for").fill("14")
    page.get_by_label("Loaded with").fill("3.5 A")
    page.get_by_label("for", exact=True).fill("10")
    page.get_by_role("button", name="Begin").tap()

    def read(label, rest, under, problem=""):
        form = page.locator("#add form")
        form.get_by_label("Block", exact=True).fill(label)
        form.get_by_label("At rest").fill(rest)
        form.get_by_label("Under load").fill(under)
        form.get_by_role("button", name="Keep the block").tap()
        if problem:
            expect(form.get_by_text(problem)).to_be_visible()

    read("1", "12.90", "12.40")
    expect(page.get_by_role("group", name="Blocks of the lot")).to_contain_text("12.9 V")
    expect(page.locator("html")).to_have_attribute("data-offline", "ready")
    page.context.set_offline(True)
    read("2", "12.88", "12.37")
    expect(page.locator("#add .unsent")).to_contain_text("1 block is not sent yet")
    read("3", "12.91", "12.20")
    expect(page.locator("#add .unsent")).to_contain_text("2 blocks are not sent yet")
    page.context.set_offline(False)
    page.get_by_role("button", name="Send now").tap()
    expect(page.locator("#add .unsent")).not_to_be_visible()
    page.reload()
    blocks = page.get_by_role("group", name="Blocks of the lot")
    expect(blocks.get_by_role("row").filter(has_text="12.88 V")).to_contain_text("good")
    expect(blocks.get_by_role("row").filter(has_text="12.91 V")).to_contain_text("reject")
    expect(page.locator(".bench-strings")).to_contain_text("1 + 2")
    (lot,) = rows(conninfo, "SELECT blocks FROM battery_lot WHERE name = 'Van, spring'")
    assert [b["label"] for b in lot["blocks"]] == ["1", "2", "3"]
    read("4", "12.4", "12.9", problem="must not be above the volts at rest")
    page.get_by_role("link", name="Labels to print").tap()
    expect(page.locator(".labels li").first).to_contain_text("String 1")


@pytest.mark.usefixtures("_recorder")
def test_an_outage_is_timed_by_a_load_that_is_switched_off_at_the_end(open_page, electronic_load, conninfo):
    """The prediction stands before it begins; the curve runs; at the end voltage the load is off and the page cries out; the test is kept."""
    meter, server = electronic_load
    page = open_page(expected=("422",))
    sign_in(page)
    page.goto("/sites/1/as-found/tests?supply=bay-b")
    page.get_by_label("Discharged with").fill("0.9 A")
    page.get_by_label("Stop at").fill("9 V")
    page.get_by_label("By an electronic load at").fill(server.address)
    page.get_by_role("button", name="Fix the prediction and begin").click()
    expect(page.get_by_text("below it this battery is ruined")).to_be_visible()
    page.get_by_label("Stop at").fill("10.5 V")
    page.get_by_role("button", name="Fix the prediction and begin").click()
    expect(page.locator(".power-answer")).to_contain_text("Foreseen")
    expect(page.locator(".live-value")).to_contain_text("V")
    expect(page.locator(".run-alarm")).to_contain_text("The load was switched off", timeout=60_000)
    assert not meter.is_on
    page.get_by_role("button", name="Silence").click()
    page.get_by_role("button", name="End it and keep the test").click()
    expect(page.locator(".flash")).to_contain_text("The site is weak until about")
    (plan,) = rows(conninfo, "SELECT tests FROM plan WHERE id = 1")
    assert (plan["tests"][-1]["supply"], plan["tests"][-1]["ended"]) == ("bay-b", "end_voltage")


@pytest.mark.long
@pytest.mark.parametrize(("size", "scheme"), [(LAPTOP, "light"), (PHONE, "dark")])
def test_the_pages_of_the_bench_can_be_used_by_everybody(open_page, size, scheme):
    """Axe finds nothing on any of them, and nothing is wider than the screen."""
    page = open_page(size, scheme)
    sign_in(page)
    for address in (
        "",
        "devices/new",
        "devices/1",
        "lots/new",
        "lots/1",
        "lots/1/labels",
        "meters/new",
        "logs/1",
    ):
        page.goto(f"/bench/{address}")
        page.wait_for_load_state()
        assert violations(page) == [], address
        assert page.evaluate("document.documentElement.scrollWidth") <= size["width"], address
