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
from ypomoni.storage.errors import DatabaseAway, DatabaseFull, OutcomeUnknown, TimedOut, TryAgain

Connection = psycopg.Connection[DictRow]
Pool = ConnectionPool[Connection]
PATIENCE_S = 2.0
# What a statement may take, how long it may wait for a lock, and how long a transaction may do nothing. [ms]
TIMEOUTS = "-c statement_timeout=20000 -c lock_timeout=8000 -c idle_in_transaction_session_timeout=60000"

# The class of the locks that keep an organisation's own things still.
SHARED_LOCK = 7_406_912


def _loads(data: str | bytes) -> Any:
    """Return what a JSON column holds. Most lists of a register are empty, so they are not parsed."""
    return [] if data in (b"[]", "[]") else json.loads(data)


set_json_loads(_loads)


def open_pool(conninfo: str, *, most: int = 8) -> Pool:
    """Return a pool that opens its connections when they are needed, and survives a database that comes and goes."""
    pool = make_pool(conninfo, most=most)
    pool.open()
    return pool


def make_pool(conninfo: str, *, most: int = 8) -> Pool:
    """Return such a pool not yet opened: without connections and threads, so that a process which has it may still fork."""
    return ConnectionPool(
        conninfo,
        connection_class=Connection,
        kwargs={"row_factory": dict_row, "options": TIMEOUTS, "connect_timeout": 3},
        min_size=1,
        max_size=most,
        timeout=PATIENCE_S,
        reconnect_timeout=1.0,
        check=_check,
        open=False,
    )


def _check(connection: Connection) -> None:
    """Refuse a connection whose server went away, so that the pool makes a new one."""
    connection.execute("")
    connection.rollback()


@contextmanager
def transaction(pool: Pool) -> Generator[Connection]:
    """Give a connection in a transaction that commits at the end, or raise one of `storage.errors` for what is not its own fault."""
    try:
        with pool.connection() as connection:
            yield connection
            commit(connection)
    except (psycopg.errors.DeadlockDetected, psycopg.errors.SerializationFailure) as error:
        raise TryAgain("Somebody else wrote to the same things at the same moment.") from error
    except (psycopg.errors.LockNotAvailable, psycopg.errors.QueryCanceled) as error:
        raise TimedOut("It waited too long for somebody else's change to the same site.") from error
    except (psycopg.errors.DiskFull, psycopg.errors.OutOfMemory) as error:
        raise DatabaseFull("The disk of the database is full.") from error
    except (psycopg.OperationalError, psycopg.InterfaceError, PoolTimeout) as error:
        raise DatabaseAway("The database cannot be reached.") from error


def commit(connection: Connection) -> None:
    """Keep what was written until now and let go of all locks, or raise `OutcomeUnknown` where nobody can tell whether it is kept."""
    try:
        connection.commit()
    except (psycopg.errors.DeadlockDetected, psycopg.errors.SerializationFailure, psycopg.errors.DiskFull):
        # These say that it is not.
        raise
    except (psycopg.OperationalError, psycopg.InterfaceError) as error:
        raise OutcomeUnknown("The database went away while it was saving.") from error


def why_away(conninfo: str) -> str | None:
    """Return why no connection can be made, or None where one can."""
    try:
        with psycopg.connect(conninfo, connect_timeout=3):
            return None
    except psycopg.OperationalError as error:
        return f"{str(error).strip().splitlines()[-1]}."


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


def lock_shared(connection: Connection, organisation_id: int) -> None:
    """Let nobody else change what an organisation's sites share until the transaction ends. Asked for after the lock of a site, never before."""
    connection.execute("SELECT pg_advisory_xact_lock(%s, %s)", (SHARED_LOCK, organisation_id % 2**31))


def lock_token(connection: Connection, token: str) -> None:
    """Let nobody else go on who sends the same token, until the transaction ends. Asked for before any other lock."""
    connection.execute("SELECT pg_advisory_xact_lock(hashtextextended(%s, %s))", (token, SHARED_LOCK))


def export_snapshot(connection: Connection) -> str:
    """Return the name of what this transaction sees from now on, for another connection to see the same."""
    connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
    connection.execute("SET LOCAL idle_in_transaction_session_timeout = 0")
    connection.execute("SET LOCAL statement_timeout = 0")
    row = one(connection, "SELECT pg_export_snapshot() AS name")
    return str(row["name"]) if row else ""
