"""Ticks of a work list, what was done of what is due, and links that are handed out."""

from datetime import date

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every, one

_TICK = """
INSERT INTO work_tick (organisation_id, plan_id, step_key, state, note, ticked_by, ticked_at)
VALUES (%(organisation_id)s, %(plan_id)s, %(step_key)s, %(state)s, %(note)s, %(ticked_by)s, %(ticked_at)s)
ON CONFLICT (plan_id, step_key) DO UPDATE SET state = EXCLUDED.state, note = EXCLUDED.note, ticked_by = EXCLUDED.ticked_by,
    ticked_at = EXCLUDED.ticked_at WHERE work_tick.ticked_at <= EXCLUDED.ticked_at
"""
_TICKS = "SELECT step_key, state, note, ticked_by, ticked_at FROM work_tick WHERE organisation_id = %s AND plan_id = %s"
_DONE = """
INSERT INTO upkeep_done (organisation_id, plan_id, item_key, done_on, note, done_by)
VALUES (%(organisation_id)s, %(plan_id)s, %(item_key)s, %(done_on)s, %(note)s, %(done_by)s)
"""
_ALL_DONE = """
SELECT item_key, done_on, note, done_by, stored_at FROM upkeep_done WHERE organisation_id = %s AND plan_id = %s ORDER BY done_on DESC, id DESC
"""
_LINK = """
INSERT INTO handed_link (organisation_id, kind, digest, report_id, plan_id, name, made_by, ends_on)
VALUES (%(organisation_id)s, %(kind)s, %(digest)s, %(report_id)s, %(plan_id)s, %(name)s, %(made_by)s, %(ends_on)s) RETURNING id
"""
_OPEN_LINK = """
SELECT id, organisation_id, kind, report_id, plan_id, name FROM handed_link
WHERE digest = %s AND kind = %s AND revoked_at IS NULL AND (ends_on IS NULL OR ends_on >= current_date)
"""
_LINKS = """
SELECT id, kind, report_id, plan_id, name, made_by, made_at, ends_on, revoked_at FROM handed_link
WHERE organisation_id = %s ORDER BY id DESC LIMIT 200
"""
_REVOKE = "UPDATE handed_link SET revoked_at = now() WHERE organisation_id = %s AND id = %s AND revoked_at IS NULL RETURNING id"
_ENTERED = """
SELECT s.plan_id, s.key, max(c.changed_at)::date AS entered_on FROM supply s LEFT JOIN change c ON c.organisation_id = s.organisation_id
    AND c.aggregate = 'supply' AND c.aggregate_id = s.id
WHERE s.organisation_id = %s AND s.plan_id = ANY(%s) GROUP BY s.plan_id, s.key
"""
_READ = "SELECT plan_id, max(taken_at)::date AS read_on FROM reading WHERE organisation_id = %s AND plan_id = ANY(%s) GROUP BY plan_id"
_DONE_ON = """
SELECT plan_id, item_key, (array_agg(done_on ORDER BY done_on DESC, id DESC))[1] AS done_on FROM upkeep_done
WHERE organisation_id = %s AND plan_id = ANY(%s) GROUP BY plan_id, item_key
"""

_READ_BY_SITE = """
SELECT p.site_id, max(r.taken_at)::date AS read_on FROM reading r JOIN plan p ON p.organisation_id = r.organisation_id AND p.id = r.plan_id
WHERE r.organisation_id = %s AND p.site_id = ANY(%s) AND r.taken_at IS NOT NULL GROUP BY p.site_id
"""


def upsert_tick(connection: Connection, values: Row) -> None:
    """Keep what became of a step; of two that say something the later one counts, whichever arrives first."""
    connection.execute(_TICK, values)


def list_ticks(connection: Connection, organisation_id: int, plan_id: int) -> dict[str, Row]:
    """Return what became of each step, by its key."""
    return {row["step_key"]: row for row in every(connection, _TICKS, (organisation_id, plan_id))}


def set_made_from(connection: Connection, organisation_id: int, plan_id: int, from_id: int) -> None:
    """Keep from which plan another was made."""
    connection.execute("UPDATE plan SET made_from_id = %s WHERE organisation_id = %s AND id = %s", (from_id, organisation_id, plan_id))


def select_made_from(connection: Connection, organisation_id: int, plan_id: int) -> int | None:
    """Return the id of the plan another was made from; None where that is not known."""
    row = one(connection, "SELECT made_from_id FROM plan WHERE organisation_id = %s AND id = %s", (organisation_id, plan_id))
    return row["made_from_id"] if row else None


def insert_done(connection: Connection, values: Row) -> None:
    """Keep that something due was done."""
    connection.execute(_DONE, values)


def list_done(connection: Connection, organisation_id: int, plan_id: int) -> list[Row]:
    """Return what was done of what was due, the latest first."""
    return every(connection, _ALL_DONE, (organisation_id, plan_id))


def insert_link(connection: Connection, values: Row) -> int:
    """Keep a link by the digest of its secret, and return its id."""
    row = one(connection, _LINK, values)
    return int(row["id"]) if row else 0


def select_open_link(connection: Connection, digest: str, kind: str) -> Row | None:
    """Return the link of a secret that is neither over nor taken back; None where there is none."""
    return one(connection, _OPEN_LINK, (digest, kind))


def list_links(connection: Connection, organisation_id: int) -> list[Row]:
    """Return the links an organisation has handed out, the latest first."""
    return every(connection, _LINKS, (organisation_id,))


def revoke_link(connection: Connection, organisation_id: int, link_id: int) -> bool:
    """Take a link back, and say whether there was one."""
    return one(connection, _REVOKE, (organisation_id, link_id)) is not None


def supplies_entered(connection: Connection, organisation_id: int, plan_ids: list[int]) -> dict[int, dict[str, date]]:
    """Return by plan the day on which each supply was last entered or changed, by its key."""
    found: dict[int, dict[str, date]] = {}
    for row in every(connection, _ENTERED, (organisation_id, plan_ids)):
        if row["entered_on"]:
            found.setdefault(row["plan_id"], {})[row["key"]] = row["entered_on"]
    return found


def last_read_on(connection: Connection, organisation_id: int, plan_ids: list[int]) -> dict[int, date]:
    """Return the day of the last reading of each plan that has one."""
    return {row["plan_id"]: row["read_on"] for row in every(connection, _READ, (organisation_id, plan_ids)) if row["read_on"]}


def last_done_on(connection: Connection, organisation_id: int, plan_ids: list[int]) -> dict[int, dict[str, date]]:
    """Return by plan the day on which each thing that was due was last done, by its key."""
    found: dict[int, dict[str, date]] = {}
    for row in every(connection, _DONE_ON, (organisation_id, plan_ids)):
        found.setdefault(row["plan_id"], {})[row["item_key"]] = row["done_on"]
    return found


def last_read_by_site(connection: Connection, organisation_id: int, site_ids: list[int]) -> dict[int, date]:
    """Return the day of the last reading of each of these sites that has one, by its id."""
    return {row["site_id"]: row["read_on"] for row in every(connection, _READ_BY_SITE, (organisation_id, site_ids))}
