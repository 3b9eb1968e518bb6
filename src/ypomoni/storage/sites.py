"""A site: one premises: its statements, and how all of an organisation or of one parent are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, name, typical_degc, min_degc, max_degc, version, removed_at
FROM site WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO site (
    organisation_id, name, typical_degc, min_degc, max_degc
) VALUES (
    %(organisation_id)s, %(name)s, %(typical_degc)s, %(min_degc)s, %(max_degc)s
) RETURNING
    id, organisation_id, name, typical_degc, min_degc, max_degc, version, removed_at
"""
_UPDATE = """
UPDATE site SET
    name = %(name)s, typical_degc = %(typical_degc)s, min_degc = %(min_degc)s, max_degc = %(max_degc)s, version = version +
    1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, name, typical_degc, min_degc, max_degc, version, removed_at
"""
_SET_REMOVED = """
UPDATE site SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, name, typical_degc, min_degc, max_degc, version, removed_at
"""
SITE = Aggregate(
    name="site",
    columns=(
        "name",
        "typical_degc",
        "min_degc",
        "max_degc",
    ),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, name, typical_degc, min_degc, max_degc, version, removed_at
FROM site WHERE organisation_id = %(organisation_id)s AND (removed_at IS NOT NULL) = %(removed)s ORDER BY lower(name), id
"""


def list_sites(connection: Connection, organisation_id: int, *, removed: bool = False) -> list[Row]:
    """Return the sites of an organisation, or those it has removed, by name."""
    return every(connection, _LIST, {"organisation_id": organisation_id, "removed": removed})
