"""What every aggregate can do: be found within its organisation, inserted, updated on the version it was read at, removed, restored."""

from dataclasses import dataclass
from typing import LiteralString

from psycopg.types.json import Jsonb

from ypomoni.storage.connection import Connection, Row, many, one

GREATEST_ID = 2**63
# Columns that hold JSON, and so are wrapped on their way in.
JSON_COLUMNS = frozenset({"bursts", "thermostats", "recharges", "totals", "ranges", "monthly_degc", "bank_discharge_table"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Aggregate:
    """The statements of one aggregate. ``select`` takes organisation_id and id; it finds removed rows too."""

    name: str
    columns: tuple[str, ...]
    select: LiteralString
    insert: LiteralString
    update: LiteralString
    set_removed: LiteralString

    def find(self, connection: Connection, organisation_id: int, aggregate_id: int, *, lock: bool = False) -> Row | None:
        """Return the row of this organisation, or None; ``lock`` keeps others from changing it until the transaction ends."""
        if not 0 < aggregate_id < GREATEST_ID:
            return None
        statement: LiteralString = self.select + " FOR UPDATE" if lock else self.select
        return one(connection, statement, {"organisation_id": organisation_id, "id": aggregate_id})

    def add(self, connection: Connection, values: Row) -> Row:
        """Insert a row and return it with its id and version."""
        return _returned(one(connection, self.insert, _wrapped(values)))

    def add_many(self, connection: Connection, rows: list[Row]) -> list[Row]:
        """Insert several rows and return them in their order."""
        return many(connection, self.insert, [_wrapped(row) for row in rows])

    def change(self, connection: Connection, values: Row) -> Row:
        """Write a row that `find` has locked, and return it with its next version."""
        return _returned(one(connection, self.update, _wrapped(values)))

    def mark(self, connection: Connection, organisation_id: int, aggregate_id: int, *, removed: bool) -> Row:
        """Remove or restore a row that `find` has locked."""
        return _returned(one(connection, self.set_removed, {"organisation_id": organisation_id, "id": aggregate_id, "removed": removed}))


def _wrapped(values: Row) -> Row:
    return {key: Jsonb(value) if key in JSON_COLUMNS and value is not None else value for key, value in values.items()}


def _returned(row: Row | None) -> Row:
    if row is None:
        raise LookupError("the statement touched no row: the row was not locked before")
    return row
