"""Computed results, by what went in and by which engine."""

from ypomoni.storage.connection import Connection, every

_SELECT = """
SELECT input_digest, body FROM result
WHERE organisation_id = %(organisation_id)s AND engine_version = %(engine_version)s AND input_digest = ANY(%(digests)s)
"""
_INSERT = """
INSERT INTO result (organisation_id, input_digest, engine_version, body)
VALUES (%(organisation_id)s, %(input_digest)s, %(engine_version)s, %(body)s) ON CONFLICT DO NOTHING
"""
_PRUNE = "DELETE FROM result WHERE engine_version <> %s OR created_at < now() - interval '30 days'"


def select_results(connection: Connection, organisation_id: int, engine_version: str, digests: list[str]) -> dict[str, str]:
    """Return the stored bodies of these digests."""
    values = {"organisation_id": organisation_id, "engine_version": engine_version, "digests": digests}
    return {str(row["input_digest"]): str(row["body"]) for row in every(connection, _SELECT, values)}


def insert_results(connection: Connection, organisation_id: int, engine_version: str, bodies: dict[str, str]) -> None:
    """Store bodies by their digests; the same digest twice is the same result. In one order, so that no two requests wait for each other."""
    for digest in sorted(bodies):
        values = {"organisation_id": organisation_id, "engine_version": engine_version, "input_digest": digest, "body": bodies[digest]}
        connection.execute(_INSERT, values)


def prune_results(connection: Connection, engine_version: str) -> None:
    """Drop what another engine computed, and what is a month old: it is computed again when asked for."""
    connection.execute(_PRUNE, (engine_version,))
