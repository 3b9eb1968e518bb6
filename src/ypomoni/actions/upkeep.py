"""Upkeep: what is due in the plans that stand on site, what was done of it, and the calendar."""

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.build import supply_in
from ypomoni.actions.edit import edit, find, read_document, read_tree
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.new_bank import kept_of_runs
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.proof.upkeep import DueItem, DueKind, Known, due_items
from ypomoni.core.telling.wording import say_hours, say_percent
from ypomoni.core.things.supplies import Stage
from ypomoni.core.units import DAYS_PER_YEAR
from ypomoni.documents.faults import Fault
from ypomoni.documents.into_core import to_core_plan
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.records.words import CHEMISTRY_WORDS
from ypomoni.storage.changes import changes_of_batteries, list_changes_of
from ypomoni.storage.connection import Connection
from ypomoni.storage.proof import insert_done, last_done_on, last_read_on, list_done, supplies_entered

# What stands on site: the latest plan as left, else the one as found.
STANDS = (Stage.AS_LEFT.value, Stage.AS_FOUND.value)


def standing_plan(plans: list[PlanRow]) -> PlanRow | None:
    """Return the plan that says what stands on site; None where there is none."""
    for stage in STANDS:
        found = [p for p in plans if p["stage"] == stage]
        if found:
            return found[-1]
    return None


def shown_plan(tree: SiteTree) -> PlanRow | None:
    """Return the plan a site is shown by: the one that stands, else its first; None where there is none."""
    return standing_plan(list(tree.plans)) or (tree.plans[0] if tree.plans else None)


def known_of(connection: Connection, organisation_id: int, plan_ids: list[int], today: date) -> dict[int, Known]:
    """Return what is known of the past of some plans."""
    entered = supplies_entered(connection, organisation_id, plan_ids)
    read, done = last_read_on(connection, organisation_id, plan_ids), last_done_on(connection, organisation_id, plan_ids)
    return {n: Known(today=today, entered_on=entered.get(n, {}), audited_on=read.get(n), done_on=done.get(n, {})) for n in plan_ids}


def due_of(connection: Connection, actor: Actor, tree: SiteTree, plan: PlanRow, today: date) -> tuple[DueItem, ...]:
    """Return what is due in a plan, the soonest first."""
    known = known_of(connection, actor.organisation_id, [plan["id"]], today)[plan["id"]]
    return due_items(to_core_plan(read_document(tree), plan["key"]), known)


def history_of(connection: Connection, actor: Actor, plan_id: int) -> list[Row]:
    """Return what was done of what was due in a plan, the latest first."""
    return list_done(connection, actor.organisation_id, plan_id)


def close_item(connection: Connection, actor: Actor, plan_id: int, item_key: str, done_on: date, note: str, today: date) -> None:
    """Say that something due was done: it closes, and the next one moves. A battery that was replaced is new from that day.

    Raises
    ------
    NotFound
        If nothing of that key is due in the plan.
    Refused
        If the day lies ahead, or a battery was replaced in a plan that has none.
    """
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"])
    item = next((i for i in due_of(connection, actor, tree, plan, today) if i.key == item_key), None)
    if item is None:
        raise NotFound
    if done_on > today:
        raise Refused([Fault("done_on", "must not lie ahead: it is closed once it was done.")])
    if item.kind is DueKind.REPLACE:
        _replace(connection, actor, tree, plan, item.supply_key or "", done_on)
    insert_done(
        connection,
        {
            "organisation_id": actor.organisation_id,
            "plan_id": plan_id,
            "item_key": item_key,
            "done_on": done_on,
            "note": note.strip()[:500],
            "done_by": actor.name,
        },
    )


def _replace(connection: Connection, actor: Actor, tree: SiteTree, plan: PlanRow, supply_key: str, done_on: date) -> None:
    """Let a battery be new from a day on: its blocks are fitted then, its tests were of the old one, and so were condition and resistance."""
    row = next((s for s in tree.supplies.get(plan["id"], []) if s["key"] == supply_key), None)
    if row is None or row["bank_chemistry"] is None:
        raise NotFound
    series, parallel = row["bank_series"] or 1, row["bank_parallel"] or 1
    blocks: list[dict[str, Any]] = [
        {
            "key": f"{done_on.isoformat()}-{n + 1}",
            "string": n // series + 1,
            "position": n % series + 1,
            "made": None,
            "fitted": done_on.isoformat(),
            "capacity_ah": None,
            "condition_ratio": None,
            "rest_v": None,
        }
        for n in range(series * parallel)
    ]
    changes: Row = {"bank_age_y": 0.0, "bank_condition_ratio": None, "bank_resistance_ohm": None, "bank_blocks": blocks}
    changes |= kept_of_runs(supply_in(to_core_plan(read_document(tree), plan["key"]), supply_key))
    edit(connection, actor, "supply", row["id"], row["version"], {k: v for k, v in changes.items() if k in row})
    tests = [t for t in plan["tests"] if t["supply"] != supply_key]
    if len(tests) != len(plan["tests"]):
        edit(connection, actor, "plan", plan["id"], plan["version"], {"tests": tests})


# -- the file of a battery -------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class BatteryFile:
    """One battery from its fitting to its removal: where, what, its tests, and what it reached. None: not yet, or not known. [years]"""

    supply: str
    what: str
    chemistry: str
    fitted_on: date | None
    removed_on: date | None
    told: tuple[str, ...]

    @property
    def reached_y(self) -> float | None:
        """What it reached until it was taken out; None while it is in."""
        if self.fitted_on is None or self.removed_on is None:
            return None
        return (self.removed_on - self.fitted_on).days / DAYS_PER_YEAR


_BANK_COLUMNS = ("bank_chemistry", "bank_block_v", "bank_capacity_ah", "bank_series", "bank_parallel")
# By these it is seen that another battery is in (`_is_other`).
_TELLING_COLUMNS = (*_BANK_COLUMNS, "bank_age_y", "bank_blocks")


def batteries_of(connection: Connection, actor: Actor, tree: SiteTree, plan: PlanRow) -> list[BatteryFile]:
    """Return the file of every battery that was or is in a plan, by supply, the latest first. It is read from the history, so nothing is lost."""
    found: list[BatteryFile] = []
    for supply in tree.supplies.get(plan["id"], []):
        found += _files_of(dict(supply), list_changes_of(connection, actor.organisation_id, "supply", supply["id"]), plan["tests"])
    return found


def _files_of(supply: Row, changes: list[Row], tests: list[Row]) -> list[BatteryFile]:
    files: list[BatteryFile] = []
    begun: date | None = None
    told: list[str] = []
    last: Row | None = None
    for change in changes:
        after, on = change["after"], change["changed_at"].date()
        if after is None:
            continue
        if last is None and change["before"] is not None:
            # A site that was brought in began before anything was logged here.
            last, begun = change["before"], _age_began(change["before"], on)
        if last is not None and _is_other(last, after):
            if last.get("bank_chemistry"):
                files.append(_file(supply["name"], last, begun, on, told))
            begun, told = on, []
        elif last is None:
            begun = on
        if last is not None and after.get("bank_condition_ratio") not in (None, last.get("bank_condition_ratio")):
            told.append(f"{on:%d %b %Y}: condition {say_percent(after['bank_condition_ratio'])}")
        last = after
    if supply["bank_chemistry"] is not None:
        now = [*told, *(f"{t['at'][:10]}: ran {say_hours(t['ran_h'])}" for t in tests if t["supply"] == supply["key"])]
        files.append(_file(supply["name"], supply, begun, None, now))
    return files[::-1]


def _age_began(row: Row, on: date) -> date | None:
    age_y = row.get("bank_age_y")
    return None if age_y is None else on - timedelta(days=age_y * DAYS_PER_YEAR)


def _is_other(before: Row, after: Row) -> bool:
    """Say whether another battery is in: another kind or size, or one of the same kind that is new."""
    if any(before.get(c) != after.get(c) for c in _BANK_COLUMNS):
        return True
    return (bool(before.get("bank_age_y")) and after.get("bank_age_y") == 0.0) or (
        _fitted(before) != _fitted(after) and _fitted(before) is not None
    )


def _fitted(row: Row) -> str | None:
    return min((b["fitted"] for b in row.get("bank_blocks") or [] if b.get("fitted")), default=None)


def _file(name: str, row: Row, begun: date | None, removed_on: date | None, told: list[str]) -> BatteryFile:
    fitted = _fitted(row)
    count = (
        f"{row['bank_series']} in series, {row['bank_parallel']} in parallel, of "
        if (row["bank_series"], row["bank_parallel"]) != (1, 1)
        else ""
    )
    return BatteryFile(
        supply=name,
        chemistry=row["bank_chemistry"],
        what=f"{count}{row['bank_block_v']:g} V {row['bank_capacity_ah']:g} Ah {CHEMISTRY_WORDS[row['bank_chemistry']]}",
        fitted_on=date.fromisoformat(fitted) if fitted else begun,
        removed_on=removed_on,
        told=tuple(told),
    )


ENOUGH_COUNT = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Lifetime:
    """What batteries of a kind really reached here until they were taken out, beside what is assumed of it. [years]"""

    chemistry: str
    count: int
    least_y: float
    mean_y: float
    greatest_y: float
    assumed_y: float


def lifetimes_of(connection: Connection, actor: Actor) -> list[Lifetime]:
    """Return an organisation's own lifetimes by chemistry, where at least three batteries of it were taken out: fewer say nothing."""
    reached: dict[str, list[float]] = {}
    for changes in changes_of_batteries(connection, actor.organisation_id, list(_TELLING_COLUMNS)).values():
        last = {**(changes[-1]["after"] or {}), "key": "", "name": ""}
        for file in _files_of({**last, "bank_chemistry": None}, changes, []):
            if file.reached_y is not None and file.reached_y > 0:
                reached.setdefault(file.chemistry, []).append(file.reached_y)
    return [
        Lifetime(
            chemistry=CHEMISTRY_WORDS[key],
            count=len(years),
            least_y=min(years),
            mean_y=sum(years) / len(years),
            greatest_y=max(years),
            assumed_y=CHEMISTRIES[key].life_y,
        )
        for key, years in sorted(reached.items())
        if len(years) >= ENOUGH_COUNT
    ]
