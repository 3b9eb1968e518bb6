"""A measuring point of a plan: its statements, and how all of an organisation or of one parent are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, plan_id, key, name, kind, supply_id, parent_id, load_id, version, removed_at
FROM point WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO point (
    organisation_id, plan_id, key, name, kind, supply_id, parent_id, load_id
) VALUES (
    %(organisation_id)s, %(plan_id)s, %(key)s, %(name)s, %(kind)s, %(supply_id)s, %(parent_id)s, %(load_id)s
) RETURNING
    id, organisation_id, plan_id, key, name, kind, supply_id, parent_id, load_id, version, removed_at
"""
_UPDATE = """
UPDATE point SET
    name = %(name)s, kind = %(kind)s, supply_id = %(supply_id)s, parent_id = %(parent_id)s, load_id = %(load_id)s,
    version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, plan_id, key, name, kind, supply_id, parent_id, load_id, version, removed_at
"""
_SET_REMOVED = """
UPDATE point SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, plan_id, key, name, kind, supply_id, parent_id, load_id, version, removed_at
"""
POINT = Aggregate(
    name="point",
    columns=(
        "plan_id",
        "key",
        "name",
        "kind",
        "supply_id",
        "parent_id",
        "load_id",
    ),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, plan_id, key, name, kind, supply_id, parent_id, load_id, version, removed_at
FROM point WHERE organisation_id = %(organisation_id)s AND plan_id = ANY(%(plan_ids)s) ORDER BY id
"""


def list_points(connection: Connection, organisation_id: int, plan_ids: list[int]) -> list[Row]:
    """Return the points of these plans, removed ones included, in the order they were made."""
    return every(connection, _LIST, {"organisation_id": organisation_id, "plan_ids": plan_ids})
