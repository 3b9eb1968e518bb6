"""Two plans beside each other: worked by hand, and nothing where nothing differs."""

import copy

from builders import audited, document, merged, reading

from ypomoni.core.balance.comparing import compare_plans
from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site


def two_plans(found, change):
    """Return a site's plan and a copy of it that a function has changed, each with its result."""
    plan = found["plans"][0]
    other = merged(plan, {"key": "proposal", "name": "Proposal", "stage": "proposal"})
    change(other)
    found["plans"] = [plan, other]
    cores = to_core(read_site(found)).plans
    return compare_plans(cores[0], evaluate_plan(cores[0]), cores[1], evaluate_plan(cores[1]))


def site():
    found = document(
        loads=[{"key": "beam", "name": "Beam", "standby": {"current_a": 0.9}}, {"key": "pad", "name": "Keypad", "quantity": 2}]
    )
    plan = found["plans"][0]
    plan["supplies"].append(merged(plan["supplies"][0], {"key": "t", "name": "Other bay"}))
    return found


def test_a_move_a_larger_battery_and_a_count_are_each_found_once():
    """Beam to the other bay, a keypad less, 38 Ah for 17 Ah: what holds longer, what shorter, which findings go and come."""

    def change(plan):
        plan["loads"][0]["supply"] = "t"
        plan["loads"][1]["quantity"] = 1
        plan["supplies"][1]["bank"]["capacity_ah"] = 38

    found = two_plans(site(), change)
    beam, pad = found.moves
    assert (beam.name, beam.was_on, beam.is_on, beam.is_moved) == ("Beam", "Bay", "Other bay", True)
    assert (pad.was_quantity, pad.quantity, pad.is_moved) == (2, 1, False)
    bay, other = found.supplies
    assert bay.now.holdover.expected > bay.was.holdover.expected
    assert (bay.parts, other.parts[0].capacity_ah, other.parts[1].capacity_ah) == (None, 17, 38)
    assert "holdover_below_requirement" in [f.finding.code for f in found.gone if f.supply == "Bay"]
    assert "nothing_draws" in [f.finding.code for f in found.gone if f.supply == "Other bay"]


def test_a_load_and_a_supply_that_only_one_plan_has():
    """Removed and added, and a load that hangs on nothing: their other side is not there."""

    def change(plan):
        plan["loads"] = [merged(plan["loads"][0], {"supply": None}), merged(plan["loads"][1], {"key": "new", "name": "Reader"})]
        plan["supplies"].pop()

    found = two_plans(site(), change)
    moves = {m.key: (m.was_on, m.is_on, m.was_quantity, m.quantity) for m in found.moves}
    assert moves == {"beam": ("Bay", None, 1, 1), "pad": ("Bay", None, 2, 0), "new": (None, "Bay", 0, 2)}
    assert [(s.key, s.now is None) for s in found.supplies] == [("s", False), ("t", True)]


def test_a_plan_and_its_copy_differ_in_nothing_not_even_where_only_one_was_read():
    """A slip that was read in the first is no finding gone."""
    found = two_plans(site(), lambda _: None)
    assert (found.moves, found.gone, found.new) == ((), (), ())
    read = audited(loads=[{"key": "a"}], readings=[reading("r", "output", 302.0, instrument="meter")])

    def forget(plan):
        plan["points"], plan["readings"] = [], []

    found = two_plans(copy.deepcopy(read), forget)
    assert (found.moves, found.gone, found.new) == ((), (), ())
