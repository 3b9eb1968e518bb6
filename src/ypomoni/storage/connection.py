"""The pool, and one transaction of it."""

import json
from collections.abc import Generator
from contextlib import contextmanager
from typing import Any, LiteralString

import psycopg
from psycopg.rows import DictRow, dict_row
from psycopg.types.json import set_json_loads
from psycopg_pool import ConnectionPool, PoolTimeout

from ypomoni.records.field import Row
from ypomoni.storage.errors import DatabaseAway

Connection = psycopg.Connection[DictRow]
Pool = ConnectionPool[Connection]
PATIENCE_S = 2.0


def _loads(data: str | bytes) -> Any:
    """Return what a JSON column holds. Most lists of a register are empty, so they are not parsed."""
    return [] if data in (b"[]", "[]") else json.loads(data)


set_json_loads(_loads)


def open_pool(conninfo: str, *, most: int = 8) -> Pool:
    """Return a pool that opens its connections when they are needed, and survives a database that comes and goes."""
    pool: Pool = ConnectionPool(
        conninfo,
        connection_class=Connection,
        kwargs={"row_factory": dict_row},
        min_size=1,
        max_size=most,
        timeout=PATIENCE_S,
        reconnect_timeout=1.0,
        check=_check,
        open=False,
    )
    pool.open()
    return pool


def _check(connection: Connection) -> None:
    """Refuse a connection whose server went away, so that the pool makes a new one."""
    connection.execute("")
    connection.rollback()


@contextmanager
def transaction(pool: Pool) -> Generator[Connection]:
    """Give a connection in a transaction that commits at the end, or raise `DatabaseAway`."""
    try:
        with pool.connection() as connection:
            yield connection
    except (psycopg.OperationalError, psycopg.InterfaceError, PoolTimeout) as error:
        raise DatabaseAway("The database cannot be reached.") from error


def one(connection: Connection, statement: LiteralString, values: Row | tuple[Any, ...] = ()) -> Row | None:
    """Return the one row of a statement, or None."""
    return connection.execute(statement, values).fetchone()


def every(connection: Connection, statement: LiteralString, values: Row | tuple[Any, ...] = ()) -> list[Row]:
    """Return the rows of a statement."""
    return connection.execute(statement, values).fetchall()


def many(connection: Connection, statement: LiteralString, values: list[Row]) -> list[Row]:
    """Run a statement for each of several rows in one go, and return the row each gave."""
    found: list[Row] = []
    if not values:
        return found
    with connection.cursor() as cursor:
        cursor.executemany(statement, values, returning=True)
        while True:
            row = cursor.fetchone()
            if row is not None:
                found.append(row)
            if not cursor.nextset():
                return found
