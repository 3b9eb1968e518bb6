"""Supplies as they are commonly met, to start an entry from: rough, and to be replaced by the label or the bench. No makes."""

from dataclasses import dataclass
from typing import Any

from ypomoni.core.things.supply_kinds import SupplyKind

BASIS = "common practice, rough: replace it by the label, or by what the bench shows"


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplyType:
    """A kind of supply one can start from: the columns it fills, in the units they are kept in."""

    key: str
    name: str
    said: str
    columns: dict[str, Any]


_LEAD = {"bank_chemistry": "lead_agm", "bank_block_v": 12.0, "bank_rate_h": 20.0, "bank_parallel": 1}


def _ups(key: str, name: str, va: float, watts: float, blocks: int, capacity_ah: float) -> SupplyType:
    return SupplyType(
        key=key,
        name=name,
        said=f"{va:g} VA, {watts:g} W, {blocks} × 12 V {capacity_ah:g} Ah",
        columns={
            "kind": SupplyKind.AC_UPS.value,
            "nominal_v": 12.0 * blocks,
            "cutoff_v": 10.5 * blocks,
            "charge_v": 13.65 * blocks,
            "charge_limit_a": 0.1 * capacity_ah,
            "ac_output_v": 230.0,
            "ac_rated_va": va,
            "ac_rated_w": watts,
            "ac_efficiency_ratio": 0.85,
            "ac_light_load_off_min": 5.0,
            **_LEAD,
            "bank_series": blocks,
            "bank_capacity_ah": capacity_ah,
        },
    )


SUPPLY_TYPES: tuple[SupplyType, ...] = (
    _ups("ups-small", "Small AC UPS", 550.0, 330.0, 1, 7.0),
    _ups("ups-office", "Office AC UPS", 850.0, 510.0, 1, 9.0),
    _ups("ups-rack", "Rack AC UPS", 1500.0, 900.0, 2, 9.0),
    SupplyType(
        key="dc-regulated-12",
        name="DC UPS with a regulated 12 V output",
        said="a converter of 90 %, 0.2 W idle, 12 V 7 Ah",
        columns={
            "kind": SupplyKind.DC_UPS.value,
            "nominal_v": 12.0,
            "cutoff_v": 10.5,
            "charge_v": 13.65,
            "charge_limit_a": 0.7,
            "dc_output_v": 12.0,
            "dc_efficiency_ratio": 0.9,
            "dc_idle_power_w": 0.2,
            **_LEAD,
            "bank_series": 1,
            "bank_capacity_ah": 7.0,
        },
    ),
    SupplyType(
        key="dc-straight-12",
        name="DC UPS that lets its 12 V battery through",
        said="no converter, 0.1 W idle, 12 V 7 Ah",
        columns={
            "kind": SupplyKind.DC_UPS.value,
            "nominal_v": 12.0,
            "cutoff_v": 10.5,
            "charge_v": 13.65,
            "charge_limit_a": 0.7,
            "dc_output_v": 12.0,
            "dc_idle_power_w": 0.1,
            **_LEAD,
            "bank_series": 1,
            "bank_capacity_ah": 7.0,
        },
    ),
    SupplyType(
        key="pocket-5",
        name="Small 5 V supply with one lithium cell",
        said="a converter of 85 %, idles at 50 mW, sleeps below 60 mA after 30 s",
        columns={
            "kind": SupplyKind.DC_UPS.value,
            "nominal_v": 3.65,
            "cutoff_v": 3.0,
            "charge_v": 4.2,
            "charge_limit_a": 1.0,
            "charge_mode": "cyclic",
            "dc_output_v": 5.0,
            "dc_efficiency_ratio": 0.85,
            "dc_idle_power_w": 0.05,
            "dc_sleep_below_a": 0.06,
            "dc_sleep_after_s": 30.0,
            "dc_wakes_on_load": False,
            "bank_chemistry": "li_ion",
            "bank_block_v": 3.65,
            "bank_capacity_ah": 3.0,
            "bank_rate_h": 20.0,
            "bank_series": 1,
            "bank_parallel": 1,
        },
    ),
)


def supply_type(key: str) -> SupplyType | None:
    """Return the type of a key, or None."""
    return next((t for t in SUPPLY_TYPES if t.key == key), None)
