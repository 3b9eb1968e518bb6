"""The log: one row a change. Append only."""

from datetime import date

from psycopg.types.json import Jsonb

from ypomoni.records.bank import BankRow
from ypomoni.records.field import Row
from ypomoni.storage.aggregate import columns_of
from ypomoni.storage.connection import Connection, every, one

_INSERT = """
INSERT INTO change (organisation_id, account_id, verb, aggregate, aggregate_id, site_id, before, after, batch, undoes)
VALUES (%(organisation_id)s, %(account_id)s, %(verb)s, %(aggregate)s, %(aggregate_id)s, %(site_id)s, %(before)s, %(after)s, %(batch)s, %(undoes)s)
"""
_LAST = """
SELECT c.changed_at, a.name FROM change c LEFT JOIN account a ON a.id = c.account_id
WHERE c.organisation_id = %s AND c.aggregate = %s AND c.aggregate_id = %s ORDER BY c.id DESC LIMIT 1
"""
_LAST_BANK = """
SELECT before FROM change WHERE organisation_id = %s AND aggregate = 'supply' AND aggregate_id = %s AND verb = 'edit'
AND before->>'bank_chemistry' IS NOT NULL AND after->>'bank_chemistry' IS NULL ORDER BY id DESC LIMIT 1
"""
_BATCH = """
SELECT id, verb, aggregate, aggregate_id, site_id, before, after FROM change
WHERE organisation_id = %s AND batch = %s ORDER BY id DESC
"""
# What belongs to a plan, and what belongs to its whole site.
_OF_PLAN = """
FROM change c LEFT JOIN account a ON a.id = c.account_id
WHERE c.organisation_id = %(organisation_id)s AND c.site_id = %(site_id)s AND c.id > %(after_id)s
AND (c.aggregate IN ('site', 'requirement', 'place', 'run') OR (c.aggregate = 'plan' AND c.aggregate_id = %(plan_id)s)
    OR COALESCE(c.after, c.before)->>'plan_id' = %(plan_id)s::text)
"""
_HISTORY = (
    "SELECT c.id, c.changed_at, c.verb, c.aggregate, c.aggregate_id, c.before, c.after, c.batch, c.undoes, c.account_id, a.name "
    + _OF_PLAN
    + "ORDER BY c.id DESC LIMIT %(most)s"
)
_STEPS = (
    "SELECT c.batch, min(c.undoes) AS undoes, bool_and(c.verb IN ('create', 'edit', 'remove', 'restore')) AS is_reversible,"
    " bool_or(c.aggregate IN ('plan', 'site')) AS is_whole, max(c.id) AS id "
    + _OF_PLAN
    + "AND c.account_id = %(account_id)s AND c.batch IS NOT NULL GROUP BY c.batch ORDER BY max(c.id)"
)
_ALL_OF = (
    "SELECT changed_at, verb, before, after FROM change WHERE organisation_id = %s AND aggregate = %s AND aggregate_id = %s ORDER BY id"
)
# Of supplies whose battery was another one at some time: those are few among thousands.
_BATTERIES = """
SELECT aggregate_id, changed_at, verb, before, after FROM change WHERE organisation_id = %(organisation_id)s AND aggregate = 'supply'
AND aggregate_id IN (
    SELECT aggregate_id FROM change WHERE organisation_id = %(organisation_id)s AND aggregate = 'supply' AND before ->> 'bank_chemistry' IS NOT NULL
    AND (after IS NULL OR EXISTS (SELECT FROM unnest(%(columns)s::text[]) c WHERE before -> c IS DISTINCT FROM after -> c))
) ORDER BY aggregate_id, id
"""
_SETTING = "SELECT value FROM setting WHERE organisation_id = %s AND name = %s"
_SET = """
INSERT INTO setting (organisation_id, name, value) VALUES (%s, %s, %s)
ON CONFLICT (organisation_id, name) DO UPDATE SET value = excluded.value
"""


def insert_change(
    connection: Connection,
    *,
    organisation_id: int,
    account_id: int | None,
    verb: str,
    aggregate: str,
    aggregate_id: int,
    site_id: int | None,
    before: Row | None,
    after: Row | None,
    batch: str | None = None,
    undoes: str | None = None,
) -> None:
    """Log one change; those of one batch can be undone together."""
    values: Row = {
        "organisation_id": organisation_id,
        "account_id": account_id,
        "verb": verb,
        "aggregate": aggregate,
        "aggregate_id": aggregate_id,
        "site_id": site_id,
        "before": _json(before),
        "after": _json(after),
        "batch": batch,
        "undoes": undoes,
    }
    connection.execute(_INSERT, values)


def insert_changes(connection: Connection, shared: Row, pairs: list[tuple[Row | None, Row | None]]) -> None:
    """Log several changes of one kind; each pair is what a row was and what it is. ``shared`` are the columns they have in common."""
    entries: list[Row] = []
    for before, after in pairs:
        row: Row = after or before or {}
        entries.append({**shared, "aggregate_id": row["id"], "before": _json(before), "after": _json(after)})
    with connection.cursor() as cursor:
        cursor.executemany(_INSERT, entries)


def select_last_change(connection: Connection, organisation_id: int, aggregate: str, aggregate_id: int) -> Row | None:
    """Return who changed an aggregate last, and when."""
    return one(connection, _LAST, (organisation_id, aggregate, aggregate_id))


def select_last_bank(connection: Connection, organisation_id: int, supply_id: int) -> Row | None:
    """Return the columns of the bank that was last taken out of a supply, or None."""
    row = one(connection, _LAST_BANK, (organisation_id, supply_id))
    return None if row is None else {key: value for key, value in row["before"].items() if key in columns_of(BankRow)}


def select_batch(connection: Connection, organisation_id: int, batch: str) -> list[Row]:
    """Return the changes of a batch, the last one first."""
    return every(connection, _BATCH, (organisation_id, batch))


def select_history(
    connection: Connection, organisation_id: int, site_id: int, plan_id: int, *, after_id: int = 0, most: int = 2_000
) -> list[Row]:
    """Return what was changed in a plan and in what its site shares, the last change first."""
    values = {"organisation_id": organisation_id, "site_id": site_id, "plan_id": plan_id, "after_id": after_id, "most": most}
    return every(connection, _HISTORY, values)


def select_steps(connection: Connection, organisation_id: int, site_id: int, plan_id: int, account_id: int) -> list[Row]:
    """Return the batches of one person in a plan, oldest first, each with the batch it takes back."""
    values = {"organisation_id": organisation_id, "site_id": site_id, "plan_id": plan_id, "account_id": account_id, "after_id": 0}
    return every(connection, _STEPS, values)


def select_setting(connection: Connection, organisation_id: int, name: str) -> str | None:
    """Return a setting, or None."""
    row = one(connection, _SETTING, (organisation_id, name))
    return None if row is None else str(row["value"])


def upsert_setting(connection: Connection, organisation_id: int, name: str, value: str) -> None:
    """Set a setting."""
    connection.execute(_SET, (organisation_id, name, value))


def _json(row: Row | None) -> Jsonb | None:
    if row is None:
        return None
    kept = {key: value.isoformat() if isinstance(value, date) else value for key, value in row.items() if key != "removed_at"}
    return Jsonb(kept | {"removed": row.get("removed_at") is not None})


def list_changes_of(connection: Connection, organisation_id: int, aggregate: str, aggregate_id: int) -> list[Row]:
    """Return every change of one thing, the first one first."""
    return every(connection, _ALL_OF, (organisation_id, aggregate, aggregate_id))


def changes_of_batteries(connection: Connection, organisation_id: int, columns: list[str]) -> dict[int, list[Row]]:
    """Return every change of each supply whose battery was changed in one of some columns, the first one first, by its id."""
    found: dict[int, list[Row]] = {}
    for row in every(connection, _BATTERIES, {"organisation_id": organisation_id, "columns": columns}):
        found.setdefault(row["aggregate_id"], []).append(row)
    return found
