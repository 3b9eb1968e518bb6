"""PostgreSQL's own tools for a whole database in one file."""

import os
import subprocess
from pathlib import Path

import psycopg
from psycopg.conninfo import conninfo_to_dict

from ypomoni.storage.cluster import binary
from ypomoni.storage.errors import StorageError

_VARIABLES = {"host": "PGHOST", "port": "PGPORT", "user": "PGUSER", "password": "PGPASSWORD", "dbname": "PGDATABASE"}
_TABLES = "SELECT count(*) FROM information_schema.tables WHERE table_schema = 'public'"


def dump_database(conninfo: str, file: Path, snapshot: str) -> None:
    """Write a database as it was at a snapshot into a file; whoever works in it goes on."""
    _run("pg_dump", conninfo, "--format=custom", "--no-owner", "--no-privileges", f"--snapshot={snapshot}", f"--file={file}")


def restore_database(conninfo: str, file: Path) -> None:
    """Read a file back into an empty database, whole or not at all.

    Raises
    ------
    StorageError
        If there is anything in the database, or the file cannot be read back; then nothing is.
    """
    with psycopg.connect(conninfo) as connection:
        row = connection.execute(_TABLES).fetchone()
    if row is None or row[0]:
        raise StorageError(
            "There are tables in this database: a backup is restored into an empty one. Make one and name it in YPOMONI_DATABASE."
        )
    dbname = str(conninfo_to_dict(conninfo).get("dbname", ""))
    _run(
        "pg_restore", conninfo, "--exit-on-error", "--single-transaction", "--no-owner", "--no-privileges", f"--dbname={dbname}", str(file)
    )


def _run(tool: str, conninfo: str, *arguments: str) -> None:
    # In the environment, since everybody sees the arguments of a process.
    given = {_VARIABLES[k]: str(v) for k, v in conninfo_to_dict(conninfo).items() if k in _VARIABLES}
    done = subprocess.run([binary(tool), *arguments], env={**os.environ, **given}, capture_output=True, text=True, check=False)
    if done.returncode != 0:
        raise StorageError(f"{tool} failed: {done.stderr.strip()[-800:]}")
