"""Sites as they are stored: their rows, and the site file they make. Called by every action that reads or checks a site."""

from collections import defaultdict
from dataclasses import dataclass, field
from typing import Any

from ypomoni.storage.connection import Connection, Row
from ypomoni.storage.loads import list_loads
from ypomoni.storage.plans import list_plans
from ypomoni.storage.requirements import list_requirements
from ypomoni.storage.supplies import list_supplies

BANK_KEYS = ("chemistry", "block_v", "capacity_ah", "rate_h", "series", "parallel", "age_y", "condition_ratio", "life_y", "cells_count")
DERATING_KEYS = ("usable_ratio", "age_ratio", "activity_ratio")
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
    "typical_degc",
    "min_degc",
)


@dataclass(slots=True)
class SiteTree:
    """The rows of one site, removed ones apart."""

    site: Row
    requirements: list[Row] = field(default_factory=list)
    plans: list[Row] = field(default_factory=list)
    supplies: dict[int, list[Row]] = field(default_factory=dict)
    loads: dict[int, list[Row]] = field(default_factory=dict)
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
        }

    def _plan(self, plan: Row, requirement_keys: dict[int, str]) -> dict[str, Any]:
        supplies = self.supplies.get(plan["id"], [])
        supply_keys = {s["id"]: s["key"] for s in supplies}
        return {
            "key": plan["key"],
            "name": plan["name"],
            "stage": plan["stage"],
            "supplies": [_supply(s, requirement_keys) for s in supplies],
            "loads": [_load(load, supply_keys) for load in self.loads.get(plan["id"], [])],
        }


def read_trees(connection: Connection, organisation_id: int, sites: list[Row]) -> list[SiteTree]:
    """Return the trees of sites of an organisation, in four statements whatever their number."""
    trees = {site["id"]: SiteTree(site) for site in sites}
    site_of: dict[int, int] = {}
    for requirement in list_requirements(connection, organisation_id, list(trees)):
        _sort_in(trees[requirement["site_id"]], "requirement", requirement, trees[requirement["site_id"]].requirements)
    for plan in list_plans(connection, organisation_id, list(trees)):
        site_of[plan["id"]] = plan["site_id"]
        _sort_in(trees[plan["site_id"]], "plan", plan, trees[plan["site_id"]].plans)
    for name, rows in (
        ("supply", list_supplies(connection, organisation_id, list(site_of))),
        ("load", list_loads(connection, organisation_id, list(site_of))),
    ):
        for row in rows:
            tree = trees[site_of[row["plan_id"]]]
            kept = tree.supplies if name == "supply" else tree.loads
            _sort_in(tree, name, row, kept.setdefault(row["plan_id"], []))
    return list(trees.values())


def _sort_in(tree: SiteTree, name: str, row: Row, kept: list[Row]) -> None:
    if row["removed_at"] is None:
        kept.append(row)
    else:
        tree.removed.append((name, row))


def _requirement(row: Row) -> dict[str, Any]:
    return {**{k: row[k] for k in REQUIREMENT_KEYS}, "derating": {k: row[k] for k in DERATING_KEYS}}


def _supply(row: Row, requirement_keys: dict[int, str]) -> dict[str, Any]:
    bank = None if row["bank_chemistry"] is None else {k: row[f"bank_{k}"] for k in BANK_KEYS}
    # A requirement cannot be removed while a supply is judged by it, so its key is always there.
    return {**{k: row[k] for k in SUPPLY_KEYS}, "requirement": requirement_keys.get(row["requirement_id"], ""), "bank": bank}


def _load(row: Row, supply_keys: dict[int, str]) -> dict[str, Any]:
    converter = None
    if row["converter_kind"] is not None:
        converter = {"kind": row["converter_kind"], "efficiency_ratio": row["converter_efficiency_ratio"]}
    alarm = None
    if row["alarm_current_a"] is not None:
        alarm = {"current_a": row["alarm_current_a"], "provenance": row["alarm_provenance"]}
    return {
        **{k: row[k] for k in ("key", "name", "quantity", "rail_v", "behaviour", "min_v", "essential", "bursts")},
        # A load whose supply was removed waits unassigned, and is back on it when the supply is restored.
        "supply": supply_keys.get(row["supply_id"]),
        "converter": converter,
        "standby": {"current_a": row["standby_current_a"], "provenance": row["standby_provenance"]},
        "alarm": alarm,
    }


def columns_of_requirement(part: dict[str, Any]) -> Row:
    """Return the columns of a requirement of a site file."""
    return {**{k: part[k] for k in REQUIREMENT_KEYS}, "name": part["name"] or part["key"], **part["derating"]}


def columns_of_supply(part: dict[str, Any]) -> Row:
    """Return the columns of a supply of a site file, but for its references."""
    bank = part["bank"] or defaultdict(lambda: None)
    return {**{k: part[k] for k in SUPPLY_KEYS}, **{f"bank_{k}": bank[k] for k in BANK_KEYS}}


def columns_of_load(part: dict[str, Any]) -> Row:
    """Return the columns of a load of a site file, but for its references."""
    converter, alarm = part["converter"] or {}, part["alarm"] or {}
    return {
        **{k: part[k] for k in ("key", "name", "quantity", "rail_v", "behaviour", "min_v", "essential", "bursts")},
        "converter_kind": converter.get("kind"),
        "converter_efficiency_ratio": converter.get("efficiency_ratio"),
        "standby_current_a": part["standby"]["current_a"],
        "standby_provenance": part["standby"]["provenance"],
        "standby_text": None,
        "alarm_current_a": alarm.get("current_a"),
        "alarm_provenance": alarm.get("provenance"),
        "alarm_text": None,
    }
