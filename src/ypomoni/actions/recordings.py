"""Recordings: begun at a meter or brought in from a file, stopped, named, and read."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

import psycopg

from ypomoni.actions.actor import Actor
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.documents.faults import Fault
from ypomoni.instruments.addresses import read_address
from ypomoni.instruments.protocol import MeterKind, NotAllowed
from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, Pool, transaction
from ypomoni.storage.recordings import (
    append_samples,
    ask_to_stop,
    count_running,
    count_samples,
    insert_recording,
    list_recordings,
    remove_recording,
    rename_recording,
    select_chunks,
    select_holder,
    select_recording,
)

# As many at a time an organisation may have, so that others find a recorder too.
MOST_RUNNING = 4
CHUNK_COUNT = 10_000
MOST_CHUNKS_AT_ONCE = 4_000
LEAST_INTERVAL_S, MOST_INTERVAL_S = 0.1, 3_600.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Samples:
    """What was logged: when, and what it was; None where that was not read. [s, A, V]"""

    t_s: list[float]
    current_a: list[float | None]
    terminal_v: list[float | None]

    def currents(self) -> tuple[list[float], list[float]]:
        """Return the times and currents of the samples that have one. [s, A]"""
        pairs = [(t, a) for t, a in zip(self.t_s, self.current_a, strict=True) if a is not None]
        return [t for t, _ in pairs], [a for _, a in pairs]


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """What shall be recorded: where, what meter, how often. [s, A, V] ``load_a`` and ``end_v`` are an electronic load's."""

    name: str
    address: str
    kind: MeterKind
    interval_s: float
    range_a: float | None = None
    load_a: float | None = None
    end_v: float | None = None
    run_id: int | None = None


def begin_recording(connection: Connection, actor: Actor, wanted: Wanted, allowed: tuple[str, ...]) -> Row:
    """Take a meter and have it recorded by a worker.

    Raises
    ------
    Refused
        If the address is not allowed, somebody else has the meter, or an organisation has as many recordings as it may.
    """
    try:
        address = str(read_address(wanted.address, allowed))
    except NotAllowed as error:
        raise Refused([Fault("address", str(error))]) from error
    if not LEAST_INTERVAL_S <= wanted.interval_s <= MOST_INTERVAL_S:
        raise Refused([Fault("interval", f"must be from {LEAST_INTERVAL_S:g} s to {MOST_INTERVAL_S:g} s.")])
    if count_running(connection, actor.organisation_id) >= MOST_RUNNING:
        raise Refused([Fault("address", f"{MOST_RUNNING} meters are being recorded already: stop one first.")])
    now = datetime.now(UTC)
    values = {
        "organisation_id": actor.organisation_id,
        "name": wanted.name,
        "address": address,
        "meter_kind": wanted.kind.value,
        "state": "running",
        "said": "Connecting …",
        "interval_s": wanted.interval_s,
        "range_a": wanted.range_a,
        "load_a": wanted.load_a,
        "end_v": wanted.end_v,
        "run_id": wanted.run_id,
        "begun_by": actor.name,
        "begun_at": now,
        "ended_at": None,
    }
    try:
        with connection.transaction():
            return insert_recording(connection, values)
    except psycopg.errors.UniqueViolation as error:
        raise Refused([Fault("address", _who_has_it(connection, actor, address))]) from error


def _who_has_it(connection: Connection, actor: Actor, address: str) -> str:
    """Say who has a meter: by name within the organisation; of another one nothing is told but that it is taken."""
    holder = select_holder(connection, address)
    if holder is None or holder["organisation_id"] != actor.organisation_id:
        return "is being read by somebody else. A meter serves one session at a time."
    return f"is being read by {holder['begun_by']} since {holder['begun_at']:%H:%M} UTC, as “{holder['name']}”. Stop that one first."


def keep_log(
    connection: Connection,
    actor: Actor,
    name: str,
    t_s: Sequence[float],
    current_a: Sequence[float],
    overloads_count: int,
    unread_count: int = 0,
) -> Row:
    """Keep a log that was brought in from a file as a recording that has ended."""
    now = datetime.now(UTC)
    usual_s = (t_s[-1] - t_s[0]) / max(1, len(t_s) - 1)
    values = {
        "organisation_id": actor.organisation_id,
        "name": name,
        "address": None,
        "meter_kind": MeterKind.MULTIMETER.value,
        "state": "running",
        "said": "Brought in from a file.",
        "interval_s": usual_s,
        "range_a": None,
        "load_a": None,
        "end_v": None,
        "run_id": None,
        "begun_by": actor.name,
        "begun_at": now,
        "ended_at": now,
    }
    row = insert_recording(connection, {**values, "state": "done"})
    for first in range(0, len(t_s), CHUNK_COUNT):
        part = slice(first, first + CHUNK_COUNT)
        append_samples(
            connection,
            {
                "organisation_id": actor.organisation_id,
                "recording_id": row["id"],
                "first_n": first,
                "t_s": list(t_s[part]),
                "current_a": list(current_a[part]),
                "terminal_v": None,
            },
        )
    count_samples(connection, actor.organisation_id, row["id"], len(t_s), overloads_count, unread_count)
    return find_recording(connection, actor, row["id"])


def recordings_of(connection: Connection, actor: Actor) -> list[Row]:
    """Return an organisation's recordings, the latest first."""
    return list_recordings(connection, actor.organisation_id)


def find_recording(connection: Connection, actor: Actor, recording_id: int) -> Row:
    """Return a recording, or raise `NotFound`."""
    row = select_recording(connection, actor.organisation_id, recording_id)
    if row is None or row["removed_at"] is not None:
        raise NotFound
    return row


def stop_recording(connection: Connection, actor: Actor, recording_id: int) -> None:
    """Have a recording stopped; its recorder lets go of the meter."""
    find_recording(connection, actor, recording_id)
    ask_to_stop(connection, actor.organisation_id, recording_id)


def name_recording(connection: Connection, actor: Actor, recording_id: int, name: str) -> None:
    """Give a recording another name."""
    find_recording(connection, actor, recording_id)
    rename_recording(connection, actor.organisation_id, recording_id, name)


def take_out_recording(connection: Connection, actor: Actor, recording_id: int) -> None:
    """Take an ended recording out of the list."""
    find_recording(connection, actor, recording_id)
    if not remove_recording(connection, actor.organisation_id, recording_id):
        raise Refused([Fault("", "It is still going on: stop it first.")])


def samples_of(connection: Connection, actor: Actor, recording_id: int, after_n: int = 0, most_chunks: int = 1_000_000) -> Samples:
    """Return the samples of a recording from ``after_n`` on."""
    found = Samples(t_s=[], current_a=[], terminal_v=[])
    for chunk in select_chunks(connection, actor.organisation_id, recording_id, after_n, most_chunks):
        skip = max(0, after_n - chunk["first_n"])
        found.t_s.extend(chunk["t_s"][skip:])
        found.current_a.extend(chunk["current_a"][skip:])
        found.terminal_v.extend((chunk["terminal_v"] or [None] * len(chunk["t_s"]))[skip:])
    return found


def follow_recording(pool: Pool, actor: Actor, recording_id: int, after_n: int) -> tuple[Row, Samples]:
    """Return a recording as it is now with its samples from ``after_n`` on, in a transaction of its own: for whoever looks on while it goes on."""
    with transaction(pool) as connection:
        return find_recording(connection, actor, recording_id), samples_of(connection, actor, recording_id, after_n, MOST_CHUNKS_AT_ONCE)
