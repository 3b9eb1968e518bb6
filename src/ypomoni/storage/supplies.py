"""A supply and its bank: two tables, written and read as one row, in which the bank's columns begin with ``bank_``.

One statement writes both, so that a supply never stands with half a bank. The bank keeps its id, whatever of it is changed.
"""

from typing import LiteralString

from ypomoni.records.bank import BankRow
from ypomoni.records.supply import SupplyRow
from ypomoni.storage.aggregate import HERE, MARK, Aggregate, columns_of, insert_into, json_columns, named_value, update_of, without
from ypomoni.storage.connection import Connection

_BANK = columns_of(BankRow)
_OWN = without(columns_of(SupplyRow), _BANK)


def _bare(column: LiteralString) -> LiteralString:
    """Return the name of a bank's column in its own table."""
    return column.removeprefix("bank_")


_NAMED = (
    ", ".join("s." + c for c in ("id", "organisation_id", *_OWN, "version", "removed_at"))
    + ", b.id AS bank_id, "
    # Without a bank its lists are empty, and everything else of it is not there.
    + ", ".join("coalesce(b." + _bare(c) + ", '[]') AS " + c if c in json_columns(BankRow) else "b." + _bare(c) + " AS " + c for c in _BANK)
)
_STANDING = " LEFT JOIN bank b ON b.supply_id = s.id AND b.removed_at IS NULL"
_FOUND = "SELECT " + _NAMED + " FROM supply s" + _STANDING + " WHERE s.organisation_id = %(organisation_id)s AND "
# The bank that is written beside the supply of `kept`, unless there is none.
_FIT = (
    "INSERT INTO bank (organisation_id, supply_id, "
    + ", ".join(_bare(c) for c in _BANK)
    + ") SELECT organisation_id, id, "
    + ", ".join(named_value(c) for c in _BANK)
    + " FROM kept WHERE %(bank_chemistry)s::text IS NOT NULL"
)
_REFIT = (
    " ON CONFLICT (supply_id) DO UPDATE SET removed_at = NULL, "
    + ", ".join(_bare(c) + " = excluded." + _bare(c) for c in _BANK)
    + " RETURNING *"
)
_TAKE_OUT = "UPDATE bank SET removed_at = now() WHERE supply_id IN (SELECT id FROM kept) AND removed_at IS NULL AND %(bank_chemistry)s::text IS NULL"
_WRITTEN = " SELECT " + _NAMED + " FROM kept s LEFT JOIN fitted b ON b.supply_id = s.id"

_GOING_BY = "SELECT id FROM supply WHERE organisation_id = %s AND bench_id = %s AND removed_at IS NULL ORDER BY plan_id, id"
_KEEP_BENCH = """
UPDATE supply s SET bench_id = was.bench_id FROM supply was
WHERE s.plan_id = %(plan_id)s AND was.plan_id = %(was_id)s AND s.key = was.key AND was.bench_id IS NOT NULL
    AND s.organisation_id = %(organisation_id)s AND was.organisation_id = %(organisation_id)s
"""


def select_going_by_bench(connection: Connection, organisation_id: int, bench_id: int) -> list[int]:
    """Return the ids of the supplies that go by a record of the bench."""
    return [int(row["id"]) for row in connection.execute(_GOING_BY, (organisation_id, bench_id)).fetchall()]


def keep_benches_of(connection: Connection, organisation_id: int, plan_id: int, was_id: int) -> None:
    """Let the supplies of a copied plan go by the same records of the bench as those they were copied from."""
    connection.execute(_KEEP_BENCH, {"organisation_id": organisation_id, "plan_id": plan_id, "was_id": was_id})


SUPPLY: Aggregate[SupplyRow] = Aggregate(
    name="supply",
    columns=(*_OWN, *_BANK),
    json=json_columns(SupplyRow),
    select=_FOUND + "s.id = %(id)s",
    list_all=_FOUND + "s.plan_id = ANY(%(parent_ids)s) ORDER BY s.id",
    insert="WITH kept AS (" + insert_into("supply", _OWN) + " RETURNING *), fitted AS (" + _FIT + " RETURNING *)" + _WRITTEN,
    update="WITH kept AS ("
    + update_of("supply", without(_OWN, ("plan_id", "key")))
    + " RETURNING *), fitted AS ("
    + _FIT
    + _REFIT
    + "), out AS ("
    + _TAKE_OUT
    + ")"
    + _WRITTEN,
    set_removed="WITH kept AS (UPDATE supply" + MARK + HERE + " RETURNING *) SELECT " + _NAMED + " FROM kept s" + _STANDING,
    lock=" FOR UPDATE OF s",
)
