"""The bench: devices stepped through their modes, lots of batteries; and what a session changes in the library and in plans, by one click."""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import create, edit, edit_shared, find, fresh_key, shared_keys
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.lists import plans_of, shared_of, sites_of
from ypomoni.core.measuring.device_bench import DeviceBench, ModeUse, judge_device
from ypomoni.core.telling.wording import say_amps
from ypomoni.core.things.loads import Behaviour
from ypomoni.documents.bench_parts import faults_of_device, faults_of_lot, to_device_bench
from ypomoni.documents.faults import Fault
from ypomoni.records.bench import BenchedDeviceRow
from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection
from ypomoni.storage.kept import DEVICE, LOAD

CHECKS = {"benched_device": faults_of_device, "battery_lot": faults_of_lot}
PARTS = {"benched_device": "modes", "battery_lot": "blocks"}


def keep_session(connection: Connection, actor: Actor, name: str, values: Row, at: tuple[int, int] | None = None) -> Any:
    """Keep what a session begins with: a new record, or the one of this id and version.

    Raises
    ------
    Refused
        With each fault at its field.
    """
    part = PARTS[name]
    before = None if at is None else find(connection, actor, name, at[0])
    whole = {part: [] if before is None else before[part], **values}
    faults = CHECKS[name]({"key": "new", "instrument_key": None, **whole})
    if faults:
        raise Refused(faults)
    if at is None:
        return create(connection, actor, name, {**values, "key": None}, shared_keys(connection, actor, name))
    return edit_shared(connection, actor, name, at[0], at[1], values)


def add_part(connection: Connection, actor: Actor, name: str, record_id: int, part: Row, *, replacing: int | None = None) -> Any:
    """Add a mode to a device or a block to a lot, or put one in another's place.

    A lot's block of a name that is there already is the same block: what was read now is added to what was read before, so that two people
    may measure one lot, and what is sent twice counts once.
    """
    row = find(connection, actor, name, record_id)
    listed = PARTS[name]
    entries: list[Row] = [dict(e) for e in row[listed]]
    if replacing is not None:
        if not 0 <= replacing < len(entries):
            raise NotFound
        at = replacing
        entries[at] = part
    elif name == "battery_lot" and (same := _same_block(entries, part)) is not None:
        at = same
        entries[at] = {**entries[at], **{k: v for k, v in part.items() if v is not None}}
    elif part in entries:
        at = entries.index(part)
    else:
        at = len(entries)
        entries.append(part)
    faults = CHECKS[name]({**row, listed: entries})
    if faults:
        own = f"{listed}[{at}]."
        raise Refused([Fault(f.path.removeprefix(own), f.message) for f in faults])
    return edit_shared(connection, actor, name, record_id, row["version"], {listed: entries})


def _same_block(entries: list[Row], part: Row) -> int | None:
    return next((n for n, e in enumerate(entries) if e["label"].casefold() == part["label"].casefold()), None)


def remove_part(connection: Connection, actor: Actor, name: str, record_id: int, version: int, n: int) -> Any:
    """Take a mode or a block out."""
    row = find(connection, actor, name, record_id)
    listed = PARTS[name]
    if not 0 <= n < len(row[listed]):
        raise NotFound
    return edit_shared(connection, actor, name, record_id, version, {listed: [e for m, e in enumerate(row[listed]) if m != n]})


def bench_of_device(connection: Connection, actor: Actor, row: BenchedDeviceRow) -> DeviceBench:
    """Return a benched device as the core sees it, with the meter it was read with."""
    meters = shared_of(connection, actor, "instrument")
    return to_device_bench(row, next((m for m in meters if m["key"] == row["instrument_key"]), None))


# -- what a session changes ------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Correction:
    """A load of that name in a plan, as it is and as it would be."""

    load_id: int
    version: int
    site: str
    plan: str
    name: str
    before: str
    after: str


def columns_of_bench(bench: DeviceBench) -> Row:
    """Return what a load or a device type takes from a session: standby, alarm and bursts as measured.

    Raises
    ------
    Refused
        If no mode that lasts was read, or a reading cannot be.
    """
    told = judge_device(bench)
    if any(f.code == "below_converter_floor" for f in told.findings):
        raise Refused([Fault("", "A reading lies below what the converter must take: look at it again before anything goes by it.")])
    standby = bench.of_use(ModeUse.STANDBY)
    if not standby:
        raise Refused([Fault("", "No mode is marked as lasting: standby. Say first which one it rests in.")])
    # Of several modes that last the greatest counts: nobody knows which one it will be in.
    most = max(standby, key=lambda m: m.current_a)
    alarms = bench.of_use(ModeUse.ALARM)
    alarm = max(alarms, key=lambda m: m.current_a) if alarms else None
    bursts = [
        {
            "name": m.name,
            "current_a": m.current_a,
            "duration_s": m.duration_s,
            "per_hour": m.per_hour,
            "offset_s": 0.0,
            "during": "always",
        }
        for m in bench.of_use(ModeUse.BURST)
    ]
    return {
        "rail_v": bench.supply_v,
        "behaviour": (told.behaviour or Behaviour.CONSTANT_CURRENT).value,
        "min_v": bench.min_v,
        "behaviour_is_told": told.behaviour is not None,
        "standby_current_a": most.current_a,
        "standby_uncertainty_a": max(bench.limit_a(most), 1e-9),
        "alarm_current_a": None if alarm is None else alarm.current_a,
        "alarm_uncertainty_a": None if alarm is None else max(bench.limit_a(alarm), 1e-9),
        "bursts": bursts,
    }


def corrections_of(connection: Connection, actor: Actor, bench: DeviceBench) -> list[Correction]:
    """Return the loads of that name in plans that are open, each with what it would draw. A plan *as left* is a record and stays."""
    columns = columns_of_bench(bench)
    found: list[Correction] = []
    sites = sites_of(connection, actor)
    plans = plans_of(connection, actor, [s["id"] for s in sites])
    for site in sites:
        names = {p["id"]: p["name"] for p in plans[site["id"]] if p["stage"] != "as_left"}
        for load in LOAD.every(connection, actor.organisation_id, list(names)) if names else []:
            same = load["name"].casefold() == bench.name.casefold() and load["removed_at"] is None
            if same and _suits(load, columns) and any(load[k] != v for k, v in _for_load(dict(load), columns).items()):
                found.append(
                    Correction(
                        load_id=load["id"],
                        version=load["version"],
                        site=site["name"],
                        plan=names[load["plan_id"]],
                        name=load["name"],
                        before=_draws(dict(load)),
                        after=_draws({**load, **_for_load(dict(load), columns)}),
                    )
                )
    return found


def _suits(load: Any, columns: Row) -> bool:
    """Say whether a load is fed at the voltage of the bench: another rail is another current."""
    return abs(load["rail_v"] - columns["rail_v"]) <= 0.2 * columns["rail_v"]


def _for_load(load: Row, columns: Row) -> Row:
    """Return the columns of a load that a session changes; what it did not measure stays."""
    found: Row = {
        "standby_current_a": columns["standby_current_a"],
        "standby_uncertainty_a": columns["standby_uncertainty_a"],
        "standby_provenance": "measured",
        "standby_text": None,
        "standby_reading": None,
    }
    if columns["alarm_current_a"] is not None:
        found |= {
            "alarm_current_a": columns["alarm_current_a"],
            "alarm_uncertainty_a": columns["alarm_uncertainty_a"],
            "alarm_provenance": "measured",
            "alarm_text": None,
        }
    if columns["behaviour_is_told"]:
        found["behaviour"] = columns["behaviour"]
    if columns["bursts"]:
        found["bursts"] = columns["bursts"]
    return {k: v for k, v in found.items() if k in load}


def _draws(load: Row) -> str:
    alarm = load["alarm_current_a"]
    bursts = [f"{say_amps(b['current_a'])} for {b['duration_s']:g} s" for b in load["bursts"]]
    return ", ".join([say_amps(load["standby_current_a"]), *([] if alarm is None else [f"{say_amps(alarm)} in alarm"]), *bursts])


def correct_loads(connection: Connection, actor: Actor, bench: DeviceBench, wanted: list[tuple[int, int]]) -> int:
    """Let loads draw what was measured, each given by id and version; they are undone in the history of their site."""
    columns = columns_of_bench(bench)
    offered = {c.load_id for c in corrections_of(connection, actor, bench)}
    for load_id, version in wanted:
        if load_id not in offered:
            raise NotFound
        load = find(connection, actor, "load", load_id)
        edit(connection, actor, "load", load_id, version, _for_load(load, columns))
    return len(wanted)


def make_device_type(connection: Connection, actor: Actor, bench: DeviceBench) -> Row:
    """Make a session a device type of the organisation, or bring the one of its name up to date."""
    columns = columns_of_bench(bench)
    known = DEVICE.every(connection, actor.organisation_id)
    values = {k: v for k, v in columns.items() if not k.endswith(("_uncertainty_a", "_is_told"))}
    today = datetime.now(UTC).date()
    same = next((d for d in known if d["removed_at"] is None and d["name"].casefold() == bench.name.casefold()), None)
    if same is not None and same["rail_v"] == values["rail_v"]:
        return edit_shared(connection, actor, "device", same["id"], same["version"], {**values, "measured_on": today})
    made = {
        **values,
        "key": fresh_key(bench.name, {d["key"] for d in known}),
        "name": bench.name,
        "basis": "measured on our bench",
        "measured_count": 1,
        "measured_on": today,
    }
    return create(connection, actor, "device", made)
