"""Timed discharges: kept with their prediction, judged, and taken into the plan by one click."""

from datetime import UTC, datetime
from typing import Any

from flask import Blueprint, flash, g, redirect, render_template, request, url_for

from ypomoni.actions.discharge_runs import open_runs
from ypomoni.actions.discharge_tests import add_test, remove_test, take_condition
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.core.outage.testing import result_of_test
from ypomoni.core.telling.wording import say_percent
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.quantities import QuantityTextError, read_current, read_quantity
from ypomoni.documents.run_lines import read_duration_h
from ypomoni.records.kinds import TEMPERATURE, VOLTAGE, Kind
from ypomoni.records.words import DISCHARGE_END_WORDS
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.power.discharge_page import discharge_views
from ypomoni.web.security import signed_in

blueprint = Blueprint("discharge", __name__, template_folder="templates", url_prefix="/sites/<int:site_id>/<plan_key>/tests")
CAUTION = (
    "The site is weak while its battery is tested, and until it is back at 80 %. Warn the monitoring centre, and stand in: a second battery, "
    "or somebody on site. Stop at the end voltage: below it the battery is ruined. Never test a life-safety system unannounced."
)
MOST_SAMPLES_TEXT = 40_000


@blueprint.get("")
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Show the timed discharges of a supply's bank."""
    return show_tests(*tests_at(site_id, plan_key), texts={}, faults={})


def show_tests(
    page: PlanPage,
    plan: Plan,
    supply: Supply | None,
    *,
    texts: dict[str, str],
    faults: dict[str, str],
    begin_texts: dict[str, str] | None = None,
    begin_faults: dict[str, str] | None = None,
) -> Any:
    """Return the page of a supply's tests, with what was typed and what is wrong with it."""
    verdicts = {s.key: s.verdict.value if s.verdict else "none" for s in page.result.supplies}
    key = supply.key if supply else ""
    bank = supply.bank if supply else None
    usual = (
        {} if bank is None or supply is None else {"end_v": f"{supply.cutoff_v or bank.end_v:g} V", "degc": f"{supply.typical_degc:g} °C"}
    )
    frame = {
        **page.values(FRAME),
        "stage": "power",
        "view": "discharge.show",
        "endpoint": "discharge.show",
        "tabs": [(s.key, s.name, verdicts.get(s.key, "none")) for s in plan.supplies if s.bank is not None],
        "supply_key": key,
        "shown_supply": key,
        "is_pending": page.is_pending,
    }
    html = render_template(
        "power/tests.html",
        **frame,
        supply=supply,
        row=next((s for s in page.tree.supplies.get(page.plan["id"], []) if s["key"] == key), None),
        tests=discharge_views(plan, supply) if supply and bank else [],
        texts={**usual, **texts},
        running=next((r for r in open_runs(g.connection, g.actor, page.plan["id"]) if r["supply_key"] == key), None),
        begin_texts={**{f"run_{name}": text for name, text in usual.items()}, **(begin_texts or {})},
        begin_faults=begin_faults or {},
        faults=faults,
        ends=list(DISCHARGE_END_WORDS.items()),
        caution=CAUTION,
    )
    return (html, 422) if faults or begin_faults else html


@blueprint.post("")
@signed_in
def keep(site_id: int, plan_key: str) -> Any:
    """Keep a test that was timed."""
    page, plan, supply = tests_at(site_id, plan_key)
    if supply is None or supply.bank is None:
        raise NotFound
    texts = {name: request.form.get(name, "")[:MOST_SAMPLES_TEXT] for name in ("at", "degc", "current", "ran", "ended", "end_v", "samples")}
    faults: dict[str, str] = {}
    test = _read(texts, supply, faults)
    if not faults:
        try:
            with g.connection.transaction():
                add_test(g.connection, g.actor, page.plan["id"], request.form.get("version", default=-1, type=int), test)
            flash("The test is kept. It changes nothing until its condition is taken into the plan.", "note")
            return redirect(url_for("discharge.show", site_id=site_id, plan_key=plan_key, supply=supply.key))
        except StaleEdit as stale:
            faults[""] = f"{stale.changed_by or 'Somebody'} changed this plan meanwhile. Look at it again, then keep the test."
        except Refused as refused:
            faults[""] = " ".join(f.message for f in refused.faults)
        page, plan, supply = tests_at(site_id, plan_key)
    return show_tests(page, plan, supply, texts=texts, faults=faults)


def _read(texts: dict[str, str], supply: Supply, faults: dict[str, str]) -> dict[str, Any]:
    """Return a test as the site file has it; what cannot be read is told by field."""

    def number(name: str, kind: Kind) -> float | None:
        try:
            return read_quantity(texts[name], kind)
        except QuantityTextError as error:
            faults[name] = str(error)
            return None

    current_a = None
    if texts["current"].strip():
        try:
            current_a = read_current(texts["current"])[0]
        except QuantityTextError as error:
            faults["current"] = str(error)
    at = texts["at"].strip()
    try:
        moment = datetime.fromisoformat(at) if at else datetime.now(UTC)
    except ValueError:
        faults["at"] = "must be a day and time, as in 2026-03-04 09:00."
        moment = datetime.now(UTC)
    if moment.tzinfo is None:
        moment = moment.replace(tzinfo=UTC)
    samples = _samples(texts["samples"], faults)
    if current_a is None and "current" not in faults and not any(s["a"] for s in samples):
        faults["current"] = "must not be empty, unless amperes were read on the way."
    if texts["ended"] not in DISCHARGE_END_WORDS:
        faults["ended"] = "must be one of those offered."
    ran_h = None
    try:
        ran_h = read_duration_h(texts["ran"])
    except QuantityTextError as error:
        faults["ran"] = str(error)
    full_v = supply.bank.full_v if supply.bank else 0.0
    end_v = number("end_v", VOLTAGE)
    if end_v is not None and end_v >= full_v:
        faults["end_v"] = f"must be below what this battery shows full and at rest, {full_v:.4g} V, was {end_v:g} V."
    if ran_h is not None and ran_h <= 0:
        faults["ran"] = "must be above 0 h."
    if ran_h is not None and any((s["t_h"] or 0.0) > ran_h for s in samples):
        faults["samples"] = "has a line after the end of the test."
    return {
        "supply": supply.key,
        "at": moment.isoformat(timespec="seconds"),
        "temperature_degc": number("degc", TEMPERATURE),
        "current_a": current_a,
        "ran_h": ran_h,
        "ended": texts["ended"],
        "end_v": end_v,
        "samples": samples,
    }


def _samples(text: str, faults: dict[str, str]) -> list[dict[str, float | None]]:
    """Return what was read on the way: a line for each instant, its time, volts, and amperes where they were read."""
    found: list[dict[str, float | None]] = []
    for n, line in enumerate(text.splitlines(), 1):
        parts = [p.strip() for p in line.replace("\t", ";").split(";") if p.strip()]
        if not parts:
            continue
        try:
            t_h = read_duration_h(parts[0])
            v = read_quantity(parts[1], VOLTAGE) if len(parts) > 1 else None
            a = read_current(parts[2])[0] if len(parts) > 2 else None
        except QuantityTextError as error:
            faults["samples"] = f"Line {n}, “{line[:40]}”, {error}"
            break
        found.append({"t_h": t_h, "v": v, "a": a})
    return found


@blueprint.post("/<key>/take")
@signed_in
def take(site_id: int, plan_key: str, key: str) -> Any:
    """Let the plan go by the condition that a test found."""
    page, plan, _ = tests_at(site_id, plan_key)
    test = next((t for t in plan.tests if t.key == key), None)
    supply = next((s for s in plan.supplies if test and s.key == test.supply_key), None)
    row = next((s for s in page.tree.supplies.get(page.plan["id"], []) if supply and s["key"] == supply.key), None)
    if test is None or supply is None or row is None:
        raise NotFound
    told = result_of_test(supply, test)
    if told.condition_ratio is None or told.is_lower_bound:
        flash("This test gives no condition to go by.", "error")
    else:
        try:
            with g.connection.transaction():
                take_condition(
                    g.connection, g.actor, row["id"], request.form.get("version", default=-1, type=int), min(told.condition_ratio, 1.05)
                )
            flash(f"{supply.name} now goes by {say_percent(told.condition_ratio)} of its rated capacity. Undo it in the history.", "note")
        except StaleEdit as stale:
            flash(f"{stale.changed_by or 'Somebody'} changed this supply meanwhile. Look at it again.", "error")
        except Refused as refused:
            flash(" ".join(f.message for f in refused.faults), "error")
    return redirect(url_for("discharge.show", site_id=site_id, plan_key=plan_key, supply=supply.key))


@blueprint.post("/<key>/remove")
@signed_in
def remove(site_id: int, plan_key: str, key: str) -> Any:
    """Take a test out of the plan."""
    page, plan, _ = tests_at(site_id, plan_key)
    supply_key = next((t.supply_key for t in plan.tests if t.key == key), "")
    try:
        with g.connection.transaction():
            remove_test(g.connection, g.actor, page.plan["id"], request.form.get("version", default=-1, type=int), key)
        flash("The test is taken out. The history brings it back.", "note")
    except StaleEdit as stale:
        flash(f"{stale.changed_by or 'Somebody'} changed this plan meanwhile. Look at it again.", "error")
    return redirect(url_for("discharge.show", site_id=site_id, plan_key=plan_key, supply=supply_key))


def tests_at(site_id: int, plan_key: str) -> tuple[PlanPage, Plan, Supply | None]:
    """Return the page, the plan, and the supply that is asked for, or the first that was tested or has a battery."""
    page = PlanPage.at(site_id, plan_key)
    plan = to_core_plan(page.site_file, plan_key)
    asked = request.values.get("supply", "")
    with_bank = [s for s in plan.supplies if s.bank is not None]
    tested = {t.supply_key for t in plan.tests}
    supply = next((s for s in with_bank if s.key == asked), None) or next((s for s in with_bank if s.key in tested), None)
    return page, plan, supply or next(iter(with_bank), None)
