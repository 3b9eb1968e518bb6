"""Season: cuts that come again and again, windows of charge, the sun, cells that must last; tried, painted, brought in."""

import math
from typing import Any

from flask import Blueprint, flash, g, jsonify, redirect, render_template, request, url_for

from ypomoni.actions.drafts import drop_draft, find_draft, keep_draft
from ypomoni.actions.edit import find
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.seasons import SeasonAt, plan_season, save_history, save_week, season_at
from ypomoni.core.seasons.sun_geometry import sun_hours
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.documents.cut_history import CutHistory, HistoryError, read_cuts
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.pattern_lines import EXAMPLE, read_pattern
from ypomoni.documents.quantities import QuantityTextError
from ypomoni.records.field import Row
from ypomoni.web.endurance.season_page import kind_of, season_view, tried_of, turns_of, week_text
from ypomoni.web.endurance.start_page import start_view
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.security import signed_in

blueprint = Blueprint("season", __name__, template_folder="templates")
AT = "/sites/<int:site_id>/<plan_key>/season"
MOST_TEXT = 6_000_000
ASKED = ("bank", "charger", "panels", "load", "sendings", "active", "radio", "cells")
PANEL_CAUTION = (
    "A panel in the sun is live and cannot be switched off: cover it while you wire. Check polarity with a meter before anything is plugged in. "
    "A panel without a controller, or a diode the wrong way round, can ruin the battery and the device. Local codes come first."
)
CUTS_CAUTION = (
    "A generator or a vehicle charges indoors only with its exhaust led outside. Lithium is not charged below 0 °C. Local codes come first."
)


@blueprint.get(AT)
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Show what the season of a supply comes to."""
    page, plan, supply = _page(site_id, plan_key)
    return render_template("endurance/season.html", **_values(page, plan, supply))


def _values(page: PlanPage, plan: Plan, supply: Supply | None, text: str | None = None, fault: str = "") -> dict[str, Any]:
    frame = _frame(page, plan, supply)
    if supply is None:
        return {**frame, "view_of": None}
    result = next(s for s in page.result.supplies if s.key == supply.key)
    at = _rows(page, supply)
    shares = [s.name for s in plan.supplies if s.requirement.key == supply.requirement.key and s.key != supply.key]
    kind = kind_of(supply)
    return {
        **frame,
        "view_of": season_view(supply, plan.loads_on(supply.key), result, tried_of(supply, {})),
        "turns": turns_of(supply),
        "kind": kind,
        "at": at,
        "week": week_text(at.requirement, at.supply) if text is None else text,
        "fault": fault,
        "example": EXAMPLE,
        "shares": shares,
        "history_count": len(at.requirement["cuts_list"] or []),
        "caution": PANEL_CAUTION if kind == "sun" else CUTS_CAUTION if kind == "cuts" else "",
        "solar": supply.solar,
        "start": start_view(supply, plan.loads_on(supply.key), {}),
    }


@blueprint.get(f"{AT}/picture")
@signed_in
def picture(site_id: int, plan_key: str) -> Any:
    """Answer with the picture of what is tried, and the spans of a week that is being painted or typed."""
    page, plan, supply = _page(site_id, plan_key)
    if supply is None:
        raise NotFound
    result = next(s for s in page.result.supplies if s.key == supply.key)
    try:
        tried = tried_of(supply, request.args)
    except QuantityTextError as error:
        return jsonify({"message": str(error)}), 422
    view = season_view(supply, plan.loads_on(supply.key), result, tried)
    values = {"view_of": view, "site": page.tree.site, "plan": page.plan, "supply_key": supply.key, "asked": _asked()}
    html, facts = (render_template(f"endurance/_season_{part}.html", **values) for part in ("picture", "facts"))
    spans = [[s.day.value, s.start_h, s.duration_h] for s in (tried.pattern.week or ())] if tried.pattern else None
    return jsonify({"html": html, "facts": facts, "spans": spans})


@blueprint.get(f"{AT}/start")
@signed_in
def start(site_id: int, plan_key: str) -> Any:
    """Answer with what another cut-off costs and leaves for a start."""
    _, plan, supply = _page(site_id, plan_key)
    view = start_view(supply, plan.loads_on(supply.key), request.args) if supply else None
    if view is None:
        raise NotFound
    return jsonify({"html": render_template("endurance/_season_start.html", start=view)})


def _asked() -> dict[str, str]:
    return {name: request.values[name] for name in ASKED if request.values.get(name)}


@blueprint.post(f"{AT}/week")
@signed_in
def keep_week(site_id: int, plan_key: str) -> Any:
    """Keep the week that was painted or typed."""
    page, plan, supply = _page(site_id, plan_key)
    if supply is None:
        raise NotFound
    text = request.form.get("week", "")[:20_000]
    at = season_at(g.connection, g.actor, page.plan["id"], supply.key)
    try:
        week = read_pattern(text)
        with g.connection.transaction():
            save_week(g.connection, g.actor, at, request.form.get("version", default=-1, type=int), week or None)
        flash("The week is kept." if week else "No cuts are asked any more.", "note")
        return redirect(url_for("season.show", site_id=site_id, plan_key=plan_key, supply=supply.key))
    except QuantityTextError as error:
        fault = str(error)
    except StaleEdit as stale:
        fault = f"{stale.changed_by or 'Somebody'} changed it meanwhile. What you painted is still here: look, and save again."
    except Refused as refused:
        fault = " ".join(f.message for f in refused.faults)
    page, plan, supply = _page(site_id, plan_key)
    return render_template("endurance/season.html", **_values(page, plan, supply, text, fault)), 422


@blueprint.post(f"{AT}/plan")
@signed_in
def propose(site_id: int, plan_key: str) -> Any:
    """Make a proposal of what was tried, and go there."""
    page, _, supply = _page(site_id, plan_key)
    if supply is None:
        raise NotFound
    try:
        with g.connection.transaction():
            made = plan_season(g.connection, g.actor, page.plan["id"], supply.key, tried_of(supply, _asked()))
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
        return redirect(url_for("season.show", site_id=site_id, plan_key=plan_key, supply=supply.key))
    flash(f"{made['name']} has it. Its loads draw what they drew, and {page.plan['name']} stays as it is.", "note")
    return redirect(url_for("season.show", site_id=site_id, plan_key=made["key"], supply=supply.key))


@blueprint.get("/sun-hours")
@signed_in
def sun_hours_of() -> Any:
    """Answer with hours of full sun by month, from where a panel is and how it stands."""
    faults: list[str] = []
    latitude = _number("latitude", -90, 90, "The latitude", faults)
    tilt = _number("tilt", 0, 90, "The tilt", faults)
    facing = _number("facing", 0, 360, "Where it faces", faults)
    clearness = [_as_float(t) for t in request.args.get("clearness", "").replace(";", " ").split()]
    if len(clearness) != 12 or any(k is None or not 0 <= k <= 0.8 for k in clearness):
        faults.append("Clearness must be twelve numbers from 0 to 0.8, January first.")
    if faults:
        return jsonify({"message": " ".join(faults)}), 422
    hours = sun_hours(latitude, tilt, facing, tuple(k or 0.0 for k in clearness))
    said = "Hours of full sun a day, January first. Shade, snow and dirt are not in them."
    return jsonify({"hours": " ".join(f"{h:.2f}" for h in hours), "said": said})


def _as_float(text: str) -> float | None:
    try:
        value = float(text.replace(",", ".").replace("−", "-"))
    except ValueError:
        return None
    return value if math.isfinite(value) else None


def _number(name: str, least: float, most: float, said: str, faults: list[str]) -> float:
    value = _as_float(request.args.get(name, "").strip().rstrip("°").strip()[:20])
    if value is None or not least <= value <= most:
        faults.append(f"{said} must be from {least:g}° to {most:g}°.")
        return 0.0
    return value


# -- a history -------------------------------------------------------------------------------------------------------------------------


@blueprint.post(f"{AT}/history")
@signed_in
def bring(site_id: int, plan_key: str) -> Any:
    """Take a table of past cuts, as a file or as text, to look at before it is kept."""
    page, plan, supply = _page(site_id, plan_key)
    if supply is None:
        raise NotFound
    sent = request.files.get("file")
    name = (sent.filename or "") if sent else ""
    text = sent.read(MOST_TEXT).decode("utf-8-sig", "replace") if sent and name else request.form.get("text", "")[:MOST_TEXT]
    text = text.replace("\x00", "")
    try:
        read_cuts(text)
    except HistoryError as error:
        return render_template(
            "endurance/season.html", **_values(page, plan, supply), history_fault=str(error), history_text=text[:2000]
        ), 422
    body = {"text": text, "supply": supply.key, "is_history": True}
    draft_id = keep_draft(g.connection, g.actor, page.plan["id"], name[:200] or "What was pasted", body)
    return redirect(url_for("season.review", draft_id=draft_id))


@blueprint.route("/cuts/<int:draft_id>", methods=["GET", "POST"])
@signed_in
def review(draft_id: int) -> Any:
    """Show what was read of a history, ask what it does not say, and keep it."""
    draft = find_draft(g.connection, g.actor, draft_id)
    if draft is None or not draft["body"].get("is_history"):
        raise NotFound
    plan_row = find(g.connection, g.actor, "plan", draft["plan_id"])
    at = season_at(g.connection, g.actor, draft["plan_id"], draft["body"]["supply"])
    order, zone, fault = request.values.get("order", ""), request.values.get("zone", "").strip()[:60], ""
    try:
        history = read_cuts(draft["body"]["text"], order=order, zone=zone)
    except HistoryError as error:
        fault = str(error)
        history = read_cuts(draft["body"]["text"], order=order)
    if request.method == "POST" and not fault and history.is_ready and "keep" in request.form:
        try:
            with g.connection.transaction():
                save_history(g.connection, g.actor, at, request.form.get("version", default=-1, type=int), history.spans)
                drop_draft(g.connection, g.actor, draft_id)
            flash(f"{len(history.spans):,} cuts are kept and played as they were.", "note")
            return redirect(url_for("season.show", site_id=plan_row["site_id"], plan_key=plan_row["key"], supply=at.supply["key"]))
        except StaleEdit as stale:
            fault = f"{stale.changed_by or 'Somebody'} changed the requirement meanwhile. Look again, then keep it."
        except Refused as refused:
            fault = " ".join(f.message for f in refused.faults)
    return _review_page(plan_row, at, draft, history, {"order": order, "zone": zone, "fault": fault}), 422 if fault else 200


def _review_page(plan_row: Row, at: SeasonAt, draft: Row, history: CutHistory, asked: dict[str, str]) -> Any:
    page = PlanPage.at(plan_row["site_id"], plan_row["key"])
    plan = to_core_plan(page.site_file, plan_row["key"])
    supply = next((s for s in plan.supplies if s.key == at.supply["key"]), None)
    return render_template("endurance/season_review.html", **_frame(page, plan, supply), draft=draft, history=history, at=at, asked=asked)


def _page(site_id: int, plan_key: str) -> tuple[PlanPage, Plan, Supply | None]:
    page = PlanPage.at(site_id, plan_key)
    plan = to_core_plan(page.site_file, plan_key)
    asked = request.values.get("supply", "")
    by_key = {s.key: s for s in plan.supplies}
    with_season = next((s.key for s in page.result.supplies if s.cuts or s.solar or s.pattern_missing), None)
    key = asked if asked in by_key else with_season or page.result.weakest_supply or next(iter(by_key), "")
    return page, plan, by_key.get(key)


def _rows(page: PlanPage, supply: Supply) -> SeasonAt:
    row = next(s for s in page.tree.supplies[page.plan["id"]] if s["key"] == supply.key)
    requirement = next(r for r in page.tree.requirements if r["id"] == row["requirement_id"])
    return SeasonAt(supply=dict(row), requirement=dict(requirement))


def _frame(page: PlanPage, plan: Plan, supply: Supply | None) -> dict[str, Any]:
    verdicts = {s.key: s.verdict.value if s.verdict else "none" for s in page.result.supplies}
    key = supply.key if supply else ""
    return {
        **page.values(FRAME),
        "stage": "endurance",
        "view": "season.show",
        "tabs": [(s.key, s.name, verdicts.get(s.key, "none")) for s in plan.supplies],
        "supply_key": key,
        "shown_supply": key,
        "endpoint": "season.show",
    }
