"""A supply of a plan, with its bank: its statements, and how all of an organisation or of one parent are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, plan_id, requirement_id, key, name, kind, nominal_v, cutoff_v, own_current_a, output_limit_a,
    alarm_output_limit_a, supply_current_a, charge_limit_a, charge_v, typical_degc, min_degc, bank_chemistry,
    bank_block_v, bank_capacity_ah, bank_rate_h, bank_series, bank_parallel, bank_age_y, bank_condition_ratio,
    bank_life_y, bank_cells_count, bank_resistance_ohm, bank_discharge_table, low_battery_v, convenience_free,
    charge_mode, charge_compensated, current_limited, max_degc, enclosure_volume_m3, enclosure_gas_tight, bank_bms_limit_a, bank_bms_cutoff_v, bank_bms_charges_from_degc, totals, version, removed_at
FROM supply WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO supply (
    organisation_id, plan_id, requirement_id, key, name, kind, nominal_v, cutoff_v, own_current_a, output_limit_a,
    alarm_output_limit_a, supply_current_a, charge_limit_a, charge_v, typical_degc, min_degc, bank_chemistry,
    bank_block_v, bank_capacity_ah, bank_rate_h, bank_series, bank_parallel, bank_age_y, bank_condition_ratio,
    bank_life_y, bank_cells_count, bank_resistance_ohm, bank_discharge_table, low_battery_v, convenience_free,
    charge_mode, charge_compensated, current_limited, max_degc, enclosure_volume_m3, enclosure_gas_tight, bank_bms_limit_a, bank_bms_cutoff_v, bank_bms_charges_from_degc, totals
) VALUES (
    %(organisation_id)s, %(plan_id)s, %(requirement_id)s, %(key)s, %(name)s, %(kind)s, %(nominal_v)s, %(cutoff_v)s,
    %(own_current_a)s, %(output_limit_a)s, %(alarm_output_limit_a)s, %(supply_current_a)s, %(charge_limit_a)s,
    %(charge_v)s, %(typical_degc)s, %(min_degc)s, %(bank_chemistry)s, %(bank_block_v)s, %(bank_capacity_ah)s,
    %(bank_rate_h)s, %(bank_series)s, %(bank_parallel)s, %(bank_age_y)s, %(bank_condition_ratio)s, %(bank_life_y)s,
    %(bank_cells_count)s, %(bank_resistance_ohm)s, %(bank_discharge_table)s, %(low_battery_v)s, %(convenience_free)s,
    %(charge_mode)s, %(charge_compensated)s, %(current_limited)s, %(max_degc)s, %(enclosure_volume_m3)s, %(enclosure_gas_tight)s, %(bank_bms_limit_a)s, %(bank_bms_cutoff_v)s, %(bank_bms_charges_from_degc)s, %(totals)s
) RETURNING
    id, organisation_id, plan_id, requirement_id, key, name, kind, nominal_v, cutoff_v, own_current_a, output_limit_a,
    alarm_output_limit_a, supply_current_a, charge_limit_a, charge_v, typical_degc, min_degc, bank_chemistry,
    bank_block_v, bank_capacity_ah, bank_rate_h, bank_series, bank_parallel, bank_age_y, bank_condition_ratio,
    bank_life_y, bank_cells_count, bank_resistance_ohm, bank_discharge_table, low_battery_v, convenience_free,
    charge_mode, charge_compensated, current_limited, max_degc, enclosure_volume_m3, enclosure_gas_tight, bank_bms_limit_a, bank_bms_cutoff_v, bank_bms_charges_from_degc, totals, version, removed_at
"""
_UPDATE = """
UPDATE supply SET
    requirement_id = %(requirement_id)s, name = %(name)s, kind = %(kind)s, nominal_v = %(nominal_v)s, cutoff_v =
    %(cutoff_v)s, own_current_a = %(own_current_a)s, output_limit_a = %(output_limit_a)s, alarm_output_limit_a =
    %(alarm_output_limit_a)s, supply_current_a = %(supply_current_a)s, charge_limit_a = %(charge_limit_a)s, charge_v =
    %(charge_v)s, typical_degc = %(typical_degc)s, min_degc = %(min_degc)s, bank_chemistry = %(bank_chemistry)s,
    bank_block_v = %(bank_block_v)s, bank_capacity_ah = %(bank_capacity_ah)s, bank_rate_h = %(bank_rate_h)s,
    bank_series = %(bank_series)s, bank_parallel = %(bank_parallel)s, bank_age_y = %(bank_age_y)s,
    bank_condition_ratio = %(bank_condition_ratio)s, bank_life_y = %(bank_life_y)s, bank_cells_count =
    %(bank_cells_count)s, bank_resistance_ohm = %(bank_resistance_ohm)s, bank_discharge_table = %(bank_discharge_table)s,
    low_battery_v = %(low_battery_v)s, convenience_free = %(convenience_free)s,
    charge_mode = %(charge_mode)s, charge_compensated = %(charge_compensated)s, current_limited = %(current_limited)s, max_degc = %(max_degc)s, enclosure_volume_m3 = %(enclosure_volume_m3)s, enclosure_gas_tight = %(enclosure_gas_tight)s, bank_bms_limit_a = %(bank_bms_limit_a)s, bank_bms_cutoff_v = %(bank_bms_cutoff_v)s, bank_bms_charges_from_degc = %(bank_bms_charges_from_degc)s, totals = %(totals)s, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, plan_id, requirement_id, key, name, kind, nominal_v, cutoff_v, own_current_a, output_limit_a,
    alarm_output_limit_a, supply_current_a, charge_limit_a, charge_v, typical_degc, min_degc, bank_chemistry,
    bank_block_v, bank_capacity_ah, bank_rate_h, bank_series, bank_parallel, bank_age_y, bank_condition_ratio,
    bank_life_y, bank_cells_count, bank_resistance_ohm, bank_discharge_table, low_battery_v, convenience_free,
    charge_mode, charge_compensated, current_limited, max_degc, enclosure_volume_m3, enclosure_gas_tight, bank_bms_limit_a, bank_bms_cutoff_v, bank_bms_charges_from_degc, totals, version, removed_at
"""
_SET_REMOVED = """
UPDATE supply SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, plan_id, requirement_id, key, name, kind, nominal_v, cutoff_v, own_current_a, output_limit_a,
    alarm_output_limit_a, supply_current_a, charge_limit_a, charge_v, typical_degc, min_degc, bank_chemistry,
    bank_block_v, bank_capacity_ah, bank_rate_h, bank_series, bank_parallel, bank_age_y, bank_condition_ratio,
    bank_life_y, bank_cells_count, bank_resistance_ohm, bank_discharge_table, low_battery_v, convenience_free,
    charge_mode, charge_compensated, current_limited, max_degc, enclosure_volume_m3, enclosure_gas_tight, bank_bms_limit_a, bank_bms_cutoff_v, bank_bms_charges_from_degc, totals, version, removed_at
"""
SUPPLY = Aggregate(
    name="supply",
    columns=(
        "plan_id",
        "requirement_id",
        "key",
        "name",
        "kind",
        "nominal_v",
        "cutoff_v",
        "own_current_a",
        "output_limit_a",
        "alarm_output_limit_a",
        "supply_current_a",
        "charge_limit_a",
        "charge_v",
        "typical_degc",
        "min_degc",
        "bank_chemistry",
        "bank_block_v",
        "bank_capacity_ah",
        "bank_rate_h",
        "bank_series",
        "bank_parallel",
        "bank_age_y",
        "bank_condition_ratio",
        "bank_life_y",
        "bank_cells_count",
        "bank_resistance_ohm",
        "bank_discharge_table",
        "low_battery_v",
        "convenience_free",
        "charge_mode",
        "charge_compensated",
        "current_limited",
        "max_degc",
        "enclosure_volume_m3",
        "enclosure_gas_tight",
        "bank_bms_limit_a",
        "bank_bms_cutoff_v",
        "bank_bms_charges_from_degc",
        "totals",
    ),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, plan_id, requirement_id, key, name, kind, nominal_v, cutoff_v, own_current_a, output_limit_a,
    alarm_output_limit_a, supply_current_a, charge_limit_a, charge_v, typical_degc, min_degc, bank_chemistry,
    bank_block_v, bank_capacity_ah, bank_rate_h, bank_series, bank_parallel, bank_age_y, bank_condition_ratio,
    bank_life_y, bank_cells_count, bank_resistance_ohm, bank_discharge_table, low_battery_v, convenience_free,
    charge_mode, charge_compensated, current_limited, max_degc, enclosure_volume_m3, enclosure_gas_tight, bank_bms_limit_a, bank_bms_cutoff_v, bank_bms_charges_from_degc, totals, version, removed_at
FROM supply WHERE organisation_id = %(organisation_id)s AND plan_id = ANY(%(plan_ids)s) ORDER BY id
"""


def list_supplies(connection: Connection, organisation_id: int, plan_ids: list[int]) -> list[Row]:
    """Return the supplies of these plans, removed ones included, in the order they were made."""
    return every(connection, _LIST, {"organisation_id": organisation_id, "plan_ids": plan_ids})
