"""Bring a site file in, whole or not at all; a site of the same name is replaced only when that was asked for."""

import secrets
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from graphlib import CycleError, TopologicalSorter
from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import check_shared, fresh_key, remove
from ypomoni.actions.lists import sites_of
from ypomoni.actions.site_tree import columns_of_requirement
from ypomoni.documents.site_model import SiteFile
from ypomoni.records.audit import PointRow, ReadingRow
from ypomoni.records.field import Row
from ypomoni.records.library import InstrumentRow
from ypomoni.records.load import LoadRow
from ypomoni.records.nesting import row_of_part
from ypomoni.records.site import PlaceRow, PlanRow, RunRow, SiteRow
from ypomoni.records.supply import SupplyRow
from ypomoni.storage.changes import insert_change
from ypomoni.storage.connection import Connection, lock_shared
from ypomoni.storage.kept import AGGREGATES, INSTRUMENT
from ypomoni.storage.readings import insert_reading


def sites_named(connection: Connection, actor: Actor, name: str) -> list[SiteRow]:
    """Return the sites that already have this name."""
    return [s for s in sites_of(connection, actor) if s["name"].casefold() == name.casefold()]


def import_site(connection: Connection, actor: Actor, site_file: SiteFile, *, replacing: SiteRow | None = None) -> Row:
    """Insert a site with everything in it. ``replacing`` is a site that is removed for it, and can be restored."""
    if replacing is not None:
        remove(connection, actor, "site", replacing["id"], replacing["version"])
    document = site_file.model_dump(mode="json")
    site = _add(connection, actor, "site", row_of_part(SiteRow, document["site"]))
    requirement_ids = {
        part["key"]: _add(connection, actor, "requirement", {**columns_of_requirement(part), "site_id": site["id"]})["id"]
        for part in document["requirements"]
    }
    place_ids: dict[str | None, int | None] = {None: None}
    for part in document["places"]:
        place_ids[part["key"]] = _add(connection, actor, "place", {**row_of_part(PlaceRow, part), "site_id": site["id"]})["id"]
    for part in document["runs"]:
        names = {"key": f"{part['place']}-{part['supply']}", "name": f"{part['place']} to {part['supply']}", "supply_key": part["supply"]}
        _add(connection, actor, "run", {**row_of_part(RunRow, part), **names, "site_id": site["id"], "place_id": place_ids[part["place"]]})
    lock_shared(connection, actor.organisation_id)
    instrument_ids = bring_instruments(connection, actor, document["instruments"])
    check_shared(connection, actor, "instrument")
    owners = PlanOwners(requirement_ids=requirement_ids, place_ids=place_ids, instrument_ids=instrument_ids)
    for plan_part in document["plans"]:
        add_plan(connection, actor, site["id"], plan_part, owners)
    insert_change(
        connection,
        organisation_id=actor.organisation_id,
        account_id=actor.account_id,
        verb="import",
        aggregate="site",
        aggregate_id=site["id"],
        site_id=site["id"],
        before=None,
        after=document,
        batch=actor.batch,
    )
    return site


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanOwners:
    """The ids of what a plan refers to, by key."""

    requirement_ids: dict[str, int]
    place_ids: dict[str | None, int | None]
    instrument_ids: dict[str | None, int | None]


def add_plan(connection: Connection, actor: Actor, site_id: int, part: dict[str, Any], owners: PlanOwners) -> Row:
    """Insert a plan of a site file with everything in it."""
    plan = _add(connection, actor, "plan", {**row_of_part(PlanRow, part), "site_id": site_id})
    supply_ids: dict[str | None, int | None] = {None: None}
    supplies = [
        {**row_of_part(SupplyRow, s), "plan_id": plan["id"], "requirement_id": owners.requirement_ids[s["requirement"]], "bench_id": None}
        for s in part["supplies"]
    ]
    supply_ids |= _add_many(connection, actor, "supply", part["supplies"], supplies)
    load_ids: dict[str | None, int | None] = {None: None}
    selector_keys = {s["key"] for s in part["selectors"]}
    loads = [
        {
            **row_of_part(LoadRow, load),
            "plan_id": plan["id"],
            "supply_id": supply_ids.get(load["supply"]),
            "selector_key": load["supply"] if load["supply"] in selector_keys else None,
            "place_id": owners.place_ids[load["place"]],
        }
        for load in part["loads"]
    ]
    load_ids |= _add_many(connection, actor, "load", part["loads"], loads)
    point_ids = _add_points(connection, actor, plan["id"], part["points"], supply_ids, load_ids)
    _add_readings(connection, actor, plan["id"], part["readings"], point_ids, owners.instrument_ids)
    return plan


def bring_instruments(connection: Connection, actor: Actor, parts: list[dict[str, Any]]) -> dict[str | None, int | None]:
    """Return the ids of a file's instruments: those the organisation has already stay as they are, the others are added."""
    ids: dict[str | None, int | None] = {None: None}
    known = INSTRUMENT.every(connection, actor.organisation_id)
    taken = {i["key"] for i in known}
    for part in parts:
        same = next((i for i in known if all(i[k] == part[k] for k in part if k != "key") and i["removed_at"] is None), None)
        if same is None:
            key = fresh_key(part["name"], taken)
            taken.add(key)
            same = _add(connection, actor, "instrument", {**row_of_part(InstrumentRow, part), "key": key})
        ids[part["key"]] = same["id"]
    return ids


def _add_points(
    connection: Connection,
    actor: Actor,
    plan_id: int,
    parts: list[dict[str, Any]],
    supply_ids: dict[str | None, int | None],
    load_ids: dict[str | None, int | None],
) -> dict[str | None, int | None]:
    """Add points, parents before their children; the file is known to hold a tree."""
    ids: dict[str | None, int | None] = {None: None}
    for level in _levels(parts, "parent"):
        rows = [
            {
                **row_of_part(PointRow, part),
                "plan_id": plan_id,
                "supply_id": supply_ids[part["supply"]],
                "parent_id": ids[part["parent"]],
                "load_id": load_ids[part["load"]],
            }
            for part in level
        ]
        ids |= _add_many(connection, actor, "point", level, rows)
    return ids


def _levels(parts: list[dict[str, Any]], before: str) -> Iterator[list[dict[str, Any]]]:
    """Yield the parts a level at a time, each after the one that its key ``before`` names; however deep, each is looked at once."""
    by_key = {part["key"]: part for part in parts}
    order = TopologicalSorter({part["key"]: {part[before]} - {None} for part in parts})
    try:
        order.prepare()
    except CycleError:
        # What refers to itself by a detour comes as it stands in the file.
        yield parts
        return
    while order.is_active():
        ready = order.get_ready()
        yield [by_key[key] for key in ready]
        order.done(*ready)


def _add_readings(
    connection: Connection,
    actor: Actor,
    plan_id: int,
    parts: list[dict[str, Any]],
    point_ids: dict[str | None, int | None],
    instrument_ids: dict[str | None, int | None],
) -> None:
    """Add readings, those that are superseded before those that supersede them."""
    ids: dict[str | None, int | None] = {None: None}
    for level in _levels(parts, "supersedes"):
        for part in level:
            values = {
                **row_of_part(ReadingRow, part),
                "organisation_id": actor.organisation_id,
                "plan_id": plan_id,
                "point_id": point_ids[part["point"]],
                "instrument_id": instrument_ids[part["instrument"]],
                "supersedes_id": ids.get(part["supersedes"]),
                "taken_at": part["taken_at"] or datetime.now(UTC),
                "token": secrets.token_hex(16),
                "account_id": actor.account_id,
            }
            ids[part["key"]] = insert_reading(connection, values)


def _add_many(
    connection: Connection, actor: Actor, name: str, parts: list[dict[str, Any]], rows: list[Row]
) -> dict[str | None, int | None]:
    """Insert the rows of parts in one go, and return their ids by key."""
    made = AGGREGATES[name].add_many(connection, [{**row, "organisation_id": actor.organisation_id} for row in rows])
    return {part["key"]: row["id"] for part, row in zip(parts, made, strict=True)}


def _add(connection: Connection, actor: Actor, name: str, values: Row) -> Row:
    return AGGREGATES[name].add(connection, {**values, "organisation_id": actor.organisation_id})
