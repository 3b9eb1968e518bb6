"""The stage Power: a way to feed loads made a plan, the timed runs of a UPS, the selectors of a plan."""

from dataclasses import asdict, dataclass, fields
from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.discharge_tests import without_tests_of
from ypomoni.actions.edit import (
    change_together,
    create,
    edit,
    edit_shared,
    find,
    fresh_key,
    read_document,
    read_tree,
    refuse_stale,
    shared_keys,
)
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.new_bank import new_bank_columns, size_columns
from ypomoni.actions.plans import clone_plan
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.evaluation.ways import CONVERTER_RATIO, Way, WayKind, ways_of
from ypomoni.core.measuring.supply_bench import SupplyBench
from ypomoni.core.things.outputs import AcOutput, DcOutput, TimedRun
from ypomoni.core.things.supply_kinds import SupplyKind
from ypomoni.documents.faults import Fault
from ypomoni.documents.into_core import to_core_plan
from ypomoni.records.field import Row
from ypomoni.records.load import LoadRow
from ypomoni.records.site import PlanRow
from ypomoni.records.supply import SupplyRow
from ypomoni.storage.connection import Connection
from ypomoni.storage.supplies import select_going_by_bench


def plan_way(connection: Connection, actor: Actor, plan_id: int, supply_key: str, kind: str) -> tuple[Row, Way]:
    """Make a proposal of a plan in which a supply's loads are fed another way; the plan itself stays as it is.

    Raises
    ------
    NotFound
        If there is no such supply or way.
    Refused
        If the way cannot feed every load, or the plan would not be whole.
    """
    row = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, row["site_id"], lock=True)
    core = to_core_plan(read_document(tree), row["key"])
    supply = next((s for s in core.supplies if s.key == supply_key), None)
    if supply is None or kind not in [k.value for k in WayKind]:
        raise NotFound
    way = next((w for w in ways_of(supply, core.loads_on(supply_key)) if w.kind.value == kind), None)
    if way is None:
        raise NotFound
    if not way.may_be_planned:
        why = f"This way cannot feed everything: {'. '.join(way.cannot)}." if way.cannot else f"This way would not do: {way.severe}"
        raise Refused([Fault("", why if way.cannot or way.severe else "This is the way that is there.")])
    made = clone_plan(connection, actor, plan_id)
    tree = read_tree(connection, actor, row["site_id"], lock=True)
    there = next(s for s in tree.supplies.get(made["id"], []) if s["key"] == supply_key)
    loads = {e["key"]: e for e in tree.loads.get(made["id"], [])}
    # A supply and its loads suit each other only once both are changed.
    wanted: list[tuple[str, Row, Row]] = [("supply", dict(there), _columns_of(way))]
    wanted += [("load", dict(loads[e.key]), _load_columns(dict(loads[e.key]), e)) for e in way.loads if e.key in loads]
    if way.kind in (WayKind.UPS_FITTED, WayKind.DC_FITTED):
        wanted.append(without_tests_of(dict(made), supply_key))
    change_together(connection, actor, wanted)
    return made, way


def _columns_of(way: Way) -> Row:
    """Return the columns of a supply that a way changes."""
    supply, bank = way.supply, way.supply.bank
    found: Row = {
        "kind": supply.kind.value,
        "supply_current_a": supply.supply_current_a,
        "output_limit_a": supply.output_limit_a,
        "timed_runs": [],
        **_output_columns("ac", supply.ac),
        **_output_columns("dc", supply.dc),
    }
    if way.kind in (WayKind.DC_SAME, WayKind.DC_FITTED):
        found["name"] = supply.name
    if bank is not None:
        if way.kind in (WayKind.UPS_FITTED, WayKind.DC_FITTED):
            found |= new_bank_columns(bank)
        else:
            found |= {**size_columns(bank), "bank_condition_ratio": bank.condition_ratio}
    return found


def _output_columns(part: str, output: AcOutput | DcOutput | None) -> Row:
    """Return the columns of one kind of output, all empty where a supply has no such output."""
    columns = [c for c in SupplyRow.__annotations__ if c.startswith(f"{part}_")]
    return {c: None if output is None else getattr(output, c.removeprefix(f"{part}_")) for c in columns}


def _load_columns(row: Row, load: Any) -> Row:
    """Return the columns of a load that a way changes."""
    if load.rail_v == row["rail_v"]:
        return {}
    converter = load.converter
    found: Row = {
        "rail_v": load.rail_v,
        "behaviour": load.behaviour.value,
        "min_v": load.min_v,
        "converter_kind": converter.kind.value if converter else None,
        "converter_efficiency_ratio": converter.efficiency_ratio if converter else None,
        "standby_current_a": load.standby.current_a,
        "standby_text": None,
        "standby_uncertainty_a": None,
        "standby_reading": None,
        "bursts": [{**b, "current_a": n.current_a} for b, n in zip(row["bursts"], load.bursts, strict=True)],
        **{c: None for c in LoadRow.__annotations__ if c.startswith("ac_")},
    }
    if not load.alarm_is_standby:
        found |= {"alarm_current_a": load.alarm.current_a, "alarm_text": None, "alarm_uncertainty_a": None, "alarm_reading": None}
    return found


def save_runs(connection: Connection, actor: Actor, supply_id: int, version: int, runs: list[TimedRun]) -> Row:
    """Keep the timed runs of a UPS in place of those that were there."""
    return edit(connection, actor, "supply", supply_id, version, {"timed_runs": [asdict(r) for r in runs]})


def keep_bench(connection: Connection, actor: Actor, values: Row) -> Row:
    """Keep what was measured of a supply on the bench in the organisation's library."""
    return create(connection, actor, "bench_supply", {**values, "key": None}, shared_keys(connection, actor, "bench_supply"))


def bench_of(values: Row) -> SupplyBench:
    """Return what was measured of a supply on the bench, as the core sees it."""
    return SupplyBench(
        chemistry_key=values["chemistry"], **{f.name: values[f.name] for f in fields(SupplyBench) if f.name != "chemistry_key"}
    )


def fit_bench(connection: Connection, actor: Actor, bench_id: int, supply_id: int, version: int) -> Row:
    """Let a supply of a plan go by what was measured on the bench: it becomes a DC UPS that does what was seen, and follows when that is measured again."""
    bench, supply = find(connection, actor, "bench_supply", bench_id), find(connection, actor, "supply", supply_id)
    efficiency_ratio = supply["dc_efficiency_ratio"] or CONVERTER_RATIO
    columns = {**_benched_columns(bench), "dc_efficiency_ratio": efficiency_ratio, "dc_min_input_v": None, "bench_id": bench_id}
    return edit(connection, actor, "supply", supply_id, version, columns)


def _benched_columns(bench: Row) -> Row:
    """Return the columns of a supply that a record of the bench says."""
    cell_v = bench_of(bench).nominal_v
    return {
        "kind": SupplyKind.DC_UPS.value,
        "nominal_v": cell_v,
        "cutoff_v": bench["cutoff_v"],
        "dc_output_v": bench["output_v"],
        "dc_idle_power_w": bench["idle_current_a"] * cell_v,
        "dc_sleep_below_a": bench["sleep_below_a"],
        "dc_sleep_after_s": bench["sleep_after_s"] or 30.0,
        "dc_wakes_on_load": bench["wakes_on_load"] is not False,
    }


def measure_again(connection: Connection, actor: Actor, bench_id: int, version: int, values: Row) -> tuple[Row, int]:
    """Keep a record of the bench anew, and let every supply that goes by it follow, in whatever plan; return it and how many did.

    A supply of which somebody typed over what was measured goes by the record no longer, and stays as it was typed.
    """
    before = find(connection, actor, "bench_supply", bench_id)
    bench = edit_shared(connection, actor, "bench_supply", bench_id, version, values)
    was, now = _benched_columns(before), _benched_columns(bench)
    followed = 0
    for supply_id in select_going_by_bench(connection, actor.organisation_id, bench_id):
        supply = find(connection, actor, "supply", supply_id)
        still = all(supply[column] == value for column, value in was.items())
        edit(connection, actor, "supply", supply_id, supply["version"], now if still else {"bench_id": None})
        followed += still
    return bench, followed


def going_by_bench_count(connection: Connection, actor: Actor, bench_id: int) -> int:
    """Return how many supplies go by a record of the bench."""
    return len(select_going_by_bench(connection, actor.organisation_id, bench_id))


@dataclass(frozen=True, slots=True, kw_only=True)
class SelectorValues:
    """A selector as it was typed, and the keys of the loads that hang on it; ``key`` empty is a new one."""

    key: str
    part: dict[str, Any]
    load_keys: frozenset[str]


def save_selector(connection: Connection, actor: Actor, plan_id: int, version: int, values: SelectorValues) -> str:
    """Add or change a selector of a plan with the loads that hang on it, and return its key."""
    row = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, row["site_id"], lock=True)
    plan = next(p for p in tree.plans if p["id"] == plan_id)
    taken = {s["key"] for s in plan["selectors"]} | {s["key"] for s in tree.supplies.get(plan_id, [])}
    key = values.key or fresh_key(values.part["name"], taken)
    made = {**values.part, "key": key}
    others = [s for s in plan["selectors"] if s["key"] != key]
    index = next((n for n, s in enumerate(plan["selectors"]) if s["key"] == key), len(others))
    _write_selectors(connection, actor, tree, plan, version, [*others[:index], made, *others[index:]], key, values.load_keys)
    return key


def remove_selector(connection: Connection, actor: Actor, plan_id: int, version: int, key: str) -> None:
    """Take a selector out of a plan; its loads wait unassigned."""
    row = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, row["site_id"], lock=True)
    plan = next(p for p in tree.plans if p["id"] == plan_id)
    if key not in {s["key"] for s in plan["selectors"]}:
        raise NotFound
    _write_selectors(connection, actor, tree, plan, version, [s for s in plan["selectors"] if s["key"] != key], key, frozenset())


def _write_selectors(
    connection: Connection,
    actor: Actor,
    tree: SiteTree,
    plan: PlanRow,
    version: int,
    selectors: list[dict[str, Any]],
    key: str,
    load_keys: frozenset[str],
) -> None:
    """Keep the selectors of a plan, with these loads and no others on the one of a key."""
    refuse_stale(connection, actor, "plan", plan, version)
    wanted: list[tuple[str, Row, Row]] = [("plan", dict(plan), {"selectors": selectors})]
    for load in tree.loads.get(plan["id"], []):
        hangs = load["selector_key"] == key and load["supply_id"] is None
        if (load["key"] in load_keys) != hangs:
            columns: Row = {"selector_key": None} if hangs else {"supply_id": None, "selector_key": key}
            wanted.append(("load", dict(load), columns))
    change_together(connection, actor, wanted)
