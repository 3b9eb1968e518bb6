"""A discharge that is timed while it runs: begun with its prediction, read by hand or by a meter, and kept as a test of its plan."""

import itertools
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import psycopg

from ypomoni.actions.actor import Actor
from ypomoni.actions.discharge_tests import add_test
from ypomoni.actions.edit import find
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.recordings import Samples, samples_of, stop_recording
from ypomoni.core.evaluation.foreseeing import Foreseen
from ypomoni.documents.faults import Fault
from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection
from ypomoni.storage.discharge_runs import (
    finish_run,
    insert_discharge_reading,
    insert_run,
    list_discharge_readings,
    list_open_runs,
    select_run,
)
from ypomoni.storage.recordings import select_recording_of_run

MOST_SAMPLES = 300
# So many readings follow a load that cycles.
FOLLOWED_COUNT = 30
LEAST_RUN_H = 1e-4


@dataclass(frozen=True, slots=True, kw_only=True)
class RunReading:
    """What was read of a run: hours since it began, volts, amperes where they were read."""

    t_h: float
    terminal_v: float | None
    current_a: float | None


def begin_run(
    connection: Connection,
    actor: Actor,
    plan_id: int,
    supply_key: str,
    foreseen: Foreseen,
    *,
    temperature_degc: float,
    current_a: float | None,
    end_v: float,
) -> Row:
    """Begin to time a discharge; its prediction is fixed now."""
    find(connection, actor, "plan", plan_id)
    predicted = {
        "low": foreseen.band.low,
        "expected": foreseen.band.expected,
        "high": foreseen.band.high,
        "volts": [list(p) for p in foreseen.volts],
        "weak_h": foreseen.weak_h,
    }
    values = {
        "organisation_id": actor.organisation_id,
        "plan_id": plan_id,
        "supply_key": supply_key,
        "begun_at": datetime.now(UTC),
        "begun_by": actor.name,
        "temperature_degc": temperature_degc,
        "current_a": current_a,
        "mean_a": foreseen.mean_a,
        "end_v": end_v,
        "predicted": predicted,
    }
    try:
        with connection.transaction():
            return insert_run(connection, values)
    except psycopg.errors.UniqueViolation as error:
        raise Refused([Fault("", "A discharge of this battery is being timed already: go on with that one.")]) from error


def open_runs(connection: Connection, actor: Actor, plan_id: int) -> list[Row]:
    """Return the discharges of a plan that are being timed."""
    return list_open_runs(connection, actor.organisation_id, plan_id)


def find_run(connection: Connection, actor: Actor, plan_id: int, run_id: int) -> Row:
    """Return a run of a plan, or raise `NotFound`."""
    row = select_run(connection, actor.organisation_id, run_id)
    if row is None or row["plan_id"] != plan_id:
        raise NotFound
    return row


def recording_of(connection: Connection, actor: Actor, run_id: int) -> Row | None:
    """Return the recording that times a run, or None where it is read by hand."""
    return select_recording_of_run(connection, actor.organisation_id, run_id)


def keep_run_reading(
    connection: Connection, actor: Actor, run: Row, token: str, read_at: datetime, terminal_v: float | None, current_a: float | None
) -> bool:
    """Keep what was read at a time, once however often it is sent; says whether it was new."""
    if run["ended_at"] is not None:
        raise Refused([Fault("", "This test has ended already.")])
    if read_at < run["begun_at"] or read_at > datetime.now(UTC):
        read_at = min(max(read_at, run["begun_at"]), datetime.now(UTC))
    return insert_discharge_reading(
        connection,
        {
            "organisation_id": actor.organisation_id,
            "run_id": run["id"],
            "token": token,
            "read_at": read_at,
            "terminal_v": terminal_v,
            "current_a": current_a,
        },
    )


def readings_of_run(connection: Connection, actor: Actor, run: Row) -> list[RunReading]:
    """Return what was read of a run, by hand and by its meter, in order of time."""
    begun_at = run["begun_at"]
    found = [
        RunReading(t_h=(r["read_at"] - begun_at).total_seconds() / 3600.0, terminal_v=r["terminal_v"], current_a=r["current_a"])
        for r in list_discharge_readings(connection, actor.organisation_id, run["id"])
    ]
    recording = recording_of(connection, actor, run["id"])
    if recording is not None:
        shift_h = (recording["begun_at"] - begun_at).total_seconds() / 3600.0
        found += _thinned(samples_of(connection, actor, recording["id"]), shift_h)
    return sorted(found, key=lambda r: r.t_h)


def _thinned(samples: Samples, shift_h: float) -> list[RunReading]:
    """Return as many samples as a test keeps, the first and the last among them."""
    step = max(1, len(samples.t_s) // MOST_SAMPLES)
    at: list[int] = list(range(0, len(samples.t_s), step))
    if samples.t_s and at[-1] != len(samples.t_s) - 1:
        at.append(len(samples.t_s) - 1)
    return [
        RunReading(t_h=shift_h + samples.t_s[n] / 3600.0, terminal_v=samples.terminal_v[n], current_a=samples.current_a[n])
        for n in at
        if samples.terminal_v[n] is not None or samples.current_a[n] is not None
    ]


def end_run(connection: Connection, actor: Actor, run: Row, version: int, *, ended_at: datetime | None = None) -> str:
    """End a run and keep it as a test of its plan; return the test's key.

    It ended at its end voltage where the last volts that were read are there; else it was stopped, and is a lower bound.

    Raises
    ------
    Refused
        If nothing was read that a test needs.
    """
    readings = readings_of_run(connection, actor, run)
    recording = recording_of(connection, actor, run["id"])
    if recording is not None and recording["state"] == "running":
        stop_recording(connection, actor, recording["id"])
    volts = [r for r in readings if r.terminal_v is not None]
    if not volts:
        raise Refused([Fault("volts", "must be read at least once, at the end: a test without volts says nothing.")])
    # From the first reading at the end voltage on it is over, whenever somebody says so.
    last = next((r for r in volts if (r.terminal_v or 0.0) <= run["end_v"]), volts[-1])
    is_at_end = (last.terminal_v or 0.0) <= run["end_v"]
    ran_h = last.t_h
    if ran_h < LEAST_RUN_H:
        raise Refused([Fault("volts", "was read at the very beginning only: read it again at the end.")])
    kept = [r for r in readings if r.t_h <= ran_h + 1e-9]
    test: dict[str, Any] = {
        "supply": run["supply_key"],
        "at": run["begun_at"].isoformat(timespec="seconds"),
        "temperature_degc": run["temperature_degc"],
        "current_a": _current_a(run, kept),
        "ran_h": ran_h,
        "ended": "end_voltage" if is_at_end else "stopped",
        "end_v": run["end_v"] if is_at_end else last.terminal_v,
        "samples": [{"t_h": min(r.t_h, ran_h), "v": _positive(r.terminal_v), "a": _positive(r.current_a)} for r in _spread_out(kept)],
    }
    key = add_test(connection, actor, run["plan_id"], version, test)
    if not finish_run(connection, actor.organisation_id, run["id"], ended_at or datetime.now(UTC), "kept"):
        raise Refused([Fault("", "This test has ended already.")])
    return key


def _current_a(run: Row, readings: list[RunReading]) -> float:
    """Return the mean current: over time where it was read, else what it was begun with."""
    read = [(r.t_h, r.current_a) for r in readings if r.current_a is not None and r.current_a > 0]
    # Loads that cycle are judged by their average: what was read at a few instants is not it.
    if run["current_a"] is None and len(read) < FOLLOWED_COUNT:
        return float(run["mean_a"])
    if len(read) < 2:
        return float(read[0][1]) if read else float(run["mean_a"])
    charge_ah = sum(0.5 * (a1 + a2) * (t2 - t1) for (t1, a1), (t2, a2) in itertools.pairwise(read))
    span_h = read[-1][0] - read[0][0]
    return charge_ah / span_h if span_h > 0 else float(read[-1][1])


def _positive(value: float | None) -> float | None:
    """Return a reading; None where it is nothing but a meter's noise about zero, as of a battery that has collapsed."""
    return value if value is not None and value > 0 else None


def _spread_out(readings: list[RunReading]) -> list[RunReading]:
    step = max(1, len(readings) // MOST_SAMPLES)
    return readings[::step]


def give_up_run(connection: Connection, actor: Actor, run: Row) -> None:
    """End a run without keeping it; what was read stays on record."""
    recording = recording_of(connection, actor, run["id"])
    if recording is not None and recording["state"] == "running":
        stop_recording(connection, actor, recording["id"])
    if not finish_run(connection, actor.organisation_id, run["id"], datetime.now(UTC), "given up"):
        raise Refused([Fault("", "This test has ended already.")])
