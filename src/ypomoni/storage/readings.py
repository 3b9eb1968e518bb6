"""Readings: appended and listed, never changed. The database refuses any update of them."""

from typing import cast

from psycopg.types.json import Jsonb

from ypomoni.records.audit import ReadingRow
from ypomoni.records.field import Row
from ypomoni.storage.aggregate import columns_of, insert_into, without
from ypomoni.storage.connection import Connection, every, one

_COLUMNS = columns_of(ReadingRow)
_INSERT = insert_into("reading", (*_COLUMNS, "token", "account_id")) + " RETURNING id"
_LIST = (
    "SELECT r.id, r.organisation_id, r.token, r.account_id, r.stored_at, n.id AS superseded_by_id, "
    + ", ".join("r." + column for column in without(_COLUMNS, ("open_questions",)))
    # Questions that were answered are open no more.
    + ", CASE WHEN s.reading_id IS NULL THEN r.open_questions ELSE '[]'::jsonb END AS open_questions"
    + " FROM reading r"
    + " LEFT JOIN reading_settled s ON s.organisation_id = r.organisation_id AND s.reading_id = r.id"
    + " LEFT JOIN reading n ON n.organisation_id = r.organisation_id AND n.supersedes_id = r.id"
    + " WHERE r.organisation_id = %(organisation_id)s AND r.plan_id = ANY(%(plan_ids)s) ORDER BY r.taken_at, r.id"
)
_SENT_ONCE = "SELECT id, plan_id, point_id, key FROM reading WHERE organisation_id = %s AND token = %s"
_FIND = "SELECT id, plan_id, point_id, key FROM reading WHERE organisation_id = %s AND id = %s"
_COUNT = "SELECT count(*) AS count FROM reading WHERE organisation_id = %s AND plan_id = %s"
_SETTLE = """
INSERT INTO reading_settled (organisation_id, reading_id, account_id) VALUES (%s, %s, %s) ON CONFLICT DO NOTHING
"""
GREATEST_ID = 2**63


def insert_reading(connection: Connection, values: Row) -> int:
    """Append a reading and return its id."""
    row = one(connection, _INSERT, {**values, "open_questions": Jsonb(values["open_questions"])})
    assert row is not None  # noqa: S101 - an insert returns its row
    return int(row["id"])


def list_readings(connection: Connection, organisation_id: int, plan_ids: list[int]) -> list[ReadingRow]:
    """Return the readings of these plans in the order they were taken, each with the one that superseded it and its open questions."""
    return cast("list[ReadingRow]", every(connection, _LIST, {"organisation_id": organisation_id, "plan_ids": plan_ids}))


def select_reading_by_token(connection: Connection, organisation_id: int, token: str) -> Row | None:
    """Return the reading that was sent with a token, or None."""
    return one(connection, _SENT_ONCE, (organisation_id, token))


def select_reading(connection: Connection, organisation_id: int, reading_id: int) -> Row | None:
    """Return where a reading belongs, or None."""
    return one(connection, _FIND, (organisation_id, reading_id)) if 0 < reading_id < GREATEST_ID else None


def count_readings(connection: Connection, organisation_id: int, plan_id: int) -> int:
    """Return how many readings a plan has."""
    row = one(connection, _COUNT, (organisation_id, plan_id))
    return int(row["count"]) if row else 0


def insert_settled(connection: Connection, organisation_id: int, reading_id: int, account_id: int | None) -> None:
    """Note that a reading is right as it stands."""
    connection.execute(_SETTLE, (organisation_id, reading_id, account_id))
