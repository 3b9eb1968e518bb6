"""Tables on their way in: kept from upload to confirmation, a week at most."""

from psycopg.types.json import Jsonb

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, one
from ypomoni.storage.readings import GREATEST_ID

_INSERT = """
INSERT INTO import_draft (organisation_id, plan_id, account_id, file_name, body)
VALUES (%(organisation_id)s, %(plan_id)s, %(account_id)s, %(file_name)s, %(body)s) RETURNING id
"""
_SELECT = "SELECT id, plan_id, file_name, body FROM import_draft WHERE organisation_id = %s AND id = %s"
_DELETE = "DELETE FROM import_draft WHERE organisation_id = %s AND id = %s"
# Of an organisation so many are kept; whoever has not confirmed the oldest by then brings the table in again.
MOST_DRAFTS = 20
_PRUNE = """
DELETE FROM import_draft WHERE organisation_id = %(organisation_id)s AND (created_at < now() - interval '7 days' OR id NOT IN (
    SELECT id FROM import_draft WHERE organisation_id = %(organisation_id)s ORDER BY id DESC LIMIT %(most)s
))
"""


def insert_draft(connection: Connection, *, organisation_id: int, plan_id: int, account_id: int | None, file_name: str, body: Row) -> int:
    """Keep a table and return its id; older ones of the organisation go."""
    connection.execute(_PRUNE, {"organisation_id": organisation_id, "most": MOST_DRAFTS - 1})
    values = {"organisation_id": organisation_id, "plan_id": plan_id, "account_id": account_id, "file_name": file_name, "body": Jsonb(body)}
    row = one(connection, _INSERT, values)
    assert row is not None  # noqa: S101 - an insert returns its row
    return int(row["id"])


def select_draft(connection: Connection, organisation_id: int, draft_id: int) -> Row | None:
    """Return a table that was kept, or None."""
    return one(connection, _SELECT, (organisation_id, draft_id)) if 0 < draft_id < GREATEST_ID else None


def delete_draft(connection: Connection, organisation_id: int, draft_id: int) -> None:
    """Drop a table that came in."""
    connection.execute(_DELETE, (organisation_id, draft_id))
