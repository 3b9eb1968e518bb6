"""What belongs to an organisation and not to one of its sites: instruments, blocks in stock, measured devices."""

from typing import Annotated, Any, TypedDict

from ypomoni.core.things.loads import Behaviour
from ypomoni.core.things.readings import Hookup
from ypomoni.records.field import Kept, Line, Many, Moment, Real, Whole, Word, YesNo, amperes, key_of, share, volts
from ypomoni.records.kinds import CHARGE, COUNT, COUNTS, CURRENT, HOURS, PRICE, SECONDS, SIZE, VOLTAGE, WEIGHT
from ypomoni.records.words import BEHAVIOUR_WORDS, CHEMISTRY_WORDS, HOOKUP_WORDS


class RangeRow(TypedDict):
    """One range of an instrument."""

    jack: Annotated[str, Line("jack", label="Jack", hint="as printed, as in mA")]
    limit_a: Annotated[float, Real("limit_a", CURRENT, above=0, most=10_000, label="Up to", hint="as in 400 mA")]
    burden_v: Annotated[
        float | None,
        Real(
            "burden_v",
            VOLTAGE,
            least=0,
            most=10,
            default=None,
            null=True,
            label="Drops at full scale",
            hint="as in 0.3 V; empty if not known",
        ),
    ]
    fuse_a: Annotated[
        float | None, Real("fuse_a", CURRENT, above=0, most=1_000, default=None, null=True, label="Fuse", hint="as in 500 mA")
    ]
    longest_s: Annotated[
        float | None,
        Real(
            "longest_s",
            SECONDS,
            above=0,
            most=86_400,
            default=None,
            null=True,
            label="For at most",
            hint="as in 10 s; empty for any time",
        ),
    ]


class InstrumentRow(Kept):
    """A meter and how far it may be off: ± (accuracy_ratio + digits_count) of display_count, and a clamp's offset."""

    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", label="Name", hint="as you call it: yellow meter, van 2")]
    hookup: Annotated[str, Word("hookup", HOOKUP_WORDS, one_of=Hookup, default=Hookup.SERIES, label="Used")]
    accuracy_ratio: Annotated[
        float, share("accuracy_ratio", least=0, most=0.2, default=0.01, label="Accuracy", hint="share of the reading, as in 1 %")
    ]
    digits_count: Annotated[int, Whole("digits_count", COUNT, least=0, most=100, default=3, label="Plus digits", hint="as in 3")]
    display_count: Annotated[
        int,
        Whole("display_count", COUNTS, least=100, most=10_000_000, default=4000, label="Counts of its display", hint="as in 4000"),
    ]
    offset_a: Annotated[
        float,
        Real(
            "offset_a",
            CURRENT,
            least=0,
            most=10,
            default=0.0,
            label="Offset",
            hint="what a zeroed clamp still shows, as in 20 mA; 0 A for others",
        ),
    ]
    ranges: Annotated[list[dict[str, Any]], Many("ranges", RangeRow, default=[], label="Ranges, smallest first", hint="Add a range")]


class StockRow(Kept):
    """A block one can buy. A chemistry with blocks in stock is sized from them alone."""

    key: Annotated[str, Line("key", path=None, told=None)]
    name: Annotated[str, Line("name", path=None, label="Name", hint="as on the shelf, 12 V 7 Ah")]
    chemistry: Annotated[str, Word("chemistry", CHEMISTRY_WORDS, label="Battery")]
    block_v: Annotated[float, volts("block_v", label="Block voltage", hint="as in 12 V")]
    capacity_ah: Annotated[float, Real("capacity_ah", CHARGE, above=0, most=100_000, label="Block capacity", hint="as in 7 Ah")]
    rate_h: Annotated[
        float,
        Real("rate_h", HOURS, above=0, most=1_000, default=20.0, label="Rated at", hint="the hour rate on the label, usually 20 h"),
    ]

    price: Annotated[
        float | None,
        Real(
            "price",
            PRICE,
            above=0,
            most=1e6,
            default=None,
            null=True,
            label="Price of one",
            hint="in your currency, as in 24.50; empty if not known",
            since=9,
        ),
    ]
    weight_kg: Annotated[
        float | None,
        Real("weight_kg", WEIGHT, above=0, most=10_000, default=None, null=True, label="Weight of one", hint="as in 5.2 kg", since=11),
    ]
    width_mm: Annotated[
        float | None,
        Real(
            "width_mm", SIZE, above=0, most=10_000, default=None, null=True, label="Width", hint="its longer side, as in 181 mm", since=11
        ),
    ]
    depth_mm: Annotated[
        float | None,
        Real("depth_mm", SIZE, above=0, most=10_000, default=None, null=True, label="Depth", hint="as in 76 mm", since=11),
    ]
    height_mm: Annotated[
        float | None,
        Real(
            "height_mm",
            SIZE,
            above=0,
            most=10_000,
            default=None,
            null=True,
            label="Height",
            hint="with its terminals, as in 167 mm",
            since=11,
        ),
    ]


class DeviceRow(Kept):
    """A device the organisation has measured itself; it is in no site file."""

    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name")]
    rail_v: Annotated[float, volts("rail_v")]
    behaviour: Annotated[str, Word("behaviour", BEHAVIOUR_WORDS, one_of=Behaviour)]
    min_v: Annotated[float | None, volts("min_v", null=True)]
    standby_current_a: Annotated[float, amperes("standby_current_a")]
    alarm_current_a: Annotated[float | None, amperes("alarm_current_a", null=True)]
    bursts: Annotated[list[dict[str, Any]], Many("bursts", dict)]
    basis: Annotated[str, Line("basis")]
    measured_count: Annotated[int, Whole("measured_count", COUNT, least=1, most=10_000)]
    measured_on: Annotated[Any, Moment("measured_on")]


class BenchRow(Kept):
    """A small supply that was measured on the bench; it is in no site file, and fills in the supplies that are like it."""

    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", label="What is it called", hint="as on its label, or where it hangs")]
    chemistry: Annotated[str, Word("chemistry", CHEMISTRY_WORDS, label="What cell is in it")]
    cells_count: Annotated[int, Whole("cells_count", COUNT, least=1, most=24, default=1, label="How many cells in series", hint="as in 1")]
    capacity_ah: Annotated[
        float, Real("capacity_ah", CHARGE, above=0, most=1_000, label="What does the cell hold", hint="as on it, 3 Ah or 2600 mAh")
    ]
    output_v: Annotated[float, volts("output_v", label="What does its output give", hint="with nothing on it, as in 5.02 V")]
    idle_current_a: Annotated[
        float, amperes("idle_current_a", label="What does it draw idle", hint="in series with the cell, nothing on the output, as in 12 mA")
    ]
    sleep_below_a: Annotated[
        float | None,
        amperes("sleep_below_a", above=0, null=True, label="Below which load does it sleep", hint="as in 60 mA; empty if it stayed awake"),
    ]
    sleep_after_s: Annotated[
        float | None,
        Real(
            "sleep_after_s",
            SECONDS,
            above=0,
            most=86_400,
            null=True,
            label="After how long does it sleep",
            hint="as in 30 s; empty if it stayed awake",
        ),
    ]
    wakes_on_load: Annotated[bool | None, YesNo("wakes_on_load", null=True, label="Does a load wake it")]
    cutoff_v: Annotated[
        float | None,
        volts(
            "cutoff_v",
            null=True,
            label="At which voltage does it let go",
            hint="a bench supply in place of the cell, turned down under load; empty if it never did",
        ),
    ]
    tried_down_to_v: Annotated[
        float | None, volts("tried_down_to_v", null=True, label="How far was it turned down", hint="as in 2.4 V; empty if not tried")
    ]
    passes_through: Annotated[
        bool | None, YesNo("passes_through", null=True, label="With the cell flat, does its voltage still appear at the output")
    ]
