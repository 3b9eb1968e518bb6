"""What a battery fuse carries: the time curve against points worked by hand, its currents against a slow walk through every way of placing the bursts."""

import itertools
import math

import pytest
from builders import codes, core_plan, document, evaluate, merged, ups, watts
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.evaluation.building import protect, wired
from ypomoni.core.evaluation.recommending import judge_briefly
from ypomoni.core.judgement.protection import OF_WIRING
from ypomoni.core.outage.case import Case
from ypomoni.core.things.protection import FuseKind
from ypomoni.core.wiring.fuses import (
    CONTINUOUS_S,
    SOLD_FUSES_A,
    Pulse,
    fuse_kind_of,
    fuse_need,
    greatest_multiple,
    is_carried,
    opening_s,
)

MEASURED = {"provenance": "measured"}


def need_of(**changes):
    """Return what goes through the fuse of a supply of the builders."""
    plan = core_plan(document(**changes))
    supply = plan.supplies[0]
    return fuse_need(supply, Case(supply, plan.loads_on("s")))


@pytest.mark.parametrize(
    ("ratio", "seconds"),
    [
        (1.1, math.inf),
        (1.11, 0.75),
        (1.35, 0.75),
        (1.6, 0.25),
        (2.0, 0.15),
        # Half-way between 200 and 350 % on the logarithm of both.
        (math.sqrt(2.0 * 3.5), math.sqrt(0.15 * 0.08)),
        (3.5, 0.08),
        (6.0, 0.03),
        # Above 600 % by its heat alone: 100 · t = 0.5.
        (10.0, 0.005),
    ],
)
def test_a_blade_fuse_opens_no_earlier_than_its_standard_says(ratio, seconds):
    """Points of ISO 8820-3, and what lies between them."""
    assert opening_s(ratio) == pytest.approx(seconds)


@given(st.floats(0.001, 900.0), st.floats(0.5, 60.0), st.sampled_from([FuseKind.BLADE, FuseKind.BOLTED]))
def test_the_curve_reads_the_same_both_ways(duration_s, current_a, kind):
    """Just above the rating that `greatest_multiple` names a pulse is carried, a hundredth below it is not."""
    least_a = current_a / greatest_multiple(duration_s, kind)
    pulse = Pulse(current_a=current_a, duration_s=duration_s)
    assert is_carried(pulse, least_a * 1.0001, kind)
    assert not is_carried(pulse, least_a * 0.99, kind)


def test_what_was_accepted_on_the_wrong_side_of_the_curve_is_found():
    """15 A for 50 s on 7.5 A, and 30 A for 0.4 s on 1 A, are not carried and not chosen; the next sizes that do are."""

    def with_burst(current_a, duration_s, fuse_a):
        bank = {"capacity_ah": 9, "protection": {"fuse_a": fuse_a, "fuse_dc_v": 32}, "lead": {"length_m": 0.5, "section_mm2": 10}}
        burst = {"name": "Motor", "current_a": current_a, "duration_s": duration_s, "per_hour": 2}
        load = {"standby": {"current_a": 0.1, **MEASURED}, "bursts": [burst]}
        return {"supply": {"bank": bank, "output_limit_a": None, "charge_limit_a": 0.7, "supply_current_a": 2}, "loads": [load]}

    # 15.18 A at the high end over 1.1, and 30.33 A over what a fuse carries for 0.4 s.
    for current_a, duration_s, too_small_a, chosen_a in ((15.0, 50.0, 7.5, 15.0), (30.0, 0.4, 1.0, 25.0)):
        changes = with_burst(current_a, duration_s, too_small_a)
        assert "fuse_below_load" in codes(evaluate(**changes))
        assert "fuse_below_load" not in codes(evaluate(**with_burst(current_a, duration_s, chosen_a)))
        plan = core_plan(document(**changes))
        assert protect(plan.supplies[0], plan.loads_on("s")).choice.fuse_a == chosen_a


BURSTS = st.fixed_dictionaries(
    {
        "current_a": st.floats(0.2, 8.0),
        "duration_s": st.sampled_from([0.2, 1.0, 3.0, 20.0, 110.0]),
        "per_hour": st.sampled_from([1.0, 6.0, 12.0, 30.0]),
        "quantity": st.integers(1, 3),
    }
)


@settings(max_examples=60, deadline=None)
@given(st.lists(BURSTS, min_size=1, max_size=3), st.sampled_from([0.4, 3.0, 60.0, CONTINUOUS_S]))
def test_no_placing_of_the_bursts_heats_more_than_is_reckoned_with(bursts, window_s):
    """Every start of every burst is tried on a grid: the greatest effective current stays at or under the one that is used, and loads that begin together reach it."""
    loads = [
        {
            "quantity": b["quantity"],
            "standby": {"current_a": 0.1, **MEASURED},
            "bursts": [{"name": "b", "current_a": b["current_a"], "duration_s": b["duration_s"], "per_hour": b["per_hour"]}],
        }
        for b in bursts
    ]
    need = need_of(loads=loads, supply={"output_limit_a": None})
    high = lambda a: a + 0.01 * a + 3 * _digit_a(a)  # noqa: E731
    rest_a = sum(b["quantity"] * high(0.1) for b in bursts)
    found = 0.0
    for shifts in itertools.product(*(_starts_s(b, window_s) for b in bursts)):
        square = _square_of(bursts, shifts, window_s, rest_a, high)
        found = max(found, math.sqrt(square / window_s))
    # A window that is shorter than every burst is one within a burst.
    until_s = max(window_s, min(b["duration_s"] for b in bursts))
    pulses_a = [p.current_a for p in need.pulses if p.duration_s <= until_s and not p.in_alarm]
    reckoned_a = need.standby_a if window_s == CONTINUOUS_S else max([need.standby_a, *pulses_a])
    assert found <= reckoned_a * (1 + 1e-9)
    if window_s == CONTINUOUS_S and len(bursts) == 1:
        assert found == pytest.approx(reckoned_a, rel=1e-6)


def _digit_a(current_a):
    """Return one digit of a meter of 4,000 counts at a current. [A]"""
    return next(r for r in (0.0004, 0.004, 0.04, 0.4, 4.0, 40.0) if current_a <= r) / 4000


def _starts_s(burst, window_s):
    """Return starts of a burst to try: with the window, before it, ending with it. [s]"""
    return (0.0, -0.5 * burst["duration_s"], window_s - burst["duration_s"])


def _square_of(bursts, shifts, window_s, rest_a, high):
    """Return ∫i² over a window, by every edge within it. [A²s]"""
    spans = []
    for burst, shift in zip(bursts, shifts, strict=True):
        period_s = 3600 / burst["per_hour"]
        extra_a = burst["quantity"] * max(0.0, high(burst["current_a"]) - high(0.1))
        for n in range(-2, math.ceil(window_s / period_s) + 3):
            spans.append((shift + n * period_s, shift + n * period_s + burst["duration_s"], extra_a))
    edges = sorted({0.0, window_s, *(t for a, b, _ in spans for t in (a, b) if 0 < t < window_s)})
    return sum(
        (b - a) * (rest_a + sum(extra for start, end, extra in spans if start <= (a + b) / 2 < end)) ** 2
        for a, b in itertools.pairwise(edges)
    )


def test_loads_stand_at_the_high_end_and_power_at_the_lowest_voltage():
    """An estimate of 1 A may be 1.4 A; 12 W of it are 1.6 A at 10.5 V; 12 Ω take 1.1375 A at 13.65 V; a nameplate stands for itself."""
    for load, current_a in (
        ({"standby": {"current_a": 1.0, "provenance": "estimate"}}, 1.4),
        ({"standby": {"current_a": 1.0, "provenance": "estimate"}, "behaviour": "constant_power"}, 1.4 * 12 / 10.5),
        ({"standby": {"current_a": 1.0, "provenance": "data_sheet"}, "behaviour": "resistive"}, 1.15 * 13.65 / 12),
        ({"standby": {"current_a": 1.0, "provenance": "nameplate"}}, 1.0),
    ):
        need = need_of(loads=[load], supply={"own_current_a": 0.05})
        assert need.standby_a == pytest.approx(current_a + 0.05)
        # The charge is judged by itself, with the loads off.
        assert need.charge_a == pytest.approx(1.7)


def test_a_charge_of_which_one_limit_is_not_known_counts_by_the_other():
    """Limit and supply current, either alone, neither; panels by what they give into a short."""
    for limit_a, supply_a, charge_a in ((1.7, 3.0, 1.7), (4.0, 3.0, 3.0), (None, 3.0, 3.0), (1.7, None, 1.7), (None, None, None)):
        assert need_of(supply={"charge_limit_a": limit_a, "supply_current_a": supply_a}).charge_a == charge_a
    solar = {"controller": "pwm", "panel_imp_a": 1.15, "panel_isc_a": 1.25, "panels_count": 2, "sun_h_by_month": [3] * 12}
    sunny = {"kind": "solar", "charge_limit_a": None, "supply_current_a": None, "solar": solar}
    assert need_of(supply=sunny).charge_a == pytest.approx(2.5)
    assert need_of(supply=sunny | {"charge_limit_a": 2.0}).charge_a == pytest.approx(2.0)
    tracking = merged(sunny, {"solar": {"controller": "mppt", "panel_w": 20}})
    assert need_of(supply=tracking).charge_a == pytest.approx(40 / 10.5)


def test_the_fuse_of_a_ups_is_chosen_by_its_rating_and_judged_by_its_loads():
    """510 W over 0.85 and 14 W more at 10.5 V are 58.5 A; 40 A carries 100 W of today and is told to be under the rating."""
    plan = core_plan(document(supply=ups(bank={"capacity_ah": 9}), loads=[watts(100)]))
    supply = plan.supplies[0]
    need = fuse_need(supply, Case(supply, plan.loads_on("s")))
    assert [p.current_a for p in need.rated] == pytest.approx([(14 + 510 / 0.85) / 10.5, 2 * 850 / 0.85 / 10.5])
    chosen = protect(supply, plan.loads_on("s"))
    assert chosen.choice.fuse_a >= 1.25 * (14 + 510 / 0.85) / 10.5
    assert chosen.protection.fuse_kind is FuseKind.BOLTED


def test_pulses_with_short_pauses_count_as_one():
    """Two pulses of 5 s at 4 A, 2 s apart: each alone and both as one of 12 s; 12 s apart they are two."""
    bursts = lambda gap_s: [  # noqa: E731
        {"name": "a", "current_a": 4.0, "duration_s": 5, "per_hour": 1, "offset_s": 0},
        {"name": "b", "current_a": 4.0, "duration_s": 5, "per_hour": 1, "offset_s": 5 + gap_s},
    ]
    joined = need_of(loads=[{"standby": {"current_a": 0.0, **MEASURED}, "bursts": bursts(2)}])
    apart = need_of(loads=[{"standby": {"current_a": 0.0, **MEASURED}, "bursts": bursts(12)}])
    assert [p.duration_s for p in joined.pulses if not p.in_alarm] == [5.0, 12.0]
    assert [p.duration_s for p in apart.pulses if not p.in_alarm] == [5.0]


def test_a_fuse_bears_what_its_charger_can_be_set_to_in_the_cold():
    """48 V of lead, ended by current, at 0 °C: 24 · 2.5125 = 60.3 V, so 58 V are too few; a charger that is known not to follow stays at 58.8 V or less."""
    bank = {
        "series": 4,
        "capacity_ah": 7,
        "protection": {"fuse_a": 5, "fuse_dc_v": 58, "fuse_breaks_a": 3000},
        "lead": {"length_m": 0.5, "section_mm2": 1.5},
    }
    base = {"nominal_v": 48, "cutoff_v": 42, "charge_v": 57.6, "charge_mode": "cyclic", "charge_ends": "current", "bank": bank}
    made = lambda **more: {"supply": merged(base, more), "loads": [{"rail_v": 48}], "site": {"min_degc": 0, "typical_degc": 25}}  # noqa: E731
    assert "fuse_voltage" in codes(evaluate(**made(charge_compensated=True)))
    assert "fuse_voltage" in codes(evaluate(**made(charge_compensated=None)))
    assert "fuse_voltage" not in codes(evaluate(**made(charge_compensated=False)))
    plan = core_plan(document(**made(charge_compensated=True)))
    assert protect(plan.supplies[0], plan.loads_on("s")).fuse_dc_v == 80.0


def test_a_thick_lead_that_is_there_is_never_replaced():
    """50 mm² and even 120 mm², which is not listed, stay; one that is too thin is replaced, and that is said."""
    for section_mm2, stays in ((50, True), (120, True), (0.5, False)):
        plan = core_plan(document(supply={"bank": {"capacity_ah": 9, "lead": {"length_m": 0.5, "section_mm2": section_mm2}}}))
        chosen = protect(plan.supplies[0], plan.loads_on("s"))
        assert (chosen.choice.lead_mm2 == section_mm2) is stays
        assert chosen.replaces_mm2 == (None if stays else section_mm2)


@settings(max_examples=80, deadline=None)
@given(
    st.fixed_dictionaries(
        {
            "capacity_ah": st.sampled_from([4.0, 7.0, 17.0, 38.0, 100.0]),
            "parallel": st.integers(1, 3),
            "current_a": st.floats(0.02, 9.0),
            "provenance": st.sampled_from(["measured", "data_sheet", "nameplate", "estimate"]),
            "behaviour": st.sampled_from(["constant_current", "constant_power", "resistive"]),
            "alarm_a": st.floats(0.02, 12.0),
            "burst_a": st.floats(0.1, 30.0),
            "burst_s": st.sampled_from([0.02, 0.1, 0.4, 2.0, 70.0]),
            "per_hour": st.sampled_from([1.0, 20.0]),
            "compensated": st.sampled_from([True, False, None]),
        }
    )
)
def test_what_is_chosen_earns_nothing_over_random_banks(c):
    """What `protect` chooses is put in and judged by the tests of what is entered: none of the wiring is found."""
    load = {
        "standby": {"current_a": c["current_a"], "provenance": c["provenance"]},
        "alarm": {"current_a": c["alarm_a"], "provenance": c["provenance"]},
        "behaviour": c["behaviour"],
        "bursts": [{"name": "b", "current_a": c["burst_a"], "duration_s": c["burst_s"], "per_hour": c["per_hour"]}],
    }
    supply = {"bank": {"capacity_ah": c["capacity_ah"], "parallel": c["parallel"]}, "charge_compensated": c["compensated"]}
    plan = core_plan(document(supply=supply, loads=[load]))
    built = wired(plan.supplies[0], plan.loads_on("s"))
    assert {f.code for f in judge_briefly(built, plan.loads_on("s")).findings} & OF_WIRING == set()
    chosen = protect(plan.supplies[0], plan.loads_on("s"))
    # Nothing smaller of the same kind would do.
    if chosen.choice is not None:
        kind = fuse_kind_of(chosen.choice.fuse_a)
        smaller = [a for a in SOLD_FUSES_A if a < chosen.choice.fuse_a and fuse_kind_of(a) is kind]
        assert not any(chosen.need.for_rating.is_carried_by(a, kind) for a in smaller)
