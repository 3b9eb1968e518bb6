"""A requirement profile of an organisation's own: its statements, and how all of an organisation are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, key, name, source, standby_h, alarm_min, recharge_h, recharge_to_ratio, method,
    end_of_life_ratio, design_margin_ratio, usable_ratio, age_ratio, activity_ratio, response_h,
    purpose, depth_ratio,
    inverter_ratio, version, removed_at
FROM profile WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO profile (
    organisation_id, key, name, source, standby_h, alarm_min, recharge_h, recharge_to_ratio, method,
    end_of_life_ratio, design_margin_ratio, usable_ratio, age_ratio, activity_ratio, response_h,
    purpose, depth_ratio,
    inverter_ratio
) VALUES (
    %(organisation_id)s, %(key)s, %(name)s, %(source)s, %(standby_h)s, %(alarm_min)s, %(recharge_h)s,
    %(recharge_to_ratio)s, %(method)s, %(end_of_life_ratio)s, %(design_margin_ratio)s, %(usable_ratio)s,
    %(age_ratio)s, %(activity_ratio)s, %(response_h)s,
    %(purpose)s, %(depth_ratio)s, %(inverter_ratio)s
) RETURNING
    id, organisation_id, key, name, source, standby_h, alarm_min, recharge_h, recharge_to_ratio, method,
    end_of_life_ratio, design_margin_ratio, usable_ratio, age_ratio, activity_ratio, response_h,
    purpose, depth_ratio,
    inverter_ratio, version, removed_at
"""
_UPDATE = """
UPDATE profile SET
    name = %(name)s, source = %(source)s, standby_h = %(standby_h)s, alarm_min = %(alarm_min)s, recharge_h =
    %(recharge_h)s, recharge_to_ratio = %(recharge_to_ratio)s, method = %(method)s, end_of_life_ratio =
    %(end_of_life_ratio)s, design_margin_ratio = %(design_margin_ratio)s, usable_ratio = %(usable_ratio)s,
    age_ratio = %(age_ratio)s, activity_ratio = %(activity_ratio)s, response_h = %(response_h)s,
    purpose = %(purpose)s, depth_ratio =
    %(depth_ratio)s, inverter_ratio = %(inverter_ratio)s, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, key, name, source, standby_h, alarm_min, recharge_h, recharge_to_ratio, method,
    end_of_life_ratio, design_margin_ratio, usable_ratio, age_ratio, activity_ratio, response_h,
    purpose, depth_ratio,
    inverter_ratio, version, removed_at
"""
_SET_REMOVED = """
UPDATE profile SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, key, name, source, standby_h, alarm_min, recharge_h, recharge_to_ratio, method,
    end_of_life_ratio, design_margin_ratio, usable_ratio, age_ratio, activity_ratio, response_h,
    purpose, depth_ratio,
    inverter_ratio, version, removed_at
"""
PROFILE = Aggregate(
    name="profile",
    columns=(
        "key",
        "name",
        "source",
        "standby_h",
        "alarm_min",
        "recharge_h",
        "recharge_to_ratio",
        "method",
        "end_of_life_ratio",
        "design_margin_ratio",
        "usable_ratio",
        "age_ratio",
        "activity_ratio",
        "response_h",
        "purpose",
        "depth_ratio",
        "inverter_ratio",
    ),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, key, name, source, standby_h, alarm_min, recharge_h, recharge_to_ratio, method,
    end_of_life_ratio, design_margin_ratio, usable_ratio, age_ratio, activity_ratio, response_h,
    purpose, depth_ratio,
    inverter_ratio, version, removed_at
FROM profile WHERE organisation_id = %(organisation_id)s ORDER BY lower(name), id
"""


def list_profiles(connection: Connection, organisation_id: int) -> list[Row]:
    """Return the requirement profiles of an organisation, removed ones included, by name."""
    return every(connection, _LIST, {"organisation_id": organisation_id})
