"""Links that are handed out to people without an account: a calendar, a report, a plan. Only a digest of their secret is kept."""

import hashlib
import secrets
from datetime import date, timedelta

from ypomoni.actions.actor import Actor
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.documents.faults import Fault
from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection
from ypomoni.storage.proof import insert_link, list_links, revoke_link, select_open_link

LONGEST_D = 366
MOST_OPEN = 100


def hand_out(
    connection: Connection,
    actor: Actor,
    kind: str,
    name: str,
    *,
    today: date,
    ends_on: date | None = None,
    report_id: int | None = None,
    plan_id: int | None = None,
) -> str:
    """Make a link and return its secret, which is told this once. A calendar has no end; a report or a plan has one within a year.

    Raises
    ------
    Refused
        If the end is missing, over, or too far off, or too many links are open.
    """
    if kind != "calendar" and (ends_on is None or not today <= ends_on <= today + timedelta(days=LONGEST_D)):
        raise Refused([Fault("ends_on", f"must be a day from today on, at most {LONGEST_D} days off.")])
    if sum(r["revoked_at"] is None and (r["ends_on"] is None or r["ends_on"] >= today) for r in links_of(connection, actor)) >= MOST_OPEN:
        raise Refused([Fault("", f"{MOST_OPEN} links are open: take one back first.")])
    secret = secrets.token_urlsafe(24)
    values = {
        "organisation_id": actor.organisation_id,
        "kind": kind,
        "digest": _digest(secret),
        "report_id": report_id,
        "plan_id": plan_id,
        "name": name[:200],
        "made_by": actor.name,
        "ends_on": ends_on,
    }
    insert_link(connection, values)
    return secret


def links_of(connection: Connection, actor: Actor) -> list[Row]:
    """Return the links an organisation has handed out, the latest first."""
    return list_links(connection, actor.organisation_id)


def take_back(connection: Connection, actor: Actor, link_id: int) -> None:
    """Take a link back: it opens nothing from now on."""
    if not 0 < link_id < 2**63 or not revoke_link(connection, actor.organisation_id, link_id):
        raise NotFound


def opened(connection: Connection, secret: str, kind: str) -> Row:
    """Return what a link opens, or raise `NotFound` where it opens nothing (any more)."""
    row = select_open_link(connection, _digest(secret), kind)
    if row is None:
        raise NotFound
    return row


def visitor_of(row: Row) -> Actor:
    """Return who comes by a link: nobody of the organisation, who reads what the link is of."""
    return Actor(organisation_id=row["organisation_id"], account_id=None, name="by a link")


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode("utf-8", "replace")).hexdigest()
