"""The sites of an organisation: each with its strip and verdict; import and export."""

import json
import re
from datetime import UTC, date, datetime
from typing import Any

from flask import Blueprint, Response, g, redirect, render_template, request, url_for

from ypomoni.actions.edit import read_document, read_tree
from ypomoni.actions.errors import Refused, Unreadable
from ypomoni.actions.import_site import import_site, sites_named
from ypomoni.actions.lists import sites_called
from ypomoni.actions.summaries import ListedSite, Sought, find_sites
from ypomoni.core.proof.upkeep import SOON_D
from ypomoni.core.telling.results import PlanResult, Severity, Verdict
from ypomoni.documents.faults import DocumentFaults, Fault
from ypomoni.documents.site_file import read_site_text, write_site
from ypomoni.web.plan.answer import build_answer
from ypomoni.web.plan.strip import build_strip
from ypomoni.web.security import signed_in
from ypomoni.web.words import VERDICT_WORDS

blueprint = Blueprint("sites", __name__, template_folder="templates")
VERDICTS = frozenset({*(v.value for v in Verdict), "none"})
DUE_WORDS = (("now", "now or overdue"), ("soon", f"within {SOON_D} days"), ("year", "within a year"))
DUE_WITHIN_D = {"now": 0, "soon": SOON_D, "year": 365}


@blueprint.get("/")
@signed_in
def index() -> Any:
    """Show the sites that are sought, the worst first."""
    words, verdict, by, due = (request.args.get(name, "").strip()[:80] for name in ("words", "verdict", "sort", "due"))
    today = datetime.now(UTC).date()
    sought = Sought(
        words=words,
        verdict=verdict if verdict in VERDICTS else "",
        due_within_d=DUE_WITHIN_D.get(due),
        by=by,
        page=int(text) if (text := request.args.get("page", "")).isdecimal() and len(text) < 7 else 1,
    )
    found = find_sites(g.connection, g.actor, sought, today)
    return render_template(
        "sites/index.html",
        found=found,
        rows=[_row(site, today) for site in found.sites],
        verdicts=[(v.value, VERDICT_WORDS[v]) for v in Verdict],
        within=DUE_WORDS,
        turn=lambda page: url_for("sites.index", **{**request.args.to_dict(), "page": page}),
        removed=sites_called(g.connection, g.actor, "", removed=True),
    )


def _row(listed: ListedSite, today: date) -> dict[str, Any]:
    """Return a line of the list as finished strings."""
    result = listed.result
    days = None if listed.next_on is None else (listed.next_on - today).days
    when = "" if listed.next_on is None or days is None else "now" if days <= 0 else f"{listed.next_on:%d %b %Y}"
    if days is not None and days < 0:
        when = f"overdue since {listed.next_on:%d %b %Y}"
    return {
        "site": listed.site,
        "verdict": listed.verdict,
        "verdict_word": VERDICT_WORDS[result.verdict] if result and result.supplies else "empty" if listed.verdict == "none" else "unknown",
        "faults": listed.faults,
        "is_stale": listed.is_stale,
        "answer": build_answer(result, alone=True) if result else None,
        "why": _why(result),
        "strip": build_strip(result, {}, small=True) if result else None,
        "next": f"{listed.next_what}, {when}" if listed.next_what else "",
        "plan_key": listed.plan_key,
        "is_due": days is not None and days <= SOON_D,
        "measured": f"last measured {listed.measured_on:%d %b %Y}" if listed.measured_on else "never measured",
    }


def _why(result: PlanResult | None) -> str:
    """Return what a plan fails by where it is not its hours: a list has no findings below it."""
    if (
        result is None
        or result.verdict is not Verdict.FAILS
        or any(s.holdover and s.holdover.expected < s.standby_h for s in result.supplies)
    ):
        return ""
    return next((f.evidence for s in result.supplies for f in s.findings if f.severity is Severity.FAILS), "")


@blueprint.get("/sites/<int:site_id>/export")
@signed_in
def export(site_id: int) -> Any:
    """Send the site file."""
    tree = read_tree(g.connection, g.actor, site_id)
    name = re.sub(r"[^A-Za-z0-9]+", "-", tree.site["name"]).strip("-") or "site"
    headers = {"Content-Disposition": f'attachment; filename="{name}.ypomoni.json"'}
    try:
        text = write_site(read_document(tree))
    except Unreadable:
        # What cannot be read is nobody's to keep back: it goes out as it is stored.
        text = json.dumps(tree.document(), indent=1, ensure_ascii=False, default=str)
    return Response(text, mimetype="application/json", headers=headers)


@blueprint.route("/import", methods=["GET", "POST"])
@signed_in
def bring_in() -> Any:
    """Bring a site file in; where a site of its name exists, ask first."""
    if request.method == "GET":
        return render_template("sites/import.html", faults=[], text="", same=[])
    upload = request.files.get("file")
    text = upload.read() if upload and upload.filename else request.form.get("text", "")
    choice = request.form.get("choice", "")
    try:
        if not text:
            raise DocumentFaults([Fault("", "no file was chosen: choose a .json site file, or paste its text.")])
        site_file = read_site_text(text)
    except DocumentFaults as error:
        # A file is still where it was; what was typed is nowhere else.
        shown = "" if isinstance(text, bytes) else text
        return render_template("sites/import.html", faults=error.faults, text=shown, same=[]), 422
    same = sites_named(g.connection, g.actor, site_file.site.name)
    replacing = next((s for s in same if choice == f"replace-{s['id']}"), None)
    if same and replacing is None and choice != "add":
        return render_template("sites/import.html", faults=[], text=write_site(site_file), same=same, name=site_file.site.name), 409
    try:
        with g.connection.transaction():
            site = import_site(g.connection, g.actor, site_file, replacing=replacing)
    except Refused as refused:
        return render_template("sites/import.html", faults=refused.faults, text=write_site(site_file), same=[]), 422
    return redirect(url_for("plan.show", site_id=site["id"]))
