"""A supply over weeks and years against a referee of its own that steps once a second, or once a minute."""

import itertools
import math
from dataclasses import replace

import pytest
from builders import document
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.evaluation.evaluate import evaluate_supply
from ypomoni.core.evaluation.living import fitted_with, lives_through
from ypomoni.core.evaluation.season_ways import (
    fewest_panels_count,
    smallest_bank,
    smallest_charger_a,
    with_charger,
    with_load_ratio,
    with_panels,
)
from ypomoni.core.outage.case import Case
from ypomoni.core.requirements.patterns import Day, ListSpan, TimePattern, WeekSpan
from ypomoni.core.seasons.cuts import play_cuts
from ypomoni.core.seasons.sun import lives_on_sun, play_sun, sustains_on_sun
from ypomoni.core.seasons.walking import Assumed
from ypomoni.core.sizing.sold_list import sold_banks
from ypomoni.core.things.solar import MONTH_DAYS, Controller, SolarPart
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site

SUN_H = (0.9, 1.6, 2.8, 4.0, 4.9, 5.2, 5.0, 4.4, 3.3, 2.0, 1.1, 0.7)
BURST = {"name": "transmit", "current_a": 1.2, "duration_s": 8, "per_hour": 12, "offset_s": 100}


def week(*spans):
    return TimePattern(week=tuple(WeekSpan(day=Day(d), start_h=s, duration_h=h) for d, s, h in spans))


TWICE = week(("daily", 6, 3), ("daily", 18, 3))


def case_of(*, standby_a=0.4, alarm_a=0.9, alarm_min=10, bursts=(), behaviour="constant_current", **supply):
    bank = {"capacity_ah": 7, "age_y": 0, "condition_ratio": None} | supply.pop("bank", {})
    values = {"charge_limit_a": 0.7, "supply_current_a": 3.0, "cutoff_v": 10.5, "own_current_a": 0.0, "bank": bank} | supply
    plan = document(
        supply=values,
        loads=[
            {
                "behaviour": behaviour,
                "standby": {"current_a": standby_a, "provenance": "measured"},
                "alarm": {"current_a": alarm_a, "provenance": "measured"},
                "bursts": list(bursts),
            }
        ],
        requirement={"alarm_min": alarm_min, "standby_h": 3, "recharge_h": None},
    )
    core = to_core(read_site(plan)).plans[0]
    return Case(core.supplies[0], core.loads_on(core.supplies[0].key))


class Referee:
    """The law as it is written in the definitions, in small steps, with nothing of the engine but a pack's figures."""

    def __init__(self, case, assumed=None):
        assumed = assumed or Assumed()
        run = case.run(condition_ratio=assumed.condition_ratio, cold=assumed.cold)
        self.pack, self.case, self.run = run.pack, case, run
        self.chemistry = CHEMISTRIES[case.bank.chemistry_key]
        self.load = case.loads[0]
        self.u, self.d = run.pack.start_u_ah, 0.0
        self.extra_a = 0.0

    def volts(self, a, u=None, d=None):
        u, d = (self.u, self.d) if u is None else (u, d)
        h = 1 - (u + d) / self.pack.capacity_ah
        if h <= 0:
            return -math.inf
        g = 1 + self.pack.g * (1 - h) / h
        e = self.pack.open_circuit_v(h)
        return e - a * self.pack.resistance_ohm * g - self.pack.activation_v * math.asinh(a * g / self.pack.exchange_a)

    def draw_a(self, t, in_alarm=False):
        stated = self.load.alarm if in_alarm else self.load.standby
        a = stated.current_a
        for b in self.load.bursts:
            since = t - b.offset_s / 3600
            if since >= -1e-9 and (since + 1e-9) % (1 / b.per_hour) < b.duration_s / 3600 - 1e-9:
                a = max(b.current_a, a) if in_alarm else b.current_a
        return a + self.extra_a

    def step(self, a, dt, u=None, d=None):
        p = self.pack
        decay = math.exp(-p.k_per_h * dt)
        return u + (a + p.self_a) * dt, d * decay + a * p.r1_h * (1 - decay)

    def discharge(self, t, until, dt, *, in_alarm=False, keep=True):
        """Walk without charge; returns whether the end was kept off."""
        u, d = self.u, self.d
        for n in range(round((until - t) / dt)):
            a = self.draw_a(t + (n + 0.5) * dt, in_alarm)
            if self.volts(a, u, d) < self.run.threshold_v:
                return False
            u, d = self.step(a, dt, u, d)
            if self.volts(a, u, d) < self.run.threshold_v:
                return False
            if keep:
                self.u, self.d = u, d
        return True

    def charge(self, hours, dt, most_a, charge_v):
        for _ in range(round(hours / dt)):
            h = min(max(1 - (self.u + self.d) / self.pack.capacity_ah, 0), 1)
            a = most_a
            if a >= 0 and charge_v is not None:
                gc = 6 if self.chemistry.is_lead else 0
                let_in = (
                    0.0
                    if gc and h >= 1
                    else (charge_v - self.pack.open_circuit_v(h)) / (self.pack.resistance_ohm * (1 + (gc * h / (1 - h) if gc else 0)))
                )
                a = max(0.0, min(a, let_in))
            eta = self.chemistry.charge_ratio if a > 0 else 1.0
            self.u, self.d = self.step(-eta * a, dt, self.u, self.d)
            self.u = max(0.0, self.u)

    def is_carried(self, start, stop, dt):
        """Standby to the end, and an alarm from every minute of it as far as it falls before the end."""
        begin = self.u, self.d
        good = self.discharge(start, stop, dt)
        end = self.u, self.d
        alarm_h = self.case.requirement.alarm_h
        if good and alarm_h:
            self.u, self.d = begin
            t, gap = start, 60 / 3600
            while t < stop - 1e-9 and good:
                good = self.discharge(t, min(stop, t + alarm_h), dt, in_alarm=True, keep=False)
                self.discharge(t, min(stop, t + gap), dt)
                t += gap
        self.u, self.d = end
        return good


def play_by_referee(case, pattern, days, dt, assumed=None):
    """Return the charge left at the end of every cut, and the day of the first that is not carried."""
    referee = Referee(case, assumed)
    supply, lefts, at = case.supply, [], 0.0
    mean_a = case.mean_current_a(in_alarm=False)
    for start, stop in pattern.until(24 * days):
        referee.charge(start - at, dt, min(supply.charge_limit_a, supply.supply_current_a - mean_a), supply.charge_v)
        if not referee.is_carried(start, stop, dt):
            return lefts, int(start / 24) + 1
        lefts.append(1 - referee.u / referee.pack.capacity_ah)
        at = stop
    return lefts, None


@pytest.mark.parametrize(
    ("more", "pattern", "days"),
    [
        ({}, TWICE, 3),
        ({"bursts": [BURST]}, TWICE, 2),
        ({"charge_limit_a": 0.1, "alarm_min": 0}, TWICE, 9),
        ({"charge_limit_a": 0.12, "bursts": [BURST], "alarm_min": 5}, week(("daily", 5, 5)), 9),
        ({"supply_current_a": 0.45, "alarm_min": 0}, week(("daily", 0, 6), ("wed", 12, 3)), 4),
        ({"bank": {"chemistry": "lifepo4", "block_v": 12.8}, "charge_v": 14.2, "charge_limit_a": 0.2}, TWICE, 4),
    ],
)
def test_the_charge_at_every_cuts_end_and_the_day_of_failure_are_the_referees(more, pattern, days):
    """To 0.01 of capacity, and to the day."""
    case = case_of(**more)
    lefts, failed_on = play_by_referee(case, pattern, days, 4 / 3600)
    played = play_cuts(case, pattern, until_h=24.0 * days)
    mine = [c.left_at_end_ratio for c in played.cuts if c.left_at_end_ratio is not None]
    assert played.fails_on_day == failed_on
    assert mine == pytest.approx(lefts, abs=0.01)
    assert len(lefts) > 1


def test_a_cut_that_standby_lasts_through_and_an_alarm_does_not_is_not_carried():
    """The alarm at its end decides, and what of it falls after the end is carried by mains."""
    case = case_of(alarm_a=4.0, alarm_min=30)
    longest = next(
        h for h in itertools.count(1) if not play_cuts(case, TimePattern(spans=(ListSpan(start_h=0, duration_h=h),), length_h=h)).survives
    )
    quiet = case_of(alarm_a=4.0, alarm_min=0)
    assert play_cuts(quiet, TimePattern(spans=(ListSpan(start_h=0, duration_h=longest),), length_h=longest)).survives
    referee = Referee(case)
    assert not referee.is_carried(0.0, longest, 2 / 3600)
    # An alarm of half an hour in a cut of a minute is carried for that minute.
    brief = TimePattern(spans=(ListSpan(start_h=0, duration_h=1 / 60),), length_h=1)
    assert play_cuts(case_of(alarm_a=20.0, alarm_min=30, bank={"capacity_ah": 12}), brief).survives


def test_the_shape_of_a_week_is_told():
    """Overlapping and touching spans are one; Sunday night goes on on Monday; windows leave the rest as cuts."""
    assert list(week(("mon", 6, 3), ("daily", 8, 2), ("mon", 10, 1)).until(24)) == [(6, 11)]
    assert next(week(("sun", 23, 3)).until(170)) == (167, 170)
    assert list(week(("daily", 7.5, 0.5)).between(24)) == [(0, 7.5), (8, 24)]
    assert week(("sun", 23, 3)).covered_h == pytest.approx(3)


def test_a_week_that_settles_is_not_walked_to_the_years_end_and_one_that_falls_is():
    """By a tenth of a percent of capacity."""
    assert play_cuts(case_of(), TWICE).walked_h <= 3 * 168
    slow = play_cuts(case_of(charge_limit_a=0.14, alarm_min=0, bank={"capacity_ah": 65}), TWICE)
    assert slow.survives
    assert not slow.settled
    assert slow.walked_h == pytest.approx(8760)


@settings(max_examples=25, deadline=None)
@given(
    standby_a=st.floats(0.05, 1.0),
    limit_a=st.sampled_from((0.0, 0.05, 0.2, 0.5, 1.5)),
    ah=st.sampled_from((4.0, 7.0, 17.0)),
    spans=st.lists(st.tuples(st.sampled_from(("daily", "tue", "sun")), st.integers(0, 23), st.floats(0.1, 12)), min_size=1, max_size=4),
)
def test_more_battery_charger_or_less_load_never_survives_shorter(standby_a, limit_a, ah, spans):
    """And energy is kept: what is taken out is put in times η plus what is missing, less what the bank lost of itself."""
    pattern = week(*spans)

    def lasts_h(**changes):
        values = {
            "standby_a": standby_a,
            "charge_limit_a": limit_a,
            "bank": {"capacity_ah": ah},
            "alarm_min": 0,
            "supply_current_a": 20.0,
        } | changes
        played = play_cuts(case_of(**values), pattern)
        return math.inf if played.survives else played.fails_at_h

    here = lasts_h()
    assert lasts_h(bank={"capacity_ah": 1.5 * ah}) >= here
    assert lasts_h(charge_limit_a=limit_a + 0.5) >= here
    assert lasts_h(standby_a=0.7 * standby_a) >= here
    assert play_cuts(case_of(standby_a=standby_a), TimePattern(week=())).survives


def test_what_is_taken_out_is_put_in_times_eta_plus_what_is_missing():
    """With a charger so weak that its whole current goes in all the time, to a ten-thousandth of capacity; self-discharge counts all the while."""
    days = 21
    case = case_of(alarm_min=0, standby_a=0.2, charge_limit_a=0.03, bank={"capacity_ah": 17})
    played = play_cuts(case, week(("daily", 6, 4)), until_h=24.0 * days)
    pack = case.run().pack
    taken_ah, given_ah, lost_ah = 0.2 * 4 * days, 0.03 * 20 * days, pack.self_a * 24 * days
    # Before the first cut the bank is full, and six hours of charge find no room.
    given_ah -= 0.03 * 6
    missing_ah = (1 - played.trace[-1][1]) * pack.capacity_ah
    assert played.survives
    assert missing_ah == pytest.approx(taken_ah + lost_ah - pack.self_a * 6 - 0.9 * given_ah, abs=1e-4 * pack.capacity_ah)
    assert play_cuts(case_of(alarm_min=0), TWICE, until_h=168.0 * 4).taken_ah_per_y == pytest.approx(0.4 * 6 * 365, rel=0.01)


# -- the sun ---------------------------------------------------------------------------------------------------------------------------


def solar_case(controller="pwm", panels_count=2, **more):
    solar = {
        "controller": controller,
        "panel_w": 20,
        "panel_imp_a": 1.15,
        "panel_isc_a": 1.25,
        "panels_count": panels_count,
        "controller_current_a": 0.01,
        "blocking_diode": True,
        "sun_h_by_month": list(SUN_H),
    }
    values = {"kind": "solar", "solar": solar, "charge_limit_a": None, "supply_current_a": None, "bank": {"capacity_ah": 24}}
    return case_of(standby_a=0.08, alarm_a=0.08, alarm_min=0, **(values | more))


@pytest.mark.parametrize(("controller", "count", "charge_v"), [("pwm", 2, 14.4), ("mppt", 1, 13.65), ("none", 3, None)])
def test_the_year_on_the_sun_is_the_referees(controller, count, charge_v):
    """Stepped once a minute, from the first of June for half a year, or to where it ends."""
    case = solar_case(controller, count, charge_v=charge_v)
    solar = case.supply.solar
    played = play_sun(case, solar)
    referee = Referee(case)
    referee.extra_a = 0.01
    full_a = solar.current_a(case.supply.charge_v, 12)
    calendar = [m for m in (5, 6, 7, 8, 9, 10, 11) for _ in range(MONTH_DAYS[m])]
    for n, month in enumerate(calendar):
        rises, sets = 12 - SUN_H[month] / 2, 12 + SUN_H[month] / 2
        alive = referee.discharge(0, rises, 1 / 60)
        least = referee.u
        if alive:
            referee.charge(sets - rises, 1 / 60, full_a - 0.09, case.supply.charge_v)
            alive = referee.discharge(sets, 24, 1 / 60)
        if not alive:
            assert played.ends_on_day == n
            return
        assert played.days[n].least_ratio == pytest.approx(1 - max(least, referee.u) / referee.pack.capacity_ah, abs=0.01)
    assert played.ends_on_day is None or played.ends_on_day >= len(calendar)


def test_what_the_sun_gives_is_reckoned_as_the_label_says():
    """imp · n · derate · hours · η; a tracking controller from watts over the charge voltage."""
    played = play_sun(solar_case(), solar_case().supply.solar)
    assert played.yield_ah_per_day[11] == pytest.approx(0.9 * 1.15 * 2 * 0.75 * 0.7)
    assert played.need_ah_per_day == pytest.approx([24 * 0.09] * 12)
    assert played.worst_month == 11
    tracking = solar_case("mppt", 2, charge_v=14.4)
    gives = play_sun(tracking, tracking.supply.solar).yield_ah_per_day
    assert gives[0] == pytest.approx(0.9 * 20 * 2 * 0.75 * 0.95 * 0.9 / 14.4)
    bare = SolarPart(controller=Controller.MPPT, sun_h_by_month=SUN_H, panel_w=20)
    assert bare.current_a(None, 12) == pytest.approx(20 * 0.75 * 0.95 / 13.2)


def test_what_a_search_asks_of_the_sun_is_answered_as_the_whole_play_does():
    """Whether it lives through two years, and for good: with panels, banks and loads at both sides of both limits, each of the three answers earned."""
    earned = set()
    for count, capacity_ah, sun_share in itertools.product((1, 2, 3, 6), (7, 24, 200, 900), (0.3, 1.0, 1.6)):
        base = solar_case(panels_count=count, charge_v=14.4, bank={"capacity_ah": capacity_ah})
        solar = replace(base.supply.solar, sun_h_by_month=tuple(hours * sun_share for hours in SUN_H))
        case = Case(replace(base.supply, solar=solar), base.loads)
        played = play_sun(case, solar)
        for_good = played.sustains and (played.year_ratio is None or played.year_ratio >= 1.0)
        assert sustains_on_sun(case, solar) == played.sustains
        assert lives_on_sun(case, solar) == for_good
        earned.add((played.sustains, for_good))
    assert earned == {(True, True), (True, False), (False, False)}


def test_back_after_is_counted_in_days_of_the_worst_month():
    """From a C/20 discharge at midnight; never, where a day takes more than it gives."""
    strong = solar_case(panels_count=14, charge_v=14.4)
    found = play_sun(strong, strong.supply.solar)
    assert found.back_after_h is not None
    referee = Referee(strong)
    rate_a = referee.pack.c20_ah / 20
    u, d = 0.0, 0.0
    while referee.volts(rate_a, u, d) >= strong.bank.end_v:
        u, d = referee.step(rate_a, 1 / 60, u, d)
    referee.u, referee.d = u, d
    hours, target = 0.0, 0.2 * referee.pack.capacity_ah
    for n in range(100_000):
        hour = (n / 60) % 24
        if 11.65 <= hour + 1e-9 < 12.35 - 1e-9:
            referee.charge(1 / 60, 1 / 60, strong.supply.solar.current_a(14.4, 12) - 0.09, 14.4)
        else:
            referee.u, referee.d = referee.step(0.09, 1 / 60, referee.u, referee.d)
            referee.u = min(referee.u, referee.pack.capacity_ah)
        if referee.u <= target:
            hours = (n + 1) / 60
            break
    assert found.back_after_h == pytest.approx(hours, abs=0.1)
    weak = solar_case()
    assert play_sun(weak, weak.supply.solar).back_after_h is None


# -- what would make it last -----------------------------------------------------------------------------------------------------------


def evaluated(case):
    plan = to_core(read_site(document())).plans[0]
    plan = replace(plan, supplies=(case.supply,), loads=tuple(replace(load, supply_key=case.supply.key) for load in case.loads))
    return evaluate_supply(plan, case.supply)


def test_every_way_out_of_a_failing_pattern_holds_when_it_is_put_back():
    """The smallest charger does it and the next smaller does not; so much less load does it and a hundredth less of that does not."""
    case = case_of(charge_limit_a=0.12)
    supply = replace(case.supply, requirement=replace(case.requirement, cuts=TWICE))
    result = evaluated(Case(supply, case.loads))
    assert not result.cuts.survives
    assert result.no_bank_reason == "No battery does it: the charger gives back less than the cuts take."
    charger_a = smallest_charger_a(supply, case.loads, 0.4)
    assert lives_through(with_charger(supply, charger_a, 0.4), case.loads)
    assert f"Or a charger of {1e3 * charger_a:.0f} mA" in " ".join(result.season_ways)
    less = next(n for n in range(1, 99) if f" {n} % less load" in " ".join(result.season_ways)) / 100
    assert lives_through(*with_load_ratio(supply, case.loads, 1 - less))
    assert not lives_through(*with_load_ratio(supply, case.loads, 1 - less + 0.01))


def test_a_bank_is_named_only_with_which_it_survives():
    """A cut too long for the bank that is there, with a charger strong enough."""
    case = case_of(charge_limit_a=1.2, alarm_min=0, standby_a=0.9)
    supply = replace(case.supply, requirement=replace(case.requirement, cuts=week(("daily", 0, 8))))
    result = evaluated(Case(supply, case.loads))
    assert result.verdict.value == "fails"
    assert result.recommended_bank is not None
    assert lives_through(fitted_with(supply, result.recommended_bank), case.loads)
    smallest = smallest_bank(Case(supply, case.loads))
    sizes = [b for b in sold_banks("lead_agm", 12.0) if b.parallel == smallest.parallel]
    assert f"A new battery of {smallest.block_v:g} V {smallest.capacity_ah:g} Ah does it" in result.season_ways[0]
    assert not lives_through(fitted_with(supply, sizes[sizes.index(smallest) - 1]), case.loads)
    assert evaluated(Case(fitted_with(supply, result.recommended_bank), case.loads)).cuts.survives


def test_panels_that_are_named_sustain_it():
    """And one fewer does not."""
    case = solar_case(charge_v=14.4, panels_count=1)
    count = fewest_panels_count(case.supply, case.loads)
    assert count > 1
    assert lives_through(with_panels(case.supply, count), case.loads)
    assert not lives_through(with_panels(case.supply, count - 1), case.loads)


def test_no_panel_is_named_that_makes_a_danger_worse():
    """A bare panel that boils its battery already is not answered with more of them."""
    result = evaluated(solar_case("none", 1, charge_v=None))
    assert result.verdict.value == "unsafe"
    panels = next(w for w in result.season_ways if "such panels" in w)
    assert "would do it, but not so" in panels


def test_a_large_battery_that_only_goes_down_more_slowly_is_no_all_clear():
    """It lasts the year that is walked, and that it falls is said."""
    case = case_of(charge_limit_a=0.14, alarm_min=0, bank={"capacity_ah": 100})
    supply = replace(case.supply, requirement=replace(case.requirement, cuts=TWICE))
    result = evaluated(Case(supply, case.loads))
    assert result.cuts.survives
    assert result.cuts.gives_back_ratio < 1
    assert "drains_slowly" in {f.code for f in result.findings}
