"""The table of every field that is kept, for docs/fields.md: made from the records, so that it cannot go stale."""

from ypomoni.records.audit import ReadingRow
from ypomoni.records.bank import TableRow
from ypomoni.records.field import MUST, Dated, Field, Flag, Line, Many, Moment, Real, Reference, Whole, Word, fields_of
from ypomoni.records.kept import RECORDS
from ypomoni.records.library import RangeRow
from ypomoni.records.load import BurstRow, RechargeRow, ThermostatRow
from ypomoni.records.supply import TotalRow

PARTS = {
    "row of a discharge table": TableRow,
    "total of a supply": TotalRow,
    "burst": BurstRow,
    "thermostat": ThermostatRow,
    "recharge": RechargeRow,
    "range of an instrument": RangeRow,
}
HEAD = """# Fields

Every field that is kept, written by `tools/write_schema.py` from `src/ypomoni/records/`. *Left out* is what the site file takes where it
says nothing; *must* where it must say it. The last column is the migration that brought the field.
"""


def write_fields() -> str:
    """Return the tables of all records and their parts."""
    records = {**RECORDS, "reading": ReadingRow, **PARTS}
    return "\n".join([HEAD, *(_table(name, record) for name, record in records.items())])


def _table(name: str, record: type) -> str:
    lines = [
        f"## {name.capitalize()}",
        "",
        " ".join((record.__doc__ or "").split()),
        "",
        "| column | in the site file | takes | left out | in the form | since |",
        "| --- | --- | --- | --- | --- | --- |",
    ]
    lines += [f"| {' | '.join(_cells(f))} |" for f in fields_of(record)]
    return "\n".join([*lines, ""])


def _cells(field: Field) -> tuple[str, ...]:
    path = field.file_path
    default = "" if path is None else "must" if field.default is MUST else "none" if field.default in (None, []) else f"`{field.default}`"
    return (
        f"`{field.column}`",
        f"`{path}`" if path else "not in it",
        _takes(field) + (", or null" if field.null else ""),
        default,
        field.label.replace("|", "/"),
        str(field.since),
    )


def _takes(field: Field) -> str:
    match field:
        case Real():
            limits = (("above", field.above), ("at least", field.least), ("at most", field.most), ("below", field.below))
            said = ", ".join(f"{word} {value:g}" for word, value in limits if value is not None)
            return f"number [{_unit(field)}], {said}" if said else f"number [{_unit(field)}]"
        case Whole():
            return f"whole number from {field.least} to {field.most}"
        case Word():
            return "one of " + ", ".join(f"`{word}`" for word in field.words)
        case Line():
            return f"text of at most {field.longest} characters"
        case Flag():
            return "true or false"
        case Many():
            return f"list of at most {field.most}"
        case Moment():
            return "date and time with its zone"
        case Dated():
            return "month, as in 2023-05" if field.is_month else "day, as in 2023-09-14"
        case Reference():
            return "another record"
        case _:
            return "true or false"


def _unit(field: Real) -> str:
    if field.scale != 1.0:
        return {"%": "share of 1", "l": "m³"}.get(field.kind.unit, field.kind.unit)
    return field.kind.unit or "factor"
