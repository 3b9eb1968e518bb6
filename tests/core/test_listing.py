"""What a list says of a plan is what its page says: the verdict, the hours and what gives out first."""

import json
from importlib import resources

import pytest
from core.placements import random_plan
from core.test_answers import sites

from ypomoni.core.evaluation.evaluate import evaluate_plan, try_supply
from ypomoni.core.evaluation.listing import list_plan
from ypomoni.core.outage.band import estimate_band, low_end_near_h
from ypomoni.core.outage.case import Case
from ypomoni.documents.into_core import to_core
from ypomoni.documents.results_json import dump_plan_result, load_plan_result
from ypomoni.documents.site_file import read_site


def agree(plan):
    """Assert that the list and the page say the same of a plan."""
    listed, errors = list_plan(plan)
    whole = evaluate_plan(plan)
    assert errors == ()
    assert (listed.verdict, listed.weakest_supply) == (whole.verdict, whole.weakest_supply)
    assert [s.verdict for s in listed.supplies] == [s.verdict for s in whole.supplies]
    for short, full in zip(listed.supplies, whole.supplies, strict=True):
        assert (short.holdover and short.holdover.expected) == (full.holdover and pytest.approx(full.holdover.expected, rel=1e-9))
        severe = {f.code for f in full.findings if f.severity in ("danger", "fails")}
        assert {f.code for f in short.findings if f.severity in ("danger", "fails")} == severe
        if short.key == whole.weakest_supply:
            assert short.limited_by == full.limited_by
        if short.verdict == "holds" and short.holdover:
            assert short.holdover.low == pytest.approx(full.holdover.low, rel=0.011)
            assert (short.holdover.low >= short.standby_h) is (full.holdover.low >= full.standby_h)
    assert load_plan_result(dump_plan_result(listed)) == listed


@pytest.mark.parametrize("seed", range(12))
def test_random_plans_are_listed_as_their_pages_say(seed):
    """Buses, powers, bursts, limits, rails, purposes."""
    agree(random_plan(seed))


@pytest.mark.parametrize("seed", range(20, 32))
def test_the_low_end_is_near_and_never_on_the_wrong_side_of_what_it_must_be(seed):
    """Loads of several kinds moved together, asked with required hours from far below to a hair beside the low end of the band."""
    plan = random_plan(seed, most_loads=25)
    for supply in plan.supplies:
        case = Case(supply, plan.loads_on(supply.key))
        if case.draws_nothing or (expected_h := case.holdover().holdover_h) <= 0:
            continue
        low_h = estimate_band(case, expected_h)[0].low
        for share in (0.3, 0.9, 0.9999, 1.0001, 1.02):
            near_h = low_end_near_h(case, expected_h, share * low_h)
            assert near_h == pytest.approx(low_h, rel=0.011)
            assert (near_h >= share * low_h) is (share < 1)


SITES = sites()


@pytest.mark.parametrize("name", sorted(SITES))
def test_recorded_sites_are_listed_as_their_pages_say(name):
    """Offenders of many findings, the demo's sites, selectors, the sun, cuts, primary cells."""
    for plan in to_core(SITES[name]).plans:
        agree(plan)


def test_a_calculation_that_fails_is_unknown_in_the_list_as_well(monkeypatch):
    """And takes no other supply along."""
    file = resources.files("ypomoni.actions").joinpath("demo", "1_archive.json")
    plan = to_core(read_site(json.loads(file.read_text()))).plans[0]
    from ypomoni.core.evaluation import listing

    whole = listing.compute_figures

    def breaks(supply, loads, **more):
        if supply.key == "bay-a":
            raise OverflowError
        return whole(supply, loads, **more)

    monkeypatch.setattr(listing, "compute_figures", breaks)
    listed, errors = list_plan(plan)
    assert [type(e) for e in errors] == [OverflowError]
    others = {s.key: s.verdict for s in listed.supplies}
    assert others.pop("bay-a") == "unknown"
    assert others == {s.key: try_supply(plan, s)[0].verdict for s in plan.supplies if s.key != "bay-a"}
