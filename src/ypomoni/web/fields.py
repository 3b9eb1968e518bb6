"""Fields of our own: a quantity as people write it, kept as it was typed."""

import re
from collections.abc import Sequence
from datetime import date
from typing import Any

from flask import request
from wtforms import Field, SelectField, StringField
from wtforms.form import BaseForm
from wtforms.validators import StopValidation
from wtforms.widgets import TextInput

from ypomoni.actions.errors import Refused
from ypomoni.documents.faults import Fault
from ypomoni.documents.pattern_lines import read_pattern, write_pattern
from ypomoni.documents.quantities import (
    QuantityTextError,
    read_count,
    read_current,
    read_duty,
    read_quantity,
    read_signed_current,
    show_current,
    show_kept,
    show_number,
)
from ypomoni.records.field import Row
from ypomoni.records.kinds import Kind

_ENTRY = re.compile(r"([a-z_]+)-(\d+)-")
MOST_ENTRIES = 60


class QuantityField(Field):
    """A text with a quantity. ``data`` is the number in the unit of its kind, or None where it may be left empty and is."""

    widget = TextInput()

    def __init__(self, label: str, kind: Kind, *, optional: bool = False, scale: float = 1.0, hint: str = "", **kwargs: Any) -> None:
        super().__init__(label, **kwargs)
        self.kind = kind
        self.optional = optional
        # What is kept over what is typed: 0.01 for a ratio that is typed in percent.
        self.scale = scale
        self.hint = hint or (f"as in {kind.example}" if not optional else f"as in {kind.example}, or empty if not known")

    def _value(self) -> str:
        if self.raw_data:
            return str(self.raw_data[0])
        return self.show(self.data)

    def show(self, value: float | None) -> str:
        """Return a kept value as text."""
        return show_kept(value, self.kind, self.scale)

    def read(self, text: str) -> Any:
        """Return what a text says, or raise `QuantityTextError`."""
        return read_quantity(text, self.kind) * self.scale

    def process_formdata(self, valuelist: Sequence[str]) -> None:
        """Read the typed text."""
        self.data = None
        text = valuelist[0] if valuelist else ""
        if not text.strip() and self.optional:
            return
        try:
            self.data = self.read(text)
        except QuantityTextError as error:
            raise ValueError(str(error)) from error

    def pre_validate(self, form: BaseForm) -> None:
        """Stop where the text could not be read: its message is there already."""
        if self.process_errors:
            raise StopValidation()


class Typed(float):
    """A current with the text it was typed as, which is shown in its place."""

    text: str | None = None

    @staticmethod
    def of(row: Row, name: str) -> "Typed | None":
        """Return a row's current of a name (standby or alarm) with its text."""
        value = row.get(f"{name}_current_a")
        if value is None:
            return None
        found = Typed(value)
        found.text = row.get(f"{name}_text")
        return found


class CurrentField(QuantityField):
    """A current, also as `W @ V`: ``rail_v`` is then the rail it was stated on."""

    rail_v: float | None = None

    def show(self, value: float | None) -> str:
        """Return a current as it was typed, or with the prefix that suits it."""
        return getattr(value, "text", None) or show_current(value)

    def read(self, text: str) -> float:
        """Return the current a text says."""
        current_a, self.rail_v = read_current(text)
        return current_a


class CountField(QuantityField):
    """A whole number from 1."""

    def show(self, value: float | None) -> str:
        """Return the bare number."""
        return "" if value is None else show_number(value)

    def read(self, text: str) -> int:
        """Return the number a text says."""
        return read_count(text, self.kind)


class DutyField(QuantityField):
    """How often a mode comes on, as people think of it; ``duration_s`` is how long it lasts where the text says so. [1/h]"""

    duration_s: float | None = None

    def show(self, value: float | None) -> str:
        """Return how often, in words."""
        return "" if value is None else super().show(value)

    def read(self, text: str) -> float:
        """Return how often a text says."""
        duty = read_duty(text)
        self.duration_s = duty.duration_s
        return duty.per_hour


class SignedCurrentField(QuantityField):
    """A reading with its sign; a bare number takes ``bare_unit``. ``was_va`` says that it was typed in volt-amperes."""

    bare_unit = ""
    was_va = False
    rail_v: float | None = None

    def show(self, value: float | None) -> str:
        """Return a current with its sign."""
        return "" if value is None else ("−" if value < 0 else "") + show_current(abs(value))

    def read(self, text: str) -> float:
        """Return the current a text says."""
        current_a, self.rail_v, self.was_va = read_signed_current(text, self.bare_unit)
        return current_a


class ListField(Field):
    """A text that says several things. ``data`` is a list, or None where it is left empty."""

    widget = TextInput()

    def __init__(self, label: str, *, optional: bool = True, hint: str = "", **kwargs: Any) -> None:
        super().__init__(label, **kwargs)
        self.optional = optional
        self.hint = hint

    def _value(self) -> str:
        if self.raw_data:
            return str(self.raw_data[0])
        return self.show(self.data or [])

    def show(self, value: list[Any]) -> str:
        """Return a kept list as text."""
        raise NotImplementedError

    def read(self, text: str) -> list[Any]:
        """Return what a text says, or raise `QuantityTextError`."""
        raise NotImplementedError

    def process_formdata(self, valuelist: Sequence[str]) -> None:
        """Read the typed text."""
        text = (valuelist[0] if valuelist else "").strip()
        self.data = None
        if not text and self.optional:
            return
        try:
            self.data = self.read(text)
        except QuantityTextError as error:
            raise ValueError(str(error)) from error

    def pre_validate(self, form: BaseForm) -> None:
        """Stop where the text could not be read."""
        if self.process_errors:
            raise StopValidation()


class MonthsField(ListField):
    """Twelve numbers from January."""

    def __init__(self, label: str, kind: Kind, least: float, most: float, **kwargs: Any) -> None:
        super().__init__(label, **kwargs)
        self.kind, self.least, self.most = kind, least, most

    def show(self, value: list[float]) -> str:
        """Return the numbers with spaces between."""
        return " ".join(show_number(v) for v in value)

    def read(self, text: str) -> list[float]:
        """Return twelve numbers; a comma before a digit is a decimal one where spaces stand between the numbers."""
        parts = [p for p in text.replace(";", " ").replace("°C", " ").replace("\t", " ").split() if p.strip(",")]
        if len(parts) == 1 and parts[0].count(",") >= 11:
            parts = parts[0].split(",")
        values = [read_quantity(p.strip(",").replace("−", "-"), self.kind) for p in parts]
        if len(values) != 12:
            raise QuantityTextError(f"must be twelve numbers from January, separated by spaces; there are {len(values)}.")
        wrong = next((v for v in values if not self.least <= v <= self.most), None)
        if wrong is not None:
            raise QuantityTextError(f"must each be from {self.least:g} to {self.most:g} {self.kind.unit}, was {wrong:g}.")
        return values


class PatternField(ListField):
    """Spans of a week, as in daily 06:00 3 h."""

    def show(self, value: list[Row]) -> str:
        """Return the spans as they are typed."""
        return write_pattern(value)

    def read(self, text: str) -> list[Row]:
        """Return the spans a text says."""
        return read_pattern(text)


class TextField(StringField):
    """A line of text, trimmed, of limited length and without control characters."""

    def __init__(self, label: str, *, required: bool = True, longest: int = 200, hint: str = "", **kwargs: Any) -> None:
        super().__init__(label, **kwargs)
        self.required = required
        self.longest = longest
        self.hint = hint

    def pre_validate(self, form: BaseForm) -> None:
        """Refuse what is empty, too long, or holds what no name holds."""
        text = (self.data or "").strip()
        self.data = text
        if self.required and not text:
            raise StopValidation("must not be empty.")
        if len(text) > self.longest:
            raise StopValidation(f"must be at most {self.longest} characters long, has {len(text)}.")
        if any(ord(c) < 32 or 0xD800 <= ord(c) <= 0xDFFF or ord(c) == 127 for c in text):
            raise StopValidation("must not hold control characters.")


class DayField(TextField):
    """A day, or a month, as ISO 8601 writes it."""

    def __init__(self, label: str, *, is_month: bool = False, **kwargs: Any) -> None:
        super().__init__(label, **kwargs)
        self.is_month = is_month

    def pre_validate(self, form: BaseForm) -> None:
        """Refuse what is no day of the calendar."""
        super().pre_validate(form)
        text = self.data or ""
        if not text:
            self.data = None
            return
        try:
            if self.is_month and not re.fullmatch(r"\d{4}-\d\d", text):
                raise ValueError
            date.fromisoformat(f"{text}-01" if self.is_month else text)
        except ValueError:
            raise StopValidation("must be a month, as in 2023-05." if self.is_month else "must be a day, as in 2026-03-04.") from None


class ChoiceField(SelectField):
    """A choice; a value that is not offered is refused in words."""

    hint = ""

    def pre_validate(self, form: BaseForm) -> None:
        """Refuse what is not offered; what was not sent is the empty choice, where there is one."""
        offered = [str(value) for value, *_ in self.iter_choices()]
        if self.data is None and not self.raw_data and "" in offered:
            self.data = ""
        if self.data not in offered:
            raise StopValidation("must be one of those offered.")


class YesNoField(ChoiceField):
    """Yes, no, or not known. ``answer`` is True, False or None."""

    def __init__(self, label: str, **kwargs: Any) -> None:
        super().__init__(label, choices={"": "not known", "yes": "yes", "no": "no"}, **kwargs)

    @property
    def answer(self) -> bool | None:
        """What was chosen."""
        return {"yes": True, "no": False}.get(str(self.data))

    @staticmethod
    def word_of(answer: bool | None) -> str:
        """Return the choice of an answer."""
        return "" if answer is None else "yes" if answer else "no"


def refuse_long_lists() -> None:
    """Refuse a form with more entries in one of its lists than any list takes, before each becomes a field: a page of ours never sends so many."""
    seen: dict[str, set[str]] = {}
    for name in request.form:
        found = _ENTRY.match(name)
        if found:
            seen.setdefault(found[1], set()).add(found[2])
    for name, entries in seen.items():
        if len(entries) > MOST_ENTRIES:
            raise Refused(
                [Fault(name, f"{name.replace('_', ' ')} has {len(entries):,} entries: at most {MOST_ENTRIES} can be sent at once.")]
            )


def place_faults(form: BaseForm, faults: Sequence[Fault], paths: dict[str, str]) -> list[str]:
    """Put each fault beside its field and return those that have none.

    ``paths`` maps a path's beginning to a field's name, or its end where it begins with ``*``: a fault in another record of the site.
    """
    loose: list[str] = []
    for fault in faults:
        name = next((field for path, field in paths.items() if _matches(fault.path, path)), None)
        if name is None and fault.path in form:
            name = fault.path
        if name is None:
            loose.append(fault.message if not fault.path else f"{fault.path}: {fault.message}")
        else:
            form[name].errors = [*form[name].errors, fault.message]
    return loose


def _matches(path: str, pattern: str) -> bool:
    if pattern.startswith("*"):
        return path.endswith(pattern[1:])
    return path == pattern or path.startswith((f"{pattern}.", f"{pattern}["))
