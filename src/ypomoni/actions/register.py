"""The register as a whole: many loads changed at once, doubled, brought in from a table; the library of devices behind it."""

from datetime import UTC, datetime
from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import (
    create,
    create_many,
    edit_many,
    edit_shared,
    find,
    fresh_key,
    read_tree,
    remove_many,
    taken_keys,
)
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.things.device_types import DEVICE_TYPES
from ypomoni.documents.faults import Fault
from ypomoni.documents.load_lines import LoadLine
from ypomoni.documents.register_table import table_of_loads
from ypomoni.records.field import Row, fields_of
from ypomoni.records.library import DeviceRow
from ypomoni.records.load import LoadRow
from ypomoni.records.site import PlanRow
from ypomoni.records.supply import rail_v_on
from ypomoni.storage.connection import Connection
from ypomoni.storage.kept import DEVICE

# What bulk edit may set.
BULK_FIELDS = frozenset(f.column for f in fields_of(LoadRow) if f.bulk)
_NOT_COPIED = frozenset(
    {
        "id",
        "organisation_id",
        "key",
        "version",
        "removed_at",
        "standby_reading",
        "alarm_reading",
        "standby_uncertainty_a",
        "alarm_uncertainty_a",
    }
)
MOST_BULK = 5_000


def change_many(connection: Connection, actor: Actor, wanted: list[tuple[int, int]], name: str, value: Any) -> int:
    """Set one column of several loads and return how many changed; all of them or none."""
    if name not in BULK_FIELDS:
        raise NotFound
    return len(edit_many(connection, actor, "load", [(load_id, version, {name: value}) for load_id, version in wanted]))


def duplicate(connection: Connection, actor: Actor, load_ids: list[int]) -> list[Row]:
    """Double loads, with all they have but their readings; a measured figure becomes an estimate, since the copy was not measured."""
    rows = [find(connection, actor, "load", load_id) for load_id in load_ids]
    if not rows:
        return []
    plan = find(connection, actor, "plan", rows[0]["plan_id"])
    if any(r["plan_id"] != plan["id"] for r in rows):
        raise NotFound
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    copies: list[Row] = []
    for row in rows:
        copy = {k: v for k, v in row.items() if k not in _NOT_COPIED} | {"key": None}
        for name in ("standby", "alarm"):
            if copy[f"{name}_provenance"] == "measured":
                copy[f"{name}_provenance"] = "estimate"
        copies.append(copy)
    return create_many(connection, actor, "load", copies, taken_keys(tree, "load", plan["id"]))


def remove_loads(connection: Connection, actor: Actor, wanted: list[tuple[int, int]]) -> int:
    """Remove several loads of a plan, and return how many they were."""
    return len(remove_many(connection, actor, "load", wanted))


def import_loads(connection: Connection, actor: Actor, plan_id: int, rows: list[dict[str, Any]]) -> int:
    """Add loads read from a table, with the places they name, and return how many; all of them or none."""
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    supplies = {s["name"]: s for s in tree.supplies.get(plan_id, [])}
    places = {p["name"].casefold(): p["id"] for p in tree.places}
    new: dict[str, Row] = {}
    for name in dict.fromkeys(r["place"] for r in rows if r.get("place")):
        if name.casefold() not in places:
            new.setdefault(name.casefold(), {"site_id": tree.site["id"], "key": None, "name": name})
    made = create_many(connection, actor, "place", list(new.values()), taken_keys(tree, "place"))
    places |= {place["name"].casefold(): place["id"] for place in made}
    entries: list[Row] = []
    for row in rows:
        supply = supplies.get(row.get("supply") or "")
        entries.append(
            {
                "plan_id": plan_id,
                "key": None,
                "supply_id": supply["id"] if supply else None,
                "name": row["name"],
                "quantity": row["quantity"],
                "rail_v": row.get("rail_v") or (rail_v_on(supply) if supply else 12.0),
                "behaviour": "constant_power" if row.get("as_watts") else "constant_current",
                "essential": True,
                "standby_current_a": row["standby"],
                "standby_provenance": row["provenance"],
                "alarm_current_a": row.get("alarm"),
                "alarm_provenance": None if row.get("alarm") is None else row["provenance"],
                "min_v": row.get("min_v"),
                "converter_kind": row.get("converter_kind"),
                "converter_efficiency_ratio": row.get("converter_efficiency_ratio"),
                "bursts": row.get("bursts", []),
                "place_id": places.get((row.get("place") or "").casefold()),
                **{k: row.get(k) for k in ("branch", "bus_group", "purpose")},
                **{f.column: row[f.column] for f in fields_of(LoadRow) if f.headings and f.column in row},
                **_cable(row),
            }
        )
    return len(create_many(connection, actor, "load", entries, taken_keys(tree, "load", plan_id)))


def list_loads(connection: Connection, actor: Actor, plan_id: int, supply_id: int | None, lines: list[LoadLine], provenance: str) -> int:
    """Add loads as they were listed, on one supply, and return how many; all of them or none.

    A device of the library comes with all that is known of it, as an estimate.
    """
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    supply = next((s for s in tree.supplies.get(plan_id, []) if s["id"] == supply_id), None)
    if supply_id is not None and supply is None:
        raise NotFound
    entries: list[Row] = []
    for line in lines:
        entry: Row = {"plan_id": plan_id, "key": None, "supply_id": supply_id, "essential": True}
        if line.device is not None:
            entry |= load_of_device(connection, actor, line.device.key)
            if line.device.alarm_a is None:
                entry["alarm_provenance"] = None
        else:
            entry |= {
                "rail_v": line.rail_v or (rail_v_on(supply) if supply else 12.0),
                "behaviour": "constant_power" if line.rail_v else "constant_current",
                "standby_current_a": line.standby_a,
                "standby_provenance": provenance,
                "alarm_current_a": line.alarm_a,
                "alarm_provenance": None if line.alarm_a is None else provenance,
            }
        entries.append({**entry, "name": line.name, "quantity": line.quantity})
    return len(create_many(connection, actor, "load", entries, taken_keys(tree, "load", plan_id)))


def _cable(row: dict[str, Any]) -> Row:
    length_m, section_mm2 = row.get("cable_length_m"), row.get("cable_section_mm2")
    whole = length_m is not None and section_mm2 is not None
    return {"cable_length_m": length_m if whole else None, "cable_section_mm2": section_mm2 if whole else None}


# -- the library -----------------------------------------------------------------------------------------------------------------------


def measured_devices(connection: Connection, actor: Actor) -> list[DeviceRow]:
    """Return the devices the organisation has measured itself."""
    return [d for d in DEVICE.every(connection, actor.organisation_id) if d["removed_at"] is None]


def keep_device(connection: Connection, actor: Actor, load_id: int) -> Row:
    """Add a measured load to the library, or count it on a device of the same name: then its figures become the mean of all pieces measured.

    Raises
    ------
    Refused
        If the load was not measured.
    """
    load = find(connection, actor, "load", load_id)
    if load["standby_provenance"] != "measured":
        raise Refused([Fault("", f"{load['name']} was not measured yet: the library keeps what was.")])
    today = datetime.now(UTC).date()
    known = DEVICE.every(connection, actor.organisation_id)
    same = next((d for d in known if d["removed_at"] is None and d["name"].casefold() == load["name"].casefold()), None)
    figures = {k: load[k] for k in ("rail_v", "behaviour", "min_v", "bursts")}
    if same is None or same["rail_v"] != load["rail_v"]:
        values = {
            **figures,
            "key": fresh_key(load["name"], {d["key"] for d in known}),
            "name": load["name"],
            "standby_current_a": load["standby_current_a"],
            "alarm_current_a": load["alarm_current_a"],
            "basis": "measured by us",
            "measured_count": load["quantity"],
            "measured_on": today,
        }
        return create(connection, actor, "device", values)
    count, more = same["measured_count"], load["quantity"]
    mean_a = (same["standby_current_a"] * count + load["standby_current_a"] * more) / (count + more)
    alarms = [a for a in (same["alarm_current_a"], load["alarm_current_a"]) if a is not None]
    changes = {
        **figures,
        "standby_current_a": mean_a,
        "alarm_current_a": sum(alarms) / len(alarms) if alarms else None,
        "measured_count": count + more,
        "measured_on": today,
    }
    return edit_shared(connection, actor, "device", same["id"], same["version"], changes)


def load_of_device(connection: Connection, actor: Actor, key: str) -> Row:
    """Return what a load starts with when it is picked from the library: an estimate, whatever it is based on."""
    kind = next((t for t in DEVICE_TYPES if t.key == key), None)
    if kind is not None:
        burst = kind.burst
        return {
            "name": kind.name,
            "rail_v": kind.rail_v,
            "behaviour": kind.behaviour,
            "min_v": kind.min_v,
            "purpose": kind.purpose,
            "lock": None if kind.lock is None else kind.lock.value,
            "standby_current_a": kind.standby_a[1],
            "alarm_current_a": None if kind.alarm_a is None else kind.alarm_a[1],
            "bursts": []
            if burst is None
            else [
                {
                    "name": "active",
                    "current_a": burst[0],
                    "duration_s": burst[1],
                    "per_hour": burst[2],
                    "offset_s": 0.0,
                    "during": "always",
                }
            ],
            "standby_provenance": "estimate",
            "alarm_provenance": "estimate",
        }
    device = next((d for d in measured_devices(connection, actor) if d["key"] == key), None)
    if device is None:
        raise NotFound
    columns = ("name", "rail_v", "behaviour", "min_v", "standby_current_a", "alarm_current_a", "bursts")
    return {**{k: device[k] for k in columns}, "standby_provenance": "estimate", "alarm_provenance": "estimate"}


def register_table(tree: SiteTree, plan: PlanRow) -> list[list[str]]:
    """Return the register of a plan as rows of text with headings, as it goes out as CSV or as a spreadsheet."""
    supplies = {s["id"]: s["name"] for s in tree.supplies.get(plan["id"], [])}
    places = {p["id"]: p["name"] for p in tree.places}
    return table_of_loads(
        [
            {**r, "supply": supplies.get(r["supply_id"] or 0), "place": places.get(r["place_id"] or 0)}
            for r in tree.loads.get(plan["id"], [])
        ]
    )
