"""Two people at once: who else looks at a plan, and what they changed since one last looked."""

from dataclasses import dataclass
from datetime import datetime

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import find
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.storage.changes import select_history
from ypomoni.storage.connection import Connection
from ypomoni.storage.presence import be_seen, last_change_id


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """One request's changes as they are told: who, when, what, and the rows before and after."""

    last_id: int
    changed_at: datetime
    who: str
    account_id: int | None
    batch: str | None
    undoes: str | None
    rows: tuple[Row, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class News:
    """Who else is on a plan, what others changed since a moment, and the number of the last change."""

    plan: PlanRow
    others: tuple[str, ...]
    changes: tuple[Change, ...]
    last_id: int


def news_of(connection: Connection, actor: Actor, plan_id: int, since_id: int) -> News:
    """Note that the actor looks at a plan, and return what is new."""
    plan = find(connection, actor, "plan", plan_id)
    others = be_seen(connection, actor.organisation_id, plan["id"], actor.account_id) if actor.account_id else []
    last_id = last_change_id(connection, actor.organisation_id, plan["site_id"])
    if since_id >= last_id:
        return News(plan=plan, others=tuple(others), changes=(), last_id=last_id)
    rows = select_history(connection, actor.organisation_id, plan["site_id"], plan["id"], after_id=max(0, since_id), most=200)
    theirs = tuple(c for c in in_batches(rows) if c.account_id != actor.account_id)
    return News(plan=plan, others=tuple(others), changes=theirs, last_id=last_id)


def in_batches(rows: list[Row]) -> list[Change]:
    """Return changes, newest first, those of one request together."""
    groups: dict[str, list[Row]] = {}
    for row in rows:
        groups.setdefault(row["batch"] or f"change {row['id']}", []).append(row)
    return [
        Change(
            last_id=max(row["id"] for row in group),
            changed_at=group[0]["changed_at"],
            who=group[0]["name"] or "the command line",
            account_id=group[0]["account_id"],
            batch=group[0]["batch"],
            undoes=group[0]["undoes"],
            rows=tuple(group),
        )
        for group in groups.values()
    ]
