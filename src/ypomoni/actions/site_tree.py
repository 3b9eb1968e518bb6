"""Sites as they are stored: their rows, and the site file they make."""

from dataclasses import dataclass, field
from typing import Any

from ypomoni.records.audit import PointRow, ReadingRow
from ypomoni.records.field import Row
from ypomoni.records.library import InstrumentRow, StockRow
from ypomoni.records.load import LOAD_NESTS, LoadRow
from ypomoni.records.nesting import part_of_row, row_of_part
from ypomoni.records.requirement import REQUIREMENT_NESTS, RequirementRow
from ypomoni.records.site import PlaceRow, PlanRow, RunRow, SiteRow
from ypomoni.records.supply import SUPPLY_NESTS, SupplyRow
from ypomoni.storage.connection import Connection
from ypomoni.storage.kept import INSTRUMENT, LOAD, PLACE, PLAN, POINT, REQUIREMENT, RUN, STOCK, SUPPLY
from ypomoni.storage.readings import list_readings


@dataclass(slots=True)
class SiteTree:
    """The rows of one site, removed ones apart."""

    site: SiteRow
    requirements: list[RequirementRow] = field(default_factory=list)
    plans: list[PlanRow] = field(default_factory=list)
    supplies: dict[int, list[SupplyRow]] = field(default_factory=dict)
    loads: dict[int, list[LoadRow]] = field(default_factory=dict)
    places: list[PlaceRow] = field(default_factory=list)
    runs: list[RunRow] = field(default_factory=list)
    points: dict[int, list[PointRow]] = field(default_factory=dict)
    readings: dict[int, list[ReadingRow]] = field(default_factory=dict)
    instruments: list[InstrumentRow] = field(default_factory=list)
    stock: list[StockRow] = field(default_factory=list)
    removed: list[tuple[str, Row]] = field(default_factory=list)

    def plan(self, key: str) -> PlanRow | None:
        """Return the plan with a key, or None."""
        return next((p for p in self.plans if p["key"] == key), None)

    def document(self) -> dict[str, Any]:
        """Return the site file these rows make, as Python values."""
        requirement_keys = {r["id"]: r["key"] for r in self.requirements}
        return {
            "format": "ypomoni-site",
            "version": 1,
            "site": part_of_row(SiteRow, self.site),
            "requirements": [part_of_row(RequirementRow, r, REQUIREMENT_NESTS) for r in self.requirements],
            "plans": [self._plan(p, requirement_keys) for p in self.plans],
            "places": [part_of_row(PlaceRow, p) for p in self.places],
            "runs": self._runs(),
            "instruments": [part_of_row(InstrumentRow, i) for i in self.instruments],
            "stock": [part_of_row(StockRow, b) for b in self.stock],
        }

    def _runs(self) -> list[dict[str, Any]]:
        """Return the runs whose place and supply are still there."""
        places = {p["id"]: p["key"] for p in self.places}
        supplies = {s["key"] for plan in self.plans for s in self.supplies.get(plan["id"], [])}
        return [
            part_of_row(RunRow, r) | {"place": places[r["place_id"]], "supply": r["supply_key"]}
            for r in self.runs
            if r["place_id"] in places and r["supply_key"] in supplies
        ]

    def _plan(self, plan: PlanRow, requirement_keys: dict[int, str]) -> dict[str, Any]:
        supplies, loads = self.supplies.get(plan["id"], []), self.loads.get(plan["id"], [])
        supply_keys, place_keys = {s["id"]: s["key"] for s in supplies}, {p["id"]: p["key"] for p in self.places}
        points = self.placed_points(plan["id"])
        point_keys = {p["id"]: p["key"] for p in points}
        readings = [r for r in self.readings.get(plan["id"], []) if r["point_id"] in point_keys]
        reading_keys = {r["id"]: r["key"] for r in readings}
        known = set(reading_keys.values())
        instrument_keys = {i["id"]: i["key"] for i in self.instruments}
        selectors = _standing(plan["selectors"], set(supply_keys.values()))
        return {
            **part_of_row(PlanRow, plan),
            "selectors": selectors,
            # Those of a supply or a bank that is gone wait with it.
            "tests": [t for t in plan["tests"] if t["supply"] in {s["key"] for s in supplies if s["bank_chemistry"] is not None}],
            "supplies": [_supply(s, requirement_keys, {p["key"] for p in points if p["supply_id"] == s["id"]}, known) for s in supplies],
            "loads": [_load(load, supply_keys, {s["key"] for s in selectors}, place_keys, known) for load in loads],
            "points": [_point(p, supply_keys, point_keys, {load["id"]: load["key"] for load in loads}) for p in points],
            "readings": [_reading(r, point_keys, instrument_keys, reading_keys) for r in readings],
        }

    def hangs_on_nothing(self, load: LoadRow) -> bool:
        """Say whether neither a supply nor a selector of its plan feeds a load."""
        if load["supply_id"] in {s["id"] for s in self.supplies.get(load["plan_id"], [])}:
            return False
        plan = next(p for p in self.plans if p["id"] == load["plan_id"])
        return load["selector_key"] not in {s["key"] for s in plan["selectors"]}

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


def read_trees(connection: Connection, organisation_id: int, sites: list[SiteRow], *, frame: bool = False) -> list[SiteTree]:
    """Return the trees of sites of an organisation, in nine statements whatever their number; see `edit.read_tree` for ``frame``."""
    trees = {site["id"]: SiteTree(site) for site in sites}
    site_of: dict[int, int] = {}
    for requirement in REQUIREMENT.every(connection, organisation_id, list(trees)):
        _sort_in(trees[requirement["site_id"]], "requirement", requirement, trees[requirement["site_id"]].requirements)
    for plan in PLAN.every(connection, organisation_id, list(trees)):
        site_of[plan["id"]] = plan["site_id"]
        _sort_in(trees[plan["site_id"]], "plan", plan, trees[plan["site_id"]].plans)
    for place in PLACE.every(connection, organisation_id, list(trees)):
        _sort_in(trees[place["site_id"]], "place", place, trees[place["site_id"]].places)
    for run in RUN.every(connection, organisation_id, list(trees)):
        _sort_in(trees[run["site_id"]], "run", run, trees[run["site_id"]].runs)
    for name, rows in (
        ("supply", SUPPLY.every(connection, organisation_id, list(site_of))),
        ("load", [] if frame else LOAD.every(connection, organisation_id, list(site_of))),
        ("point", [] if frame else POINT.every(connection, organisation_id, list(site_of))),
    ):
        for row in rows:
            tree = trees[site_of[row["plan_id"]]]
            kept = {"supply": tree.supplies, "load": tree.loads, "point": tree.points}[name]
            _sort_in(tree, name, row, kept.setdefault(row["plan_id"], []))
    for reading in [] if frame else list_readings(connection, organisation_id, list(site_of)):
        trees[site_of[reading["plan_id"]]].readings.setdefault(reading["plan_id"], []).append(reading)
    instruments = INSTRUMENT.every(connection, organisation_id)
    stock = [b for b in STOCK.every(connection, organisation_id) if b["removed_at"] is None]
    for tree in trees.values():
        used = {r["instrument_id"] for readings in tree.readings.values() for r in readings}
        tree.stock = stock
        tree.instruments = [i for i in instruments if i["removed_at"] is None or i["id"] in used]
    return list(trees.values())


def _sort_in(tree: SiteTree, name: str, row: Any, kept: list[Any]) -> None:
    if row["removed_at"] is None:
        kept.append(row)
    else:
        tree.removed.append((name, row))


def _supply(row: SupplyRow, requirement_keys: dict[int, str], point_keys: set[str], reading_keys: set[str]) -> Row:
    part = part_of_row(SupplyRow, row, SUPPLY_NESTS)
    totals = [{**t, "reading": _kept(t.get("reading"), reading_keys)} for t in row["totals"] if t["point"] in point_keys]
    # A requirement cannot be removed while a supply is judged by it, so its key is always there.
    return part | {"requirement": requirement_keys.get(row["requirement_id"], ""), "totals": totals}


def _standing(selectors: list[dict[str, Any]], supply_keys: set[str]) -> list[dict[str, Any]]:
    """Return the selectors with those of their inputs that are still there; one with fewer than two chooses nothing, and is left out."""
    found = [{**s, "inputs": [key for key in s["inputs"] if key in supply_keys]} for s in selectors]
    return [s for s in found if len(s["inputs"]) > 1]


def _load(row: LoadRow, supply_keys: dict[int, str], selector_keys: set[str], place_keys: dict[int, str], reading_keys: set[str]) -> Row:
    part = part_of_row(LoadRow, row, LOAD_NESTS)
    for state in ("standby", "alarm"):
        if part[state] is not None:
            part[state]["reading"] = _kept(part[state]["reading"], reading_keys)
    # One on no supply may hang on a selector; where that is gone it waits.
    selector_key = _kept(row["selector_key"], selector_keys)
    # A load whose supply was removed waits unassigned, and is back on it when the supply is restored; so with its place.
    return part | {"supply": supply_keys.get(row["supply_id"] or 0) or selector_key, "place": place_keys.get(row["place_id"] or 0)}


def _kept(key: str | None, known: set[str]) -> str | None:
    return key if key in known else None


def _point(row: Row, supply_keys: dict[int, str], point_keys: dict[int, str], load_keys: dict[int, str]) -> Row:
    return part_of_row(PointRow, row) | {
        "supply": supply_keys.get(row["supply_id"] or 0),
        "parent": point_keys.get(row["parent_id"] or 0),
        "load": load_keys.get(row["load_id"] or 0),
    }


def _reading(row: ReadingRow, point_keys: dict[int, str], instrument_keys: dict[int, str], reading_keys: dict[int, str]) -> Row:
    return part_of_row(ReadingRow, row) | {
        "point": point_keys[row["point_id"]],
        "instrument": instrument_keys.get(row["instrument_id"] or 0),
        "taken_at": row["taken_at"].isoformat(),
        "supersedes": reading_keys.get(row["supersedes_id"] or 0),
    }


def columns_of_requirement(part: Row) -> Row:
    """Return the columns of a requirement of a site file: one without a name is called by its key."""
    return row_of_part(RequirementRow, part) | {"name": part["name"] or part["key"]}
