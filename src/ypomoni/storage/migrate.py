"""Numbered SQL files, each applied once in its own transaction and recorded with its digest."""

import hashlib
from importlib import resources

import psycopg
from psycopg import sql

from ypomoni.storage.connection import Connection, every
from ypomoni.storage.errors import StorageError

LOCK = 7_406_911
_TABLE = "CREATE TABLE IF NOT EXISTS migration (name text PRIMARY KEY, digest text NOT NULL, applied_at timestamptz NOT NULL DEFAULT now())"
_KNOWN = "SELECT name, digest FROM migration"
_RECORD = "INSERT INTO migration (name, digest) VALUES (%s, %s)"


def migrate(conninfo: str) -> list[str]:
    """Apply what is missing and return the names applied.

    Raises
    ------
    StorageError
        If a file that was applied has changed since, or the database was made by a newer version.
    """
    applied: list[str] = []
    with psycopg.connect(conninfo, autocommit=True) as connection:
        connection.execute("SELECT pg_advisory_lock(%s)", (LOCK,))
        connection.execute(_TABLE)
        known = {str(name): str(digest) for name, digest in connection.execute(_KNOWN).fetchall()}
        newer = sorted(set(known) - set(_names()))
        if newer:
            raise StorageError(
                f"This database was made by a newer version: it has {', '.join(newer)}. Start that version, or restore a backup."
            )
        for file in sorted(resources.files("ypomoni.storage").joinpath("migrations").iterdir(), key=lambda f: f.name):
            if not file.name.endswith(".sql"):
                continue
            body = file.read_bytes()
            digest = hashlib.sha256(body).hexdigest()
            if known.get(file.name) == digest:
                continue
            if file.name in known:
                raise StorageError(f"migration {file.name} was changed after it had been applied.")
            with connection.transaction():
                # The files are ours and ship with the package: they are the statements.
                connection.execute(body)
                connection.execute(_RECORD, (file.name, digest))
            applied.append(file.name)
    return applied


def _names() -> list[str]:
    files = resources.files("ypomoni.storage").joinpath("migrations").iterdir()
    return sorted(f.name for f in files if f.name.endswith(".sql"))


def missing_migrations(connection: Connection) -> list[str]:
    """Return the names of what is not applied yet."""
    known = {str(row["name"]) for row in every(connection, _KNOWN)}
    return [name for name in _names() if name not in known]


def ensure_database(admin_conninfo: str, name: str) -> None:
    """Create a database unless it is there."""
    with psycopg.connect(admin_conninfo, autocommit=True) as connection:
        if connection.execute("SELECT 1 FROM pg_database WHERE datname = %s", (name,)).fetchone() is None:
            connection.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(name)))
