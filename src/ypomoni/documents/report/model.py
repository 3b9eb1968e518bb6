"""What stands in a report, in words: made from the site file, what the engine says of it, and what was done on site."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ypomoni.core.evaluation.parts import PartLine, parts_of
from ypomoni.core.telling.results import Finding, PlanResult, Severity, SupplyResult, Verdict, Working
from ypomoni.core.telling.wording import (
    plain_number,
    say_amp_hours,
    say_amps,
    say_bank,
    say_hours,
    say_hours_up,
    say_percent,
    say_range,
    say_required_h,
    say_volts,
)
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Plan, Site, Supply
from ypomoni.documents.report.strip import draw_strip
from ypomoni.records.words import PROVENANCE_WORDS, STATE_WORDS

SECTIONS = {
    "answer": "The answer",
    "strip": "The endurance strip",
    "requirement": "What must hold",
    "work": "What was done",
    "register": "The register",
    "readings": "What was measured",
    "method": "How it was reckoned",
    "findings": "Findings",
    "wiring": "Batteries and wiring",
    "sheets": "How chargers were set up",
    "tests": "Discharge tests",
    "assumed": "What was assumed and not checked",
    "sign": "Who signs",
}
PAPERS = ("A4", "Letter")
VERDICT_WORDS = {
    Verdict.UNSAFE: "unsafe",
    Verdict.FAILS: "fails",
    Verdict.UNKNOWN: "unknown",
    Verdict.ON_PAPER_ONLY: "holds on paper only",
    Verdict.HOLDS: "holds",
}
SEVERITY_WORDS = {Severity.DANGER: "Danger", Severity.FAILS: "Fails", Severity.RISK: "Risk", Severity.NOTE: "Note"}
ORDER = list(SEVERITY_WORDS)
MOST_STRIP_LANES = 12


@dataclass(frozen=True, slots=True, kw_only=True)
class ReportOrder:
    """What a report is asked for: its plan, its sections, its paper, by whom and when; what was done on site."""

    plan_key: str
    base_key: str | None
    sections: tuple[str, ...]
    paper: str
    organisation: str
    made_by: str
    made_at: str
    engine: str
    number: int
    # Ticks of the work list: what, state, note, who and when.
    work: tuple[tuple[str, str, str, str], ...] = ()
    # What was read while chargers were set up: supply, words.
    sheets: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class ReportText:
    """A report in words; each part is what its section's template lays out."""

    asked: ReportOrder
    title: str
    site: str
    plan: str
    answer: str
    verdict: str
    strips: tuple[tuple[str, str, str], ...]
    supplies: tuple[Mapping[str, str], ...]
    requirements: tuple[Mapping[str, str], ...]
    loads: tuple[Mapping[str, str], ...]
    readings: tuple[Mapping[str, str], ...]
    workings: tuple[tuple[str, Working, tuple[tuple[str, str], ...]], ...]
    findings: tuple[tuple[str, str, Finding], ...]
    banks: tuple[Mapping[str, Any], ...]
    tests: tuple[Mapping[str, str], ...]
    unchecked: tuple[tuple[str, str], ...]
    before: tuple[Mapping[str, str], ...] = field(default=())


def tell(
    site: Site,
    plan: Plan,
    result: PlanResult,
    asked: ReportOrder,
    base: tuple[Plan, PlanResult] | None = None,
    read: Mapping[str, tuple[str, str]] | None = None,
) -> ReportText:
    """Return a report in words. ``read``: by the key of a reading, who took it and when."""

    strips = [(plan.name, draw_strip(result), _strip_words(result))]
    if base is not None:
        strips.insert(0, (base[0].name, draw_strip(base[1]), _strip_words(base[1])))
    results = {r.key: r for r in result.supplies}
    parts = parts_of(plan, base[0] if base else None)
    return ReportText(
        asked=asked,
        title=f"{site.name}: how long it holds",
        site=site.name,
        plan=plan.name,
        answer=_answer(result),
        verdict=VERDICT_WORDS[result.verdict] if result.verdict else "not judged",
        strips=tuple(strips),
        supplies=tuple(_supply(s, results.get(s.key)) for s in plan.supplies),
        requirements=_requirements(plan),
        loads=tuple(_load(load, plan) for load in plan.loads),
        readings=_readings(plan, read),
        workings=_workings(result),
        findings=_findings(result),
        banks=tuple(_bank(s, parts) for s in plan.supplies if s.bank is not None),
        tests=_tests(plan, results),
        unchecked=tuple((s.name, what) for s in result.supplies for what in s.not_checked),
        before=() if base is None else _beside(base[1], result),
    )


def _answer(result: PlanResult) -> str:
    weakest = result.weakest
    if weakest is None or weakest.holdover is None:
        return "No hours can be named for this plan."
    must = say_required_h(weakest.standby_h)
    band = say_range(weakest.holdover.low, weakest.holdover.high, must_h=weakest.standby_h)
    first = f" {weakest.name} gives out first." if len(result.supplies) > 1 else ""
    return f"Holds {say_hours(weakest.holdover.expected, must_h=weakest.standby_h)} of {must}, {band}.{first}"


def _strip_words(result: PlanResult) -> str:
    return "; ".join(
        f"{s.name} {'no hours' if s.holdover is None else say_hours(s.holdover.expected, must_h=s.standby_h)} of {say_required_h(s.standby_h)}"
        for s in result.supplies
    )


def _supply(supply: Supply, told: SupplyResult | None) -> dict[str, str]:
    band = told.holdover if told else None
    must_h = supply.requirement.standby_h
    return {
        "name": supply.name,
        "verdict": VERDICT_WORDS[told.verdict] if told and told.verdict else "not judged",
        "hours": "none can be named" if band is None else say_hours(band.expected, must_h=must_h),
        "band": "" if band is None else say_range(band.low, band.high, must_h=must_h),
        "must": say_required_h(must_h),
        "standby": "" if told is None or told.standby_current_a is None else say_amps(told.standby_current_a),
        "alarm": "" if told is None or told.alarm_current_a is None else say_amps(told.alarm_current_a),
        "back": ""
        if told is None or told.recovery_h is None
        else f"{say_hours_up(told.recovery_h)} to {say_percent(told.recharge_to_ratio)}",
        "old": "" if told is None or told.scenarios is None else say_hours(told.scenarios.end_of_life),
        "cold": "" if told is None or told.scenarios is None else say_hours(told.scenarios.cold),
    }


def _beside(was: PlanResult, now: PlanResult) -> tuple[dict[str, str], ...]:
    olds = {s.key: s for s in was.supplies}

    def words(told: SupplyResult | None) -> str:
        return "–" if told is None or told.holdover is None else say_hours(told.holdover.expected, must_h=told.standby_h)

    def amps(told: SupplyResult | None) -> str:
        return "–" if told is None or told.standby_current_a is None else say_amps(told.standby_current_a)

    return tuple(
        {"name": s.name, "was": words(olds.get(s.key)), "now": words(s), "was_a": amps(olds.get(s.key)), "now_a": amps(s)}
        for s in now.supplies
    )


def _requirements(plan: Plan) -> tuple[dict[str, str], ...]:
    found: dict[str, dict[str, str]] = {}
    for supply in plan.supplies:
        r = supply.requirement
        recharge = "not asked for" if r.recharge_h is None else f"{say_percent(r.recharge_to_ratio)} within {say_required_h(r.recharge_h)}"
        found.setdefault(
            r.key,
            {
                "name": r.name,
                "source": r.source or "no source was said",
                "must": f"{say_required_h(r.standby_h)} standby"
                + (f", then {plain_number(r.alarm_min)} min of alarm" if r.alarm_min else ""),
                "recharge": recharge,
                "method": r.method.value.replace("_", " "),
                "for": "",
            },
        )
        found[r.key]["for"] = ", ".join(filter(None, (found[r.key]["for"], supply.name)))
    return tuple(found.values())


def _load(load: Load, plan: Plan) -> dict[str, str]:
    names = {s.key: s.name for s in plan.supplies}
    bursts = "; ".join(
        f"{say_amps(b.current_a)} for {plain_number(b.duration_s)} s, {plain_number(b.per_hour)} an hour" for b in load.bursts
    )
    return {
        "name": load.name,
        "on": names.get(load.supply_key or "", "nothing"),
        "quantity": str(load.quantity),
        "standby": say_amps(load.standby.current_a),
        "standby_from": PROVENANCE_WORDS.get(load.standby.provenance.value, ""),
        "alarm": say_amps(load.alarm.current_a),
        "alarm_from": PROVENANCE_WORDS.get(load.alarm.provenance.value, ""),
        "rail": say_volts(load.rail_v),
        "bursts": bursts,
    }


def _readings(plan: Plan, read: Mapping[str, tuple[str, str]] | None) -> tuple[dict[str, str], ...]:
    points = {p.key: p.name for p in plan.points}
    meters = {m.key: m.name for m in plan.instruments}
    return tuple(
        {
            "point": points.get(r.point_key, r.point_key),
            "state": STATE_WORDS.get(r.state.value, r.state.value),
            "mains": "" if r.mains is None else f"mains {r.mains.value}",
            "value": say_amps(r.value_a),
            "meter": meters.get(r.instrument_key or "", "a common multimeter"),
            "note": "superseded" if r.superseded_by else "",
            "who": (read or {}).get(r.key, ("", ""))[0],
            "when": (read or {}).get(r.key, ("", ""))[1],
        }
        for r in plan.readings
    )


def _workings(result: PlanResult) -> tuple[tuple[str, Working, tuple[tuple[str, str], ...]], ...]:
    found = []
    for supply in result.supplies:
        for key in ("holdover", "recovery"):
            working = supply.workings.get(key)
            if working is not None:
                steps = tuple((f"{s.symbol} = {s.expression}", f"{plain_number(s.value, 4)} {s.unit}".strip()) for s in working.steps)
                found.append((supply.name, working, steps))
    return tuple(found)


def _findings(result: PlanResult) -> tuple[tuple[str, str, Finding], ...]:
    found = [(result.name, f) for f in result.findings]
    found += [(s.name, f) for s in (*result.supplies, *result.selectors) for f in s.findings]
    return tuple((SEVERITY_WORDS[f.severity], name, f) for name, f in sorted(found, key=lambda e: ORDER.index(e[1].severity)))


def _bank(supply: Supply, parts: tuple[PartLine, ...]) -> dict[str, Any]:
    bank = supply.bank
    if bank is None:
        return {}
    fuse, lead = bank.protection, bank.lead
    condition = "not measured" if bank.condition_ratio is None else say_percent(bank.condition_ratio)
    return {
        "name": supply.name,
        "bank": f"{say_bank(bank.series, bank.parallel, bank.block_v, bank.capacity_ah, bank.rate_h)} {bank.chemistry.name}",
        "capacity": say_amp_hours(bank.rated_c20_ah),
        "age": f"{plain_number(bank.age_y, 2)} years",
        "condition": condition,
        "fuse": "not said" if fuse is None else "none is fitted" if fuse.fuse_a is None else say_amps(fuse.fuse_a),
        "isolator": "not said" if fuse is None else "fitted" if fuse.isolator else "none",
        "lead": "not said" if lead is None else f"{plain_number(lead.length_m)} m of {plain_number(lead.section_mm2)} mm²",
        "charge": "not said" if supply.charge_v is None else say_volts(supply.charge_v),
        "parts": [
            (", ".join(line.numbers), line.what, f"{plain_number(line.quantity)} {line.unit}".strip(), plain_number(line.new_quantity))
            for line in parts
            if line.supply_key == supply.key
        ],
    }


def _tests(plan: Plan, results: Mapping[str, SupplyResult]) -> tuple[dict[str, str], ...]:
    found: list[dict[str, str]] = []
    for test in plan.tests:
        told = results.get(test.supply_key)
        outcome = next((t for t in told.tests if t.key == test.key), None) if told else None
        at_least = "at least " if outcome and outcome.is_lower_bound else ""
        current_a = test.mean_current_a
        predicted = outcome.predicted if outcome else None
        found.append(
            {
                "supply": told.name if told else test.supply_key,
                "when": f"{test.at:%d %b %Y, %H:%M}",
                "how": f"{say_amps(current_a) if current_a else 'an unknown current'} at {plain_number(test.temperature_degc)} °C, to {say_volts(test.end_v)}",
                "ran": say_hours(test.ran_h),
                "predicted": "" if predicted is None else say_range(predicted.low, predicted.high),
                "condition": ""
                if outcome is None or outcome.condition_ratio is None
                else f"{at_least}{say_percent(outcome.condition_ratio)}",
            }
        )
    return tuple(found)
