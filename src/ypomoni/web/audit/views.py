"""The audit: current tree, points with their readings, the next reading, and the page that takes one, on a phone and without signal."""

from typing import Any

from flask import Blueprint, current_app, g, jsonify, render_template, request, send_from_directory, url_for

from ypomoni.actions import audit as actions
from ypomoni.actions.edit import find, read_tree
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.measuring.hookup import READ_A_MINUTE, advise_hookup, steps_of
from ypomoni.core.telling.wording import say_amps
from ypomoni.core.things.readings import Hookup, MeasuringPoint, PointKind, State
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.records.words import HOOKUP_WORDS, MAINS_WORDS, POINT_WORDS, STATE_WORDS
from ypomoni.web.audit.forms import reading_form
from ypomoni.web.audit.readings import build_point, reading_words
from ypomoni.web.audit.tree import band_words
from ypomoni.web.fields import place_faults
from ypomoni.web.plan.page import AUDIT_REGIONS, FRAME, Looking, PlanPage, asked_regions
from ypomoni.web.security import signed_in

blueprint = Blueprint("audit", __name__, template_folder="templates")
MOST_POINTS_AT_ONCE = 400


@blueprint.get("/sites/<int:site_id>/<plan_key>/audit")
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Show the audit of a plan: what to read next, the current tree, the whole register."""
    page = PlanPage.at(site_id, plan_key)
    return render_template("audit/show.html", **page.first_values((*AUDIT_REGIONS, "register"), stage="audit", view="audit.show"))


@blueprint.get("/sites/<int:site_id>/<plan_key>/register")
@signed_in
def show_register(site_id: int, plan_key: str) -> Any:
    """Show the register as a panel over whatever stage one is in."""
    page = PlanPage.at(site_id, plan_key)
    return render_template("audit/_panel.html", **page.values(("register",)))


def _page_of(plan: PlanRow) -> PlanPage:
    return PlanPage(read_tree(g.connection, g.actor, plan["site_id"]), plan, Looking.from_request())


def _follow(plan: PlanRow, notice: str, *, register: bool = False, undo: bool = True) -> Any:
    """Return the regions that follow a change, and how to undo it."""
    page = _page_of(plan)
    names = asked_regions(AUDIT_REGIONS, register=register)
    back = url_for("loads.undo", batch=g.actor.batch, plan=plan["id"]) if undo else None
    return jsonify({"regions": page.render(names), "notice": notice, "undo": back})


# -- points ----------------------------------------------------------------------------------------------------------------------------


@blueprint.post("/plans/<int:plan_id>/points")
@signed_in
def add_points(plan_id: int) -> Any:
    """Make the measuring points that are missing, from the register."""
    plan = find(g.connection, g.actor, "plan", plan_id)
    try:
        with g.connection.transaction():
            made = actions.make_points(g.connection, g.actor, plan_id)
    except Refused as refused:
        return _refuse(refused)
    return _follow(plan, f"{made} measuring points are made from the register." if made else "No point was missing.", undo=made > 0)


@blueprint.get("/sites/<int:site_id>/<plan_key>/points/<path:key>")
@signed_in
def show_point(site_id: int, plan_key: str, key: str) -> Any:
    """Show a point: what the register says, what was read, what may explain the difference."""
    page = PlanPage.at(site_id, plan_key)
    view = build_point(page.tree, page.plan, page.audit, key)
    if view is None:
        raise NotFound
    return render_template("audit/_point.html", point=view, site=page.tree.site, plan=page.plan)


# -- readings --------------------------------------------------------------------------------------------------------------------------


@blueprint.get("/sites/<int:site_id>/<plan_key>/read")
@signed_in
def read(site_id: int, plan_key: str) -> Any:
    """Show the page that takes a reading. It works without connection once it was opened."""
    page = PlanPage.at(site_id, plan_key)
    # Of a large plan that is not computed yet the page is shown first: a phone in a cupboard does not wait.
    shown = page.first_values((*FRAME, "next"), stage="audit", view="audit.read")
    points = _points_shown(page)
    values = _reading_values(page, points)
    return render_template("audit/read.html", **{**shown, **values})


def _points_shown(page: PlanPage) -> list[Row]:
    """Return the points to choose from: all, or of a very large plan those of the supply that is looked at."""
    points = page.tree.placed_points(page.plan["id"])
    if len(points) <= MOST_POINTS_AT_ONCE:
        return points
    wanted = request.args.get("point", "")
    key = next((p["supply_id"] for p in points if p["key"] == wanted), None)
    if key is None:
        first = None if page.has_to_wait else page.shown_supply
        key = next((s["id"] for s in page.tree.supplies[page.plan["id"]] if first in (None, s["key"])), None)
    return [p for p in points if p["supply_id"] == key]


def _reading_values(page: PlanPage, points: list[Row]) -> dict[str, Any]:
    supplies = {s["id"]: s["name"] for s in page.tree.supplies.get(page.plan["id"], [])}
    groups: dict[str, list[Row]] = {}
    for point in points:
        groups.setdefault(supplies[point["supply_id"]], []).append(point)
    best = None if page.has_to_wait else page.next_reading
    wanted = request.args.get("point") or (best.point if best else None)
    chosen = next((p for p in points if p["key"] == wanted), points[0] if points else None)
    superseded = request.args.get("supersedes", type=int)
    replaced = next((r for r in page.tree.readings.get(page.plan["id"], []) if r["id"] == superseded), None)
    return {
        "groups": list(groups.items()),
        "chosen": chosen,
        "replaced": replaced,
        "replaced_words": reading_words(replaced) if replaced else "",
        "facts": _facts_of_points(page, points),
        "steps": _steps(),
        "instruments": [i for i in page.tree.instruments if i["removed_at"] is None],
        "states": list(STATE_WORDS.items()),
        "mains": list(MAINS_WORDS.items()),
        "hookups": list(HOOKUP_WORDS.items()),
    }


def _facts_of_points(page: PlanPage, points: list[Row]) -> dict[str, Any]:
    """Return for each point what is expected there in each state, and how to hook up with each instrument."""
    audit, wanted = page.audit, {p["key"]: p["id"] for p in points}
    found: dict[str, Any] = {}
    trees = {s.key: audit.tree(s.key) for s in audit.plan.supplies}
    ids = {i["key"]: i["id"] for i in page.tree.instruments}
    instruments = [(str(ids[i.key]), i) for i in audit.plan.instruments if i.key in ids] or []
    meters = [("", actions.DEFAULT_INSTRUMENT), *instruments]
    for point in audit.plan.points:
        if point.key not in wanted:
            continue
        tree = trees[point.supply_key]
        expected = {s: tree.sum_behind(point, s, tree.volts(None))[0] for s in (State.STANDBY, State.ALARM, State.TRANSMITTING)}
        behind = [tree.currents[key].load for key in tree.loads_behind(point)]
        transmits = any(load.bursts for load in behind)
        advice = {
            meter_id: _advice(point, meter, expected[State.STANDBY], max(expected.values()), transmits=transmits)
            for meter_id, meter in meters
        }
        found[str(wanted[point.key])] = {
            "name": point.name,
            "kind": point.kind.value,
            "kind_word": POINT_WORDS[point.kind.value],
            "expected": {s.value: say_amps(a) for s, a in expected.items()},
            "life_safety": any(load.purpose and load.purpose.value == "life_safety" for load in behind),
            "advice": advice,
            "has_locks": any(load.lock for load in behind),
        }
    return found


def _steps() -> dict[str, Any]:
    """Return the steps of a reading by kind of point, by how it is read, and by whether doors hang on it."""
    by_kind = {
        kind.value: {
            hookup.value: {str(doors).lower(): list(steps_of(hookup, kind, has_locks=doors)) for doors in (False, True)}
            for hookup in Hookup
        }
        for kind in PointKind
    }
    return {"by_kind": by_kind, "read": READ_A_MINUTE}


def _advice(point: MeasuringPoint, meter: Any, expected_a: float, peak_a: float, *, transmits: bool) -> dict[str, Any]:
    found = advise_hookup(point, meter, expected_a=expected_a, peak_a=peak_a, transmits=transmits)
    return {"hookup": found.hookup.value, "jack": found.jack, "reading": found.reading, "cautions": list(found.cautions)}


@blueprint.post("/plans/<int:plan_id>/readings")
@signed_in
def store(plan_id: int) -> Any:
    """Store a reading once, whatever how often it is sent; what looks like a slip is asked first."""
    plan = find(g.connection, g.actor, "plan", plan_id)
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    points = {str(p["id"]): p["name"] for p in tree.placed_points(plan_id)}
    instruments = {str(i["id"]): i["name"] for i in tree.instruments}
    form = reading_form(request.form, points=points, instruments=instruments)
    token = request.form.get("token", "")[:80]
    if not form.validate():
        return jsonify({"faults": _faults(form)}), 422
    if len(token) < 16:
        return jsonify({"message": "This page is too old: reload it. What you typed stays on it."}), 400
    options = {"sure": request.form.get("sure") == "1", "queued": request.form.get("queued") == "1", "was_va": form.value.was_va}
    try:
        with g.connection.transaction():
            stored = actions.store_reading(g.connection, g.actor, plan_id, form.entry(), token=token, **options)
    except Refused as refused:
        loose = place_faults(form, refused.faults, form.paths)
        return jsonify({"faults": _faults(form), "message": " ".join(loose)}), 422
    if stored.key is None:
        return jsonify({"questions": [{"text": q.text, "instead": q.instead} for q in stored.questions]}), 409
    page = PlanPage(read_tree(g.connection, g.actor, plan["site_id"]), plan, Looking.from_request())
    point = next((p for p in page.audit.plan.points if str(p.key) == _key_of(page.tree, plan_id, form.point.data)), None)
    words = _said_of(page, point, State(form.state.data), stored)
    return jsonify(
        {"stored": stored.key, "words": words, "next": _next_point(page, form.point.data), "regions": page.render((*FRAME, "next"))}
    )


def _key_of(tree: SiteTree, plan_id: int, point_id: str) -> str:
    return next((p["key"] for p in tree.placed_points(plan_id) if str(p["id"]) == point_id), "")


def _said_of(page: PlanPage, point: MeasuringPoint | None, state: State, stored: actions.Stored) -> str:
    """Say what became of a reading: stored, and whether it adds up."""
    if point is None:
        return "Stored."
    node = page.audit.nodes.get((point.key, state))
    if stored.questions:
        return f"Stored at {point.name}; a question about it is open."
    if node is None or node.reading_key != stored.key or node.read_a is None:
        return f"Stored at {point.name}; it is kept, not compared."
    words = "it adds up" if node.agrees else f"{say_amps(node.sum_a)} were expected: see what may explain it"
    return f"Stored at {point.name}: {say_amps(node.read_a)}, {words}."


def _next_point(page: PlanPage, point_id: str) -> str:
    """Return the point to offer next: the one that tells most, otherwise the next of the list."""
    points = page.tree.placed_points(page.plan["id"])
    if page.next_reading:
        return next((str(p["id"]) for p in points if page.next_reading and p["key"] == page.next_reading.point), "")
    ids = [str(p["id"]) for p in points]
    return ids[(ids.index(point_id) + 1) % len(ids)] if point_id in ids else ""


def _faults(form: Any) -> dict[str, str]:
    return {field.name: " ".join(str(e) for e in field.errors) for field in form if field.errors}


@blueprint.post("/readings/<int:reading_id>/take")
@signed_in
def take(reading_id: int) -> Any:
    """Take a reading into the register; every figure follows, and it can be undone."""
    before = _bands_before(reading_id)
    try:
        with g.connection.transaction():
            plan, words = actions.take_reading(g.connection, g.actor, reading_id)
    except Refused as refused:
        return _refuse(refused)
    after = _bands(_page_of(plan))
    moved = [f"{name}: {before[name]} → {band}" for name, band in after.items() if before.get(name, band) != band]
    return _follow(plan, " ".join([words, *(f"Band of {m}." for m in moved)]), register=True)


def _bands_before(reading_id: int) -> dict[str, str]:
    """Return the bands of a reading's plan as they are, to show how they move."""
    reading = actions.place_of_reading(g.connection, g.actor, reading_id)
    return {} if reading is None else _bands(_page_of(find(g.connection, g.actor, "plan", reading["plan_id"])))


def _bands(page: PlanPage) -> dict[str, str]:
    return {s.name: band_words(s.holdover) for s in page.result.supplies if s.holdover}


@blueprint.post("/readings/<int:reading_id>/release")
@signed_in
def release(reading_id: int) -> Any:
    """Take a total out of the register again."""
    try:
        with g.connection.transaction():
            plan, words = actions.release_reading(g.connection, g.actor, reading_id)
    except Refused as refused:
        return _refuse(refused)
    return _follow(plan, words, register=True)


@blueprint.post("/readings/<int:reading_id>/settle")
@signed_in
def settle(reading_id: int) -> Any:
    """Answer the open questions of a reading: it is right as it stands."""
    reading = actions.settle_reading(g.connection, g.actor, reading_id)
    return _follow(find(g.connection, g.actor, "plan", reading["plan_id"]), "The reading counts as it stands.", undo=False)


@blueprint.post("/plans/<int:plan_id>/difference")
@signed_in
def note_difference(plan_id: int) -> Any:
    """Register what a point draws more than is known behind it, as a load to be found."""
    plan = find(g.connection, g.actor, "plan", plan_id)
    state = request.form.get("state", "standby")
    try:
        with g.connection.transaction():
            load = actions.register_difference(
                g.connection, g.actor, plan_id, request.form.get("point", ""), state if state in STATE_WORDS else "standby"
            )
    except Refused as refused:
        return _refuse(refused)
    return _follow(plan, f"{load['name']} is in the register, as an estimate.", register=True)


def _refuse(refused: Refused) -> Any:
    return jsonify({"message": " ".join(f.message for f in refused.faults)}), 422


# -- without connection ----------------------------------------------------------------------------------------------------------------


@blueprint.get("/offline.js")
def offline() -> Any:
    """Send the worker that keeps the reading page for when there is no signal. It must come from the root to see the pages under it."""
    answer = send_from_directory(f"{current_app.static_folder}/js", "offline.js", mimetype="text/javascript")
    answer.headers["Cache-Control"] = "no-cache"
    return answer
