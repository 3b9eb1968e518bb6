"""What is said of one field of a record: its column, its path in the site file, what it takes, its words. Data, and the functions that read it."""

from dataclasses import KW_ONLY, dataclass
from enum import StrEnum
from functools import cache
from typing import Any, LiteralString, TypedDict, Unpack, get_type_hints

from ypomoni.records.kinds import CURRENT, RATIO, TEMPERATURE, VOLTAGE, Kind

# A record as it comes from the store, by column. What its keys are is said by its `TypedDict`.
Row = dict[str, Any]


class Must:
    """Stands for the default of a field that must be in the site file."""


MUST = Must()


@dataclass(frozen=True, slots=True)
class Field:
    """A field of any type; see the types below."""

    column: LiteralString
    _: KW_ONLY
    # Where it is within its record in the site file, with dots between; empty: under its column's name; None: not in the file.
    path: str | None = ""
    # What the site file leaves out. With `null` the file may say null: not known, or none.
    default: object = MUST
    null: bool = False
    # In its form: under which name (empty: the column's), in which group, with which words; no label: not in the form.
    form: str = ""
    group: str = ""
    label: str = ""
    hint: str = ""
    # Whether the form takes it empty; None: where the file takes null.
    may_be_empty: bool | None = None
    # Its words in the history; empty: made from the column; None: it is not told.
    told: str | None = ""
    # Whether many records can be set at once.
    bulk: bool = False
    # The heading of its column in the register, and words that a heading of it holds in other people's tables.
    cell: str = ""
    headings: tuple[str, ...] = ()
    # The migration that brought it.
    since: int = 1

    @property
    def file_path(self) -> str | None:
        """Where it is in the site file, within its record."""
        return self.column if self.path == "" else self.path

    @property
    def form_name(self) -> str:
        """Its name in its form."""
        return self.form or self.column

    @property
    def takes_empty(self) -> bool:
        """Whether its form takes it empty."""
        return self.null if self.may_be_empty is None else self.may_be_empty

    @property
    def blank(self) -> Any:
        """What a new record holds where nothing was said."""
        return None


@dataclass(frozen=True, slots=True)
class Real(Field):
    """A number with a unit. What is kept is ``scale`` times what is typed: 0.01 for a share typed in percent."""

    kind: Kind
    _: KW_ONLY
    above: float | None = None
    least: float | None = None
    most: float | None = None
    below: float | None = None
    scale: float = 1.0


@dataclass(frozen=True, slots=True)
class Whole(Field):
    """A whole number."""

    kind: Kind
    _: KW_ONLY
    least: int
    most: int


@dataclass(frozen=True, slots=True)
class Word(Field):
    """One of several words; ``none`` is what the form calls none of them."""

    words: dict[str, str]
    _: KW_ONLY
    one_of: type[StrEnum] | None = None
    none: str = ""


@dataclass(frozen=True, slots=True)
class Line(Field):
    """A line of text; ``is_key`` for what names a record within its list."""

    _: KW_ONLY
    longest: int = 200
    may_be_blank: bool = False
    is_key: bool = False


@dataclass(frozen=True, slots=True)
class Flag(Field):
    """Yes or no."""

    @property
    def blank(self) -> Any:
        """A new record says no."""
        return False


@dataclass(frozen=True, slots=True)
class YesNo(Field):
    """Yes, no, or not known."""


@dataclass(frozen=True, slots=True)
class Many(Field):
    """A list of parts, kept as JSON; ``part`` describes one."""

    part: type
    _: KW_ONLY
    most: int = 20

    @property
    def blank(self) -> Any:
        """A new record has none."""
        return None if self.null else []


@dataclass(frozen=True, slots=True)
class Months(Field):
    """Twelve numbers from January, kept as JSON."""

    kind: Kind
    _: KW_ONLY
    least: float
    most: float


@dataclass(frozen=True, slots=True)
class Moment(Field):
    """A date with its time."""


@dataclass(frozen=True, slots=True)
class Dated(Field):
    """A day, or a month, kept as ISO 8601 writes it."""

    _: KW_ONLY
    is_month: bool = False


@dataclass(frozen=True, slots=True)
class Reference(Field):
    """Another record: its id in the store, its key in the site file."""


class Options(TypedDict, total=False):
    """What may be said of every field, for the makers below; see `Field`."""

    path: str | None
    default: object
    null: bool
    form: str
    group: str
    label: str
    hint: str
    may_be_empty: bool | None
    told: str | None
    bulk: bool
    cell: str
    headings: tuple[str, ...]
    since: int


def volts(column: LiteralString, **more: Unpack[Options]) -> Real:
    """Return a voltage. [V]"""
    return Real(column, VOLTAGE, above=0, most=1000, **more)


def amperes(column: LiteralString, *, above: float | None = None, **more: Unpack[Options]) -> Real:
    """Return a current; without ``above`` it may be nothing. [A]"""
    return Real(column, CURRENT, above=above, least=0 if above is None else None, most=1000, **more)


def degrees(column: LiteralString, **more: Unpack[Options]) -> Real:
    """Return a temperature. [°C]"""
    return Real(column, TEMPERATURE, least=-60, most=90, **more)


def share(column: LiteralString, *, least: float | None = None, most: float = 1, **more: Unpack[Options]) -> Real:
    """Return a share of one, typed in percent. [ratio]"""
    return Real(column, RATIO, above=0 if least is None else None, least=least, most=most, scale=0.01, **more)


def key_of(record: LiteralString = "key") -> Line:
    """Return the key of a record."""
    return Line(record, is_key=True, longest=80, told=None)


@cache
def fields_of(record: type) -> tuple[Field, ...]:
    """Return the fields of a record, in the order in which they are written.

    Raises
    ------
    TypeError
        If a key and the column it is annotated with differ.
    """
    found: list[Field] = []
    for name, hint in get_type_hints(record, include_extras=True).items():
        for said in getattr(hint, "__metadata__", ()):
            if isinstance(said, Field):
                if said.column != name:
                    raise TypeError(f"{record.__name__}.{name} is described as {said.column}")
                found.append(said)
    return tuple(found)


def blank_row(record: type) -> dict[str, Any]:
    """Return what a new record holds where nothing was said."""
    return {f.column: f.blank for f in fields_of(record)}


# Parts of a record that the site file may say null for, by path, and the columns that say so in the store: all of them empty.
# A part with no such columns is always there.
Nests = dict[str, tuple[LiteralString, ...]]


class Kept(TypedDict):
    """What the store adds to every record."""

    id: int
    organisation_id: int
    version: int
    removed_at: Any
