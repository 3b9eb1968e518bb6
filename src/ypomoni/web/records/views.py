"""Dialogs of the aggregates: a form to create or edit, remove, restore. One way for all of them; answers are for the page's script."""

from typing import Any

from flask import Blueprint, flash, g, jsonify, redirect, render_template, request, url_for
from wtforms import FieldList

from ypomoni.actions.edit import (
    ORGANISATION_WIDE,
    create,
    edit,
    edit_shared,
    find,
    read_tree,
    remove,
    restore,
    restore_bank,
    shared_keys,
    taken_keys,
)
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.profiles import offered_profiles, profile_values
from ypomoni.actions.register import load_of_device
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.things.supply_types import supply_type
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.records.supply import rail_v_on
from ypomoni.web.audit.register import burst_words
from ypomoni.web.fields import place_faults, refuse_long_lists
from ypomoni.web.plan.page import regions
from ypomoni.web.records.forms import FORMS, STARTS, LoadForm, PointForm, RecordForm, RunForm, SupplyForm
from ypomoni.web.security import signed_in, wants_json

blueprint = Blueprint("records", __name__, template_folder="templates", url_prefix="/records")
REMOVABLE = (
    "site",
    "requirement",
    "plan",
    "supply",
    "load",
    "place",
    "run",
    "point",
    "instrument",
    "device",
    "stock",
    "profile",
    "bench_supply",
    "benched_device",
    "battery_lot",
)
MOST_PARTS = 20


@blueprint.get("/<name>/new")
@blueprint.get("/<name>/<int:record_id>")
@signed_in
def show(name: str, record_id: int | None = None) -> Any:
    """Show the form of a new or an existing record."""
    row, tree, plan = _place(name, record_id)
    form = _form(name, tree, plan, data=_data(name, row, tree, plan))
    return _dialog(name, form, row, plan)


@blueprint.post("/<name>/new")
@blueprint.post("/<name>/<int:record_id>")
@signed_in
def save(name: str, record_id: int | None = None) -> Any:
    """Create or change a record from its form; what cannot be comes back with every fault beside its field."""
    row, tree, plan = _place(name, record_id)
    refuse_long_lists()
    form = _form(name, tree, plan, data=None)
    adding = request.form.get("add_part", "")
    if adding in [part for part, *_ in form.parts]:
        entries = form[adding]
        if isinstance(entries, FieldList) and len(entries) < MOST_PARTS:
            entries.append_entry()
        return _dialog(name, form, row, plan, status=422)
    loose: list[str] = []
    if form.validate():
        if row is not None:
            form.keep_unchanged(row)
        questions = [] if request.form.get("sure") else form.questions(row)
        if questions:
            return _dialog(name, form, row, plan, questions=questions, status=422)
        try:
            with g.connection.transaction():
                saved = _save(name, form, row, tree, plan)
            if row and row.get("bank_chemistry") and saved["bank_chemistry"] is None:
                undo = url_for("records.bring_bank_back", record_id=saved["id"], plan=request.values.get("plan"))
                return _done(name, saved, f"The battery of {saved['name']} is removed.", undo=undo)
            return _done(name, saved, f"{saved['name']} is saved." if row else f"{saved['name']} is added.", new=row is None)
        except StaleEdit as stale:
            return _stale(name, form, stale, plan)
        except Refused as refused:
            loose = place_faults(form, refused.faults, form.paths)
    return _dialog(name, form, row, plan, loose=loose, status=422)


@blueprint.post("/<name>/<int:record_id>/remove")
@signed_in
def take_away(name: str, record_id: int) -> Any:
    """Remove a record; the answer offers to undo it."""
    if name not in REMOVABLE:
        raise NotFound
    try:
        with g.connection.transaction():
            gone = remove(g.connection, g.actor, name, record_id, _version())
    except StaleEdit as stale:
        who = stale.changed_by or "Somebody"
        return _refuse(f"{who} changed {stale.current['name']} meanwhile, so it was not removed. Look at it again first.", 409)
    except Refused as refused:
        return _refuse(" ".join(f.message for f in refused.faults), 422)
    undo = url_for("records.bring_back", name=name, record_id=record_id, plan=request.values.get("plan"))
    return _done(name, gone, f"{gone['name']} is removed.", undo=undo)


@blueprint.post("/<name>/<int:record_id>/restore")
@signed_in
def bring_back(name: str, record_id: int) -> Any:
    """Undo a removal."""
    if name not in REMOVABLE:
        raise NotFound
    try:
        with g.connection.transaction():
            back = restore(g.connection, g.actor, name, record_id)
    except Refused as refused:
        return _refuse(" ".join(f.message for f in refused.faults), 422)
    return _done(name, back, f"{back['name']} is back.")


@blueprint.post("/supply/<int:record_id>/bank/restore")
@signed_in
def bring_bank_back(record_id: int) -> Any:
    """Undo the removal of a battery."""
    with g.connection.transaction():
        supply = restore_bank(g.connection, g.actor, record_id)
    return _done("supply", supply, f"The battery of {supply['name']} is back.")


# -- where a record lives --------------------------------------------------------------------------------------------------------------


def _place(name: str, record_id: int | None) -> tuple[Any, SiteTree | None, PlanRow | None]:
    """Return the record (None for a new one), its site and the plan it is looked at in; `NotFound` outside the organisation."""
    if name not in FORMS:
        raise NotFound
    row = find(g.connection, g.actor, name, record_id) if record_id is not None else None
    if name == "site":
        return row, read_tree(g.connection, g.actor, row["id"]) if row else None, _asked_plan() if row else None
    if name in ORGANISATION_WIDE:
        return row, None, None
    plan = find(g.connection, g.actor, "plan", row["plan_id"]) if row and "plan_id" in row else _asked_plan()
    if plan is None:
        raise NotFound
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    if row and "site_id" in row and row["site_id"] != tree.site["id"]:
        raise NotFound
    return row, tree, plan


def _asked_plan() -> PlanRow | None:
    """Return the plan the page that asks is showing."""
    plan_id = request.values.get("plan", type=int)
    return find(g.connection, g.actor, "plan", plan_id) if plan_id is not None else None


def _data(name: str, row: Row | None, tree: SiteTree | None, plan: PlanRow | None) -> dict[str, Any]:
    if row is not None:
        return FORMS[name].data_of(row)
    start = dict(STARTS[name])
    if name == "requirement" and request.args.get("profile"):
        start |= profile_values(g.connection, g.actor, request.args["profile"])
    if name == "supply" and tree and tree.requirements:
        start["requirement_id"] = tree.requirements[0]["id"]
    if name == "supply" and (generic := supply_type(request.args.get("generic", ""))) is not None:
        start |= {"name": generic.name, **generic.columns}
    if name == "load" and tree and plan:
        supplies = tree.supplies.get(plan["id"], [])
        start["supply_id"] = supplies[0]["id"] if len(supplies) == 1 else None
        if len(supplies) == 1:
            start["rail_v"] = rail_v_on(supplies[0])
        if request.args.get("device"):
            start |= load_of_device(g.connection, g.actor, request.args["device"])
    if name == "run" and tree:
        place = next((p["id"] for p in tree.places if p["key"] == request.args.get("place")), None)
        start |= {"place_id": place, "supply_key": request.args.get("supply", "")}
    if name == "point" and tree and plan:
        start["supply_id"] = next((s["id"] for s in tree.supplies.get(plan["id"], [])), None)
    return FORMS[name].data_of(start)


def _form(name: str, tree: SiteTree | None, plan: PlanRow | None, *, data: dict[str, Any] | None) -> RecordForm:
    form = FORMS[name](request.form if data is None else None, data=data)
    if isinstance(form, SupplyForm) and tree:
        form.requirement_id.choices = {str(r["id"]): r["name"] for r in tree.requirements}
    if isinstance(form, LoadForm) and tree and plan:
        form.supply.choices = {"": "unassigned"} | {str(s["id"]): s["name"] for s in tree.supplies.get(plan["id"], [])}
        form.selector.choices = {"": "none"} | {s["key"]: s["name"] for s in plan["selectors"]}
        form.place.choices = {"": "not said"} | {str(p["id"]): p["name"] for p in tree.places}
    if isinstance(form, RunForm) and tree and plan:
        form.place.choices = {str(p["id"]): p["name"] for p in tree.places}
        # A supply is the same in every plan by its key; it is named as this plan names it.
        everywhere = [s for p in tree.plans for s in tree.supplies.get(p["id"], [])]
        form.supply.choices = {s["key"]: s["name"] for s in [*everywhere, *tree.supplies.get(plan["id"], [])]}
    if isinstance(form, PointForm) and tree and plan:
        form.supply.choices = {str(s["id"]): s["name"] for s in tree.supplies.get(plan["id"], [])}
        others = [p for p in tree.placed_points(plan["id"]) if p["kind"] != "device"]
        form.parent.choices = {"": "nothing: it is the first"} | {str(p["id"]): p["name"] for p in others}
        form.load.choices = {"": "none"} | {str(r["id"]): r["name"] for r in tree.loads.get(plan["id"], [])}
    return form


def _save(name: str, form: RecordForm, row: Row | None, tree: SiteTree | None, plan: PlanRow | None) -> Row:
    columns = form.columns()
    if name in ORGANISATION_WIDE:
        if row is not None:
            return edit_shared(g.connection, g.actor, name, row["id"], _version(), columns)
        return create(g.connection, g.actor, name, {**columns, "key": None}, shared_keys(g.connection, g.actor, name))
    if row is not None:
        if isinstance(form, LoadForm):
            columns = form.keep_readings(columns, row)
        return edit(g.connection, g.actor, name, row["id"], _version(), columns)
    if name == "site":
        site = create(g.connection, g.actor, "site", columns)
        create(g.connection, g.actor, "plan", {"site_id": site["id"], "key": "as-found", "name": "As found", "stage": "as_found"})
        return site
    if tree is None or plan is None:
        raise NotFound
    parent = {"site_id": tree.site["id"]} if name in ("requirement", "place", "plan", "run") else {"plan_id": plan["id"]}
    taken = taken_keys(tree, name, plan["id"])
    return create(g.connection, g.actor, name, {**columns, **parent, "key": None}, taken)


def _version() -> int:
    return request.form.get("version", default=-1, type=int)


# -- answers ---------------------------------------------------------------------------------------------------------------------------


def _dialog(
    name: str,
    form: RecordForm,
    row: Row | None,
    plan: PlanRow | None,
    *,
    loose: list[str] | None = None,
    conflict: Any = None,
    questions: list[str] | None = None,
    status: int = 200,
) -> Any:
    address = url_for("records.save", name=name, record_id=row["id"] if row else None)
    html = render_template(
        "records/_form.html",
        form=form,
        name=name,
        row=row,
        plan=plan,
        address=address,
        loose=loose or [],
        conflict=conflict,
        questions=questions or [],
        version=row["version"] if row else 0,
        profiles=offered_profiles(g.connection, g.actor) if name == "requirement" and row is None else None,
        chosen=request.args.get("profile", ""),
    )
    return jsonify({"html": html}), status


def _stale(name: str, form: RecordForm, stale: StaleEdit, plan: PlanRow | None) -> Any:
    """Return the form with what was typed, and beside it what stands there now."""
    theirs = _form_like(form, FORMS[name].data_of(stale.current))
    differing = [
        (field.label.text, _shown(theirs[field.name]), _shown(field))
        for field in form
        if field.name in theirs
        and field.name not in ("bursts", "thermostats", "recharges", "ranges")
        and _shown(theirs[field.name]) != _shown(field)
    ]
    if isinstance(form, LoadForm):
        pairs = [burst_words(bursts) for bursts in (stale.current["bursts"], form.columns()["bursts"])]
        if pairs[0] != pairs[1]:
            differing.append(("Bursts", pairs[0], pairs[1]))
    conflict = {"who": stale.changed_by or "Somebody", "differing": differing}
    return _dialog(name, form, stale.current, plan, conflict=conflict, status=409)


def _form_like(form: RecordForm, data: dict[str, Any]) -> RecordForm:
    other = type(form)(None, data=data)
    for field in form:
        if hasattr(field, "choices") and field.name in other:
            other[field.name].choices = field.choices  # type: ignore[attr-defined]
    return other


def _shown(field: Any) -> str:
    if getattr(field, "choices", None):
        return field.choices.get(str(field.data), "")
    if field.type == "BooleanField":
        return "yes" if field.data else "no"
    return str(field._value())


def _done(name: str, row: Row, notice: str, *, undo: str | None = None, new: bool = False) -> Any:
    """Return what the page needs to follow: its regions, or where to go."""
    plan = _asked_plan() if request.values.get("plan") else None
    if not wants_json():
        flash(notice, "note")
        return redirect(url_for("plan.show", site_id=plan["site_id"], plan_key=plan["key"]) if plan else url_for("sites.index"))
    if name in ORGANISATION_WIDE:
        flash(notice, "note")
        return jsonify({"go": url_for("library.index")})
    if name == "plan" and undo:
        flash(notice, "note")
        return jsonify({"go": url_for("plan.show", site_id=row["site_id"])})
    if name == "site" and (new or plan is None or undo):
        if undo or not new:
            flash(notice, "note")
        if not new:
            return jsonify({"go": url_for("sites.index")})
        # The work begins with what must hold.
        first = read_tree(g.connection, g.actor, row["id"], frame=True).plans[0]
        return jsonify({"go": url_for("plan.brief", site_id=row["id"], plan_key=first["key"])})
    if plan is None:
        raise NotFound
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    return jsonify({"regions": regions(tree, plan, register=True), "notice": notice, "undo": undo})


def _refuse(message: str, status: int) -> Any:
    if wants_json():
        return jsonify({"message": message}), status
    flash(message, "error")
    return redirect(url_for("sites.index"))
