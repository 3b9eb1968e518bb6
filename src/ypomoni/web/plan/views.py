"""The plan page, and what its script asks for: edits of a cell, and the working of a figure."""

from typing import Any

from flask import Blueprint, g, jsonify, redirect, render_template, request, url_for

from ypomoni.actions.edit import edit_within, find, read_tree
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.site_tree import SiteTree
from ypomoni.actions.upkeep import shown_plan
from ypomoni.core.evaluation.workings import of_load
from ypomoni.core.outage.case import Case
from ypomoni.core.telling.results import PlanResult, Working
from ypomoni.documents.into_core import to_core_plan
from ypomoni.records.load import LoadRow
from ypomoni.records.site import PlanRow
from ypomoni.records.words import PROVENANCE_WORDS, PURPOSE_WORDS
from ypomoni.web.audit.load_cell import CELLS, changes_of_cell, form_of_cell, slip_of_cell
from ypomoni.web.audit.register import view_load
from ypomoni.web.plan.figures import find_working, headline_of, open_steps, say_exactly, symbol_of
from ypomoni.web.plan.page import BRIEF_REGIONS, NEEDS, PLAN_REGIONS, SOON_COUNT, Looking, PlanPage, asked_regions, regions
from ypomoni.web.security import signed_in

LOAD_PREFIX = "load-"
blueprint = Blueprint("plan", __name__, template_folder="templates")


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
    page = PlanPage(tree, plan, Looking.from_request())
    return render_template("plan/show.html", **page.first_values(PLAN_REGIONS, stage="endurance", view="plan.show"))


@blueprint.get("/sites/<int:site_id>/<plan_key>/brief")
@signed_in
def brief(site_id: int, plan_key: str) -> Any:
    """Show what must stay up and why, how long, and how cold it gets."""
    page = PlanPage.at(site_id, plan_key)
    return render_template("plan/brief.html", **page.first_values(BRIEF_REGIONS, stage="brief"))


@blueprint.get("/sites/<int:site_id>/<plan_key>/regions")
@signed_in
def show_regions(site_id: int, plan_key: str) -> Any:
    """Answer with the regions of a page as they are now: figures that follow an edit, a filter of the register, another view of the tree."""
    page = PlanPage.at(site_id, plan_key)
    names = tuple(n for n in request.values.get("regions", "").split(",") if n in NEEDS)
    return jsonify({"regions": page.render(names)})


@blueprint.post("/loads/<int:load_id>/cell")
@signed_in
def change_cell(load_id: int) -> Any:
    """Change one cell of the register and answer with every figure that follows."""
    cell = request.form.get("cell", "")
    if cell not in CELLS:
        return jsonify({"message": "There is no such cell."}), 400
    row = find(g.connection, g.actor, "load", load_id)
    tree = _tree_of(row, frame=True)
    text = request.form.get("text", "")
    form = form_of_cell(tree, row, cell, text)
    if not form.validate():
        return jsonify({"message": _first_error(form, cell)}), 422
    changes = changes_of_cell(form, cell, row)
    slip = "" if request.form.get("sure") else slip_of_cell(row, cell, changes)
    if slip:
        return jsonify({"row": _row_state(tree, row), "message": slip, "yours": text, "question": True}), 409
    try:
        version = int(request.form.get("version", ""))
        with g.connection.transaction():
            changed, tree, site_file = edit_within(g.connection, g.actor, "load", load_id, version, changes)
    except ValueError:
        return jsonify({"message": "This page is too old: reload it."}), 400
    except StaleEdit as stale:
        tree = _tree_of(row)
        plan = _plan_of(tree, stale.current)
        conflict = _conflict(stale, tree, cell, text)
        return jsonify({**conflict, "regions": regions(tree, plan, register=False)}), 409
    except Refused as refused:
        return jsonify({"message": " ".join(f.message for f in refused.faults)}), 422
    plan = _plan_of(tree, changed)
    answer: dict[str, Any] = {"undo": url_for("loads.undo", batch=g.actor.batch)}
    if len(tree.loads.get(plan["id"], [])) > SOON_COUNT:
        # In a large register the edit is answered at once, and the page asks for the figures that follow.
        later = url_for("plan.show_regions", site_id=tree.site["id"], plan_key=plan["key"])
        return jsonify({**answer, "row": _row_state(tree, changed), "later": later})
    page = PlanPage(tree, plan, Looking.from_request(), site_file)
    row_state = _row_state(tree, changed, page.result)
    return jsonify({**answer, "row": row_state, "regions": page.render(asked_regions(PLAN_REGIONS, register=False))})


@blueprint.get("/sites/<int:site_id>/<plan_key>/working/<supply_key>/<key>")
@signed_in
def working(site_id: int, plan_key: str, supply_key: str, key: str) -> Any:
    """Open a figure: its working, from the same result that was shown."""
    page = PlanPage.at(site_id, plan_key)
    result = next((s for s in page.result.supplies if s.key == supply_key), None)
    if key.startswith(LOAD_PREFIX):
        found = _working_of_load(page, supply_key, key.removeprefix(LOAD_PREFIX))
    else:
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


def _tree_of(row: LoadRow, *, frame: bool = False) -> SiteTree:
    plan = find(g.connection, g.actor, "plan", row["plan_id"])
    return read_tree(g.connection, g.actor, plan["site_id"], frame=frame)


def _plan_of(tree: SiteTree, row: LoadRow) -> PlanRow:
    return next(p for p in tree.plans if p["id"] == row["plan_id"])


def _working_of_load(page: PlanPage, supply_key: str, load_key: str) -> Working | None:
    """Return how the currents of one load come about, from the same case its supply was computed with."""
    plan = to_core_plan(page.site_file, page.plan["key"])
    supply = next((s for s in plan.supplies if s.key == supply_key), None)
    if supply is None:
        return None
    case = Case(supply, plan.loads_on(supply.key))
    currents = next((c for c in case.currents if c.load.key == load_key), None)
    return None if currents is None else of_load(currents, supply.nominal_v)


def _row_state(tree: SiteTree, row: LoadRow, result: PlanResult | None = None) -> dict[str, Any]:
    shares = {s.key: (supply.key, s) for supply in (result.supplies if result else ()) for s in supply.shares}
    view = view_load(tree, row, shares)
    average = view.average.text if view.average else None
    return {"id": row["id"], "version": row["version"], "cells": view.cells, "more": view.more, "average": average}


def _conflict(stale: StaleEdit, tree: SiteTree, cell: str, typed: str) -> dict[str, Any]:
    state = _row_state(tree, stale.current)
    who = stale.changed_by or "Somebody"
    names: dict[str, dict[str, str]] = {
        "supply": {str(s["id"]): s["name"] for s in tree.supplies.get(stale.current["plan_id"], [])},
        "place": {str(p["id"]): p["name"] for p in tree.places},
        "purpose": PURPOSE_WORDS,
    }
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
