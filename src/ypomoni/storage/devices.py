"""A device an organisation has measured: its statements, and how all of an organisation or of one parent are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, key, name, rail_v, behaviour, min_v, standby_current_a, alarm_current_a, bursts, basis,
    measured_count, measured_on, version, removed_at
FROM device WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO device (
    organisation_id, key, name, rail_v, behaviour, min_v, standby_current_a, alarm_current_a, bursts, basis,
    measured_count, measured_on
) VALUES (
    %(organisation_id)s, %(key)s, %(name)s, %(rail_v)s, %(behaviour)s, %(min_v)s, %(standby_current_a)s,
    %(alarm_current_a)s, %(bursts)s, %(basis)s, %(measured_count)s, %(measured_on)s
) RETURNING
    id, organisation_id, key, name, rail_v, behaviour, min_v, standby_current_a, alarm_current_a, bursts, basis,
    measured_count, measured_on, version, removed_at
"""
_UPDATE = """
UPDATE device SET
    name = %(name)s, rail_v = %(rail_v)s, behaviour = %(behaviour)s, min_v = %(min_v)s, standby_current_a =
    %(standby_current_a)s, alarm_current_a = %(alarm_current_a)s, bursts = %(bursts)s, basis = %(basis)s,
    measured_count = %(measured_count)s, measured_on = %(measured_on)s, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, key, name, rail_v, behaviour, min_v, standby_current_a, alarm_current_a, bursts, basis,
    measured_count, measured_on, version, removed_at
"""
_SET_REMOVED = """
UPDATE device SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, key, name, rail_v, behaviour, min_v, standby_current_a, alarm_current_a, bursts, basis,
    measured_count, measured_on, version, removed_at
"""
DEVICE = Aggregate(
    name="device",
    columns=(
        "key",
        "name",
        "rail_v",
        "behaviour",
        "min_v",
        "standby_current_a",
        "alarm_current_a",
        "bursts",
        "basis",
        "measured_count",
        "measured_on",
    ),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, key, name, rail_v, behaviour, min_v, standby_current_a, alarm_current_a, bursts, basis,
    measured_count, measured_on, version, removed_at
FROM device WHERE organisation_id = %(organisation_id)s ORDER BY lower(name), id
"""


def list_devices(connection: Connection, organisation_id: int) -> list[Row]:
    """Return the measured devices of an organisation, removed ones included, by name."""
    return every(connection, _LIST, {"organisation_id": organisation_id})
