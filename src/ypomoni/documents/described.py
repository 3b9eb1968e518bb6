"""Models of the site file made from the records: one pydantic field for each `Field` that has a path in the file."""

import re
from collections.abc import Mapping
from datetime import date, datetime
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, create_model
from pydantic import Field as Bounds

from ypomoni.documents.faults import SMALLEST
from ypomoni.records.field import (
    MUST,
    Dated,
    Field,
    Flag,
    Line,
    Many,
    Moment,
    Months,
    Nests,
    Real,
    Reference,
    Whole,
    Word,
    YesNo,
    fields_of,
)

_CONTROL_BUT_LINES = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff]")
_MONTH = re.compile(r"^(19|20)\d\d-(0[1-9]|1[0-2])\Z")
# Something to see, and no control character. As a pattern it is checked without a call for each of thousands of names.
PRINTABLE = r"^[^\x00-\x1f\x7f-\x9f]*[^\s\x00-\x1f\x7f-\x9f][^\x00-\x1f\x7f-\x9f]*$"


def _meant(value: float) -> float:
    if 0 < value < SMALLEST:
        raise ValueError(f"must be 0 or at least {SMALLEST:g}, was {value:g}.")
    return value


def _plain(text: str) -> str:
    if _CONTROL_BUT_LINES.search(text):
        raise ValueError("must not hold control characters.")
    return text


def _moment(text: str) -> str:
    try:
        found = datetime.fromisoformat(text)
    except ValueError as error:
        raise ValueError("must be a date and time with its zone, as in 2026-11-24T14:30:00+00:00.") from error
    if found.tzinfo is None:
        raise ValueError("must say its zone, as in 2026-11-24T14:30:00+00:00.")
    return text


def _day(text: str) -> str:
    try:
        date.fromisoformat(text)
    except ValueError as error:
        raise ValueError(f"must be a day, as in 2023-09-14, was {text!r}.") from error
    return text


def _month(text: str) -> str:
    if not _MONTH.match(text):
        raise ValueError(f"must be a month, as in 2023-05, was {text!r}.")
    return text


Key = Annotated[str, Bounds(strict=True, min_length=1, max_length=80, pattern=PRINTABLE)]
Text = Annotated[str, Bounds(strict=True, max_length=1000), AfterValidator(_plain)]
DayText = Annotated[str, Bounds(strict=True, max_length=10), AfterValidator(_day)]
MonthText = Annotated[str, Bounds(strict=True, max_length=10), AfterValidator(_month)]
When = Annotated[str, Bounds(strict=True, max_length=40), AfterValidator(_moment)]


class Part(BaseModel):
    """A part of the site file: it takes no key it does not know."""

    # A part is checked within its site, hardly ever alone: a checker for each would be made at every start and not used.
    model_config = ConfigDict(extra="forbid", use_enum_values=True, defer_build=True)

    if TYPE_CHECKING:
        # What a record describes is not written out here a second time; its values are checked when they are read.
        def __getattr__(self, name: str) -> Any: ...


Parts = Mapping[str, type[Part]]


def part_of(record: type, nests: Nests | None = None, *, bases: Parts | None = None, lists: Parts | None = None) -> type[Part]:
    """Return the model of a record.

    Parameters
    ----------
    nests
        Parts of it that may be null, or are always there; see `records.field.Nests`.
    bases
        For the path of a nested part, a model that its own inherits, with what its fields must keep together.
    lists
        For the path of a list, the model of its entries.
    """
    described = [(f.file_path.split("."), f) for f in fields_of(record) if f.file_path is not None]
    return _model(record.__name__, described, (), nests or {}, bases or {}, lists or {}, record.__doc__ or "")


def _model(
    name: str, described: list[tuple[list[str], Field]], at: tuple[str, ...], nests: Nests, bases: Parts, lists: Parts, told: str
) -> type[Part]:
    made: dict[str, Any] = {}
    for path, field in described:
        head, rest = path[0], path[1:]
        if head in made:
            continue
        if not rest:
            made[head] = _annotation(field, lists)
            continue
        here = ".".join((*at, head))
        inner = [(p[1:], f) for p, f in described if p[0] == head]
        model = _model(f"{name}_{head}", inner, (*at, head), nests, bases, lists, "")
        # A part that no column can take away is there with all it leaves out; one that must say something has no such default.
        if nests[here]:
            made[head] = (model | None, None)
        elif any(f.default is MUST for _, f in inner):
            made[head] = (model, ...)
        else:
            made[head] = (model, Bounds(default_factory=model))
    base = bases.get(".".join(at), Part)
    return create_model(name, __base__=base, __doc__=told or base.__doc__, **made)


def _annotation(field: Field, lists: Parts) -> tuple[Any, Any]:
    """Return the type and the default of a field."""
    kind = _type_of(field, lists)
    if field.null:
        kind = kind | None
    if field.default is MUST:
        return kind, ...
    return (kind, Bounds(default_factory=list)) if field.default == [] else (kind, field.default)


def _type_of(field: Field, lists: Parts) -> Any:
    match field:
        case Real():
            above, least = (None, SMALLEST) if field.above == 0 else (field.above, field.least)
            limits = Bounds(strict=True, allow_inf_nan=False, gt=above, ge=least, le=field.most, lt=field.below)
            return Annotated[float, limits, AfterValidator(_meant)] if least == 0 else Annotated[float, limits]
        case Whole():
            return Annotated[int, Bounds(strict=True, ge=field.least, le=field.most)]
        case Word():
            return field.one_of or Literal[tuple(field.words)]
        case Line(is_key=True):
            return Key
        case Line(may_be_blank=True):
            return Annotated[str, Bounds(strict=True, max_length=field.longest), AfterValidator(_plain)]
        case Line():
            return Annotated[str, Bounds(strict=True, min_length=1, max_length=field.longest, pattern=PRINTABLE)]
        case Flag() | YesNo():
            return Annotated[bool, Bounds(strict=True)]
        case Months():
            number = Annotated[float, Bounds(strict=True, allow_inf_nan=False, ge=field.least, le=field.most)]
            return Annotated[list[number], Bounds(min_length=12, max_length=12)]
        case Many():
            entry: Any = Text if field.part is str else lists[str(field.file_path)]
            return Annotated[list[entry], Bounds(max_length=field.most)]
        case Moment():
            return When
        case Dated():
            return MonthText if field.is_month else DayText
        case Reference():
            return Key
        case _:
            raise TypeError(f"{field.column} is of a type that the site file does not know")
