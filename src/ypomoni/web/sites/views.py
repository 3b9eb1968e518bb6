"""The sites of an organisation: each with its strip and verdict; import and export."""

import json
import re
from datetime import date
from typing import Any

from flask import Blueprint, Response, g, redirect, render_template, request, url_for

from ypomoni.actions.edit import read_document, read_tree
from ypomoni.actions.errors import Refused, Unreadable
from ypomoni.actions.evaluate import evaluate
from ypomoni.actions.import_site import import_site, sites_named
from ypomoni.actions.lists import measured_on, sites_of
from ypomoni.actions.site_tree import SiteTree, read_trees
from ypomoni.core.evaluation.evaluate import is_pending
from ypomoni.core.telling.results import PlanResult, Verdict
from ypomoni.documents.faults import DocumentFaults, Fault
from ypomoni.documents.site_file import SiteFile, read_site_text, write_site
from ypomoni.web.plan.answer import build_answer
from ypomoni.web.plan.strip import build_strip
from ypomoni.web.security import signed_in
from ypomoni.web.words import VERDICT_WORDS

blueprint = Blueprint("sites", __name__, template_folder="templates")


@blueprint.get("/")
@signed_in
def index() -> Any:
    """Show every site, the worst first."""
    trees = read_trees(g.connection, g.actor.organisation_id, sites_of(g.connection, g.actor))
    shown: list[tuple[SiteTree, Any, SiteFile]] = []
    broken: list[Unreadable] = []
    for tree in trees:
        plan = shown_plan(tree)
        if plan is None:
            continue
        try:
            shown.append((tree, plan, read_document(tree)))
        except Unreadable as error:
            # One site that cannot be read is told as such, and takes no other along.
            broken.append(error)
    results = evaluate(g.connection, g.actor.organisation_id, [(site_file, plan["key"]) for _, plan, site_file in shown])
    rows = [_row(tree, plan, result) for (tree, plan, _), result in zip(shown, results, strict=True)]
    order = {name: n for n, name in enumerate(("unsafe", "fails", "unknown", "on_paper_only", "none", "holds"))}
    words, verdict, by = (request.args.get(name, "").strip()[:80] for name in ("words", "verdict", "sort"))
    in_all = len(rows)
    rows = [r for r in rows if words.casefold() in r["site"]["name"].casefold() and verdict in ("", r["verdict"])]
    read_on = measured_on(g.connection, g.actor) if by == "measured" else {}
    keys: dict[str, Any] = {
        "name": lambda r: r["site"]["name"].casefold(),
        # What was never measured comes first: it is the least known.
        "measured": lambda r: (read_on.get(r["site"]["id"], date.min), r["site"]["name"].casefold()),
    }
    rows.sort(key=keys.get(by, lambda r: (order[r["verdict"]], r["site"]["name"].casefold())))
    waiting = any(is_pending(result) for result in results)
    return render_template(
        "sites/index.html",
        in_all=in_all,
        verdicts=[(v.value, VERDICT_WORDS[v]) for v in Verdict],
        rows=rows,
        broken=broken,
        waiting=waiting,
        removed=sites_of(g.connection, g.actor, removed=True),
    )


def shown_plan(tree: SiteTree) -> Any:
    """Return the plan a site is shown by: what was left if there is that, otherwise what was found."""
    by_stage = {plan["stage"]: plan for plan in reversed(tree.plans)}
    return by_stage.get("as_left") or by_stage.get("as_found") or (tree.plans[0] if tree.plans else None)


def _row(tree: SiteTree, plan: Any, result: PlanResult) -> dict[str, Any]:
    return {
        "site": tree.site,
        "plan": plan,
        "verdict": result.verdict.value if result.verdict else "none",
        "verdict_word": VERDICT_WORDS[result.verdict] if result.supplies else "empty",
        "answer": build_answer(result),
        "strip": build_strip(result, {}, small=True),
    }


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
