"""Every figure of one supply: currents, hours with band and scenarios, recovery, what each school asks. Nothing is judged here.

``in_full`` False leaves out what no verdict of *unsafe* or *fails* hangs on: band, scenarios, shares, the other schools. ``with_end`` adds to that
what ends the hours and when it warns, and so every risk but those of the band and the scenarios.
"""

from dataclasses import dataclass, replace

from ypomoni.core.evaluation import workings
from ypomoni.core.evaluation.seasons import with_season
from ypomoni.core.evaluation.source_workings import of_identified
from ypomoni.core.outage.band import estimate_band
from ypomoni.core.outage.case import Case, Hindrance, ThresholdOrigin, has_known_currents, hindrance_of
from ypomoni.core.outage.demand import mean_draw, peak_draw
from ypomoni.core.outage.ending import EndFacts, cause_of_end
from ypomoni.core.outage.ends import EndCause, Holdover
from ypomoni.core.outage.identifying import identify
from ypomoni.core.outage.recharge import charge_current_a, is_promised, recovery_beside, recovery_with
from ypomoni.core.outage.run import HORIZON_H
from ypomoni.core.outage.walk import walk
from ypomoni.core.outage.warning import low_battery_warning
from ypomoni.core.outage.why import named_bursts
from ypomoni.core.requirements import Method
from ypomoni.core.sizing import explain_disagreement, size_by, size_by_all_methods
from ypomoni.core.sizing.duty_cycle import duty_cycle_of
from ypomoni.core.telling.results import Band, EndState, LimitedBy, LoadShare, Scenarios, SupplyResult
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply

# More marks than this are not told apart on any strip.
MOST_BURST_MARKS = 200
NOT_COMPUTED = frozenset({Hindrance.KIND, Hindrance.AC_LOAD})


@dataclass(frozen=True, slots=True, kw_only=True)
class Figures:
    """What was computed of a supply: its result before it is judged, and its case where the currents at its battery are known."""

    result: SupplyResult
    case: Case | None
    peak_standby_current_a: float = 0.0
    peak_alarm_current_a: float = 0.0


def compute_figures(supply: Supply, loads: tuple[Load, ...], *, in_full: bool, with_end: bool = False) -> Figures:
    """Return the figures of a supply with its loads; those that cannot be computed are None."""
    figures = compute_currents(supply, loads)
    case, hindrance = figures.case, hindrance_of(supply, loads)
    if case is None or hindrance in NOT_COMPUTED:
        return figures
    result = figures.result
    standby_a, alarm_a = case.mean_current_a(in_alarm=False), case.mean_current_a(in_alarm=True)
    # Workings are read by people; a search looks at thousands of supplies and reads none.
    if in_full:
        peaks_a = (figures.peak_standby_current_a, figures.peak_alarm_current_a)
        found = workings.of_currents(case, standby_a, alarm_a, *peaks_a)
        timed = of_identified(supply, result.identified) if result.identified else None
        result = replace(result, workings=found if timed is None else {**found, "identified": timed})
    result = _with_methods(result, case, hindrance, in_full=in_full)
    result = _with_hours(result, case, hindrance, in_full=in_full, with_end=in_full or with_end)
    if hindrance is None:
        result = _with_recovery(result, case, standby_a)
        if not case.draws_nothing:
            result = with_season(result, case, in_full=in_full)
    return replace(figures, result=result)


def compute_currents(supply: Supply, loads: tuple[Load, ...]) -> Figures:
    """Return the currents of a supply and of each of its loads, which take no time, and nothing that needs an outage."""
    hindrance = hindrance_of(supply, loads)
    blank = _blank(supply, hindrance)
    if not has_known_currents(supply, loads):
        return Figures(result=blank, case=None)
    case = Case(supply, loads)
    peak_standby_a, peak_alarm_a = case.peak_current_a(in_alarm=False), case.peak_current_a(in_alarm=True)
    result = replace(
        blank,
        standby_current_a=case.mean_current_a(in_alarm=False),
        alarm_current_a=case.mean_current_a(in_alarm=True),
        peak_current_a=max(peak_standby_a, peak_alarm_a),
    )
    if hindrance not in NOT_COMPUTED:
        result = replace(result, shares=_shares(case))
        if supply.bank is not None:
            condition_ratio = case.condition_today_ratio
            result = replace(result, condition_ratio=condition_ratio, rated_c20_ah=case.bank.rated_c20_ah, identified=identify(supply))
    return Figures(result=result, case=case, peak_standby_current_a=peak_standby_a, peak_alarm_current_a=peak_alarm_a)


def _blank(supply: Supply, hindrance: Hindrance | None) -> SupplyResult:
    limited_by = LimitedBy.NOT_MODELLED_YET if hindrance in NOT_COMPUTED else None
    return replace(result_without_figures(supply), starts_at_ratio=supply.starts_at_ratio, limited_by=limited_by)


def result_without_figures(supply: Supply) -> SupplyResult:
    """Return the result of a supply with nothing in it but what is stated: who it is and what it must do."""
    requirement = supply.requirement
    return SupplyResult(
        key=supply.key,
        name=supply.name,
        kind=supply.kind.value,
        requirement_name=requirement.name,
        standby_h=requirement.standby_h,
        alarm_min=requirement.alarm_min,
        recharge_h=requirement.recharge_h,
        recharge_to_ratio=requirement.recharge_to_ratio,
    )


def _with_methods(result: SupplyResult, case: Case, hindrance: Hindrance | None, *, in_full: bool) -> SupplyResult:
    requirement, nominal_v = case.requirement, case.supply.nominal_v
    known = case if hindrance is None else None
    cycle = duty_cycle_of(case)
    # Beside the hours only what the prescribed method asks for decides, and where that is the simulation the hours decide alone.
    if not in_full:
        prescribed = requirement.method
        if prescribed is Method.SIMULATION:
            return result
        return replace(result, methods=(size_by(prescribed, cycle, requirement, known, nominal_v),))
    methods = size_by_all_methods(cycle, requirement, known, nominal_v)
    told = explain_disagreement(case, methods, requirement.method) if known else ()
    return replace(result, methods=methods, disagreement=told)


def _with_hours(result: SupplyResult, case: Case, hindrance: Hindrance | None, *, in_full: bool, with_end: bool) -> SupplyResult:
    if hindrance is Hindrance.NO_BANK:
        return replace(
            result,
            limited_by=LimitedBy.NO_BANK,
            holdover=Band(low=0.0, expected=0.0, high=0.0),
            endurance_h=0.0,
            scenarios=Scenarios(fresh=0.0, cold=0.0, end_of_life=0.0, worst=0.0),
            # With no battery all of the standby is missing.
            missing_ah=result.standby_current_a and result.standby_current_a * result.standby_h,
        )
    if hindrance is not None:
        return result
    # It would hold for ever, which is no figure to show: something is not entered.
    if case.draws_nothing:
        return replace(result, limited_by=LimitedBy.NOTHING_DRAWS)
    today = case.holdover()
    expected_h = today.holdover_h
    result = replace(result, holdover=Band(low=expected_h, expected=expected_h, high=expected_h))
    if with_end:
        result = _with_end(result, case, today)
    return _with_band(result, case, today) if in_full else result


def _with_band(result: SupplyResult, case: Case, today: Holdover) -> SupplyResult:
    band, inputs = estimate_band(case, today.holdover_h)
    scenarios = _scenarios(case)
    shown = workings.of_holdover(case, today, band, scenarios, case.run().pack, result.missing_ah or 0.0)
    return replace(
        result,
        holdover=band,
        band_inputs=inputs,
        scenarios=scenarios,
        workings={**result.workings, **shown, "band": workings.of_band(band, inputs)},
    )


def _with_end(result: SupplyResult, case: Case, today: Holdover) -> SupplyResult:
    averaged_h = averaged_holdover_h(case)
    limited_by, lowered_h = find_limit(case, today, averaged_h)
    outage = case.run()
    pack = outage.pack
    bursts, burst_a = named_bursts(case.followed, today.end) if today.end.in_burst else ((), 0.0)
    return replace(
        result,
        limited_by=limited_by,
        endurance_h=today.endurance_h,
        averaged_holdover_h=averaged_h,
        lowered_cutoff_holdover_h=lowered_h,
        end=EndState(
            t_h=today.end.t_h,
            charge_left_ratio=max(0.0, 1.0 - today.end.u_ah / pack.capacity_ah),
            current_a=today.end.current_a,
            terminal_v=today.end.terminal_v,
            threshold_v=today.end.threshold_v,
            # A load at the end of a cable goes before the battery or its cut-off does: the voltage is its own.
            threshold_origin=(ThresholdOrigin.EQUIPMENT if today.end.cable_owner else case.threshold.origin).value,
            threshold_owner=f"{today.end.cable_owner}, at the end of its cable" if today.end.cable_owner else case.threshold.owner,
            in_alarm=today.end.in_alarm,
            in_burst=today.end.in_burst,
            bursts=bursts,
            burst_current_a=burst_a,
        ),
        missing_ah=max(0.0, result.standby_h - today.holdover_h) * (result.standby_current_a or 0.0),
        warning=low_battery_warning(case, today.endurance_h),
        burst_times_h=outage.standby.burst_times_h(today.holdover_h, MOST_BURST_MARKS),
    )


def _scenarios(case: Case) -> Scenarios:
    """Return the holdovers with the battery in other states."""
    end_of_life_ratio = case.requirement.end_of_life_ratio
    return Scenarios(
        fresh=case.holdover(condition_ratio=1.0).holdover_h,
        cold=case.holdover(cold=True).holdover_h,
        end_of_life=case.holdover(condition_ratio=end_of_life_ratio).holdover_h,
        worst=case.holdover(condition_ratio=end_of_life_ratio, cold=True).holdover_h,
    )


def averaged_holdover_h(case: Case) -> float | None:
    """Return the holdover with bursts spread evenly; None without bursts. [h]"""
    return case.holdover(averaged=True).holdover_h if any(load.bursts for load in case.loads) else None


def _with_recovery(result: SupplyResult, case: Case, standby_a: float) -> SupplyResult:
    supply = case.supply
    result = replace(result, drained_after_h=_drained_after_h(case, standby_a))
    current_a = charge_current_a(supply, standby_a)
    # Nobody has said what charges it, or nothing may.
    if current_a is None or case.bank.chemistry.is_primary:
        return result
    found: dict[str, workings.Working] = {"charge_current": workings.of_charge_current(supply, current_a, standby_a)}
    result = replace(result, charge_current_a=current_a)
    recovery = recovery_beside(supply, standby_a)
    if recovery is not None:
        found["recovery"] = workings.of_recovery(case, recovery)
        result = replace(
            result, recovery_h=recovery.recovery_h, unloaded_recovery_h=recovery.recovery_h, recovery_is_promised=is_promised(supply)
        )
        allowed_h = supply.requirement.recharge_h
        # How fast it would be with nothing beside it tells a battery that is too large from a supply that is too busy.
        if recovery.recovery_h is None or (allowed_h is not None and recovery.recovery_h > allowed_h):
            unloaded = recovery_beside(supply, 0.0)
            result = replace(
                result,
                unloaded_recovery_h=unloaded.recovery_h if unloaded else None,
                set_voltage_limits=set_voltage_limits(supply),
            )
    return replace(result, workings={**result.workings, **found})


def set_voltage_limits(supply: Supply) -> bool:
    """Say whether even the strongest charger the bank takes would be too slow at the set voltage."""
    bank, allowed_h = supply.bank, supply.requirement.recharge_h
    if bank is None or bank.chemistry.charges_at_constant_current:
        return False
    # If the strongest that the bank bears is too slow as well, amperes are not what is missing.
    strongest_a = max(bank.chemistry.greatest_charge_per_h * bank.rated_c20_ah, supply.charge_limit_a or 0.0)
    found = recovery_with(supply, strongest_a)
    return found is not None and (found.recovery_h is None or (allowed_h is not None and found.recovery_h > allowed_h))


def _drained_after_h(case: Case, standby_a: float) -> float | None:
    """Return how long the bank makes up for a supply that gives less than its loads take; None where it gives enough. [h]"""
    supply = case.supply
    # Mains carries the loads of a UPS whatever its charger gives, so there nothing drains while it is on.
    if not supply.of_kind.shares_charger or supply.supply_current_a is None or supply.supply_current_a >= standby_a:
        return None
    pack = case.run().pack
    missing_a = standby_a - supply.supply_current_a
    return walk(pack, case.threshold.threshold_v, pack.start_u_ah, 0.0, [(0.0, missing_a, 0.0, 0.0)], HORIZON_H).t_h


def find_limit(case: Case, today: Holdover, averaged_h: float | None) -> tuple[LimitedBy, float | None]:
    """Return what limits a holdover, and the holdover with the cut-off lowered to what is needed where that was tried. [h]"""
    end = today.end
    # Standby would go on for a while, but no alarm could follow even at once: it is the alarm that is too much.
    if today.holdover_h <= 0 and end.in_alarm and today.endurance_h > 0 and end.cause is not EndCause.LIGHT_LOAD:
        return LimitedBy.ALARM, None
    return cause_of_end(
        EndFacts(
            t_h=today.holdover_h,
            collapses=end.cause is EndCause.COLLAPSE,
            switched_off=end.cause is EndCause.LIGHT_LOAD,
            at_end_voltage=case.threshold.origin is ThresholdOrigin.CHEMISTRY,
            in_burst=end.in_burst,
            in_alarm=end.in_alarm,
            charge_left_ratio=1.0 - end.u_ah / case.run().pack.capacity_ah,
            evenly_spread_h=lambda: averaged_h or 0.0,
            lowered_h=lambda: _lowered_h(case),
        )
    )


def _lowered_h(case: Case) -> float | None:
    """Return the holdover with the cut-off lowered to what is needed; None where it is not the cut-off that ends it. [h]"""
    if case.threshold.origin is not ThresholdOrigin.CUTOFF or case.threshold.threshold_v <= case.needed_v + 1e-6:
        return None
    return case.holdover(threshold_v=case.needed_v).holdover_h


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
    own_a = case.supply.own_draw.at_nominal_a(nominal_v)
    if own_a > 0:
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
