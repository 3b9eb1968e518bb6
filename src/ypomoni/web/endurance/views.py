"""Endurance in depth: an outage played, the schools side by side, the battery sheet. One supply at a time, or the whole plan."""

from typing import Any

from flask import Blueprint, Response, jsonify, render_template, request

from ypomoni.actions.errors import NotFound
from ypomoni.actions.outage import Playable, find_playable, play, playables, survival
from ypomoni.core.errors import OutsideTableError
from ypomoni.core.judgement import BATTERY_FINDINGS
from ypomoni.core.outage.survival import CHUNKS
from ypomoni.core.telling.wording import plain_number, say_hours, say_range
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.results_json import write_plan_csv, write_played_csv
from ypomoni.web.endurance.battery import battery_of
from ypomoni.web.endurance.page import (
    ASKABLE,
    band_shares,
    conditions_of,
    controls_of,
    events_of,
    faults_of,
    schools_of,
    survival_view,
    timeline_of,
)
from ypomoni.web.plan.answer import build_findings
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.plan.strip import hours_of, say_must
from ypomoni.web.security import signed_in

blueprint = Blueprint("outage", __name__, template_folder="templates", url_prefix="/sites/<int:site_id>/<plan_key>")
WHOLE = "all"
SCENARIO_WORDS = (("fresh", "Fresh"), ("today", "Today"), ("cold", "Cold"), ("end_of_life", "End of life"), ("worst", "Old and cold"))
MARGIN_CODES = frozenset({"double_margin", "missing_margin", "cold_not_counted", "capacity_below_method"})


@blueprint.get("/outage")
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Show an outage of a supply, or of the whole plan, played as it is today."""
    page = PlanPage.at(site_id, plan_key)
    supplies = playables(to_core_plan(page.site_file, plan_key))
    key = request.args.get("supply") or page.result.weakest_supply or next((s.key for s in supplies), "")
    chosen = None if key == WHOLE else next((s for s in supplies if s.key == key), None)
    if chosen is None and key not in (WHOLE, ""):
        raise NotFound
    case = chosen.case if chosen else next((s.case for s in supplies if s.case), None)
    result = next((s for s in page.result.supplies if chosen and s.key == chosen.key), None)
    horizon_h = max([s.endurance_h or 0.0 for s in ([result] if result else page.result.supplies)], default=0.0)
    return render_template(
        "endurance/show.html",
        **_frame(page, supplies, key, "outage.show"),
        chosen=chosen,
        whole=key == WHOLE,
        controls=controls_of(case, horizon_h) if case else [],
        result=result,
        shares=band_shares(result) if result else [],
        scenarios=_scenarios(result) if result else [],
        warning=_warning(result) if result else "",
        holdover_words=hours_of(result) if result else "",
        alarm_words=f"{plain_number(result.alarm_min)} min" if result else "",
    )


@blueprint.get("/outage/play")
@signed_in
def played(site_id: int, plan_key: str) -> Any:
    """Answer with the timeline under the conditions asked for."""
    page = PlanPage.at(site_id, plan_key)
    plan = to_core_plan(page.site_file, plan_key)
    key = request.args.get("supply", "")
    wanted = [p for p in playables(plan) if p.case] if key == WHOLE else [find_playable(plan, key)]
    try:
        lines = [{**_played(p), "name": p.name} for p in wanted if p.case]
    except (OutsideTableError, _ConditionsError) as error:
        return jsonify({"message": str(error)}), 422
    if not lines:
        return jsonify({"message": wanted[0].reason if wanted else "There is nothing to play."}), 422
    return jsonify({"lines": lines})


@blueprint.get("/outage/timeline.csv")
@signed_in
def timeline(site_id: int, plan_key: str) -> Any:
    """Answer with the timeline of a supply, or of all that can be played, as CSV, under the conditions asked for."""
    page = PlanPage.at(site_id, plan_key)
    plan = to_core_plan(page.site_file, plan_key)
    key = request.args.get("supply", "")
    wanted = playables(plan) if key == WHOLE else [find_playable(plan, key)]
    try:
        outages = {p.name: play(p.case, conditions_of(_values()))[0] for p in wanted if p.case}
    except (OutsideTableError, _ConditionsError) as error:
        return Response(str(error), 422, mimetype="text/plain")
    if not outages:
        raise NotFound
    text = write_plan_csv(outages) if key == WHOLE else write_played_csv(next(iter(outages.values())))
    headers = {"Content-Disposition": f'attachment; filename="outage-{site_id}.csv"'}
    return Response(text, mimetype="text/csv", headers=headers)


@blueprint.get("/outage/survival")
@signed_in
def survives(site_id: int, plan_key: str) -> Any:
    """Answer with the survival curve of so many chunks of samples: the page asks again for more of them."""
    page = PlanPage.at(site_id, plan_key)
    plan = to_core_plan(page.site_file, plan_key)
    found = find_playable(plan, request.args.get("supply", ""))
    result = next(s for s in page.result.supplies if s.key == found.key)
    if found.case is None:
        return jsonify({"message": found.reason}), 422
    chunks_count = min(len(CHUNKS), request.args.get("chunks", default=1, type=int))
    curve = survival(page.site_file, plan, found.key, found.case, chunks_count)
    return jsonify({**survival_view(curve, result), "more": chunks_count < len(CHUNKS)})


@blueprint.get("/schools")
@signed_in
def schools(site_id: int, plan_key: str) -> Any:
    """Show what every school of calculation asks for and promises, and why they part."""
    page = PlanPage.at(site_id, plan_key)
    supplies = playables(to_core_plan(page.site_file, plan_key))
    key = request.args.get("supply") or page.result.weakest_supply or next((s.key for s in supplies), "")
    result = next((s for s in page.result.supplies if s.key == key), None)
    if result is None and key:
        raise NotFound
    requirement = _requirement_of(page, key)
    rows, names, rated = schools_of(result, requirement["method"]) if result and requirement else ([], (), None)
    findings = [f for f in build_findings(page.result) if f.supply == key and f.code in MARGIN_CODES]
    return render_template(
        "endurance/schools.html",
        **_frame(page, supplies, key, "outage.schools"),
        result=result,
        requirement=requirement,
        schools=rows,
        counted=names,
        rated=rated,
        must_words=f"M{say_must(result)[1:]}." if result else "",
        findings=findings,
    )


@blueprint.get("/battery")
@signed_in
def battery(site_id: int, plan_key: str) -> Any:
    """Show what is known of a supply's bank and how its model answers."""
    page = PlanPage.at(site_id, plan_key)
    supplies = playables(to_core_plan(page.site_file, plan_key))
    key = request.args.get("supply") or page.result.weakest_supply or next((s.key for s in supplies), "")
    chosen = next((s for s in supplies if s.key == key), None)
    if chosen is None and key:
        raise NotFound
    row = next((s for s in page.supplies if s.key == key), None)
    findings = [f for f in build_findings(page.result) if f.supply == key and f.code in BATTERY_FINDINGS]
    return render_template(
        "endurance/battery.html",
        **_frame(page, supplies, key, "outage.battery"),
        chosen=chosen,
        supply=row,
        sheet=battery_of(chosen.case) if chosen and chosen.case else None,
        findings=findings,
    )


def _frame(page: PlanPage, supplies: list[Playable], key: str, endpoint: str) -> dict[str, Any]:
    verdicts = {s.key: s for s in page.result.supplies}
    tabs = [(s.key, s.name, (v.value if (v := verdicts[s.key].verdict) else "none")) for s in supplies]
    return {
        **page.values(FRAME),
        "stage": "endurance",
        "view": endpoint,
        "tabs": tabs,
        "supply_key": key,
        "shown_supply": key,
        "endpoint": endpoint,
    }


class _ConditionsError(ValueError):
    """Raised when a page asks for conditions that cannot be."""


def _values() -> dict[str, float]:
    asked = {name: request.args[name] for name in ASKABLE if name in request.args}
    faults = faults_of(asked)
    if faults:
        raise _ConditionsError(" ".join(faults))
    return {name: float(text) for name, text in asked.items()}


def _played(found: Playable) -> dict[str, Any]:
    assert found.case is not None  # noqa: S101 - asked for only where there is one
    outage, why = play(found.case, conditions_of(_values()))
    html = render_template("endurance/_events.html", events=events_of(outage))
    return {**timeline_of(found.case, outage, why), "events": html}


def _requirement_of(page: PlanPage, supply_key: str) -> Any:
    supply = next((s for s in page.tree.supplies.get(page.plan["id"], []) if s["key"] == supply_key), None)
    return None if supply is None else next((r for r in page.tree.requirements if r["id"] == supply["requirement_id"]), None)


def _scenarios(result: Any) -> list[tuple[str, str, bool]]:
    if result.scenarios is None or result.holdover is None:
        return []
    hours = {"today": result.holdover.expected, **{k: getattr(result.scenarios, k) for k in ("fresh", "cold", "end_of_life", "worst")}}
    return [(word, say_hours(hours[k], must_h=result.standby_h), hours[k] >= result.standby_h) for k, word in SCENARIO_WORDS]


def _warning(result: Any) -> str:
    if result.warning is None:
        return ""
    w = result.warning
    lasts, in_alarm = (say_range(w.low_ratio * h, w.high_ratio * h) for h in (w.standby_h, w.alarm_h))
    said = f"The low-battery warning comes after {say_hours(w.at_h)}: from then it is {lasts} to the end in standby, {in_alarm} if an alarm starts with it."
    return f"{said} Volts on the way in the battery's discharge table would narrow that." if w.is_range else said
