"""A place of a site: its statements, and how all of an organisation or of one parent are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, site_id, key, name, typical_degc, min_degc, monthly_degc, version, removed_at
FROM place WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO place (
    organisation_id, site_id, key, name, typical_degc, min_degc, monthly_degc
) VALUES (
    %(organisation_id)s, %(site_id)s, %(key)s, %(name)s, %(typical_degc)s, %(min_degc)s, %(monthly_degc)s
) RETURNING
    id, organisation_id, site_id, key, name, typical_degc, min_degc, monthly_degc, version, removed_at
"""
_UPDATE = """
UPDATE place SET
    name = %(name)s, typical_degc = %(typical_degc)s, min_degc = %(min_degc)s, monthly_degc = %(monthly_degc)s,
    version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, site_id, key, name, typical_degc, min_degc, monthly_degc, version, removed_at
"""
_SET_REMOVED = """
UPDATE place SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, site_id, key, name, typical_degc, min_degc, monthly_degc, version, removed_at
"""
PLACE = Aggregate(
    name="place",
    columns=(
        "site_id",
        "key",
        "name",
        "typical_degc",
        "min_degc",
        "monthly_degc",
    ),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, site_id, key, name, typical_degc, min_degc, monthly_degc, version, removed_at
FROM place WHERE organisation_id = %(organisation_id)s AND site_id = ANY(%(site_ids)s) ORDER BY id
"""


def list_places(connection: Connection, organisation_id: int, site_ids: list[int]) -> list[Row]:
    """Return the places of these sites, removed ones included, in the order they were made."""
    return every(connection, _LIST, {"organisation_id": organisation_id, "site_ids": site_ids})
