"""A new battery put in, planned or at its replacement: what was timed with the old one, and its own protection, go; lead and fuse stay."""

from datetime import date

import pytest
from builders import document, ups, watts

from ypomoni.actions.actor import Actor
from ypomoni.actions.build import plan_bank, supply_in
from ypomoni.actions.edit import read_document, read_tree
from ypomoni.actions.errors import Refused
from ypomoni.actions.import_site import import_site
from ypomoni.actions.jobs import _fit
from ypomoni.actions.upkeep import close_item
from ypomoni.core.evaluation.building import bank_ways
from ypomoni.core.evaluation.evaluate import evaluate_supply
from ypomoni.core.telling.results import SoldBank
from ypomoni.core.things.batteries import Bank
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.site_file import read_site

ACTOR = Actor(organisation_id=1, account_id=1)
TODAY = date(2026, 6, 1)
# A battery at half its capacity, on a UPS that burns 14 W.
RUNS = [{"output_w": 26, "run_h": 0.424}, {"output_w": 104, "run_h": 0.0465}]


def judged(connection, site_id, plan_key):
    """Return a plan as the core has it, its supply and what is found of that."""
    core = to_core_plan(read_document(read_tree(connection, ACTOR, site_id)), plan_key)
    return core, core.supplies[0], evaluate_supply(core, core.supplies[0])


@pytest.fixture
def site_id(connection):
    """A UPS whose worn battery was timed."""
    supply = ups(bank={"capacity_ah": 7, "age_y": 4}, timed_runs=RUNS)
    return import_site(connection, ACTOR, read_site(document(supply, [watts(20)], {"standby_h": 2, "alarm_min": 0})))["id"]


def planned(connection, site_id, sold):
    """Plan the recommended bank on the page Build; return the plan's key."""
    plan = read_tree(connection, ACTOR, site_id).plans[0]
    bank = Bank(chemistry_key=sold.chemistry, block_v=sold.block_v, capacity_ah=sold.capacity_ah, rate_h=20, series=sold.series)
    return plan_bank(connection, ACTOR, plan["id"], "s", bank)["key"]


def fitted(connection, site_id, sold):
    """Take it from an answer of the balance."""
    plan = read_tree(connection, ACTOR, site_id).plans[0]
    _fit(connection, ACTOR, plan, "s", sold)
    return plan["key"]


@pytest.mark.parametrize("put", [planned, fitted])
def test_a_bank_that_is_recommended_holds_as_promised_once_it_is_put_in(connection, site_id, put):
    """Its hours are those of the way to it, and nothing is left of the runs but the overhead they told."""
    core, supply, before = judged(connection, site_id, "as-found")
    assert before.identified.condition_ratio == pytest.approx(0.5, abs=0.05)
    sold = before.recommended_bank
    way = next(w for w in bank_ways(supply, core.loads_on(supply.key))[0] if w.sold == sold)
    key = put(connection, site_id, sold)
    _, changed, after = judged(connection, site_id, key)
    assert changed.timed_runs == ()
    assert changed.ac.overhead_w == pytest.approx(before.identified.overhead_w)
    assert after.holdover.expected == pytest.approx(way.result.holdover.expected, rel=1e-6)
    assert after.holdover.expected >= 2 > before.holdover.expected


def test_what_protected_the_old_battery_protects_no_new_one(connection):
    """Lithium in the cold, whose own protection kept it from being charged there: a new one without it is refused as a plan, and called a danger."""
    bms = {"limit_a": 20, "cutoff_v": 10.0, "charges_from_degc": 0}
    bank = {"chemistry": "lifepo4", "block_v": 12.8, "capacity_ah": 7, "bms": bms, "life_y": 8, "protection": {"fuse_a": 5}}
    supply = {"bank": bank, "charge_v": 14.0, "current_limited": True}
    site_id = import_site(connection, ACTOR, read_site(document(supply, site={"min_degc": -5})))["id"]
    _, _, before = judged(connection, site_id, "as-found")
    assert "charge_below_freezing" not in {f.code for f in before.findings}
    assert before.recommended_bank is None
    # Somebody fits one all the same.
    sold = SoldBank(chemistry="lifepo4", block_v=12.8, capacity_ah=20, rate_h=20, series=1, parallel=1)
    with pytest.raises(Refused, match="below 0 °C"), connection.transaction():
        planned(connection, site_id, sold)
    _, changed, after = judged(connection, site_id, fitted(connection, site_id, sold))
    assert (changed.bank.bms, changed.bank.life_y, changed.bank.protection.fuse_a) == (None, None, 5)
    assert "charge_below_freezing" in {f.code for f in after.findings}


def test_a_battery_that_is_replaced_by_its_like_is_as_good_as_new(connection, site_id):
    """What the runs said of the old one counts no more."""
    plan = read_tree(connection, ACTOR, site_id).plans[0]
    close_item(connection, ACTOR, plan["id"], "replace:s", TODAY, "two blocks", TODAY)
    core = to_core_plan(read_document(read_tree(connection, ACTOR, site_id)), "as-found")
    supply = supply_in(core, "s")
    assert (supply.timed_runs, supply.bank.age_y) == ((), 0.0)
    assert supply.ac.overhead_w == pytest.approx(14, abs=1.5)
