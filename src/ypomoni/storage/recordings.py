"""What meters logged: recordings with their samples in chunks that are written once, and the lease by which one process at a time records."""

from typing import Any

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every, one

# A recorder that said nothing for so long is dead, and another goes on.
SILENT_S = 6.0
_COLUMNS = (
    "id, organisation_id, name, address, meter_kind, state, said, identity, interval_s, range_a, load_a, end_v, run_id, begun_by, begun_at, "
    "beat_at, ended_at, stop_asked, samples_count, overloads_count, garbage_count, lost_count, last_a, last_v, removed_at"
)
_INSERT = (
    "INSERT INTO recording (organisation_id, name, address, meter_kind, state, said, interval_s, range_a, load_a, end_v, run_id, begun_by, "
    "begun_at, ended_at) VALUES (%(organisation_id)s, %(name)s, %(address)s, %(meter_kind)s, %(state)s, %(said)s, %(interval_s)s, %(range_a)s, "
    "%(load_a)s, %(end_v)s, %(run_id)s, %(begun_by)s, %(begun_at)s, %(ended_at)s) RETURNING " + _COLUMNS
)
_SELECT = "SELECT " + _COLUMNS + " FROM recording WHERE organisation_id = %s AND id = %s"
_LIST = "SELECT " + _COLUMNS + " FROM recording WHERE organisation_id = %s AND removed_at IS NULL ORDER BY id DESC LIMIT 200"
_OF_RUN = "SELECT " + _COLUMNS + " FROM recording WHERE organisation_id = %s AND run_id = %s ORDER BY id DESC LIMIT 1"
_HOLDS = "SELECT " + _COLUMNS + " FROM recording WHERE address = %s AND state = 'running'"
_RUNNING = "SELECT count(*) AS n FROM recording WHERE organisation_id = %s AND state = 'running'"
_TAKE = (
    "UPDATE recording SET beat_at = now() WHERE id = (SELECT id FROM recording WHERE state = 'running' AND (beat_at IS NULL OR "
    "beat_at < now() - make_interval(secs => %s)) ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED) RETURNING " + _COLUMNS
)
_CHUNK = (
    "INSERT INTO recording_chunk (organisation_id, recording_id, first_n, t_s, current_a, terminal_v) VALUES (%(organisation_id)s, "
    "%(recording_id)s, %(first_n)s, %(t_s)s, %(current_a)s, %(terminal_v)s)"
)
_BEAT = (
    "UPDATE recording SET beat_at = now(), said = %(said)s, identity = %(identity)s, samples_count = samples_count + %(samples_count)s, "
    "overloads_count = overloads_count + %(overloads_count)s, garbage_count = garbage_count + %(garbage_count)s, "
    "lost_count = lost_count + %(lost_count)s, last_a = COALESCE(%(last_a)s, last_a), last_v = COALESCE(%(last_v)s, last_v) "
    "WHERE id = %(id)s AND state = 'running' RETURNING stop_asked"
)
_FINISH = "UPDATE recording SET state = %s, said = %s, ended_at = now() WHERE id = %s AND state = 'running'"
_STOP = "UPDATE recording SET stop_asked = true WHERE organisation_id = %s AND id = %s AND state = 'running' RETURNING id"
_COUNT = "UPDATE recording SET samples_count = %s, overloads_count = %s, garbage_count = %s WHERE organisation_id = %s AND id = %s"
_RENAME = "UPDATE recording SET name = %s WHERE organisation_id = %s AND id = %s"
_REMOVE = "UPDATE recording SET removed_at = now() WHERE organisation_id = %s AND id = %s AND state <> 'running' RETURNING id"
_SAMPLES = (
    "SELECT first_n, t_s, current_a, terminal_v FROM recording_chunk WHERE organisation_id = %s AND recording_id = %s AND "
    "first_n + cardinality(t_s) > %s ORDER BY first_n LIMIT %s"
)


def insert_recording(connection: Connection, values: Row) -> Row:
    """Begin a recording and return it. The meter's address is taken by it until it ends; a second one breaks ``recording_one_session``."""
    return one(connection, _INSERT, values) or {}


def select_recording(connection: Connection, organisation_id: int, recording_id: int) -> Row | None:
    """Return a recording of an organisation, or None."""
    return one(connection, _SELECT, (organisation_id, recording_id)) if 0 < recording_id < 2**63 else None


def list_recordings(connection: Connection, organisation_id: int) -> list[Row]:
    """Return an organisation's recordings, the latest first, 200 at most."""
    return every(connection, _LIST, (organisation_id,))


def select_recording_of_run(connection: Connection, organisation_id: int, run_id: int) -> Row | None:
    """Return the recording that times a discharge, or None."""
    return one(connection, _OF_RUN, (organisation_id, run_id))


def select_holder(connection: Connection, address: str) -> Row | None:
    """Return the recording that has a meter just now, of whatever organisation; None where it is free."""
    return one(connection, _HOLDS, (address,))


def count_running(connection: Connection, organisation_id: int) -> int:
    """Return how many recordings of an organisation go on."""
    row = one(connection, _RUNNING, (organisation_id,))
    return int(row["n"]) if row else 0


def take_recording(connection: Connection) -> Row | None:
    """Return a recording that nobody records, and take it; None where there is none."""
    return one(connection, _TAKE, (SILENT_S,))


def append_samples(connection: Connection, values: Row) -> None:
    """Append a chunk of samples. The same chunk twice breaks its key: somebody else records."""
    connection.execute(_CHUNK, values)


def beat_recording(connection: Connection, values: Row) -> bool | None:
    """Say that it goes on, with what is new; return whether it shall stop, or None where it has ended already."""
    row = one(connection, _BEAT, values)
    return None if row is None else bool(row["stop_asked"])


def finish_recording(connection: Connection, recording_id: int, state: str, said: str) -> None:
    """End a recording."""
    connection.execute(_FINISH, (state, said, recording_id))


def ask_to_stop(connection: Connection, organisation_id: int, recording_id: int) -> bool:
    """Ask the recorder to stop, and say whether there was one."""
    return one(connection, _STOP, (organisation_id, recording_id)) is not None


def count_samples(
    connection: Connection, organisation_id: int, recording_id: int, samples_count: int, overloads_count: int, garbage_count: int
) -> None:
    """Say how many samples a recording that was brought in has, and how many lines of it were none."""
    connection.execute(_COUNT, (samples_count, overloads_count, garbage_count, organisation_id, recording_id))


def rename_recording(connection: Connection, organisation_id: int, recording_id: int, name: str) -> None:
    """Give a recording another name."""
    connection.execute(_RENAME, (name, organisation_id, recording_id))


def remove_recording(connection: Connection, organisation_id: int, recording_id: int) -> bool:
    """Take an ended recording out of the list; its samples stay."""
    return one(connection, _REMOVE, (organisation_id, recording_id)) is not None


def select_chunks(
    connection: Connection, organisation_id: int, recording_id: int, after_n: int = 0, most: int = 1_000_000
) -> list[dict[str, Any]]:
    """Return the chunks with samples from ``after_n`` on."""
    return every(connection, _SAMPLES, (organisation_id, recording_id, after_n, most))
