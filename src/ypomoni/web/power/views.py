"""Power: UPS or direct DC, the timed runs of a UPS, supplies that back each other up."""

from typing import Any

from flask import Blueprint, flash, g, jsonify, redirect, render_template, request, url_for

from ypomoni.actions.edit import find, read_tree
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.power import SelectorValues, plan_way, remove_selector, save_runs, save_selector
from ypomoni.core.outage.case import hindrance_of
from ypomoni.core.things.supplies import Plan
from ypomoni.core.things.supply_kinds import SupplyKind
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.run_lines import read_run_lines
from ypomoni.records.nesting import part_of_row
from ypomoni.records.site import SELECTOR_NESTS, PlanRow, SelectorRow
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.power.page import backup_view, power_view, timed_view
from ypomoni.web.records.described import part_form_of
from ypomoni.web.security import signed_in

blueprint = Blueprint("power", __name__, template_folder="templates")
AT = "/sites/<int:site_id>/<plan_key>"
MOST_TEXT = 400_000
CAUTION = (
    "Before anything is timed: warn the monitoring centre, and never take a life-safety system off line unannounced. "
    "A UPS holds mains voltage on its output with the mains gone. Local codes come first."
)


@blueprint.get(f"{AT}/power")
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Show the ways to feed the loads of a supply side by side."""
    page, plan, key = _page(site_id, plan_key)
    supply = next((s for s in plan.supplies if s.key == key), None)
    result = next((s for s in page.result.supplies if s.key == key), None)
    view = power_view(plan, supply, result) if supply and result else None
    missing = supply is not None and hindrance_of(supply, plan.loads_on(key)) is not None
    return render_template("power/show.html", **_frame(page, plan, key, "power.show"), power=view, missing=missing, row=_row(page, key))


@blueprint.post(f"{AT}/power/way")
@signed_in
def propose(site_id: int, plan_key: str) -> Any:
    """Make a proposal plan of a way, and go there."""
    page = PlanPage.at(site_id, plan_key)
    key = request.form.get("supply", "")
    try:
        with g.connection.transaction():
            made, way = plan_way(g.connection, g.actor, page.plan["id"], key, request.form.get("way", ""))
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
        return redirect(url_for("power.show", site_id=site_id, plan_key=plan_key, supply=key))
    flash(f"{made['name']} feeds these loads from: {way.name}. {page.plan['name']} stays as it is.", "note")
    return redirect(url_for("plan.show", site_id=site_id, plan_key=made["key"]))


@blueprint.get(f"{AT}/power/runs")
@signed_in
def timed(site_id: int, plan_key: str) -> Any:
    """Show the timed runs of a UPS on its curve, and what they say."""
    return _timed(*_page(site_id, plan_key))


def _timed(page: PlanPage, plan: Plan, key: str, text: str | None = None, faults: list[str] | None = None) -> Any:
    chosen = next((s for s in plan.supplies if s.key == key and s.of_kind.is_inverter), None)
    chosen = chosen or next((s for s in plan.supplies if s.of_kind.is_inverter), None)
    result = next((s for s in page.result.supplies if chosen and s.key == chosen.key), None)
    view = timed_view(plan, chosen, result) if chosen and result else None
    ups = {s.key for s in plan.supplies if s.of_kind.is_inverter}
    frame = _frame(page, plan, chosen.key if chosen else "", "power.timed", only=ups)
    row = _row(page, chosen.key) if chosen else None
    said = view.text if view and text is None else text
    html = render_template("power/runs.html", **frame, timed=view, row=row, text=said or "", faults=faults or [], caution=CAUTION)
    return (html, 422) if faults else html


@blueprint.post(f"{AT}/power/runs")
@signed_in
def keep_runs(site_id: int, plan_key: str) -> Any:
    """Keep the runs that were typed, or read from a log."""
    page, plan, _ = _page(site_id, plan_key)
    key = request.form.get("supply", "")
    row = _row(page, key)
    if row is None:
        raise NotFound
    sent = request.files.get("log")
    text = sent.read(MOST_TEXT).decode("utf-8", "replace") if sent and sent.filename else request.form.get("runs", "")[:MOST_TEXT]
    runs, unread = read_run_lines(text)
    faults = [f"Line {u.line}, “{u.text}”, {u.message}" for u in unread[:6]]
    if sent and sent.filename and not faults:
        # A log is one run more, beside those that are there.
        before, _ = read_run_lines(request.form.get("runs", "")[:MOST_TEXT])
        runs = [*before, *runs]
    if not faults:
        try:
            with g.connection.transaction():
                save_runs(g.connection, g.actor, row["id"], request.form.get("version", default=-1, type=int), runs)
            flash(f"{len(runs)} timed {'run is' if len(runs) == 1 else 'runs are'} kept.", "note")
            return redirect(url_for("power.timed", site_id=site_id, plan_key=plan_key, supply=key))
        except StaleEdit as stale:
            faults = [f"{stale.changed_by or 'Somebody'} changed this supply meanwhile. Look at the runs again, then save again."]
        except Refused as refused:
            faults = [f.message[0].upper() + f.message[1:] for f in refused.faults]
    page, plan, _ = _page(site_id, plan_key)
    return _timed(page, plan, key, request.form.get("runs", ""), faults)


@blueprint.get(f"{AT}/power/backup")
@signed_in
def backup(site_id: int, plan_key: str) -> Any:
    """Show the supplies that back each other up, played."""
    page, plan, key = _page(site_id, plan_key)
    views = [backup_view(plan, s) for s in page.result.selectors]
    return render_template("power/backup.html", **_frame(page, plan, key, "power.backup", only=set()), selectors=views, plan_core=plan)


SelectorForm = part_form_of(SelectorRow)
NEW: dict[str, Any] = {"mode": "first_present", "inputs": []}


@blueprint.get("/plans/<int:plan_id>/selectors/<key>")
@signed_in
def edit_selector(plan_id: int, key: str) -> Any:
    """Show the form of a selector; ``new`` is a new one."""
    plan, part, loads = _selector_at(plan_id, key)
    return _selector_sheet(plan, key, _selector_data(part), part["inputs"], {e["key"] for e in loads if e["selector_key"] == key}, {})


@blueprint.post("/plans/<int:plan_id>/selectors/<key>")
@signed_in
def keep_selector(plan_id: int, key: str) -> Any:
    """Save a selector with what hangs on it."""
    plan, part, _ = _selector_at(plan_id, key)
    form = SelectorForm(request.form)
    inputs = [k for k in (request.form.get(f"input-{n}", "") for n in range(4)) if k]
    feeds = frozenset(request.form.getlist("feeds"))
    faults: dict[str, list[str]] = {}
    if not form.validate():
        faults = {f.name: list(f.errors) for f in form if f.errors}
    if not (form.name.data or "").strip():
        faults["name"] = ["must not be empty: as in Camera feed."]
    if len(inputs) < 2:
        faults["inputs"] = ["needs two inputs at least: with one there is nothing to choose."]
    elif len(set(inputs)) < len(inputs):
        faults["inputs"] = ["names a supply twice: each is one input."]
    if form.mode.data == "first_present" and form.switch_below_v.data is None and "switch_below_v" not in faults:
        faults["switch_below_v"] = ["must not be empty: the voltage below which it changes over, as in 3.5 V."]
    if not faults:
        row = {c: v for c, v in form.columns().items() if c != "inputs"} | {"inputs": inputs, "key": ""}
        made = part_of_row(SelectorRow, row, SELECTOR_NESTS)
        values = SelectorValues(key="" if key == "new" else key, part={**part, **made}, load_keys=feeds)
        try:
            with g.connection.transaction():
                save_selector(g.connection, g.actor, plan_id, request.form.get("version", default=-1, type=int), values)
            return _go(plan, f"{form.name.data} is saved.")
        except StaleEdit as stale:
            faults = {"": [f"{stale.changed_by or 'Somebody'} changed this plan meanwhile. Close this, and look at it again."]}
        except Refused as refused:
            faults = {"": [f.message[0].upper() + f.message[1:] for f in refused.faults]}
    return _selector_sheet(plan, key, {}, inputs, feeds, faults), 422


@blueprint.post("/plans/<int:plan_id>/selectors/<key>/remove")
@signed_in
def drop_selector(plan_id: int, key: str) -> Any:
    """Take a selector out; its loads wait unassigned."""
    plan, part, _ = _selector_at(plan_id, key)
    try:
        with g.connection.transaction():
            remove_selector(g.connection, g.actor, plan_id, plan["version"], key)
    except (Refused, StaleEdit):
        return jsonify({"message": "It was changed meanwhile, so it was not removed."}), 409
    return _go(plan, f"{part['name']} is removed. Its loads wait unassigned.")


def _go(plan: PlanRow, notice: str) -> Any:
    flash(notice, "note")
    return jsonify({"go": url_for("power.backup", site_id=plan["site_id"], plan_key=plan["key"])})


def _selector_at(plan_id: int, key: str) -> tuple[PlanRow, dict[str, Any], list[Any]]:
    plan = find(g.connection, g.actor, "plan", plan_id)
    loads = read_tree(g.connection, g.actor, plan["site_id"]).loads.get(plan_id, [])
    if key == "new":
        return plan, dict(NEW), loads
    part = next((s for s in plan["selectors"] if s["key"] == key), None)
    if part is None:
        raise NotFound
    return plan, part, loads


def _selector_data(part: dict[str, Any]) -> dict[str, Any]:
    gauge = part.get("gauge") or {}
    return {**part, "gauge_full_v": gauge.get("full_v"), "gauge_empty_v": gauge.get("empty_v")}


def _selector_sheet(plan: PlanRow, key: str, data: dict[str, Any], inputs: list[str], feeds: Any, faults: dict[str, list[str]]) -> Any:
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    form = SelectorForm(request.form if faults else None, data=data)
    if faults:
        for name, messages in faults.items():
            if name in form:
                form[name].errors = messages
    supplies = [(s["key"], s["name"]) for s in tree.supplies.get(plan["id"], []) if s["kind"] != SupplyKind.AC_UPS.value]
    loads = [(e["key"], e["name"], e["key"] in feeds) for e in tree.loads.get(plan["id"], [])]
    html = render_template(
        "power/_selector_form.html",
        form=form,
        plan=plan,
        key=key,
        inputs=[*inputs, *[""] * (4 - len(inputs))][:4],
        supplies=supplies,
        loads=loads,
        loose=[m for n, ms in faults.items() if n in ("", "inputs") for m in ms],
    )
    return jsonify({"html": html})


def _page(site_id: int, plan_key: str) -> tuple[PlanPage, Plan, str]:
    page = PlanPage.at(site_id, plan_key)
    plan = to_core_plan(page.site_file, plan_key)
    asked = request.values.get("supply", "")
    ups = next((s.key for s in plan.supplies if s.of_kind.is_inverter), None)
    key = (
        asked if asked in {s.key for s in plan.supplies} else ups or page.result.weakest_supply or next((s.key for s in plan.supplies), "")
    )
    return page, plan, key


def _row(page: PlanPage, key: str) -> Any:
    return next((s for s in page.tree.supplies.get(page.plan["id"], []) if s["key"] == key), None)


def _frame(page: PlanPage, plan: Plan, key: str, view: str, *, only: set[str] | None = None) -> dict[str, Any]:
    verdicts = {s.key: s.verdict.value if s.verdict else "none" for s in page.result.supplies}
    tabs = [(s.key, s.name, verdicts.get(s.key, "none")) for s in plan.supplies if only is None or s.key in only]
    return {
        **page.values(FRAME),
        "stage": "power",
        "view": view,
        "tabs": tabs,
        "supply_key": key,
        "shown_supply": key,
        "endpoint": view,
        "is_pending": page.is_pending,
    }
