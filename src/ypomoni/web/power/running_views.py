"""A discharge that is timed while it runs: begun with its prediction, read by hand or by an electronic load, ended safely, kept as a test."""

from datetime import UTC, datetime, timedelta
from typing import Any

from flask import Blueprint, current_app, flash, g, jsonify, redirect, render_template, request, url_for

from ypomoni.actions.discharge_runs import (
    RunReading,
    begin_run,
    end_run,
    find_run,
    give_up_run,
    keep_run_reading,
    readings_of_run,
    recording_of,
)
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.recordings import Wanted, begin_recording, stop_recording
from ypomoni.core.evaluation.foreseeing import foresee_discharge
from ypomoni.core.telling.results import Band
from ypomoni.core.telling.wording import say_amps, say_hours, say_hours_up, say_range, say_volts
from ypomoni.documents.quantities import QuantityTextError, read_current, read_quantity
from ypomoni.instruments.protocol import MeterKind
from ypomoni.records.field import Row
from ypomoni.records.kinds import TEMPERATURE, VOLTAGE
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.power.discharge_page import chart_discharge
from ypomoni.web.power.discharge_views import CAUTION, show_tests, tests_at
from ypomoni.web.security import signed_in, wants_json

blueprint = Blueprint("running", __name__, template_folder="templates", url_prefix="/sites/<int:site_id>/<plan_key>/tests/running")
METER_INTERVAL_S = 1.0
# From so near the end voltage on one stays beside it. [share of the end voltage]
NEAR_RATIO = 0.02
STAND_IN = (
    "Until then a cut finds it weak: stand in with a second charged battery of the same kind joined by a competent person, "
    "with a watch on site, or by doing one supply after another."
)
UNATTENDED = "If this computer fails nobody stops the load: set its own switch-off voltage as well, and do not leave it alone."


@blueprint.post("")
@signed_in
def begin(site_id: int, plan_key: str) -> Any:
    """Fix the prediction and begin."""
    page, plan, supply = tests_at(site_id, plan_key)
    if supply is None or supply.bank is None:
        raise NotFound
    texts = {name: request.form.get(name, "").strip()[:200] for name in ("run_degc", "run_current", "run_end_v", "run_meter")}
    faults: dict[str, str] = {}
    degc = _number(texts, "run_degc", TEMPERATURE, faults)
    end_v = _number(texts, "run_end_v", VOLTAGE, faults)
    current_a = None
    if texts["run_current"]:
        try:
            current_a = read_current(texts["run_current"])[0]
        except QuantityTextError as error:
            faults["run_current"] = str(error)
        if current_a is not None and current_a <= 0:
            faults["run_current"] = "must be above 0 A."
    elif texts["run_meter"]:
        faults["run_current"] = "must not be empty for an electronic load: as in 0.9 A."
    full_v = supply.bank.full_v
    if end_v is not None and end_v >= full_v:
        faults["run_end_v"] = f"must be below what this battery shows full and at rest, {full_v:.4g} V, was {end_v:g} V."
    limit_v = (supply.bank.chemistry.cell_limit_v or 0.0) * supply.bank.cells_in_series_count
    if end_v is not None and end_v < 0.99 * limit_v:
        faults["run_end_v"] = f"must be at least {limit_v:.4g} V: below it this battery is ruined."
    if not faults and degc is not None and end_v is not None:
        foreseen = foresee_discharge(supply, plan.loads_on(supply.key), temperature_degc=degc, current_a=current_a, end_v=end_v)
        if foreseen is None:
            faults[""] = "This discharge cannot be foreseen: nothing draws, or the temperature is outside what is known of this battery."
        else:
            try:
                with g.connection.transaction():
                    run = begin_run(
                        g.connection,
                        g.actor,
                        page.plan["id"],
                        supply.key,
                        foreseen,
                        temperature_degc=degc,
                        current_a=current_a,
                        end_v=end_v,
                    )
                    if texts["run_meter"]:
                        _connect(run, supply.name, texts["run_meter"], current_a or 0.0, end_v)
                return redirect(url_for("running.show", site_id=site_id, plan_key=plan_key, run_id=run["id"]))
            except Refused as refused:
                faults |= {"run_meter" if f.path == "address" else "": f.message for f in refused.faults}
    return show_tests(page, plan, supply, texts={}, faults={}, begin_texts=texts, begin_faults=faults)


def _number(texts: dict[str, str], name: str, kind: Any, faults: dict[str, str]) -> float | None:
    try:
        return read_quantity(texts[name], kind)
    except QuantityTextError as error:
        faults[name] = str(error)
        return None


def _connect(run: Row, name: str, address: str, current_a: float, end_v: float) -> None:
    wanted = Wanted(
        name=f"Discharge of {name}"[:80],
        address=address,
        kind=MeterKind.ELECTRONIC_LOAD,
        interval_s=METER_INTERVAL_S,
        load_a=current_a,
        end_v=end_v,
        run_id=run["id"],
    )
    begin_recording(g.connection, g.actor, wanted, current_app.config["METERS"])


@blueprint.get("/<int:run_id>")
@signed_in
def show(site_id: int, plan_key: str, run_id: int) -> Any:
    """Show how it goes beside what was foreseen."""
    return _page(PlanPage.at(site_id, plan_key), run_id, {}, {})


def _page(page: PlanPage, run_id: int, texts: dict[str, str], faults: dict[str, str]) -> Any:
    run = find_run(g.connection, g.actor, page.plan["id"], run_id)
    if run["ended_at"] is not None:
        return redirect(url_for("discharge.show", site_id=page.tree.site["id"], plan_key=page.plan["key"], supply=run["supply_key"]))
    recording = recording_of(g.connection, g.actor, run_id)
    readings = readings_of_run(g.connection, g.actor, run)
    predicted = run["predicted"]
    band = Band(low=predicted["low"], expected=predicted["expected"], high=predicted["high"])
    volts = [(r.t_h, r.terminal_v) for r in readings if r.terminal_v is not None]
    supply = next((s for s in page.tree.supplies.get(page.plan["id"], []) if s["key"] == run["supply_key"]), None)
    now = datetime.now(UTC)
    weak_h = predicted["weak_h"]
    html = render_template(
        "power/running.html",
        **{**page.values(FRAME), "stage": "power", "view": "discharge.show", "shown_supply": run["supply_key"]},
        run=run,
        supply_name=supply["name"] if supply else run["supply_key"],
        recording=recording,
        live=recording is not None and recording["state"] == "running",
        chart=chart_discharge([(t, v) for t, v in predicted["volts"]], band, run["end_v"], volts, None),
        how=f"{say_amps(run['mean_a'])} on average, by its own loads" if run["current_a"] is None else say_amps(run["current_a"]),
        foreseen=f"{say_hours(band.expected)}, {say_range(band.low, band.high)}",
        ends=f"{run['begun_at'] + timedelta(hours=band.low):%d %b %H:%M} to {run['begun_at'] + timedelta(hours=band.high):%d %b %H:%M} UTC",
        runs_for=say_hours((now - run["begun_at"]).total_seconds() / 3600.0),
        last=_last(readings),
        alarm=_alarm(run, volts, recording),
        near=bool(volts) and volts[-1][1] <= (1 + NEAR_RATIO) * run["end_v"],
        weak="" if weak_h is None else f"After it the recharge to 80 % takes about {say_hours_up(weak_h)}. {STAND_IN}",
        readings=[
            (say_hours(r.t_h), say_volts(r.terminal_v) if r.terminal_v else "", say_amps(r.current_a) if r.current_a else "")
            for r in readings[-12:]
        ],
        caution=CAUTION + (f" {UNATTENDED}" if recording is not None else ""),
        texts=texts,
        faults=faults,
    )
    return (html, 422) if faults else html


def _last(readings: list[RunReading]) -> str:
    if not readings:
        return ""
    last = readings[-1]
    return f"{say_volts(last.terminal_v)} after {say_hours(last.t_h)}" if last.terminal_v is not None else ""


def _alarm(run: Row, volts: list[tuple[float, float]], recording: Row | None) -> str:
    """Return what is cried out, or nothing: the end voltage, or a load that is no longer read."""
    if volts and volts[-1][1] <= run["end_v"]:
        by = "The load was switched off." if recording is not None and recording["state"] == "ended" else "Stop the discharge now."
        return f"{say_volts(volts[-1][1])}: the end voltage is reached. {by}"
    if recording is not None and recording["state"] in ("lost", "refused"):
        return f"The load is no longer read: {recording['said']} Look at it now."
    return ""


@blueprint.post("/<int:run_id>/readings")
@signed_in
def keep_reading(site_id: int, plan_key: str, run_id: int) -> Any:
    """Keep what was read by hand, once however often it is sent."""
    page = PlanPage.at(site_id, plan_key)
    run = find_run(g.connection, g.actor, page.plan["id"], run_id)
    texts = {name: request.form.get(name, "").strip()[:60] for name in ("volts", "current")}
    faults: dict[str, str] = {}
    volts = _number(texts, "volts", VOLTAGE, faults)
    current_a = None
    if texts["current"]:
        try:
            current_a = read_current(texts["current"])[0]
        except QuantityTextError as error:
            faults["current"] = str(error)
    token = request.form.get("token", "")[:80] or g.actor.batch or ""
    message = ""
    if not faults:
        try:
            with g.connection.transaction():
                keep_run_reading(g.connection, g.actor, run, token, _read_at(), volts, current_a)
        except Refused as refused:
            message = " ".join(f.message for f in refused.faults)
    if wants_json():
        here = url_for("running.show", site_id=site_id, plan_key=plan_key, run_id=run_id)
        good = {"words": f"{say_volts(volts or 0.0)} is kept.", "go": here}
        return jsonify(good) if not faults and not message else (jsonify({"faults": faults, "message": message}), 422)
    if message:
        flash(message, "error")
    return (
        _page(page, run_id, texts, faults)
        if faults
        else redirect(url_for("running.show", site_id=site_id, plan_key=plan_key, run_id=run_id))
    )


def _read_at() -> datetime:
    """Return when it was read: as the phone says that kept it, or now."""
    try:
        said = datetime.fromisoformat(request.form.get("read_at", "").replace("Z", "+00:00"))
    except ValueError:
        return datetime.now(UTC)
    return said if said.tzinfo is not None else datetime.now(UTC)


@blueprint.post("/<int:run_id>/end")
@signed_in
def end(site_id: int, plan_key: str, run_id: int) -> Any:
    """End it and keep it as a test of the plan."""
    page = PlanPage.at(site_id, plan_key)
    run = find_run(g.connection, g.actor, page.plan["id"], run_id)
    try:
        with g.connection.transaction():
            end_run(g.connection, g.actor, run, request.form.get("version", default=-1, type=int))
        weak_h = run["predicted"]["weak_h"]
        until = (
            ""
            if weak_h is None
            else f" The site is weak until about {datetime.now(UTC) + timedelta(hours=weak_h):%d %b %H:%M} UTC: stand in meanwhile."
        )
        flash(f"The test is kept. Put the battery back on its charger now.{until}", "note")
        return redirect(url_for("discharge.show", site_id=site_id, plan_key=plan_key, supply=run["supply_key"]))
    except Refused as refused:
        said = " ".join(f.message for f in refused.faults)
        flash(f"The battery's voltage {said}" if refused.faults[0].path == "volts" else said, "error")
    except StaleEdit as stale:
        flash(f"{stale.changed_by or 'Somebody'} changed this plan meanwhile. Look at it again, then end the test.", "error")
    return redirect(url_for("running.show", site_id=site_id, plan_key=plan_key, run_id=run_id))


@blueprint.post("/<int:run_id>/stop")
@signed_in
def stop(site_id: int, plan_key: str, run_id: int) -> Any:
    """Switch the load off; the run stays open until it is kept or given up."""
    page = PlanPage.at(site_id, plan_key)
    run = find_run(g.connection, g.actor, page.plan["id"], run_id)
    recording = recording_of(g.connection, g.actor, run["id"])
    if recording is not None:
        stop_recording(g.connection, g.actor, recording["id"])
        flash("The load is switched off with its next reading. Look that it is.", "note")
    return redirect(url_for("running.show", site_id=site_id, plan_key=plan_key, run_id=run_id))


@blueprint.post("/<int:run_id>/give-up")
@signed_in
def give_up(site_id: int, plan_key: str, run_id: int) -> Any:
    """End it without keeping it."""
    page = PlanPage.at(site_id, plan_key)
    run = find_run(g.connection, g.actor, page.plan["id"], run_id)
    try:
        with g.connection.transaction():
            give_up_run(g.connection, g.actor, run)
        flash("The test is given up. Put the battery back on its charger now.", "note")
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
    return redirect(url_for("discharge.show", site_id=site_id, plan_key=plan_key, supply=run["supply_key"]))
