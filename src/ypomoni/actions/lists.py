"""What an organisation has: its sites, and what its sites share."""

from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.records.site import SiteRow
from ypomoni.storage.connection import Connection
from ypomoni.storage.kept import ORGANISATION_WIDE, SITE


def sites_of(connection: Connection, actor: Actor, *, removed: bool = False) -> list[SiteRow]:
    """Return the sites of an organisation, or those it has removed, by name."""
    return [s for s in SITE.every(connection, actor.organisation_id) if (s["removed_at"] is not None) == removed]


def shared_of(connection: Connection, actor: Actor, name: str, *, removed: bool = False) -> list[Any]:
    """Return an organisation's instruments, devices, blocks in stock or profiles, or those it has removed, by name."""
    rows = ORGANISATION_WIDE[name].every(connection, actor.organisation_id)
    return [row for row in rows if (row["removed_at"] is not None) == removed]
