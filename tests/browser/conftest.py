"""Pages that fail their test when they complain."""

import pytest
from browser.pages import LAPTOP, PHONE
from playwright.sync_api import expect

# A busy machine answers late; what never comes still fails.
expect.set_options(timeout=20_000)

# What is pressed before the scripts run is lost, and a test is faster than any thumb: nothing shows until the page is loaded whole.
HIDDEN_UNTIL_LOADED = """
const hidden = new CSSStyleSheet();
hidden.replaceSync("html { visibility: hidden }");
document.adoptedStyleSheets.push(hidden);
addEventListener("load", () => { document.adoptedStyleSheets = document.adoptedStyleSheets.filter((s) => s !== hidden); });
"""


# Who has left the walk through the demo is not led again.
WALKED = "try { if (!localStorage.getItem('ypomoni-walk')) localStorage.setItem('ypomoni-walk', 'left'); } catch { /* a page without storage */ }"


@pytest.fixture
def open_page(browser, server):
    """Open pages that fail the test at its end when they wrote an error to the console; refusals the test provokes are named."""
    complaints, contexts = [], []

    def opener(size=LAPTOP, scheme="light", expected=(), walks=False):
        context = browser.new_context(viewport=size, color_scheme=scheme, base_url=server, has_touch=size is PHONE, accept_downloads=True)
        contexts.append(context)
        context.add_init_script(HIDDEN_UNTIL_LOADED)
        if not walks:
            context.add_init_script(WALKED)
        page = context.new_page()
        page.set_default_timeout(20_000)

        def note(message):
            if message.type in ("error", "warning") and not any(
                f"status of {code}" in message.text or code in message.text for code in expected
            ):
                complaints.append(message.text)

        page.on("console", note)
        page.on("pageerror", lambda error: complaints.append(f"{error} {error.stack}"))
        return page

    yield opener
    for context in contexts:
        context.close()
    assert complaints == []
