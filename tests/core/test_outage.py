"""The fast run against the one-second referee, and holdover against its own definition."""

import bisect
import math
import random

import pytest
import referee
from builders import document
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.outage import run
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import LoadCurrents, build_timeline
from ypomoni.core.outage.run import HoldoverRun
from ypomoni.core.outage.walk import walk
from ypomoni.core.things.batteries import Bank, build_pack
from ypomoni.core.things.loads import Behaviour, Burst, Draw, Load, Provenance, StatedCurrent
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site

NEW_AND_WARM = (1.0, 25.0)
OLD_AND_COLD = (0.7, 0.0)
TRANSMIT = {"current_a": 1.5, "duration_s": 8, "per_hour": 1, "offset_s": 0}
BLINK = {"current_a": 0.06, "duration_s": 20, "per_hour": 6, "offset_s": 40}


def one_load(behaviour, standby_a=0.15, alarm_a=0.9, bursts=(TRANSMIT,), quantity=1, rail_v=12.0):
    return {
        "behaviour": behaviour,
        "standby_a": standby_a,
        "alarm_a": alarm_a,
        "bursts": list(bursts),
        "quantity": quantity,
        "rail_v": rail_v,
    }


def product_currents(loads):
    found = []
    for n, load in enumerate(loads):
        bursts = tuple(Burst(name="b", **b) for b in load["bursts"])
        stated = StatedCurrent(current_a=load["standby_a"], provenance=Provenance.MEASURED)
        product = Load(
            key=str(n),
            name=str(n),
            supply_key="s",
            quantity=load["quantity"],
            rail_v=load["rail_v"],
            behaviour=Behaviour(load["behaviour"]),
            standby=stated,
            alarm=stated,
            bursts=bursts,
        )
        currents = {"standby_current_a": load["standby_a"], "alarm_current_a": load["alarm_a"]}
        found.append(LoadCurrents(load=product, burst_currents_a=tuple(b.current_a for b in bursts), **currents))
    return found


def both(loads, condition, chemistry="lead_agm", block_v=12.0, capacity_ah=7.0, threshold_v=10.5, alarm_h=0.5):
    """Return an outage of the product and the same pack for the referee."""
    bank = Bank(chemistry_key=chemistry, block_v=block_v, capacity_ah=capacity_ah)
    pack = build_pack(bank, condition_ratio=condition[0], temperature_degc=condition[1])
    currents = product_currents(loads)
    standby, alarm = (build_timeline(currents, Draw(0.03, 0.0, 0.0), in_alarm=state) for state in (False, True))
    return HoldoverRun(pack, standby, alarm, alarm_h, threshold_v), referee.plain(pack)


def agree(ours_s, theirs_s):
    return abs(ours_s - theirs_s) <= max(1.0, 0.001 * theirs_s)


@pytest.mark.parametrize("behaviour", ["constant_current", "constant_power", "resistive"])
def test_holdover_without_bursts_agrees_with_the_referee(behaviour):
    """Long smooth pieces, walked in few steps: an alarm 2 s before the holdover is carried by the referee, one 2 s after it is not."""
    loads = [one_load(behaviour, bursts=())]
    outage, plain = both(loads, (0.9, 18.0))
    holdover_s = outage.holdover().holdover_h * 3600
    assert agree(outage.standby_stop().t_h * 3600, referee.run(plain, loads, 0.03, 10.5, 1e9, 0))
    margin_s = max(2.0, 0.001 * holdover_s)
    assert referee.run(plain, loads, 0.03, 10.5, holdover_s - margin_s, 1800) is None
    assert referee.run(plain, loads, 0.03, 10.5, holdover_s + margin_s, 1800) is not None


@pytest.mark.parametrize("offset_h", [0.0, 50.0, 200.0])
def test_bursts_that_begin_late_are_not_averaged_away(offset_h):
    """Sixty bursts an hour that begin after days: until then hardly anything is drawn, from then on twenty times as much."""
    loads = [
        one_load("constant_current", 0.015, bursts=[{"current_a": 0.5, "duration_s": 36, "per_hour": 60, "offset_s": offset_h * 3600}])
    ]
    outage, plain = both(loads, NEW_AND_WARM, alarm_h=0.0)
    assert agree(outage.holdover().holdover_h * 3600, referee.run(plain, loads, 0.03, 10.5, 1e9, 0))


@pytest.mark.parametrize("condition", [NEW_AND_WARM, OLD_AND_COLD], ids=["new and warm", "old and cold"])
@pytest.mark.parametrize("behaviour", ["constant_current", "constant_power", "resistive"])
def test_end_of_standby_and_of_a_final_alarm_agrees_with_the_referee(behaviour, condition):
    """Both ends, in standby and in an alarm that goes on until the battery is done, come within 1 s or 0.1 %."""
    loads = [one_load(behaviour), one_load("constant_current", 0.02, 0.02, (BLINK,), quantity=3)]
    outage, plain = both(loads, condition)
    assert agree(outage.standby_stop().t_h * 3600, referee.run(plain, loads, 0.03, 10.5, 1e9, 0))
    alarm_at_h = round(0.5 * outage.standby_stop().t_h, 2)
    u, d = outage.state_at(alarm_at_h)
    ours = walk(outage.pack, 10.5, u, d, outage.alarm.stretches(alarm_at_h, 300.0), 300.0)
    assert agree(ours.t_h * 3600, referee.run(plain, loads, 0.03, 10.5, alarm_at_h * 3600, 1e7))


@pytest.mark.parametrize(
    ("chemistry", "block_v", "threshold_v"),
    [("lead_gel", 12.0, 10.8), ("lifepo4", 12.8, 11.2), ("li_ion", 11.1, 9.0), ("nimh", 12.0, 10.0)],
)
def test_every_chemistry_agrees_with_the_referee(chemistry, block_v, threshold_v):
    """The piecewise open-circuit curves are walked like the straight one of lead."""
    loads = [one_load("constant_power")]
    outage, plain = both(loads, (0.85, 10.0), chemistry, block_v, threshold_v=threshold_v)
    assert agree(outage.standby_stop().t_h * 3600, referee.run(plain, loads, 0.03, threshold_v, 1e9, 0))


ALARM_CASES = {
    "alarm draws more": [one_load("constant_current")],
    "a power in alarm": [one_load("constant_power", 0.2, 1.2)],
    "magnets let go in alarm": [one_load("constant_current", 0.3, 0.0)],
    "one lets go, one sounds": [one_load("constant_current", 0.2, 0.0), one_load("constant_current", 0.05, 0.35, ())],
}


@pytest.mark.parametrize(
    "loads",
    [pytest.param(v, id=k, marks=[pytest.mark.long] if k == "a power in alarm" else []) for k, v in ALARM_CASES.items()],
)
@pytest.mark.parametrize("condition", [NEW_AND_WARM, OLD_AND_COLD], ids=["new and warm", "old and cold"])
def test_holdover_is_the_first_alarm_start_that_fails(loads, condition):
    """By brute force: every start up to the holdover is carried, tried each minute and around the bursts of the last hours, and around every fifth before; just after it one is not."""
    outage, plain = both(loads, condition)
    holdover_s = outage.holdover().holdover_h * 3600
    states = []
    end_s = referee.run(plain, loads, 0.03, 10.5, 1e9, 0, states=states)
    times = [t for t, *_ in states]
    hours = [n for n in range(200) if n % 5 == 0 or n * 3600 > holdover_s - 3 * 3600]
    around = [n * 3600 + shift for n in hours for shift in (-1, 1, 7, 9, -1800 - 1, -1800 + 1, -1800 + 7, -1800 + 9)]
    first_failure_s = end_s
    for start in sorted({*range(int(max(0, holdover_s - 2 * 3600)), int(end_s) + 1, 60), *around, int(holdover_s) + 2}):
        if 0 <= start < min(len(states) - 40, first_failure_s):
            t, u, d = states[bisect.bisect_left(times, start)]
            if referee.run(plain, loads, 0.03, 10.5, t, 1800, start=(t, u, d)) is not None:
                first_failure_s = t
    assert first_failure_s - 61 <= holdover_s <= first_failure_s + 2


def random_case(rnd):
    """Return a case of up to four loads with bursts of any kind, staggered pieces, any behaviour."""

    def burst():
        values = {
            "current_a": [0, 0.3, 0.8, 1.5, 2.5],
            "duration_s": [2, 10, 60, 300],
            "per_hour": [0.5, 1, 2, 3, 6],
            "offset_s": [0, 0, 17, 600],
        }
        return {**{key: rnd.choice(options) for key, options in values.items()}, "during": rnd.choice(["always", "always", "alarm"])}

    def load():
        alarm_a = rnd.choice([None, 0, 0.05, 0.2, 0.5, 1.0])
        return {
            "quantity": rnd.choice([1, 1, 2, 3]),
            "behaviour": rnd.choice(["constant_current", "constant_power", "resistive"]),
            "standby": {"current_a": rnd.choice([0.01, 0.05, 0.1, 0.2, 0.3]), "provenance": "measured"},
            "alarm": None if alarm_a is None else {"current_a": alarm_a, "provenance": "measured"},
            "bursts": [b for b in (burst() for _ in range(rnd.choice([0, 1, 1, 2]))) if b["duration_s"] * b["per_hour"] <= 1800],
        }

    supply = {
        "bank": {"capacity_ah": rnd.choice([5, 7, 12]), "condition_ratio": rnd.choice([0.6, 0.8, 1.0])},
        "cutoff_v": rnd.choice([10.5, 10.8, 11.2]),
    }
    found = document(supply, [load() for _ in range(rnd.randint(1, 4))], {"alarm_min": rnd.choice([5, 15, 30, 60])})
    plan = to_core(read_site(found)).plans[0]
    return Case(plan.supplies[0], plan.loads)


@pytest.mark.parametrize("seed", range(8))
def test_holdover_of_random_sites_by_trying_every_start(seed):
    """Every start in the last three hours before it, each 40 s and around each edge of the pattern, is carried; just after it one is not."""
    rnd = random.Random(seed)
    for _ in range(25):
        case = random_case(rnd)
        holdover = case.holdover()
        every = case.run()
        every._skip_ahead = lambda: None
        t, end_h, alarm_h = holdover.holdover_h, every.standby_stop().t_h, every.alarm_h
        slack_h = max(1.5 / 3600, 1e-3 * t)
        begin_h = max(0.0, t - 3)
        edges = every.standby.edges(begin_h, t + 1e-3) + every.alarm.edges(begin_h, t + alarm_h + 1e-3)
        around = [e + shift for e in edges for shift in (-1e-5, 1e-5, -alarm_h - 1e-5, -alarm_h + 1e-5)]
        starts = [begin_h + n * 40 / 3600 for n in range(int((t - begin_h) * 90) + 1)] + around
        failing = [s for s in starts if 0 <= s < min(t - slack_h, end_h) and not every.is_carried(s)]
        assert not failing, (t, min(failing), case.loads)
        if t < end_h - 2 * slack_h:
            after = [t + n * slack_h / 10 for n in range(11)] + [t + 1e-5, t + 2e-5]
            assert any(not every.is_carried(min(s, end_h)) for s in after), (t, case.loads)


def test_very_many_bursts_are_averaged_early_but_explicit_at_the_end():
    """A burst every minute for weeks ends within 0.1 % of the run in which every burst is explicit."""
    loads = [one_load("constant_power", 0.005, 0.4, ({"current_a": 0.5, "duration_s": 1.5, "per_hour": 60, "offset_s": 0},))]
    quick, _ = both(loads, OLD_AND_COLD, capacity_ah=12.0)
    explicit, _ = both(loads, OLD_AND_COLD, capacity_ah=12.0)
    explicit._skip_ahead = lambda: None
    assert quick.holdover().holdover_h == pytest.approx(explicit.holdover().holdover_h, rel=1e-3)
    assert quick._trace[0][0] > 0, "the early part was not averaged, so nothing was compared"


@settings(max_examples=60, deadline=None)
@given(
    current_a=st.floats(0.0, 1.0),
    cuts=st.lists(st.floats(0.01, 3.49), max_size=6, unique=True),
    u=st.floats(0.0, 1.0),
    d=st.floats(0.0, 0.3),
    power=st.booleans(),
)
def test_a_piece_of_time_may_be_split_anywhere_and_charge_is_conserved(current_a, cuts, u, d, power):
    """Walked in one piece or in many: the same state, of a power within 0.1 %. Of a constant current, u is exactly the charge drawn and lost."""
    outage, _ = both([one_load("constant_current", bursts=())], NEW_AND_WARM)
    draw = (0.0, 12.0 * current_a, 0.0) if power else (current_a, 0.0, 0.0)
    whole = walk(outage.pack, 0.0, u, d, [(0.0, *draw)], 3.5)
    split = walk(outage.pack, 0.0, u, d, [(t, *draw) for t in (0.0, *sorted(cuts))], 3.5)
    assert split.u_ah == pytest.approx(whole.u_ah, rel=1e-3 if power else 1e-12)
    assert split.d_ah == pytest.approx(whole.d_ah, rel=5e-3 if power else 1e-9, abs=1e-12)
    if not power:
        assert whole.u_ah == pytest.approx(u + (current_a + outage.pack.self_a) * 3.5, rel=1e-12)


@pytest.mark.parametrize("seed", range(20, 24))
def test_the_way_back_to_the_first_failure_may_be_halved_or_gone_period_by_period(seed, monkeypatch):
    """Both find the same start; and whether a requirement is carried is answered as the holdover says, a second beside it."""
    rnd = random.Random(seed)
    for _ in range(20):
        case = random_case(rnd)
        found_h = case.holdover().holdover_h
        with monkeypatch.context() as patched:
            patched.setattr(run, "MOST_PERIODS_BACK", 1)
            assert case.holdover().holdover_h == pytest.approx(found_h, abs=1e-4)
        # With very many bursts both begin their explicit walk elsewhere.
        apart_h = 1.5 / 3600 + 1e-4 * found_h
        assert not case.run().carries(found_h + apart_h)
        assert found_h <= apart_h or case.run().carries(found_h - apart_h)


class _Sawtooth(HoldoverRun):
    """Alarm starts of which each phase of an hour begins to fail a little earlier than the one before it, over so many hours."""

    def __init__(self, hours_h):
        self.hours_h, self.alarm_h, self.period_h, self.looks = hours_h, 0.5, 1.0, 0
        self.standby = self.alarm = build_timeline([], Draw(0.1, 0.0, 0.0), in_alarm=False)
        self.order = run.Order.MIXED
        self._trace = [(0.0, 0.0, 0.0)]

    def is_carried(self, t):
        return t < self.hours_h * (1.2 - math.floor(10 * (t % 1.0) + 1e-9) / 10)

    def _seek(self, begin, limit):
        self.looks += 1
        return next((t for n in range(101) if not self.is_carried(t := begin + n / 100 * (limit - begin))), None)


@pytest.mark.parametrize("hours_h", [3, 40, 1000])
def test_phases_that_fail_one_after_the_other_are_not_gone_through_period_by_period(hours_h):
    """The first failing start of all, after a handful of looks however many hours they go back."""
    outage = _Sawtooth(hours_h)
    first_h = next(t for n in range(200 * hours_h) if not outage.is_carried(t := n / 100))
    assert outage._first_failure(1.3 * hours_h) == pytest.approx(first_h, abs=0.02)
    assert outage.looks < 20
