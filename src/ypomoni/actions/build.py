"""Building a bank: a way to it made a plan, its blocks kept one by one, what was read while its charger was set up."""

from dataclasses import replace
from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.discharge_tests import without_tests_of
from ypomoni.actions.edit import change_together, edit, find, read_document, read_tree
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.new_bank import kept_of_runs, new_bank_columns
from ypomoni.actions.plans import clone_plan
from ypomoni.core.evaluation.building import wired
from ypomoni.core.evaluation.living import with_new_bank
from ypomoni.core.evaluation.recommending import SEVERE, judge_briefly
from ypomoni.core.evaluation.set_up import Judged, SetUp, StepKind, judge_reading
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.documents.faults import Fault
from ypomoni.documents.into_core import to_core_plan
from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection
from ypomoni.storage.set_up_readings import insert_set_up_reading, list_set_up_readings


def plan_bank(connection: Connection, actor: Actor, plan_id: int, supply_key: str, bank: Bank) -> Row:
    """Make a proposal of a plan in which a supply has another bank, new, wired as it must be; the plan itself stays as it is.

    Raises
    ------
    NotFound
        If there is no such supply.
    Refused
        If the bank would be a danger there that the one before it was not, or the plan would not be whole.
    """
    row = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, row["site_id"], lock=True)
    core = to_core_plan(read_document(tree), row["key"])
    supply = supply_in(core, supply_key)
    fitted = wired(_with_bank(supply, bank), core.loads_on(supply_key))
    _refuse_worse(core, supply, fitted)
    made = clone_plan(connection, actor, plan_id)
    tree = read_tree(connection, actor, row["site_id"], lock=True)
    there = next(s for s in tree.supplies.get(made["id"], []) if s["key"] == supply_key)
    wanted = [("supply", dict(there), bank_columns(fitted) | kept_of_runs(supply)), without_tests_of(dict(made), supply_key)]
    change_together(connection, actor, wanted)
    return made


def supply_in(plan: Plan, supply_key: str) -> Supply:
    """Return a supply of a plan, or raise `NotFound`."""
    found = next((s for s in plan.supplies if s.key == supply_key), None)
    if found is None:
        raise NotFound
    return found


def _with_bank(supply: Supply, bank: Bank) -> Supply:
    before = supply.bank
    kept = {"protection": before.protection, "lead": before.lead} if before else {}
    return with_new_bank(supply, replace(bank, **kept))


def _refuse_worse(plan: Plan, before: Supply, after: Supply) -> None:
    """Refuse a bank that earns a danger which was not there."""
    loads = plan.loads_on(before.key)
    had = {f.code for f in judge_briefly(before, loads).findings if f.severity in SEVERE}
    worse = [f for f in judge_briefly(after, loads).findings if f.severity.value == "danger" and f.code not in had]
    if worse:
        raise Refused([Fault("", worse[0].evidence)])


def bank_columns(supply: Supply) -> Row:
    """Return the columns of a supply that a new bank with its wiring changes."""
    bank = supply.bank
    if bank is None:
        return {}
    protection, lead = bank.protection, bank.lead
    return {
        "bank_chemistry": bank.chemistry_key,
        **new_bank_columns(bank),
        "bank_fuse_a": protection.fuse_a if protection else None,
        "bank_fuse_dc_v": protection.fuse_dc_v if protection else None,
        "bank_fuse_kind": protection.fuse_kind if protection else None,
        "bank_fuse_breaks_a": protection.fuse_breaks_a if protection else None,
        "bank_isolator": protection.isolator if protection else None,
        "bank_string_fuses": protection.string_fuses if protection else None,
        "bank_lead_length_m": lead.length_m if lead else None,
        "bank_lead_section_mm2": lead.section_mm2 if lead else None,
    }


def save_blocks(connection: Connection, actor: Actor, supply_id: int, version: int, blocks: list[dict[str, Any]]) -> Row:
    """Keep what is known of the blocks of a bank, in place of what was."""
    return edit(connection, actor, "supply", supply_id, version, {"bank_blocks": blocks})


def keep_set_up(
    connection: Connection, actor: Actor, supply_id: int, supply: Supply, set_up: SetUp, kind: StepKind, value: float
) -> Judged:
    """Judge what was read at a step of a charger's sheet, and keep it with who and when."""
    find(connection, actor, "supply", supply_id)
    judged = judge_reading(supply, set_up, kind, value)
    insert_set_up_reading(
        connection,
        {
            "organisation_id": actor.organisation_id,
            "supply_id": supply_id,
            "account_id": actor.account_id,
            "kind": kind.value,
            "value": value,
            "told": judged.told.value,
            "words": judged.words,
            "day_degc": set_up.day_degc,
            "diode": set_up.diode.value,
        },
    )
    return judged


def set_up_readings(connection: Connection, actor: Actor, supply_id: int) -> list[Row]:
    """Return what was read while a supply's charger was set up, the latest first."""
    find(connection, actor, "supply", supply_id)
    return list_set_up_readings(connection, actor.organisation_id, supply_id)
