"""From the flat row of the store to the nested part of the site file, and back. References to other records are left to the caller."""

from collections.abc import Mapping
from typing import Any

from ypomoni.records.field import Nests, Reference, Row, fields_of


def part_of_row(record: type, row: Mapping[str, Any], nests: Nests | None = None) -> Row:
    """Return the part of the site file that a row makes: a nested part is null where the columns that say so are all empty."""
    found: Row = {}
    absent = tuple(path for path, columns in (nests or {}).items() if columns and all(row[c] is None for c in columns))
    for field in fields_of(record):
        path = field.file_path
        if path is None or isinstance(field, Reference):
            continue
        outer = next((a for a in absent if path.startswith(f"{a}.")), None)
        if outer is not None and "." not in outer:
            found[outer] = None
            continue
        *within, name = path.split(".") if outer is None else outer.split(".")
        place = found
        for step in within:
            place = place.setdefault(step, {})
        place[name] = row[field.column] if outer is None else None
    return found


def row_of_part(record: type, part: Row) -> Row:
    """Return the columns of a part of the site file; those of a nested part that is null are blank."""
    return {
        field.column: _at(part, path.split("."), field.blank)
        for field in fields_of(record)
        if (path := field.file_path) is not None and not isinstance(field, Reference)
    } | {field.column: field.blank for field in fields_of(record) if field.file_path is None and not isinstance(field, Reference)}


def _at(part: Row, path: list[str], blank: Any) -> Any:
    place: Any = part
    for step in path:
        if place is None:
            return blank
        place = place.get(step)
    return place
