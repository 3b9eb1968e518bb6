"""UPS and DC UPS against the one-second referee, their light loads, their timed runs, and what of them is a fault."""

import random

import pytest
import referee
from builders import LOAD, audited, case_of, codes, core_plan, dc_ups, document, evaluate, merged, reading, ups, watts
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.balance.moves import why_not
from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.core.measuring.reconciliation import reconcile_plan
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.identifying import identify, run_time_h
from ypomoni.core.outage.playing import Conditions, play_supply
from ypomoni.core.outage.survival import sample_holdovers
from ypomoni.core.outage.why import why_it_ends
from ypomoni.documents.faults import DocumentFaults
from ypomoni.documents.site_file import read_site

BANKS = {
    "lead_agm": {"chemistry": "lead_agm", "block_v": 12, "capacity_ah": 9, "condition_ratio": 0.9},
    "lead_gel": {"chemistry": "lead_gel", "block_v": 12, "capacity_ah": 9, "condition_ratio": 1},
    "lifepo4": {"chemistry": "lifepo4", "block_v": 12.8, "capacity_ah": 12, "condition_ratio": 1},
    "li_ion": {"chemistry": "li_ion", "block_v": 11.1, "capacity_ah": 10, "condition_ratio": 1},
    "nimh": {"chemistry": "nimh", "block_v": 12, "capacity_ah": 8, "condition_ratio": 1},
}
BURST = {"name": "b", "current_a": 0.9, "duration_s": 20, "per_hour": 3, "offset_s": 0}


def battery_w(behaviour, converter, current_a, rail_v, output_v):
    """Return what one piece takes of an output: the definitions, written out a second time."""
    if converter == "switching":
        return current_a * rail_v / 0.8
    if converter == "linear" or behaviour == "constant_current":
        return current_a * output_v
    return current_a * rail_v if behaviour == "constant_power" else output_v**2 * current_a / rail_v


def refereed_s(case, standby_w, alarm_w, burst_w, alarm_at_s=1e9, alarm_s=0.0):
    """Return when the referee's battery ends under powers that are known, with the burst in standby and in alarm."""
    pack = referee.plain(case.run().pack)
    burst = {k: BURST[k] for k in ("duration_s", "per_hour", "offset_s")} | {"current_a": burst_w}
    load = {
        "behaviour": "constant_power",
        "standby_a": standby_w,
        "alarm_a": alarm_w,
        "bursts": [burst] if burst_w else [],
        "quantity": 1,
        "rail_v": 1.0,
    }
    own_a, ends_v = case.supply.own_current_a, case.threshold.threshold_v
    start = (0.0, case.run().pack.start_u_ah, 0.0)
    return referee.run(pack, [load], own_a, ends_v, alarm_at_s, alarm_s, start=start)


CASES = [
    (chemistry, kind, behaviour, converter)
    for chemistry in BANKS
    for kind in ("ac", "dc")
    for behaviour, converter in (
        ("constant_current", None),
        ("constant_power", None),
        ("resistive", None),
        ("constant_current", "switching"),
        ("constant_current", "linear"),
    )
]


@pytest.mark.parametrize(("chemistry", "kind", "behaviour", "converter"), random.Random(14).sample(CASES, 20))
def test_a_regulated_output_agrees_with_the_referee(chemistry, kind, behaviour, converter):
    """Within 1 s or 0.1 %: standby alone, and the alarm that is just carried, for every way a load may draw."""
    output_v, burn_w, eta = (230.0, 14.0, 0.85) if kind == "ac" else (12.0, 0.5, 0.9)
    rail_v = 5.0 if converter else 1.04 * output_v
    one_a = 12.0 / (rail_v if converter != "linear" else output_v)
    load = {
        "rail_v": rail_v,
        "behaviour": behaviour,
        "standby": {"current_a": one_a},
        "alarm": {"current_a": 2 * one_a, "provenance": "measured"},
    }
    if converter:
        load["converter"] = {"kind": converter, "efficiency_ratio": 0.8}
    load["bursts"] = [BURST | {"current_a": 1.5 * one_a}]
    more = {"bank": BANKS[chemistry], "cutoff_v": 10.0, "own_current_a": 0.02, "charge_v": None}
    supply = ups(**more) if kind == "ac" else dc_ups(**more, dc={"idle_power_w": 0.5})
    case = case_of(supply, [load], requirement={"alarm_min": 6})

    def asked_w(current_a):
        return burn_w + battery_w(behaviour, converter, current_a, rail_v, output_v) / eta

    powers = asked_w(one_a), asked_w(2 * one_a), asked_w(1.5 * one_a)
    holdover = case.holdover()
    ends_s = refereed_s(case, *powers)
    assert abs(holdover.endurance_h * 3600 - ends_s) <= max(1.0, 0.001 * ends_s)
    margin_s = max(2.0, 0.001 * holdover.holdover_h * 3600)
    assert refereed_s(case, *powers, holdover.holdover_h * 3600 - margin_s, 360) is None
    if holdover.holdover_h < holdover.endurance_h:
        assert refereed_s(case, *powers, holdover.holdover_h * 3600 + margin_s, 360) is not None


def test_an_output_that_lets_the_battery_through_is_a_boxed_supply():
    """Idle power and least input still count; without them every figure is that of the boxed supply."""
    loads = [{"min_v": 10.8, "bursts": [BURST]}]
    boxed = case_of({}, loads).holdover().holdover_h
    straight = {"efficiency_ratio": None, "idle_power_w": 0}
    assert case_of(dc_ups(dc=straight), loads).holdover().holdover_h == pytest.approx(boxed, rel=1e-12)
    assert case_of(dc_ups(dc=straight | {"min_input_v": 11.5}), loads).holdover().holdover_h < boxed
    assert case_of(dc_ups(dc=straight | {"idle_power_w": 1.0}), loads).holdover().holdover_h < boxed


def test_the_larger_ups_lasts_shorter_at_a_light_load():
    """Overhead grows with the rating: at 10 W the small one wins although its battery is smaller, at 200 W it loses."""

    def hours(rated_va, capacity_ah, power_w):
        supply = ups(bank={"capacity_ah": capacity_ah}, ac={"rated_va": rated_va, "rated_w": 0.6 * rated_va, "overhead_w": None})
        return evaluate(supply=supply, loads=[watts(power_w)], requirement={"alarm_min": 0}).holdover.expected

    assert hours(550, 7, 10) > hours(3000, 9, 10)
    assert hours(550, 7, 200) < hours(3000, 9, 200)


def test_what_a_light_load_ends_is_at_most_that_in_every_figure():
    """Holdover, endurance, band, scenarios, samples and the played outage: all say five minutes, and no battery is offered."""
    site = {"supply": ups(ac={"light_load_off_w": 40}), "loads": [watts(26)]}
    result = evaluate(**site)
    assert result.limited_by == "light_load"
    shown = [result.endurance_h, *(getattr(result.holdover, n) for n in ("low", "expected", "high"))]
    shown += [getattr(result.scenarios, n) for n in ("fresh", "cold", "end_of_life", "worst")]
    assert shown == [pytest.approx(5 / 60)] * 8
    assert result.recommended_bank is None
    assert "switches off" in result.no_bank_reason
    case = case_of(site["supply"], site["loads"])
    assert list(sample_holdovers(case, 20).holdovers_h) == [pytest.approx(5 / 60)] * 20
    played = play_supply(case, Conditions())
    assert played.lasts_h == pytest.approx(5 / 60)
    assert why_it_ends(case, Conditions(), played).code == "light_load"


def test_a_supply_that_sleeps_between_bursts_is_that_of_the_referee():
    """Asleep its own current alone, from each burst until so long after it what stands by as well."""
    load = {"essential": False, "standby": {"current_a": 0.03}, "bursts": [BURST | {"current_a": 0.5, "per_hour": 6}]}
    supply = dc_ups(own_current_a=0.002, bank={"capacity_ah": 1.2, "condition_ratio": 1}, dc={"sleep_below_a": 0.06, "idle_power_w": 0.3})
    case = case_of(supply, [load], requirement={"alarm_min": 0})
    rest_w, burst_w = 0.3 + 0.03 * 12 / 0.9, 0.3 + 0.5 * 12 / 0.9
    pack, t, u, d = referee.plain(case.run().pack), 0, 0.0, 0.0
    while True:
        since = t % 600
        power_w = burst_w if since < 20 else rest_w if since < 50 else 0.0
        current, v = referee.voltage(pack, u, d, 0.002, power_w, 0.0)
        if v < 10.5:
            break
        u, d, t = u + (current + pack["lost"]) / 3600, d + pack["k"] * (current * pack["r1"] - d) / 3600, t + 1
    assert case.holdover().holdover_h * 3600 == pytest.approx(t, rel=1e-3)


@pytest.mark.long
def test_timed_runs_tell_what_was_hidden():
    """Overheads within 5 % and conditions within 0.03 from runs with 1 % noise; what is told replaces what was stated, everywhere."""
    rng = random.Random(7)
    for _ in range(6):
        overhead_w, condition = rng.uniform(8, 40), rng.uniform(0.5, 1.0)
        case = case_of(ups(bank={"capacity_ah": rng.choice([7, 9, 18]), "condition_ratio": None, "age_y": 1}), [watts(26)])
        outputs = [rng.uniform(0.3, 0.6) * overhead_w, 0.8 * overhead_w, rng.uniform(3, 5) * overhead_w, 6 * overhead_w]
        runs = [
            {"output_w": w, "run_h": run_time_h(case.supply, case.supply.ac, w, overhead_w, condition) * (1 + rng.gauss(0, 0.01))}
            for w in outputs
        ]
        supply = ups(bank={"capacity_ah": case.bank.capacity_ah, "condition_ratio": None, "age_y": 1}, timed_runs=runs)
        result = evaluate(supply=supply, loads=[watts(26)])
        assert result.identified.overhead_w == pytest.approx(overhead_w, rel=0.05)
        assert result.identified.condition_ratio == pytest.approx(condition, abs=0.03)
        said = ups(
            bank={"capacity_ah": case.bank.capacity_ah, "condition_ratio": result.identified.condition_ratio, "age_y": 1},
            ac={"overhead_w": result.identified.overhead_w},
        )
        assert evaluate(supply=said, loads=[watts(26)]).holdover == result.holdover


def test_runs_too_alike_tell_the_overhead_alone():
    """Outputs within a factor of three, or a measured condition: the condition is null, and one run is met exactly."""
    case = case_of(ups(bank={"condition_ratio": None}), [watts(26)])
    for bank, outputs in (({"condition_ratio": None}, (30, 80)), ({"condition_ratio": 1.0}, (30, 200)), ({"condition_ratio": None}, (30,))):
        runs = [{"output_w": w, "run_h": run_time_h(case.supply, case.supply.ac, w, 20.0, 1.0)} for w in outputs]
        found = identify(case_of(ups(bank=bank, timed_runs=runs), [watts(26)]).supply) or identify(
            core_plan(document(ups(bank=bank, timed_runs=runs), [watts(26)])).supplies[0]
        )
        assert found.condition_ratio is None
        assert (found.overhead_w, found.worst_error_ratio) == (pytest.approx(20.0, rel=1e-3), pytest.approx(0, abs=1e-4))


def test_a_guessed_overhead_is_in_the_band():
    """2 % of the rating, half off either way: the band is wider than with the same overhead known, and its share is told."""
    loads = [watts(26)]
    known, guessed = (evaluate(supply=ups(ac={"overhead_w": w}), loads=loads) for w in (17.0, None))
    assert guessed.holdover.expected == pytest.approx(known.holdover.expected)
    assert guessed.holdover.low < known.holdover.low < known.holdover.high < guessed.holdover.high
    assert {i.key for i in guessed.band_inputs} - {i.key for i in known.band_inputs} == {"overhead"}


def test_mains_carries_the_loads_of_a_ups_so_they_leave_its_charger_alone():
    """Recovery is the charge limit's alone, whatever hangs on it; a DC UPS shares its current."""
    assert evaluate(supply=ups(), loads=[watts(5)]).recovery_h == evaluate(supply=ups(), loads=[watts(300)]).recovery_h
    shared = [evaluate(supply=dc_ups(supply_current_a=2.0), loads=[{"standby": {"current_a": a}}]).recovery_h for a in (0.1, 1.0)]
    assert shared[0] < shared[1]


FAULTS = {
    "ac": ({"supply": ups(ac={"rated_w": 900}), "loads": [watts(20)]}, "rated_w must not be above rated_va"),
    "supply": ({"loads": [merged(watts(20), {"ac": {"power_w": 20.0}})]}, "gives DC, for a load that draws from AC"),
    "rail_v": ({"supply": ups()}, "within 20 % of the supply's output_v (230 V)"),
    "min_v": ({"supply": dc_ups(), "loads": [{"min_v": 12.5}]}, "must not be above the 12 V that the output"),
    "run_h": (
        {"supply": ups(timed_runs=[{"output_w": 20, "run_h": 30}]), "loads": [watts(20)]},
        "longer than this battery could ever give",
    ),
    "ac.min_v": ({"supply": ups(), "loads": [watts(20, min_v=100)]}, "must not be below half of the output's 230 V"),
}


@pytest.mark.parametrize("path", FAULTS)
def test_what_no_output_can_give_is_a_fault_at_its_field(path):
    """Each at its own field, with what would be right."""
    site, words = FAULTS[path]
    with pytest.raises(DocumentFaults) as raised:
        read_site(document(**site))
    (fault,) = raised.value.faults
    assert fault.path.endswith(path.rpartition(".")[2])
    assert words in fault.message


def test_a_load_moves_between_outputs_that_suit_it_and_says_why_not():
    """AC to DC and DC to AC are refused with their reason; an AC load may move from one UPS to another, a DC load to a regulated 12 V."""
    found = document(supply=ups(), loads=[watts(20, key="rec", ac={"power_w": 20.0}), merged(LOAD, {"key": "beam", "supply": "b"})])
    plan = found["plans"][0]
    base = document()["plans"][0]["supplies"][0]
    plan["supplies"] += [
        merged(base, {"key": "b", "name": "Bay"}),
        merged(base, dc_ups(key="d")),
        merged(plan["supplies"][0], {"key": "v"}),
    ]
    core = core_plan(found)
    assert "it draws from AC, and Bay gives DC" in why_not(core, {"rec": 1}, "b")
    assert "it runs on DC, and UPS gives AC" in why_not(core, {"beam": 1}, "s")
    assert (why_not(core, {"rec": 1}, "v"), why_not(core, {"beam": 1}, "d")) == ("", "")


@settings(deadline=None, max_examples=25)
@given(
    st.sampled_from(["ac", "dc"]),
    st.floats(0.01, 400),
    st.floats(0.01, 60),
    st.floats(0.3, 1),
    st.one_of(st.none(), st.floats(0.01, 500)),
    st.sampled_from(list(BANKS)),
    st.booleans(),
)
def test_any_output_gives_finite_figures_or_says_why_not(kind, power_w, burn_w, eta, light, chemistry, has_burst):
    """No case crashes, no figure is NaN, and what is recommended, put back, does not fail for what it could have avoided."""
    bursts = [BURST | {"current_a": power_w / 100}] if has_burst else []
    if kind == "ac":
        output = {"overhead_w": burn_w, "efficiency_ratio": eta, "light_load_off_w": light}
        supply, load = ups(bank=BANKS[chemistry], charge_v=None, cutoff_v=10, ac=output), watts(power_w, bursts=bursts)
    else:
        output = {"idle_power_w": burn_w, "efficiency_ratio": eta, "sleep_below_a": light and light / 12}
        supply = dc_ups(bank=BANKS[chemistry], charge_v=None, cutoff_v=10, dc=output)
        load = {"standby": {"current_a": power_w / 12}, "bursts": bursts}
    result = evaluate(supply=supply, loads=[load], requirement={"standby_h": 1, "recharge_h": None, "alarm_min": 5})
    assert result.holdover is None or 0 <= result.holdover.low <= result.holdover.expected <= result.holdover.high <= 87_600
    if result.recommended_bank is not None:
        bank = {k: getattr(result.recommended_bank, k) for k in ("chemistry", "block_v", "capacity_ah", "rate_h", "series", "parallel")}
        again = evaluate(
            supply=merged(supply, {"bank": bank | {"condition_ratio": 1}}),
            loads=[load],
            requirement={"standby_h": 1, "recharge_h": None, "alarm_min": 5},
        )
        assert "holdover_below_requirement" not in codes(again)
        assert "current_above_cell" not in codes(again)


def test_a_supply_without_its_part_is_kept_and_not_guessed_at():
    """Unknown, with the part by name, and what can be judged without hours still is."""
    plan = evaluate_plan(core_plan(document(supply={"kind": "ac_ups"}, loads=[watts(20, rail_v=110)])))
    (supply,) = plan.supplies
    assert (supply.limited_by, supply.verdict, supply.holdover, codes(supply)) == (
        "not_modelled_yet",
        "unknown",
        None,
        {"part_missing": "note"},
    )
    assert Case(core_plan(document()).supplies[0], ()).supply.missing_part is None


def test_what_is_read_behind_an_output_is_compared_with_what_the_output_gives():
    """A device read at 230 V agrees with its watts, whatever the battery gives for it; the battery itself is not added up with it."""
    found = audited(supply=ups(), loads=[watts(46, ac={"power_w": 46.0})], readings=[])
    points = found["plans"][0]["points"]
    device = next(p for p in points if p["kind"] == "device")["key"]
    output = next(p for p in points if p["kind"] == "output")["key"]
    battery = next(p for p in points if p["kind"] == "battery")["key"]
    found["plans"][0]["readings"] = [reading("r1", device, 0.2), reading("r2", output, 0.2), reading("r3", battery, 5.8)]
    plan = core_plan(found)
    nodes = {(n.point_key, n.state): n for n in reconcile_plan(plan)}
    assert [nodes[key, "standby"].agrees for key in (device, output)] == [True, True]
    assert (battery, "standby") not in nodes
    assert {"sum_total_disagree", "unit_slip_suspected"}.isdisjoint(codes(evaluate_plan(plan).supplies[0]))
    found["plans"][0]["readings"] = [reading("r1", device, 0.4)]
    assert {n.point_key for n in reconcile_plan(core_plan(found)) if n.agrees is False} == {device}
