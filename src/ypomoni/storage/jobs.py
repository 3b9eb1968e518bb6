"""The queue of long work. A worker takes one row at a time; what a worker that died left behind is taken again."""

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every, one

# A worker that said nothing for so long is dead.
SILENT_S = 15.0
MOST_ATTEMPTS = 3

_INSERT = """
INSERT INTO job (organisation_id, kind, plan_id, account_id, plan_key, objective, search_s, input_digest, input)
VALUES (%(organisation_id)s, %(kind)s, %(plan_id)s, %(account_id)s, %(plan_key)s, %(objective)s, %(search_s)s, %(input_digest)s, %(input)s)
RETURNING id
"""
_SELECT = """
SELECT id, organisation_id, plan_id, account_id, plan_key, objective, search_s, input_digest, state, progress, body, attempts, is_cancelled,
    created_at, heartbeat_at
FROM job WHERE organisation_id = %s AND id = %s AND kind = 'moves'
"""
# Organisations take turns: who has least under way comes first, then who was served longest ago. Figures that somebody looks at go before searches.
_TAKE = """
UPDATE job SET state = 'running', attempts = attempts + 1, heartbeat_at = now(), taken_at = now() WHERE id = (
    SELECT j.id FROM job j
    WHERE (j.state = 'queued' OR (j.state = 'running' AND j.heartbeat_at < now() - make_interval(secs => %(silent_s)s)))
    AND j.attempts < %(most)s
    ORDER BY
        (SELECT count(*) FROM job r WHERE r.organisation_id = j.organisation_id AND r.state = 'running'
            AND r.heartbeat_at >= now() - make_interval(secs => %(silent_s)s)),
        j.kind <> 'figures',
        (SELECT max(r.taken_at) FROM job r WHERE r.organisation_id = j.organisation_id) NULLS FIRST,
        j.id
    LIMIT 1 FOR UPDATE SKIP LOCKED
) RETURNING id, organisation_id, kind, plan_id, plan_key, objective, search_s, input, attempts
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
_REPORT_INPUT = "SELECT input FROM job WHERE organisation_id = %s AND kind = 'report' AND input_digest = %s ORDER BY id DESC LIMIT 1"
_DROP_REPORT = "DELETE FROM job WHERE organisation_id = %s AND kind = 'report' AND input_digest = %s"
_PRUNE = "DELETE FROM job WHERE created_at < now() - interval '7 days' OR (kind = 'figures' AND created_at < now() - interval '1 hour')"
_WAITING = "SELECT count(*) AS n FROM job WHERE state = 'queued' AND id < %s"
_QUEUED = "SELECT count(*) AS n FROM job WHERE state = 'queued'"
_UNDER_WAY = "SELECT count(*) AS n FROM job WHERE organisation_id = %s AND kind = %s AND state IN ('queued', 'running')"
_ASKED = """
SELECT id, state, progress, attempts FROM job WHERE organisation_id = %s AND kind = %s AND input_digest = %s ORDER BY id DESC LIMIT 1
"""


def insert_job(connection: Connection, values: Row) -> int:
    """Put work into the queue and return its id."""
    row = one(connection, _INSERT, values)
    return int(row["id"]) if row else 0


def select_job(connection: Connection, organisation_id: int, job_id: int) -> Row | None:
    """Return a search of an organisation without its input, or None."""
    return one(connection, _SELECT, (organisation_id, job_id)) if 0 < job_id < 2**63 else None


def take_job(connection: Connection) -> Row | None:
    """Take the next job that waits, or that a dead worker left, or None."""
    values = {"silent_s": SILENT_S, "most": MOST_ATTEMPTS}
    # Here and not by a clock of its own: whoever looks for work is there anyway.
    connection.execute(_GIVE_UP, values)
    connection.execute(_PRUNE)
    return one(connection, _TAKE, values)


def beat(connection: Connection, job_id: int, progress: str) -> bool:
    """Say that a job is alive and how far, and return whether somebody wants it stopped."""
    found = every(connection, _BEAT, (progress, job_id))
    # No row: it was given up or has ended, and whoever still works on it should stop.
    return not found or bool(found[0]["is_cancelled"])


def finish_job(connection: Connection, job_id: int, state: str, body: str | None, progress: str) -> None:
    """Write what a job came to."""
    connection.execute(_FINISH, (state, body, progress, job_id))


def cancel_job(connection: Connection, organisation_id: int, job_id: int) -> None:
    """Ask a job to stop; one that waits never starts."""
    connection.execute(_CANCEL, (organisation_id, job_id))


def waiting_before(connection: Connection, job_id: int) -> int:
    """Return how many jobs wait in front of one."""
    return _count(one(connection, _WAITING, (job_id,)))


def count_queued(connection: Connection) -> int:
    """Return how many jobs wait in all."""
    return _count(one(connection, _QUEUED))


def count_under_way(connection: Connection, organisation_id: int, kind: str) -> int:
    """Return how many jobs of a kind an organisation has in the queue or at work."""
    return _count(one(connection, _UNDER_WAY, (organisation_id, kind)))


def select_asked(connection: Connection, organisation_id: int, kind: str, input_digest: str) -> Row | None:
    """Return the state and progress of the last job of a kind that was to work on the same, or None."""
    return one(connection, _ASKED, (organisation_id, kind, input_digest))


def _count(row: Row | None) -> int:
    return int(row["n"]) if row else 0


def select_asked_input(connection: Connection, organisation_id: int, digest: str) -> str:
    """Return what a report that waits in the queue is to be made of."""
    row = one(connection, _REPORT_INPUT, (organisation_id, digest))
    return str(row["input"]) if row else ""


def drop_job(connection: Connection, organisation_id: int, digest: str) -> None:
    """Take a report out of the queue: it was made already."""
    connection.execute(_DROP_REPORT, (organisation_id, digest))
