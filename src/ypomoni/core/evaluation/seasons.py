"""A supply over its season: what its cuts, its windows of charge or its sun come to, as figures. Nothing is judged here."""

from dataclasses import replace

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.evaluation.source_workings import of_cuts, of_solar
from ypomoni.core.outage.case import Case
from ypomoni.core.requirements.patterns import WEEK_H, TimePattern
from ypomoni.core.seasons.cuts import CutsPlayed, cut_pattern, cuts_of, gives_back_ratio, play_cuts, unknown_of_charger
from ypomoni.core.seasons.sun import SunPlayed, play_sun, sun_of
from ypomoni.core.seasons.walking import Assumed, Walker
from ypomoni.core.telling.results import CutsResult, SolarResult, SupplyResult, Working

# N = a·depth^−1.3 cycles: about 250 whole ones for lead of the general kind, 2,000 of 0.8 for lithium iron phosphate. Common practice. [M]
CYCLES_POWER = -1.3
# Less than this is no cycle.
LEAST_DEPTH_RATIO = 1e-3


def with_season(result: SupplyResult, case: Case, *, in_full: bool) -> SupplyResult:
    """Return a result with what its season comes to; ``in_full`` False leaves out the end of its life in the cold."""
    supply = case.supply
    pattern, solar = cut_pattern(supply), sun_of(case)
    if pattern is not None:
        missing = unknown_of_charger(supply)
        if missing:
            return replace(result, pattern_missing=missing)
        found = cuts_result(case, pattern, in_full=in_full)
        walker = Walker(case, Assumed())
        result = _opened(replace(result, cuts=found), "cuts", of_cuts(case, found, walker.mean_a, walker.pack.self_a) if in_full else None)
    if solar is not None:
        told = solar_result(case, play_sun(case, solar))
        result = _opened(replace(result, solar=told), "solar", of_solar(case, told) if in_full else None)
    return result


def _opened(result: SupplyResult, key: str, working: Working | None) -> SupplyResult:
    return result if working is None else replace(result, workings={**result.workings, key: working})


def at_its_worst(case: Case) -> Assumed:
    """Return the end of a bank's life, in the cold."""
    return Assumed(condition_ratio=case.requirement.end_of_life_ratio, cold=True)


def cuts_result(case: Case, pattern: TimePattern, *, in_full: bool) -> CutsResult:
    """Return what a pattern comes to."""
    played = play_cuts(case, pattern)
    worst = play_cuts(case, pattern, at_its_worst(case)).survives if in_full else None
    return told_of_cuts(case, pattern, played, worst_survives=worst)


def told_of_cuts(case: Case, pattern: TimePattern, played: CutsPlayed, *, worst_survives: bool | None) -> CutsResult:
    """Return what was played as it is told."""
    c20_ah = case.bank.rated_c20_ah
    cycles_per_y = played.taken_ah_per_y / c20_ah
    end_h = 2 * WEEK_H if pattern.repeats else pattern.length_h
    spans = cuts_of(case.supply, pattern, end_h)
    failing = played.cuts[-1] if played.cuts and not played.survives else None
    return CutsResult(
        survives=played.survives,
        fails_on_day=played.fails_on_day,
        lowest_charge_ratio=played.lowest_charge_ratio,
        settled=played.settled,
        full_cycles_per_y=cycles_per_y,
        worst_survives=worst_survives,
        fails_at_h=played.fails_at_h,
        failing_cut_h=failing.end_h - failing.start_h if failing else None,
        dies_at_h=played.dies_at_h,
        charge_at_failing_ratio=failing.left_at_start_ratio if failing else None,
        longest_cut_h=max((b - a for a, b in spans), default=0.0),
        cut_h_per_week=sum(b - a for a, b in spans) * WEEK_H / end_h if end_h > 0 else 0.0,
        longest_low_h=played.longest_low_h,
        gives_back_ratio=gives_back_ratio(case, pattern),
        cycle_life_y=cycle_life_y(case.bank.chemistry_key, 1.0 - played.lowest_charge_ratio, cycles_per_y),
    )


def cycle_life_y(chemistry_key: str, depth_ratio: float, full_cycles_per_y: float) -> float | None:
    """Return how long the cycle life at a depth lasts; None where none is tabled, or nothing is cycled. [years]

    Cycles of that depth a year are the full ones over the depth.
    """
    if depth_ratio < LEAST_DEPTH_RATIO or full_cycles_per_y <= 0.0:
        return None
    tabled = CHEMISTRIES[chemistry_key].cycle_life
    if tabled is None:
        return None
    cycles_count = tabled[0] * (depth_ratio / tabled[1]) ** CYCLES_POWER
    return cycles_count * depth_ratio / full_cycles_per_y


def solar_result(case: Case, played: SunPlayed) -> SolarResult:
    """Return two years on the sun as they are told."""
    last = played.days[-1] if played.days else None
    solar = case.supply.solar
    return SolarResult(
        yield_ah_per_day=played.yield_ah_per_day,
        need_ah_per_day=played.need_ah_per_day,
        worst_month=played.worst_month + 1,
        worst_ratio=played.worst_ratio,
        lowest_charge_ratio=played.lowest_charge_ratio,
        sustains=played.sustains,
        back_after_h=played.back_after_h,
        ends_on_day=None if played.ends_on_day is None else played.ends_on_day + 1,
        ends_in_month=last.month + 1 if last and not played.sustains else None,
        longest_low_h=played.longest_low_h,
        year_ratio=played.year_ratio,
        full_sun_a=solar.current_a(case.supply.charge_v, case.supply.nominal_v) if solar else 0.0,
    )
