"""Bench a supply: one number a step, on a phone beside the bench; a verdict at the end, kept in the organisation's library."""

from typing import Any

from flask import Blueprint, flash, g, redirect, render_template, request, url_for

from ypomoni.actions.edit import find
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.lists import shared_of
from ypomoni.actions.power import bench_of, fit_bench, going_by_bench_count, keep_bench, measure_again
from ypomoni.core.measuring.supply_bench import judge_bench
from ypomoni.core.things.supply_kinds import SupplyKind
from ypomoni.core.things.supply_types import BASIS, SUPPLY_TYPES
from ypomoni.documents.quantities import show_quantity
from ypomoni.records.field import Row
from ypomoni.records.library import BenchRow
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.records.described import form_of
from ypomoni.web.security import signed_in

blueprint = Blueprint("bench", __name__, template_folder="templates", url_prefix="/sites/<int:site_id>/<plan_key>/bench")
BenchForm = form_of(BenchRow)
# What each step asks, and what is done there.
STEPS: tuple[tuple[tuple[str, ...], str, str], ...] = (
    (("name",), "What is on the bench?", "Write down what its label calls it."),
    (("chemistry", "cells_count"), "Its cell", "Look at the cell, not at the box. Do not open a sealed pack."),
    (("capacity_ah",), "What its cell holds", "It stands on the cell."),
    (("output_v",), "Its output", "Measure volts at the output with nothing on it."),
    (
        ("idle_current_a",),
        "What it draws idle",
        "Break the lead of the cell with the meter in series, smallest range last. Nothing on the output. Wait a minute.",
    ),
    (
        ("sleep_below_a",),
        "Does it sleep?",
        "Put a small load on the output and make it smaller until the output goes off. Leave it empty if it stays on.",
    ),
    (("sleep_after_s",), "After how long?", "Time it from the moment the load became that small. Leave it empty if it stays on."),
    (("wakes_on_load",), "Does a load wake it?", "With the output off, put the load back on, and look whether it comes by itself."),
    (
        ("cutoff_v",),
        "Where does it let go?",
        "Put a bench supply in place of the cell, current limit set, a load on the output. Turn it down slowly until the output goes off. Leave it empty if it never did.",
    ),
    (("tried_down_to_v",), "How far was it turned down?", "Not below what the cell may go to."),
    (
        ("passes_through",),
        "With the cell flat, what is at the output?",
        "Turn the bench supply down to nearly nothing, and measure volts at the output.",
    ),
)
CAUTION = (
    "A cell's short-circuit current burns, and lithium burns by itself once it is abused: fuse the lead, insulate tools, stay beside it, "
    "and never charge a cell that was drained below its limit."
)


@blueprint.get("")
@signed_in
def power_bench(site_id: int, plan_key: str) -> Any:
    """Show what was benched, and where the next one begins."""
    page = PlanPage.at(site_id, plan_key)
    rows = [
        (r, _verdict_of(r), going_by_bench_count(g.connection, g.actor, r["id"])) for r in shared_of(g.connection, g.actor, "bench_supply")
    ]
    supplies = [
        (s["id"], s["version"], s["name"]) for s in page.tree.supplies.get(page.plan["id"], []) if s["kind"] == SupplyKind.DC_UPS.value
    ]
    return render_template("power/bench.html", **_frame(page), benched=rows, supplies=supplies, types=SUPPLY_TYPES, basis=BASIS)


@blueprint.get("/new")
@signed_in
def first(site_id: int, plan_key: str) -> Any:
    """Show the first step."""
    return _step(PlanPage.at(site_id, plan_key), 0, BenchForm(None, data={"chemistry": "li_ion", "cells_count": 1}))


@blueprint.get("/<int:bench_id>/again")
@signed_in
def again(site_id: int, plan_key: str, bench_id: int) -> Any:
    """Show the first step of a supply that is measured again, with what was found before."""
    row = find(g.connection, g.actor, "bench_supply", bench_id)
    return _step(
        PlanPage.at(site_id, plan_key), 0, BenchForm(None, data=BenchForm.data_of(dict(row))), again=f"{row['id']}:{row['version']}"
    )


@blueprint.post("/new")
@signed_in
def follow(site_id: int, plan_key: str) -> Any:
    """Take the number of a step and show the next, or the verdict; what was typed before goes along."""
    page = PlanPage.at(site_id, plan_key)
    n = min(max(request.form.get("step", default=0, type=int), 0), len(STEPS) - 1)
    form = BenchForm(request.form)
    form.validate()
    if request.form.get("back"):
        return _step(page, max(0, n - 1), form)
    # Only what this step asks is looked at: what comes later is empty yet.
    if any(form[name].errors for name in STEPS[n][0]):
        return _step(page, n, form, faults=True), 422
    if n + 1 < len(STEPS) and not request.form.get("done"):
        return _step(page, n + 1, form)
    bad = next((m for m, (names, *_) in enumerate(STEPS) if any(form[name].errors for name in names)), None)
    if bad is not None:
        return _step(page, bad, form, faults=True), 422
    values = form.columns()
    verdict, findings = judge_bench(bench_of(values))
    if request.form.get("keep"):
        return _keep(page, form, values)
    return _verdict(page, form, verdict.value, findings)


def _keep(page: PlanPage, form: Any, values: Row) -> Any:
    """Keep what was measured: a new record, or one that was measured again with every supply that goes by it."""
    bench_id, _, version = request.form.get("again", "").partition(":")
    try:
        with g.connection.transaction():
            if bench_id.isdigit() and version.isdigit():
                kept, count = measure_again(g.connection, g.actor, int(bench_id), int(version), values)
                follows = f" {count} {'supply follows' if count == 1 else 'supplies follow'}." if count else ""
            else:
                kept, follows = keep_bench(g.connection, g.actor, values), ""
    except (Refused, StaleEdit) as error:
        who = getattr(error, "changed_by", "") or "Somebody"
        said = " ".join(f.message for f in error.faults) if isinstance(error, Refused) else f"{who} changed it meanwhile. Open it again."
        flash(said, "error")
        verdict, findings = judge_bench(bench_of(values))
        return _verdict(page, form, verdict.value, findings), 422
    flash(f"{kept['name']} is kept in the library.{follows}", "note")
    return redirect(url_for("bench.power_bench", site_id=page.tree.site["id"], plan_key=page.plan["key"]))


def _verdict(page: PlanPage, form: Any, verdict: str, findings: Any) -> Any:
    return render_template(
        "power/verdict.html",
        **_frame(page),
        form=form,
        verdict=verdict,
        word=_word(verdict),
        findings=findings,
        steps=STEPS,
        again=request.form.get("again", ""),
    )


@blueprint.post("/<int:bench_id>/fit")
@signed_in
def fit(site_id: int, plan_key: str, bench_id: int) -> Any:
    """Take what was measured into a DC UPS of the plan."""
    supply_id, _, version = request.form.get("supply", "").partition(":")
    if not supply_id.isdigit() or not version.isdigit():
        raise NotFound
    try:
        with g.connection.transaction():
            supply = fit_bench(g.connection, g.actor, bench_id, int(supply_id), int(version))
        flash(f"{supply['name']} now does what was measured on the bench.", "note")
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
    except StaleEdit as stale:
        flash(f"{stale.changed_by or 'Somebody'} changed that supply meanwhile. Look at it again.", "error")
    return redirect(url_for("bench.power_bench", site_id=site_id, plan_key=plan_key))


def _verdict_of(row: Row) -> dict[str, Any]:
    verdict, findings = judge_bench(bench_of(row))
    return {
        "verdict": verdict.value,
        "word": _word(verdict.value),
        "output": show_quantity(row["output_v"], "V"),
        "findings": [f.evidence for f in findings],
    }


def _word(verdict: str) -> str:
    return {"holds": "fit to use", "on_paper_only": "use with care", "unknown": "not tried in full", "unsafe": "unsafe"}[verdict]


def _step(page: PlanPage, n: int, form: Any, *, faults: bool = False, again: str = "") -> Any:
    names, title, what = STEPS[n]
    if not faults:
        for name in names:
            form[name].errors = ()
    return render_template(
        "power/step.html",
        **_frame(page),
        form=form,
        n=n,
        names=names,
        title=title,
        what=what,
        steps=STEPS,
        caution=CAUTION if n in (1, 4, 8) else "",
        again=again or request.form.get("again", ""),
    )


def _frame(page: PlanPage) -> dict[str, Any]:
    return {**page.values(FRAME), "stage": "power", "view": "bench.power_bench", "shown_supply": None}
