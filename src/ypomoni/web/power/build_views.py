"""Build: the bank with its wiring, the charger with its set-up sheet, the parts list of a plan."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any
from urllib.parse import urlencode

from flask import Blueprint, Response, flash, g, jsonify, redirect, render_template, request, url_for

from ypomoni.actions.build import keep_set_up, plan_bank, save_blocks, set_up_readings
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.core.evaluation.building import bank_ways, protect, without_block
from ypomoni.core.evaluation.figures import compute_figures
from ypomoni.core.evaluation.living import with_new_bank
from ypomoni.core.evaluation.parts import parts_of
from ypomoni.core.evaluation.recommending import judge_figures
from ypomoni.core.evaluation.set_up import SetUpSheet, StepKind, Told, sheet_of
from ypomoni.core.evaluation.two_banks import switch_positions
from ypomoni.core.outage.case import hindrance_of
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_hours_up, say_range, say_required_h, say_volts
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.supplies import Plan, Stage, Supply
from ypomoni.core.wiring.mixing import most_rest_v
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.quantities import QuantityTextError, read_quantity
from ypomoni.documents.tables import write_csv, write_workbook
from ypomoni.records.kinds import VOLTAGE
from ypomoni.web.plan.figures import open_steps, say_exactly, symbol_of
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.power.block_form import TypedBlocks, read_blocks
from ypomoni.web.power.build_page import (
    blocks_view,
    charger_view,
    drop_rows,
    part_table,
    position_rows,
    protection_rows,
    way_key,
    way_rows,
    wiring_view,
)
from ypomoni.web.power.laying_out import LaidOut, bank_of, change, laid_out_of, lay_out, read_laid_out
from ypomoni.web.power.set_up_form import DIODE_WORDS, MAKE_WORDS, read_at_step, read_set_up
from ypomoni.web.security import signed_in
from ypomoni.web.words import VERDICT_WORDS

blueprint = Blueprint("build", __name__, template_folder="templates", url_prefix="/sites/<int:site_id>/<plan_key>/build")
LONGEST_TRIED = 600
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
CAUTION = (
    "A battery's short-circuit current burns and throws metal: insulated tools, rings off, eyes covered. "
    "Warn the monitoring centre first. Mains side only by who is licensed for it; local codes come first."
)
# In which order a bank is put together, and what belongs to which step.
ORDER = (
    ("Warn the monitoring centre. Agree how long the battery may be off.", ""),
    ("Mains and charger off, isolator open, main fuse and string fuses out.", "Mains side only by who is licensed for it."),
    ("Read each block's volts at rest. Blocks that do not belong together go back.", ""),
    ("Crimp and pull-test every lead. Red is plus, black is minus, blue joins blocks in series.", ""),
    ("Join the blocks within each string, then read the volts of each string.", "Insulated tools, rings off, eyes covered."),
    ("Strings are joined only when they are equal at rest.", ""),
    ("Lead plus and minus to the supply, plus and minus read once more.", ""),
    ("The last link last, away from the blocks: it can spark, and charging blocks give off gas.", "Air the place first."),
    ("String fuses in, main fuse in, isolator closed. Then charger and mains on.", ""),
    ("Read volts at the bank and at the supply. Tell the monitoring centre that it is back.", ""),
)


def _parallel_caution(bank: Bank) -> str:
    """Return what to mind before blocks of a bank are joined in parallel, by what their voltage off load says of their charge."""
    chemistry = bank.chemistry
    if chemistry.is_primary:
        return ""
    own = " Never without its own protection." if chemistry.is_rechargeable_lithium else ""
    name = chemistry.name[:1].upper() + chemistry.name[1:]
    apart_v = most_rest_v(bank)
    if apart_v is None:
        return f"{name}: the voltage off load says nothing of the charge. Charge each block full first, then join them.{own}"
    return f"{name}: {plain_number(apart_v)} V allowed between two blocks off load before they are joined in parallel.{own}"


@blueprint.get("/bank")
@signed_in
def bank(site_id: int, plan_key: str) -> Any:
    """Show the bank of a supply: its wiring, its fuse and leads, its blocks, and ways to what it needs."""
    page, plan, supply = _at(site_id, plan_key)
    return _bank_page(page, plan, supply)


def _bank_page(page: PlanPage, plan: Plan, supply: Supply | None, typed: TypedBlocks | None = None) -> Any:
    frame = _frame(page, plan, supply, "build.bank")
    if supply is None or supply.bank is None:
        return render_template("power/bank.html", **frame, supply=supply, wiring=None)
    loads = plan.loads_on(supply.key)
    protected = protect(supply, loads)
    html = render_template(
        "power/bank.html",
        **frame,
        supply=supply,
        row=_row(page, supply.key),
        wiring=_wiring_of(supply, loads, request.args),
        protected=protected,
        protections=[(r, _opened(r.working)) for r in protection_rows(protected)] if protected else [],
        drops=drop_rows(supply, loads, protected) if protected else [],
        blocks=blocks_view(supply),
        typed=typed,
        pulled=_pulled(plan, supply),
        two=_two_banks(plan, supply),
        order=ORDER,
        caution=CAUTION,
        parallel_caution=_parallel_caution(supply.bank),
    )
    return (html, 422) if typed and typed.faults else html


def _opened(working: Any) -> Any:
    """Return a working as it is shown: its steps, and what goes into them."""
    if working is None:
        return None
    inputs = [(symbol_of(i.symbol), i.meaning, say_exactly(i.value, i.unit)) for i in working.inputs]
    return {"title": working.title, "source": working.source, "steps": open_steps(working), "inputs": inputs}


def _wiring_of(supply: Supply, loads: Any, said: Mapping[str, str]) -> Any:
    """Return the view of what is laid out, after the step that was asked for."""
    found = supply.bank
    if found is None:
        return None
    tried = _tried(found, said)
    typed = {n: said.get(n, "")[:6] for n in ("blocks", "series", "strings")} if tried.field else None
    return wiring_view(supply, loads, tried, typed)


def _tried(found: Bank, said: Mapping[str, str]) -> LaidOut:
    text = said.get("try", "")[:LONGEST_TRIED]
    tried = read_laid_out(text, found) if text else laid_out_of(found)
    do, kind = said.get("do", "")[:20], said.get("kind", "")[:20]
    if do == "lay-out":
        return lay_out(tried, {n: said.get(n, "")[:6] for n in ("blocks", "series", "strings")}, kind, found)
    return change(tried, do, kind, found) if do else tried


def _pulled(plan: Plan, supply: Supply) -> Any:
    """Return what is left while a block is out, where one was asked for."""
    string = request.args.get("out", default=0, type=int)
    found = supply.bank
    if found is None or not 1 <= string <= found.parallel:
        return None
    return without_block(supply, plan.loads_on(supply.key), string)


def _two_banks(plan: Plan, supply: Supply) -> dict[str, Any]:
    """Return the positions of two isolators, where another bank was chosen."""
    others = [(s.key, s.name) for s in plan.supplies if s.bank is not None and s.key != supply.key]
    key = request.args.get("second", "")
    faults: dict[str, str] = {}
    rest: list[float | None] = []
    for name in ("rest1", "rest2"):
        text = request.args.get(name, "")[:20]
        try:
            rest.append(read_quantity(text, VOLTAGE) if text.strip() else None)
        except QuantityTextError as error:
            faults[name] = str(error)
            rest.append(None)
    second = next((s.bank for s in plan.supplies if s.key == key), None)
    if key == "same" and supply.bank is not None:
        second = replace(supply.bank, blocks=())
    if key == "new" and supply.bank is not None:
        second = replace(supply.bank, blocks=(), age_y=0.0, condition_ratio=None)
    positions = []
    if second is not None and supply.bank is not None:
        positions = position_rows(switch_positions(supply.bank, second, first_rest_v=rest[0], second_rest_v=rest[1]))
    return {
        "others": others,
        "chosen": key,
        "positions": positions,
        "faults": faults,
        "rest1": request.args.get("rest1", "")[:20],
        "rest2": request.args.get("rest2", "")[:20],
    }


@blueprint.get("/wiring")
@signed_in
def wiring(site_id: int, plan_key: str) -> Any:
    """Give the drawing alone, after one step."""
    page, plan, supply = _at(site_id, plan_key)
    if supply is None or supply.bank is None:
        raise NotFound
    view = _wiring_of(supply, plan.loads_on(supply.key), request.args)
    html = render_template("power/_wiring.html", site=page.tree.site, plan=page.plan, supply=supply, wiring=view)
    return jsonify({"html": html}), (422 if view.field else 200)


@blueprint.get("/hours")
@signed_in
def hours(site_id: int, plan_key: str) -> Any:
    """Say how long what is laid out would hold, and how fast it is recharged."""
    _, plan, supply = _at(site_id, plan_key)
    if supply is None or supply.bank is None:
        raise NotFound
    made = bank_of(_tried(supply.bank, request.args), supply.bank)
    loads = plan.loads_on(supply.key)
    if made is None or not made.suits(supply.nominal_v) or hindrance_of(supply, loads) is not None:
        return jsonify({"said": "How long it would hold is not computed: it is not a bank of this supply yet."})
    fitted = with_new_bank(supply, made)
    result = judge_figures(fitted, loads, compute_figures(fitted, loads, in_full=True))
    if result.holdover is None:
        return jsonify({"said": "Nothing draws, so it holds for good."})
    must_h = supply.requirement.standby_h
    band = result.holdover
    recharge = "" if result.recovery_h is None else f" Its charger brings it back after {say_hours_up(result.recovery_h)}."
    return jsonify(
        {
            "said": f"New, it holds {say_hours(band.expected, must_h=must_h)} of {say_required_h(must_h)}, {say_range(band.low, band.high, must_h=must_h)}.{recharge}"
        }
    )


@blueprint.get("/ways")
@signed_in
def ways(site_id: int, plan_key: str) -> Any:
    """Give the ways to what a supply needs, which take a moment to compute."""
    page, plan, supply = _at(site_id, plan_key)
    if supply is None or supply.bank is None:
        raise NotFound
    rows, why = way_rows(supply, plan.loads_on(supply.key))
    must = say_required_h(supply.requirement.standby_h)
    html = render_template("power/_bank_ways.html", site=page.tree.site, plan=page.plan, supply=supply, ways=rows, why=why, must=must)
    return jsonify({"html": html})


@blueprint.post("/propose")
@signed_in
def propose(site_id: int, plan_key: str) -> Any:
    """Make a proposal with a bank: one of the ways, or what is laid out."""
    page, plan, supply = _at(site_id, plan_key)
    if supply is None or supply.bank is None:
        raise NotFound
    wanted = _wanted(plan, supply)
    text = request.form.get("try", "")[:LONGEST_TRIED]
    here = url_for("build.bank", site_id=site_id, plan_key=plan_key, supply=supply.key)
    back = redirect(f"{here}&{urlencode({'try': text})}" if text else here)
    if wanted is None:
        flash("This is not a bank yet: its blocks must be alike, none turned or missing, its strings equally long.", "error")
        return back
    try:
        with g.connection.transaction():
            made = plan_bank(g.connection, g.actor, page.plan["id"], supply.key, wanted)
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
        return back
    flash(f"{made['name']} has the new battery with its fuse and lead. {page.plan['name']} stays as it is.", "note")
    return redirect(url_for("build.bank", site_id=site_id, plan_key=made["key"], supply=supply.key))


def _wanted(plan: Plan, supply: Supply) -> Bank | None:
    """Return the bank that was asked for."""
    found = supply.bank
    if found is None:
        return None
    key = request.form.get("way", "")
    if key:
        way = next((w for w in bank_ways(supply, plan.loads_on(supply.key))[0] if way_key(w) == key and not w.refused), None)
        if way is None:
            return None
        s = way.sold
        return Bank(
            chemistry_key=s.chemistry, block_v=s.block_v, capacity_ah=s.capacity_ah, rate_h=s.rate_h, series=s.series, parallel=s.parallel
        )
    made = bank_of(_tried(found, {"try": request.form.get("try", "")}), found)
    return None if made is None else replace(made, resistance_ohm=None)


@blueprint.post("/blocks")
@signed_in
def keep_blocks(site_id: int, plan_key: str) -> Any:
    """Keep what is known of the blocks."""
    page, plan, supply = _at(site_id, plan_key)
    row = _row(page, supply.key) if supply else None
    if supply is None or supply.bank is None or row is None:
        raise NotFound
    typed = read_blocks(request.form.to_dict(), supply.bank.series, supply.bank.parallel)
    if typed.faults:
        return _bank_page(page, plan, supply, typed)
    try:
        with g.connection.transaction():
            save_blocks(g.connection, g.actor, row["id"], request.form.get("version", default=-1, type=int), typed.blocks)
        flash("The blocks are kept.", "note")
    except StaleEdit as stale:
        typed.faults[0, "made"] = f"{stale.changed_by or 'Somebody'} changed this supply meanwhile. Look at it again, then save again."
        return _bank_page(page, plan, supply, typed)
    except Refused as refused:
        typed.faults[0, "made"] = " ".join(f.message for f in refused.faults)
        return _bank_page(page, plan, supply, typed)
    return redirect(url_for("build.bank", site_id=site_id, plan_key=plan_key, supply=supply.key, _anchor="blocks"))


@blueprint.get("/charger")
@signed_in
def charger(site_id: int, plan_key: str) -> Any:
    """Show which charger a bank asks for, and the sheet to set it up."""
    return _charger_page(*_at(site_id, plan_key), said=request.args.to_dict())


def _charger_page(page: PlanPage, plan: Plan, supply: Supply | None, *, said: dict[str, str], judged: dict[str, Any] | None = None) -> Any:
    frame = _frame(page, plan, supply, "build.charger")
    if supply is None or supply.bank is None:
        return render_template("power/charger.html", **frame, supply=supply, sheet=None)
    form = read_set_up(said, supply)
    sheet = None if form.faults else sheet_of(supply, form.set_up, plan.loads_on(supply.key))
    row = _row(page, supply.key)
    readings = set_up_readings(g.connection, g.actor, row["id"]) if row else []
    html = render_template(
        "power/charger.html",
        **frame,
        supply=supply,
        row=row,
        schools=charger_view(supply, plan.loads_on(supply.key)),
        form=form,
        sheet=sheet,
        said_target=_said_target,
        figures=_figures_of(sheet),
        said_when=said_when,
        diodes=[(d.value, w) for d, w in DIODE_WORDS.items()],
        makes=[(m.value, w) for m, w in MAKE_WORDS.items()],
        judged=judged or {},
        readings=readings,
        step_words=STEP_WORDS,
        told_shapes=TOLD_SHAPES,
    )
    return (html, 422) if form.faults or (judged or {}).get("fault") else html


STEP_WORDS = {
    "set_v": "voltage set",
    "set_a": "current limit",
    "input_v": "input",
    "polarity_v": "polarity",
    "verify_v": "at the battery, near the end",
}
TOLD_SHAPES = {"right": "holds", "off": "risk", "stop": "danger"}


def _figures_of(sheet: SetUpSheet | None) -> dict[str, str]:
    """Return the voltages of a sheet in words; empty where it has none."""
    named = {} if sheet is None else {"set": sheet.set_v, "battery": sheet.battery_v, "wrong": sheet.wrong_set_v, "plan": sheet.plan_v}
    return {name: f"{volts:.2f} V" for name, volts in named.items() if volts is not None}


def said_when(moment: datetime) -> str:
    """Return when something was read, to the minute."""
    return f"{moment.astimezone(UTC):%Y-%m-%d %H:%M} UTC"


def _said_target(step: Any) -> str:
    """Return the figure of a step in words."""
    if step.target is None:
        return ""
    say = say_amps if step.unit == "A" else say_volts
    at_least = "at least " if step.kind is StepKind.INPUT_V else "up to " if step.kind is StepKind.SET_A else ""
    near = f" ± {say(step.near)}" if step.near and step.kind is not StepKind.SET_A else ""
    return "plus, no minus sign" if step.kind is StepKind.POLARITY else f"{at_least}{say(step.target)}{near}"


@blueprint.post("/charger")
@signed_in
def keep_reading(site_id: int, plan_key: str) -> Any:
    """Judge what was read at a step, and keep it."""
    page, plan, supply = _at(site_id, plan_key)
    row = _row(page, supply.key) if supply else None
    said = request.form.to_dict()
    if (
        supply is None
        or supply.bank is None
        or row is None
        or said.get("step", "") not in [k.value for k in StepKind if k is not StepKind.DO]
    ):
        raise NotFound
    kind, text = StepKind(said["step"]), said.get("value", "")[:40]
    form = read_set_up(said, supply)
    judged: dict[str, Any] = {"kind": kind.value, "text": text}
    if form.faults:
        return _charger_page(page, plan, supply, said=said, judged=judged)
    try:
        value = read_at_step(kind, text)
    except QuantityTextError as error:
        return _charger_page(page, plan, supply, said=said, judged={**judged, "fault": str(error)})
    with g.connection.transaction():
        found = keep_set_up(g.connection, g.actor, row["id"], supply, form.set_up, kind, value)
    judged |= {"words": found.words, "shape": TOLD_SHAPES[found.told.value], "stops": found.told is Told.STOP}
    return _charger_page(page, plan, supply, said=said, judged=judged)


@blueprint.get("/parts")
@signed_in
def parts(site_id: int, plan_key: str) -> Any:
    """Show the parts list of a plan."""
    page, plan, supply = _at(site_id, plan_key)
    table = part_table(parts_of(plan, _as_found(page)))
    return render_template("power/parts.html", **_frame(page, plan, supply, "build.parts"), heading=table[0], lines=table[1:])


@blueprint.get("/parts.<kind>")
@signed_in
def parts_file(site_id: int, plan_key: str, kind: str) -> Any:
    """Give the parts list as a table: ``csv`` or ``xlsx``."""
    if kind not in ("csv", "xlsx"):
        raise NotFound
    page, plan, _ = _at(site_id, plan_key)
    table = part_table(parts_of(plan, _as_found(page)))
    headers = {"Content-Disposition": f'attachment; filename="parts-{page.plan["key"]}.{kind}"'}
    if kind == "csv":
        return Response(write_csv(table), mimetype="text/csv", headers=headers)
    return Response(write_workbook("Parts", table), mimetype=XLSX, headers=headers)


def _as_found(page: PlanPage) -> Plan | None:
    """Return the plan as found, unless the one shown is it."""
    found = next((p["key"] for p in page.tree.plans if p["stage"] == Stage.AS_FOUND.value and p["key"] != page.plan["key"]), None)
    return None if found is None else to_core_plan(page.site_file, found)


def _at(site_id: int, plan_key: str) -> tuple[PlanPage, Plan, Supply | None]:
    page = PlanPage.at(site_id, plan_key)
    plan = to_core_plan(page.site_file, plan_key)
    asked = request.values.get("supply", "")
    with_bank = [s for s in plan.supplies if s.bank is not None]
    supply = next((s for s in plan.supplies if s.key == asked), None)
    supply = supply or next((s for s in with_bank if s.key == page.result.weakest_supply), None)
    return page, plan, supply or next(iter(with_bank), None) or next(iter(plan.supplies), None)


def _row(page: PlanPage, key: str) -> Any:
    return next((s for s in page.tree.supplies.get(page.plan["id"], []) if s["key"] == key), None)


def _frame(page: PlanPage, plan: Plan, supply: Supply | None, view: str) -> dict[str, Any]:
    results = {s.key: s for s in page.result.supplies}
    tabs = [(s.key, s.name, (r.verdict.value if (r := results.get(s.key)) and r.verdict else "none")) for s in plan.supplies]
    key = supply.key if supply else ""
    verdict = results[key].verdict if key in results else None
    return {
        **page.values(FRAME),
        "stage": "power",
        "view": view,
        "tabs": tabs,
        "supply_key": key,
        "shown_supply": key,
        "endpoint": view,
        "is_pending": page.is_pending,
        "verdict_word": VERDICT_WORDS[verdict] if verdict else "",
    }
