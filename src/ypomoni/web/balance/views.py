"""The balance board: loads moved between supplies by mouse, thumb or keyboard; every figure follows from the server."""

import re
from dataclasses import replace
from typing import Any

from flask import Blueprint, g, jsonify, render_template, request, url_for

from ypomoni.actions.balance import Held, foresee, move, offers, pin
from ypomoni.actions.edit import find, read_tree
from ypomoni.actions.errors import Refused, StaleEdit
from ypomoni.actions.jobs import accept_answer, ask_for_moves, cancel, see_job
from ypomoni.actions.news import news_of
from ypomoni.actions.steps import has_arrived, take_step
from ypomoni.core.balance.search import Objective
from ypomoni.core.telling.wording import say_hours
from ypomoni.records.site import PlanRow
from ypomoni.web.balance.board import say_offers
from ypomoni.web.balance.proposal import build_proposal
from ypomoni.web.history.page import names_of, say_change
from ypomoni.web.plan.page import FRAME, PlanPage, regions
from ypomoni.web.security import signed_in

BALANCE_REGIONS = (*FRAME, "board", "removed")
MOST_HELD = 300
blueprint = Blueprint("balance", __name__, template_folder="templates")


@blueprint.get("/sites/<int:site_id>/<plan_key>/balance")
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Show the board of a plan."""
    page = PlanPage.at(site_id, plan_key)
    news = news_of(g.connection, g.actor, page.plan["id"], 2**62)
    return render_template(
        "balance/show.html", **page.first_values(BALANCE_REGIONS, stage="balance", view="balance.show"), last_change=news.last_id
    )


# -- pieces picked up and dropped ------------------------------------------------------------------------------------------------------


@blueprint.get("/plans/<int:plan_id>/offers")
@signed_in
def pick_up(plan_id: int) -> Any:
    """Answer, for pieces picked up, what every lane would be with them, or why they may not hang there."""
    find(g.connection, g.actor, "plan", plan_id)
    try:
        supplies, found = offers(g.connection, g.actor, plan_id, _held())
    except Refused as refused:
        return _refuse(refused)
    return jsonify({"lanes": say_offers(found, supplies)})


@blueprint.get("/plans/<int:plan_id>/foresee")
@signed_in
def look_ahead(plan_id: int) -> Any:
    """Compute what a lane that is hovered over would be, so that its figures are there when the piece is dropped."""
    find(g.connection, g.actor, "plan", plan_id)
    try:
        foresee(g.connection, g.actor, plan_id, _held(), request.args.get("supply", type=int))
    except Refused as refused:
        return _refuse(refused)
    return jsonify({})


@blueprint.post("/plans/<int:plan_id>/move")
@signed_in
def drop(plan_id: int) -> Any:
    """Hang pieces on another supply and answer with the board as it is then; what was sent twice is done once."""
    plan = find(g.connection, g.actor, "plan", plan_id)
    held, token = _held(), request.form.get("token", "")
    supply_id = request.form.get("supply", type=int)
    if not held or "supply" not in request.form:
        return jsonify({"message": "This page is too old: reload it."}), 400
    if re.fullmatch(r"[0-9a-f]{32}", token):
        if has_arrived(g.connection, g.actor, token):
            return _follow(plan, "It had arrived: the board shows it.")
        g.actor = replace(g.actor, batch=token)
    if request.form.get("anyway"):
        # The choice was made looking at both states: the versions of now are taken.
        rows = [find(g.connection, g.actor, "load", h.load_id) for h in held]
        held = [
            Held(load_id=row["id"], version=row["version"], quantity=min(h.quantity, row["quantity"]))
            for row, h in zip(rows, held, strict=True)
        ]
    try:
        with g.connection.transaction():
            done = move(g.connection, g.actor, plan_id, held, supply_id)
    except Refused as refused:
        return _refuse(refused)
    except StaleEdit as stale:
        return _both_states(plan, stale, held, supply_id)
    rows = done.rows
    supply = next((s["name"] for s in done.tree.supplies.get(plan["id"], []) if s["id"] == supply_id), None)
    what = rows[0]["name"] if len(rows) == 1 else f"{len(rows)} loads" if rows else "It"
    verbs = ("hang", "wait") if len(rows) > 1 else ("hangs", "waits")
    notice = f"{what} {verbs[0]} on {supply}." if supply else f"{what} {verbs[1]} in the tray."
    undo_at = url_for("loads.undo", batch=g.actor.batch, plan=plan["id"]) if rows else ""
    drawn = regions(done.tree, plan, register=False, site_file=done.site_file)
    return jsonify({"regions": drawn, "notice": notice, "undo": undo_at})


@blueprint.post("/plans/<int:plan_id>/pin")
@signed_in
def set_pin(plan_id: int) -> Any:
    """Pin loads to where they are, or let them go."""
    plan = find(g.connection, g.actor, "plan", plan_id)
    pinned = request.form.get("pinned") == "1"
    try:
        with g.connection.transaction():
            rows = pin(g.connection, g.actor, _held(), pinned=pinned)
    except StaleEdit as stale:
        return jsonify({"message": f"{stale.changed_by or 'Somebody'} changed {stale.current['name']} meanwhile: look again."}), 409
    what = rows[0]["name"] if len(rows) == 1 else f"{len(rows)} loads"
    return _follow(plan, f"{what} {'stays where it is' if pinned else 'may move again'}.", undo=bool(rows))


def _both_states(plan: PlanRow, stale: StaleEdit, held: list[Held], supply_id: int | None) -> Any:
    """Answer a move made on an old version with what is there now and what was wanted, each with its hours, and a choice."""
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    supplies = {s["id"]: s for s in tree.supplies.get(plan["id"], [])}
    row = stale.current
    lanes: list[tuple[str, str, str]] = []
    reason = ""
    if row["removed_at"] is None:
        one = next(h for h in held if h.load_id == row["id"])
        quantity = min(one.quantity, row["quantity"])
        _, found = offers(g.connection, g.actor, plan["id"], [Held(load_id=row["id"], version=row["version"], quantity=quantity)])
        by_key = {o.supply_key: o for o in found}
        for place in dict.fromkeys((row["supply_id"], supply_id)):
            supply = supplies.get(place or 0)
            offer = by_key.get(supply["key"]) if supply else None
            if supply is None or offer is None:
                continue
            if not offer.may:
                reason = f"{row['name']} may not hang on {supply['name']}: {offer.reason}"
            after = "" if offer.holdover_h is None else say_hours(offer.holdover_h)
            now = "nothing draws" if offer.was_h is None else say_hours(offer.was_h)
            lanes.append((supply["name"], now, after))
    html = render_template(
        "balance/_stale.html",
        who=stale.changed_by or "Somebody",
        at=stale.changed_at,
        row=row,
        is_gone=row["removed_at"] is not None,
        theirs=supplies[row["supply_id"]]["name"] if row["supply_id"] in supplies else "no supply",
        yours=supplies[supply_id]["name"] if supply_id in supplies else "no supply",
        same=row["supply_id"] == supply_id,
        lanes=lanes,
        reason=reason,
    )
    return jsonify({"html": html, "regions": regions(tree, plan, register=False), "choice": not reason and row["removed_at"] is None}), 409


# -- undo and redo ---------------------------------------------------------------------------------------------------------------------


@blueprint.post("/plans/<int:plan_id>/undo")
@signed_in
def undo(plan_id: int) -> Any:
    """Take back one's own last edit of a plan."""
    return _step(plan_id, again=False)


@blueprint.post("/plans/<int:plan_id>/redo")
@signed_in
def redo(plan_id: int) -> Any:
    """Do one's own last undone edit of a plan again."""
    return _step(plan_id, again=True)


def _step(plan_id: int, *, again: bool) -> Any:
    plan = find(g.connection, g.actor, "plan", plan_id)
    try:
        with g.connection.transaction():
            count = take_step(g.connection, g.actor, plan, again=again)
    except Refused as refused:
        return _refuse(refused, 409)
    if not count:
        return jsonify({"message": f"There is nothing of yours to {'do again' if again else 'undo'} in this plan."}), 409
    return _follow(plan, f"{'Done again' if again else 'Undone'}: {count} change{'s' if count != 1 else ''}.", register=True)


# -- the search for the best moves -----------------------------------------------------------------------------------------------------


@blueprint.post("/plans/<int:plan_id>/jobs")
@signed_in
def ask(plan_id: int) -> Any:
    """Put a search into the queue."""
    find(g.connection, g.actor, "plan", plan_id)
    objective = Objective.CABLE if request.form.get("objective") == "cable" else Objective.MOVES
    job_id = ask_for_moves(g.connection, g.actor, plan_id, objective, long=request.form.get("long") == "1")
    return jsonify({"job": job_id})


@blueprint.get("/jobs/<int:job_id>")
@signed_in
def see(job_id: int) -> Any:
    """Answer how far a search is."""
    plan, job = see_job(g.connection, g.actor, job_id)
    tree = read_tree(g.connection, g.actor, plan["site_id"], frame=True)
    view = build_proposal(job, None, tree.supplies.get(plan["id"], []), [])
    return jsonify({"state": job.state, "headline": view.headline, "detail": view.detail, "found": job.proposal is not None})


@blueprint.post("/jobs/<int:job_id>/cancel")
@signed_in
def stop(job_id: int) -> Any:
    """Ask a search to stop."""
    cancel(g.connection, g.actor, job_id)
    return jsonify({"state": "cancelled"})


@blueprint.post("/jobs/<int:job_id>/accept")
@signed_in
def follow_job(job_id: int) -> Any:
    """Make the moves of a proposal, all or one."""
    plan, _ = see_job(g.connection, g.actor, job_id)
    option = request.form.get("option", type=int)
    only = request.form.get("only") or None
    try:
        with g.connection.transaction():
            _, count = accept_answer(g.connection, g.actor, job_id, option, only)
    except Refused as refused:
        return _refuse(refused)
    return _follow(plan, f"{count} load{'s' if count != 1 else ''} moved.", undo=True)


# -- the others ------------------------------------------------------------------------------------------------------------------------


@blueprint.get("/plans/<int:plan_id>/news")
@signed_in
def news(plan_id: int) -> Any:
    """Answer who else is on the plan and what they changed since; with it the regions of the page as they are now."""
    found = news_of(g.connection, g.actor, plan_id, request.args.get("since", default=0, type=int))
    answer: dict[str, Any] = {"others": list(found.others), "since": found.last_id, "said": []}
    if found.changes:
        tree = read_tree(g.connection, g.actor, found.plan["site_id"])
        names = names_of(tree)
        for change in reversed(found.changes[:5]):
            lines = say_change(change, names)
            answer["said"].append(f"{change.who}: {lines[0]}" + (f" and {len(lines) - 1} more" if len(lines) > 1 else ""))
        answer["regions"] = regions(tree, found.plan, register=False)
    return jsonify(answer)


# -- answers ---------------------------------------------------------------------------------------------------------------------------


def _held() -> list[Held]:
    """Return the pieces that are held, each sent as id:version:quantity."""
    pairs = [re.fullmatch(r"(\d{1,18}):(\d{1,9}):(\d{1,6})", text) for text in request.values.getlist("piece")[:MOST_HELD]]
    return [Held(load_id=int(m.group(1)), version=int(m.group(2)), quantity=int(m.group(3))) for m in pairs if m and int(m.group(3)) > 0]


def _refuse(refused: Refused, status: int = 422) -> Any:
    return jsonify({"message": " ".join(f.message for f in refused.faults)}), status


def _follow(plan: PlanRow, notice: str, *, undo: bool = False, register: bool = False) -> Any:
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    undo_at = url_for("loads.undo", batch=g.actor.batch, plan=plan["id"]) if undo else ""
    return jsonify({"regions": regions(tree, plan, register=register), "notice": notice, "undo": undo_at})
