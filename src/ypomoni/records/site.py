"""A site with its plans, its places, and the runs of cable between its places and supplies."""

from typing import Annotated, Any, TypedDict

from ypomoni.core.things.discharge_tests import DischargeEnd
from ypomoni.core.things.selectors import SelectorMode
from ypomoni.core.things.supplies import Stage
from ypomoni.records.field import Kept, Line, Many, Moment, Months, Nests, Real, Reference, Word, amperes, degrees, key_of, volts
from ypomoni.records.kinds import HOURS, LENGTH, SECTION, TEMPERATURE
from ypomoni.records.words import DISCHARGE_END_WORDS, SELECTOR_WORDS, STAGE_WORDS


class SiteRow(Kept):
    """One premises."""

    name: Annotated[str, Line("name", label="Name", hint="as the client calls it")]
    typical_degc: Annotated[float, degrees("typical_degc", label="Typical temperature of the cupboards")]
    min_degc: Annotated[float, degrees("min_degc", label="Lowest temperature")]
    max_degc: Annotated[float | None, degrees("max_degc", default=None, null=True, label="Highest temperature")]


class SelectorRow(TypedDict):
    """Two or more supplies that back each other up; loads hang on it as on a supply."""

    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", label="Name", hint="as in Camera feed")]
    inputs: Annotated[list[str], Many("inputs", str, most=20)]
    mode: Annotated[str, Word("mode", SELECTOR_WORDS, one_of=SelectorMode, label="Chooses")]
    switch_below_v: Annotated[
        float | None,
        volts("switch_below_v", default=None, null=True, label="Changes over below", hint="what it sees under the load, as in 3.5 V"),
    ]
    return_above_v: Annotated[
        float | None,
        volts("return_above_v", default=None, null=True, label="Goes back above", hint="at rest, as in 12.5 V; empty if the same"),
    ]
    gauge_full_v: Annotated[
        float | None,
        volts(
            "gauge_full_v",
            path="gauge.full_v",
            may_be_empty=True,
            label="Its gauge shows 100 % at",
            hint="as in 12.9 V; empty if it has none",
        ),
    ]
    gauge_empty_v: Annotated[
        float | None, volts("gauge_empty_v", path="gauge.empty_v", may_be_empty=True, label="And 0 % at", hint="as in 10.5 V")
    ]


SELECTOR_NESTS: Nests = {"gauge": ("gauge_full_v",)}


class SampleRow(TypedDict):
    """What was read on the way of a test."""

    t_h: Annotated[float, Real("t_h", HOURS, least=0, most=10_000)]
    v: Annotated[float | None, volts("v", default=None, null=True)]
    a: Annotated[float | None, amperes("a", default=None, null=True)]


class DischargeTestRow(TypedDict):
    """A timed discharge of a supply's bank from full; currents and voltages are of the whole bank."""

    key: Annotated[str, key_of()]
    supply: Annotated[str, Line("supply", is_key=True)]
    at: Annotated[str, Moment("at", label="Begun")]
    temperature_degc: Annotated[float, degrees("temperature_degc", label="Temperature of the battery", hint="as in 15 °C")]
    current_a: Annotated[
        float | None,
        amperes(
            "current_a", above=0, default=None, null=True, label="Current", hint="as in 0.9 A; empty: the mean of what was read on the way"
        ),
    ]
    ran_h: Annotated[float, Real("ran_h", HOURS, above=0, most=10_000, label="It ran for", hint="as in 9 h 24 min")]
    ended: Annotated[str, Word("ended", DISCHARGE_END_WORDS, one_of=DischargeEnd, label="It ended")]
    end_v: Annotated[float, volts("end_v", label="At", hint="volts of the whole bank, as in 10.5 V")]
    samples: Annotated[list[dict[str, Any]], Many("samples", SampleRow, default=[], most=2_000)]


class PlanRow(Kept):
    """One configuration of a site."""

    site_id: Annotated[int, Reference("site_id", path=None, told=None)]
    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", label="Name", hint="as in Proposal, larger battery in Bay B")]
    stage: Annotated[str, Word("stage", STAGE_WORDS, one_of=Stage, label="Stands for")]
    # As they stand in the site file: what hangs on one names it by its key.
    selectors: Annotated[list[dict[str, Any]], Many("selectors", SelectorRow, default=[], most=10, told="selectors", since=9)]
    tests: Annotated[list[dict[str, Any]], Many("tests", DischargeTestRow, default=[], most=500, told="discharge tests", since=12)]


class PlaceRow(Kept):
    """A place of a site: typical and lowest temperature, and the mean of each month from January where that is known."""

    site_id: Annotated[int, Reference("site_id", path=None, told=None)]
    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", label="Name", hint="as in Strongroom, basement")]
    typical_degc: Annotated[
        float | None, degrees("typical_degc", default=None, null=True, label="Typical temperature", hint="empty if as the site")
    ]
    min_degc: Annotated[float | None, degrees("min_degc", default=None, null=True, label="Lowest temperature", hint="empty if as the site")]
    monthly_degc: Annotated[
        list[float] | None,
        Months(
            "monthly_degc",
            TEMPERATURE,
            least=-60,
            most=90,
            default=None,
            null=True,
            group="For thermostats",
            label="Mean of each month",
            hint="twelve, from January: 2 3 6 9 13 16 18 18 15 11 6 3; empty if as the typical one",
            since=2,
        ),
    ]


class RunRow(Kept):
    """The way a cable would go from a place to a supply, one way; the supply is named by the key it has in every plan."""

    site_id: Annotated[int, Reference("site_id", path=None, told=None)]
    place_id: Annotated[int, Reference("place_id", path="place", form="place", label="From", told="in", since=4)]
    supply_key: Annotated[str, Reference("supply_key", path="supply", form="supply", label="To", since=4)]
    key: Annotated[str, Line("key", path=None, told=None)]
    name: Annotated[str, Line("name", path=None)]
    length_m: Annotated[
        float,
        Real("length_m", LENGTH, above=0, most=10_000, label="Cable, one way", hint="as it would be laid, not as the crow flies: 30 m"),
    ]
    section_mm2: Annotated[
        float | None,
        Real(
            "section_mm2",
            SECTION,
            above=0,
            most=1_000,
            default=None,
            null=True,
            label="Conductor",
            hint="as in 0.5 mm²; empty if not known",
        ),
    ]
