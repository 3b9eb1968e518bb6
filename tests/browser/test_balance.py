"""The balance board in a real browser: by mouse, by keyboard alone, by thumb; refused with its reason; undone; compared."""

import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from browser.pages import PHONE, open_archive
from playwright.sync_api import expect

pytestmark = pytest.mark.browser


def open_board(page):
    open_archive(page)
    page.get_by_role("button", name="Copy plan").click()
    expect(page.get_by_text("stays as it is, with what was read there")).to_be_visible()
    page.get_by_role("link", name="Balance").click()
    expect(page.locator(".piece")).to_have_count(27)


def lane(page, name):
    return page.locator(f".board-lane[aria-label^='{name},']")


def piece(page, name):
    return page.locator(f".piece[data-name^='{name}']")


def middle(locator):
    box = locator.bounding_box()
    return box["x"] + 40, box["y"] + box["height"] / 2


def test_a_piece_is_dragged_to_another_lane_with_the_mouse_and_every_figure_follows(open_page):
    """While it is held each lane says what would be or why not; dropped, both lanes change; undone, both are as before; then compared."""
    page = open_page(expected=("422",))
    open_board(page)
    assert page.evaluate("document.querySelector('.board').getBoundingClientRect().bottom <= innerHeight + 20")
    before = lane(page, "Bay B").locator("b").inner_text()
    page.mouse.move(*middle(piece(page, "Perimeter beam")))
    page.mouse.down()
    page.mouse.move(*middle(lane(page, "Bay A").locator(".board-svg")), steps=8)
    expect(lane(page, "Bay A").locator("[data-offer]")).to_contain_text("With it")
    expect(lane(page, "Bay B").locator("[data-offer]")).to_contain_text("Without it")
    expect(lane(page, "Fire panel").locator("[data-offer]")).to_contain_text("May not: it runs at 12 V without a converter")
    page.mouse.up()
    expect(page.locator(".notice")).to_contain_text("Perimeter beam hangs on Bay A.")
    expect(lane(page, "Bay A").locator(".piece[data-name^='Perimeter beam']")).to_have_count(1)
    expect(lane(page, "Bay B").locator("b")).not_to_have_text(before)
    page.mouse.move(*middle(piece(page, "Perimeter beam")))
    page.mouse.down()
    page.mouse.move(*middle(lane(page, "Fire panel").locator(".board-svg")), steps=8)
    page.mouse.up()
    expect(page.locator(".notice")).to_contain_text("may not hang on Fire panel")
    page.keyboard.press("Control+z")
    expect(lane(page, "Bay B").locator("b")).to_have_text(before)
    assert Axe().run(page).response["violations"] == []


def test_the_board_by_keyboard_alone_with_a_split(open_page):
    """Enter takes, arrows choose the lane, Enter drops, Escape puts back; of six beams three go."""
    page = open_page()
    open_board(page)
    piece(page, "Card reader").focus()
    page.keyboard.press("Enter")
    expect(page.locator(".held")).to_contain_text("Card reader ×2")
    page.keyboard.press("Escape")
    expect(page.locator(".held-now")).not_to_be_visible()
    expect(piece(page, "Card reader")).to_be_focused()
    piece(page, "Perimeter beam").focus()
    page.keyboard.press("Enter")
    page.get_by_label("How many pieces").fill("3")
    page.keyboard.press("Tab")
    put = lane(page, "Bay A").locator("[data-put]")
    expect(put).to_be_visible()
    put.focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowUp")
    expect(put).to_be_focused()
    page.keyboard.press("Enter")
    expect(lane(page, "Bay A").locator(".piece[data-name='Perimeter beam ×3']")).to_have_count(1)
    expect(lane(page, "Bay B").locator(".piece[data-name='Perimeter beam ×3']")).to_have_count(1)
    page.get_by_role("link", name="Compare").click()
    expect(page.get_by_role("row", name=re.compile("Bay B")).first).to_contain_text("longer")
    expect(page.locator(".compare").last).to_contain_text("6 → 3 pieces")
    assert Axe().run(page).response["violations"] == []


def test_a_piece_is_moved_with_a_thumb(open_page):
    """Tap takes, tap drops; pieces are as high as a thumb needs, and nothing runs off the side."""
    page = open_page(PHONE)
    open_board(page)
    expect(page.locator("[data-board_touch='1']")).to_have_count(1)
    reader = piece(page, "Card reader")
    reader.scroll_into_view_if_needed()
    assert reader.bounding_box()["height"] >= 34
    reader.tap()
    put = lane(page, "Bay A").locator("[data-put]")
    put.scroll_into_view_if_needed()
    put.tap()
    expect(page.locator(".notice")).to_contain_text("Card reader hangs on Bay A.")
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert Axe().run(page).response["violations"] == []
