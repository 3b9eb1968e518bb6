"""What an audit leaves: measuring points, and readings, which are appended and never changed."""

from typing import Annotated, Any

from ypomoni.core.things.readings import Hookup, Mains, PointKind, PositiveMeans, State
from ypomoni.records.field import Kept, Line, Many, Moment, Real, Reference, Word, degrees, key_of, volts
from ypomoni.records.kinds import CURRENT
from ypomoni.records.words import HOOKUP_WORDS, MAINS_WORDS, POINT_WORDS, POSITIVE_WORDS, STATE_WORDS


class PointRow(Kept):
    """A measuring point: a battery lead, an output, a branch, or a device. Its parent is the point nearer the battery."""

    plan_id: Annotated[int, Reference("plan_id", path=None, told=None)]
    key: Annotated[str, key_of()]
    name: Annotated[str, Line("name", label="Name", hint="as in Bay B output")]
    kind: Annotated[str, Word("kind", POINT_WORDS, one_of=PointKind, label="What is opened or clamped")]
    supply_id: Annotated[int, Reference("supply_id", path="supply", form="supply", label="Of supply", told="on")]
    parent_id: Annotated[int | None, Reference("parent_id", path="parent", default=None, null=True, form="parent", label="Behind")]
    load_id: Annotated[int | None, Reference("load_id", path="load", default=None, null=True, form="load", label="Its load, for a device")]


class ReadingRow(Kept):
    """One measurement as it was read. The sign of ``value_a`` is that of the display; ``positive_means`` says which way that is."""

    plan_id: Annotated[int, Reference("plan_id", path=None)]
    key: Annotated[str, key_of()]
    point_id: Annotated[int, Reference("point_id", path="point")]
    state: Annotated[str, Word("state", STATE_WORDS, one_of=State)]
    state_note: Annotated[str, Line("state_note", may_be_blank=True, longest=1000, default="")]
    mains: Annotated[str | None, Word("mains", MAINS_WORDS, one_of=Mains, default=None, null=True)]
    value_a: Annotated[float, Real("value_a", CURRENT, least=-10_000, most=10_000)]
    min_a: Annotated[float | None, Real("min_a", CURRENT, least=-10_000, most=10_000, default=None, null=True)]
    max_a: Annotated[float | None, Real("max_a", CURRENT, least=-10_000, most=10_000, default=None, null=True)]
    as_written: Annotated[str, Line("as_written", may_be_blank=True, longest=1000, default="")]
    positive_means: Annotated[str, Word("positive_means", POSITIVE_WORDS, one_of=PositiveMeans, default=PositiveMeans.DISCHARGE)]
    battery_v: Annotated[float | None, volts("battery_v", default=None, null=True)]
    instrument_id: Annotated[int | None, Reference("instrument_id", path="instrument", default=None, null=True)]
    hookup: Annotated[str, Word("hookup", HOOKUP_WORDS, one_of=Hookup, default=Hookup.SERIES)]
    temperature_degc: Annotated[float | None, degrees("temperature_degc", default=None, null=True)]
    taken_by: Annotated[str, Line("taken_by", may_be_blank=True, longest=1000, default="")]
    taken_at: Annotated[Any, Moment("taken_at", default=None, null=True)]
    remark: Annotated[str, Line("remark", may_be_blank=True, longest=1000, default="")]
    supersedes_id: Annotated[int | None, Reference("supersedes_id", path="supersedes", default=None, null=True)]
    reason: Annotated[str, Line("reason", may_be_blank=True, longest=1000, default="")]
    open_questions: Annotated[list[str], Many("open_questions", str, default=[])]
    # What the store adds: who stored it and when, by which token it came, and the reading that superseded it.
    token: str
    account_id: int | None
    stored_at: Any
    superseded_by_id: int | None
