"""Forms made from the records: a field of a form for each `Field` with a label, and the way from a row to its texts and back."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, ClassVar

from wtforms import BooleanField, FieldList, Form, FormField, TextAreaField

from ypomoni.records.field import (
    MUST,
    Dated,
    Field,
    Flag,
    Line,
    Many,
    Months,
    Nests,
    Real,
    Reference,
    Row,
    Whole,
    Word,
    YesNo,
    blank_row,
    fields_of,
)
from ypomoni.records.kinds import CURRENT, PER_HOUR
from ypomoni.records.pattern import WeekSpanRow
from ypomoni.web.fields import (
    ChoiceField,
    CountField,
    CurrentField,
    DayField,
    DutyField,
    MonthsField,
    PatternField,
    QuantityField,
    TextField,
    YesNoField,
)


class DescribedForm(Form):
    """A form whose fields come from a record."""

    record: type

    if TYPE_CHECKING:
        # The fields come from the record, so they are not written out here a second time.
        def __getattr__(self, name: str) -> Any: ...

    def columns(self) -> Row:
        """Return the columns of what was typed."""
        return {f.column: kept(f, self[f.form_name]) for f in shown_fields(self.record)}


class RecordForm(DescribedForm):
    """A form of one record, laid out in groups as its fields say."""

    title = ""
    groups: tuple[tuple[str, tuple[str, ...]], ...] = ()
    # The site file's paths and the fields their faults stand beside.
    paths: dict[str, str] = {}
    # Repeated parts: field, legend, and the words of the button that adds one, which the record gives as label and hint.
    parts: tuple[tuple[str, str, str], ...] = ()
    caution = ""
    # What a group is for, and what happens where it stays empty.
    notes: ClassVar[Mapping[str, str]] = {}
    # Groups that are folded away until something stands in them.
    foldable: ClassVar[frozenset[str]] = frozenset()

    def is_folded(self, legend: str, names: tuple[str, ...]) -> bool:
        """Say whether a group is shown folded: nothing of it is said or wrong."""
        if legend not in self.foldable or any(self[n].errors for n in names):
            return False
        blank = type(self)(None, data=type(self).data_of(blank_row(self.record) | defaults_of(self.record)))
        return all(_stands(self[n]) == _stands(blank[n]) for n in names)

    @classmethod
    def data_of(cls, row: Row) -> dict[str, Any]:
        """Return the fields' data of a row."""
        return {**row, **{f.form_name: _shown(f, row) for f in shown_fields(cls.record)}}

    def keep_unchanged(self, row: Row) -> None:
        """Take the row's own number wherever its text was left as it stood, so that showing it costs no digit."""
        before = type(self)(None, data=self.data_of(row))
        for field in self:
            stood = before._fields.get(field.name)
            if (
                isinstance(field, QuantityField)
                and isinstance(stood, QuantityField)
                and not field.errors
                and field._value() == stood._value()
            ):
                field.data = stood.data

    def questions(self, row: Row | None) -> list[str]:
        """Return what looks like a slip and may yet be right; it is asked before it is saved."""
        return []


class PartForm(DescribedForm):
    """A repeated part of a record; left empty altogether it is none. ``needed`` are the fields that one needs."""

    needed: tuple[str, ...] = ()

    @property
    def is_blank(self) -> bool:
        """Whether nothing was typed into what it needs."""
        fields = [self[name] for name in self.needed]
        return not any((f.raw_data and str(f.raw_data[0]).strip()) or f.data is not None for f in fields)

    def validate(self, extra_validators: Any = None) -> bool:
        """Ask for what it needs, unless it is blank."""
        good = super().validate(extra_validators)
        if not self.is_blank:
            for field in (self[name] for name in self.needed):
                if field.data is None and not field.errors:
                    field.errors = [f"must not be empty: {getattr(field, 'hint', '')}."]
                    good = False
        return good


def form_of(record: type, nests: Nests | None = None, parts: Mapping[str, type[PartForm]] | None = None) -> type[RecordForm]:
    """Return the form of a record; ``parts`` are the forms of its repeated parts, by column."""
    nests = nests or {}
    described = shown_fields(record)
    made: dict[str, Any] = {f.form_name: _field(f, _may_be_left_empty(f, nests), parts or {}) for f in described}
    repeated = [f for f in described if f.column in (parts or {})]
    laid_out = [f for f in described if f not in repeated]
    groups = tuple((group, tuple(f.form_name for f in laid_out if f.group == group)) for group in dict.fromkeys(f.group for f in laid_out))
    paths = {f.file_path: f.form_name for f in described if f.file_path is not None}
    # A fault of a nested part as a whole stands beside the field that says whether it is there.
    first = {path: next(f.form_name for f in described if (f.file_path or "").startswith(f"{path}.")) for path in nests}
    told = {"parts": tuple((f.form_name, f.label, f.hint) for f in repeated), "paths": paths | first}
    return type(f"{record.__name__}Form", (RecordForm,), {**made, **told, "record": record, "groups": groups})


def part_form_of(record: type) -> type[PartForm]:
    """Return the form of a repeated part; it takes every field empty, since an empty part is none."""
    made = {f.form_name: _field(f, True, {}) for f in shown_fields(record)}
    return type(f"{record.__name__}Form", (PartForm,), {**made, "record": record})


def _stands(field: Any) -> Any:
    """Return what a field shows, nothing and an empty text alike."""
    shown = field._value() if hasattr(field, "_value") else field.data
    return None if shown in ("", None, "None") else shown


def defaults_of(record: type) -> Row:
    """Return what the site file takes for fields it leaves out, to start a form with."""
    return {f.column: f.default for f in shown_fields(record) if f.default is not MUST and f.default is not None}


def shown_fields(record: type) -> tuple[Field, ...]:
    """Return the fields of a record that its form shows."""
    return tuple(f for f in fields_of(record) if f.label)


def kept(field: Field, typed: Any) -> Any:
    """Return the value of a column from its field in the form."""
    match field:
        case YesNo():
            return typed.answer
        case Reference():
            return None if not typed.data else int(typed.data) if field.column.endswith("_id") else typed.data
        case Many() if isinstance(typed, FieldList):
            return [entry.form.columns() for entry in typed if not entry.form.is_blank]
        case Word():
            return typed.data or None
        case Line() if field.null:
            return typed.data or None
        case _:
            empty = typed.data is None or (isinstance(field, Line) and not typed.data)
            return field.default if empty and field.default is not MUST else typed.data


def _shown(field: Field, row: Row) -> Any:
    value = row.get(field.column)
    match field:
        case YesNo():
            return YesNoField.word_of(value)
        case Reference():
            return "" if value is None else str(value)
        case Word(none=none) if none:
            return value or ""
        case Many():
            return value or []
        case _:
            return value


def _may_be_left_empty(field: Field, nests: Nests) -> bool:
    """Say whether a form takes a field empty: the file takes null there, or for the part it lies in."""
    outer = (field.file_path or "").partition(".")[0]
    return field.takes_empty or bool(nests.get(outer))


def _field(field: Field, optional: bool, parts: Mapping[str, type[PartForm]]) -> Any:
    match field:
        case Real(kind=kind) if kind is CURRENT:
            return CurrentField(field.label, kind, optional=optional, hint=field.hint)
        case Real(kind=kind) if kind is PER_HOUR:
            return DutyField(field.label, kind, optional=optional, hint=field.hint)
        case Real():
            return QuantityField(field.label, field.kind, optional=optional, scale=field.scale, hint=field.hint)
        case Whole():
            return CountField(field.label, field.kind, optional=optional, hint=field.hint)
        case Word():
            default = None if field.default is MUST or field.default is None else str(field.default)
            return ChoiceField(field.label, choices=({"": field.none} if field.none else {}) | field.words, default=default)
        case YesNo():
            return YesNoField(field.label)
        case Flag():
            return BooleanField(field.label)
        case Dated():
            return DayField(field.label, is_month=field.is_month, required=not optional, hint=field.hint)
        case Line():
            return TextField(field.label, required=not (optional or field.may_be_blank), longest=field.longest, hint=field.hint)
        case Months():
            return MonthsField(field.label, field.kind, field.least, field.most, optional=optional, hint=field.hint)
        case Many(part=part) if part is WeekSpanRow:
            return PatternField(field.label, optional=optional, hint=field.hint)
        case Many() if field.column in parts:
            return FieldList(FormField(parts[field.column]))
        case Many():
            return TextAreaField(field.label)
        case Reference():
            return ChoiceField(field.label, choices={})
        case _:
            raise TypeError(f"{field.column} is of a type that no form shows")
