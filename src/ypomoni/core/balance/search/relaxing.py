"""Where moving alone cannot do it: the best balance there is, why that is not enough, and the smallest change that would."""

from collections.abc import Iterator, Mapping
from dataclasses import replace

from ypomoni.core.balance.limits import Limit, can_be_computed, meets, movable_supplies, standings
from ypomoni.core.balance.moves import fixed_reason, moved
from ypomoni.core.balance.search.answers import Binding, Effort, Move, Objective, Relaxation, Relaxing
from ypomoni.core.balance.search.placing import Search
from ypomoni.core.balance.search.units import units_of
from ypomoni.core.evaluation.figures import compute_figures
from ypomoni.core.evaluation.living import fitted_with, with_new_bank
from ypomoni.core.evaluation.recommending import NEVER, SEVERE, judge_briefly, judge_figures, recommend_bank, risks_in, say_sold
from ypomoni.core.evaluation.selectors import evaluate_selectors
from ypomoni.core.judgement import judge_unassigned
from ypomoni.core.outage.case import Case
from ypomoni.core.requirements import Method
from ypomoni.core.sizing import c20_of, sold_banks
from ypomoni.core.telling.results import SoldBank, Verdict
from ypomoni.core.telling.wording import say_amp_hours, say_amp_hours_needed, say_amps
from ypomoni.core.things.supplies import Plan, Supply

NEW_KEY = "one-more"
# The best balance is known to so much of its hours.
BALANCE_STEP_RATIO = 0.02
ONE_TRY_S = 3.0
# What moves may mend, and what the search answers for by itself.
OF_MOVES = frozenset(
    {
        "holdover_below_requirement",
        "capacity_below_method",
        "overload_standby",
        "overload_alarm",
        "current_above_cell",
        "drains_with_mains_on",
        "charger_too_slow",
        "charger_never_recovers",
    }
)


def after(plan: Plan, moves: tuple[Move, ...]) -> Plan:
    """Return a plan with moves made; what is left out hangs on nothing."""
    to = {m.load_key: m.to_key for m in moves}
    return replace(plan, loads=tuple(moved(plan, load, to[load.key]) if load.key in to else load for load in plan.loads))


def say_relaxation(r: Relaxation, names: Mapping[str, str]) -> str:
    """Say what to change beside the moves. ``names`` are those of supplies by key; a key stands for itself where it has none."""
    supply = names.get(r.supply_key or "", r.supply_key or "")
    if r.kind is Relaxing.BATTERY and r.bank is not None:
        return f"a new {say_sold(r.bank)} in {supply}"
    if r.kind is Relaxing.SUPPLY:
        return f"one more supply like {supply}, with a new battery"
    return f"{', '.join(m.name for m in r.dropped)} left out"


def bindings_of(plan: Plan) -> tuple[Binding, ...]:
    """Return the most used limit of every supply whose hours can be named, and those hours."""
    found: list[Binding] = []
    for supply in plan.supplies:
        loads = plan.loads_on(supply.key)
        if plan.selector_of(supply.key) is None and can_be_computed(supply, loads):
            case = Case(replace(supply, totals=()), loads)
            if not case.draws_nothing:
                used = standings(compute_figures(case.supply, loads, in_full=False))
                hours = next(s for s in used if s.limit is Limit.HOURS)
                found.append(Binding(supply_key=supply.key, standing=used[0], holdover_h=hours.amount or 0.0))
    return tuple(found)


def blocked_in(plan: Plan) -> tuple[str, ...]:
    """Say what no move can mend: severe findings that moves do not change, and supplies that are not computed."""
    found: list[str] = []
    for supply in plan.supplies:
        loads = plan.loads_on(supply.key)
        judged = judge_briefly(replace(supply, totals=()), loads)
        # What cannot be computed is left as it is by the search, so nothing of it is mended.
        # An input of a selector has its hours judged there.
        is_kept = plan.selector_of(supply.key) is not None or can_be_computed(supply, loads)
        kept = OF_MOVES if is_kept else frozenset[str]()
        found += [f"{supply.name}: {f.evidence}" for f in judged.findings if f.severity in SEVERE and f.code not in kept]
        if judged.verdict is Verdict.UNKNOWN:
            found.append(f"{supply.name}: its hours are not computed, so nobody knows whether it holds.")
    found += [s.line for s in evaluate_selectors(plan) if s.verdict in (Verdict.FAILS, Verdict.UNKNOWN)]
    found += [f.evidence for f in judge_unassigned(plan) if f.severity in SEVERE]
    return tuple(found)


def risks_of(plan: Plan, moves: tuple[Move, ...], renewed: str | None = None) -> tuple[str, ...]:
    """Say the risks that stay, once moves are made, with the supplies that lose or gain a load or get another bank. ``plan`` is as it is then."""
    touched = {key for m in moves for key in (m.from_key, m.to_key)} | {renewed}
    found: list[str] = []
    for supply in plan.supplies:
        if supply.key not in touched:
            continue
        # What was read in all speaks of the loads as they hung before. In full: what then holds on paper only is a risk as well.
        bare, loads = replace(supply, totals=()), plan.loads_on(supply.key)
        judged = judge_figures(bare, loads, compute_figures(bare, loads, in_full=True))
        found += [text if supply.name in text else f"{supply.name}: {text}" for text in risks_in(judged.findings)]
    return tuple(dict.fromkeys(found))


def coverage_ratio(plan: Plan) -> float:
    """Return the smallest share of its hours that a supply of a plan holds."""
    return min((_coverage_of(plan, s) for s in plan.supplies if plan.selector_of(s.key) is None), default=float("inf"))


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
            # It was easy, so a greater share is asked at once; a share that is refused brings the small step back.
            step *= 2
        asked = share_ratio * (1 + step)
        if asked >= ruled_out:
            if share_ratio * (1 + BALANCE_STEP_RATIO) >= ruled_out:
                return best, share_ratio, True
            step = BALANCE_STEP_RATIO
            # Between what is found and what is ruled out: halved.
            asked = 0.5 * (share_ratio * (1 + BALANCE_STEP_RATIO) + ruled_out)
    return best, share_ratio, share_ratio * (1 + BALANCE_STEP_RATIO) >= min(ruled_out, 1.0)


def _scaled(plan: Plan, share_ratio: float) -> Plan:
    """Return a plan in which every supply only has to hold a share of its hours; formula, recharge and cuts are not asked."""

    def eased(supply: Supply) -> Supply:
        hours_h = supply.requirement.standby_h * share_ratio
        return replace(
            supply, requirement=replace(supply.requirement, standby_h=hours_h, method=Method.SIMULATION, recharge_h=None, cuts=None)
        )

    return replace(plan, supplies=tuple(eased(s) for s in plan.supplies))


def reasons_of(plan: Plan) -> tuple[str, ...]:
    """Say why moving alone is not enough: a load is too much for any supply even alone, or all loads together ask more than all supplies give."""
    supplies = movable_supplies(plan)
    here = {s.key for s in supplies}
    found: list[str] = []
    for unit in units_of([load for load in plan.loads if load.supply_key in here]):
        if not any(_carries_alone(plan, unit, s) for s in supplies):
            names = " with ".join(load.name for load in unit[:3])
            found.append(f"No supply carries {names}, not even with nothing else on it.")
    empty = [s for s in supplies if not meets(replace(s, totals=()), ())]
    found += [
        f"{s.name} fails with nothing on it: its own {say_amps(s.own_draw.at_nominal_a(s.nominal_v))} are too much for its battery."
        for s in empty
    ]
    if found:
        return tuple(found[:6])
    asked_ah = sum(
        Case(replace(s, totals=()), plan.loads_on(s.key)).mean_current_a(in_alarm=state) * hours_h
        for s in supplies
        for state, hours_h in ((False, s.requirement.standby_h), (True, s.requirement.alarm_h))
    )
    given_ah = sum(Case(replace(s, totals=()), ()).run().pack.capacity_ah for s in supplies)
    words = (
        f"The loads ask for {say_amp_hours_needed(asked_ah)} over their hours. All batteries together hold {say_amp_hours(given_ah)} today"
    )
    if asked_ah > given_ah:
        return (f"{words}. Moving loads does not make up for that.",)
    return (f"{words}. But rails, buses, limits and the size of the loads do not let them be shared out so that every supply holds.",)


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
    """Return the larger bank of one supply that adds least capacity and suffices, as it is recommended for what then hangs there.

    Per supply and number of strings the sizes are bisected; more capacity only helps.
    """
    best: tuple[float, Relaxation] | None = None
    all_ruled_out = True
    able = movable_supplies(plan)
    for supply in sorted(able, key=lambda s: _coverage_of(plan, s)):
        most_ah = None if best is None else best[0]
        answer, ruled_out = _smallest_bank(plan, supply, effort, until_s, most_ah)
        all_ruled_out = all_ruled_out and ruled_out
        if answer is not None and answer.bank is not None:
            added_ah = c20_of(answer.bank) - supply_c20_ah(supply)
            if most_ah is None or added_ah < most_ah:
                best = (added_ah, answer)
    if best is None or best[1].bank is None:
        return None
    found = best[1]
    changed = after(with_bank(plan, found.supply_key or "", best[1].bank), found.moves)
    risks = risks_of(changed, found.moves, found.supply_key)
    return replace(found, bindings=bindings_of(changed), risks=risks, is_smallest=found.is_smallest and all_ruled_out)


def _smallest_bank(plan: Plan, supply: Supply, effort: Effort, until_s: float, most_ah: float | None) -> tuple[Relaxation | None, bool]:
    """Return the smallest bank of a supply with which moving does it, and whether all smaller ones were ruled out."""
    all_ruled_out = True
    for sizes in _sizes(supply, most_ah):
        # The largest first: where not even that does it, no smaller one has to be searched.
        low, high, trying = -1, len(sizes), len(sizes) - 1
        answer: tuple[SoldBank, tuple[Move, ...]] | None = None
        while low + 1 < high:
            if effort.clock() > until_s or effort.is_stopped():
                all_ruled_out = False
                break
            effort.tell(f"Trying {say_amp_hours(c20_of(sizes[trying]))} in {supply.name}")
            search = Search(with_bank(plan, supply.key, sizes[trying]), Objective.MOVES, effort, renewed=supply.key)
            found = search.run(min(until_s, effort.clock() + ONE_TRY_S))
            if found.placement is not None:
                answer = sizes[trying], search.moves(found.placement)
                high = trying
            else:
                all_ruled_out = all_ruled_out and found.is_ruled_out
                low = trying
                # Not even the largest: no smaller one does.
                if trying == len(sizes) - 1:
                    break
            trying = (low + high) // 2
        if answer is not None:
            return _as_recommended(plan, supply, *answer), all_ruled_out
    return None, all_ruled_out


def _as_recommended(plan: Plan, supply: Supply, smallest: SoldBank, moves: tuple[Move, ...]) -> Relaxation | None:
    """Return the bank that is recommended for what hangs on a supply after moves; None where none can be."""
    moved_plan = after(with_bank(plan, supply.key, smallest), moves)
    changed = next(s for s in moved_plan.supplies if s.key == supply.key)
    loads = moved_plan.loads_on(supply.key)
    case = Case(replace(changed, totals=()), loads)
    bank = smallest if case.draws_nothing else recommend_bank(case).bank
    if bank is None or not meets(replace(fitted_with(supply, bank), totals=()), loads):
        return None
    is_smallest = c20_of(bank) <= c20_of(smallest) * (1 + 1e-9)
    return Relaxation(kind=Relaxing.BATTERY, supply_key=supply.key, bank=bank, moves=moves, is_smallest=is_smallest)


def supply_c20_ah(supply: Supply) -> float:
    """Return the rated capacity of a supply's bank, 0 without one. [Ah]"""
    return supply.bank.rated_c20_ah if supply.bank else 0.0


def _sizes(supply: Supply, most_ah: float | None) -> Iterator[list[SoldBank]]:
    """Yield the larger banks that are sold for a supply, by strings and then by size. Those that are unsafe or fail even without a load are left out."""
    if supply.bank is None:
        return
    own_ah = supply_c20_ah(supply)
    banks = sold_banks(supply.bank.chemistry_key, supply.bank.bank_v, supply.stock)
    larger = [b for b in banks if c20_of(b) > own_ah * 1.001 and (most_ah is None or c20_of(b) - own_ah < most_ah)]
    # That its output would switch off with nothing on it says nothing about a bank.
    always_on = supply.ac and replace(supply.ac, light_load_off_w=None)
    bare = replace(supply, totals=(), own_current_a=1e-6, ac=always_on, dc=supply.dc and replace(supply.dc, sleep_below_a=None))
    for parallel in sorted({b.parallel for b in larger}):
        sizes = {round(c20_of(b), 3): b for b in reversed(larger) if b.parallel == parallel}
        fit = [b for _, b in sorted(sizes.items()) if meets(fitted_with(bare, b), ()) and not _is_severe(fitted_with(bare, b))]
        if fit:
            yield fit


def _is_severe(supply: Supply) -> bool:
    """Say whether a bank makes a supply unsafe or failing whatever hangs on it."""
    return any(f.severity in SEVERE or f.code in NEVER for f in judge_briefly(supply, ()).findings)


def with_bank(plan: Plan, supply_key: str, bank: SoldBank) -> Plan:
    """Return a plan with a new bank of sold blocks in one supply."""
    return replace(plan, supplies=tuple(fitted_with(s, bank) if s.key == supply_key else s for s in plan.supplies))


def _one_supply_more(plan: Plan, effort: Effort, until_s: float) -> Relaxation | None:
    """Return the smallest supply of the plan that solves it when one more of the same is added, with a new battery."""
    able = movable_supplies(plan)
    is_smallest = True
    for supply in sorted(able, key=supply_c20_ah):
        if effort.clock() > until_s or effort.is_stopped():
            return None
        effort.tell(f"Trying one more like {supply.name}")
        bank = replace(supply.bank, age_y=0.0, condition_ratio=None) if supply.bank else None
        more = replace(with_new_bank(supply, bank), key=NEW_KEY, name=f"One more like {supply.name}", totals=())
        changed = replace(plan, supplies=(*plan.supplies, more))
        search = Search(changed, Objective.MOVES, effort)
        found = search.run(min(until_s, effort.clock() + ONE_TRY_S))
        if found.placement is not None:
            moves = search.moves(found.placement)
            then = after(changed, moves)
            return Relaxation(
                kind=Relaxing.SUPPLY,
                supply_key=supply.key,
                moves=moves,
                bindings=bindings_of(then),
                risks=risks_of(then, moves),
                is_smallest=is_smallest,
            )
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
    then = after(plan, moves)
    return Relaxation(kind=Relaxing.DROP, moves=moves, bindings=bindings_of(then), risks=risks_of(then, moves), is_smallest=found.is_proven)


__all__ = ["NEW_KEY", "after", "best_balance", "bindings_of", "coverage_ratio", "reasons_of", "relaxations", "risks_of", "with_bank"]
