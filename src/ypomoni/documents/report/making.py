"""Make the PDF of a report from the site file it is of, by an HTML-to-PDF library; the site file goes inside."""

import json
from collections.abc import Callable
from importlib import resources
from pathlib import Path
from typing import Any

from jinja2 import Environment, select_autoescape

from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.documents.into_core import to_core
from ypomoni.documents.report.model import SECTIONS, ReportOrder, ReportText, tell
from ypomoni.documents.site_file import read_site

SITE_FILE_NAME = "site-file.json"
SEAL_NAME = "seal.json"
_ROWS = {
    "supplies": ("name", "verdict", "hours", "band", "must", "standby", "alarm", "cold", "old", "back"),
    "requirements": ("name", "must", "recharge", "method", "source", "for"),
    "loads": ("name", "on", "quantity", "standby", "standby_from", "alarm", "alarm_from", "rail", "bursts"),
    "readings": ("point", "state", "mains", "value", "meter", "who", "when", "note"),
    "banks": ("name", "bank", "capacity", "age", "condition", "fuse", "isolator", "lead", "charge"),
    "tests": ("supply", "when", "how", "ran", "predicted", "condition"),
    "before": ("name", "was", "now", "was_a", "now_a"),
}


def text_of_report(document: dict[str, Any], asked: ReportOrder) -> ReportText:
    """Return what a report of a site file says; everything is computed here, from the file alone."""
    site_file = read_site(document, stored=True)
    site = to_core(site_file)
    plan = next(p for p in site.plans if p.key == asked.plan_key)
    base = next((p for p in site.plans if p.key == asked.base_key), None)
    part = next(p for p in document["plans"] if p["key"] == asked.plan_key)
    read = {r["key"]: (r.get("taken_by") or "", str(r.get("taken_at") or "")[:16].replace("T", " ")) for r in part.get("readings") or []}
    return tell(site, plan, evaluate_plan(plan), asked, None if base is None else (base, evaluate_plan(base)), read)


def write_html(told: ReportText) -> str:
    """Return the pages of a report as HTML, with nothing outside it but its fonts."""
    folder = resources.files("ypomoni.documents.report")
    environment = Environment(autoescape=select_autoescape(default=True), trim_blocks=True, lstrip_blocks=True)
    css = folder.joinpath("report.css").read_text().replace("PAPER", told.asked.paper)
    rows = {name: [[row.get(c, "") for c in columns] for row in getattr(told, name)] for name, columns in _ROWS.items()}
    return environment.from_string(folder.joinpath("report.html").read_text()).render(t=told, names=SECTIONS, css=css, **rows)


def make_pdf(document: dict[str, Any], order: ReportOrder, progress: Callable[[str], None] = lambda _: None) -> bytes:
    """Return the PDF of a report as it is to be signed: tagged (PDF/UA-1), its fonts inside, with the site file and what made it attached.

    ``progress`` is told in words how far it has come.
    """
    from weasyprint import HTML, Attachment

    progress("Working out the figures")
    told = text_of_report(document, order)
    asked = told.asked
    fonts = Path(str(resources.files("ypomoni").joinpath("web", "static", "vendor", "plex")))
    seal = {"plan": asked.plan_key, "engine": asked.engine, "number": asked.number, "made_at": asked.made_at, "made_by": asked.made_by}
    # By name: a reader looks them up in a sorted tree.
    attachments = [
        Attachment(string=json.dumps(seal, sort_keys=True), name=SEAL_NAME, description="What this report was made with"),
        Attachment(
            string=json.dumps(document, ensure_ascii=False, sort_keys=True), name=SITE_FILE_NAME, description="The site file of this report"
        ),
    ]
    progress("Laying out the pages")
    made = HTML(string=write_html(told), base_url=f"{fonts.as_uri()}/").render(pdf_variant="pdf/ua-1")
    made.metadata.attachments = attachments
    progress(f"Writing {len(made.pages)} pages")
    return bytes(made.write_pdf(pdf_variant="pdf/ua-1") or b"")
