"""Timed discharges of a plan: kept, taken out again, and their condition taken into the bank."""

from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import edit, find, fresh_key
from ypomoni.actions.errors import NotFound
from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection


def add_test(connection: Connection, actor: Actor, plan_id: int, version: int, test: dict[str, Any]) -> str:
    """Keep a timed discharge in a plan, and return its key."""
    plan = find(connection, actor, "plan", plan_id)
    key = fresh_key(f"{test['supply']} {test['at'][:10]}", {t["key"] for t in plan["tests"]})
    edit(connection, actor, "plan", plan_id, version, {"tests": [*plan["tests"], {**test, "key": key}]})
    return key


def remove_test(connection: Connection, actor: Actor, plan_id: int, version: int, key: str) -> None:
    """Take a timed discharge out of a plan; it is undone through the history."""
    plan = find(connection, actor, "plan", plan_id)
    left = [t for t in plan["tests"] if t["key"] != key]
    if len(left) == len(plan["tests"]):
        raise NotFound
    edit(connection, actor, "plan", plan_id, version, {"tests": left})


def without_tests_of(plan: Row, supply_key: str) -> tuple[str, Row, Row]:
    """Return the change of a plan in which a supply gets another bank: what the old one was tested at counts no more."""
    return "plan", plan, {"tests": [t for t in plan["tests"] if t["supply"] != supply_key]}


def take_condition(connection: Connection, actor: Actor, supply_id: int, version: int, condition_ratio: float) -> Row:
    """Let a plan go by the condition that a test found; it is undone like any edit."""
    return edit(connection, actor, "supply", supply_id, version, {"bank_condition_ratio": round(condition_ratio, 3)})
