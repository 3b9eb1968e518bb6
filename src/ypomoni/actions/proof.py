"""Proof: the work from the plan as found to a proposal, what became of each step, and the plan as left that comes of it."""

from dataclasses import dataclass
from datetime import UTC, datetime

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import change_together, find, read_document, read_tree
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.evaluate import evaluate
from ypomoni.actions.plans import clone_plan
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.proof.work_list import WorkKind, WorkStep, work_list
from ypomoni.core.things.supplies import Stage
from ypomoni.documents.faults import Fault
from ypomoni.documents.into_core import to_core_plan
from ypomoni.records.bank import BankRow
from ypomoni.records.field import Row, fields_of
from ypomoni.records.site import PlanRow
from ypomoni.storage.connection import Connection
from ypomoni.storage.proof import list_ticks, select_made_from, set_made_from, upsert_tick

STATES = ("done", "not_done", "open")
LONGEST_NOTE = 500


@dataclass(frozen=True, slots=True, kw_only=True)
class Tick:
    """What became of a step, by whom and when."""

    state: str = "open"
    note: str = ""
    by: str = ""
    at: datetime | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """The work list of a plan: from which plan it starts, its steps, and what became of each."""

    base: PlanRow
    steps: tuple[WorkStep, ...]
    ticks: dict[str, Tick]

    def tick_of(self, step: WorkStep) -> Tick:
        """Return what became of a step."""
        return self.ticks.get(step.key, Tick())

    @property
    def open_count(self) -> int:
        """Steps of which nobody said yet what became of them."""
        return sum(self.tick_of(s).state == "open" for s in self.steps)

    @property
    def not_done(self) -> tuple[WorkStep, ...]:
        """Steps that could not be done."""
        return tuple(s for s in self.steps if self.tick_of(s).state == "not_done")


def work_of(connection: Connection, actor: Actor, tree: SiteTree, plan: PlanRow) -> Work | None:
    """Return the work list of a proposal; None for other plans, and where there is nothing it starts from."""
    base = base_of(tree, plan)
    if base is None or plan["stage"] != Stage.PROPOSAL.value:
        return None
    site_file = read_document(tree)
    before, after = (to_core_plan(site_file, p["key"]) for p in (base, plan))
    steps = work_list(before, after, evaluate(connection, actor.organisation_id, [(site_file, plan["key"])])[0])
    ticks = {
        key: Tick(state=row["state"], note=row["note"], by=row["ticked_by"], at=row["ticked_at"])
        for key, row in list_ticks(connection, actor.organisation_id, plan["id"]).items()
    }
    return Work(base=base, steps=steps, ticks=ticks)


def work_behind(connection: Connection, actor: Actor, tree: SiteTree, plan: PlanRow) -> Work | None:
    """Return the work that a plan asks for, or that a plan as left comes from; None where there is none."""
    if plan["stage"] == Stage.AS_LEFT.value:
        from_id = select_made_from(connection, actor.organisation_id, plan["id"])
        plan = next((p for p in tree.plans if p["id"] == from_id), plan)
    return work_of(connection, actor, tree, plan)


def base_of(tree: SiteTree, plan: PlanRow) -> PlanRow | None:
    """Return the plan as found that the work starts from: the latest one; None where there is none but this."""
    found = [p for p in tree.plans if p["stage"] == Stage.AS_FOUND.value and p["id"] != plan["id"]]
    return found[-1] if found else None


def tick_step(connection: Connection, actor: Actor, plan_id: int, key: str, state: str, note: str, at: datetime) -> None:
    """Say what became of a step. What could not be done says why.

    Raises
    ------
    NotFound
        If the plan has no such step.
    Refused
        If it could not be done and nobody says why.
    """
    plan = find(connection, actor, "plan", plan_id)
    work = work_of(connection, actor, read_tree(connection, actor, plan["site_id"]), plan)
    if work is None or state not in STATES or all(s.key != key for s in work.steps):
        raise NotFound
    note = note.strip()[:LONGEST_NOTE]
    if state == "not_done" and not note:
        raise Refused([Fault("note", "must not be empty: say why it could not be done, it becomes a difference.")])
    values = {
        "organisation_id": actor.organisation_id,
        "plan_id": plan_id,
        "step_key": key,
        "state": state,
        "note": note,
        "ticked_by": actor.name,
        # A phone's clock may be ahead; what was ticked later counts.
        "ticked_at": min(at, datetime.now(UTC)),
    }
    upsert_tick(connection, values)


def make_as_left(connection: Connection, actor: Actor, plan_id: int) -> Row:
    """Make the plan *as left* of a work list: the proposal, with what could not be done as it was found.

    Raises
    ------
    Refused
        If a step is still open, or nothing was to be done.
    """
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    work = work_of(connection, actor, tree, plan)
    if work is None or not work.steps:
        raise Refused([Fault("", "This plan is not different from the one as found, so there is nothing that was done.")])
    if work.open_count:
        verb = "is" if work.open_count == 1 else "are"
        raise Refused(
            [Fault("", f"{work.open_count} of {len(work.steps)} steps {verb} open: say of each whether it was done, or why not.")]
        )
    made = clone_plan(connection, actor, plan_id, Stage.AS_LEFT)
    set_made_from(connection, actor.organisation_id, made["id"], plan_id)
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    wanted: list[tuple[str, Row, Row]] = []
    for step in work.not_done:
        if step.changes:
            wanted += _taken_back(tree, work.base, made, step)
    if wanted:
        change_together(connection, actor, wanted)
    return made


def _taken_back(tree: SiteTree, base: PlanRow, made: Row, step: WorkStep) -> list[tuple[str, Row, Row]]:
    """Return the changes that leave what a step was to change as it was found. What was to be added or taken out is left to whoever looks."""
    old_supplies = {s["key"]: s for s in tree.supplies.get(base["id"], [])}
    new_supplies = {s["key"]: s for s in tree.supplies.get(made["id"], [])}
    if step.kind is WorkKind.BANK and step.supply_key in old_supplies and step.supply_key in new_supplies:
        old, new = old_supplies[step.supply_key], new_supplies[step.supply_key]
        return [("supply", dict(new), {f.column: dict(old)[f.column] for f in fields_of(BankRow)})]
    if step.kind is WorkKind.CHARGER and step.supply_key in old_supplies and step.supply_key in new_supplies:
        old, new = old_supplies[step.supply_key], new_supplies[step.supply_key]
        return [("supply", dict(new), {c: old[c] for c in ("charge_v", "charge_limit_a")})]
    found: list[tuple[str, Row, Row]] = []
    if step.kind in (WorkKind.MOVE, WorkKind.LOAD):
        old_loads = {load["key"]: load for load in tree.loads.get(base["id"], [])}
        keys = {s["id"]: s["key"] for s in old_supplies.values()}
        for load in tree.loads.get(made["id"], []):
            old = old_loads.get(load["key"])
            if load["key"] not in step.load_keys or old is None:
                continue
            # Every plan has rows of its own: the supply it hung on is found again by its key.
            home = new_supplies.get(keys.get(old["supply_id"] or 0, ""))
            found.append(
                (
                    "load",
                    dict(load),
                    {"supply_id": home["id"] if home else None, "selector_key": old["selector_key"], "quantity": old["quantity"]},
                )
            )
    return found
