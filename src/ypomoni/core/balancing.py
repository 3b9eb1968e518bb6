"""Loads moved between supplies: what may not move and why, and what a move would do. Called by the actions of the balance board."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

from ypomoni.core.case import Case
from ypomoni.core.loads import Load, Purpose, check_rail
from ypomoni.core.supplies import Plan, Supply
from ypomoni.core.wording import plain_number, say_amps

SPLIT_SUFFIX = "-part"
# A cable that takes more of what lies between a full battery's rest and the load's least voltage starves it before its charge is spent.
CABLE_SHARE_RATIO = 0.5


@dataclass(frozen=True, slots=True, kw_only=True)
class Offer:
    """What one supply would be with a load on it: hours and amps after, or why it may not. [h, A]"""

    supply_key: str
    reason: str
    was_h: float | None = None
    holdover_h: float | None = None
    standby_current_a: float | None = None
    alarm_current_a: float | None = None
    meets: bool = False

    @property
    def may(self) -> bool:
        """Whether the load may hang there."""
        return not self.reason


def with_move(plan: Plan, load_key: str, quantity: int, supply_key: str | None) -> Plan:
    """Return a plan with so many pieces of a load on another supply; fewer than all of them become a load of their own.

    Raises
    ------
    ValueError
        If the plan has no such load, or not so many pieces of it.
    """
    load = next((entry for entry in plan.loads if entry.key == load_key), None)
    if load is None or not 1 <= quantity <= load.quantity:
        raise ValueError(f"{load_key} has no {quantity} pieces to move.")
    if quantity == load.quantity:
        moved = (replace(load, supply_key=supply_key),)
    else:
        part = replace(load, key=load.key + SPLIT_SUFFIX, supply_key=supply_key, quantity=quantity)
        moved = (replace(load, quantity=load.quantity - quantity), part)
    return replace(plan, loads=tuple(new for old in plan.loads for new in (moved if old is load else (old,))))


def offers_for(plan: Plan, load_key: str, quantity: int) -> tuple[Offer, ...]:
    """Return what every other supply of a plan would be with so many pieces of a load moved there, and what its own would be without."""
    load = next(entry for entry in plan.loads if entry.key == load_key)
    found: list[Offer] = []
    for supply in plan.supplies:
        if supply.key == load.supply_key:
            after = with_move(plan, load_key, quantity, None)
            found.append(_after(supply, plan, after))
            continue
        reason = next(_reasons(plan, load, quantity, supply), "")
        if reason:
            found.append(Offer(supply_key=supply.key, reason=reason))
        else:
            found.append(_after(supply, plan, with_move(plan, load_key, quantity, supply.key)))
    return tuple(found)


def why_not(plan: Plan, load_key: str, quantity: int, supply_key: str) -> str:
    """Return why so many pieces of a load may not hang on a supply; empty where they may."""
    load = next(entry for entry in plan.loads if entry.key == load_key)
    supply = next(s for s in plan.supplies if s.key == supply_key)
    return "" if supply.key == load.supply_key else next(_reasons(plan, load, quantity, supply), "")


def fixed_reason(load: Load, supply: Supply) -> str:
    """Return why a load may not hang on a supply whatever else hangs there: AC, rail, cable; empty where it may."""
    return next(_fixed(load, supply), "")


def _reasons(plan: Plan, load: Load, quantity: int, supply: Supply) -> Iterator[str]:
    yield from _bus(plan, load, quantity, supply)
    yield from _fixed(load, supply)
    yield from _company(plan, load, supply)
    yield from _limits(plan, load, quantity, supply)


def _fixed(load: Load, supply: Supply) -> Iterator[str]:
    rail = None if load.ac else check_rail(load.rail_v, supply.nominal_v, load.converter)
    if rail:
        yield f"it runs at {plain_number(load.rail_v)} V without a converter, {supply.name} is {plain_number(supply.nominal_v)} V."
    if load.ac:
        yield "it draws from AC."
    yield from _drop(load, supply)


def _bus(plan: Plan, load: Load, quantity: int, supply: Supply) -> Iterator[str]:
    if not load.bus_group:
        return
    others = [entry for entry in plan.loads if entry.bus_group == load.bus_group and entry.key != load.key and entry.supply_key]
    stay = [entry.name for entry in others if entry.supply_key != supply.key]
    if quantity < load.quantity:
        stay.append(f"the rest of {load.name}")
    if stay:
        yield f"it shares the bus {load.bus_group} and its 0 V with {', '.join(dict.fromkeys(stay[:3]))}: they move together or not at all."


def _company(plan: Plan, load: Load, supply: Supply) -> Iterator[str]:
    there = {entry.purpose for entry in plan.loads_on(supply.key)}
    if load.purpose is Purpose.LIFE_SAFETY and Purpose.CONVENIENCE in there:
        yield f"it is for life safety, and {supply.name} feeds convenience loads."
    if load.purpose is Purpose.CONVENIENCE and Purpose.LIFE_SAFETY in there:
        yield f"it is a convenience, and {supply.name} feeds life safety."


def _limits(plan: Plan, load: Load, quantity: int, supply: Supply) -> Iterator[str]:
    after = Case(supply, with_move(plan, load.key, quantity, supply.key).loads_on(supply.key))
    for in_alarm, state in ((False, "in standby"), (True, "in alarm")):
        limit_a = supply.output_limit_of(in_alarm=in_alarm)
        peak_a = after.peak_current_a(in_alarm=in_alarm)
        if limit_a is not None and peak_a > limit_a * (1 + 1e-9):
            yield f"{supply.name} would be asked for {say_amps(peak_a)} {state} at the peak, and gives {say_amps(limit_a)}."


def _drop(load: Load, supply: Supply) -> Iterator[str]:
    """Yield what its cable, as long as it is now, would do on another supply."""
    if load.cable is None or load.min_v is None or supply.bank is None:
        return
    per_amp_a = load.draw_per_amp.at_nominal_a(load.min_v) * load.quantity
    current_a = per_amp_a * max([load.standby.current_a, load.alarm.current_a, *(b.current_a for b in load.bursts)])
    drop_v = load.cable_ohm * current_a
    cells = supply.bank.cells_in_series_count
    room_v = cells * supply.bank.chemistry.ocv_rows[-1][1] - load.min_v
    if drop_v > CABLE_SHARE_RATIO * room_v:
        yield (
            f"{plain_number(load.cable.length_m)} m of {plain_number(load.cable.section_mm2)} mm² drop {plain_number(drop_v, 2)} V at "
            f"{say_amps(current_a)}; it needs {plain_number(load.min_v)} V: a thicker or shorter cable first."
        )


def _after(supply: Supply, before: Plan, after: Plan) -> Offer:
    was_h = _holdover_h(supply, before)
    case = Case(supply, after.loads_on(supply.key))
    holdover_h = _holdover_h(supply, after)
    return Offer(
        supply_key=supply.key,
        reason="",
        was_h=was_h,
        holdover_h=holdover_h,
        standby_current_a=case.mean_current_a(in_alarm=False),
        alarm_current_a=case.mean_current_a(in_alarm=True),
        meets=holdover_h is not None and holdover_h >= supply.requirement.standby_h,
    )


def _holdover_h(supply: Supply, plan: Plan) -> float | None:
    loads = plan.loads_on(supply.key)
    if supply.bank is None or not supply.is_modelled or any(load.ac for load in loads):
        return None
    case = Case(supply, loads)
    return None if case.draws_nothing else case.holdover().holdover_h
