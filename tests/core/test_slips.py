"""Slips caught at entry: each asked where it is one, and nothing asked of a good reading."""

import pytest
from builders import INSTRUMENT, audited, core_plan, reading

from ypomoni.core.hookup import advise_hookup
from ypomoni.core.readings import DEFAULT_INSTRUMENT, Hookup, Instrument, Mains, PositiveMeans, Reading, State
from ypomoni.core.reconciliation import Tree
from ypomoni.core.slips import find_slips
from ypomoni.documents.site_file import read_site, to_core

LOADS = [
    {"key": "a", "name": "Keypad", "quantity": 3, "standby": {"current_a": 0.06, "provenance": "data_sheet"}},
    {
        "key": "b",
        "name": "Siren",
        "standby": {"current_a": 0.02, "provenance": "measured"},
        "alarm": {"current_a": 0.4, "provenance": "measured"},
    },
    {
        "key": "c",
        "name": "Logger",
        "rail_v": 5,
        "converter": {"kind": "switching", "efficiency_ratio": 0.8},
        "standby": {"current_a": 0.24, "provenance": "data_sheet"},
    },
]
READINGS = [
    reading("r1", "output", 0.33),
    reading("r2", "at-a", 0.18),
    reading("r3", "at-b", 0.02),
    reading("r4", "output", 0.71, state="alarm"),
]


def asked(point, value_a, *, readings=READINGS, state="standby", mains="off", plus="discharge", greatest_a=None, was_va=False):
    """Return the codes of the questions a reading gives rise to."""
    site = to_core(read_site(audited(loads=LOADS, readings=readings)))
    plan = site.plans[0]
    tree = Tree(plan.supplies[0], plan.loads_on("s"), list(plan.points), plan.readings, plan.instruments)
    new = Reading(
        key="",
        point_key=point,
        state=State(state),
        mains=Mains(mains) if mains else None,
        value_a=value_a,
        greatest_a=greatest_a,
        positive_means=PositiveMeans(plus),
    )
    found = find_slips(tree, tree.points[point], new, plan.instruments[0], was_va=was_va)
    assert all(q.text.endswith((".", "?")) for q in found)
    return [q.code for q in found]


@pytest.mark.parametrize(
    ("what", "code"),
    [
        ({"point": "at-a", "value_a": 180.0}, "unit"),
        ({"point": "at-a", "value_a": 0.00018}, "unit"),
        ({"point": "output", "value_a": -0.33}, "sign"),
        ({"point": "battery", "value_a": -0.33}, "sign"),
        ({"point": "battery", "value_a": 0.4, "mains": "on"}, "sign"),
        ({"point": "at-a", "value_a": 0.061}, "quantity"),
        ({"point": "at-a", "value_a": 0.54}, "quantity"),
        ({"point": "output", "value_a": 11.0}, "range"),
        ({"point": "at-a", "value_a": 0.18, "greatest_a": 12.0}, "range"),
        ({"point": "output", "value_a": 0.25, "state": "alarm"}, "alarm_below_standby"),
        ({"point": "at-a", "value_a": 0.35}, "parent_smaller"),
        ({"point": "output", "value_a": 0.15}, "parent_smaller"),
        ({"point": "at-c", "value_a": 0.06}, "converter_below_physics"),
        ({"point": "at-a", "value_a": 0.18, "was_va": True}, "va_for_w"),
    ],
)
def test_a_slip_is_asked_about(what, code):
    """Each by its own figures."""
    assert code in asked(**what)


@pytest.mark.parametrize(
    "what",
    [
        {"point": "at-a", "value_a": 0.175},
        {"point": "at-b", "value_a": 0.41, "state": "alarm"},
        {"point": "output", "value_a": 0.33},
        {"point": "battery", "value_a": 0.33},
        {"point": "battery", "value_a": 0.6, "mains": "on", "plus": "charge"},
        {"point": "battery", "value_a": -0.6, "mains": "on"},
        {"point": "at-c", "value_a": 0.125},
        {"point": "output", "value_a": 0.72, "state": "alarm"},
    ],
)
def test_a_good_reading_is_not_questioned(what):
    """What fits is stored without a word."""
    assert asked(**what) == []


def test_a_release_in_alarm_is_no_slip():
    """A magnet that lets go draws less in alarm, and the register knows it."""
    magnet = [
        {
            "key": "m",
            "name": "Magnet",
            "standby": {"current_a": 0.24, "provenance": "data_sheet"},
            "alarm": {"current_a": 0, "provenance": "data_sheet"},
        }
    ]
    plan = core_plan(audited(loads=magnet, readings=[reading("r1", "output", 0.24)]))
    tree = Tree(plan.supplies[0], plan.loads_on("s"), list(plan.points), plan.readings, plan.instruments)
    new = Reading(key="", point_key="output", state=State.ALARM, mains=Mains.OFF, value_a=0.001)
    assert find_slips(tree, tree.points["output"], new, DEFAULT_INSTRUMENT) == ()


def advice(point="output", *, expected_a, peak_a=None, transmits=False, **meter):
    plan = core_plan(audited(loads=LOADS, instruments=[{**INSTRUMENT, **meter}]))
    here = next(p for p in plan.points if p.key == point)
    return advise_hookup(here, plan.instruments[0], expected_a=expected_a, peak_a=peak_a or expected_a, transmits=transmits)


def test_jack_and_range_follow_the_current_expected():
    """20 mA on the 40 mA range, 200 mA on 400 mA with what its shunt drops, 300 mA on the amp jack with its time limit and fuse."""
    assert advice(expected_a=0.02).jack == "jack mA, range 40 mA"
    found = advice(expected_a=0.2)
    assert found.jack == "jack mA, range 400 mA"
    assert any("drops about 0.3 V" in c for c in found.cautions)
    found = advice(expected_a=0.3)
    assert found.jack == "jack 10 A, range 10 A"
    assert any("30 s at most" in c for c in found.cautions)
    assert any("never across the battery" in c for c in found.cautions)


def test_what_transmits_is_read_on_the_amp_jack_and_too_much_is_said():
    """A milliamp range would starve a transmitter; what no range holds is not named."""
    assert advice(expected_a=0.05, transmits=True).jack == "jack 10 A, range 10 A"
    found = advice(expected_a=1.0, peak_a=9.0)
    assert "has no range for that" in " ".join(found.cautions)
    assert "highest range first" in found.jack


def test_a_clamp_is_zeroed_and_no_use_for_little():
    """Below half an ampere it says so."""
    found = advice(expected_a=0.1, hookup="clamp")
    assert found.hookup is Hookup.CLAMP
    assert any("Zero it" in c for c in found.cautions)
    assert any("go in series" in c for c in found.cautions)
    assert not any("go in series" in c for c in advice(expected_a=2.0, hookup="clamp").cautions)


def test_an_instruments_limit_is_its_share_its_digits_and_its_offset():
    """2 % of 1.2 A + 5 digits of 4 A at 4,000 counts + 10 mA = 24 + 5 + 10 mA."""
    clamp = Instrument(key="c", name="Clamp", hookup=Hookup.CLAMP, accuracy_ratio=0.02, digits_count=5, offset_a=0.01)
    assert clamp.limit_a(1.2) == pytest.approx(0.024 + 0.005 + 0.010)
    assert clamp.limit_a(-1.2) == clamp.limit_a(1.2)
