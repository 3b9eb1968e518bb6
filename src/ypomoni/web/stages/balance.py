"""The balance board: loads moved between supplies by mouse, thumb or keyboard; every figure follows from the server."""

from typing import Any

from flask import Blueprint, g, jsonify, render_template, request, url_for

from ypomoni.actions.balance import follow_proposal, move, offers, propose
from ypomoni.actions.edit import find, read_tree
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.web.security import signed_in
from ypomoni.web.stages.plan_page import Looking, PlanPage, regions
from ypomoni.web.view.board import say_offers

BALANCE_REGIONS = ("title", "brief", "board", "removed")
blueprint = Blueprint("balance", __name__)


@blueprint.get("/sites/<int:site_id>/<plan_key>/balance")
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Show the board of a plan."""
    tree = read_tree(g.connection, g.actor, site_id)
    plan = tree.plan(plan_key)
    if plan is None:
        raise NotFound
    page = PlanPage(tree, plan, Looking.from_request())
    return render_template("balance/show.html", **{**page.first_values(BALANCE_REGIONS), "stage": "balance"})


@blueprint.get("/loads/<int:load_id>/offers")
@signed_in
def pick_up(load_id: int) -> Any:
    """Answer, for a load picked up, what every lane would be with it, or why it may not hang there."""
    quantity = request.args.get("quantity", default=0, type=int)
    try:
        load, supplies, found = offers(g.connection, g.actor, load_id, quantity)
    except Refused as refused:
        return jsonify({"message": " ".join(f.message for f in refused.faults)}), 422
    return jsonify({"lanes": say_offers(found, supplies, load["supply_id"])})


@blueprint.get("/plans/<int:plan_id>/proposal")
@signed_in
def proposal(plan_id: int) -> Any:
    """Show the fewest moves after which every supply holds, or that moving alone cannot do it."""
    plan, tree, found = propose(g.connection, g.actor, plan_id)
    names = {s["key"]: s["name"] for s in tree.supplies.get(plan["id"], [])}
    moves = [(m.name, names[m.from_key], names[m.to_key]) for m in found.moves]
    return jsonify({"html": render_template("balance/_proposal.html", plan=plan, found=found, moves=moves)})


@blueprint.post("/plans/<int:plan_id>/proposal")
@signed_in
def accept(plan_id: int) -> Any:
    """Make the moves of the proposal."""
    find(g.connection, g.actor, "plan", plan_id)
    try:
        with g.connection.transaction():
            count = follow_proposal(g.connection, g.actor, plan_id)
    except Refused as refused:
        return jsonify({"message": " ".join(f.message for f in refused.faults)}), 422
    plan = find(g.connection, g.actor, "plan", plan_id)
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    undo = url_for("loads.undo", batch=g.actor.batch, plan=plan["id"])
    notice = f"{count} load{'s' if count != 1 else ''} moved."
    return jsonify({"regions": regions(tree, plan, register=False), "notice": notice, "undo": undo if count else ""})


@blueprint.post("/loads/<int:load_id>/move")
@signed_in
def drop(load_id: int) -> Any:
    """Hang a load, or some of its pieces, on another supply and answer with the board as it is then."""
    find(g.connection, g.actor, "load", load_id)
    asked = {name: request.form.get(name, type=int) for name in ("version", "quantity", "supply")}
    if asked["version"] is None or asked["quantity"] is None:
        return jsonify({"message": "This page is too old: reload it."}), 400
    try:
        with g.connection.transaction():
            load = move(g.connection, g.actor, load_id, asked["version"], asked["quantity"], asked["supply"])
    except Refused as refused:
        return jsonify({"message": " ".join(f.message for f in refused.faults)}), 422
    except StaleEdit as stale:
        who = stale.changed_by or "Somebody"
        plan = find(g.connection, g.actor, "plan", stale.current["plan_id"])
        tree = read_tree(g.connection, g.actor, plan["site_id"])
        message = f"{who} changed {stale.current['name']} meanwhile. The board shows it as it is now: look, and move it again if you still want to."
        return jsonify({"message": message, "regions": regions(tree, plan, register=False)}), 409
    plan = find(g.connection, g.actor, "plan", load["plan_id"])
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    supply = next((s["name"] for s in tree.supplies.get(plan["id"], []) if s["id"] == load["supply_id"]), None)
    notice = f"{load['name']} hangs on {supply}." if supply else f"{load['name']} waits in the tray."
    return jsonify(
        {
            "regions": regions(tree, plan, register=False),
            "notice": notice,
            "undo": url_for("loads.undo", batch=g.actor.batch, plan=plan["id"]),
        }
    )
