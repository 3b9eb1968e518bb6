"""From the flat row of the store to the nested part of the site file, and back. References to other records are left to the caller."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any

from ypomoni.records.field import Nests, Reference, Row, fields_of


@dataclass(frozen=True, slots=True)
class _Layout:
    """Where the columns of a record go in the site file. It is worked out once: a site has thousands of rows."""

    # Key in the file, and column.
    plain: tuple[tuple[str, str], ...]
    # Key of a nested part, the columns that say whether it is there, and its own layout.
    parts: tuple[tuple[str, tuple[str, ...], "_Layout"], ...]

    def of(self, row: Mapping[str, Any]) -> Row:
        """Return the part of the file that a row makes."""
        found: Row = {key: row[column] for key, column in self.plain}
        for key, deciding, layout in self.parts:
            is_gone = bool(deciding) and all(row[column] is None for column in deciding)
            found[key] = None if is_gone else layout.of(row)
        return found


def part_of_row(record: type, row: Mapping[str, Any], nests: Nests | None = None) -> Row:
    """Return the part of the site file that a row makes: a nested part is null where the columns that say so are all empty."""
    return _layout_of(record, tuple((nests or {}).items())).of(row)


@cache
def _layout_of(record: type, nests: tuple[tuple[str, tuple[str, ...]], ...]) -> _Layout:
    paths = [(f.file_path.split("."), f.column) for f in fields_of(record) if f.file_path is not None and not isinstance(f, Reference)]
    return _laid_out(paths, (), dict(nests))


def _laid_out(paths: list[tuple[list[str], str]], at: tuple[str, ...], nests: dict[str, tuple[str, ...]]) -> _Layout:
    heads = dict.fromkeys(path[0] for path, _ in paths if len(path) > 1)
    parts: list[tuple[str, tuple[str, ...], _Layout]] = []
    for head in heads:
        inner = [(path[1:], column) for path, column in paths if path[0] == head]
        parts.append((head, nests[".".join((*at, head))], _laid_out(inner, (*at, head), nests)))
    return _Layout(tuple((path[0], column) for path, column in paths if len(path) == 1), tuple(parts))


def row_of_part(record: type, part: Row) -> Row:
    """Return the columns of a part of the site file; those of a nested part that is null are blank."""
    return {
        field.column: field.blank if field.file_path is None else _at(part, field.file_path.split("."), field.blank)
        for field in fields_of(record)
        if not isinstance(field, Reference)
    }


def _at(part: Row, path: list[str], blank: Any) -> Any:
    place: Any = part
    for step in path:
        if place is None:
            return blank
        place = place.get(step)
    return place
