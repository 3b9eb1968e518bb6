"""A cable run of a site, from a place to a supply: its statements, and how all of a site are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, site_id, place_id, supply_key, key, name, length_m, section_mm2, version, removed_at
FROM run WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO run (
    organisation_id, site_id, place_id, supply_key, key, name, length_m, section_mm2
) VALUES (
    %(organisation_id)s, %(site_id)s, %(place_id)s, %(supply_key)s, %(key)s, %(name)s, %(length_m)s, %(section_mm2)s
) RETURNING
    id, organisation_id, site_id, place_id, supply_key, key, name, length_m, section_mm2, version, removed_at
"""
_UPDATE = """
UPDATE run SET
    place_id = %(place_id)s, supply_key = %(supply_key)s, name = %(name)s, length_m = %(length_m)s,
    section_mm2 = %(section_mm2)s, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, site_id, place_id, supply_key, key, name, length_m, section_mm2, version, removed_at
"""
_SET_REMOVED = """
UPDATE run SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, site_id, place_id, supply_key, key, name, length_m, section_mm2, version, removed_at
"""
RUN = Aggregate(
    name="run",
    columns=("site_id", "place_id", "supply_key", "key", "name", "length_m", "section_mm2"),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, site_id, place_id, supply_key, key, name, length_m, section_mm2, version, removed_at
FROM run WHERE organisation_id = %(organisation_id)s AND site_id = ANY(%(site_ids)s) ORDER BY id
"""


def list_runs(connection: Connection, organisation_id: int, site_ids: list[int]) -> list[Row]:
    """Return the runs of these sites, removed ones included, in the order they were made."""
    return every(connection, _LIST, {"organisation_id": organisation_id, "site_ids": site_ids})
