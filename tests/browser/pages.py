"""What browser tests share: sizes, signing in, the archive, forms, and going by Tab."""

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

LAPTOP = {"width": 1280, "height": 800}
PHONE = {"width": 390, "height": 844}


def sign_in(page, email="wren@saltmarsh.example", password="brackwater-tide"):
    page.goto("/sign-in")
    page.get_by_label("E-mail").fill(email)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="Sites")).to_be_visible()


def open_archive(page):
    sign_in(page)
    page.get_by_role("link", name="Brackwater County Archive").click()
    expect(page.locator(".answer-line")).to_contain_text("Bay B gives out first")


def press(page, key):
    """Press a key of the page's own once its scripts listen; before that it would be lost."""
    page.wait_for_load_state()
    page.keyboard.press(key)


def to_register(page):
    page.get_by_role("link", name="Audit").click()
    expect(page.locator("#region-tree")).to_be_visible()


def to_strip(page):
    page.get_by_role("link", name="Endurance").click()
    expect(page.locator("#region-strip")).to_be_visible()


def do_with_plan(page, role, name):
    """Choose something of the menu behind the plan's name."""
    page.locator(".menu summary").click()
    page.locator(".menu").get_by_role(role, name=name).click()


def fill(page, **fields):
    for label, text in fields.items():
        field = page.locator(f".sheet [name={label}]")
        field.wait_for(state="attached")
        if not field.is_visible():
            # It stands in a part of the form that is folded away.
            page.locator(f".sheet details:has([name={label}]) > summary").click()
        if field.evaluate("e => e.tagName") == "SELECT":
            field.select_option(label=text)
        else:
            field.fill(text)


def save(page):
    page.locator(".sheet").get_by_role("button", name="Save").click()
    expect(page.locator(".sheet")).not_to_be_visible()


def tab_to(page, name, most=60):
    """Press Tab until the focus is on what has this accessible name or text."""
    page.wait_for_load_state()
    for _ in range(most):
        page.keyboard.press("Tab")
        focused = page.evaluate(
            "(document.activeElement.getAttribute('aria-label') || document.activeElement.textContent || '').replace(/\\s+/g, ' ').trim()"
        )
        if focused == name:
            return
    raise AssertionError(f"Tab does not reach {name!r}")


AXE = Axe()


def violations(page, within=None):
    """Return what Axe complains of on a page, or within a part of it; its script goes into each page once."""
    if not page.evaluate("() => 'axe' in window"):
        page.evaluate(AXE.axe_script)
    return page.evaluate("(w) => axe.run(w || document, { resultTypes: ['violations'] }).then((r) => r.violations)", within)
