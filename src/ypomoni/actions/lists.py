"""What an organisation has: its sites, and what its sites share."""

from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow, SiteRow
from ypomoni.storage.connection import Connection
from ypomoni.storage.kept import ORGANISATION_WIDE, PLAN, SITE
from ypomoni.storage.summaries import list_called

MOST_CALLED = 100


def sites_of(connection: Connection, actor: Actor) -> list[SiteRow]:
    """Return the sites of an organisation by name."""
    return [s for s in SITE.every(connection, actor.organisation_id) if s["removed_at"] is None]


def sites_called(connection: Connection, actor: Actor, words: str, *, removed: bool = False) -> list[Row]:
    """Return id, name and version of the first hundred sites, or of those that were removed, whose name holds every word that is asked for."""
    return list_called(connection, actor.organisation_id, words.split(), MOST_CALLED, removed=removed)


def shared_of(connection: Connection, actor: Actor, name: str, *, removed: bool = False) -> list[Any]:
    """Return an organisation's instruments, devices, blocks in stock or profiles, or those it has removed, by name."""
    rows = ORGANISATION_WIDE[name].every(connection, actor.organisation_id)
    return [row for row in rows if (row["removed_at"] is not None) == removed]


def plans_of(connection: Connection, actor: Actor, site_ids: list[int]) -> dict[int, list[PlanRow]]:
    """Return the plans of sites, by site."""
    found: dict[int, list[PlanRow]] = {n: [] for n in site_ids}
    for plan in PLAN.every(connection, actor.organisation_id, site_ids):
        if plan["removed_at"] is None:
            found[plan["site_id"]].append(plan)
    return found
