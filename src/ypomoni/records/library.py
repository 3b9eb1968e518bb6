"""What belongs to an organisation and not to one of its sites: instruments, blocks in stock, measured devices."""

from typing import Annotated, Any, TypedDict

from ypomoni.core.things.loads import Behaviour
from ypomoni.core.things.readings import Hookup
from ypomoni.records.field import Kept, Line, Many, Moment, Real, Whole, Word, amperes, key_of, share, volts
from ypomoni.records.kinds import CHARGE, COUNT, COUNTS, CURRENT, HOURS, PRICE, SECONDS, VOLTAGE
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


class DeviceRow(Kept):
    """A device the organisation has measured itself; it is in no site file."""

    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name")]
    rail_v: Annotated[float, volts("rail_v")]
    behaviour: Annotated[str, Word("behaviour", BEHAVIOUR_WORDS, one_of=Behaviour)]
    min_v: Annotated[float | None, volts("min_v", null=True)]
    standby_current_a: Annotated[float, amperes("standby_current_a")]
    alarm_current_a: Annotated[float | None, amperes("alarm_current_a", null=True)]
    bursts: Annotated[list[dict[str, Any]], Many("bursts", None)]
    basis: Annotated[str, Line("basis")]
    measured_count: Annotated[int, Whole("measured_count", COUNT, least=1, most=10_000)]
    measured_on: Annotated[Any, Moment("measured_on")]
