"""What would make a supply survive its cuts or live on its sun: the smallest battery, charger or panel, the least load less.

Each way is found by the engine, put back into the supply, and played again before it is named.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

from ypomoni.core.bracketing import bracket
from ypomoni.core.evaluation.living import first_that, fitted_with, lives_through, why_no_season
from ypomoni.core.evaluation.recommending import (
    LARGER_MENDS,
    NOT_OF_A_BANK,
    SMALLER_MENDS,
    first_harmless,
    judge_briefly,
    judge_stated,
    say_new_risks,
    say_sold,
    severe_left,
)
from ypomoni.core.outage.case import Case
from ypomoni.core.requirements.patterns import WEEK_H, TimePattern
from ypomoni.core.seasons.cuts import play_cuts, unknown_of_charger
from ypomoni.core.seasons.walking import Assumed, Walker
from ypomoni.core.sizing.sold_list import SOLD_CHARGERS_A, sold_banks
from ypomoni.core.telling.results import Severity, SoldBank, SupplyResult
from ypomoni.core.telling.wording import say_amps, say_amps_at_least, say_percent, say_required_h
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply
from ypomoni.core.units import HOURS_PER_DAY

MOST_PANELS_COUNT = 20
# Loads are cut in steps of a hundredth: finer is not known of them.
LOAD_STEP_RATIO = 0.01
MOST_MISSED_DAYS = 60
# A battery that lives through the season may be too small for the hours that are asked: that is said beside it.
NOT_OF_THE_SEASON = NOT_OF_A_BANK | {"holdover_below_requirement", "capacity_below_method"}
# What another bank may mend, or no bank has to.
OF_SIZE = NOT_OF_THE_SEASON | LARGER_MENDS | SMALLER_MENDS


def season_ways(case: Case, result: SupplyResult, now: SupplyResult) -> tuple[str, ...]:
    """Return in words what would make a supply live through a season that it does not: bank, charger or panels, load; each played again.

    ``result`` has its figures and the bank that is recommended, ``now`` what is found of it as it is.
    """
    failing = (result.cuts is not None and not result.cuts.survives) or (result.solar is not None and not result.solar.sustains)
    return tuple(_ways(case, result, now)) if failing else ()


def _ways(case: Case, result: SupplyResult, now: SupplyResult) -> Iterator[str]:
    supply, loads = case.supply, case.loads
    # On the sun another panel is the cheaper remedy, and a battery that is never full is none.
    if supply.of_kind.is_sunlit:
        yield from (*_more_sun(supply, loads, now), *_more_battery(case, result))
    else:
        yield from (*_more_battery(case, result), *_more_charge(supply, loads, now, case.mean_current_a(in_alarm=False)))
    less = least_load_less_ratio(supply, loads)
    if less is not None:
        yield f"Or {say_percent(less)} less load: {say_amps((1.0 - less) * case.mean_current_a(in_alarm=False))} on average in all."


def _more_battery(case: Case, result: SupplyResult) -> Iterator[str]:
    smallest, fit = smallest_bank(case), result.recommended_bank
    if smallest is None:
        yield result.no_bank_reason or why_no_season(case, None)
        return
    risks = () if fit is None else result.bank_risks
    stays = f" A risk stays: {' '.join(risks)}" if risks else ""
    if fit == smallest:
        yield f"A new battery of {say_sold(smallest)} does it.{stays}"
    elif fit is not None:
        yield f"A new battery of {say_sold(smallest)} does it; to hold its {say_required_h(result.standby_h)} as well it takes {say_sold(fit)}.{stays}"
    else:
        yield f"A new battery of {say_sold(smallest)} does it, but not its hours. {result.no_bank_reason or ''}".rstrip()


def smallest_bank(case: Case) -> SoldBank | None:
    """Return the smallest sold bank with which the season is lived through, whatever the hours, and nothing else severe is earned; None where none is."""
    supply = case.supply
    if not case.bank.suits(supply.nominal_v):
        return None
    banks = sold_banks(case.bank.chemistry_key, case.bank.bank_v, supply.stock)
    # A season takes long to play. What is severe whatever the battery shows without one, and is asked first.
    if not banks or severe_left(judge_stated(fitted_with(supply, banks[0]), case.loads).findings, OF_SIZE):
        return None
    return first_harmless(case, banks, NOT_OF_THE_SEASON).bank


def _more_charge(supply: Supply, loads: tuple[Load, ...], now: SupplyResult, standby_a: float) -> Iterator[str]:
    charger_a = smallest_charger_a(supply, loads, standby_a)
    worse, comes = (None, "") if charger_a is None else _earns(now, with_charger(supply, charger_a, standby_a), loads)
    if charger_a is None or worse:
        yield "No charger that suits this battery does it alone."
    elif supply.of_kind.mains_carries:
        yield f"Or a charger of {say_amps(charger_a)} for the battery that is there.{comes}"
    else:
        whole_a = say_amps_at_least(charger_a + standby_a)
        yield f"Or a charger of {say_amps(charger_a)} for the battery that is there, beside its loads: {whole_a} in all at least.{comes}"


def _more_sun(supply: Supply, loads: tuple[Load, ...], now: SupplyResult) -> Iterator[str]:
    count = fewest_panels_count(supply, loads)
    earned, comes = (None, "") if count is None else _earns(now, with_panels(supply, count), loads)
    if count is not None and earned is not None:
        yield f"{count} such panels would do it, but not so: {earned}"
    elif count is None:
        yield f"Not even {MOST_PANELS_COUNT} such panels do it alone."
    elif supply.solar is not None:
        yield f"{count} such panels in place of {supply.solar.panels_count} do it.{comes}"


def _earns(before: SupplyResult, changed: Supply, loads: tuple[Load, ...]) -> tuple[str | None, str]:
    """Return what a changed supply earns, in words: any danger, though it was there before, or a failure that was not (else None); and new risks."""
    after = judge_briefly(changed, loads)
    here = {(f.code, f.severity) for f in before.findings}
    worse = (
        f for f in after.findings if f.severity is Severity.DANGER or (f.severity is Severity.FAILS and (f.code, f.severity) not in here)
    )
    return next((f.evidence for f in worse), None), say_new_risks(before, after)


def with_charger(supply: Supply, charger_a: float, standby_a: float) -> Supply:
    """Return a supply whose charger has so much left beside its loads. [A]"""
    whole_a = None if supply.of_kind.mains_carries else max(supply.supply_current_a or 0.0, charger_a + standby_a)
    return replace(supply, charge_limit_a=charger_a, supply_current_a=whole_a)


def smallest_charger_a(supply: Supply, loads: tuple[Load, ...], standby_a: float) -> float | None:
    """Return the smallest sold charger with which the bank that is there survives, none that is too strong for it; None where none does. [A]"""
    bank = supply.bank
    # A charger that the battery does not bear is no way out of a cut that it does not last through.
    most_a = math.inf if bank is None else bank.chemistry.greatest_charge_per_h * bank.rated_c20_ah * (1 + 1e-9)
    stronger = [a for a in SOLD_CHARGERS_A if (supply.charge_limit_a or 0.0) < a <= most_a]
    n = first_that(len(stronger), lambda i: lives_through(with_charger(supply, stronger[i], standby_a), loads))
    return None if n is None else stronger[n]


def with_panels(supply: Supply, count: int) -> Supply:
    """Return a supply with another number of its panels."""
    return supply if supply.solar is None else replace(supply, solar=replace(supply.solar, panels_count=count))


def fewest_panels_count(supply: Supply, loads: tuple[Load, ...]) -> int | None:
    """Return the fewest panels of its kind, more than it has, on which the supply lives; None where twenty are too few."""
    if supply.solar is None:
        return None
    counts = range(supply.solar.panels_count + 1, MOST_PANELS_COUNT + 1)
    n = first_that(len(counts), lambda i: lives_through(with_panels(supply, counts[i]), loads))
    return None if n is None else counts[n]


def with_load_ratio(supply: Supply, loads: tuple[Load, ...], ratio: float) -> tuple[Supply, tuple[Load, ...]]:
    """Return a supply and its loads that all draw so many times as much, what was measured of them too."""
    totals = tuple(replace(t, current_a=t.current_a * ratio, uncertainty_a=t.uncertainty_a * ratio) for t in supply.totals)
    return replace(supply, totals=totals), tuple(load.scaled(ratio) for load in loads)


def least_load_less_ratio(supply: Supply, loads: tuple[Load, ...]) -> float | None:
    """Return by how much all loads together must draw less, in whole hundredths; None where even nearly nothing does not do."""
    steps_count = round(1.0 / LOAD_STEP_RATIO)
    n = first_that(steps_count - 1, lambda i: lives_through(*with_load_ratio(supply, loads, 1.0 - (i + 1) * LOAD_STEP_RATIO)))
    return None if n is None else (n + 1) * LOAD_STEP_RATIO


@dataclass(frozen=True, slots=True, kw_only=True)
class WindowFacts:
    """How much charge windows of time leave to spare: the least hours a day that still sustain it (None: not even all day does), and missed days."""

    hours_per_day: float
    least_per_day: float | None
    missed_days_count: int | None


def window_facts(case: Case) -> WindowFacts | None:
    """Return what can be said of a supply's windows of charge; None where it has none that can be played."""
    supply, pattern = case.supply, case.supply.windows
    if not supply.of_kind.has_windows or pattern is None or not pattern.week or unknown_of_charger(supply):
        return None
    days_count = WEEK_H / HOURS_PER_DAY

    def sustains(ratio: float) -> bool:
        return lives_through(replace(supply, windows=_stretched(pattern, ratio)), case.loads)

    here_h, widest = pattern.covered_h / days_count, WEEK_H / max(pattern.covered_h, 1e-9)
    least_h = None
    if sustains(widest):
        high = bracket(lambda r: not sustains(r), 0.0, widest, width=1.0 / 60.0 / max(here_h, 1.0 / 60.0))[1]
        least_h = _stretched(pattern, high).covered_h / days_count
    missed = _missed_days_count(case, pattern) if sustains(1.0) else None
    return WindowFacts(hours_per_day=here_h, least_per_day=least_h, missed_days_count=missed)


def _stretched(pattern: TimePattern, ratio: float) -> TimePattern:
    """Return windows that start as they do and last so many times as long."""
    return replace(pattern, week=tuple(replace(s, duration_h=s.duration_h * ratio) for s in pattern.week or ()))


def _missed_days_count(case: Case, pattern: TimePattern) -> int:
    """Return how many days in a row without charge are borne, from the worst moment of a settled week."""
    played = play_cuts(case, pattern)
    last = [c for c in played.cuts if c.end_h > played.walked_h - WEEK_H] or list(played.cuts)
    walker = Walker(case, Assumed())
    borne = MOST_MISSED_DAYS
    for cut in last:
        # Only the charge is kept of a cut that was played; that it had time to spread while it was charged is near enough for whole days.
        state = ((1.0 - cut.left_at_start_ratio) * walker.pack.capacity_ah, 0.0)
        count = 0
        while count < borne:
            until_h = cut.end_h + (count + 1) * HOURS_PER_DAY
            if not walker.carries(cut.start_h, until_h, state, walker.rest(cut.start_h, until_h, state)):
                break
            count += 1
        borne = min(borne, count)
    return borne
