"""The audit of a plan: measuring points made from the register, readings stored and taken into it, and what they say together.

Readings are only ever appended. What is taken into the register is an edit like any other, and can be undone.
"""

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

import psycopg
from pydantic import TypeAdapter, ValidationError

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import (
    FreshKeys,
    check_whole,
    create,
    create_many,
    create_unchecked,
    edit,
    find,
    read_document,
    read_tree,
    taken_keys,
)
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.evaluate import ENGINE_VERSION, digests_of
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.measuring.next_reading import Suggestion, suggest_readings
from ypomoni.core.measuring.reconciliation import NodeState, Tree, reconcile_plan
from ypomoni.core.measuring.slips import Question, find_slips
from ypomoni.core.outage.case import read_draw
from ypomoni.core.outage.demand import LoadCurrents
from ypomoni.core.things.loads import Behaviour
from ypomoni.core.things.readings import (
    DEFAULT_INSTRUMENT,
    Hookup,
    Instrument,
    Mains,
    MeasuringPoint,
    PointKind,
    PositiveMeans,
    Reading,
    State,
    why_not_load,
)
from ypomoni.core.things.supplies import Plan
from ypomoni.documents.faults import Fault, fault_of
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.site_file import SiteFile
from ypomoni.documents.site_model import ReadingPart
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.records.supply import SupplyRow, rail_v_on
from ypomoni.storage.changes import insert_change
from ypomoni.storage.connection import Connection
from ypomoni.storage.readings import count_readings, insert_reading, insert_settled, select_reading, select_reading_by_token
from ypomoni.storage.results import insert_results, select_results

_SUGGESTIONS = TypeAdapter(tuple[Suggestion, ...])
TAKEN_STATES = (State.STANDBY, State.ALARM)


@dataclass(frozen=True, slots=True, kw_only=True)
class AuditResult:
    """A plan as the core sees it, and every point in each state by (point key, state)."""

    plan: Plan
    nodes: dict[tuple[str, State], NodeState]

    def tree(self, supply_key: str) -> Tree:
        """Return the measuring points of a supply."""
        return tree_of(self.plan, supply_key)


def audit_plan(site_file: SiteFile, plan_key: str) -> AuditResult:
    """Return how the readings of a plan add up."""
    plan = to_core_plan(site_file, plan_key)
    return AuditResult(plan=plan, nodes={(n.point_key, n.state): n for n in reconcile_plan(plan)})


def tree_of(plan: Plan, supply_key: str) -> Tree:
    """Return the measuring points of one supply of a plan with what was read there."""
    supply = next(s for s in plan.supplies if s.key == supply_key)
    points = [p for p in plan.points if p.supply_key == supply_key]
    return Tree(supply, plan.loads_on(supply_key), points, plan.readings, plan.instruments)


def next_readings(connection: Connection, organisation_id: int, site_file: SiteFile, plan: Plan, supply_key: str) -> tuple[Suggestion, ...]:
    """Return the readings that would narrow the band of a supply, best first; computed once for what they depend on."""
    part = next(p for p in site_file.plans if p.key == plan.key)
    n = next(n for n, s in enumerate(part.supplies) if s.key == supply_key)
    digest = f"next-{digests_of(site_file, part)[n]}"
    stored = select_results(connection, organisation_id, ENGINE_VERSION, [digest])
    if digest in stored:
        return _SUGGESTIONS.validate_json(stored[digest])
    found = suggest_readings(tree_of(plan, supply_key), plan.instruments)
    insert_results(connection, organisation_id, ENGINE_VERSION, {digest: _SUGGESTIONS.dump_json(found).decode()})
    return found


# -- points ----------------------------------------------------------------------------------------------------------------------------


def make_points(connection: Connection, actor: Actor, plan_id: int) -> int:
    """Make the points that are missing, from the register: battery, output, a branch for each name, a device for each load."""
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    making = _Making(connection, actor, tree, plan_id)
    supplies = tree.supplies.get(plan_id, [])
    by_id = {s["id"]: s for s in supplies}
    # A load whose supply was removed waits with it.
    fed = [(load, by_id[load["supply_id"]]) for load in tree.loads.get(plan_id, []) if load["supply_id"] in by_id]
    for s in supplies:
        making.want("battery", s, f"{s['name']} battery lead", f"{s['key']}-battery")
    making.make()
    for s in supplies:
        making.want("output", s, f"{s['name']} output", f"{s['key']}-output", parent_id=making.found["battery", s["id"], None])
    making.make()
    for load, s in fed:
        if load["branch"]:
            making.want("branch", s, load["branch"], f"{s['key']}-{load['branch']}", parent_id=making.found["output", s["id"], None])
    making.make()
    for load, s in fed:
        parent = ("branch", s["id"], load["branch"]) if load["branch"] else ("output", s["id"], None)
        making.want("device", s, load["name"], load["key"], parent_id=making.found[parent], load_id=load["id"])
    making.make()
    if making.last is not None:
        check_whole(connection, actor, "point", making.last)
    return making.made_count


class _Making:
    """Points of a plan that are there, and those that are made, a level of the tree at a time: each level in one go."""

    def __init__(self, connection: Connection, actor: Actor, tree: SiteTree, plan_id: int) -> None:
        self.connection, self.actor, self.plan_id = connection, actor, plan_id
        self.keys = taken_keys(tree, "point", plan_id)
        self.made_count = 0
        self.last: Row | None = None
        # By kind, supply, and the branch's name or the device's load.
        self.found: dict[tuple[str, int, Any], int] = {}
        self._wanted: dict[tuple[str, int, Any], Row] = {}
        for point in tree.placed_points(plan_id):
            self.found.setdefault(
                (point["kind"], point["supply_id"], self._of(point["kind"], point["name"], point["load_id"])), point["id"]
            )

    @staticmethod
    def _of(kind: str, name: str, load_id: int | None) -> Any:
        return {"branch": name, "device": load_id}.get(kind)

    def want(self, kind: str, supply: SupplyRow, name: str, key: str, *, parent_id: int | None = None, load_id: int | None = None) -> None:
        """Note a point that is to be made unless it is there."""
        at = (kind, supply["id"], self._of(kind, name, load_id))
        if at not in self.found and at not in self._wanted:
            values = {"plan_id": self.plan_id, "key": key, "name": name, "kind": kind}
            self._wanted[at] = {**values, "supply_id": supply["id"], "parent_id": parent_id, "load_id": load_id}

    def make(self) -> None:
        """Make what was noted, under keys of their own."""
        keys = FreshKeys(self.keys)
        entries = [{**row, "key": keys.of(row["key"])} for row in self._wanted.values()]
        for at, row in zip(self._wanted, create_unchecked(self.connection, self.actor, "point", entries), strict=True):
            self.found[at], self.last = row["id"], row
            self.keys.add(row["key"])
        self.made_count += len(entries)
        self._wanted.clear()


# -- readings --------------------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Stored:
    """What became of a reading that was sent: its key where it is stored, and the questions it gave rise to."""

    key: str | None
    questions: tuple[Question, ...]
    was_there: bool = False


def store_reading(
    connection: Connection,
    actor: Actor,
    plan_id: int,
    entry: Row,
    *,
    token: str,
    sure: bool = False,
    queued: bool = False,
    was_va: bool = False,
) -> Stored:
    """Append a reading, once for its token.

    Parameters
    ----------
    entry
        ``point_id``, ``state``, ``value_a`` and whatever else of a reading is known.
    sure
        The questions were answered: it is right as it stands.
    queued
        It was typed without connection: it is stored at once, and its questions stay open beside it.

    Raises
    ------
    NotFound
        If there is no such plan or point.
    Refused
        If it cannot be a reading.
    """
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    # Asked once the site is locked: whoever sent it at the same moment has committed by now.
    known = select_reading_by_token(connection, actor.organisation_id, token)
    if known is not None:
        return Stored(key=known["key"], questions=(), was_there=True)
    point = next((p for p in tree.placed_points(plan_id) if p["id"] == entry["point_id"]), None)
    if point is None:
        raise NotFound
    questions = _questions(tree, plan, point, entry, was_va=was_va)
    if questions and not sure and not queued:
        return Stored(key=None, questions=questions)
    # The site is locked, so nobody else numbers a reading of it meanwhile.
    key = f"r-{count_readings(connection, actor.organisation_id, plan_id) + 1}"
    values = {
        **_BLANK,
        **entry,
        "key": key,
        "organisation_id": actor.organisation_id,
        "plan_id": plan_id,
        "token": token,
        "account_id": actor.account_id,
        "taken_at": entry.get("taken_at") or datetime.now(UTC),
        "open_questions": [] if sure else [_say(q) for q in questions],
    }
    _refuse_impossible(tree, plan_id, values, point)
    try:
        with connection.transaction():
            reading_id = insert_reading(connection, values)
    except psycopg.errors.UniqueViolation as error:
        if error.diag.constraint_name == "reading_superseded_once":
            raise Refused([Fault("supersedes", "was superseded already: supersede the newer one.")]) from error
        raise
    insert_change(
        connection,
        organisation_id=actor.organisation_id,
        account_id=actor.account_id,
        verb="record",
        aggregate="reading",
        aggregate_id=reading_id,
        site_id=tree.site["id"],
        before=None,
        after={k: v.isoformat() if isinstance(v, datetime) else v for k, v in values.items()},
        batch=actor.batch,
    )
    return Stored(key=key, questions=questions)


_BLANK: Row = {
    "state_note": "",
    "mains": None,
    "min_a": None,
    "max_a": None,
    "as_written": "",
    "positive_means": "discharge",
    "battery_v": None,
    "instrument_id": None,
    "hookup": "series",
    "temperature_degc": None,
    "taken_by": "",
    "remark": "",
    "supersedes_id": None,
    "reason": "",
}


def _say(question: Question) -> str:
    return f"{question.text} {question.instead}".strip()


def _refuse_impossible(tree: SiteTree, plan_id: int, values: Row, point: Row) -> None:
    """Refuse what the site file would refuse, and what refers to another plan."""
    replaced = next((r for r in tree.readings.get(plan_id, []) if r["id"] == values["supersedes_id"]), None)
    if values["supersedes_id"] is not None and replaced is None:
        raise Refused([Fault("supersedes", "is no reading of this plan.")])
    meter = next((i for i in tree.instruments if i["id"] == values["instrument_id"]), None)
    if values["instrument_id"] is not None and meter is None:
        raise Refused([Fault("instrument", "is not one of yours.")])
    part: dict[str, Any] = {k: v for k, v in values.items() if k in ReadingPart.model_fields}
    part |= {"point": point["key"], "taken_at": values["taken_at"].isoformat(), "supersedes": replaced["key"] if replaced else None}
    try:
        ReadingPart.model_validate(part)
    except ValidationError as error:
        raise Refused([fault_of(e, list(ReadingPart.model_fields)) for e in error.errors(include_url=False)]) from error


def _questions(tree: SiteTree, plan: Row, point: Row, entry: Row, *, was_va: bool) -> tuple[Question, ...]:
    site_file = read_document(tree)
    core = to_core_plan(site_file, plan["key"])
    here = next(p for p in core.points if p.key == point["key"])
    row = {**_BLANK, **entry}
    meter = next((i["key"] for i in tree.instruments if i["id"] == row["instrument_id"]), None)
    instrument = next((i for i in core.instruments if i.key == meter), DEFAULT_INSTRUMENT)
    reading = Reading(
        key="",
        point_key=here.key,
        state=State(row["state"]),
        mains=Mains(row["mains"]) if row["mains"] else None,
        value_a=row["value_a"],
        min_a=row["min_a"],
        max_a=row["max_a"],
        positive_means=PositiveMeans(row["positive_means"]),
        battery_v=row["battery_v"],
        instrument_key=meter,
        hookup=Hookup.POWER_METER if instrument.hookup is Hookup.POWER_METER else Hookup(row["hookup"]),
    )
    replaced = next((r["key"] for r in tree.readings.get(plan["id"], []) if r["id"] == row["supersedes_id"]), None)
    others = replace(core, readings=tuple(r for r in core.readings if r.key != replaced))
    return find_slips(tree_of(others, here.supply_key), here, reading, instrument, was_va=was_va)


def place_of_reading(connection: Connection, actor: Actor, reading_id: int) -> Row | None:
    """Return the plan, point and key of a reading, or None."""
    return select_reading(connection, actor.organisation_id, reading_id)


def settle_reading(connection: Connection, actor: Actor, reading_id: int) -> Row:
    """Answer the open questions of a reading: it is right as it stands."""
    reading = select_reading(connection, actor.organisation_id, reading_id)
    if reading is None:
        raise NotFound
    insert_settled(connection, actor.organisation_id, reading_id, actor.account_id)
    return reading


# -- into the register -----------------------------------------------------------------------------------------------------------------


def take_reading(connection: Connection, actor: Actor, reading_id: int) -> tuple[PlanRow, str]:
    """Take a reading into the register and return its plan and what was done: measured beats data sheet beats label beats guess.

    A device's reading becomes its load's current; any other a total that moves the loads behind it and narrows what is not known of them.
    """
    found = select_reading(connection, actor.organisation_id, reading_id)
    if found is None:
        raise NotFound
    plan = find(connection, actor, "plan", found["plan_id"])
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    result = audit_plan(read_document(tree), plan["key"])
    reading = next((r for r in result.plan.readings if r.key == found["key"]), None)
    point = next((p for p in result.plan.points if reading and p.key == reading.point_key), None)
    if reading is None or point is None:
        raise NotFound
    reason = why_not_load(reading, point)
    if reason is None and reading.state not in TAKEN_STATES:
        reason = "Only standby and alarm are currents of the register."
    if reason:
        raise Refused([Fault("", f"It is not taken into the register. {reason}")])
    core_tree = result.tree(point.supply_key)
    if point.kind is PointKind.DEVICE:
        return plan, _take_of_device(connection, actor, tree, plan, core_tree, point, reading)
    return plan, _take_of_total(connection, actor, tree, plan, core_tree, point, reading, result.nodes[(point.key, reading.state)])


def _take_of_device(
    connection: Connection, actor: Actor, tree: SiteTree, plan: Row, core_tree: Tree, point: MeasuringPoint, reading: Reading
) -> str:
    currents = core_tree.currents.get(point.load_key or "")
    if currents is None:
        raise Refused([Fault("", "The load hangs on AC, and what hangs on AC is not computed yet. It stays as it was entered.")])
    at_v = core_tree.volts(reading)
    current_a, per_amp_a = rail_current(currents, reading, at_v)
    if current_a < 0:
        raise Refused([Fault("", "It is less than the bursts and thermostats of this load take already: look at those first.")])
    load = next(row for row in tree.loads[plan["id"]] if row["key"] == point.load_key)
    name = reading.state.value
    limit_a = reading.limit_a(core_tree.instrument_of(reading)) / per_amp_a
    columns = {
        f"{name}_current_a": current_a,
        f"{name}_provenance": "measured",
        f"{name}_uncertainty_a": max(limit_a, 1e-9),
        f"{name}_reading": reading.key,
        f"{name}_text": None,
    }
    edit(connection, actor, "load", load["id"], load["version"], columns)
    return f"{load['name']}, {name}: measured, in the register."


def rail_current(currents: LoadCurrents, reading: Reading, at_v: float) -> tuple[float, float]:
    """Return the current of one piece on its rail that makes a load's reading, and the reading's amperes per ampere of it."""
    in_alarm = reading.state is State.ALARM

    def seen(own_a: float) -> float:
        moved = replace(currents, alarm_current_a=own_a) if in_alarm else replace(currents, standby_current_a=own_a)
        return read_draw(moved, in_alarm=in_alarm).at_nominal_a(at_v)

    # What is seen is linear in the rest current but for bursts in alarm, which count only where they are larger; there the rest is small.
    base_a, per_amp_a = seen(0.0), currents.load.draw_per_amp.at_nominal_a(at_v) * currents.load.quantity
    slope_a = (seen(1e-6) - base_a) / 1e-6 or per_amp_a
    return (reading.drawn_a - base_a) / slope_a, slope_a


def _take_of_total(
    connection: Connection,
    actor: Actor,
    tree: SiteTree,
    plan: Row,
    core_tree: Tree,
    point: MeasuringPoint,
    reading: Reading,
    node: NodeState,
) -> str:
    if node.agrees is False:
        raise Refused([Fault("", "Sum and reading do not agree yet: find the cause, or register what is missing, and take it then.")])
    supply = next(s for s in tree.supplies[plan["id"]] if s["key"] == point.supply_key)
    total = {
        "point": point.key,
        "state": reading.state.value,
        "current_a": reading.drawn_a,
        "uncertainty_a": max(reading.limit_a(core_tree.instrument_of(reading)), 1e-9),
        "at_v": core_tree.volts(reading),
        "reading": reading.key,
    }
    others = [t for t in supply["totals"] if (t["point"], t["state"]) != (point.key, reading.state.value)]
    edit(connection, actor, "supply", supply["id"], supply["version"], {"totals": [*others, total]})
    return f"{point.name}, {reading.state.value}: taken as the total of what is behind it."


def release_reading(connection: Connection, actor: Actor, reading_id: int) -> tuple[PlanRow, str]:
    """Take a total that a reading gave out of the register and return its plan and what was done; the reading itself stays."""
    found = select_reading(connection, actor.organisation_id, reading_id)
    if found is None:
        raise NotFound
    plan = find(connection, actor, "plan", found["plan_id"])
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    for supply in tree.supplies.get(plan["id"], []):
        kept = [t for t in supply["totals"] if t.get("reading") != found["key"]]
        if len(kept) < len(supply["totals"]):
            edit(connection, actor, "supply", supply["id"], supply["version"], {"totals": kept})
            return plan, f"The total is out of the register; {supply['name']} is as its loads say."
    raise Refused([Fault("", "No total of the register comes from this reading: a load's own figure is changed in the register.")])


def register_difference(connection: Connection, actor: Actor, plan_id: int, point_key: str, state: str) -> Row:
    """Add what a point draws more than its sum as a load of its own, an estimate to be looked for, and return it."""
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    result = audit_plan(read_document(tree), plan["key"])
    node = result.nodes.get((point_key, State(state)))
    point = next((p for p in result.plan.points if p.key == point_key), None)
    if node is None or point is None or point.kind is PointKind.DEVICE or not node.residual_a or node.agrees or node.residual_a <= 0:
        raise Refused([Fault("", "There is nothing here that is missing in the register.")])
    supply = next(s for s in tree.supplies[plan_id] if s["key"] == point.supply_key)
    standby_a = node.residual_a if node.state is State.STANDBY else 0.0
    load = create(
        connection,
        actor,
        "load",
        {
            "plan_id": plan_id,
            "supply_id": supply["id"],
            "name": f"Not found yet, behind {point.name}",
            "quantity": 1,
            "rail_v": rail_v_on(supply),
            "behaviour": Behaviour.CONSTANT_CURRENT.value,
            "essential": False,
            "standby_current_a": standby_a,
            "standby_provenance": "estimate",
            "alarm_current_a": None if node.state is State.STANDBY else node.residual_a,
            "alarm_provenance": None if node.state is State.STANDBY else "estimate",
            "branch": point.name if point.kind is PointKind.BRANCH else None,
        },
        taken_keys(tree, "load", plan_id),
    )
    if point.kind is PointKind.BRANCH:
        parent = next(p for p in tree.points[plan_id] if p["key"] == point_key)
        values = {"plan_id": plan_id, "key": None, "name": load["name"], "kind": "device"}
        owners = {"supply_id": supply["id"], "parent_id": parent["id"], "load_id": load["id"]}
        create_many(connection, actor, "point", [{**values, **owners}], taken_keys(tree, "point", plan_id))
    return load


def instrument_for(plan: Plan) -> Instrument:
    """Return the instrument to suggest where none was chosen yet: the organisation's first, or a common one."""
    return plan.instruments[0] if plan.instruments else DEFAULT_INSTRUMENT
