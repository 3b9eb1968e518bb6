"""Slips caught at entry: each asked where it is one, and nothing asked of a good reading."""

import pytest
from builders import INSTRUMENT, audited, core_plan, reading

from ypomoni.core.measuring.hookup import READ, advise_hookup, steps_of
from ypomoni.core.measuring.reconciliation import Tree
from ypomoni.core.measuring.slips import find_slips
from ypomoni.core.things.readings import (
    DEFAULT_INSTRUMENT,
    Hookup,
    Instrument,
    Mains,
    PointKind,
    PositiveMeans,
    Reading,
    State,
    why_not_load,
)
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site

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


def asked(point, value_a, *, readings=READINGS, state="standby", mains="off", plus="discharge", max_a=None, was_va=False):
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
        max_a=max_a,
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
        ({"point": "at-a", "value_a": 0.18, "max_a": 12.0}, "range"),
        ({"point": "output", "value_a": 0.25, "state": "alarm"}, "alarm_below_standby"),
        ({"point": "at-a", "value_a": 0.35}, "parent_smaller"),
        ({"point": "output", "value_a": 0.15}, "parent_smaller"),
        ({"point": "at-c", "value_a": 0.06}, "converter_below_physics"),
        ({"point": "at-a", "value_a": 0.18, "was_va": True}, "va_for_w"),
        # One of three at a thousand times; all three at nearly nothing; an amp for a keypad.
        ({"point": "at-a", "value_a": 60.0}, "unit"),
        ({"point": "at-a", "value_a": 0.0}, "near_zero"),
        ({"point": "output", "value_a": 0.001}, "near_zero"),
        ({"point": "at-a", "value_a": 9.0}, "current_improbable"),
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
    """20 mA on the 40 mA range, 200 mA on 400 mA with what its shunt drops, but the highest range first; 300 mA on the amp jack for 30 s."""
    first = "jack 10 A, range 10 A first; go to jack mA, range"
    found = advice(expected_a=0.02)
    assert found.jack.startswith(f"{first} 40 mA")
    assert found.reading.startswith("Read for a minute")
    found = advice(expected_a=0.2)
    assert found.jack.startswith(f"{first} 400 mA")
    assert any("drops about 0.3 V" in c for c in found.cautions)
    found = advice(expected_a=0.3)
    assert found.jack == "jack 10 A, range 10 A"
    assert "30 s at most" in found.reading
    assert "minute" not in found.reading
    assert any("never across the battery" in c and "blown fuse" in c for c in found.cautions)


def test_what_transmits_is_read_on_the_amp_jack_and_too_much_is_said():
    """A milliamp range would starve a transmitter; 9 A has a range on a 10 A jack; what no range holds is not named."""
    assert advice(expected_a=0.05, transmits=True).jack == "jack 10 A, range 10 A"
    fits = advice(expected_a=1.0, peak_a=9.0)
    assert (fits.jack, "has no range" in " ".join(fits.cautions)) == ("jack 10 A, range 10 A", False)
    found = advice(expected_a=1.0, peak_a=11.0)
    assert "has no range for that" in " ".join(found.cautions)
    assert found.jack == "another meter, or a clamp"


def test_the_steps_of_a_reading_are_those_of_its_kind():
    """A clamp has no lead to put back and opens nothing; in series it is bridged first; a battery lead warns of rings and swollen blocks; doors first."""
    told = {how: " ".join(steps_of(how, PointKind.BATTERY, has_locks=True)) for how in Hookup}
    assert "volt jack" in told[Hookup.SERIES]
    assert all("volt jack" not in told[how] for how in Hookup if how is not Hookup.SERIES)
    assert told[Hookup.SERIES].index("fused jumper") < told[Hookup.SERIES].index("put the meter in its place")
    assert all(word in told[Hookup.CLAMP] for word in ("eye protection", "rings", "swollen", "Nothing is opened"))
    assert told[Hookup.SERIES].startswith("An alarm test may open or lock doors")
    assert all("door may open" in told[how] for how in (Hookup.BENCH, Hookup.POWER_METER))
    assert "doors" not in " ".join(steps_of(Hookup.SERIES, PointKind.BRANCH, has_locks=False))
    assert all(READ in steps_of(how, PointKind.DEVICE, has_locks=False) for how in Hookup)


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


OWN_BATTERY = {
    "key": "h",
    "name": "Handset camera",
    "standby": {"current_a": 0.1, "provenance": "data_sheet"},
    "recharges": [{"energy_wh": 86.4, "per_day": 1, "efficiency_ratio": 0.8}],
}


def test_a_device_with_its_own_battery_is_asked_about_and_then_adds_up():
    """By hand 0.1 A + 86.4 Wh ÷ 0.8 ÷ 24 h ÷ 12 V = 0.475 A is known of it; 0.09 A is asked about, 0.1 A with its battery full adds up at the lead."""
    plan = core_plan(audited(loads=[OWN_BATTERY], readings=[reading("r1", "at-h", 0.1), reading("r2", "output", 0.1)]))
    tree = Tree(plan.supplies[0], plan.loads_on("s"), list(plan.points), plan.readings, plan.instruments)
    new = Reading(key="", point_key="at-h", state=State.STANDBY, mains=Mains.OFF, value_a=0.09)
    assert "own_battery_by_power_meter" in [q.code for q in find_slips(tree, tree.points["at-h"], new, DEFAULT_INSTRUMENT)]
    assert all(tree.node(tree.points[key], State.STANDBY).agrees for key in ("at-h", "output"))


def test_a_power_meter_never_counts_as_load_by_itself():
    """Whether the reading says so or its instrument does."""
    for hookup, meter in (("power_meter", "series"), ("series", "power_meter")):
        found = audited(
            loads=LOADS,
            instruments=[{**INSTRUMENT, "hookup": meter}],
            readings=[reading("r", "at-b", 0.02, hookup=hookup, instrument="meter")],
        )
        plan = core_plan(found)
        assert "socket" in (why_not_load(plan.readings[0], next(p for p in plan.points if p.key == "at-b")) or "")
    plan = core_plan(audited(loads=LOADS, readings=[reading("r", "at-b", 0.02, instrument="meter")]))
    assert why_not_load(plan.readings[0], next(p for p in plan.points if p.key == "at-b")) is None


@pytest.mark.parametrize("slip_a", [180.0, 60.0, -0.18, 0.00018, 5.4])
def test_a_reading_nobody_believes_is_not_expected_upward(slip_a):
    """A slip at a device of three, of all or of one of them: the output is expected from the register, and still adds up."""
    readings = [reading("r1", "output", 0.33), reading("r2", "at-a", slip_a)]
    plan = core_plan(audited(loads=LOADS, readings=readings))
    tree = Tree(plan.supplies[0], plan.loads_on("s"), list(plan.points), plan.readings, plan.instruments)
    node = tree.node(tree.points["output"], State.STANDBY)
    assert (node.agrees, node.sum_a) == (True, pytest.approx(0.18 + 0.02 + 0.24 * 5 / 0.8 / 12))


def test_ratios_in_words_are_no_larger_than_anybody_counts():
    """A battery lead that shows amps where microamps are registered."""
    loads = [{"key": "a", "name": "Sleeper", "standby": {"current_a": 1e-9, "provenance": "measured"}}]
    plan = core_plan(audited(loads=loads, readings=[reading("r", "output", 0.4)]))
    tree = Tree(plan.supplies[0], plan.loads_on("s"), list(plan.points), plan.readings, plan.instruments)
    node = tree.node(tree.points["output"], State.STANDBY)
    told = " ".join(c.evidence for c in node.causes)
    assert "over a thousand times" in told
    assert "%" not in told
