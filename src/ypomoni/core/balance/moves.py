"""Loads moved between supplies: what may not move and why, and what a move would do."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

from ypomoni.core.balance.limits import Limit, Standing, can_be_computed, outputs, standings
from ypomoni.core.evaluation.figures import compute_figures
from ypomoni.core.evaluation.recommending import SEVERE, judge_figures
from ypomoni.core.judgement.cables import cable_drop, is_starved
from ypomoni.core.judgement.output import say_quantity
from ypomoni.core.outage.case import Case, Hindrance, hindrance_of, is_ac_on_dc
from ypomoni.core.telling.results import Finding, Verdict
from ypomoni.core.telling.wording import plain_number, say_amps
from ypomoni.core.things.loads import COPPER_OHM_MM2_PER_M, Cable, Load, Purpose, check_rail
from ypomoni.core.things.supplies import Plan, Supply

SPLIT_SUFFIX = "-part"
# A cable that takes more of what lies between a full battery's rest and the load's least voltage starves it before its charge is spent.
CABLE_SHARE_RATIO = 0.5
# Longer than this no cable in a building is: a length that would still do need not be asked.
LONGEST_RUN_M = 300.0
USUAL_SECTION_MM2 = 0.5


@dataclass(frozen=True, slots=True, kw_only=True)
class UnknownRun:
    """A cable whose length is not known but decides: where it starts, and how long it may be with this much copper. [m, mm²]"""

    place_key: str
    place_name: str
    supply_key: str
    greatest_m: float
    section_mm2: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Offer:
    """What a move would make of one supply: its hours, currents and limits afterwards, or why the move is not allowed. [h, A]"""

    supply_key: str
    reason: str
    is_own: bool = False
    was_h: float | None = None
    holdover_h: float | None = None
    must_h: float = 0.0
    standby_current_a: float | None = None
    standings: tuple[Standing, ...] = field(default=())
    # Why no hours are named, where none are; what it would be judged; and what is severe of that beside the limits.
    hindrance: Hindrance | None = None
    verdict: Verdict | None = None
    severe: tuple[Finding, ...] = field(default=())
    unknown_runs: tuple[UnknownRun, ...] = field(default=())

    @property
    def may(self) -> bool:
        """Whether the pieces may hang there."""
        return not self.reason

    @property
    def meets(self) -> bool:
        """Whether the supply would neither fail nor be unsafe. False where its hours cannot be computed."""
        return bool(self.standings) and self.verdict not in (Verdict.UNSAFE, Verdict.FAILS, Verdict.UNKNOWN)


def run_cable(plan: Plan, load: Load, supply_key: str) -> Cable | None:
    """Return the cable a load would have on a supply: the run that was entered, or that of another load there from the same place."""
    if load.place is None:
        return None
    section_mm2 = load.cable.section_mm2 if load.cable else None
    for run in plan.runs:
        if run.place_key == load.place.key and run.supply_key == supply_key:
            # Of a run only the way is known sometimes: then the copper that the load has now is taken along.
            section_mm2 = run.section_mm2 or section_mm2
            return Cable(length_m=run.length_m, section_mm2=section_mm2) if section_mm2 else None
    for other in plan.loads:
        if other.supply_key == supply_key and other.place and other.place.key == load.place.key and other.cable and other.key != load.key:
            return other.cable
    return None


def moved(plan: Plan, load: Load, supply_key: str | None) -> Load:
    """Return a load on another supply. It gets the cable it would have there; where that is not known it keeps its own."""
    if supply_key is None or supply_key == load.supply_key:
        return replace(load, supply_key=supply_key)
    return replace(load, supply_key=supply_key, cable=run_cable(plan, load, supply_key) or load.cable)


def with_moves(plan: Plan, pieces: Mapping[str, int], supply_key: str | None) -> Plan:
    """Return a plan with so many pieces of each of some loads on a supply; fewer than all of one become a load of their own.

    Raises
    ------
    ValueError
        If the plan has no such load, or not so many pieces of it.
    """
    by_key = {load.key: load for load in plan.loads}
    for key, quantity in pieces.items():
        if key not in by_key or not 1 <= quantity <= by_key[key].quantity:
            raise ValueError(f"{key} has no {quantity} pieces to move.")
    loads: list[Load] = []
    for load in plan.loads:
        quantity = pieces.get(load.key)
        if quantity is None or load.supply_key == supply_key:
            loads.append(load)
        elif quantity == load.quantity:
            loads.append(moved(plan, load, supply_key))
        else:
            # The pieces that stay keep the key: readings and history are of them.
            part = replace(moved(plan, load, supply_key), key=load.key + SPLIT_SUFFIX, quantity=quantity)
            loads += [replace(load, quantity=load.quantity - quantity), part]
    return replace(plan, loads=tuple(loads))


def offers_for(plan: Plan, pieces: Mapping[str, int]) -> tuple[Offer, ...]:
    """Return what a move would make of every supply that could take the pieces, and of those that would lose them."""
    own = {load.supply_key for load in plan.loads if load.key in pieces}
    found: list[Offer] = []
    for supply in plan.supplies:
        if own == {supply.key}:
            found.append(_after(supply, plan, with_moves(plan, pieces, None), is_own=True))
            continue
        reason = why_not(plan, pieces, supply.key)
        if reason:
            found.append(Offer(supply_key=supply.key, reason=reason, is_own=supply.key in own))
        else:
            after = _after(supply, plan, with_moves(plan, pieces, supply.key), is_own=False)
            found.append(replace(after, unknown_runs=tuple(_unknown_runs(plan, pieces, supply))))
    return tuple(found)


def why_not(plan: Plan, pieces: Mapping[str, int], supply_key: str | None) -> str:
    """Return why pieces may not hang on a supply, or on none; empty where they may."""
    going = [load for load in plan.loads if load.key in pieces and load.supply_key != supply_key]
    for load in going:
        if load.pinned:
            return f"{load.name} is pinned to where it is: unpin it first."
    if supply_key is None:
        return ""
    supply = next(s for s in plan.supplies if s.key == supply_key)
    for load in going:
        reason = next(_reasons(plan, load, pieces, supply), "")
        if reason:
            return reason if len(going) == 1 else f"{load.name}: {reason}"
    return next(_limits(plan, pieces, supply), "") if going else ""


def fixed_reason(plan: Plan, load: Load, supply: Supply) -> str:
    """Return why a load may not hang on a supply whatever else hangs there: pinned, AC, rail, cable, convenience; empty where it may."""
    if load.pinned:
        return f"{load.name} is pinned to where it is."
    return next(_fixed(plan, load, load.quantity, supply), "")


def _reasons(plan: Plan, load: Load, pieces: Mapping[str, int], supply: Supply) -> Iterator[str]:
    yield from _bus(plan, load, pieces, supply)
    yield from _fixed(plan, load, pieces[load.key], supply)
    yield from _company(plan, load, pieces, supply)


def _fixed(plan: Plan, load: Load, quantity: int, supply: Supply) -> Iterator[str]:
    selector = plan.selector_of(supply.key)
    if selector is not None:
        yield f"{supply.name} is an input of {selector.name}, which feeds for it: hang the load on that instead."
    if supply.of_kind.is_inverter and load.ac is None:
        yield f"it runs on DC, and {supply.name} gives AC: enter the mains adaptor it would have there, as a load on AC, first."
    elif is_ac_on_dc(supply, load):
        yield f"it draws from AC, and {supply.name} gives DC: on the page Power see what it would take on DC."
    elif not (supply.of_kind.is_inverter and supply.ac is None) and check_rail(load.rail_v, supply.fed_v, load.converter):
        yield f"it runs at {plain_number(load.rail_v)} V without a converter, {supply.name} gives {plain_number(supply.fed_v)} V."
    if load.purpose is Purpose.CONVENIENCE and supply.convenience_free:
        yield f"it is a convenience, and {supply.name} is kept free of those."
    yield from _drop(supply.feeding((replace(moved(plan, load, supply.key), quantity=quantity),))[0], supply)


def _bus(plan: Plan, load: Load, pieces: Mapping[str, int], supply: Supply) -> Iterator[str]:
    if not load.bus_group:
        return
    others = [e for e in plan.loads if e.bus_group == load.bus_group and e.key != load.key and e.supply_key]
    stay = [e.name for e in others if e.supply_key != supply.key and e.key not in pieces]
    stay += [f"the rest of {e.name}" for e in (load, *others) if e.key in pieces and pieces[e.key] < e.quantity]
    if stay:
        yield f"it shares the bus {load.bus_group} and its 0 V with {', '.join(dict.fromkeys(stay[:3]))}: they move together or not at all."


def _company(plan: Plan, load: Load, pieces: Mapping[str, int], supply: Supply) -> Iterator[str]:
    there = {e.purpose for e in plan.loads if e.supply_key == supply.key or (e.key in pieces and e.key != load.key)}
    if load.purpose is Purpose.LIFE_SAFETY and Purpose.CONVENIENCE in there:
        yield f"it is for life safety, and {supply.name} feeds convenience loads."
    if load.purpose is Purpose.CONVENIENCE and Purpose.LIFE_SAFETY in there:
        yield f"it is a convenience, and {supply.name} feeds life safety."


def _limits(plan: Plan, pieces: Mapping[str, int], supply: Supply) -> Iterator[str]:
    after = Case(supply, with_moves(plan, pieces, supply.key).loads_on(supply.key))
    for standing in outputs(after):
        if not standing.is_met:
            state = "in alarm" if standing.limit is Limit.OUTPUT_ALARM else "in standby"
            peak, limit = say_quantity(standing.amount or 0.0, standing.unit), say_quantity(standing.allowed, standing.unit)
            yield f"{supply.name} would be asked for {peak} {state} at the peak, and gives {limit}."


def _greatest_current_a(load: Load) -> float:
    """Return what all pieces of a load draw at most, at its least voltage. [A]"""
    per_amp_a = load.draw_per_amp.at_nominal_a(load.battery_min_v or load.rail_v) * load.quantity
    return per_amp_a * max([load.standby.current_a, load.alarm.current_a, *(b.current_a for b in load.bursts)])


def _room_v(load: Load, supply: Supply) -> float:
    """Return what lies between a full battery's rest and the load's least voltage. [V]"""
    if supply.bank is None or load.battery_min_v is None:
        return 0.0
    return supply.bank.full_v - load.battery_min_v


def _drop(load: Load, supply: Supply) -> Iterator[str]:
    """Yield what its cable would do on a supply."""
    if load.cable is None or load.fed_min_v is None or supply.bank is None:
        return
    drop = cable_drop(supply, load)
    starved = load.essential and drop is not None and is_starved(supply, load, drop)
    # The voltage of a regulated output does not fall, so there is no room there that a cable might take up.
    current_a = drop.current_a if drop is not None and load.feed else _greatest_current_a(load)
    drop_v = load.cable_ohm * current_a
    if starved or (not load.feed and drop_v > CABLE_SHARE_RATIO * _room_v(load, supply)):
        yield (
            f"{plain_number(load.cable.length_m)} m of {plain_number(load.cable.section_mm2)} mm² drop {plain_number(drop_v, 2)} V at "
            f"{say_amps(current_a)}; it needs {plain_number(load.fed_min_v)} V: a thicker or shorter cable first."
        )


def _unknown_runs(plan: Plan, pieces: Mapping[str, int], supply: Supply) -> Iterator[UnknownRun]:
    """Yield the cables to a supply whose length is not known but could be too long, once for each place, with the greatest length that still works."""
    shortest: dict[str, UnknownRun] = {}
    for load in plan.loads:
        if (
            load.key not in pieces
            or load.supply_key == supply.key
            or load.place is None
            or load.battery_min_v is None
            or supply.bank is None
        ):
            continue
        if run_cable(plan, load, supply.key) is not None:
            continue
        current_a = _greatest_current_a(replace(load, quantity=pieces[load.key]))
        section_mm2 = load.cable.section_mm2 if load.cable else USUAL_SECTION_MM2
        per_m_v = 2 * COPPER_OHM_MM2_PER_M / section_mm2 * current_a
        greatest_m = CABLE_SHARE_RATIO * _room_v(load, supply) / per_m_v if per_m_v > 0 else LONGEST_RUN_M
        known = shortest.get(load.place.key)
        if greatest_m < LONGEST_RUN_M and (known is None or greatest_m < known.greatest_m):
            shortest[load.place.key] = UnknownRun(
                place_key=load.place.key,
                place_name=load.place.name,
                supply_key=supply.key,
                greatest_m=max(0.0, greatest_m),
                section_mm2=section_mm2,
            )
    yield from shortest.values()


def _after(supply: Supply, before: Plan, after: Plan, *, is_own: bool) -> Offer:
    """Return what a move makes of a supply. Totals that were read no longer count, since they were read before the move."""
    loads, bare = after.loads_on(supply.key), replace(supply, totals=())
    figures = compute_figures(bare, loads, in_full=False)
    judged = judge_figures(bare, loads, figures)
    result = figures.result
    return Offer(
        supply_key=supply.key,
        reason="",
        is_own=is_own,
        was_h=_holdover_h(supply, before),
        holdover_h=result.holdover.expected if result.holdover else None,
        must_h=result.standby_h,
        standby_current_a=result.standby_current_a,
        standings=standings(figures),
        hindrance=hindrance_of(supply, loads),
        verdict=judged.verdict,
        severe=tuple(f for f in judged.findings if f.severity in SEVERE),
    )


def _holdover_h(supply: Supply, plan: Plan) -> float | None:
    loads = plan.loads_on(supply.key)
    if not can_be_computed(supply, loads):
        return None
    case = Case(supply, loads)
    return None if case.draws_nothing else case.holdover().holdover_h
