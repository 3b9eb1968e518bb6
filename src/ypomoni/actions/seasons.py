"""Seasons of a supply kept: the week it lives with, a history of cuts, and what was tried of it made a plan."""

from dataclasses import dataclass
from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.discharge_tests import without_tests_of
from ypomoni.actions.edit import change_together, edit, find, read_document, read_tree
from ypomoni.actions.errors import NotFound
from ypomoni.actions.new_bank import kept_of_runs, new_bank_columns
from ypomoni.actions.plans import clone_plan
from ypomoni.core.evaluation.asking import Tried, tried_supply
from ypomoni.core.things.supplies import Supply
from ypomoni.documents.into_core import to_core_plan
from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class SeasonAt:
    """A supply of a plan with the requirement it must meet, as rows."""

    supply: Row
    requirement: Row

    @property
    def has_windows(self) -> bool:
        """Whether its week says when there is charge, not when there is none."""
        return self.supply["kind"] == "windowed"

    @property
    def edited(self) -> tuple[str, Row]:
        """What record its week stands in."""
        return ("supply", self.supply) if self.has_windows else ("requirement", self.requirement)


def season_at(connection: Connection, actor: Actor, plan_id: int, supply_key: str) -> SeasonAt:
    """Return a supply of a plan with its requirement; raise `NotFound` where there is none."""
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"])
    supply = next((s for s in tree.supplies.get(plan_id, []) if s["key"] == supply_key), None)
    if supply is None:
        raise NotFound
    requirement = next(r for r in tree.requirements if r["id"] == supply["requirement_id"])
    return SeasonAt(supply=dict(supply), requirement=dict(requirement))


def save_week(connection: Connection, actor: Actor, at: SeasonAt, version: int, week: list[dict[str, Any]] | None) -> Row:
    """Keep the week a supply lives with, in place of what was there: its windows, or the cuts that its requirement names."""
    name, row = at.edited
    columns: Row = {"windows_week": week} if at.has_windows else {"cuts_week": week, "cuts_list": None, "cuts_length_h": None}
    return edit(connection, actor, name, row["id"], version, columns)


def save_history(connection: Connection, actor: Actor, at: SeasonAt, version: int, spans: tuple[tuple[float, float], ...]) -> Row:
    """Keep a history of cuts with a requirement, in place of a week."""
    rows = [{"start_h": round(a, 6), "duration_h": round(b - a, 6)} for a, b in spans]
    length_h = max((b for _, b in spans), default=0.0)
    columns: Row = {"cuts_week": None, "cuts_list": rows, "cuts_length_h": round(length_h, 6) + 1e-6}
    return edit(connection, actor, "requirement", at.requirement["id"], version, columns)


def plan_season(connection: Connection, actor: Actor, plan_id: int, supply_key: str, tried: Tried) -> Row:
    """Make a proposal of a plan in which a supply has the battery, the charger or the panels that were tried; its loads stay as they are."""
    row = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, row["site_id"], lock=True)
    core = to_core_plan(read_document(tree), row["key"])
    supply = next((s for s in core.supplies if s.key == supply_key), None)
    if supply is None:
        raise NotFound
    changed, _ = tried_supply(supply, core.loads_on(supply_key), tried)
    made = clone_plan(connection, actor, plan_id)
    tree = read_tree(connection, actor, row["site_id"], lock=True)
    there = next(s for s in tree.supplies.get(made["id"], []) if s["key"] == supply_key)
    wanted = [("supply", dict(there), _columns_of(supply, changed, tried))]
    if tried.bank is not None:
        wanted.append(without_tests_of(dict(made), supply_key))
    change_together(connection, actor, wanted)
    return made


def _columns_of(before: Supply, changed: Supply, tried: Tried) -> Row:
    found: Row = {}
    if tried.bank is not None:
        found |= new_bank_columns(tried.bank) | kept_of_runs(before)
    if tried.charger_a is not None:
        found |= {"charge_limit_a": changed.charge_limit_a, "supply_current_a": changed.supply_current_a}
    if tried.panels_count is not None:
        found["solar_panels_count"] = tried.panels_count
    return found
