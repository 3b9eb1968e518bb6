"""A load of a plan: its statements, and how all of an organisation or of one parent are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, plan_id, supply_id, key, name, quantity, rail_v, behaviour, converter_kind,
    converter_efficiency_ratio, min_v, essential, standby_current_a, standby_provenance, standby_text,
    standby_uncertainty_a, standby_reading, alarm_current_a, alarm_provenance, alarm_text, alarm_uncertainty_a,
    alarm_reading, bursts, place_id, branch, bus_group, purpose, cable_length_m, cable_section_mm2, thermostats,
    recharges, ac_power_w, ac_apparent_va, ac_power_factor_ratio, pinned,
    lock, escape_route, ride_through_ms, version, removed_at
FROM load WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO load (
    organisation_id, plan_id, supply_id, key, name, quantity, rail_v, behaviour, converter_kind,
    converter_efficiency_ratio, min_v, essential, standby_current_a, standby_provenance, standby_text,
    standby_uncertainty_a, standby_reading, alarm_current_a, alarm_provenance, alarm_text, alarm_uncertainty_a,
    alarm_reading, bursts, place_id, branch, bus_group, purpose, cable_length_m, cable_section_mm2, thermostats,
    recharges, ac_power_w, ac_apparent_va, ac_power_factor_ratio, pinned,
    lock, escape_route, ride_through_ms
) VALUES (
    %(organisation_id)s, %(plan_id)s, %(supply_id)s, %(key)s, %(name)s, %(quantity)s, %(rail_v)s, %(behaviour)s,
    %(converter_kind)s, %(converter_efficiency_ratio)s, %(min_v)s, %(essential)s, %(standby_current_a)s,
    %(standby_provenance)s, %(standby_text)s, %(standby_uncertainty_a)s, %(standby_reading)s, %(alarm_current_a)s,
    %(alarm_provenance)s, %(alarm_text)s, %(alarm_uncertainty_a)s, %(alarm_reading)s, %(bursts)s, %(place_id)s,
    %(branch)s, %(bus_group)s, %(purpose)s, %(cable_length_m)s, %(cable_section_mm2)s, %(thermostats)s, %(recharges)s,
    %(ac_power_w)s, %(ac_apparent_va)s, %(ac_power_factor_ratio)s, %(pinned)s,
    %(lock)s, %(escape_route)s, %(ride_through_ms)s
) RETURNING
    id, organisation_id, plan_id, supply_id, key, name, quantity, rail_v, behaviour, converter_kind,
    converter_efficiency_ratio, min_v, essential, standby_current_a, standby_provenance, standby_text,
    standby_uncertainty_a, standby_reading, alarm_current_a, alarm_provenance, alarm_text, alarm_uncertainty_a,
    alarm_reading, bursts, place_id, branch, bus_group, purpose, cable_length_m, cable_section_mm2, thermostats,
    recharges, ac_power_w, ac_apparent_va, ac_power_factor_ratio, pinned,
    lock, escape_route, ride_through_ms, version, removed_at
"""
_UPDATE = """
UPDATE load SET
    supply_id = %(supply_id)s, name = %(name)s, quantity = %(quantity)s, rail_v = %(rail_v)s, behaviour =
    %(behaviour)s, converter_kind = %(converter_kind)s, converter_efficiency_ratio = %(converter_efficiency_ratio)s,
    min_v = %(min_v)s, essential = %(essential)s, standby_current_a = %(standby_current_a)s, standby_provenance =
    %(standby_provenance)s, standby_text = %(standby_text)s, standby_uncertainty_a = %(standby_uncertainty_a)s,
    standby_reading = %(standby_reading)s, alarm_current_a = %(alarm_current_a)s, alarm_provenance =
    %(alarm_provenance)s, alarm_text = %(alarm_text)s, alarm_uncertainty_a = %(alarm_uncertainty_a)s, alarm_reading =
    %(alarm_reading)s, bursts = %(bursts)s, place_id = %(place_id)s, branch = %(branch)s, bus_group = %(bus_group)s,
    purpose = %(purpose)s, cable_length_m = %(cable_length_m)s, cable_section_mm2 = %(cable_section_mm2)s, thermostats
    = %(thermostats)s, recharges = %(recharges)s, ac_power_w = %(ac_power_w)s, ac_apparent_va = %(ac_apparent_va)s,
    ac_power_factor_ratio = %(ac_power_factor_ratio)s, pinned = %(pinned)s,
    lock = %(lock)s, escape_route = %(escape_route)s, ride_through_ms = %(ride_through_ms)s, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, plan_id, supply_id, key, name, quantity, rail_v, behaviour, converter_kind,
    converter_efficiency_ratio, min_v, essential, standby_current_a, standby_provenance, standby_text,
    standby_uncertainty_a, standby_reading, alarm_current_a, alarm_provenance, alarm_text, alarm_uncertainty_a,
    alarm_reading, bursts, place_id, branch, bus_group, purpose, cable_length_m, cable_section_mm2, thermostats,
    recharges, ac_power_w, ac_apparent_va, ac_power_factor_ratio, pinned,
    lock, escape_route, ride_through_ms, version, removed_at
"""
_SET_REMOVED = """
UPDATE load SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, plan_id, supply_id, key, name, quantity, rail_v, behaviour, converter_kind,
    converter_efficiency_ratio, min_v, essential, standby_current_a, standby_provenance, standby_text,
    standby_uncertainty_a, standby_reading, alarm_current_a, alarm_provenance, alarm_text, alarm_uncertainty_a,
    alarm_reading, bursts, place_id, branch, bus_group, purpose, cable_length_m, cable_section_mm2, thermostats,
    recharges, ac_power_w, ac_apparent_va, ac_power_factor_ratio, pinned,
    lock, escape_route, ride_through_ms, version, removed_at
"""
LOAD = Aggregate(
    name="load",
    columns=(
        "plan_id",
        "supply_id",
        "key",
        "name",
        "quantity",
        "rail_v",
        "behaviour",
        "converter_kind",
        "converter_efficiency_ratio",
        "min_v",
        "essential",
        "standby_current_a",
        "standby_provenance",
        "standby_text",
        "standby_uncertainty_a",
        "standby_reading",
        "alarm_current_a",
        "alarm_provenance",
        "alarm_text",
        "alarm_uncertainty_a",
        "alarm_reading",
        "bursts",
        "place_id",
        "branch",
        "bus_group",
        "purpose",
        "cable_length_m",
        "cable_section_mm2",
        "thermostats",
        "recharges",
        "ac_power_w",
        "ac_apparent_va",
        "ac_power_factor_ratio",
        "pinned",
        "lock",
        "escape_route",
        "ride_through_ms",
    ),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, plan_id, supply_id, key, name, quantity, rail_v, behaviour, converter_kind,
    converter_efficiency_ratio, min_v, essential, standby_current_a, standby_provenance, standby_text,
    standby_uncertainty_a, standby_reading, alarm_current_a, alarm_provenance, alarm_text, alarm_uncertainty_a,
    alarm_reading, bursts, place_id, branch, bus_group, purpose, cable_length_m, cable_section_mm2, thermostats,
    recharges, ac_power_w, ac_apparent_va, ac_power_factor_ratio, pinned,
    lock, escape_route, ride_through_ms, version, removed_at
FROM load WHERE organisation_id = %(organisation_id)s AND plan_id = ANY(%(plan_ids)s) ORDER BY id
"""


def list_loads(connection: Connection, organisation_id: int, plan_ids: list[int]) -> list[Row]:
    """Return the loads of these plans, removed ones included, in the order they were made."""
    return every(connection, _LIST, {"organisation_id": organisation_id, "plan_ids": plan_ids})
