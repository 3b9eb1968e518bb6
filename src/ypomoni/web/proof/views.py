"""Proof: the work list ticked off on a phone, the plan as left beside what was found, the report and its signature."""

import io
import json
import re
import zipfile
from datetime import UTC, date, datetime, timedelta
from typing import Any

from flask import Blueprint, Response, current_app, flash, g, jsonify, redirect, render_template, request, url_for

from ypomoni.actions.edit import find, read_document, read_tree
from ypomoni.actions.errors import Refused
from ypomoni.actions.evaluate import evaluate
from ypomoni.actions.links import hand_out, links_of, opened, take_back, visitor_of
from ypomoni.actions.proof import base_of, make_as_left, tick_step
from ypomoni.actions.register import register_table
from ypomoni.actions.reports import (
    ask_for_report,
    bring_key,
    discard_report,
    find_report,
    pdf_of,
    progress_of,
    reports_of,
    sign,
    verify,
)
from ypomoni.core.measuring.measured_totals import TotalCheck, check_totals
from ypomoni.core.telling.wording import say_amps, say_hours, say_required_h
from ypomoni.core.things.readings import State
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.report.model import PAPERS, SECTIONS
from ypomoni.documents.report.strip import draw_strip
from ypomoni.documents.site_file import write_site
from ypomoni.documents.tables import write_csv
from ypomoni.records.field import Row
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.security import open_, signed_in, wants_json
from ypomoni.web.words import VERDICT_WORDS

blueprint = Blueprint("proof", __name__, template_folder="templates")
AT = "/sites/<int:site_id>/<plan_key>/proof"
TICK_WORDS = {"done": "done", "not_done": "not done", "open": "open"}
STATE_WORDS = {"queued": "being made", "done": "draft", "failed": "failed"}
LARGEST_UPLOAD = 5_500_000


@blueprint.get(AT)
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Show the work list of a proposal, or which plan has one."""
    page = PlanPage.at(site_id, plan_key)
    work = page.work
    proposals = [p for p in page.tree.plans if p["stage"] == "proposal"]
    return render_template("proof/work.html", **_frame(page, "proof.show"), work=work, proposals=proposals, tick_words=TICK_WORDS)


def _frame(page: PlanPage, view: str) -> dict[str, Any]:
    return {**page.values(FRAME), "stage": "proof", "view": view, "shown_supply": None}


@blueprint.post(f"{AT}/tick")
@signed_in
def tick(site_id: int, plan_key: str) -> Any:
    """Say what became of a step; sent again it says the same."""
    page = PlanPage.at(site_id, plan_key)
    key, note = request.form.get("step", "")[:400], request.form.get("note", "")
    here = url_for("proof.show", site_id=site_id, plan_key=plan_key)
    try:
        with g.connection.transaction():
            tick_step(g.connection, g.actor, page.plan["id"], key, request.form.get("state", ""), note, _said_at())
    except Refused as refused:
        if wants_json():
            return jsonify({"faults": {f.path: f.message for f in refused.faults}}), 422
        flash(" ".join(f.message for f in refused.faults), "error")
        return redirect(here)
    return jsonify({"words": "It is kept.", "go": here}) if wants_json() else redirect(here)


def _said_at() -> datetime:
    """Return when it was ticked: as the phone says that kept it, or now."""
    try:
        said = datetime.fromisoformat(request.form.get("read_at", "").replace("Z", "+00:00"))
    except ValueError:
        return datetime.now(UTC)
    return said if said.tzinfo is not None else datetime.now(UTC)


@blueprint.post(f"{AT}/as-left")
@signed_in
def leave(site_id: int, plan_key: str) -> Any:
    """Make the plan as left."""
    page = PlanPage.at(site_id, plan_key)
    try:
        with g.connection.transaction():
            made = make_as_left(g.connection, g.actor, page.plan["id"])
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
        return redirect(url_for("proof.show", site_id=site_id, plan_key=plan_key))
    flash(f"{made['name']} is made. Measure each supply again in it: make its points, then take the readings.", "note")
    return redirect(url_for("proof.left", site_id=site_id, plan_key=made["key"]))


@blueprint.get(f"{AT}/left")
@signed_in
def left(site_id: int, plan_key: str) -> Any:
    """Show as found, proposal and as left beside each other: strips, hours, currents as read, and what is left over."""
    page = PlanPage.at(site_id, plan_key)
    tree = page.tree
    base = base_of(tree, page.plan)
    chosen = [
        p for p in (base, *(p for p in tree.plans if p["stage"] == "proposal"), *(p for p in tree.plans if p["stage"] == "as_left")) if p
    ]
    results = evaluate(g.connection, g.actor.organisation_id, [(page.site_file, p["key"]) for p in chosen])
    strips = [(p["name"], draw_strip(r)) for p, r in zip(chosen, results, strict=True)]
    rows = _measured(page, chosen, results)
    return render_template(
        "proof/left.html",
        **_frame(page, "proof.left"),
        strips=strips,
        rows=rows,
        plans=chosen,
        has_left=any(p["stage"] == "as_left" for p in chosen),
        tests=[t for p in chosen if p["stage"] == "as_left" for t in p["tests"]],
    )


def _measured(page: PlanPage, plans: list[Any], results: list[Any]) -> list[dict[str, Any]]:
    """Return for each supply what each plan says it draws and how long it holds, and every reading against what the plan promised there."""
    found: list[dict[str, Any]] = []
    cores = [to_core_plan(page.site_file, p["key"]) for p in plans]
    keys = dict.fromkeys(s.key for r in results for s in r.supplies)
    for key in keys:
        cells: list[dict[str, Any]] = []
        name = key
        for core, result in zip(cores, results, strict=True):
            told = next((s for s in result.supplies if s.key == key), None)
            supply = next((s for s in core.supplies if s.key == key), None)
            if told is None or supply is None:
                cells.append({"hours": "–", "verdict": "", "expected": "–", "readings": []})
                continue
            name = told.name
            cells.append(
                {
                    "hours": "–"
                    if told.holdover is None
                    else f"{say_hours(told.holdover.expected, must_h=told.standby_h)} of {say_required_h(told.standby_h)}",
                    "verdict": VERDICT_WORDS[told.verdict] if told.verdict else "",
                    "shape": told.verdict.value if told.verdict else "none",
                    "expected": "–" if told.standby_current_a is None else say_amps(told.standby_current_a),
                    "readings": [_promised(c) for c in check_totals(core, supply, as_listed=True)],
                    "unlisted": say_amps(supply.unlisted_a) if supply.unlisted else "",
                }
            )
        found.append({"name": name, "cells": cells})
    return found


def _promised(check: TotalCheck) -> dict[str, Any]:
    """Return a reading beside what the plan promised at its point."""
    state = "in alarm" if check.reading.state is State.ALARM else "in standby"
    off_a = check.reading.drawn_a - check.expected_a
    side = "more" if off_a > 0 else "less"
    words = f"agrees within ±{say_amps(check.joint_a, 2)}" if check.agrees else f"{say_amps(abs(off_a))} {side}: does not agree"
    return {
        "words": f"{check.point.name} {state}: {say_amps(check.reading.drawn_a)} measured, {say_amps(check.expected_a)} promised, {words}.",
        "agrees": check.agrees,
    }


# -- the report ------------------------------------------------------------------------------------------------------------------------


@blueprint.get(f"{AT}/report")
@signed_in
def report(site_id: int, plan_key: str) -> Any:
    """Show the reports of a site, and what a new one may hold."""
    return _reports(PlanPage.at(site_id, plan_key))


def _reports(page: PlanPage, *, verification: Any = None, handed: str = "", fault: str = "") -> Any:
    reports = reports_of(g.connection, g.actor, page.tree.site["id"])
    names = {p["id"]: p["name"] for p in page.tree.plans}
    links = [k for k in links_of(g.connection, g.actor) if k["report_id"] in {r["id"] for r in reports} or k["plan_id"] == page.plan["id"]]
    html = render_template(
        "proof/report.html",
        **_frame(page, "proof.report"),
        sections=list(SECTIONS.items()),
        papers=PAPERS,
        reports=[(r, names.get(r["plan_id"], r["plan_key"]), STATE_WORDS.get(r["state"], r["state"])) for r in reports],
        making=[(r["id"], progress_of(g.connection, g.actor, r["id"])) for r in reports if r["state"] == "queued"],
        links=links,
        today=date.today(),  # noqa: DTZ011 - the day where the server stands is the one people type
        soon=date.today() + timedelta(days=30),  # noqa: DTZ011 - as above
        verification=verification,
        handed=handed,
        fault=fault,
        is_owner=g.actor.is_owner,
    )
    return (html, 422) if fault else html


@blueprint.post(f"{AT}/report")
@signed_in
def ask(site_id: int, plan_key: str) -> Any:
    """Put a report into the queue."""
    page = PlanPage.at(site_id, plan_key)
    try:
        with g.connection.transaction():
            ask_for_report(g.connection, g.actor, page.plan["id"], request.form.getlist("section")[:40], request.form.get("paper", ""))
    except Refused as refused:
        return _reports(page, fault=" ".join(f"{f.path or 'It'} {f.message}" for f in refused.faults))
    return redirect(url_for("proof.report", site_id=site_id, plan_key=plan_key))


@blueprint.get("/reports/<int:report_id>.pdf")
@signed_in
def pdf(report_id: int) -> Any:
    """Send the PDF of a report."""
    row = find_report(g.connection, g.actor, report_id)
    return _send(pdf_of(g.connection, g.actor.organisation_id, report_id), row["id"])


def _send(data: bytes, number: int) -> Response:
    answer = Response(data, mimetype="application/pdf")
    answer.headers["Content-Disposition"] = f'inline; filename="report-{number}.pdf"'
    # A PDF has no scripts of ours; its own stay in a box.
    answer.headers["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'; sandbox"
    return answer


def _back(row: Row) -> Any:
    return redirect(url_for("proof.report", site_id=row["site_id"], plan_key=row["plan_key"]))


@blueprint.post("/reports/<int:report_id>/sign")
@signed_in
def sign_it(report_id: int) -> Any:
    """Sign a report with the organisation's key."""
    row = find_report(g.connection, g.actor, report_id)
    try:
        with g.connection.transaction():
            sign(g.connection, g.actor, report_id, current_app.config["SECRET_KEY"])
        flash(f"Report {report_id} is signed and sealed. It can no longer be altered; a newer one supersedes it.", "note")
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
    return _back(row)


@blueprint.post("/reports/<int:report_id>/discard")
@signed_in
def discard(report_id: int) -> Any:
    """Take a draft out of the list."""
    row = find_report(g.connection, g.actor, report_id)
    try:
        with g.connection.transaction():
            discard_report(g.connection, g.actor, report_id)
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
    return _back(row)


@blueprint.post(f"{AT}/verify")
@signed_in
def verify_it(site_id: int, plan_key: str) -> Any:
    """Say whether a PDF is a genuine report, and what has changed since."""
    page = PlanPage.at(site_id, plan_key)
    sent = request.files.get("file")
    data = sent.read(LARGEST_UPLOAD + 1) if sent is not None else b""
    if not data:
        return _reports(page, fault="Choose the PDF that is to be verified.")
    return _reports(page, verification=verify(g.connection, g.actor, data))


@blueprint.post(f"{AT}/key")
@signed_in
def bring(site_id: int, plan_key: str) -> Any:
    """Sign with a key that is brought in; owners alone."""
    page = PlanPage.at(site_id, plan_key)
    if not g.actor.is_owner:
        return _reports(page, fault="Only an owner brings in the key that reports are signed with.")
    sent = request.files.get("key")
    data = sent.read(200_000) if sent is not None else b""
    try:
        with g.connection.transaction():
            bring_key(g.connection, g.actor, data, request.form.get("secret", "")[:200], current_app.config["SECRET_KEY"])
    except Refused as refused:
        return _reports(page, fault=" ".join(f.message for f in refused.faults))
    flash("Reports are signed with that key from now on.", "note")
    return redirect(url_for("proof.report", site_id=site_id, plan_key=plan_key))


# -- handing over ----------------------------------------------------------------------------------------------------------------------


@blueprint.post(f"{AT}/hand")
@signed_in
def hand(site_id: int, plan_key: str) -> Any:
    """Make a link to one report, or to this plan, for somebody without an account."""
    page = PlanPage.at(site_id, plan_key)
    report_id = request.form.get("report", type=int)
    try:
        ends_on = date.fromisoformat(request.form.get("ends_on", ""))
    except ValueError:
        return _reports(page, fault="The link needs the day on which it ends, as in 2026-12-31.")
    try:
        if report_id is not None:
            find_report(g.connection, g.actor, report_id)
        kind, name = ("plan", f"{page.tree.site['name']}, {page.plan['name']}") if report_id is None else ("report", f"Report {report_id}")
        with g.connection.transaction():
            secret = hand_out(
                g.connection,
                g.actor,
                kind,
                name,
                today=datetime.now(UTC).date(),
                ends_on=ends_on,
                report_id=report_id,
                plan_id=None if report_id is not None else page.plan["id"],
            )
    except Refused as refused:
        return _reports(page, fault=" ".join(f"The end {f.message}" if f.path else f.message for f in refused.faults))
    where = "proof.shared_report" if kind == "report" else "proof.shared_plan"
    return _reports(page, handed=url_for(where, secret=secret, _external=True))


@blueprint.post("/links/<int:link_id>/revoke")
@signed_in
def revoke(link_id: int) -> Any:
    """Take a link back."""
    with g.connection.transaction():
        take_back(g.connection, g.actor, link_id)
    flash("The link is taken back: it opens nothing any more.", "note")
    back = request.form.get("back", "")
    # Only to where it came from: a page of a site, or what is due.
    return redirect(back if re.fullmatch(r"/sites/\d+/[\w/%.-]+", back) else url_for("upkeep.everywhere"))


@blueprint.get("/shared/report/<secret>")
def shared_report(secret: str) -> Any:
    """Send a report to whoever has its link."""
    with open_() as connection:
        link = opened(connection, secret[:100], "report")
        return _send(pdf_of(connection, link["organisation_id"], link["report_id"]), link["report_id"])


@blueprint.get("/shared/plan/<secret>")
def shared_plan(secret: str) -> Any:
    """Show a plan to whoever has its link: its answer, strip and findings, and nothing that could be changed."""
    with open_() as connection:
        link = opened(connection, secret[:100], "plan")
        visitor = visitor_of(link)
        plan = find(connection, visitor, "plan", link["plan_id"])
        tree = read_tree(connection, visitor, plan["site_id"])
        (result,) = evaluate(connection, visitor.organisation_id, [(read_document(tree), plan["key"])])
    findings = [(s.name, f) for s in (*result.supplies, *result.selectors) for f in s.findings] + [
        (plan["name"], f) for f in result.findings
    ]
    html = render_template(
        "proof/shared.html", site=tree.site["name"], plan_name=plan["name"], result=result, strip=draw_strip(result), findings=findings
    )
    answer = Response(html)
    answer.headers["X-Robots-Tag"] = "noindex"
    answer.headers["Referrer-Policy"] = "no-referrer"
    return answer


@blueprint.get("/sites/<int:site_id>/archive")
@signed_in
def archive(site_id: int) -> Any:
    """Send the whole site as one archive: site file, reports, register as CSV."""
    tree = read_tree(g.connection, g.actor, site_id)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        bundle.writestr("site.ypomoni.json", write_site(read_document(tree)))
        told = []
        for row in reports_of(g.connection, g.actor, site_id):
            if row["state"] == "done":
                name = f"report-{row['id']}{'-signed' if row['signed_at'] else '-draft'}.pdf"
                bundle.writestr(name, pdf_of(g.connection, g.actor.organisation_id, row["id"]))
                told.append({"file": name, "plan": row["plan_key"], "made_at": row["made_at"].isoformat(), "signed_by": row["signed_by"]})
        bundle.writestr("reports.json", json.dumps(told, indent=1))
        for plan in tree.plans:
            bundle.writestr(f"register-{plan['key']}.csv", write_csv(register_table(tree, plan)))
    answer = Response(out.getvalue(), mimetype="application/zip")
    answer.headers["Content-Disposition"] = f'attachment; filename="site-{site_id}.zip"'
    return answer
