"""Discharges that are being timed, and what is read of them by hand: each reading counts once, by the token of the page that sent it."""

from psycopg.types.json import Jsonb

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every, one

_COLUMNS = (
    "id, organisation_id, plan_id, supply_key, begun_at, begun_by, temperature_degc, current_a, mean_a, end_v, predicted, ended_at, outcome"
)
_INSERT = (
    "INSERT INTO discharge_run (organisation_id, plan_id, supply_key, begun_at, begun_by, temperature_degc, current_a, mean_a, end_v, predicted) "
    "VALUES (%(organisation_id)s, %(plan_id)s, %(supply_key)s, %(begun_at)s, %(begun_by)s, %(temperature_degc)s, %(current_a)s, %(mean_a)s, "
    "%(end_v)s, %(predicted)s) RETURNING " + _COLUMNS
)
_SELECT = "SELECT " + _COLUMNS + " FROM discharge_run WHERE organisation_id = %s AND id = %s"
_OPEN = "SELECT " + _COLUMNS + " FROM discharge_run WHERE organisation_id = %s AND plan_id = %s AND ended_at IS NULL ORDER BY id"
_FINISH = "UPDATE discharge_run SET ended_at = %s, outcome = %s WHERE organisation_id = %s AND id = %s AND ended_at IS NULL RETURNING id"
_READING = (
    "INSERT INTO discharge_reading (organisation_id, run_id, token, read_at, terminal_v, current_a) VALUES (%(organisation_id)s, %(run_id)s, "
    "%(token)s, %(read_at)s, %(terminal_v)s, %(current_a)s) ON CONFLICT (run_id, token) DO NOTHING RETURNING token"
)
_READINGS = (
    "SELECT token, read_at, terminal_v, current_a FROM discharge_reading WHERE organisation_id = %s AND run_id = %s ORDER BY read_at"
)


def insert_run(connection: Connection, values: Row) -> Row:
    """Begin a run and return it; a second one of a supply breaks ``discharge_run_one``."""
    return one(connection, _INSERT, {**values, "predicted": Jsonb(values["predicted"])}) or {}


def select_run(connection: Connection, organisation_id: int, run_id: int) -> Row | None:
    """Return a run of an organisation, or None."""
    return one(connection, _SELECT, (organisation_id, run_id)) if 0 < run_id < 2**63 else None


def list_open_runs(connection: Connection, organisation_id: int, plan_id: int) -> list[Row]:
    """Return the runs of a plan that go on."""
    return every(connection, _OPEN, (organisation_id, plan_id))


def finish_run(connection: Connection, organisation_id: int, run_id: int, ended_at: object, outcome: str) -> bool:
    """End a run, and say whether it went on until now."""
    return one(connection, _FINISH, (ended_at, outcome, organisation_id, run_id)) is not None


def insert_discharge_reading(connection: Connection, values: Row) -> bool:
    """Keep a reading, and say whether it was new."""
    return one(connection, _READING, values) is not None


def list_discharge_readings(connection: Connection, organisation_id: int, run_id: int) -> list[Row]:
    """Return what was read of a run, in order of time."""
    return every(connection, _READINGS, (organisation_id, run_id))
