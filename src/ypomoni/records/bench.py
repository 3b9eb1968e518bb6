"""What is measured on the bench and belongs to an organisation: a device stepped through its modes, a lot of batteries."""

from typing import Annotated, Any, TypedDict

from ypomoni.core.measuring.device_bench import ModeUse
from ypomoni.records.field import Dated, Flag, Kept, Line, Many, Real, Whole, Word, amperes, degrees, key_of, share, volts
from ypomoni.records.kinds import CHARGE, COUNT, HOURS, PER_HOUR, POWER, RESISTANCE, SECONDS
from ypomoni.records.words import CHEMISTRY_WORDS

MODE_WORDS = {
    ModeUse.STANDBY.value: "lasting: standby",
    ModeUse.ALARM.value: "lasting: alarm",
    ModeUse.BURST.value: "comes again and again",
    ModeUse.OTHER.value: "something else",
}


class ModeRow(TypedDict):
    """What was read of a device in one mode."""

    name: Annotated[str, Line("name", longest=80, label="Mode", hint="as in armed, transmitting, lamp on")]
    use: Annotated[str, Word("use", MODE_WORDS, one_of=ModeUse, default=ModeUse.STANDBY, label="It is")]
    current_a: Annotated[float, amperes("current_a", label="It draws", hint="the mean, as in 62 mA")]
    least_a: Annotated[float | None, amperes("least_a", default=None, null=True, label="Least seen", hint="empty if it stood still")]
    greatest_a: Annotated[
        float | None, amperes("greatest_a", default=None, null=True, label="Greatest seen", hint="empty if it stood still")
    ]
    at_v: Annotated[float | None, volts("at_v", default=None, null=True, label="Fed with", hint="only if not as above: tells how it draws")]
    duration_s: Annotated[
        float | None,
        Real(
            "duration_s",
            SECONDS,
            above=0,
            most=86_400,
            default=None,
            null=True,
            label="Lasts",
            hint="if it comes again and again, as in 8 s",
        ),
    ]
    per_hour: Annotated[
        float | None, Real("per_hour", PER_HOUR, above=0, most=36_000, default=None, null=True, label="How often", hint="as in 6 an hour")
    ]


class BenchedDeviceRow(Kept):
    """A device that was measured on the bench, mode by mode, with what its sheet claims."""

    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", label="Device", hint="as your register calls it, so that its loads are found")]
    supply_v: Annotated[float, volts("supply_v", label="Fed with", hint="the bench supply's volts, as in 12 V")]
    min_v: Annotated[float | None, volts("min_v", null=True, default=None, label="Works down to", hint="as in 10.5 V; empty if not known")]
    instrument_key: Annotated[str | None, Line("instrument_key", null=True, default=None)]
    jack: Annotated[
        str | None, Line("jack", null=True, default=None, label="Jack of the meter", hint="as printed, as in mA; empty: the one that fits")
    ]
    claim_current_a: Annotated[
        float | None,
        amperes("claim_current_a", null=True, default=None, group="What its sheet claims", label="A current", hint="as in 31 mA"),
    ]
    claim_h: Annotated[
        float | None,
        Real(
            "claim_h",
            HOURS,
            above=0,
            most=876_000,
            null=True,
            default=None,
            group="What its sheet claims",
            label="Or hours",
            hint="as in 80 h",
        ),
    ]
    claim_ah: Annotated[
        float | None,
        Real(
            "claim_ah",
            CHARGE,
            above=0,
            most=100_000,
            null=True,
            default=None,
            group="What its sheet claims",
            label="on a battery of",
            hint="as in 2500 mAh",
        ),
    ]
    claim_w: Annotated[
        float | None,
        Real(
            "claim_w",
            POWER,
            above=0,
            most=1e6,
            null=True,
            default=None,
            group="What its sheet claims",
            label="Or watts",
            hint="as in 4.2 W",
        ),
    ]
    out_v: Annotated[
        float | None,
        volts("out_v", null=True, default=None, group="If it is a converter", label="It gives", hint="volts at its output, as in 5 V"),
    ]
    out_a: Annotated[float | None, amperes("out_a", null=True, default=None, group="If it is a converter", label="at", hint="as in 0.42 A")]
    modes: Annotated[list[dict[str, Any]], Many("modes", ModeRow, default=[], most=40)]


class LotBlockRow(TypedDict):
    """What was read of one block of a lot."""

    label: Annotated[str, Line("label", longest=40, label="Block", hint="what is written on it, as in 3 or B-07")]
    rest_v: Annotated[float | None, volts("rest_v", default=None, null=True, label="At rest", hint="as in 12.84 V")]
    load_v: Annotated[
        float | None, volts("load_v", default=None, null=True, label="Under load", hint="at the end of the load, as in 12.31 V")
    ]
    resistance_ohm: Annotated[
        float | None,
        Real("resistance_ohm", RESISTANCE, above=0, most=100, default=None, null=True, label="Resistance", hint="as in 24 mΩ"),
    ]
    capacity_ah: Annotated[
        float | None,
        Real(
            "capacity_ah",
            CHARGE,
            above=0,
            most=100_000,
            default=None,
            null=True,
            label="It gave",
            hint="when discharged in full, as in 6.6 Ah",
        ),
    ]
    made: Annotated[str | None, Dated("made", is_month=True, default=None, null=True, label="Made", hint="as in 2023-05")]
    is_new: Annotated[bool, Flag("is_new", default=False, label="New: in its first cycle")]


class LotRow(Kept):
    """Batteries of one kind on the bench, how they were treated, and what was read of each."""

    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", label="Lot", hint="as in taken out of the archive, March")]
    chemistry: Annotated[str, Word("chemistry", CHEMISTRY_WORDS, default="lead_agm", label="Battery")]
    block_v: Annotated[float, volts("block_v", default=12.0, label="Block voltage", hint="as in 12 V")]
    capacity_ah: Annotated[float, Real("capacity_ah", CHARGE, above=0, most=100_000, label="Block capacity", hint="as on the label, 7 Ah")]
    rate_h: Annotated[
        float, Real("rate_h", HOURS, above=0, most=1_000, default=20.0, label="Rated at", hint="the hour rate on the label, usually 20 h")
    ]
    is_charged: Annotated[bool, Flag("is_charged", default=False, group="How they were treated", label="All were charged in full")]
    rested_h: Annotated[
        float | None,
        Real(
            "rested_h",
            HOURS,
            least=0,
            most=8_760,
            null=True,
            default=None,
            group="How they were treated",
            label="Then rested for",
            hint="as in 14 h",
        ),
    ]
    temperature_degc: Annotated[
        float, degrees("temperature_degc", default=20.0, group="How they were treated", label="Temperature", hint="as in 20 °C")
    ]
    load_a: Annotated[
        float | None,
        amperes(
            "load_a",
            above=0,
            null=True,
            default=None,
            group="How they were treated",
            label="Loaded with",
            hint="the same for all, as in 3.5 A",
        ),
    ]
    load_s: Annotated[
        float | None,
        Real(
            "load_s",
            SECONDS,
            above=0,
            most=3_600,
            null=True,
            default=None,
            group="How they were treated",
            label="for",
            hint="the same for all, as in 10 s",
        ),
    ]
    tested_on: Annotated[
        str | None, Dated("tested_on", null=True, default=None, group="How they were treated", label="Tested on", hint="as in 2026-03-04")
    ]
    series: Annotated[
        int, Whole("series", COUNT, least=1, most=24, default=2, group="Strings and limits", label="Blocks in a string", hint="as in 2")
    ]
    sag_doubtful_ratio: Annotated[
        float,
        share(
            "sag_doubtful_ratio",
            default=0.10,
            group="Strings and limits",
            label="Doubtful from a sag",
            hint="above the best of the lot, as in 10 %",
        ),
    ]
    sag_reject_ratio: Annotated[
        float,
        share(
            "sag_reject_ratio",
            default=0.20,
            group="Strings and limits",
            label="Rejected from a sag",
            hint="above the best of the lot, as in 20 %",
        ),
    ]
    resistance_doubtful_ratio: Annotated[
        float,
        share(
            "resistance_doubtful_ratio",
            default=0.30,
            group="Strings and limits",
            label="Doubtful from a resistance",
            hint="above the best, as in 30 %",
        ),
    ]
    resistance_reject_ratio: Annotated[
        float,
        share(
            "resistance_reject_ratio",
            default=0.50,
            group="Strings and limits",
            label="Rejected from a resistance",
            hint="above the best, as in 50 %",
        ),
    ]
    blocks: Annotated[list[dict[str, Any]], Many("blocks", LotBlockRow, default=[], most=200)]
