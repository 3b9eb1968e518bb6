"""Spans of time that come every week, or came once: cuts, and windows of charge."""

from typing import Annotated, TypedDict

from ypomoni.core.requirements.patterns import Day
from ypomoni.records.field import Line, Real, Word
from ypomoni.records.kinds import HOURS
from ypomoni.records.words import DAY_WORDS

MOST_SPANS = 500
# A history of 100,000 cuts is eleven years of one an hour.
MOST_HISTORY = 100_000


class WeekSpanRow(TypedDict):
    """A span of every week."""

    day: Annotated[str, Word("day", DAY_WORDS, one_of=Day, label="Day")]
    start: Annotated[str, Line("start", longest=5, label="From", hint="as in 06:00")]
    duration_h: Annotated[float, Real("duration_h", HOURS, above=0, most=168, label="For", hint="as in 3 h")]


class HistorySpanRow(TypedDict):
    """A cut of a history, in hours from its beginning, which is a Monday at 00:00."""

    start_h: Annotated[float, Real("start_h", HOURS, least=0, most=87_600)]
    duration_h: Annotated[float, Real("duration_h", HOURS, above=0, most=87_600)]
