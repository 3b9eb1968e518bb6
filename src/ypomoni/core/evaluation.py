"""From supplies and loads to results. Called by `actions`, the command line and the tests; it calls everything else in the core."""

import math
from dataclasses import dataclass, replace

from ypomoni.core import workings
from ypomoni.core.case import Case, ThresholdOrigin
from ypomoni.core.endurance import low_battery_warning
from ypomoni.core.judgement import Audit, Facts, audit_of, judge_audit, judge_buses, judge_plan, judge_supply
from ypomoni.core.loads import Load
from ypomoni.core.meeting import recovery_beside
from ypomoni.core.recovery import charge_current_a
from ypomoni.core.requirements import Method
from ypomoni.core.results import (
    Band,
    BandInput,
    EndState,
    LimitedBy,
    LoadShare,
    PlanResult,
    Scenarios,
    SupplyResult,
    Verdict,
)
from ypomoni.core.simulation import EndCause, Holdover, LoadCurrents
from ypomoni.core.simulation.demand import mean_draw, peak_draw
from ypomoni.core.sizing import NoBank, Recommendation, c20_of, explain_disagreement, recommend_bank, size_by_all_methods
from ypomoni.core.sizing.profile import profile_of
from ypomoni.core.sizing.recommended import recovery_of
from ypomoni.core.supplies import Plan, Supply
from ypomoni.core.totals import explained_square
from ypomoni.core.uncertainty import CAPACITY_SPREAD_RATIO, CONDITION_SPREAD_RATIO, TABLED_SPREAD_RATIO, best_currents, worst_currents

NOTICEABLY_LONGER_RATIO = 1.05
# An alarm that fails with more than this share of the charge left fails of its current, not of spent capacity.
CHARGE_LEFT_RATIO = 0.25
# More marks than this are not told apart on any strip.
MOST_BURST_MARKS = 200
# A load that ends it at once: e^−12 of the time, a second of a month.
GREATEST_DELTA = 12.0


def evaluate_plan(plan: Plan) -> PlanResult:
    """Return the results of every supply of a plan and of the plan as a whole."""
    return summarise_plan(plan, tuple(evaluate_supply(plan, s) for s in plan.supplies))


def summarise_plan(plan: Plan, supplies: tuple[SupplyResult, ...]) -> PlanResult:
    """Return the plan's verdict and weak link from results of its supplies, computed now or before."""
    judged = [s for s in supplies if s.verdict is not None]
    order = (Verdict.FAILS, Verdict.ON_PAPER_ONLY, Verdict.HOLDS)
    verdict = min((s.verdict for s in judged if s.verdict), key=order.index, default=None)
    covered = [s for s in supplies if s.coverage_ratio is not None]
    weakest = min(covered, key=lambda s: (s.coverage_ratio or 0.0, supplies.index(s)), default=None)
    link = judge_plan(covered, weakest)
    if link and weakest:
        supplies = tuple(replace(s, findings=(*s.findings, link)) if s is weakest else s for s in supplies)
    splits = judge_buses(plan)
    supplies = tuple(replace(s, findings=(*s.findings, *splits[s.key])) if s.key in splits else s for s in supplies)
    return PlanResult(key=plan.key, name=plan.name, verdict=verdict, weakest_supply=weakest.key if weakest else None, supplies=supplies)


def evaluate_supply(plan: Plan, supply: Supply) -> SupplyResult:
    """Return everything computed for one supply with its loads and what was read of them."""
    loads, requirement = plan.loads_on(supply.key), supply.requirement
    audit = audit_of(plan, supply)
    blank = SupplyResult(
        key=supply.key,
        name=supply.name,
        kind=supply.kind.value,
        requirement_name=requirement.name,
        standby_h=requirement.standby_h,
        alarm_min=requirement.alarm_min,
        recharge_h=requirement.recharge_h,
        recharge_to_ratio=requirement.recharge_to_ratio,
    )
    if not supply.is_modelled or any(load.ac for load in loads):
        return replace(blank, limited_by=LimitedBy.NOT_MODELLED_YET, findings=judge_audit(audit))
    return _Evaluation(supply, loads, blank, audit).result()


@dataclass(slots=True)
class _Evaluation:
    """One pass over one supply."""

    supply: Supply
    loads: tuple[Load, ...]
    blank: SupplyResult
    audit: Audit

    def result(self) -> SupplyResult:
        case = Case(self.supply, self.loads)
        requirement = self.supply.requirement
        standby_a, alarm_a = case.mean_current_a(in_alarm=False), case.mean_current_a(in_alarm=True)
        peak_standby_a, peak_alarm_a = case.peak_current_a(in_alarm=False), case.peak_current_a(in_alarm=True)
        profile = profile_of(case)
        methods = size_by_all_methods(profile, requirement, case if self.supply.bank else None, self.supply.nominal_v)
        result = replace(
            self.blank,
            standby_current_a=standby_a,
            alarm_current_a=alarm_a,
            peak_current_a=max(peak_standby_a, peak_alarm_a),
            methods=methods,
            disagreement=explain_disagreement(case, methods, requirement.method) if self.supply.bank else (),
            shares=_shares(case),
            workings=workings.of_currents(case, standby_a, alarm_a, peak_standby_a, peak_alarm_a),
        )
        result = self._with_holdover(result, case)
        result = self._with_recovery(result, case, standby_a)
        if self.supply.bank is not None and not case.draws_nothing:
            bank = recommend_bank(case, methods, result.charge_current_a)
            result = replace(
                result,
                recommended_bank=bank.bank if isinstance(bank, Recommendation) else None,
                fewer_blocks_bank=bank.fewer_blocks if isinstance(bank, Recommendation) else None,
                no_bank_reason=bank.reason if isinstance(bank, NoBank) else None,
            )
            if isinstance(bank, Recommendation):
                required = {m.method: m.required_ah or 0.0 for m in methods}
                bank_ah = c20_of(bank.bank)
                recovery_h = None if result.charge_current_a is None else recovery_of(case, bank.bank, result.charge_current_a)
                working = workings.of_recommendation(case, required[Method.SIMULATION], required[requirement.method], bank_ah, recovery_h)
                result = replace(result, workings={**result.workings, "recommended": working})
        elif self.supply.bank is None:
            result = replace(result, no_bank_reason="There is no bank yet: enter one, so that its chemistry and voltage are known.")
        else:
            result = replace(result, no_bank_reason="Nothing draws from this supply, so any bank holds.")
        facts = Facts(
            supply=self.supply,
            loads=self.loads,
            result=result,
            peak_standby_current_a=peak_standby_a,
            peak_alarm_current_a=peak_alarm_a,
            audit=self.audit,
            life_y=self.supply.bank.design_life_y(self.supply.typical_degc) if self.supply.bank else None,
        )
        findings, verdict, overloaded = judge_supply(facts)
        return replace(result, findings=findings, verdict=verdict, overloaded=overloaded)

    def _with_holdover(self, result: SupplyResult, case: Case) -> SupplyResult:
        if self.supply.bank is None:
            return replace(
                result,
                limited_by=LimitedBy.NO_BANK,
                holdover=Band(low=0.0, expected=0.0, high=0.0),
                endurance_h=0.0,
                scenarios=Scenarios(fresh=0.0, cold=0.0, end_of_life=0.0, worst=0.0),
                missing_ah=result.standby_current_a and result.standby_current_a * result.standby_h,
            )
        bank_figures = {"condition_ratio": case.condition_today_ratio, "rated_c20_ah": self.supply.bank.rated_c20_ah}
        if case.draws_nothing:
            return replace(result, limited_by=LimitedBy.NOTHING_DRAWS, **bank_figures)
        today = case.holdover()
        band, inputs = estimate_band(case, today.holdover_h)
        end_of_life_ratio, cold_degc = case.requirement.end_of_life_ratio, self.supply.min_degc
        scenarios = Scenarios(
            fresh=case.holdover(condition_ratio=1.0).holdover_h,
            cold=case.holdover(temperature_degc=cold_degc).holdover_h,
            end_of_life=case.holdover(condition_ratio=end_of_life_ratio).holdover_h,
            worst=case.holdover(condition_ratio=end_of_life_ratio, temperature_degc=cold_degc).holdover_h,
        )
        has_bursts = any(load.bursts for load in self.loads)
        averaged_h = case.holdover(averaged=True).holdover_h if has_bursts else None
        limited_by, lowered_h = find_limit(case, today, averaged_h)
        outage = case.outage()
        pack = outage.pack
        missing_ah = max(0.0, result.standby_h - today.holdover_h) * (result.standby_current_a or 0.0)
        return replace(
            result,
            limited_by=limited_by,
            holdover=band,
            band_inputs=inputs,
            endurance_h=today.endurance_h,
            scenarios=scenarios,
            averaged_holdover_h=averaged_h,
            lowered_cutoff_holdover_h=lowered_h,
            end=EndState(
                t_h=today.end.t_h,
                charge_left_ratio=max(0.0, 1.0 - today.end.u_ah / pack.capacity_ah),
                current_a=today.end.current_a,
                terminal_v=today.end.terminal_v,
                threshold_v=today.end.threshold_v,
                threshold_origin=(ThresholdOrigin.EQUIPMENT if today.end.cable_owner else case.threshold.origin).value,
                threshold_owner=f"{today.end.cable_owner}, at the end of its cable" if today.end.cable_owner else case.threshold.owner,
                in_alarm=today.end.in_alarm,
                in_burst=today.end.in_burst,
            ),
            missing_ah=missing_ah,
            warning=low_battery_warning(case),
            burst_times_h=outage.standby.burst_times_h(today.holdover_h, MOST_BURST_MARKS),
            workings={
                **result.workings,
                **workings.of_holdover(case, today, band, scenarios, pack, missing_ah),
                "band": workings.of_band(band, inputs),
            },
            **bank_figures,
        )

    def _with_recovery(self, result: SupplyResult, case: Case, standby_a: float) -> SupplyResult:
        supply = self.supply
        is_primary = supply.bank is not None and supply.bank.chemistry.is_primary
        if supply.charge_limit_a is None or supply.supply_current_a is None or is_primary:
            return result
        current_a = charge_current_a(supply.charge_limit_a, supply.supply_current_a, standby_a)
        found: dict[str, workings.Working] = {"charge_current": workings.of_charge_current(supply, current_a, standby_a)}
        result = replace(result, charge_current_a=current_a)
        recovery, unloaded = recovery_beside(supply, standby_a), recovery_beside(supply, 0.0)
        if recovery is not None and unloaded is not None:
            found["recovery"] = workings.of_recovery(case, recovery)
            result = replace(result, recovery_h=recovery.recovery_h, unloaded_recovery_h=unloaded.recovery_h)
        return replace(result, workings={**result.workings, **found})


def find_limit(case: Case, today: Holdover, averaged_h: float | None) -> tuple[LimitedBy, float | None]:
    """Return what limits a holdover, and the holdover with the cut-off lowered to what is needed where that was tried. [h]"""
    end = today.end
    if today.holdover_h <= 0 and end.in_alarm and today.endurance_h > 0:
        return LimitedBy.ALARM, None
    if end.cause is EndCause.COLLAPSE:
        return LimitedBy.VOLTAGE_COLLAPSE, None
    if case.threshold.origin is ThresholdOrigin.CHEMISTRY:
        return LimitedBy.END_VOLTAGE, None
    if averaged_h is not None and end.in_burst and averaged_h >= NOTICEABLY_LONGER_RATIO * today.holdover_h and averaged_h > 0:
        return LimitedBy.BURST, None
    lowered_h = None
    if case.threshold.origin is ThresholdOrigin.CUTOFF:
        needed_v = max([case.bank.end_v, *(load.min_v for load in case.loads if load.essential and load.min_v is not None)])
        if case.threshold.threshold_v > needed_v + 1e-6:
            lowered_h = case.holdover(threshold_v=needed_v).holdover_h
            if lowered_h >= NOTICEABLY_LONGER_RATIO * today.holdover_h and lowered_h > 0:
                return LimitedBy.CUTOFF_HIGH, lowered_h
    left_ratio = 1.0 - end.u_ah / case.outage().pack.capacity_ah
    if end.in_alarm and left_ratio > CHARGE_LEFT_RATIO:
        return LimitedBy.ALARM, lowered_h
    return LimitedBy.CAPACITY, lowered_h


def estimate_band(case: Case, expected_h: float) -> tuple[Band, tuple[BandInput, ...]]:
    """Return the 95 % band of a holdover and the share of each uncertain input in its low side.

    low = expected·exp(−√Σδᵢ²) with δᵢ = ln(expected / result with input i alone at its bad end); high likewise with the good ends.
    """
    runs = _band_runs(case)
    falls = [_log_ratio(expected_h, bad_h) for *_, bad_h, _ in runs]
    rises = [_log_ratio(good_h, expected_h) for *_, good_h in runs]
    if case.supply.totals:
        falls, rises = _narrowed(case, expected_h, falls, rises)
    shares = _shares_of(falls)
    return band_of(expected_h, math.hypot(*falls), math.hypot(*rises)), tuple(
        BandInput(key=key, name=name, provenance=provenance, low_h=bad_h, high_h=good_h, share_ratio=share)
        for (key, name, provenance, bad_h, good_h), share in zip(runs, shares, strict=True)
    )


def band_deltas(case: Case, expected_h: float) -> tuple[list[float], list[float]]:
    """Return the fall and the rise of ln(holdover) with each input alone at its ends: the loads in their order, then the bank's."""
    runs = _band_runs(case)
    falls = [min(_log_ratio(expected_h, bad_h), GREATEST_DELTA) for *_, bad_h, _ in runs]
    return falls, [min(_log_ratio(good_h, expected_h), GREATEST_DELTA) for *_, good_h in runs]


def band_of(expected_h: float, fall: float, rise: float) -> Band:
    """Return the band of a whole fall and rise of ln(holdover)."""
    return Band(
        low=expected_h * math.exp(-fall),
        expected=expected_h,
        high=min(expected_h * math.exp(min(rise, 50.0)), max([expected_h, 87_600.0])),
    )


def _band_runs(case: Case) -> list[tuple[str, str, str, float, float]]:
    """Return key, name, provenance and the holdover at the bad and the good end of each uncertain input. [h]"""
    runs: list[tuple[str, str, str, float, float]] = []
    moved = _Moved(case)
    for currents in case.currents:
        load, climate = currents.load, case.climate_of(currents.load)
        bad_h = moved.holdover_h(currents, worst_currents(currents, climate))
        good_h = moved.holdover_h(currents, best_currents(currents, climate))
        runs.append((load.key, load.name, load.standby.provenance.value, bad_h, good_h))
    # A discharge table says more than a nameplate.
    spread = TABLED_SPREAD_RATIO if case.bank.table else CAPACITY_SPREAD_RATIO
    bad_h, good_h = (case.holdover(capacity_ratio=1 + sign * spread).holdover_h for sign in (-1, 1))
    runs.append(("bank_capacity", "battery capacity", "discharge table" if case.bank.table else "nameplate", bad_h, good_h))
    if case.bank.condition_ratio is None:
        c = case.condition_today_ratio
        bad_h, good_h = (case.holdover(condition_ratio=c + sign * CONDITION_SPREAD_RATIO).holdover_h for sign in (-1, 1))
        runs.append(("bank_condition", "battery condition", "from its age", bad_h, good_h))
    return runs


def _narrowed(case: Case, expected_h: float, falls: list[float], rises: list[float]) -> tuple[list[float], list[float]]:
    """Return the deltas with what measured totals of standby explain taken off those of the loads, in proportion to their squares."""
    totals, parts = case.total_parts_a(in_alarm=False)
    if not totals:
        return falls, rises
    limits_a = [t.uncertainty_a for t in totals]
    bad, good = standby_deltas(case, expected_h)
    count = len(case.loads)

    def taken_off(deltas: list[float], standby: list[float]) -> list[float]:
        whole = sum(d * d for d in deltas[:count])
        if whole <= 0 or math.isinf(whole):
            return deltas
        left = max(0.0, whole - explained_square(standby, parts, limits_a))
        return [d * math.sqrt(left / whole) for d in deltas[:count]] + deltas[count:]

    return taken_off(falls, bad), taken_off(rises, good)


class _Moved:
    """Holdovers with one load moved. Loads without bursts or cable that move the demand by as much have the same one: it is run once."""

    def __init__(self, case: Case) -> None:
        self.case = case
        self.known: dict[tuple[float, ...], float] = {}

    def holdover_h(self, before: LoadCurrents, after: LoadCurrents) -> float:
        """Return the holdover with a load's currents changed. [h]"""
        if before.load.bursts or before.load.cable:
            return self.case.holdover(changed=after).holdover_h
        moves = [
            round(b - a, 12)
            for state in (False, True)
            for a, b in zip(mean_draw(before, in_alarm=state), mean_draw(after, in_alarm=state), strict=True)
        ]
        key = tuple(moves)
        if key not in self.known:
            self.known[key] = self.case.holdover(changed=after).holdover_h
        return self.known[key]


def standby_deltas(case: Case, expected_h: float) -> tuple[list[float], list[float]]:
    """Return for each load the fall and the rise of ln(holdover) with its standby current alone at its bad and its good end."""
    bad: list[float] = []
    good: list[float] = []
    moved = _Moved(case)
    for currents in case.currents:
        climate = case.climate_of(currents.load)
        bad_h = moved.holdover_h(currents, worst_currents(currents, climate, standby_only=True))
        good_h = moved.holdover_h(currents, best_currents(currents, climate, standby_only=True))
        bad.append(min(_log_ratio(expected_h, bad_h), GREATEST_DELTA))
        good.append(min(_log_ratio(good_h, expected_h), GREATEST_DELTA))
    return bad, good


def _log_ratio(longer_h: float, shorter_h: float) -> float:
    """Return ln(longer/shorter), not below zero; infinite where the shorter run does not hold at all."""
    if longer_h <= 0 or longer_h <= shorter_h:
        return 0.0
    return math.inf if shorter_h <= 0 else math.log(longer_h / shorter_h)


def _shares_of(deltas: list[float]) -> list[float]:
    certain = [d for d in deltas if math.isinf(d)]
    if certain:
        return [1.0 / len(certain) if math.isinf(d) else 0.0 for d in deltas]
    total = sum(d * d for d in deltas)
    return [d * d / total if total > 0 else 0.0 for d in deltas]


def _shares(case: Case) -> tuple[LoadShare, ...]:
    nominal_v = case.supply.nominal_v
    shares = [
        LoadShare(
            key=c.load.key,
            name=c.load.name,
            quantity=c.load.quantity,
            standby_current_a=mean_draw(c, in_alarm=False).at_nominal_a(nominal_v),
            alarm_current_a=mean_draw(c, in_alarm=True).at_nominal_a(nominal_v),
            peak_current_a=max(peak_draw(c, in_alarm=state).at_nominal_a(nominal_v) for state in (False, True)),
            bursts_per_hour=sum(b.per_hour for b in c.load.bursts) * c.load.quantity,
            provenance=c.load.standby.provenance.value,
        )
        for c in case.currents
    ]
    if case.supply.own_current_a > 0:
        own_a = case.supply.own_current_a
        shares.append(
            LoadShare(
                key="",
                name="The supply itself",
                quantity=1,
                standby_current_a=own_a,
                alarm_current_a=own_a,
                peak_current_a=own_a,
                bursts_per_hour=0.0,
                provenance="",
            )
        )
    return tuple(shares)
