"""Sites as they are stored: their rows, and the site file they make."""

from collections import defaultdict
from dataclasses import dataclass, field
from typing import Any

from ypomoni.storage.connection import Connection, Row
from ypomoni.storage.instruments import list_instruments
from ypomoni.storage.loads import list_loads
from ypomoni.storage.places import list_places
from ypomoni.storage.plans import list_plans
from ypomoni.storage.points import list_points
from ypomoni.storage.readings import list_readings
from ypomoni.storage.requirements import list_requirements
from ypomoni.storage.runs import list_runs
from ypomoni.storage.stock import list_stock
from ypomoni.storage.supplies import list_supplies

BANK_KEYS = (
    "chemistry",
    "block_v",
    "capacity_ah",
    "rate_h",
    "series",
    "parallel",
    "age_y",
    "condition_ratio",
    "life_y",
    "cells_count",
    "resistance_ohm",
    "discharge_table",
)
BMS_KEYS = ("limit_a", "cutoff_v", "charges_from_degc")
DERATING_KEYS = ("usable_ratio", "age_ratio", "activity_ratio")
AUTONOMY_KEYS = ("depth_ratio", "inverter_ratio")
STOCK_KEYS = ("chemistry", "block_v", "capacity_ah", "rate_h")
REQUIREMENT_KEYS = (
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
    "response_h",
    "purpose",
)
SUPPLY_KEYS = (
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
    "charge_mode",
    "charge_compensated",
    "current_limited",
    "low_battery_v",
    "convenience_free",
    "typical_degc",
    "min_degc",
    "max_degc",
    "totals",
)
PLACE_KEYS = ("key", "name", "typical_degc", "min_degc", "monthly_degc")
INSTRUMENT_KEYS = ("key", "name", "hookup", "accuracy_ratio", "digits_count", "display_count", "offset_a", "ranges")
READING_KEYS = (
    "key",
    "state",
    "state_note",
    "mains",
    "value_a",
    "min_a",
    "max_a",
    "as_written",
    "positive_means",
    "battery_v",
    "hookup",
    "temperature_degc",
    "taken_by",
    "remark",
    "reason",
    "open_questions",
)
LOAD_KEYS = (
    "key",
    "name",
    "quantity",
    "rail_v",
    "behaviour",
    "min_v",
    "essential",
    "bursts",
    "branch",
    "bus_group",
    "purpose",
    "thermostats",
    "recharges",
    "pinned",
    "lock",
    "escape_route",
    "ride_through_ms",
)


@dataclass(slots=True)
class SiteTree:
    """The rows of one site, removed ones apart."""

    site: Row
    requirements: list[Row] = field(default_factory=list)
    plans: list[Row] = field(default_factory=list)
    supplies: dict[int, list[Row]] = field(default_factory=dict)
    loads: dict[int, list[Row]] = field(default_factory=dict)
    places: list[Row] = field(default_factory=list)
    runs: list[Row] = field(default_factory=list)
    points: dict[int, list[Row]] = field(default_factory=dict)
    readings: dict[int, list[Row]] = field(default_factory=dict)
    instruments: list[Row] = field(default_factory=list)
    stock: list[Row] = field(default_factory=list)
    removed: list[tuple[str, Row]] = field(default_factory=list)

    def plan(self, key: str) -> Row | None:
        """Return the plan with a key, or None."""
        return next((p for p in self.plans if p["key"] == key), None)

    def document(self) -> dict[str, Any]:
        """Return the site file these rows make, as Python values."""
        requirement_keys = {r["id"]: r["key"] for r in self.requirements}
        return {
            "format": "ypomoni-site",
            "version": 1,
            "site": {k: self.site[k] for k in ("name", "typical_degc", "min_degc", "max_degc")},
            "requirements": [_requirement(r) for r in self.requirements],
            "plans": [self._plan(p, requirement_keys) for p in self.plans],
            "places": [{k: p[k] for k in PLACE_KEYS} for p in self.places],
            "runs": self._runs(),
            "instruments": [{k: i[k] for k in INSTRUMENT_KEYS} for i in self.instruments],
            "stock": [{k: b[k] for k in STOCK_KEYS} for b in self.stock],
        }

    def _runs(self) -> list[dict[str, Any]]:
        """Return the runs whose place and supply are still there."""
        places = {p["id"]: p["key"] for p in self.places}
        supplies = {s["key"] for plan in self.plans for s in self.supplies.get(plan["id"], [])}
        return [
            {"place": places[r["place_id"]], "supply": r["supply_key"], "length_m": r["length_m"], "section_mm2": r["section_mm2"]}
            for r in self.runs
            if r["place_id"] in places and r["supply_key"] in supplies
        ]

    def _plan(self, plan: Row, requirement_keys: dict[int, str]) -> dict[str, Any]:
        supplies, loads = self.supplies.get(plan["id"], []), self.loads.get(plan["id"], [])
        supply_keys, place_keys = {s["id"]: s["key"] for s in supplies}, {p["id"]: p["key"] for p in self.places}
        points = self.placed_points(plan["id"])
        point_keys = {p["id"]: p["key"] for p in points}
        readings = [r for r in self.readings.get(plan["id"], []) if r["point_id"] in point_keys]
        reading_keys = {r["id"]: r["key"] for r in readings}
        known = set(reading_keys.values())
        instrument_keys = {i["id"]: i["key"] for i in self.instruments}
        return {
            "key": plan["key"],
            "name": plan["name"],
            "stage": plan["stage"],
            "supplies": [_supply(s, requirement_keys, {p["key"] for p in points if p["supply_id"] == s["id"]}, known) for s in supplies],
            "loads": [_load(load, supply_keys, place_keys, known) for load in loads],
            "points": [_point(p, supply_keys, point_keys, {load["id"]: load["key"] for load in loads}) for p in points],
            "readings": [_reading(r, point_keys, instrument_keys, reading_keys) for r in readings],
        }

    def placed_points(self, plan_id: int) -> list[Row]:
        """Return the points of a plan where they are now: a device's follows its load, and each hangs on the nearest point still there.

        A point whose supply or load is gone waits with it, and is back when that is restored.
        """
        supplies = {s["id"] for s in self.supplies.get(plan_id, [])}
        feeds = {load["id"]: load["supply_id"] for load in self.loads.get(plan_id, [])}
        here = self.points.get(plan_id, [])
        # A removed point still knows what lay before it.
        rows = {p["id"]: p for p in [*here, *(row for kind, row in self.removed if kind == "point")]}
        placed: dict[int, Row] = {}
        for point in here:
            supply_id = feeds.get(point["load_id"]) if point["load_id"] is not None else point["supply_id"]
            if supply_id in supplies:
                placed[point["id"]] = {**point, "supply_id": supply_id}
        for point in placed.values():
            parent_id, steps = point["parent_id"], 0
            while parent_id is not None and steps <= len(rows):
                parent = placed.get(parent_id)
                if parent is not None and parent["supply_id"] == point["supply_id"] and parent["kind"] != "device":
                    break
                parent_id, steps = rows[parent_id]["parent_id"] if parent_id in rows else None, steps + 1
            point["parent_id"] = parent_id
        return list(placed.values())


def read_trees(connection: Connection, organisation_id: int, sites: list[Row], *, frame: bool = False) -> list[SiteTree]:
    """Return the trees of sites of an organisation, in nine statements whatever their number; see `edit.read_tree` for ``frame``."""
    trees = {site["id"]: SiteTree(site) for site in sites}
    site_of: dict[int, int] = {}
    for requirement in list_requirements(connection, organisation_id, list(trees)):
        _sort_in(trees[requirement["site_id"]], "requirement", requirement, trees[requirement["site_id"]].requirements)
    for plan in list_plans(connection, organisation_id, list(trees)):
        site_of[plan["id"]] = plan["site_id"]
        _sort_in(trees[plan["site_id"]], "plan", plan, trees[plan["site_id"]].plans)
    for place in list_places(connection, organisation_id, list(trees)):
        _sort_in(trees[place["site_id"]], "place", place, trees[place["site_id"]].places)
    for run in list_runs(connection, organisation_id, list(trees)):
        _sort_in(trees[run["site_id"]], "run", run, trees[run["site_id"]].runs)
    for name, rows in (
        ("supply", list_supplies(connection, organisation_id, list(site_of))),
        ("load", [] if frame else list_loads(connection, organisation_id, list(site_of))),
        ("point", [] if frame else list_points(connection, organisation_id, list(site_of))),
    ):
        for row in rows:
            tree = trees[site_of[row["plan_id"]]]
            kept = {"supply": tree.supplies, "load": tree.loads, "point": tree.points}[name]
            _sort_in(tree, name, row, kept.setdefault(row["plan_id"], []))
    for reading in [] if frame else list_readings(connection, organisation_id, list(site_of)):
        trees[site_of[reading["plan_id"]]].readings.setdefault(reading["plan_id"], []).append(reading)
    instruments = list_instruments(connection, organisation_id)
    stock = [b for b in list_stock(connection, organisation_id) if b["removed_at"] is None]
    for tree in trees.values():
        used = {r["instrument_id"] for readings in tree.readings.values() for r in readings}
        tree.stock = stock
        tree.instruments = [i for i in instruments if i["removed_at"] is None or i["id"] in used]
    return list(trees.values())


def _sort_in(tree: SiteTree, name: str, row: Row, kept: list[Row]) -> None:
    if row["removed_at"] is None:
        kept.append(row)
    else:
        tree.removed.append((name, row))


def _requirement(row: Row) -> dict[str, Any]:
    return {
        **{k: row[k] for k in REQUIREMENT_KEYS},
        "derating": {k: row[k] for k in DERATING_KEYS},
        "autonomy": {k: row[k] for k in AUTONOMY_KEYS},
    }


def _supply(row: Row, requirement_keys: dict[int, str], point_keys: set[str], reading_keys: set[str]) -> dict[str, Any]:
    bank = None if row["bank_chemistry"] is None else {**{k: row[f"bank_{k}"] for k in BANK_KEYS}, "bms": _bms(row)}
    volume_m3, gas_tight = row["enclosure_volume_m3"], row["enclosure_gas_tight"]
    totals = [{**t, "reading": _kept(t.get("reading"), reading_keys)} for t in row["totals"] if t["point"] in point_keys]
    return {
        **{k: row[k] for k in SUPPLY_KEYS},
        # A requirement cannot be removed while a supply is judged by it, so its key is always there.
        "requirement": requirement_keys.get(row["requirement_id"], ""),
        "bank": bank,
        "enclosure": None if volume_m3 is None else {"volume_m3": volume_m3, "gas_tight": gas_tight},
        "totals": totals,
    }


def _bms(row: Row) -> dict[str, Any] | None:
    """Return what is known of a battery's own protection; None where nothing is."""
    found = {k: row[f"bank_bms_{k}"] for k in BMS_KEYS}
    return found if any(v is not None for v in found.values()) else None


def _load(row: Row, supply_keys: dict[int, str], place_keys: dict[int, str], reading_keys: set[str]) -> dict[str, Any]:
    converter = None
    if row["converter_kind"] is not None:
        converter = {"kind": row["converter_kind"], "efficiency_ratio": row["converter_efficiency_ratio"]}
    cable = None
    if row["cable_length_m"] is not None:
        cable = {"length_m": row["cable_length_m"], "section_mm2": row["cable_section_mm2"]}
    ac = {k: row[f"ac_{k}"] for k in ("power_w", "apparent_va", "power_factor_ratio")}
    return {
        **{k: row[k] for k in LOAD_KEYS},
        # A load whose supply was removed waits unassigned, and is back on it when the supply is restored; so with its place.
        "supply": supply_keys.get(row["supply_id"]),
        "place": place_keys.get(row["place_id"]),
        "converter": converter,
        "cable": cable,
        "ac": None if ac["power_w"] is None and ac["apparent_va"] is None else ac,
        "standby": _current(row, "standby", reading_keys),
        "alarm": None if row["alarm_current_a"] is None else _current(row, "alarm", reading_keys),
    }


def _current(row: Row, name: str, reading_keys: set[str]) -> dict[str, Any]:
    return {
        "current_a": row[f"{name}_current_a"],
        "provenance": row[f"{name}_provenance"],
        "uncertainty_a": row[f"{name}_uncertainty_a"],
        "reading": _kept(row[f"{name}_reading"], reading_keys),
    }


def _kept(key: str | None, known: set[str]) -> str | None:
    return key if key in known else None


def _point(row: Row, supply_keys: dict[int, str], point_keys: dict[int, str], load_keys: dict[int, str]) -> dict[str, Any]:
    return {
        **{k: row[k] for k in ("key", "name", "kind")},
        "supply": supply_keys.get(row["supply_id"]),
        "parent": point_keys.get(row["parent_id"]),
        "load": load_keys.get(row["load_id"]),
    }


def _reading(row: Row, point_keys: dict[int, str], instrument_keys: dict[int, str], reading_keys: dict[int, str]) -> dict[str, Any]:
    return {
        **{k: row[k] for k in READING_KEYS},
        "point": point_keys[row["point_id"]],
        "instrument": instrument_keys.get(row["instrument_id"]),
        "taken_at": row["taken_at"].isoformat(),
        "supersedes": reading_keys.get(row["supersedes_id"]),
    }


def columns_of_requirement(part: dict[str, Any]) -> Row:
    """Return the columns of a requirement of a site file."""
    return {**{k: part[k] for k in REQUIREMENT_KEYS}, "name": part["name"] or part["key"], **part["derating"], **part["autonomy"]}


def columns_of_supply(part: dict[str, Any]) -> Row:
    """Return the columns of a supply of a site file, but for its references."""
    bank: dict[str, Any] = part["bank"] or defaultdict(lambda: None, discharge_table=[])
    protection, box = bank["bms"] or {}, part["enclosure"] or {}
    return {
        **{k: part[k] for k in SUPPLY_KEYS},
        **{f"bank_{k}": bank[k] for k in BANK_KEYS},
        **{f"bank_bms_{k}": protection.get(k) for k in BMS_KEYS},
        "enclosure_volume_m3": box.get("volume_m3"),
        "enclosure_gas_tight": box.get("gas_tight", False),
    }


def columns_of_load(part: dict[str, Any]) -> Row:
    """Return the columns of a load of a site file, but for its references."""
    converter, alarm = part["converter"] or {}, part["alarm"] or {}
    cable, ac = part["cable"] or {}, part["ac"] or {}
    return {
        **{k: part[k] for k in LOAD_KEYS},
        "converter_kind": converter.get("kind"),
        "converter_efficiency_ratio": converter.get("efficiency_ratio"),
        "cable_length_m": cable.get("length_m"),
        "cable_section_mm2": cable.get("section_mm2"),
        **{f"ac_{k}": ac.get(k) for k in ("power_w", "apparent_va", "power_factor_ratio")},
        **_columns_of_current("standby", part["standby"]),
        **_columns_of_current("alarm", alarm),
    }


def _columns_of_current(name: str, part: dict[str, Any]) -> Row:
    return {
        f"{name}_current_a": part.get("current_a"),
        f"{name}_provenance": part.get("provenance"),
        f"{name}_uncertainty_a": part.get("uncertainty_a"),
        f"{name}_reading": part.get("reading"),
        f"{name}_text": None,
    }
