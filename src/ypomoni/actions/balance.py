"""The balance board: what each supply answers to a load picked up, and the move itself. Called by the web stage."""

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import create_many, edit_many, find, read_document, read_tree, taken_keys
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.outage import core_plan
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.balancing import Offer, offers_for, why_not
from ypomoni.core.optimiser import Proposal, fewest_moves
from ypomoni.documents.faults import Fault
from ypomoni.storage.connection import Connection, Row

_OWN = frozenset({"id", "organisation_id", "version", "removed_at"})


def offers(connection: Connection, actor: Actor, load_id: int, quantity: int) -> tuple[Row, list[Row], tuple[Offer, ...]]:
    """Return a load, the supplies of its plan, and what each would be with so many pieces of it."""
    load = find(connection, actor, "load", load_id)
    _refuse_count(load, quantity)
    plan = find(connection, actor, "plan", load["plan_id"])
    tree = read_tree(connection, actor, plan["site_id"])
    supplies = tree.supplies.get(plan["id"], [])
    return load, supplies, offers_for(core_plan(read_document(tree), plan["key"]), load["key"], quantity)


def move(connection: Connection, actor: Actor, load_id: int, version: int, quantity: int, supply_id: int | None) -> Row:
    """Hang so many pieces of a load on another supply, or on none; fewer than all become a load of their own. Returns the load that moved.

    Raises
    ------
    Refused
        If the load may not hang there: bus, rail, limit, cable, company.
    StaleEdit
        If somebody changed the load meanwhile.
    """
    load = find(connection, actor, "load", load_id)
    _refuse_count(load, quantity)
    plan = find(connection, actor, "plan", load["plan_id"])
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    if supply_id is not None:
        supply = next((s for s in tree.supplies.get(plan["id"], []) if s["id"] == supply_id), None)
        if supply is None:
            raise NotFound
        reason = why_not(core_plan(read_document(tree), plan["key"]), load["key"], quantity, supply["key"])
        if reason:
            raise Refused([Fault("", f"{load['name']} may not hang on {supply['name']}: {reason}")])
    if quantity == load["quantity"]:
        edit_many(connection, actor, "load", [(load_id, version, {"supply_id": supply_id})])
        return find(connection, actor, "load", load_id)
    edit_many(connection, actor, "load", [(load_id, version, {"quantity": load["quantity"] - quantity})])
    part = {k: v for k, v in load.items() if k not in _OWN} | {"key": None, "quantity": quantity, "supply_id": supply_id}
    return create_many(connection, actor, "load", [part], taken_keys(tree, "load", plan["id"]))[0]


def propose(connection: Connection, actor: Actor, plan_id: int) -> tuple[Row, SiteTree, Proposal]:
    """Return a plan, its site, and the fewest moves after which every supply of it holds."""
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"])
    return plan, tree, fewest_moves(core_plan(read_document(tree), plan["key"]))


def follow_proposal(connection: Connection, actor: Actor, plan_id: int) -> int:
    """Make every move of the proposal as it is now, in one step that can be undone, and return how many they were."""
    plan, tree, found = propose(connection, actor, plan_id)
    loads = {row["key"]: row for row in tree.loads.get(plan["id"], [])}
    supplies = {row["key"]: row["id"] for row in tree.supplies.get(plan["id"], [])}
    wanted = [(loads[m.load_key]["id"], loads[m.load_key]["version"], {"supply_id": supplies[m.to_key]}) for m in found.moves]
    return len(edit_many(connection, actor, "load", wanted)) if wanted else 0


def _refuse_count(load: Row, quantity: int) -> None:
    if not 1 <= quantity <= load["quantity"]:
        raise Refused([Fault("quantity", f"must be from 1 to {load['quantity']}, the pieces of {load['name']}, was {quantity}.")])
