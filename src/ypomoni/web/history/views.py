"""The history of a plan: read, filtered, and the plan set back to an earlier state."""

from typing import Any

from flask import Blueprint, flash, g, jsonify, render_template, request, url_for

from ypomoni.actions.edit import find, read_tree
from ypomoni.actions.errors import Refused
from ypomoni.actions.history import read_history, set_back, what_goes_back
from ypomoni.web.history.page import KIND_WORDS, build_history, say_back
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.security import signed_in

PAGE_COUNT = 100
blueprint = Blueprint("history", __name__, template_folder="templates")


@blueprint.get("/sites/<int:site_id>/<plan_key>/history")
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Show who changed what in a plan, newest first."""
    page = PlanPage.at(site_id, plan_key)
    tree, plan = page.tree, page.plan
    changes = read_history(g.connection, g.actor, plan)
    asked = {name: request.args.get(name, "")[:80] for name in ("find", "who", "kind")}
    entries = build_history(changes, tree, find=asked["find"], who=asked["who"], kind=asked["kind"])
    shown = max(PAGE_COUNT, request.args.get("shown", default=PAGE_COUNT, type=int))
    return render_template(
        "history/history.html",
        **page.first_values(FRAME, stage="history"),
        entries=entries[:shown],
        count=len(entries),
        people=sorted({c.who for c in changes}),
        kinds=KIND_WORDS,
        asked=asked,
        more=shown + PAGE_COUNT if len(entries) > shown else 0,
    )


@blueprint.get("/plans/<int:plan_id>/back/<int:change_id>")
@signed_in
def ask(plan_id: int, change_id: int) -> Any:
    """Show what setting a plan back to just before a change would do."""
    plan = find(g.connection, g.actor, "plan", plan_id)
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    lines = [say_back(back, tree) for back in what_goes_back(g.connection, g.actor, plan, change_id)]
    return jsonify({"html": render_template("history/_back.html", plan=plan, change_id=change_id, lines=lines)})


@blueprint.post("/plans/<int:plan_id>/back/<int:change_id>")
@signed_in
def go_back(plan_id: int, change_id: int) -> Any:
    """Set a plan back; it is one step and can be undone."""
    plan = find(g.connection, g.actor, "plan", plan_id)
    try:
        with g.connection.transaction():
            count = set_back(g.connection, g.actor, plan_id, change_id)
    except Refused as refused:
        return jsonify({"message": " ".join(f.message for f in refused.faults)}), 422
    flash(
        f"{plan['name']} is as it was: {count} thing{'s' if count != 1 else ''} set back. Undo it on the board, or set it back again here.",
        "note",
    )
    site = read_tree(g.connection, g.actor, plan["site_id"], frame=True).site
    return jsonify({"go": url_for("history.show", site_id=site["id"], plan_key=plan["key"])})
