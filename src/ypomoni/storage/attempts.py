"""How often somebody has tried something lately, counted where every process sees it. Each count stands in a transaction of its own."""

from ypomoni.storage.connection import Pool, one, transaction

_ADD = """
INSERT INTO attempt (key, count, expires_at) VALUES (%(key)s, %(amount)s, now() + make_interval(secs => %(lasts_s)s))
ON CONFLICT (key) DO UPDATE SET
    count = CASE WHEN attempt.expires_at <= now() THEN excluded.count ELSE attempt.count + excluded.count END,
    expires_at = CASE WHEN attempt.expires_at <= now() THEN excluded.expires_at ELSE attempt.expires_at END
RETURNING count
"""
_GET = "SELECT count, extract(epoch FROM expires_at) AS expires_s FROM attempt WHERE key = %s AND expires_at > now()"
_PRUNE = "DELETE FROM attempt WHERE expires_at <= now()"
_CLEAR = "DELETE FROM attempt WHERE key = %s"
_CLEAR_ALL = "DELETE FROM attempt"


def add_attempt(pool: Pool, key: str, lasts_s: float, amount: int) -> int:
    """Count an attempt, and return how many there were within its time. What has run out is dropped."""
    with transaction(pool) as connection:
        connection.execute(_PRUNE)
        row = one(connection, _ADD, {"key": key, "amount": amount, "lasts_s": lasts_s})
    return int(row["count"]) if row else 0


def count_attempts(pool: Pool, key: str) -> tuple[int, float | None]:
    """Return how many attempts there were, and when they are forgotten, in seconds of the epoch; None where there are none."""
    with transaction(pool) as connection:
        row = one(connection, _GET, (key,))
    return (int(row["count"]), float(row["expires_s"])) if row else (0, None)


def forget_attempts(pool: Pool, key: str | None) -> None:
    """Forget the attempts of a key, or all of them."""
    with transaction(pool) as connection:
        connection.execute(_CLEAR_ALL if key is None else _CLEAR, None if key is None else (key,))
