"""Sampled outages: the vectorised run is the scalar run, the same for a seed, and agrees with the band by root of squares."""

from dataclasses import replace

import numpy as np
import pytest
from builders import core_plan, document

from ypomoni.core.outage.band import estimate_band
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.survival import DEFAULT_SEED, draw_inputs, sample_holdovers, scalar_holdover_h, survival_curve
from ypomoni.core.things.totals import MeasuredTotal

TRANSMIT = {"current_a": 1.9, "duration_s": 12, "per_hour": 2}
GUESSED = {"standby": {"current_a": 0.3, "provenance": "estimate"}, "alarm": {"current_a": 1.5, "provenance": "estimate"}}
LOGGERS = {
    "quantity": 4,
    "standby": {"current_a": 0.01, "provenance": "data_sheet"},
    "bursts": [{"current_a": 0.8, "duration_s": 30, "per_hour": 4}],
}
LESS = {
    "standby": {"current_a": 0.4, "provenance": "data_sheet"},
    "alarm": {"current_a": 0.1, "provenance": "data_sheet"},
    "bursts": [TRANSMIT],
}
OFTEN = {"standby": {"current_a": 0.02, "provenance": "data_sheet"}, "bursts": [{"current_a": 0.4, "duration_s": 5, "per_hour": 20}]}
CASES = {
    "no alarm": ({}, [{}], {"alarm_min": 0}),
    "guesses": ({}, [GUESSED], {}),
    "power in bursts": ({}, [{}, {"behaviour": "constant_power", "bursts": [TRANSMIT]}], {}),
    "staggered pieces": ({}, [{}, LOGGERS], {}),
    "less in alarm": ({}, [LESS], {}),
    "resistive, at the end of a cable": (
        {},
        [
            {"behaviour": "resistive"},
            {
                "min_v": 10.8,
                "standby": {"current_a": 0.2},
                "cable": {"length_m": 20, "section_mm2": 0.5},
                "bursts": [{**TRANSMIT, "current_a": 0.5}],
            },
        ],
        {},
    ),
    "many bursts before the end": ({}, [OFTEN], {}),
    "alarms that fail only just after a burst": (
        {"bank": {"capacity_ah": 12}},
        [
            {
                "behaviour": "resistive",
                "standby": {"current_a": 0.027},
                "alarm": {"current_a": 0.485, "provenance": "measured"},
                "bursts": [{"current_a": 0.875, "duration_s": 1, "per_hour": 12}],
            }
        ],
        {"alarm_min": 120},
    ),
    "a burst that trips it long before its charge is spent": (
        {"bank": {"capacity_ah": 12, "condition_ratio": 0.6}},
        [{"standby": {"current_a": 0.02, "provenance": "data_sheet"}, "bursts": [{"current_a": 3.0, "duration_s": 3, "per_hour": 20}]}],
        {"alarm_min": 0},
    ),
}


def case_of(name):
    supply, loads, requirement = CASES[name]
    plan = core_plan(document(supply, loads, requirement))
    return Case(plan.supplies[0], plan.loads)


# What takes half a minute is seen in the long run.
SLOW = "alarms that fail only just after a burst"


@pytest.mark.parametrize("name", [pytest.param(n, marks=[pytest.mark.long] if n == SLOW else []) for n in CASES])
def test_fifty_samples_are_what_the_scalar_run_gives(name):
    """Within a second or 0.1 %, whatever the behaviour, with an alarm sought at every change of the pattern."""
    case = case_of(name)
    ours = sample_holdovers(case, 50).holdovers_h
    inputs = draw_inputs(case, 50, DEFAULT_SEED)
    theirs = np.array([scalar_holdover_h(case, inputs, n) for n in range(50)])
    assert np.all(np.abs(ours - theirs) <= np.maximum(1 / 3600, 1e-3 * theirs))
    assert theirs.std() > 0


@pytest.mark.parametrize("name", ["guesses", "power in bursts", "staggered pieces", "less in alarm"])
def test_a_thousand_samples_agree_with_the_band_within_ten_percent(name):
    """Both limits of 95 %, with wide and narrow inputs."""
    case = case_of(name)
    band, _ = estimate_band(case, case.holdover().holdover_h)
    curve = survival_curve(sample_holdovers(case, 1000).holdovers_h, 24.0, DEFAULT_SEED)
    assert curve.low_h == pytest.approx(band.low, rel=0.1)
    assert curve.median_h == pytest.approx(band.expected, rel=0.05)
    assert curve.high_h == pytest.approx(band.high, rel=0.1)


def test_a_total_that_was_read_narrows_the_samples_as_it_narrows_the_band():
    """Three guesses behind a total known to 10 mA: both are less than two thirds as wide as without it, and agree; the loads still vary apart."""
    loads = [{"standby": {"current_a": a, "provenance": "estimate"}} for a in (0.1, 0.2, 0.15)]
    plan = core_plan(document({}, loads, {"alarm_min": 0}))
    total = MeasuredTotal(in_alarm=False, current_a=0.45, uncertainty_a=0.01, at_v=12.0, load_keys=frozenset(x.key for x in plan.loads))
    known, open_ = (Case(replace(plan.supplies[0], totals=totals), plan.loads) for totals in ((total,), ()))
    curves = [survival_curve(sample_holdovers(case, 1000).holdovers_h, 24.0, DEFAULT_SEED) for case in (known, open_)]
    band, _ = estimate_band(known, known.holdover().holdover_h)
    widths = [c.high_h - c.low_h for c in curves]
    assert widths[0] < 0.67 * widths[1]
    assert (curves[0].low_h, curves[0].high_h) == (pytest.approx(band.low, rel=0.05), pytest.approx(band.high, rel=0.05))
    inputs = draw_inputs(known, 400, DEFAULT_SEED)
    assert inputs.standby_z.std(axis=0).min() > 0.5
    assert (inputs.standby_z @ (0.4 * np.array([0.1, 0.2, 0.15]))).std() < 0.011


def test_samples_are_the_same_for_a_seed_however_they_are_asked_for():
    """In one go or in chunks; another seed gives others."""
    case = case_of("guesses")
    whole = sample_holdovers(case, 40).holdovers_h
    parts = np.concatenate([sample_holdovers(case, 15).holdovers_h, sample_holdovers(case, 25, first=15).holdovers_h])
    assert np.allclose(whole, parts, rtol=1e-9)
    assert not np.allclose(whole, sample_holdovers(case, 40, seed=7).holdovers_h)


def test_the_curve_falls_from_certain_to_never_and_says_how_often_enough():
    """By hand: four ends, of which three are past the required ten hours."""
    curve = survival_curve(np.array([5.0, 12.0, 20.0, 30.0]), 10.0, 1)
    assert curve.meets_ratio == 0.75
    assert curve.holds_ratio[0] == 1.0
    assert curve.holds_ratio[-1] == 0.0
    assert list(curve.holds_ratio) == sorted(curve.holds_ratio, reverse=True)
    at_11 = min(range(len(curve.hours_h)), key=lambda n: abs(curve.hours_h[n] - 11.0))
    assert curve.holds_ratio[at_11] == 0.75
