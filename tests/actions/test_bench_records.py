"""A record of the bench and the supplies that go by it: fitted, copied, measured again, typed over."""

import pytest
from builders import dc_ups, document

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import edit, find, read_tree
from ypomoni.actions.errors import Refused
from ypomoni.actions.import_site import import_site
from ypomoni.actions.plans import clone_plan
from ypomoni.actions.power import fit_bench, going_by_bench_count, keep_bench, measure_again
from ypomoni.documents.site_file import read_site

ACTOR = Actor(organisation_id=1, account_id=1)
MEASURED = {
    "name": "Pocket supply",
    "chemistry": "li_ion",
    "cells_count": 3,
    "capacity_ah": 3.0,
    "output_v": 12.0,
    "idle_current_a": 0.012,
    "sleep_below_a": 0.06,
    "sleep_after_s": 30.0,
    "wakes_on_load": True,
    "cutoff_v": 9.0,
    "tried_down_to_v": None,
    "passes_through": False,
}


@pytest.fixture
def fitted(connection):
    """A site whose supply goes by a record, and a copy of its plan."""
    site = import_site(
        connection,
        ACTOR,
        read_site(
            document(
                supply=dc_ups(
                    bank={"chemistry": "li_ion", "block_v": 10.95, "capacity_ah": 10}, charge_v=12.6, nominal_v=10.95, cutoff_v=9.0
                )
            )
        ),
    )
    plan = read_tree(connection, ACTOR, site["id"]).plans[0]
    bench = keep_bench(connection, ACTOR, MEASURED)
    supply = read_tree(connection, ACTOR, site["id"]).supplies[plan["id"]][0]
    fit_bench(connection, ACTOR, bench["id"], supply["id"], supply["version"])
    copy = clone_plan(connection, ACTOR, plan["id"])
    return bench, site["id"], plan["id"], copy["id"]


def supplies_of(connection, fitted):
    tree = read_tree(connection, ACTOR, fitted[1])
    return tree.supplies[fitted[2]][0], tree.supplies[fitted[3]][0]


def test_what_is_measured_again_is_followed_in_every_plan(connection, fitted):
    """The plan it was fitted in, and the copy of it."""
    bench = fitted[0]
    assert going_by_bench_count(connection, ACTOR, bench["id"]) == 2
    _, count = measure_again(connection, ACTOR, bench["id"], bench["version"], {**MEASURED, "idle_current_a": 0.02, "cutoff_v": 9.3})
    assert count == 2
    for supply in supplies_of(connection, fitted):
        assert supply["dc_idle_power_w"] == pytest.approx(0.02 * 10.95)
        assert supply["cutoff_v"] == 9.3


def test_a_supply_that_was_typed_over_stays_as_it_was_typed(connection, fitted):
    """It goes by the record no longer; the other one follows."""
    bench = fitted[0]
    here, _ = supplies_of(connection, fitted)
    edit(connection, ACTOR, "supply", here["id"], here["version"], {"cutoff_v": 9.9})
    _, count = measure_again(connection, ACTOR, bench["id"], bench["version"], {**MEASURED, "cutoff_v": 9.3})
    here, there = supplies_of(connection, fitted)
    assert count == 1
    assert (here["cutoff_v"], there["cutoff_v"]) == (9.9, 9.3)
    assert going_by_bench_count(connection, ACTOR, bench["id"]) == 1


def test_what_would_break_a_site_is_refused_as_a_whole(connection, fitted):
    """An output of 48 V under loads of 12 V: neither the record nor a supply is changed."""
    bench = fitted[0]
    with pytest.raises(Refused), connection.transaction():
        measure_again(connection, ACTOR, bench["id"], bench["version"], {**MEASURED, "output_v": 48.0})
    assert find(connection, ACTOR, "bench_supply", bench["id"])["output_v"] == 12.0
    assert all(s["dc_output_v"] == 12.0 for s in supplies_of(connection, fitted))
