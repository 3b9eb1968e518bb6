"""A plan of a site: its statements, and how all of an organisation or of one parent are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, site_id, key, name, stage, version, removed_at
FROM plan WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO plan (
    organisation_id, site_id, key, name, stage
) VALUES (
    %(organisation_id)s, %(site_id)s, %(key)s, %(name)s, %(stage)s
) RETURNING
    id, organisation_id, site_id, key, name, stage, version, removed_at
"""
_UPDATE = """
UPDATE plan SET
    name = %(name)s, stage = %(stage)s, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, site_id, key, name, stage, version, removed_at
"""
_SET_REMOVED = """
UPDATE plan SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, site_id, key, name, stage, version, removed_at
"""
PLAN = Aggregate(
    name="plan",
    columns=(
        "site_id",
        "key",
        "name",
        "stage",
    ),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, site_id, key, name, stage, version, removed_at
FROM plan WHERE organisation_id = %(organisation_id)s AND site_id = ANY(%(site_ids)s) ORDER BY id
"""


def list_plans(connection: Connection, organisation_id: int, site_ids: list[int]) -> list[Row]:
    """Return the plans of these sites, removed ones included, in the order they were made."""
    return every(connection, _LIST, {"organisation_id": organisation_id, "site_ids": site_ids})
