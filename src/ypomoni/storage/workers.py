"""Which workers are alive. Each says so every second, whatever it works on."""

from ypomoni.storage.connection import Connection, one

# A worker that said nothing for so long is gone. [s]
GONE_S = 10.0

_SAY = """
INSERT INTO worker (name) VALUES (%s) ON CONFLICT (name) DO UPDATE SET seen_at = now()
"""
_FORGET = "DELETE FROM worker WHERE seen_at < now() - interval '1 hour'"
_COUNT = "SELECT count(*) AS count FROM worker WHERE seen_at > now() - make_interval(secs => %s)"


def be_alive(connection: Connection, name: str) -> None:
    """Say that a worker is alive; those that were not heard of for an hour are forgotten."""
    connection.execute(_SAY, (name,))
    connection.execute(_FORGET)


def count_workers(connection: Connection) -> int:
    """Return how many workers are alive."""
    row = one(connection, _COUNT, (GONE_S,))
    return int(row["count"]) if row else 0
