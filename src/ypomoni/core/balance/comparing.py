"""Two plans of a site beside each other: what moved, what each supply gains or loses, what is new and what is gone.

Keys stay with things across cloned plans, so a thing is the same where its key is.
"""

from collections.abc import Iterable
from dataclasses import dataclass

from ypomoni.core.telling.results import Finding, PlanResult, SupplyResult, Verdict
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Plan, Supply

READING_CODES = frozenset({"mains_on_counted_as_load", "unit_slip_suspected", "sum_total_disagree", "own_battery_by_power_meter"})


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadMove:
    """A load that has moved, or whose quantity or current has changed. None: the load is not in that plan, or hangs on no supply. [A]"""

    key: str
    name: str
    was_on: str | None
    is_on: str | None
    was_quantity: int
    quantity: int
    was_current_a: float
    current_a: float

    @property
    def is_moved(self) -> bool:
        """Whether it hangs on another supply."""
        return self.was_on != self.is_on


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplyChange:
    """One supply before and after; None where a plan does not have it. ``parts`` are banks that differ: (was, is)."""

    key: str
    name: str
    was: SupplyResult | None
    now: SupplyResult | None
    parts: tuple[Bank | None, Bank | None] | None


@dataclass(frozen=True, slots=True, kw_only=True)
class FindingChange:
    """A finding of only one of the two plans, with the supply it is about."""

    supply: str
    finding: Finding


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """Everything in which a plan differs from another."""

    moves: tuple[LoadMove, ...]
    supplies: tuple[SupplyChange, ...]
    gone: tuple[FindingChange, ...]
    new: tuple[FindingChange, ...]
    was_verdict: Verdict | None
    verdict: Verdict | None


def compare_plans(before: Plan, was: PlanResult, after: Plan, now: PlanResult) -> Comparison:
    """Return the differences between a plan and the one before it."""
    # What was read stays with the plan it was read in, so findings of readings are compared only where both have some.
    both_read = bool(before.readings) == bool(after.readings)
    return Comparison(
        moves=tuple(_moves(before, after)),
        supplies=tuple(_supplies(before, was, after, now)),
        gone=tuple(_only_in(was, now, with_readings=both_read)),
        new=tuple(_only_in(now, was, with_readings=both_read)),
        was_verdict=was.verdict,
        verdict=now.verdict,
    )


def _moves(before: Plan, after: Plan) -> Iterable[LoadMove]:
    was, now = {load.key: load for load in before.loads}, {load.key: load for load in after.loads}
    names_was, names_now = ({s.key: s.name for s in plan.supplies} for plan in (before, after))
    for key in dict.fromkeys([*was, *now]):
        old, new = was.get(key), now.get(key)
        shown = new or old
        if shown is None:
            continue
        old_on, new_on = _place(old, names_was), _place(new, names_now)
        moved = (old.supply_key if old else None) != (new.supply_key if new else None)
        if moved or _drawn(old) != _drawn(new):
            yield LoadMove(
                key=key,
                name=shown.name,
                was_on=old_on,
                is_on=new_on,
                was_quantity=old.quantity if old else 0,
                quantity=new.quantity if new else 0,
                was_current_a=old.standby.current_a if old else 0.0,
                current_a=new.standby.current_a if new else 0.0,
            )


def _place(load: Load | None, names: dict[str, str]) -> str | None:
    return None if load is None or load.supply_key is None else names.get(load.supply_key)


def _drawn(load: Load | None) -> tuple[object, ...] | None:
    return None if load is None else (load.quantity, load.standby.current_a, load.alarm.current_a, load.bursts)


def _supplies(before: Plan, was: PlanResult, after: Plan, now: PlanResult) -> Iterable[SupplyChange]:
    old, new = {s.key: s for s in before.supplies}, {s.key: s for s in after.supplies}
    was_of, now_of = {s.key: s for s in was.supplies}, {s.key: s for s in now.supplies}
    for key in dict.fromkeys([*old, *new]):
        shown = new.get(key) or old[key]
        yield SupplyChange(key=key, name=shown.name, was=was_of.get(key), now=now_of.get(key), parts=_parts(old.get(key), new.get(key)))


def _parts(old: Supply | None, new: Supply | None) -> tuple[Bank | None, Bank | None] | None:
    was, now = old.bank if old else None, new.bank if new else None
    return None if was == now else (was, now)


def _only_in(one: PlanResult, other: PlanResult, *, with_readings: bool) -> Iterable[FindingChange]:
    known = {(s.key, f.code) for s in other.supplies for f in s.findings}
    for supply in one.supplies:
        for finding in supply.findings:
            if (supply.key, finding.code) not in known and (with_readings or finding.code not in READING_CODES):
                yield FindingChange(supply=supply.name, finding=finding)
