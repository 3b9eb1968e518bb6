"""The history of a plan: what was changed, by whom, when; and the plan set back to an earlier state."""

from collections.abc import Iterable
from dataclasses import dataclass

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import check_whole, claim, log_change
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.news import Change, in_batches
from ypomoni.documents.faults import Fault
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.storage.changes import select_history
from ypomoni.storage.connection import Connection
from ypomoni.storage.kept import AGGREGATES

# What a plan is made of, in the order in which it is brought back: a load needs its supply.
_OF_PLAN = ("supply", "load", "point")


@dataclass(frozen=True, slots=True, kw_only=True)
class Back:
    """One thing that setting a plan back would change: its row as it is, and as it was (None: it was not there)."""

    aggregate: str
    now: Row
    then: Row | None


def read_history(connection: Connection, actor: Actor, plan: PlanRow) -> list[Change]:
    """Return what was changed in a plan and in what its site shares, newest first, one entry a request."""
    return in_batches(select_history(connection, actor.organisation_id, plan["site_id"], plan["id"]))


def what_goes_back(connection: Connection, actor: Actor, plan: Row, before_id: int) -> list[Back]:
    """Return what is different in a plan from how it was just before a change; requirements, places and distances stay as they are."""
    rows = select_history(connection, actor.organisation_id, plan["site_id"], plan["id"], after_id=max(0, before_id - 1), most=100_000)
    if not any(row["id"] == before_id for row in rows):
        raise NotFound
    first: dict[tuple[str, int], Row] = {}
    for row in rows:
        # Newest first, so the earliest of each thing is what remains.
        if row["aggregate"] in _OF_PLAN and row["verb"] in ("create", "edit", "remove", "restore"):
            first[row["aggregate"], row["aggregate_id"]] = row
    found: list[Back] = []
    for (name, aggregate_id), row in first.items():
        now = AGGREGATES[name].find(connection, actor.organisation_id, aggregate_id)
        if now is None:
            continue
        then = None if row["verb"] in ("create", "restore") else row["before"]
        gone = now["removed_at"] is not None
        if (then is None and not gone) or (then is not None and (gone or _differing(name, now, then))):
            found.append(Back(aggregate=name, now=now, then=then))
    found.sort(key=lambda back: (_OF_PLAN.index(back.aggregate), back.now["id"]))
    return found


def set_back(connection: Connection, actor: Actor, plan_id: int, before_id: int) -> int:
    """Set a plan back to how it was just before a change, as one step that can be undone; returns how many things that were.

    Raises
    ------
    Refused
        If the plan would no longer be whole, say because a requirement it used is gone.
    """
    plan = claim(connection, actor, "plan", plan_id)
    backs = what_goes_back(connection, actor, plan, before_id)
    last: tuple[str, Row] | None = None
    # Supplies come first when they return and go last when they leave.
    for back in [b for b in backs if b.then is not None] + [b for b in reversed(backs) if b.then is None]:
        aggregate, row = AGGREGATES[back.aggregate], back.now
        if back.then is None:
            row = aggregate.mark(connection, actor.organisation_id, row["id"], removed=True)
            log_change(connection, actor, "remove", back.aggregate, row, plan["site_id"], back.now, None)
        else:
            if row["removed_at"] is not None:
                restored = aggregate.mark(connection, actor.organisation_id, row["id"], removed=False)
                log_change(connection, actor, "restore", back.aggregate, restored, plan["site_id"], None, restored)
                row = restored
            columns = _differing(back.aggregate, row, back.then)
            if columns:
                before, row = row, aggregate.change(connection, {**row, **{c: back.then[c] for c in columns}})
                log_change(connection, actor, "edit", back.aggregate, row, plan["site_id"], before, row)
        last = (back.aggregate, row)
    if last is None:
        raise Refused([Fault("", "The plan is as it was then: there is nothing to set back.")])
    check_whole(connection, actor, *last)
    return len(backs)


def _differing(name: str, now: Row, then: Row) -> list[str]:
    """Return the columns in which a row differs from what the log says of it; columns it did not have yet stay."""
    return [c for c in _columns(name) if c in then and now[c] != then[c]]


def _columns(name: str) -> Iterable[str]:
    return (c for c in AGGREGATES[name].columns if c not in ("plan_id", "key"))
