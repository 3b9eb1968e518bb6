"""The plan page, and what its script asks for: edits of a cell, and the working of a figure."""

from typing import Any

from flask import Blueprint, g, jsonify, redirect, render_template, request, url_for

from ypomoni.actions.edit import edit_within, find, read_document, read_tree
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.evaluate import evaluate
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.results import PlanResult
from ypomoni.documents.quantities import show_quantity
from ypomoni.documents.site_model import SiteFile
from ypomoni.storage.connection import Row
from ypomoni.web.security import signed_in
from ypomoni.web.stages.load_cell import CELLS, changes_of_cell, form_of_cell
from ypomoni.web.stages.sites import shown_plan
from ypomoni.web.view.figures import find_working, headline_of, open_steps, say_exactly, symbol_of
from ypomoni.web.view.plan import bank_words, build_answer, build_findings, build_register, build_supplies, load_cells
from ypomoni.web.view.requirement import build_requirements
from ypomoni.web.view.strip import build_strip
from ypomoni.web.view.words import PROVENANCE_WORDS

blueprint = Blueprint("plan", __name__)

REGIONS = ("title", "answer", "strip", "findings", "supplies", "requirements", "removed")


@blueprint.get("/sites/<int:site_id>")
@blueprint.get("/sites/<int:site_id>/<plan_key>")
@signed_in
def show(site_id: int, plan_key: str | None = None) -> Any:
    """Show a plan; without a key the one the site is shown by."""
    tree = read_tree(g.connection, g.actor, site_id)
    plan = tree.plan(plan_key) if plan_key else shown_plan(tree)
    if plan is None:
        if plan_key is None:
            return redirect(url_for("sites.index"))
        raise NotFound
    return render_template("plan/show.html", **context(tree, plan))


def context(tree: SiteTree, plan: Row, site_file: SiteFile | None = None) -> dict[str, Any]:
    """Return everything the plan page and its regions are rendered from. ``site_file`` is the tree's, where it was read already."""
    result = evaluate_one(tree, plan, site_file)
    banks = {r["key"]: bank_words(r) for r in tree.supplies.get(plan["id"], [])}
    return {
        "tree": tree,
        "site": tree.site,
        "plan": plan,
        "temperatures": _temperatures(tree.site),
        "answer": build_answer(result),
        "strip": build_strip(result, banks),
        "findings": build_findings(result),
        "supplies": build_supplies(tree, plan, result),
        "requirements": build_requirements(tree),
        "loads": build_register(tree, plan),
        "choices": [(str(r["id"]), r["name"]) for r in tree.supplies.get(plan["id"], [])],
        "provenances": list(PROVENANCE_WORDS.items()),
        "removed": [(kind, row) for kind, row in tree.removed if kind in ("requirement", "plan") or row["plan_id"] == plan["id"]],
    }


def evaluate_one(tree: SiteTree, plan: Row, site_file: SiteFile | None = None) -> PlanResult:
    """Return the result of one plan."""
    return evaluate(g.connection, g.actor.organisation_id, [(site_file or read_document(tree), plan["key"])])[0]


def regions(tree: SiteTree, plan: Row, *, register: bool, site_file: SiteFile | None = None) -> dict[str, str]:
    """Return the rendered regions of a plan page, the register only where its rows changed."""
    values = context(tree, plan, site_file)
    names = (*REGIONS, "register") if register else REGIONS
    return {name: render_template(f"plan/_{name}.html", **values) for name in names}


@blueprint.post("/loads/<int:load_id>/cell")
@signed_in
def change_cell(load_id: int) -> Any:
    """Change one cell of the register and answer with every figure that follows."""
    cell = request.form.get("cell", "")
    if cell not in CELLS:
        return jsonify({"message": "There is no such cell."}), 400
    row = find(g.connection, g.actor, "load", load_id)
    tree = _tree_of(row)
    form = form_of_cell(tree, row, cell, request.form.get("text", ""))
    if not form.validate():
        return jsonify({"message": _first_error(form, cell)}), 422
    try:
        version = int(request.form.get("version", ""))
        with g.connection.transaction():
            changed, tree, site_file = edit_within(g.connection, g.actor, "load", load_id, version, changes_of_cell(form, cell))
    except ValueError:
        return jsonify({"message": "This page is too old: reload it."}), 400
    except StaleEdit as stale:
        plan = _plan_of(tree, stale.current)
        conflict = _conflict(stale, tree, cell, request.form.get("text", ""))
        return jsonify({**conflict, "regions": regions(tree, plan, register=False)}), 409
    except Refused as refused:
        return jsonify({"message": " ".join(f.message for f in refused.faults)}), 422
    plan = _plan_of(tree, changed)
    return jsonify({"row": _row_state(tree, changed), "regions": regions(tree, plan, register=False, site_file=site_file)})


@blueprint.get("/sites/<int:site_id>/<plan_key>/working/<supply_key>/<key>")
@signed_in
def working(site_id: int, plan_key: str, supply_key: str, key: str) -> Any:
    """Open a figure: its working, from the same result that was shown."""
    tree = read_tree(g.connection, g.actor, site_id)
    plan = tree.plan(plan_key)
    if plan is None:
        raise NotFound
    result = next((s for s in evaluate_one(tree, plan).supplies if s.key == supply_key), None)
    found = find_working(result, key) if result else None
    if result is None or found is None:
        raise NotFound
    inputs = [(symbol_of(i.symbol), i.meaning, say_exactly(i.value, i.unit), i.provenance) for i in found.inputs]
    return render_template(
        "plan/_working.html",
        working=found,
        supply=result.name,
        headline=headline_of(found),
        exactly="" if found.value is None else say_exactly(found.value, found.unit),
        inputs=inputs,
        steps=open_steps(found),
    )


def _tree_of(row: Row) -> SiteTree:
    plan = find(g.connection, g.actor, "plan", row["plan_id"])
    return read_tree(g.connection, g.actor, plan["site_id"])


def _plan_of(tree: SiteTree, row: Row) -> Row:
    return next(p for p in tree.plans if p["id"] == row["plan_id"])


def _row_state(tree: SiteTree, row: Row) -> dict[str, Any]:
    supplies = {s["id"] for s in tree.supplies.get(row["plan_id"], [])}
    view = next(v for v in build_register(tree, _plan_of(tree, row)) if v.row["id"] == row["id"])
    return {"id": row["id"], "version": row["version"], "cells": load_cells(row, supplies), "more": view.more}


def _conflict(stale: StaleEdit, tree: SiteTree, cell: str, typed: str) -> dict[str, Any]:
    state = _row_state(tree, stale.current)
    who = stale.changed_by or "Somebody"
    names = {"supply": {str(s["id"]): s["name"] for s in tree.supplies.get(stale.current["plan_id"], [])}}
    words = names.get(cell, PROVENANCE_WORDS)
    theirs, yours = state["cells"][cell], typed
    return {
        "row": state,
        "message": f"{who} changed this load meanwhile. Theirs: {words.get(theirs, theirs) or 'empty'}. Yours: {words.get(yours, yours) or 'empty'}.",
        "theirs": theirs,
        "yours": yours,
    }


def _first_error(form: Any, cell: str) -> str:
    own = list(form[cell].errors)
    if own:
        return " ".join(str(e) for e in own)
    for field in form:
        if field.errors:
            return f"{field.label.text}: {field.errors[0]}"
    return "cannot be."


def _temperatures(site: Row) -> str:
    hot = f", up to {show_quantity(site['max_degc'], '°C')}" if site["max_degc"] is not None else ""
    return f"{show_quantity(site['typical_degc'], '°C')} typical, down to {show_quantity(site['min_degc'], '°C')}{hot}"
