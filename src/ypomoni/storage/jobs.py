"""The queue of long work. A worker takes one row at a time; what a worker that died left behind is taken again."""

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every, one

# A worker that said nothing for so long is dead.
SILENT_S = 15.0
MOST_ATTEMPTS = 3

_INSERT = """
INSERT INTO job (organisation_id, plan_id, account_id, plan_key, objective, search_s, input_digest, input)
VALUES (%(organisation_id)s, %(plan_id)s, %(account_id)s, %(plan_key)s, %(objective)s, %(search_s)s, %(input_digest)s, %(input)s)
RETURNING id
"""
_SELECT = """
SELECT id, organisation_id, plan_id, account_id, plan_key, objective, search_s, input_digest, state, progress, body, attempts, is_cancelled,
    created_at, heartbeat_at
FROM job WHERE organisation_id = %s AND id = %s
"""
_TAKE = """
UPDATE job SET state = 'running', attempts = attempts + 1, heartbeat_at = now() WHERE id = (
    SELECT id FROM job WHERE (state = 'queued' OR (state = 'running' AND heartbeat_at < now() - make_interval(secs => %(silent_s)s)))
    AND attempts < %(most)s ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED
) RETURNING id, organisation_id, plan_id, plan_key, objective, search_s, input, attempts
"""
_GIVE_UP = """
UPDATE job SET state = 'failed', progress = 'It stopped the worker three times and was given up.'
WHERE state = 'running' AND attempts >= %(most)s AND heartbeat_at < now() - make_interval(secs => %(silent_s)s)
"""
_BEAT = "UPDATE job SET heartbeat_at = now(), progress = %s WHERE id = %s AND state = 'running' RETURNING is_cancelled"
_FINISH = "UPDATE job SET state = %s, body = %s, progress = %s, heartbeat_at = now() WHERE id = %s AND state = 'running'"
_CANCEL = """
UPDATE job SET is_cancelled = true, state = CASE WHEN state = 'queued' THEN 'cancelled' ELSE state END
WHERE organisation_id = %s AND id = %s AND state IN ('queued', 'running')
"""
_PRUNE = "DELETE FROM job WHERE created_at < now() - interval '7 days'"
_WAITING = "SELECT count(*) AS n FROM job WHERE state = 'queued' AND id < %s"


def insert_job(connection: Connection, values: Row) -> int:
    """Put work into the queue and return its id."""
    row = one(connection, _INSERT, values)
    return int(row["id"]) if row else 0


def select_job(connection: Connection, organisation_id: int, job_id: int) -> Row | None:
    """Return a job of an organisation without its input, or None."""
    return one(connection, _SELECT, (organisation_id, job_id)) if 0 < job_id < 2**63 else None


def take_job(connection: Connection) -> Row | None:
    """Take the oldest job that waits, or that a dead worker left, or None."""
    values = {"silent_s": SILENT_S, "most": MOST_ATTEMPTS}
    connection.execute(_GIVE_UP, values)
    connection.execute(_PRUNE)
    return one(connection, _TAKE, values)


def beat(connection: Connection, job_id: int, progress: str) -> bool:
    """Say that a job is alive and how far, and return whether somebody wants it stopped."""
    found = every(connection, _BEAT, (progress, job_id))
    return not found or bool(found[0]["is_cancelled"])


def finish_job(connection: Connection, job_id: int, state: str, body: str | None, progress: str) -> None:
    """Write what a job came to."""
    connection.execute(_FINISH, (state, body, progress, job_id))


def cancel_job(connection: Connection, organisation_id: int, job_id: int) -> None:
    """Ask a job to stop; one that waits never starts."""
    connection.execute(_CANCEL, (organisation_id, job_id))


def waiting_before(connection: Connection, job_id: int) -> int:
    """Return how many jobs wait in front of one."""
    row = one(connection, _WAITING, (job_id,))
    return int(row["n"]) if row else 0
