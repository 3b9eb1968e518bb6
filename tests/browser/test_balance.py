"""The balance board in a real browser: by mouse, by keyboard alone, by thumb; ghosts; two people; a plan set back; a server and a database killed."""

import contextlib
import os
import re
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.request

import pytest
from browser.pages import PHONE, do_with_plan, open_archive, sign_in, violations
from playwright.sync_api import expect

from ypomoni.actions import working
from ypomoni.actions.seed_demo import PASSWORD, PEOPLE

pytestmark = pytest.mark.browser


@pytest.fixture
def worker(app, monkeypatch):
    """A worker on the queue of this test's database; what would make moving possible is looked for only briefly."""
    monkeypatch.setattr(working, "RELAX_RATIO", 1.6)
    stop = threading.Event()

    def work():
        while not stop.is_set():
            if not working.work_once(app.extensions["pool"]):
                time.sleep(0.05)

    thread = threading.Thread(target=work, daemon=True)
    thread.start()
    yield
    stop.set()
    thread.join()


def open_board(page):
    open_archive(page)
    do_with_plan(page, "button", "Copy plan")
    expect(page.get_by_text("stays as it is, with what was read there")).to_be_visible()
    page.get_by_role("link", name="Balance").click()
    expect(page.locator(".piece")).to_have_count(27)


def lane(page, name):
    return page.locator(f".board-lane[aria-label^='{name},']")


def piece(page, name):
    return page.locator(f".piece[data-name^='{name}']")


def on(page, name, which):
    return lane(page, name).locator(f".piece[data-name^='{which}']")


def middle(locator):
    box = locator.bounding_box()
    return box["x"] + 40, box["y"] + box["height"] / 2


def drag(page, name, to):
    page.mouse.move(*middle(piece(page, name)))
    page.mouse.down()
    page.mouse.move(*middle(lane(page, to).locator(".board-svg")), steps=8)


@pytest.mark.long
def test_a_piece_is_pinned_a_lane_shut_a_load_found_and_the_others_stay_as_they_are_drawn(open_page):
    """A pinned piece may go nowhere until it is unpinned; a shut lane shows no pieces and its hours; lanes nothing happened to are not drawn anew."""
    page = open_page()
    open_board(page)
    page.evaluate("for (const lane of document.querySelectorAll('.board-lane')) lane.drawnOnce = true")
    piece(page, "Glass-break detector").focus()
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Pin it here").click()
    expect(page.locator(".notice")).to_contain_text("stays where it is")
    expect(piece(page, "Glass-break detector")).to_have_class(re.compile("piece-pinned"))
    assert page.evaluate("[...document.querySelectorAll('.board-lane')].filter((lane) => !lane.drawnOnce).length") == 1
    piece(page, "Glass-break detector").focus()
    page.keyboard.press("Enter")
    expect(lane(page, "Bay B").locator("[data-offer]")).to_contain_text("pinned to where it is")
    expect(page.locator("[data-put]:visible")).to_have_count(0)
    page.get_by_role("button", name="Unpin it").click()
    expect(piece(page, "Glass-break detector")).not_to_have_class(re.compile("piece-pinned"))
    page.get_by_role("button", name="Shut Bay A").click()
    expect(lane(page, "Bay A").locator(".piece")).to_have_count(0)
    expect(lane(page, "Bay A")).to_contain_text("36 h")
    page.get_by_role("button", name="Open Bay A").click()
    expect(page.locator(".piece")).to_have_count(27)
    page.get_by_label("Find a load").fill("beam")
    expect(page.locator(".piece")).to_have_count(1)
    expect(page.get_by_text("1 of 27 loads match")).to_be_visible()


def test_pieces_are_dragged_with_the_mouse_every_figure_follows_and_all_is_undone(open_page):
    """While it is held each lane says what would be or why not; two go with Ctrl; a part of a bus is refused; undone, all is as before."""
    page = open_page(expected=("422",))
    open_archive(page)
    page.get_by_role("link", name="Balance").click()
    expect(page.locator(".piece")).to_have_count(27)
    # Tray and axis included: nothing has to be scrolled to.
    assert page.evaluate("document.querySelector('.board').getBoundingClientRect().bottom <= innerHeight")
    do_with_plan(page, "button", "Copy plan")
    expect(page.get_by_text("stays as it is, with what was read there")).to_be_visible()
    page.get_by_role("link", name="Balance").click()
    expect(page.locator(".piece")).to_have_count(27)
    before = lane(page, "Bay B").locator("b").inner_text()
    drag(page, "Perimeter beam", "Bay A")
    expect(lane(page, "Bay A").locator("[data-offer]")).to_contain_text("With it")
    expect(lane(page, "Bay B").locator("[data-offer]")).to_contain_text("Without it")
    expect(lane(page, "Fire panel").locator("[data-offer]")).to_contain_text("May not: it runs at 12 V without a converter")
    page.mouse.up()
    expect(page.locator(".notice")).to_contain_text("Perimeter beam hangs on Bay A.")
    expect(on(page, "Bay A", "Perimeter beam")).to_have_count(1)
    expect(lane(page, "Bay B").locator("b")).not_to_have_text(before)
    drag(page, "Perimeter beam", "Fire panel")
    page.mouse.up()
    expect(page.locator(".notice")).to_contain_text("may not hang on Fire panel")
    piece(page, "Card reader").click(position={"x": 20, "y": 5})
    expect(page.locator(".held-now")).to_contain_text("Card reader ×2")
    piece(page, "Exit button").click(position={"x": 20, "y": 5}, modifiers=["Control"])
    expect(page.locator(".held-now")).to_contain_text("Card reader ×2, Exit button, illuminated ×2")
    drag(page, "Card reader", "Main panel")
    page.mouse.up()
    expect(page.locator(".notice")).to_contain_text("2 loads hang on Main panel.")
    drag(page, "Zone expander, stores", "Bay A")
    expect(lane(page, "Bay A").locator("[data-offer]")).to_contain_text("shares the bus Bus 2 and its 0 V")
    page.mouse.up()
    expect(page.locator(".notice")).to_contain_text("they move together or not at all")
    page.keyboard.press("Control+z")
    expect(on(page, "Bay B", "Card reader")).to_have_count(1)
    page.keyboard.press("Control+z")
    expect(lane(page, "Bay B").locator("b")).to_have_text(before)
    expect(page.get_by_role("button", name="Undo my last change")).to_be_disabled()
    page.keyboard.press("Control+Shift+Z")
    expect(on(page, "Bay A", "Perimeter beam")).to_have_count(1)
    page.set_viewport_size({"width": 1280, "height": 420})
    page.evaluate("window.scrollTo(0, 0)")
    x, y = middle(piece(page, "Keypad"))
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 10, 400, steps=4)
    # Held still near the edge, the page goes on scrolling until the lowest lane is there.
    expect(page.locator(".board-tray")).to_be_in_viewport()
    page.keyboard.press("Escape")
    page.mouse.up()
    expect(on(page, "Main panel", "Keypad")).to_have_count(1)
    page.set_viewport_size({"width": 1280, "height": 800})
    page.reload()
    page.get_by_role("button", name="Undo my last change").click()
    expect(lane(page, "Bay B").locator("b")).to_have_text(before)
    assert violations(page) == []


@pytest.mark.long
def test_the_board_by_keyboard_alone_with_a_split(open_page):
    """Enter takes, Space takes along, arrows choose the lane, Enter drops, Escape puts back; of six beams three go; a distance is asked and given."""
    page = open_page()
    open_board(page)
    piece(page, "Card reader").focus()
    page.keyboard.press("Space")
    piece(page, "Perimeter beam").focus()
    page.keyboard.press("Space")
    expect(page.locator(".held-now")).to_contain_text("Perimeter beam ×6, Card reader ×2")
    page.keyboard.press("Escape")
    expect(page.locator(".held-now")).not_to_be_visible()
    piece(page, "Perimeter beam").focus()
    page.keyboard.press("Enter")
    asked = lane(page, "Main panel").locator("[data-run-at]")
    expect(asked).to_contain_text("How far is")
    asked.focus()
    page.keyboard.press("Enter")
    page.locator(".sheet [name=length_m]").fill("60 m")
    page.locator(".sheet [name=section_mm2]").fill("0.5 mm²")
    page.keyboard.press("Enter")
    expect(page.locator(".sheet")).not_to_be_visible()
    expect(lane(page, "Main panel").locator("[data-offer]")).to_contain_text("60 m of 0.5 mm² drop")
    page.get_by_label("How many pieces").fill("3")
    page.keyboard.press("Tab")
    put = lane(page, "Bay A").locator("[data-put]")
    expect(put).to_be_visible()
    put.focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Enter")
    expect(lane(page, "Bay A").locator(".piece[data-name='Perimeter beam ×3']")).to_have_count(1)
    expect(lane(page, "Bay B").locator(".piece[data-name='Perimeter beam ×3']")).to_have_count(1)
    page.get_by_role("link", name="Compare").click()
    page.get_by_role("link", name="Compare").wait_for()
    page.goto(page.url.split("?")[0] + "?plan=as-found&plan=proposal-2")
    expect(page.get_by_role("row", name=re.compile("Bay B")).first).to_contain_text("longer")
    expect(page.locator(".compare").last).to_contain_text("6 → 3 pieces")
    assert violations(page) == []


def test_pieces_are_moved_with_a_thumb(open_page):
    """Tap takes, another tap takes along, tap drops; pieces are as high as a thumb needs, and nothing runs off the side."""
    page = open_page(PHONE)
    open_board(page)
    expect(page.locator("[data-board_touch='1']")).to_have_count(1)
    for name in ("Card reader", "Exit button"):
        one = piece(page, name)
        one.scroll_into_view_if_needed()
        assert one.bounding_box()["height"] >= 34
        one.tap()
        expect(page.locator(".held-now")).to_contain_text(name)
    put = lane(page, "Bay A").locator("[data-put]")
    put.scroll_into_view_if_needed()
    put.tap()
    expect(page.locator(".notice")).to_contain_text("2 loads hang on Bay A.")
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert violations(page) == []


@pytest.mark.long
@pytest.mark.usefixtures("worker")
def test_the_proposed_moves_are_ghosts_that_are_accepted_and_all_undone_and_the_plan_is_set_back(open_page):
    """A search runs with progress; what would do it is chosen and made whole; every lane holds; undone; made again; set back by the history."""
    page = open_page()
    open_board(page)
    page.get_by_role("button", name="Find the fewest moves").click()
    expect(page.locator(".searching")).to_be_visible()
    expect(page.locator(".proposal")).to_contain_text("Moving alone does not do it", timeout=60_000)
    option = page.locator(".proposal-options button").first
    option.click()
    expect(page.locator(".proposal h3")).to_contain_text("With")
    expect(page.locator(".ghost").first).to_be_visible()
    count = page.locator(".ghost").count()
    page.get_by_role("button", name=re.compile("^(Fit it and make|Make)")).first.click()
    expect(page.locator(".notice")).to_contain_text("moved")
    expect(page.locator(".lane-fails")).to_have_count(0)
    expect(page.locator(".ghost")).to_have_count(0)
    assert violations(page) == []
    page.keyboard.press("Control+z")
    expect(page.locator(".ghost")).to_have_count(count)
    expect(page.locator(".lane-fails")).to_have_count(2)
    page.keyboard.press("Control+Shift+Z")
    expect(page.locator(".lane-fails")).to_have_count(0)
    do_with_plan(page, "link", "History")
    expect(page.locator(".history-entry").first).to_contain_text("by undoing")
    assert violations(page) == []
    page.get_by_role("button", name=re.compile("Set the plan back")).last.click()
    expect(page.locator(".sheet")).to_contain_text("would be as before that change")
    page.get_by_role("button", name="Set it back").click()
    expect(page.locator(".flash")).to_contain_text("is as it was")
    page.get_by_role("link", name="Balance").click()
    expect(page.locator(".lane-fails")).to_have_count(2)


@pytest.mark.long
def test_two_browsers_on_one_plan(open_page):
    """Each sees that the other is there and what the other moved; a move made on what is no longer so shows both states and a choice."""
    mine, theirs = open_page(expected=("409",)), open_page(expected=("409",))
    open_board(mine)
    sign_in(theirs, PEOPLE[1][0], PASSWORD)
    theirs.goto(mine.url)
    expect(theirs.locator(".piece")).to_have_count(27)
    expect(mine.locator(".company")).to_contain_text(f"{PEOPLE[1][1]} is on this plan too.")
    drag(mine, "Perimeter beam", "Main panel")
    theirs.locator(".piece[data-name^='Perimeter beam']").focus()
    theirs.keyboard.press("Enter")
    lane(theirs, "Bay A").locator("[data-put]").click()
    expect(on(theirs, "Bay A", "Perimeter beam")).to_have_count(1)
    mine.mouse.up()
    expect(mine.locator(".sheet")).to_contain_text("Perimeter beam was changed meanwhile")
    expect(mine.get_by_role("row", name=re.compile("It hangs on"))).to_have_text(re.compile("It hangs on.*Bay A.*Main panel", re.DOTALL))
    assert violations(mine, ".sheet") == []
    mine.get_by_role("button", name="Leave it on Bay A").click()
    expect(on(mine, "Bay A", "Perimeter beam")).to_have_count(1)
    drag(mine, "Card reader", "Bay A")
    mine.mouse.up()
    expect(on(mine, "Bay A", "Card reader")).to_have_count(1)
    expect(on(theirs, "Bay A", "Card reader")).to_have_count(1)
    expect(theirs.locator(".company")).to_contain_text("Card reader: on Bay B → Bay A")


@contextlib.contextmanager
def real_server(conninfo, port):
    """The application as it is started for real, in a process group of its own; killed at the end, as a machine would be."""
    environment = {**os.environ, "YPOMONI_DATABASE": conninfo, "YPOMONI_SECRET_KEY": "for tests only " * 4, "YPOMONI_DEMO": "1"}
    command = [sys.executable, "-c", "from ypomoni.cli import main; main()", "serve", "--port", str(port)]
    process = subprocess.Popen(command, env=environment, start_new_session=True)
    try:
        for _ in range(300):
            with contextlib.suppress(OSError):
                urllib.request.urlopen(f"http://127.0.0.1:{port}/sign-in", timeout=2).close()
                break
            time.sleep(0.1)
        yield
    finally:
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()


@pytest.mark.long
def test_what_was_acknowledged_survives_a_killed_server_and_database_and_the_rest_is_offered_again(browser, cluster, conninfo):
    """Server killed: the next move is kept as not saved, through a reload, and saved when sent again. So with the database. Nothing twice."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=f"http://127.0.0.1:{port}")
    page = context.new_page()
    with real_server(conninfo, port):
        open_board(page)
        drag(page, "Perimeter beam", "Bay A")
        page.mouse.up()
        expect(on(page, "Bay A", "Perimeter beam")).to_have_count(1)
    drag(page, "Card reader", "Bay A")
    page.mouse.up()
    expect(page.locator(".unsent:visible")).to_contain_text("Not saved: Card reader ×2 to Bay A.")
    expect(page.locator(".company")).to_contain_text("No connection")
    with real_server(conninfo, port):
        page.reload()
        expect(on(page, "Bay A", "Perimeter beam")).to_have_count(1)
        expect(on(page, "Bay B", "Card reader")).to_have_count(1)
        page.get_by_role("button", name="Send again").click()
        expect(on(page, "Bay A", "Card reader")).to_have_count(1)
        expect(page.locator(".unsent:visible")).to_have_count(0)
        cluster.stop(mode="immediate")
        try:
            drag(page, "Exit button", "Bay A")
            page.mouse.up()
            expect(page.locator(".unsent:visible")).to_contain_text("Not saved: Exit button, illuminated ×2 to Bay A.")
        finally:
            cluster.ensure()
        page.get_by_role("button", name="Send again").click()
        expect(on(page, "Bay A", "Exit button")).to_have_count(1)
        assert page.locator(".piece").count() == 27
        # The worker that the same command started is there too, and found the database again.
        page.get_by_role("button", name="Find the fewest moves").click()
        expect(page.locator(".searching")).to_contain_text("Searching for the best moves")
    context.close()
