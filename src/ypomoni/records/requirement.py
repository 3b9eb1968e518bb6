"""A requirement of a site, and a profile of the organisation's own to start one from: the same fields, kept in two places."""

from typing import Annotated, Any, TypedDict

from ypomoni.core.requirements import Method, SystemPurpose
from ypomoni.records.field import Kept, Line, Many, Nests, Real, Reference, Word, key_of, share
from ypomoni.records.kinds import FACTOR, HOURS, MINUTES
from ypomoni.records.pattern import MOST_HISTORY, MOST_SPANS, HistorySpanRow, WeekSpanRow
from ypomoni.records.words import METHOD_CHOICES, SYSTEM_WORDS

HOLD = "Must hold"
CUTS = "Cuts that come again and again"
JUDGED = "Judged by"
DERATED = "Factors of the derated method"
AUTONOMY = "Factors of energy and autonomy"


class _Said(TypedDict):
    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", default=None, null=True, may_be_empty=False, label="Name", hint="as in Intruder, 24 h")]
    purpose: Annotated[
        str | None,
        Word(
            "purpose",
            SYSTEM_WORDS,
            one_of=SystemPurpose,
            default=None,
            null=True,
            none="not said",
            label="What kind of system",
            since=5,
        ),
    ]
    source: Annotated[
        str,
        Line(
            "source",
            may_be_blank=True,
            longest=1000,
            default="",
            label="Where it comes from",
            hint="standard, clause, contract; check the edition in force",
        ),
    ]
    standby_h: Annotated[float, Real("standby_h", HOURS, above=0, most=87_600, group=HOLD, label="Standby")]
    alarm_min: Annotated[
        float,
        Real("alarm_min", MINUTES, least=0, most=10_080, default=0.0, group=HOLD, label="Then alarm", hint="as in 30 min; 0 for none"),
    ]
    recharge_h: Annotated[
        float | None,
        Real(
            "recharge_h",
            HOURS,
            above=0,
            most=87_600,
            default=None,
            null=True,
            group=HOLD,
            label="Recharged within",
            hint="as in 24 h, or empty if none is required",
        ),
    ]
    recharge_to_ratio: Annotated[
        float,
        Real(
            "recharge_to_ratio",
            share("recharge_to_ratio").kind,
            above=0,
            below=1,
            scale=0.01,
            default=0.8,
            group=HOLD,
            label="Recharged to",
            hint="as in 80 % of present capacity",
        ),
    ]
    response_h: Annotated[
        float | None,
        Real(
            "response_h",
            HOURS,
            above=0,
            most=8_760,
            default=None,
            null=True,
            group=HOLD,
            label="Somebody comes within",
            hint="after a low-battery warning, as in 4 h; empty if not agreed",
            since=3,
        ),
    ]
    method: Annotated[str, Word("method", METHOD_CHOICES, one_of=Method, group=JUDGED, label="Judged by")]
    end_of_life_ratio: Annotated[
        float,
        share("end_of_life_ratio", least=0.3, default=0.8, group=JUDGED, label="End of life at", hint="as in 80 % of rated capacity"),
    ]
    design_margin_ratio: Annotated[
        float,
        Real(
            "design_margin_ratio",
            FACTOR,
            least=1,
            most=5,
            default=1.0,
            group=JUDGED,
            label="Design margin on the simulation",
            hint="1 for none, as in 1.15",
        ),
    ]
    cuts_week: Annotated[
        list[dict[str, Any]] | None,
        Many(
            "cuts_week",
            WeekSpanRow,
            path="cuts.week",
            default=None,
            null=True,
            most=MOST_SPANS,
            group=CUTS,
            label="Cuts that come every week",
            hint="as in daily 06:00 3 h, Sat 10:00 2.5 h; empty if none are known",
            told="cuts every week",
            since=10,
        ),
    ]
    cuts_list: Annotated[
        list[dict[str, Any]] | None,
        Many("cuts_list", HistorySpanRow, path="cuts.list", default=None, null=True, most=MOST_HISTORY, told="cuts measured", since=10),
    ]
    cuts_length_h: Annotated[
        float | None,
        Real("cuts_length_h", HOURS, path="cuts.length_h", above=0, most=87_600, default=None, null=True, told=None, since=10),
    ]
    usable_ratio: Annotated[
        float, share("usable_ratio", path="derating.usable_ratio", default=0.65, group=DERATED, label="Derated: usable share")
    ]
    age_ratio: Annotated[float, share("age_ratio", path="derating.age_ratio", default=1.0, group=DERATED, label="Derated: age")]
    activity_ratio: Annotated[
        float, share("activity_ratio", path="derating.activity_ratio", default=0.9, group=DERATED, label="Derated: activity")
    ]
    depth_ratio: Annotated[
        float,
        share("depth_ratio", path="autonomy.depth_ratio", default=0.5, group=AUTONOMY, label="Autonomy: depth of discharge", since=3),
    ]
    inverter_ratio: Annotated[
        float,
        share(
            "inverter_ratio",
            path="autonomy.inverter_ratio",
            default=1.0,
            group=AUTONOMY,
            label="Autonomy: inverter",
            hint="100 % where there is none",
            since=3,
        ),
    ]


class _OfSite(Kept):
    site_id: Annotated[int, Reference("site_id", path=None, told=None)]


class RequirementRow(_OfSite, _Said):
    """What must hold at a site, and by which method it is judged."""


class ProfileRow(Kept, _Said):
    """A requirement profile of an organisation's own."""


REQUIREMENT_NESTS: Nests = {"cuts": ("cuts_week", "cuts_list"), "derating": (), "autonomy": ()}
