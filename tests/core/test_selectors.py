"""Supplies that back each other up against a referee that steps once a second, what is found of them, and that its ways out help."""

import random

import pytest
import referee
from builders import backed_up, codes, core_plan, dc_ups, merged
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.balance.moves import why_not
from ypomoni.core.balance.search import Effort, find_moves
from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.selecting import play_selector
from ypomoni.core.telling.wording import say_hours
from ypomoni.documents.faults import DocumentFaults
from ypomoni.documents.site_file import read_site

LEAD = {
    "kind": "boxed",
    "bank": {"chemistry": "lead_agm", "block_v": 12, "capacity_ah": 4, "rate_h": 20, "series": 1, "condition_ratio": 1},
}


def played(site, **more):
    plan = core_plan(site)
    by_key = {s.key: s for s in plan.supplies}
    selector = plan.selectors[0]
    return play_selector(selector, tuple(by_key[k] for k in selector.inputs), plan.loads, **more)


class Refereed:
    """One selector stepped by Euler once a second, from the definitions: plain batteries, no shortcut."""

    def __init__(self, site):
        self.plan = core_plan(site)
        self.selector = self.plan.selectors[0]
        self.load = self.plan.loads[0]
        supplies = {s.key: s for s in self.plan.supplies}
        self.inputs = []
        for key in self.selector.inputs:
            supply = supplies[key]
            pack = Case(supply, self.plan.loads).run().pack
            opens = max([v for v in (supply.cutoff_v, supply.least_input_v) if v is not None], default=0.0)
            made = {
                "key": key,
                "supply": supply,
                "pack": referee.plain(pack),
                "u": pack.start_u_ah,
                "d": 0.0,
                "open": False,
                "opens": opens,
            }
            self.inputs.append(made)

    def watts(self, t):
        load = self.load
        current = load.standby.current_a
        for b in load.bursts:
            if (t + 1e-6) % (3600 / b.per_hour) < b.duration_s:
                current = b.current_a
        return current * load.rail_v

    def draw(self, i, power, feeding):
        """Return (A, W) at the battery of an input."""
        supply = i["supply"]
        if not feeding:
            return supply.own_current_a, 0.0
        if supply.dc is not None and supply.dc.efficiency_ratio:
            return supply.own_current_a, supply.dc.idle_power_w + power / supply.dc.efficiency_ratio
        return supply.own_current_a, power + (supply.dc.idle_power_w if supply.dc else 0.0)

    def volts(self, i, power, feeding):
        """Return what the selector sees of an input; nothing where it has stopped."""
        if i["open"]:
            return 0.0
        v = referee.voltage(i["pack"], i["u"], i["d"], *self.draw(i, power, feeding), 0.0)[1]
        if v < i["opens"] or v < 0:
            return 0.0
        return i["supply"].dc.output_v if i["supply"].dc is not None and i["supply"].dc.efficiency_ratio else v

    def step(self, i, amps, watts, seconds=1):
        pack = i["pack"]
        current, _ = referee.voltage(pack, i["u"], i["d"], amps, watts, 0.0)
        i["u"] += (current + pack["lost"]) * seconds / 3600
        i["d"] += pack["k"] * (current * pack["r1"] - i["d"]) * seconds / 3600

    def first_present(self):
        """Return when the load is dead and the input that fed at each change."""
        below = self.selector.switch_below_v
        above = below if self.selector.return_above_v is None else self.selector.return_above_v
        at, changed, t = 0, -1e9, 0
        fed = [(0, self.inputs[0]["key"])]
        while t < 3_000_000:
            power = self.watts(t)
            if t - changed >= 60:
                for n in range(at):
                    if self.volts(self.inputs[n], power, feeding=False) >= above:
                        at, changed = n, t
                        fed.append((t, self.inputs[n]["key"]))
                        break
            seen = self.volts(self.inputs[at], power, feeding=True)
            if seen == 0.0:
                self.inputs[at]["open"] = True
            if seen < below:
                for n in range(at + 1, len(self.inputs)):
                    if self.volts(self.inputs[n], power, feeding=True) >= below:
                        at, changed, seen = n, t, self.volts(self.inputs[n], power, feeding=True)
                        fed.append((t, self.inputs[n]["key"]))
                        break
            if seen < self.load.min_v:
                return t, fed
            for n, i in enumerate(self.inputs):
                self.step(i, *self.draw(i, power, n == at))
            t += 1
        return t, fed

    def highest(self):
        """Return when the load is dead, in steps of four seconds; the voltage behind the diodes is halved in upon."""
        t = 0
        while t < 300_000:
            power = self.watts(t)
            low, high = 0.5, 20.0
            for _ in range(26):
                v = 0.5 * (low + high)
                given = sum(self.gives(i, v, power / v) for i in self.inputs)
                low, high = (v, high) if given >= power / v * (1 - 1e-5) else (low, v)
            if low < self.load.min_v:
                return t
            left = power / low
            for i in sorted(self.inputs, key=self.holds):
                amps, own_a = min(left, self.gives(i, low, left)), i["supply"].own_current_a
                left -= amps
                drawn = (own_a + amps, 0.0)
                if self.holds(i):
                    dc = i["supply"].dc
                    drawn = (own_a, (dc.idle_power_w if amps > 1e-9 else 0.0) + amps * dc.output_v / dc.efficiency_ratio)
                self.step(i, *drawn, 4)
                if not i["open"] and referee.voltage(i["pack"], i["u"], i["d"], *drawn, 0.0)[1] < i["opens"]:
                    i["open"] = True
            t += 4
        return t

    @staticmethod
    def holds(i):
        return i["supply"].dc is not None and i["supply"].dc.efficiency_ratio is not None

    def gives(self, i, v, most):
        """Return what an input gives at a voltage, by halving; a regulated one anything up to its own."""
        if i["open"]:
            return 0.0
        if self.holds(i):
            return most if v <= i["supply"].dc.output_v else 0.0
        low, high = 0.0, most
        for _ in range(24):
            a = 0.5 * (low + high)
            shown = referee.voltage(i["pack"], i["u"], i["d"], i["supply"].own_current_a + a, 0.0, 0.0)[1]
            low, high = (a, high) if shown >= v else (low, a)
        return low


SMALL = {"pack": {"bank": {"capacity_ah": 1.2, "condition_ratio": 1}}, "cells": {**LEAD, "bank": LEAD["bank"] | {"capacity_ah": 0.8}}}
TINY = merged(SMALL, {"pack": {"bank": {"capacity_ah": 0.3}}, "cells": {"bank": {"capacity_ah": 0.2}}})
SITES = {
    "never reached": backed_up(**SMALL),
    "an under-voltage changeover that is left for good": backed_up(**SMALL, switch_below_v=10.5, return_above_v=12.9),
    "chatters": backed_up(**SMALL, switch_below_v=10.5),
    "cuts out cleanly": backed_up(**merged(SMALL, {"pack": {"cutoff_v": 11.0}})),
    "regulated": backed_up(**merged(SMALL, {"pack": dc_ups(name="Pack", cutoff_v=10.5)})),
    "own current empties the backup": backed_up(
        **merged(SMALL, {"pack": {"cutoff_v": 11.0}, "cells": {"own_current_a": 0.03, "cutoff_v": 10.5}})
    ),
}


@pytest.mark.parametrize("name", SITES)
def test_the_first_that_is_present_agrees_with_the_referee(name):
    """When the load is dead within 1 s or 0.1 %, fed by the same inputs, as many changes give or take the last."""
    ours = played(SITES[name])
    dead_s, fed = Refereed(SITES[name]).first_present()
    assert abs(ours.holdover_h * 3600 - dead_s) <= max(1.5, 0.001 * dead_s)
    assert {c.input_key for c in ours.changes if c.from_h < ours.holdover_h} == {key for at, key in fed if at < dead_s}
    assert len(ours.changes) == pytest.approx(len(fed), rel=0.05, abs=1)
    for change, (at, key) in list(zip(ours.changes, fed, strict=False))[:4]:
        assert (change.input_key, change.from_h * 3600) == (key, pytest.approx(at, abs=max(2.0, 0.001 * at)))


@pytest.mark.parametrize(
    "more",
    [
        pytest.param(TINY, marks=pytest.mark.long),
        pytest.param(merged(TINY, {"pack": {"bank": {"chemistry": "lifepo4", "block_v": 12.8}, "cutoff_v": 10.5}}), marks=pytest.mark.long),
        merged(TINY, {"pack": dc_ups(name="Pack", cutoff_v=10.5, dc={"output_v": 12.2})}),
    ],
)
def test_the_highest_voltage_agrees_with_the_referee(more):
    """Two batteries that share, two of different kinds, a battery beside a regulated output."""
    site = backed_up(**more, camera={"standby": {"current_a": 0.3}, "bursts": []}, mode="highest_voltage")
    dead_s = Refereed(site).highest()
    assert played(site).holdover_h * 3600 == pytest.approx(dead_s, abs=max(6.0, 0.002 * dead_s))


def test_a_backup_that_is_never_reached_is_told_and_each_way_out_helps():
    """The finding, the line, and every way out put into the site: nothing is left unused, and it lasts as long as was said."""
    result = evaluate_plan(core_plan(backed_up()))
    (found,) = result.selectors
    assert (found.verdict, found.reached) == ("fails", {"pack": True, "cells": False})
    assert codes(found) == {"backup_never_reached": "fails", "holdover_below_requirement": "fails"}
    assert found.line.startswith("Backup is never reached: Pack sags below the 10 V that Camera needs")
    assert result.verdict == "fails"
    helps = found.findings[0].way_out
    for words, changes in (
        ("change over below 10.3 V", {"switch_below_v": 10.3, "return_above_v": 13.0}),
        ("cuts out at 10.3 V", {"pack": {"cutoff_v": 10.3}}),
        ("a converter that holds 12 V", {"pack": {"kind": "dc_ups", "cutoff_v": 10.5, "dc": {"output_v": 12, "efficiency_ratio": 0.9}}}),
    ):
        assert words in helps
        (mended,) = evaluate_plan(core_plan(backed_up(**changes))).selectors
        assert "backup_never_reached" not in codes(mended)
        assert mended.holdover_h > 1.5 * found.holdover_h
        assert f"holds {say_hours(mended.holdover_h, must_h=72)}" in helps


def test_findings_of_a_selector_have_their_innocent_twins():
    """Chattering and a blind gauge; without them, and with a requirement that is met, it holds."""
    calm = backed_up(pack={"cutoff_v": 10.5}, requirement={"standby_h": 40})
    found = evaluate_plan(core_plan(calm))
    assert (codes(found.selectors[0]), found.selectors[0].verdict, found.verdict) == ({}, "holds", "holds")
    assert [s.verdict for s in found.supplies] == [None, None]
    chatters = evaluate_plan(core_plan(backed_up(switch_below_v=10.5, requirement={"standby_h": 40}))).selectors[0]
    assert codes(chatters) == {"selector_chatters": "risk"}
    gauge = {"full_v": 12.9, "empty_v": 10.5}
    blind = evaluate_plan(core_plan(backed_up(pack=dc_ups(cutoff_v=10.5), gauge=gauge, requirement={"standby_h": 40}))).selectors[0]
    seeing = evaluate_plan(core_plan(backed_up(pack={"cutoff_v": 10.5}, gauge=gauge, requirement={"standby_h": 40}))).selectors[0]
    assert (codes(blind), codes(seeing)) == ({"gauge_blind": "risk"}, {})
    paper = evaluate_plan(core_plan(backed_up(pack={"cutoff_v": 10.5}, requirement={"standby_h": 100}))).selectors[0]
    assert paper.verdict == "on_paper_only"


def test_a_regulated_input_that_gives_too_little_leaves_its_load_dead():
    """9 V held for good are no supply for a camera that needs 10 V, and the backup is never asked; 10.5 V are enough."""
    low = played(backed_up(pack=dc_ups(cutoff_v=10.5, dc={"output_v": 9.7}), camera={"rail_v": 11}))
    assert (low.holdover_h, low.dead, low.seen_v) == (0.0, "Camera", 9.7)
    assert played(backed_up(pack=dc_ups(cutoff_v=10.5, dc={"output_v": 10.5}), camera={"rail_v": 11})).holdover_h > 40


def test_an_input_is_computed_as_if_it_were_alone_and_its_dangers_count():
    """Its own hours are those of the load on it alone; a danger on one input makes the plan unsafe."""
    site = backed_up()
    alone = merged(site, {})
    alone["plans"][0]["selectors"] = []
    alone["plans"][0]["loads"][0]["supply"] = "pack"
    pack = evaluate_plan(core_plan(site)).supplies[0]
    assert pack.holdover.expected == pytest.approx(evaluate_plan(core_plan(alone)).supplies[0].holdover.expected)
    risky = backed_up(pack={"charge_limit_a": 0.7, "charge_v": 25.2, "supply_current_a": 2})
    assert evaluate_plan(core_plan(risky)).verdict == "unsafe"


def faulty(**changes):
    site = backed_up()
    for path, value in changes.items():
        plan = site["plans"][0]
        if path == "load":
            plan["loads"][0]["supply"] = value
        else:
            plan["selectors"] = value
    return site


ONE = backed_up()["plans"][0]["selectors"][0]
FAULTS = {
    "selectors[1].inputs[0]": (faulty(selectors=[ONE, ONE | {"key": "other"}]), "which is an input of the selector 'feed' already"),
    "selectors[0].inputs[1]": (faulty(selectors=[ONE | {"inputs": ["pack", "feed"]}]), "so it would be fed by itself"),
    "selectors[0].inputs[0]": (faulty(selectors=[ONE | {"inputs": ["sun", "cells"]}]), "which is not among the supplies"),
    "loads[0].supply": (faulty(load="cells"), "hang it on the selector"),
    "selectors[0]": (faulty(selectors=[ONE | {"inputs": ["pack"]}]), "two supplies at least"),
}


@pytest.mark.parametrize("path", FAULTS)
def test_selectors_that_cannot_be_are_faults_at_their_fields(path):
    """An input twice, of itself, of nothing; a load beside the selector; one input alone."""
    site, words = FAULTS[path]
    with pytest.raises(DocumentFaults) as raised:
        read_site(site)
    assert any(f.path == f"plans[0].{path}" and words in f.message for f in raised.value.faults)


@settings(deadline=None, max_examples=4)
@given(st.integers(0, 10**6))
def test_any_selector_ends_and_says_something(seed):
    """Random banks, thresholds, modes and loads: it ends, its parts go together, and no input feeds after it was never reached."""
    rng = random.Random(seed)
    kinds = ["lead_agm", "lifepo4", "li_ion"]
    volts = {"lead_agm": 12, "lifepo4": 12.8, "li_ion": 11.1}

    def some():
        chemistry = rng.choice(kinds)
        bank = {
            "chemistry": chemistry,
            "block_v": volts[chemistry],
            "capacity_ah": rng.choice([1.2, 7, 20]),
            "condition_ratio": rng.uniform(0.4, 1),
        }
        made = {
            "kind": "boxed",
            "bank": {**LEAD["bank"], **bank},
            "cutoff_v": rng.choice([None, 9.5, 10.8]),
            "own_current_a": rng.choice([0, 0.02]),
        }
        return merged(dc_ups(), made | {"kind": "dc_ups"}) if rng.random() < 0.3 else made

    camera = {"min_v": rng.choice([None, 9, 11]), "standby": {"current_a": rng.choice([0.01, 0.3, 2])}}
    mode = rng.choice(["first_present", "highest_voltage"])
    site = backed_up(some(), some(), camera, mode=mode, switch_below_v=rng.choice([1, 9.5, 11.5]), return_above_v=rng.choice([None, 12.5]))
    (found,) = evaluate_plan(core_plan(site)).selectors
    assert 0 <= found.holdover_h <= 87_600
    assert found.line
    assert [f.from_h for f in found.fed_by] == sorted(f.from_h for f in found.fed_by)
    assert {f.input_key for f in found.fed_by if f.from_h < found.holdover_h} <= {k for k, reached in found.reached.items() if reached}
    assert ("backup_never_reached" in codes(found)) == (
        not all(found.reached.values()) and found.limited_by is not None and bool(found.fed_by)
    )


def test_nothing_is_moved_to_an_input_and_what_a_selector_fails_of_is_said():
    """A load may not join an input; the search leaves it alone, and names the backup that no move mends."""
    site = backed_up(pack={"own_current_a": 0.01})
    plan = site["plans"][0]
    plan["supplies"].append(merged(plan["supplies"][0], {"key": "bay", "name": "Bay", "cutoff_v": 10.5, "bank": {"capacity_ah": 1.2}}))
    plan["loads"].append(merged(plan["loads"][0], {"key": "beam", "name": "Beam", "supply": "bay", "bursts": []}))
    core = core_plan(site)
    assert "Pack is an input of Camera feed" in why_not(core, {"beam": 1}, "pack")
    found = find_moves(core, effort=Effort(relax_s=0))
    assert {m.to_key for m in found.moves} <= {"bay", None}
    assert any("Backup is never reached" in words for words in found.blocked)
