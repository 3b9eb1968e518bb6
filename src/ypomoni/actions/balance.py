"""The balance board: what each supply answers to pieces picked up, and the move itself."""

import dataclasses
from dataclasses import dataclass, replace
from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import create_many, edit_many, edit_many_within, find, read_document, read_tree, refuse_stale, taken_keys
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.evaluate import evaluate
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.balance.moves import SPLIT_SUFFIX, Offer, offers_for, why_not, with_moves
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Plan
from ypomoni.documents.faults import Fault
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.site_file import SiteFile
from ypomoni.records.field import Row
from ypomoni.records.load import LoadRow
from ypomoni.records.site import PlanRow
from ypomoni.records.supply import SupplyRow
from ypomoni.storage.connection import Connection

_OWN = frozenset({"id", "organisation_id", "version", "removed_at"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """So many pieces of one load that were picked up, at the version it was seen at."""

    load_id: int
    version: int
    quantity: int


def offers(connection: Connection, actor: Actor, plan_id: int, held: list[Held]) -> tuple[list[SupplyRow], tuple[Offer, ...]]:
    """Return the supplies of a plan, and what each would be with pieces on it."""
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"])
    rows = _rows(tree, plan, held)
    _refuse_counts(rows, held)
    pieces = {row["key"]: h.quantity for row, h in zip(rows, held, strict=True)}
    return tree.supplies.get(plan["id"], []), offers_for(to_core_plan(read_document(tree), plan["key"]), pieces)


@dataclass(frozen=True, slots=True, kw_only=True)
class Moved:
    """What a move came to: the plan, the loads that moved, and the site as it is then with its checked file."""

    plan: PlanRow
    rows: list[Row]
    tree: SiteTree
    site_file: SiteFile


def move(connection: Connection, actor: Actor, plan_id: int, held: list[Held], supply_id: int | None) -> Moved:
    """Hang pieces on another supply, or on none; fewer than all of a load become one of their own.

    Totals that were read of a supply say nothing of it once its loads are others, so they no longer count; the readings stay.

    Raises
    ------
    Refused
        If they may not hang there: pin, bus, rail, limit, cable, company.
    StaleEdit
        If somebody changed one of them meanwhile.
    """
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    rows = _rows(tree, plan, held)
    # Told first: a count or a reason may be somebody else's change.
    for row, h in zip(rows, held, strict=True):
        refuse_stale(connection, actor, "load", row, h.version)
    _refuse_counts(rows, held)
    supplies = {s["id"]: s for s in tree.supplies.get(plan["id"], [])}
    if supply_id is not None and supply_id not in supplies:
        raise NotFound
    site_file = read_document(tree)
    core = to_core_plan(site_file, plan["key"])
    pieces = {row["key"]: h.quantity for row, h in zip(rows, held, strict=True)}
    supply_key = supplies[supply_id]["key"] if supply_id is not None else None
    reason = why_not(core, pieces, supply_key)
    if reason:
        where = supplies[supply_id]["name"] if supply_id is not None else "no supply"
        raise Refused([Fault("", f"{_names(rows)} may not hang on {where}: {reason}")])
    after = {load.key: load for load in with_moves(core, pieces, supply_key).loads}
    whole: list[tuple[int, int, Row]] = []
    shares: list[tuple[int, int, Row]] = []
    parts: list[Row] = []
    for row, h in zip(rows, held, strict=True):
        if row["supply_id"] == supply_id:
            continue
        cable = _cable(after.get(row["key"] + SPLIT_SUFFIX, after[row["key"]]))
        if h.quantity == row["quantity"]:
            whole.append((row["id"], h.version, {"supply_id": supply_id, **cable}))
        else:
            shares.append((row["id"], h.version, {"quantity": row["quantity"] - h.quantity}))
            same = {k: v for k, v in row.items() if k not in _OWN}
            parts.append(same | cable | {"key": None, "quantity": h.quantity, "supply_id": supply_id})
    edited, checked = edit_many_within(connection, actor, "load", [*whole, *shares])
    made = create_many(connection, actor, "load", parts, taken_keys(tree, "load", plan["id"])) if parts else []
    let_go = _let_go_of_totals(connection, actor, tree, plan, {supply_id, *(row["supply_id"] for row in rows)})
    if made or let_go:
        now = read_tree(connection, actor, plan["site_id"])
        checked = (now, read_document(now))
    tree, site_file = checked or (tree, site_file)
    ids = {load_id for load_id, _, _ in whole}
    return Moved(plan=plan, rows=[*(row for row in edited if row["id"] in ids), *made], tree=tree, site_file=site_file)


def foresee(connection: Connection, actor: Actor, plan_id: int, held: list[Held], supply_id: int | None) -> None:
    """Compute a plan as it would be after a move of whole loads, so that its figures are there when it is made. Nothing of the plan changes."""
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"])
    rows = _rows(tree, plan, held)
    supplies = {s["id"]: s for s in tree.supplies.get(plan["id"], [])}
    if supply_id is not None and supply_id not in supplies:
        raise NotFound
    if any(h.quantity != row["quantity"] for row, h in zip(rows, held, strict=True)):
        return
    site_file = read_document(tree)
    core = to_core_plan(site_file, plan["key"])
    supply_key = supplies[supply_id]["key"] if supply_id is not None else None
    pieces = {row["key"]: row["quantity"] for row in rows}
    if why_not(core, pieces, supply_key):
        return
    moved = {load.key: load for load in with_moves(core, pieces, supply_key).loads if load.key in pieces}
    # As the rows would be: on the other supply, with the cable there; totals of the supplies concerned let go.
    foreseen: list[Any] = [
        {**row, "supply_id": supply_id, **_cable(moved[row["key"]])} if row["key"] in pieces else row
        for row in tree.loads.get(plan["id"], [])
    ]
    touched = {supply_id, *(row["supply_id"] for row in rows)}
    there = [{**s, "totals": []} if s["id"] in touched else s for s in supplies.values()]
    after = dataclasses.replace(tree, loads={**tree.loads, plan["id"]: foreseen}, supplies={**tree.supplies, plan["id"]: there})
    evaluate(connection, actor.organisation_id, [(read_document(after), plan["key"])])


def follow_moves(connection: Connection, actor: Actor, plan: PlanRow, targets: dict[str, str | None]) -> int:
    """Make several moves of whole loads at once, given as load and supply keys, and return how many they were.

    The plan as it is in the end must keep the rules; on the way there it need not.
    """
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    loads = {row["key"]: row for row in tree.loads.get(plan["id"], [])}
    supplies = {row["key"]: row for row in tree.supplies.get(plan["id"], [])}
    targets = {k: to for k, to in targets.items() if k in loads and (to is None or to in supplies)}
    core = to_core_plan(read_document(tree), plan["key"])
    by_key = {load.key: load for load in core.loads}
    going = {k: to for k, to in targets.items() if by_key[k].supply_key != to}
    # Put in place one after the other in the core, judged once as a whole.
    after = core
    for key, to in going.items():
        after = with_moves(after, {key: by_key[key].quantity}, to)
    _refuse_broken(after, going, {k: s["name"] for k, s in supplies.items()})
    moved = {load.key: load for load in after.loads}
    wanted = [
        (loads[k]["id"], loads[k]["version"], {"supply_id": supplies[to]["id"] if to else None, **_cable(moved[k])})
        for k, to in going.items()
    ]
    edit_many(connection, actor, "load", wanted)
    touched = {loads[k]["supply_id"] for k in going} | {supplies[to]["id"] for to in going.values() if to}
    _let_go_of_totals(connection, actor, tree, plan, touched)
    return len(wanted)


def pin(connection: Connection, actor: Actor, held: list[Held], *, pinned: bool) -> list[LoadRow]:
    """Pin loads to where they are, or let them go again."""
    return edit_many(connection, actor, "load", [(h.load_id, h.version, {"pinned": pinned}) for h in held])


def _refuse_broken(after: Plan, going: dict[str, str | None], names: dict[str, str]) -> None:
    """Refuse moves after which a moved load breaks a rule where it then hangs."""
    there = {load.key: load for load in after.loads}
    for key, to in going.items():
        load = there[key]
        if load.pinned:
            raise Refused([Fault("", f"{load.name} is pinned to where it is: unpin it first.")])
        if to is None:
            continue
        # Seen as coming alone from nowhere into the plan as it then is.
        probe = replace(after, loads=tuple(replace(entry, supply_key=None) if entry.key == key else entry for entry in after.loads))
        reason = why_not(probe, {key: load.quantity}, to)
        if reason:
            raise Refused([Fault("", f"{load.name} may not hang on {names[to]}: {reason} Nothing was moved.")])


def _rows(tree: SiteTree, plan: PlanRow, held: list[Held]) -> list[LoadRow]:
    """Return the rows of what is held."""
    loads = {row["id"]: row for row in tree.loads.get(plan["id"], [])}
    if not held:
        raise Refused([Fault("piece", "names nothing: pick a piece up first.")])
    rows: list[LoadRow] = []
    for h in held:
        row = loads.get(h.load_id)
        if row is None:
            raise NotFound
        rows.append(row)
    return rows


def _refuse_counts(rows: list[LoadRow], held: list[Held]) -> None:
    for row, h in zip(rows, held, strict=True):
        if not 1 <= h.quantity <= row["quantity"]:
            raise Refused([Fault("quantity", f"must be from 1 to {row['quantity']}, the pieces of {row['name']}, was {h.quantity}.")])


def _cable(load: Load) -> Row:
    return {
        "cable_length_m": load.cable.length_m if load.cable else None,
        "cable_section_mm2": load.cable.section_mm2 if load.cable else None,
    }


def _let_go_of_totals(connection: Connection, actor: Actor, tree: SiteTree, plan: PlanRow, supply_ids: set[int | None]) -> list[Row]:
    stale = [s for s in tree.supplies.get(plan["id"], []) if s["id"] in supply_ids and s["totals"]]
    return edit_many(connection, actor, "supply", [(s["id"], s["version"], {"totals": []}) for s in stale])


def _names(rows: list[LoadRow]) -> str:
    return rows[0]["name"] if len(rows) == 1 else f"{rows[0]['name']} and {len(rows) - 1} more"
