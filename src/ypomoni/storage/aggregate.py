"""What every aggregate can do: be found within its organisation, listed, inserted, updated on the version it was read at, removed, restored.

Its statements are composed from the columns its record describes. They stay `LiteralString`, so that no text built at run time passes.
"""

from dataclasses import dataclass
from typing import Generic, LiteralString, TypeVar, cast

from psycopg.types.json import Jsonb

from ypomoni.records.field import Many, Months, Row, fields_of
from ypomoni.storage.connection import Connection, every, many, one

GREATEST_ID = 2**63
HERE: LiteralString = "organisation_id = %(organisation_id)s AND id = %(id)s"
MARK: LiteralString = " SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1 WHERE "


# The record of an aggregate, a `TypedDict`.
Of = TypeVar("Of")


@dataclass(frozen=True, slots=True, kw_only=True)
class Aggregate(Generic[Of]):
    """The statements of one aggregate. ``select`` takes organisation_id and id; it finds removed rows too."""

    name: LiteralString
    columns: tuple[LiteralString, ...]
    # Columns that hold JSON, and so are wrapped on their way in.
    json: frozenset[str]
    select: LiteralString
    list_all: LiteralString
    insert: LiteralString
    update: LiteralString
    set_removed: LiteralString
    lock: LiteralString = " FOR UPDATE"

    def find(self, connection: Connection, organisation_id: int, aggregate_id: int, *, lock: bool = False) -> Of | None:
        """Return the row of this organisation, or None; ``lock`` keeps others from changing it until the transaction ends."""
        if not 0 < aggregate_id < GREATEST_ID:
            return None
        statement: LiteralString = self.select + self.lock if lock else self.select
        return cast("Of | None", one(connection, statement, {"organisation_id": organisation_id, "id": aggregate_id}))

    def every(self, connection: Connection, organisation_id: int, parent_ids: list[int] | None = None) -> list[Of]:
        """Return the rows of these parents, or of the organisation where they have none, removed ones included."""
        rows = every(connection, self.list_all, {"organisation_id": organisation_id, "parent_ids": parent_ids})
        return cast("list[Of]", rows)

    def add(self, connection: Connection, values: Row) -> Row:
        """Insert a row and return it with its id and version."""
        return _returned(one(connection, self.insert, self._wrapped(values)))

    def add_many(self, connection: Connection, rows: list[Row]) -> list[Row]:
        """Insert several rows and return them in their order."""
        return many(connection, self.insert, [self._wrapped(row) for row in rows])

    def change(self, connection: Connection, values: Row) -> Row:
        """Write a row that `find` has locked, and return it with its next version."""
        return _returned(one(connection, self.update, self._wrapped(values)))

    def mark(self, connection: Connection, organisation_id: int, aggregate_id: int, *, removed: bool) -> Row:
        """Remove or restore a row that `find` has locked."""
        return _returned(one(connection, self.set_removed, {"organisation_id": organisation_id, "id": aggregate_id, "removed": removed}))

    def _wrapped(self, values: Row) -> Row:
        return {key: Jsonb(value) if key in self.json and value is not None else value for key, value in values.items()}


def columns_of(record: type) -> tuple[LiteralString, ...]:
    """Return the columns a record describes."""
    return tuple(f.column for f in fields_of(record))


def json_columns(record: type) -> frozenset[str]:
    """Return the columns of a record that hold JSON."""
    return frozenset(f.column for f in fields_of(record) if isinstance(f, Many | Months))


def compose(table: LiteralString, record: type[Of], *, parent: LiteralString | None, order: LiteralString) -> Aggregate[Of]:
    """Return the aggregate of a record in one table.

    Parameters
    ----------
    parent
        The column with the id of what it belongs to, which never changes; None for what belongs to the organisation.
    order
        How its list is ordered.
    """
    columns = columns_of(record)
    named = ", ".join(("id", "organisation_id", *columns, "version", "removed_at"))
    within = "" if parent is None else " AND " + parent + " = ANY(%(parent_ids)s)"
    fixed: tuple[LiteralString, ...] = ("key",) if parent is None else ("key", parent)
    changing = without(columns, fixed)
    return Aggregate(
        name=table,
        columns=columns,
        json=json_columns(record),
        select="SELECT " + named + " FROM " + table + " WHERE " + HERE,
        list_all="SELECT " + named + " FROM " + table + " WHERE organisation_id = %(organisation_id)s" + within + " ORDER BY " + order,
        insert=insert_into(table, columns) + " RETURNING " + named,
        update=update_of(table, changing) + " RETURNING " + named,
        set_removed="UPDATE " + table + MARK + HERE + " RETURNING " + named,
    )


def without(columns: tuple[LiteralString, ...], left_out: tuple[LiteralString, ...]) -> tuple[LiteralString, ...]:
    """Return columns but for some."""
    found: list[LiteralString] = []
    for column in columns:
        if str(column) not in left_out:
            found.append(column)
    return tuple(found)


def insert_into(table: LiteralString, columns: tuple[LiteralString, ...]) -> LiteralString:
    """Return the statement that inserts a row of these columns, up to what it returns."""
    names = ", ".join(("organisation_id", *columns))
    return "INSERT INTO " + table + " (" + names + ") VALUES (" + ", ".join(named_value(c) for c in ("organisation_id", *columns)) + ")"


def update_of(table: LiteralString, columns: tuple[LiteralString, ...]) -> LiteralString:
    """Return the statement that writes these columns on the version that was read, up to what it returns."""
    values = ", ".join(c + " = " + named_value(c) for c in columns)
    return "UPDATE " + table + " SET " + values + ", version = version + 1 WHERE " + HERE + " AND version = %(version)s"


def named_value(column: LiteralString) -> LiteralString:
    """Return the placeholder of a column."""
    return "%(" + column + ")s"


def _returned(row: Row | None) -> Row:
    if row is None:
        raise LookupError("the statement touched no row: the row was not locked before")
    return row
