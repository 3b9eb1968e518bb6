"""An instrument of an organisation: its statements, and how all of an organisation or of one parent are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, key, name, hookup, accuracy_ratio, digits_count, display_count, offset_a, ranges, version,
    removed_at
FROM instrument WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO instrument (
    organisation_id, key, name, hookup, accuracy_ratio, digits_count, display_count, offset_a, ranges
) VALUES (
    %(organisation_id)s, %(key)s, %(name)s, %(hookup)s, %(accuracy_ratio)s, %(digits_count)s, %(display_count)s,
    %(offset_a)s, %(ranges)s
) RETURNING
    id, organisation_id, key, name, hookup, accuracy_ratio, digits_count, display_count, offset_a, ranges, version,
    removed_at
"""
_UPDATE = """
UPDATE instrument SET
    name = %(name)s, hookup = %(hookup)s, accuracy_ratio = %(accuracy_ratio)s, digits_count = %(digits_count)s,
    display_count = %(display_count)s, offset_a = %(offset_a)s, ranges = %(ranges)s, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, key, name, hookup, accuracy_ratio, digits_count, display_count, offset_a, ranges, version,
    removed_at
"""
_SET_REMOVED = """
UPDATE instrument SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, key, name, hookup, accuracy_ratio, digits_count, display_count, offset_a, ranges, version,
    removed_at
"""
INSTRUMENT = Aggregate(
    name="instrument",
    columns=(
        "key",
        "name",
        "hookup",
        "accuracy_ratio",
        "digits_count",
        "display_count",
        "offset_a",
        "ranges",
    ),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, key, name, hookup, accuracy_ratio, digits_count, display_count, offset_a, ranges, version,
    removed_at
FROM instrument WHERE organisation_id = %(organisation_id)s ORDER BY lower(name), id
"""


def list_instruments(connection: Connection, organisation_id: int) -> list[Row]:
    """Return the instruments of an organisation, removed ones included, by name."""
    return every(connection, _LIST, {"organisation_id": organisation_id})
