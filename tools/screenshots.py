"""`make screenshots`: one current picture of each main view, from the demo data, into docs/screenshots/."""

import logging
from pathlib import Path

import pypdfium2
from browsing import launch_options
from flask import Flask
from playwright.sync_api import Browser, Page, sync_playwright
from throwaway import application, served

from ypomoni.actions.edit import read_document
from ypomoni.actions.evaluate import ENGINE_VERSION
from ypomoni.actions.seed_demo import PASSWORD, PEOPLE
from ypomoni.actions.site_tree import read_trees
from ypomoni.documents.report.making import make_pdf
from ypomoni.documents.report.model import ReportOrder
from ypomoni.storage.connection import transaction
from ypomoni.storage.kept import SITE

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
LAPTOP, PHONE = (1280, 800), (390, 844)


def open_page(browser: Browser, address: str, size: tuple[int, int], scheme: str) -> Page:
    """Return a page on the sign-in form."""
    width, height = size
    context = browser.new_context(viewport={"width": width, "height": height}, color_scheme="dark" if scheme == "dark" else "light")
    context.add_init_script("try { localStorage.setItem('ypomoni-walk', 'left'); } catch { /* a page without storage */ }")
    page = context.new_page()
    page.goto(f"{address}/sign-in")
    return page


def sign_in(page: Page) -> None:
    """Sign in as somebody of the demo."""
    page.get_by_label("E-mail").fill(PEOPLE[0][0])
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_selector(".sites")


def open_archive(page: Page) -> None:
    """Open the archive's plan."""
    page.get_by_role("link", name="Brackwater County Archive").click()
    page.wait_for_selector(".answer-line")


def open_audit(page: Page) -> None:
    """Go on to the audit."""
    page.get_by_role("link", name="Audit").click()
    page.wait_for_selector(".tree-sum")


def shoot(page: Page, name: str) -> None:
    """Take one picture once fonts are there."""
    page.evaluate("document.fonts.ready")
    page.wait_for_timeout(150)
    page.screenshot(path=FOLDER / f"{name}.png")


def shoot_report(app: Flask) -> None:
    """Lay out the first page of a report of the archive's proposal."""
    with transaction(app.extensions["pool"]) as connection:
        site = next(s for s in SITE.every(connection, 1) if s["name"].startswith("Brackwater"))
        document = read_document(read_trees(connection, 1, [site])[0]).model_dump(mode="json")
    asked = ReportOrder(
        plan_key="proposal",
        base_key="as-found",
        sections=("answer", "strip", "requirement"),
        paper="A4",
        organisation="Saltmarsh Alarm Co-op",
        made_by="Wren Holloway",
        made_at="2026-11-29 09:00",
        engine=ENGINE_VERSION,
        number=1,
    )
    pdf = pypdfium2.PdfDocument(make_pdf(document, asked))
    pdf[0].render(scale=2).to_pil().resize((833, 1179)).save(FOLDER / "report.png")


def main() -> None:
    """Take them all."""
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    FOLDER.mkdir(parents=True, exist_ok=True)
    with application() as app, served(app) as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(**launch_options())
        page = open_page(browser, address, LAPTOP, "light")
        sign_in(page)
        shoot(page, "sites")
        open_archive(page)
        shoot(page, "plan")
        plan_address = page.url
        for name, link in (
            ("outage", "outage?supply=main-panel"),
            ("schools", "schools?supply=bay-b"),
        ):
            page.goto(f"{plan_address}/as-found/{link}")
            if name == "outage":
                page.wait_for_selector("[data-sampled='1000']", timeout=60_000)
            shoot(page, name)
        page.goto(f"{plan_address}/as-found/balance")
        page.wait_for_selector(".piece")
        shoot(page, "balance")
        beam, target = page.locator(".piece[data-name^='Perimeter beam']").bounding_box(), page.locator(".board-lane").nth(1).bounding_box()
        if beam and target:
            page.mouse.move(beam["x"] + 40, beam["y"] + 8)
            page.mouse.down()
            page.mouse.move(target["x"] + 500, target["y"] + 40, steps=6)
            page.wait_for_selector(".offer-no")
        page.keyboard.press("Escape")
        page.mouse.up()
        page.goto(f"{plan_address}/compare?plan=as-found&plan=proposal")
        page.wait_for_selector(".compare")
        shoot(page, "compare")
        page.goto(f"{plan_address}/as-found/brief")
        shoot(page, "brief")
        page.goto(plan_address)
        open_audit(page)
        shoot(page, "audit")
        for site, view, name in (("Orrin Vale", None, "power"), ("Fennick Lock", "Backup", "backup")):
            page.goto(address)
            page.get_by_role("link", name=site).click()
            page.get_by_role("link", name="Power").click()
            if view:
                page.get_by_role("navigation", name="Views of this stage").get_by_role("link", name=view).click()
            page.wait_for_selector(".power-answer")
            shoot(page, name)
        page.goto(address)
        page.get_by_role("link", name="Fennick Lock").click()
        page.wait_for_selector(".answer-line")
        page.goto(f"{page.url}/as-found/season?supply=sun-battery")
        page.wait_for_selector(".season-answer")
        shoot(page, "season")
        page.goto(address)
        page.get_by_role("link", name="Saltmarsh Workshop").click()
        page.wait_for_selector(".answer-line")
        page.goto(f"{page.url}/as-found/build/bank?supply=bench")
        page.wait_for_selector(".bank-ways")
        shoot(page, "bank")
        page.goto(f"{address}/bench/lots/1")
        shoot(page, "bench")
        page.goto(f"{plan_address}/as-found/upkeep")
        shoot(page, "upkeep")
        shoot_report(app)
        page = open_page(browser, address, PHONE, "light")
        sign_in(page)
        page.goto(f"{plan_address}/proposal/proof")
        page.locator(".work-step").nth(3).scroll_into_view_if_needed()
        shoot(page, "proof-phone")
        page.goto(address)
        open_archive(page)
        page.goto(f"{page.url}/as-found/build/charger?supply=bay-a&diode=silicon&degc=15")
        page.locator("#value-set_v").fill("14.5 V")
        page.locator("#read-set_v button").click()
        page.wait_for_selector(".judged")
        page.evaluate("document.querySelector('.sheet-steps li:nth-child(2)').scrollIntoView(); window.scrollBy(0, -120)")
        shoot(page, "set-up-phone")
        page.goto(address)
        open_archive(page)
        plan_address = page.url
        page.goto(plan_address)
        open_audit(page)
        page.get_by_role("link", name="Take a reading").first.click()
        page.wait_for_selector(".hook-jack")
        page.get_by_label("Instrument").select_option(label="Yellow multimeter, van 2")
        page.evaluate("document.querySelector('.read-form').scrollIntoView()")
        shoot(page, "reading-phone")
        for name, size, scheme in (("plan-phone", PHONE, "light"),):
            page = open_page(browser, address, size, scheme)
            sign_in(page)
            open_archive(page)
            shoot(page, name)
        browser.close()


if __name__ == "__main__":
    main()
