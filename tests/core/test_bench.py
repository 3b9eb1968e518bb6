"""The bench: a device against its sheet, a lot of blocks against its best, strings that go together."""

import itertools
from datetime import date

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.measuring.battery_lot import BlockWord, Lot, LotBlock, expected_sag_v, go_together, judge_lot, match_strings
from ypomoni.core.measuring.device_bench import BenchedMode, Claim, DeviceBench, ModeUse, judge_device
from ypomoni.core.telling.results import Verdict
from ypomoni.core.things.loads import Behaviour
from ypomoni.core.things.readings import Instrument, Range

METER = Instrument(
    key="m",
    name="m",
    ranges=(
        Range(jack="mA", limit_a=0.06, burden_v=0.06),
        Range(jack="mA", limit_a=0.6, burden_v=0.6),
        Range(jack="10 A", limit_a=10.0, burden_v=0.3),
    ),
)


def mode(name, current_a, use="standby", **more):
    return BenchedMode(name=name, use=ModeUse(use), current_a=current_a, **more)


def bench(*modes, **more):
    return DeviceBench(**{"name": "beacon", "supply_v": 6.0, "modes": modes, "instrument": METER, "jack": "10 A", **more})


def codes(told):
    return {f.code for f in told.findings}


def test_a_sheet_that_promises_twice_what_is_kept_is_told_in_hours():
    """80 h on 2.5 Ah is 31 mA; 62 mA is half of it and 410 mA a thirteenth, and a burst is no claim about what lasts."""
    told = judge_device(
        bench(mode("idle", 0.062), mode("lamp on", 0.41, "alarm"), mode("calling", 0.09, "burst"), claim=Claim(runs_h=80, battery_ah=2.5))
    )
    assert told.verdict is Verdict.FAILS
    (claim,) = [f for f in told.findings if f.code == "claim_exceeded"]
    assert "40 h" in claim.evidence
    assert "6 h at most" in claim.evidence
    assert "calling" not in claim.evidence
    assert told.claimed_a == pytest.approx(0.03125)


@pytest.mark.parametrize(
    ("claim", "current_a"),
    [
        (Claim(current_a=0.062), 0.0625),
        (Claim(power_w=0.372), 0.061),
        (Claim(runs_h=40, battery_ah=2.5), 0.0640),
        (Claim(current_a=0.1), 0.05),
    ],
)
def test_a_sheet_that_is_kept_is_said_to_be(claim, current_a):
    """As a current, as watts, as hours; a little above is within what the meter may be off."""
    told = judge_device(bench(mode("idle", current_a), claim=claim))
    assert (told.verdict, codes(told)) == (Verdict.HOLDS, {"claim_kept"})


def test_a_converter_cannot_take_less_than_it_gives():
    """5 V at 0.42 A from 12 V is at least 175 mA: 17.8 mA is a slip, 0.19 A is one with 92 %."""
    fed = {"supply_v": 12.0, "out_v": 5.0, "out_a": 0.42, "claim": Claim(current_a=0.02)}
    slip = judge_device(bench(mode("on", 0.0178), **fed))
    assert slip.verdict is Verdict.UNKNOWN
    (floor,) = [f for f in slip.findings if f.code == "below_converter_floor"]
    assert "cannot be below 175 mA" in floor.evidence
    assert "below_converter_floor" not in codes(judge_device(bench(mode("on", 0.19), **fed)))


def test_what_the_meter_drops_is_told_before_it_misleads():
    """62 mA on a range that drops 0.6 V at 600 mA takes 62 mV of 6 V; 410 mA take 0.41 V, and starve what needs 5.8 V."""
    on_ma = {"jack": "mA"}
    assert "burden_misleads" not in codes(judge_device(bench(mode("idle", 0.062), **on_ma)))
    told = judge_device(bench(mode("idle", 0.062), mode("lamp", 0.41), min_v=5.8, **on_ma))
    (burden,) = [f for f in told.findings if f.code == "burden_misleads"]
    assert "5.59 V, under the 5.8 V it needs" in burden.evidence
    assert told.modes[1].burden_v == pytest.approx(0.41)


@pytest.mark.parametrize("kind", list(Behaviour))
@pytest.mark.parametrize("volts", [(12.0, 14.0), (13.6, 11.0)])
def test_two_voltages_tell_how_it_draws(kind, volts):
    """A constant current, a constant power, a resistance; nearly the same voltage tells nothing, and neither does a mixture."""
    slope = {Behaviour.CONSTANT_CURRENT: 0.0, Behaviour.CONSTANT_POWER: -1.0, Behaviour.RESISTIVE: 1.0}

    def told(second_v, power):
        second_a = 0.2 * (second_v / volts[0]) ** power
        return judge_device(
            bench(mode("armed", 0.2), mode("Armed", second_a, at_v=second_v), supply_v=volts[0], instrument=Instrument(key="", name="m"))
        )

    assert told(volts[1], slope[kind]).behaviour is kind
    assert told(volts[0] * 1.01, slope[kind]).behaviour is None
    assert told(volts[1], 0.5).behaviour is None


# -- lots ------------------------------------------------------------------------------------------------------------------------------

TREATED = {
    "chemistry_key": "lead_agm",
    "block_v": 12.0,
    "capacity_ah": 7.0,
    "is_charged": True,
    "rested_h": 14.0,
    "load_a": 3.5,
    "load_s": 10.0,
}
BEST = LotBlock(label="best", rest_v=12.90, load_v=12.40)


def words(*blocks, **more):
    return {v.label: v.word for v in judge_lot(Lot(**{**TREATED, **more, "blocks": (BEST, *blocks)}))}


@pytest.mark.parametrize(
    ("read", "word"),
    [
        ({"rest_v": 12.85, "load_v": 12.34}, BlockWord.GOOD),
        ({"rest_v": 12.62, "load_v": 12.11}, BlockWord.GOOD),
        ({"rest_v": 12.50, "load_v": 12.00}, BlockWord.AGAIN),
        ({"rest_v": 12.30, "load_v": 11.80}, BlockWord.DOUBTFUL),
        ({"rest_v": 11.95, "load_v": 11.45}, BlockWord.REJECT),
        ({"rest_v": 10.80}, BlockWord.REJECT),
        ({"rest_v": 12.90, "load_v": 12.33}, BlockWord.DOUBTFUL),
        ({"rest_v": 12.90, "load_v": 12.28}, BlockWord.REJECT),
        ({"rest_v": 12.95}, BlockWord.UNTOLD),
        ({"rest_v": 13.6, "load_v": 13.1}, BlockWord.UNTOLD),
        ({"rest_v": 12.9, "capacity_ah": 6.65, "is_new": True}, BlockWord.GOOD),
        ({"rest_v": 12.9, "capacity_ah": 6.65}, BlockWord.GOOD),
        ({"rest_v": 12.9, "capacity_ah": 5.4}, BlockWord.REJECT),
        ({"rest_v": 12.9, "load_v": 12.4, "capacity_ah": 5.8, "is_new": True}, BlockWord.AGAIN),
    ],
)
def test_each_block_is_judged_against_the_best_and_its_kind(read, word):
    """Volts at rest, sag, capacity; a new block at 95 % in its first cycle is not faulty, and volts alone never make one good."""
    assert words(LotBlock(label="x", **read))["x"] is word


def test_resistances_are_compared_with_the_best_of_the_lot():
    """A third more is doubtful, more than half rejects; the limits are the lot's own."""
    blocks = [LotBlock(label=str(n), rest_v=12.9, resistance_ohm=ohm) for n, ohm in enumerate((0.022, 0.024, 0.030, 0.035))]
    assert list(words(*blocks).values())[1:] == [BlockWord.GOOD, BlockWord.GOOD, BlockWord.DOUBTFUL, BlockWord.REJECT]


def test_volts_tell_nothing_before_a_charge_and_a_rest_and_nearly_nothing_of_iron_phosphate():
    """12.4 V of a block nobody charged is no verdict on it; nor are volts half an hour after the charge; 13.3 V of LFP says nothing."""
    doubtful = LotBlock(label="x", rest_v=12.30, load_v=11.80)
    assert words(doubtful)["x"] is BlockWord.DOUBTFUL
    assert words(doubtful, is_charged=False)["x"] is BlockWord.GOOD
    assert words(doubtful, rested_h=0.5)["x"] is BlockWord.GOOD
    lfp = Lot(**{**TREATED, "chemistry_key": "lifepo4", "block_v": 12.8, "blocks": (LotBlock(label="x", rest_v=13.3),)})
    assert judge_lot(lfp)[0].word is BlockWord.UNTOLD


def test_a_lot_that_is_worn_as_a_whole_is_not_good_because_its_best_is_no_better():
    """Every block sags by twice what a new one does: the best of the lot is no reference."""
    kind_v = expected_sag_v(Lot(**TREATED))
    assert 0.2 < kind_v < 0.7
    worn = tuple(LotBlock(label=str(n), rest_v=12.8, load_v=12.8 - 2.0 * kind_v) for n in range(3))
    assert {v.word for v in judge_lot(Lot(**{**TREATED, "blocks": worn}))} == {BlockWord.DOUBTFUL}


def test_a_dead_cell_is_no_best_of_the_lot():
    """A block with a dead cell may sag little: the good ones are not measured by it."""
    dead = LotBlock(label="dead", rest_v=10.8, load_v=10.6)
    assert words(dead) == {"best": BlockWord.GOOD, "dead": BlockWord.REJECT}


def test_an_old_block_is_doubtful_and_a_young_one_is_not():
    """Six years are past the five its kind is planned for."""
    read = {"rest_v": 12.9, "load_v": 12.4}
    assert words(LotBlock(label="x", made=date(2020, 3, 1), **read), tested_on=date(2026, 4, 1))["x"] is BlockWord.DOUBTFUL
    assert words(LotBlock(label="x", made=date(2023, 3, 1), **read), tested_on=date(2026, 4, 1))["x"] is BlockWord.GOOD


blocks_drawn = st.lists(
    st.tuples(st.sampled_from((12.80, 12.84, 12.88, 12.95)), st.sampled_from((0.50, 0.52, 0.54)), st.sampled_from((1, 3, 6, 11))),
    min_size=2,
    max_size=7,
)


@settings(max_examples=60, deadline=None)
@given(blocks_drawn, st.integers(min_value=1, max_value=3))
def test_as_many_strings_come_out_as_trying_every_way_gives(drawn, series):
    """Every string goes together, no block stands twice, the rest is named, and no way of choosing gives more."""
    blocks = tuple(LotBlock(label=f"b{n}", rest_v=v, load_v=v - sag, made=date(2024, m, 1)) for n, (v, sag, m) in enumerate(drawn))
    lot = Lot(**{**TREATED, "blocks": blocks})
    matching = match_strings(lot, series)
    by_label = {b.label: b for b in blocks}
    used = [label for string in matching.strings for label in string]
    assert len(set(used)) == len(used) == series * len(matching.strings)
    assert {*used, *(label for label, _ in matching.rest)} == set(by_label)
    assert all(go_together(lot, [by_label[n] for n in string]) is None for string in matching.strings)
    good = [b for b, v in zip(blocks, judge_lot(lot), strict=True) if v.word is BlockWord.GOOD]
    groups = [set(g) for g in itertools.combinations([b.label for b in good], series) if go_together(lot, [by_label[n] for n in g]) is None]

    def most(left):
        return max((1 + most([g for g in left if not g & first]) for first in left), default=0)

    assert len(matching.strings) == (most(groups) if len(groups) < 12 else len(matching.strings))


def test_a_lot_of_worn_blocks_has_no_good_one():
    """Three blocks of 80 mΩ where a new one has about 25: rejected, though they are alike; of 27 mΩ all are good. Warmth flatters a capacity."""
    lot = lambda ohm, **more: Lot(  # noqa: E731
        chemistry_key="lead_agm",
        block_v=12,
        capacity_ah=7,
        blocks=tuple(LotBlock(label=str(n), resistance_ohm=ohm) for n in range(3)),
        **more,
    )
    assert {v.word for v in judge_lot(lot(0.080))} == {BlockWord.REJECT}
    assert {v.word for v in judge_lot(lot(0.027))} == {BlockWord.GOOD}
    given = lambda degc: judge_lot(  # noqa: E731
        Lot(chemistry_key="lead_agm", block_v=12, capacity_ah=7, temperature_degc=degc, blocks=(LotBlock(label="a", capacity_ah=5.9),))
    )[0]
    assert (given(25.0).word, given(40.0).word) == (BlockWord.GOOD, BlockWord.REJECT)
