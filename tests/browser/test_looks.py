"""Every main view at both sizes and in both schemes, with the demo, with very much, with very long names, and with nothing yet: nothing is cut off, nothing lies over anything."""

import json

import pytest
from browser.pages import LAPTOP, PHONE, sign_in
from core.placements import full_site
from web.client import rows

pytestmark = [pytest.mark.browser, pytest.mark.long]
LONG = "A name of sixty letters that nobody would ever give a thing "
VIEWS = (
    "",
    "/as-found/brief",
    "/as-found/audit",
    "/as-found/outage",
    "/as-found/schools",
    "/as-found/battery",
    "/as-found/season",
    "/as-found/balance",
    "/as-found/power",
    "/as-found/build/bank",
    "/as-found/build/charger",
    "/as-found/build/parts",
    "/as-found/backup",
    "/as-found/bench",
    "/as-found/tests",
    "/as-found/log",
    "/compare",
    "/as-found/history",
)
# Wider than the screen; text that its box cuts off without saying so; labels of a drawing that lie over each other.
FAULTS = """
() => {
  const found = [];
  const root = document.documentElement;
  if (root.scrollWidth > root.clientWidth) found.push(`the page is ${root.scrollWidth} wide`);
  for (const e of document.querySelectorAll("main *")) {
    if (!e.checkVisibility() || e.closest("svg") || !e.childNodes.length) continue;
    const own = [...e.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim());
    const style = getComputedStyle(e);
    if (own && style.overflowX === "hidden" && style.textOverflow !== "ellipsis" && e.scrollWidth > e.clientWidth + 2 && !e.classList.contains("sr") && e.clientWidth > 2)
      found.push(`cut off: ${e.tagName}.${e.className} “${e.textContent.trim().slice(0, 40)}”`);
  }
  for (const svg of document.querySelectorAll("main svg")) {
    if (!svg.checkVisibility()) continue;
    const texts = [...svg.querySelectorAll("text")].filter((t) => t.textContent.trim() && t.checkVisibility()).map((t) => [t.textContent.trim(), t.getBoundingClientRect()]);
    for (let i = 0; i < texts.length; i += 1) for (let j = i + 1; j < texts.length; j += 1) {
      const [a, b] = [texts[i][1], texts[j][1]];
      const wide = Math.min(a.right, b.right) - Math.max(a.left, b.left);
      const tall = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
      if (wide > 2 && tall > 0.45 * Math.min(a.height, b.height)) found.push(`“${texts[i][0].slice(0, 30)}” over “${texts[j][0].slice(0, 30)}” in ${svg.getAttribute("class")}`);
    }
  }
  return [...new Set(found)].slice(0, 12);
}
"""


def renamed(site):
    """Return a site whose things have names of sixty letters."""
    for plan in site["plans"]:
        for kind in ("supplies", "loads"):
            for n, thing in enumerate(plan[kind]):
                thing["name"] = f"{LONG[:56]}{n:04}"
    site["site"]["name"] = LONG[:60]
    return site


@pytest.fixture
def sites(open_page, conninfo):
    """Bring in a large site, one with long names and an empty one; return the addresses of all and of the demo's."""
    page = open_page()
    sign_in(page)
    page.wait_for_load_state()
    large, long = full_site(200, 200), renamed(full_site(40, 40))
    empty = {"format": "ypomoni-site", "version": 1, "site": {"name": "Nothing yet", "typical_degc": 20, "min_degc": 5}, "requirements": []}
    empty["plans"] = [{"key": "as-found", "name": "As found", "stage": "as_found", "supplies": [], "loads": []}]
    for site in (large, long, empty):
        page.goto("/import")
        page.locator("textarea").first.fill(json.dumps(site))
        with page.expect_navigation():
            page.get_by_role("button", name="Import").first.click()
    found = rows(
        conninfo,
        "SELECT s.id, s.name, p.key FROM site s JOIN plan p ON p.site_id = s.id WHERE s.removed_at IS NULL AND p.stage = 'as_found'",
    )
    return [(r["name"], f"/sites/{r['id']}", r["key"]) for r in found]


@pytest.mark.parametrize(("size", "scheme"), [(LAPTOP, "light"), (LAPTOP, "dark"), (PHONE, "light"), (PHONE, "dark")])
def test_nothing_is_cut_off_and_nothing_lies_over_anything(open_page, sites, size, scheme):
    """All views of all sites, the list, the bench, the library and the people."""
    page = open_page(size, scheme, expected=("404", "409", "422"))
    sign_in(page)
    page.wait_for_load_state()
    found = {}
    for address in ["/", "/library/", "/people/", "/bench/", "/import", "/help/words"]:
        page.goto(address)
        found[address] = page.evaluate(FAULTS)
    for name, address, key in sites:
        for view in VIEWS:
            where = address + view.replace("as-found", key)
            answer = page.goto(where)
            if answer.status != 200:
                continue
            page.wait_for_timeout(250)
            found[f"{name[:24]} {view}"] = page.evaluate(FAULTS)
    assert {where: faults for where, faults in found.items() if faults} == {}
