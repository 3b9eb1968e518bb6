"""Timed discharges: the test per cent, the condition for the model, the prediction; what condemns a battery and what does not."""

import random

import pytest
from builders import document, evaluate, merged
from core.test_findings import QUIET

from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.core.outage.testing import result_of_test, run_h
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.discharge_tests import DischargeEnd
from ypomoni.documents.faults import DocumentFaults
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site

TEST = {
    "key": "t1",
    "supply": "s",
    "at": "2026-03-04T09:00:00+00:00",
    "temperature_degc": 25,
    "current_a": 0.85,
    "ran_h": 20.0,
    "ended": "end_voltage",
    "end_v": 10.5,
}


def site(*tests, **changes):
    """Return a site file whose bay was tested; a later test has a later day and a key of its own."""
    found = document(supply=changes, loads=[QUIET])
    found["plans"][0]["tests"] = [
        {**TEST, "key": f"t{n}", "at": f"2026-{n:02}-04T09:00:00+00:00", **test} for n, test in enumerate(tests, 1)
    ]
    return found


def judged(*tests, **changes):
    """Return the result of the bay of such a site."""
    return evaluate_plan(to_core(read_site(site(*tests, **changes))).plans[0]).supplies[0]


def found_codes(*tests, **changes):
    """Return which findings the tests give rise to."""
    codes = {"replace_below_80": "", "degraded_since": "", "better_than_new": ""}
    return {f.code: f.severity.value for f in judged(*tests, **changes).findings if f.code in codes}


@pytest.mark.parametrize("degc", [15.0, 25.0])
@pytest.mark.parametrize("current_a", [0.85, 1.7, 12.0])
@pytest.mark.parametrize("condition_ratio", [0.62, 0.81, 0.97])
def test_the_condition_of_a_made_test_is_found_again(condition_ratio, current_a, degc):
    """A bank of known condition is discharged by the model, slowly and fast, warm and cold, timed 1 % off: found within 0.03."""
    bank = Bank(chemistry_key="lead_agm", block_v=12.0, capacity_ah=17.0)
    slow_h = run_h(bank, current_a, 10.5, condition_ratio=condition_ratio, temperature_degc=degc, sizing=False)
    fast_h = run_h(bank, current_a, 10.5, condition_ratio=condition_ratio, temperature_degc=degc, sizing=True)
    ran_h = slow_h if slow_h >= 3 else fast_h
    noise = 1 + random.Random(f"{condition_ratio}{current_a}{degc}").uniform(-0.01, 0.01)
    (told,) = judged({"current_a": current_a, "ran_h": ran_h * noise, "temperature_degc": degc}).tests
    assert told.condition_ratio == pytest.approx(condition_ratio, abs=0.03)


def test_the_test_per_cent_by_hand():
    """Slow: by time, a degree under 25 °C is 0.6 %. Short: by current."""
    bank = Bank(chemistry_key="lead_agm", block_v=12.0, capacity_ah=17.0)
    rated_h = run_h(bank, 0.85, 10.5, condition_ratio=1.0, temperature_degc=25.0, sizing=False)
    assert rated_h == pytest.approx(20.0, rel=0.02)
    assert judged({"ran_h": 15.0}).tests[0].test_ratio == pytest.approx(15.0 / rated_h)
    assert judged({"ran_h": 15.0, "temperature_degc": 15}).tests[0].test_ratio == pytest.approx(15.0 / rated_h / 0.94)
    # Half an hour: a new one carries about 17.5 A, so 8.75 A are half.
    short = judged({"ran_h": 0.5, "current_a": 8.75}).tests[0]
    assert short.test_ratio == pytest.approx(0.5, abs=0.02)
    # The mean of what was read on the way stands for a current that was not said.
    read = {"current_a": None, "samples": [{"t_h": 1, "a": 0.8}, {"t_h": 2, "a": 0.9, "v": 12.1}]}
    assert judged({"ran_h": 15.0, **read}).tests[0].test_ratio == pytest.approx(15.0 / rated_h)


def test_a_prediction_is_the_model_with_the_bank_as_it_is_stated():
    """Its band holds the timed run of such a bank, a measured condition narrows it, and the test itself moves nothing."""
    (aged,) = judged({"ran_h": 15.0}, bank={"age_y": 3}).tests
    (known,) = judged({"ran_h": 15.0}, bank={"age_y": 3, "condition_ratio": 0.88}).tests
    assert aged.predicted.low < known.predicted.low < known.predicted.expected < known.predicted.high < aged.predicted.high
    supply = to_core(read_site(site({"ran_h": 15.0}, bank={"age_y": 3}))).plans[0]
    expected_h = run_h(supply.supplies[0].bank, 0.85, 10.5, condition_ratio=0.88, temperature_degc=25.0, sizing=False)
    assert aged.predicted.expected == pytest.approx(expected_h)
    assert (aged.inside_band, judged({"ran_h": 9.0}).tests[0].inside_band) == (True, False)
    with_test, without = judged({"ran_h": 5.0}), evaluate(loads=[QUIET])
    assert (with_test.holdover, with_test.condition_ratio) == (without.holdover, without.condition_ratio)


STOPPED = {"ended": "stopped", "end_v": 12.0}


@pytest.mark.parametrize(
    ("tests", "codes"),
    [
        ([{"ran_h": 15.0}], {"replace_below_80": "fails"}),
        ([{"ran_h": 16.5}], {}),
        # Stopped at 5 h: at least a quarter, which condemns nothing.
        ([{"ran_h": 5.0, **STOPPED}], {}),
        ([{"ran_h": 19.5}, {"ran_h": 17.0}], {"degraded_since": "risk"}),
        ([{"ran_h": 19.5}, {"ran_h": 18.0}], {}),
        ([{"ran_h": 19.5}, {"ran_h": 5.0, **STOPPED}], {}),
        ([{"ran_h": 15.0}, {"ran_h": 19.0}], {}),
        ([{"ran_h": 15.0}, {"ran_h": 17.0, **STOPPED, "end_v": 11.2}], {}),
        ([{"ran_h": 15.0}, {"ran_h": 5.0, **STOPPED}], {"replace_below_80": "fails"}),
        ([{"ran_h": 21.5}], {"better_than_new": "note"}),
        ([{"ran_h": 20.2}], {}),
    ],
)
def test_what_condemns_a_battery(tests, codes):
    """Under 80 %, ten points under the time before, above 105 %; a test that was stopped condemns nothing and may clear."""
    assert found_codes(*tests) == codes


def test_a_test_of_the_bank_before_counts_no_more():
    """Its blocks were fitted after it."""
    fitted = {"bank": {"blocks": [{"key": "b", "string": 1, "position": 1, "fitted": "2026-01-20"}]}}
    assert found_codes({"ran_h": 15.0}, **fitted) == {}
    assert found_codes({"ran_h": 19.0}, {"ran_h": 15.0}, **fitted) == {"replace_below_80": "fails"}


def test_what_cannot_be_told_is_not_guessed():
    """Beyond the temperature table there is no figure; a lower bound is called one; faults are told at their paths."""
    (cold,) = judged({"temperature_degc": -40}).tests
    assert (cold.test_ratio, cold.condition_ratio, cold.predicted) == (None, None, None)
    (bound,) = judged({"ran_h": 5.0, **STOPPED}).tests
    assert (bound.is_lower_bound, bound.inside_band) == (True, None)
    (above,) = judged({"end_v": 14.0}).tests
    assert (above.test_ratio, above.condition_ratio) == (None, None)
    (better,) = judged({"ran_h": 30.0}).tests
    assert better.condition_ratio == 1.05
    for wrong, path in (
        ({"supply": "nobody"}, "tests[0].supply"),
        ({"current_a": None}, "tests[0]"),
        ({"ended": "tired"}, "tests[0].ended"),
        ({"at": "4 March"}, "tests[0].at"),
        ({"samples": [{"t_h": 30}]}, "tests[0]"),
    ):
        with pytest.raises(DocumentFaults) as refused:
            read_site(site(wrong))
        assert any(f.path.endswith(path) for f in refused.value.faults), refused.value.faults
    bare = merged(site({}), {})
    bare["plans"][0]["supplies"][0]["bank"] = None
    with pytest.raises(DocumentFaults):
        read_site(bare)


def test_a_longer_run_never_looks_worse():
    """Test per cent and condition grow with the hours, within slow and within fast."""
    plan = to_core(read_site(site(*({"ran_h": h, "current_a": 0.85} for h in (3.0, 8.0, 14.0, 19.0))))).plans[0]
    told = [result_of_test(plan.supplies[0], t) for t in plan.tests_of("s")]
    for name in ("test_ratio", "condition_ratio"):
        values = [getattr(t, name) for t in told]
        assert values == sorted(values)
    assert all(t.ended is DischargeEnd.END_VOLTAGE for t in plan.tests)
