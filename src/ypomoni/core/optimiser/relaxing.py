"""Where moving alone cannot do it: the best balance there is, why that is not enough, and the smallest change that would. Called by the front."""

from collections.abc import Iterator
from dataclasses import replace

from ypomoni.core.balancing import fixed_reason, moved
from ypomoni.core.batteries import Bank
from ypomoni.core.case import Case
from ypomoni.core.meeting import Limit, can_be_computed, meets, standings
from ypomoni.core.optimiser.answers import Binding, Effort, Move, Objective, Relaxation, Relaxing
from ypomoni.core.optimiser.search import Search
from ypomoni.core.optimiser.units import units_of
from ypomoni.core.requirements import Method
from ypomoni.core.results import SoldBank
from ypomoni.core.sizing import c20_of
from ypomoni.core.sizing.recommended import sold_banks
from ypomoni.core.supplies import Plan, Supply
from ypomoni.core.wording import say_amp_hours, say_amps

NEW_KEY = "one-more"
# The best balance is known to so much of its hours.
BALANCE_STEP_RATIO = 0.02
ONE_TRY_S = 3.0


def after(plan: Plan, moves: tuple[Move, ...]) -> Plan:
    """Return a plan with moves made; what is left out hangs on nothing."""
    to = {m.load_key: m.to_key for m in moves}
    return replace(plan, loads=tuple(moved(plan, load, to[load.key]) if load.key in to else load for load in plan.loads))


def bindings_of(plan: Plan) -> tuple[Binding, ...]:
    """Return the most used limit of every supply whose hours can be named, and those hours."""
    found: list[Binding] = []
    for supply in plan.supplies:
        loads = plan.loads_on(supply.key)
        if can_be_computed(supply, loads):
            case = Case(replace(supply, totals=()), loads)
            if not case.draws_nothing:
                used = standings(case)
                hours = next(s for s in used if s.limit is Limit.HOURS)
                found.append(Binding(supply_key=supply.key, standing=used[0], holdover_h=hours.amount or 0.0))
    return tuple(found)


def coverage_ratio(plan: Plan) -> float:
    """Return the smallest share of its hours that a supply of a plan holds."""
    return min((_coverage_of(plan, s) for s in plan.supplies), default=float("inf"))


def _coverage_of(plan: Plan, supply: Supply) -> float:
    """Return the share of its hours that one supply holds; infinite where it has none to hold or they cannot be named."""
    loads, must_h = plan.loads_on(supply.key), supply.requirement.standby_h
    if must_h <= 0 or not can_be_computed(supply, loads):
        return float("inf")
    case = Case(replace(supply, totals=()), loads)
    return float("inf") if case.draws_nothing else case.holdover().holdover_h / must_h


def best_balance(plan: Plan, effort: Effort, until_s: float) -> tuple[tuple[Move, ...], float, bool]:
    """Return the moves after which the weakest supply holds the greatest share of its hours, that share, and whether none does 2 % better.

    Rails, buses, company, output limits and pins are kept; the prescribed formula and the recharge are not asked, since they may be what
    cannot be met.
    """
    best, share_ratio = (), coverage_ratio(plan)
    asked = share_ratio * (1 + BALANCE_STEP_RATIO) if share_ratio > 0 else BALANCE_STEP_RATIO
    step = BALANCE_STEP_RATIO
    ruled_out = float("inf")
    while effort.clock() < until_s and asked < 1.0 + 1e-9 and not effort.is_stopped():
        found = Search(_scaled(plan, asked), Objective.MOVES, effort)
        answer = found.run(min(until_s, effort.clock() + 0.25 * (until_s - effort.clock()) + 0.5))
        if answer.placement is None:
            if not answer.is_ruled_out:
                return best, share_ratio, False
            ruled_out = min(ruled_out, asked)
            step = BALANCE_STEP_RATIO
        else:
            best = found.moves(answer.placement)
            share_ratio = max(asked, coverage_ratio(after(plan, best)))
            step *= 2
        asked = share_ratio * (1 + step)
        if asked >= ruled_out:
            if share_ratio * (1 + BALANCE_STEP_RATIO) >= ruled_out:
                return best, share_ratio, True
            step = BALANCE_STEP_RATIO
            asked = 0.5 * (share_ratio * (1 + BALANCE_STEP_RATIO) + ruled_out)
    return best, share_ratio, share_ratio * (1 + BALANCE_STEP_RATIO) >= min(ruled_out, 1.0)


def _scaled(plan: Plan, share_ratio: float) -> Plan:
    """Return a plan of which every supply must hold a share of its hours, and nothing of formula or recharge."""

    def eased(supply: Supply) -> Supply:
        hours_h = supply.requirement.standby_h * share_ratio
        return replace(supply, requirement=replace(supply.requirement, standby_h=hours_h, method=Method.SIMULATION, recharge_h=None))

    return replace(plan, supplies=tuple(eased(s) for s in plan.supplies))


def reasons_of(plan: Plan) -> tuple[str, ...]:
    """Say why moving alone is not enough: loads that no supply carries even alone, or more asked in all than all supplies give."""
    supplies = [s for s in plan.supplies if s.is_modelled and s.bank is not None]
    here = {s.key for s in supplies}
    found: list[str] = []
    for unit in units_of([load for load in plan.loads if load.supply_key in here]):
        if not any(_carries_alone(plan, unit, s) for s in supplies):
            names = " with ".join(load.name for load in unit[:3])
            found.append(f"No supply carries {names}, not even with nothing else on it.")
    empty = [s for s in supplies if not meets(replace(s, totals=()), ())]
    found += [f"{s.name} fails with nothing on it: its own {say_amps(s.own_current_a)} are too much for its battery." for s in empty]
    if found:
        return tuple(found[:6])
    asked_ah = sum(
        Case(replace(s, totals=()), plan.loads_on(s.key)).mean_current_a(in_alarm=state) * hours_h
        for s in supplies
        for state, hours_h in ((False, s.requirement.standby_h), (True, s.requirement.alarm_h))
    )
    given_ah = sum(Case(replace(s, totals=()), ()).outage().pack.capacity_ah for s in supplies)
    words = f"The loads ask for {say_amp_hours(asked_ah)} over their hours; all batteries as they are today hold {say_amp_hours(given_ah)}"
    if asked_ah > given_ah:
        return (f"{words}: no placement makes up for that.",)
    return (f"{words}, yet rails, buses, limits and the size of the pieces leave no placement in which every supply keeps its part.",)


def _carries_alone(plan: Plan, unit: tuple, supply: Supply) -> bool:
    if any(load.supply_key != supply.key and fixed_reason(plan, load, supply) for load in unit):
        return False
    return meets(replace(supply, totals=()), tuple(replace(load, supply_key=supply.key) for load in unit))


def relaxations(plan: Plan, effort: Effort, until_s: float) -> Iterator[Relaxation]:
    """Yield the smallest change of each kind after which moving does it: a larger bank, one supply more, loads left out."""
    kinds = (_left_out, _one_supply_more, _larger_battery)
    for n, kind in enumerate(kinds):
        now_s = effort.clock()
        if now_s > until_s or effort.is_stopped():
            return
        # What one kind leaves of its time the next may use.
        found = kind(plan, effort, now_s + (until_s - now_s) * (0.3 if n < len(kinds) - 1 else 1.0))
        if found is not None:
            yield found


def _larger_battery(plan: Plan, effort: Effort, until_s: float) -> Relaxation | None:
    """Return the larger bank of one supply that adds least capacity and suffices.

    Per supply the sizes that are charged in time are halved into those that do and those that do not; more capacity only helps.
    """
    best: tuple[float, Relaxation] | None = None
    all_ruled_out = True
    able = [s for s in plan.supplies if s.is_modelled and s.bank is not None]
    for supply in sorted(able, key=lambda s: _coverage_of(plan, s)):
        sizes = [b for b in _sizes(supply) if best is None or c20_of(b) - supply_c20_ah(supply) < best[0]]
        low, high = -1, len(sizes)
        answer: Relaxation | None = None
        trying = len(sizes) - 1
        while low + 1 < high and sizes:
            if effort.clock() > until_s or effort.is_stopped():
                all_ruled_out = False
                break
            bank = sizes[trying]
            effort.tell(f"Trying {say_amp_hours(c20_of(bank))} in {supply.name}")
            search = Search(with_bank(plan, supply.key, bank), Objective.MOVES, effort)
            found = search.run(min(until_s, effort.clock() + ONE_TRY_S))
            if found.placement is not None:
                moves = search.moves(found.placement)
                answer = Relaxation(kind=Relaxing.BATTERY, supply_key=supply.key, bank=bank, moves=moves, is_smallest=True)
                high = trying
            else:
                all_ruled_out = all_ruled_out and found.is_ruled_out
                low = trying
                # Not even the largest: no smaller one does.
                if trying == len(sizes) - 1:
                    break
            trying = (low + high) // 2
        if answer is not None and answer.bank is not None:
            best = (c20_of(answer.bank) - supply_c20_ah(supply), answer)
    if best is None or best[1].bank is None:
        return None
    found = best[1]
    changed = after(with_bank(plan, found.supply_key or "", best[1].bank), found.moves)
    return replace(found, bindings=bindings_of(changed), is_smallest=all_ruled_out)


def supply_c20_ah(supply: Supply) -> float:
    """Return the rated capacity of a supply's bank, 0 without one. [Ah]"""
    return supply.bank.rated_c20_ah if supply.bank else 0.0


def _sizes(supply: Supply) -> list[SoldBank]:
    """Return the larger sold banks of a supply, one of a capacity, smallest first, but for those its charger never brings back in time."""
    found: dict[float, SoldBank] = {}
    if supply.bank is None:
        return []
    for bank in sold_banks(supply.bank.chemistry_key, supply.bank.bank_v, supply.stock):
        if c20_of(bank) > supply_c20_ah(supply) * 1.001:
            found.setdefault(round(c20_of(bank), 3), bank)
    return [b for b in found.values() if meets(replace(with_new(supply, b), totals=(), own_current_a=1e-6), ())]


def with_bank(plan: Plan, supply_key: str, bank: SoldBank) -> Plan:
    """Return a plan with a new bank of sold blocks in one supply."""
    return replace(plan, supplies=tuple(with_new(s, bank) if s.key == supply_key else s for s in plan.supplies))


def with_new(supply: Supply, bank: SoldBank) -> Supply:
    """Return a supply with a new bank of sold blocks."""
    fresh = Bank(
        chemistry_key=bank.chemistry,
        block_v=bank.block_v,
        capacity_ah=bank.capacity_ah,
        rate_h=bank.rate_h,
        series=bank.series,
        parallel=bank.parallel,
    )
    return replace(supply, bank=fresh)


def _one_supply_more(plan: Plan, effort: Effort, until_s: float) -> Relaxation | None:
    """Return the smallest supply of the plan of which one more, with its battery new, suffices."""
    able = [s for s in plan.supplies if s.is_modelled and s.bank is not None]
    is_smallest = True
    for supply in sorted(able, key=supply_c20_ah):
        if effort.clock() > until_s or effort.is_stopped():
            return None
        effort.tell(f"Trying one more like {supply.name}")
        bank = replace(supply.bank, age_y=0.0, condition_ratio=None) if supply.bank else None
        more = replace(supply, key=NEW_KEY, name=f"One more like {supply.name}", bank=bank, totals=())
        changed = replace(plan, supplies=(*plan.supplies, more))
        search = Search(changed, Objective.MOVES, effort)
        found = search.run(min(until_s, effort.clock() + ONE_TRY_S))
        if found.placement is not None:
            moves = search.moves(found.placement)
            binds = bindings_of(after(changed, moves))
            return Relaxation(kind=Relaxing.SUPPLY, supply_key=supply.key, moves=moves, bindings=binds, is_smallest=is_smallest)
        is_smallest = is_smallest and found.is_ruled_out
    return None


def _left_out(plan: Plan, effort: Effort, until_s: float) -> Relaxation | None:
    """Return the fewest loads to leave out, mere conveniences first, never life safety, and the moves beside that."""
    effort.tell("Trying which loads to leave out")
    search = Search(plan, Objective.MOVES, effort, may_drop=True)
    found = search.run(until_s)
    if found.placement is None:
        return None
    moves = search.moves(found.placement)
    return Relaxation(kind=Relaxing.DROP, moves=moves, bindings=bindings_of(after(plan, moves)), is_smallest=found.is_proven)


__all__ = ["NEW_KEY", "after", "best_balance", "bindings_of", "coverage_ratio", "reasons_of", "relaxations", "with_bank"]
