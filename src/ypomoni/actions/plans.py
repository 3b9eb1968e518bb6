"""Plans of a site: one is cloned into a proposal, or into what was left."""

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import check_whole, find, fresh_key, read_document, read_tree, taken_keys
from ypomoni.actions.import_site import PlanOwners, add_plan
from ypomoni.core.things.supplies import Stage
from ypomoni.records.field import Row
from ypomoni.storage.changes import insert_change
from ypomoni.storage.connection import Connection
from ypomoni.storage.supplies import keep_benches_of

NAMES = {Stage.PROPOSAL: "Proposal", Stage.AS_LEFT: "As left", Stage.AS_FOUND: "As found"}


def clone_plan(connection: Connection, actor: Actor, plan_id: int, stage: Stage = Stage.PROPOSAL) -> Row:
    """Return a new plan with the supplies and loads of another in it, under the same keys; the other stays as it is.

    What was read stays with the plan it was read in: once something is moved, a total says nothing of the new sum. The currents that readings
    gave to loads go along, with their uncertainty.
    """
    row = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, row["site_id"], lock=True)
    document = read_document(tree).model_dump(mode="json")
    part = next(p for p in document["plans"] if p["key"] == row["key"])
    name = _fresh_name(NAMES[stage], {p["name"] for p in tree.plans})
    key = fresh_key(name, taken_keys(tree, "plan"))
    owners = PlanOwners(
        requirement_ids={r["key"]: r["id"] for r in tree.requirements},
        place_ids={None: None, **{p["key"]: p["id"] for p in tree.places}},
        instrument_ids={None: None, **{i["key"]: i["id"] for i in tree.instruments}},
    )
    supplies = [{**s, "totals": []} for s in part["supplies"]]
    unread = {**part, "supplies": supplies, "points": [], "readings": []}
    plan = add_plan(connection, actor, row["site_id"], {**unread, "key": key, "name": name, "stage": stage.value}, owners)
    keep_benches_of(connection, actor.organisation_id, plan["id"], plan_id)
    check_whole(connection, actor, "plan", plan)
    insert_change(
        connection,
        organisation_id=actor.organisation_id,
        account_id=actor.account_id,
        verb="create",
        aggregate="plan",
        aggregate_id=plan["id"],
        site_id=row["site_id"],
        before=None,
        after=plan,
        batch=actor.batch,
    )
    return plan


def _fresh_name(word: str, taken: set[str]) -> str:
    n = 1
    name = word
    while name in taken:
        n += 1
        name = f"{word} {n}"
    return name
