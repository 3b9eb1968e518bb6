"""A block an organisation can buy: its statements, and how all of an organisation are listed."""

from ypomoni.storage.aggregate import Aggregate
from ypomoni.storage.connection import Connection, Row, every

_SELECT = """
SELECT
    id, organisation_id, key, name, chemistry, block_v, capacity_ah, rate_h, version, removed_at
FROM stock WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_INSERT = """
INSERT INTO stock (
    organisation_id, key, name, chemistry, block_v, capacity_ah, rate_h
) VALUES (
    %(organisation_id)s, %(key)s, %(name)s, %(chemistry)s, %(block_v)s, %(capacity_ah)s, %(rate_h)s
) RETURNING
    id, organisation_id, key, name, chemistry, block_v, capacity_ah, rate_h, version, removed_at
"""
_UPDATE = """
UPDATE stock SET
    name = %(name)s, chemistry = %(chemistry)s, block_v = %(block_v)s, capacity_ah = %(capacity_ah)s, rate_h =
    %(rate_h)s, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s AND version = %(version)s RETURNING
    id, organisation_id, key, name, chemistry, block_v, capacity_ah, rate_h, version, removed_at
"""
_SET_REMOVED = """
UPDATE stock SET removed_at = CASE WHEN %(removed)s THEN now() END, version = version + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING
    id, organisation_id, key, name, chemistry, block_v, capacity_ah, rate_h, version, removed_at
"""
STOCK = Aggregate(
    name="stock",
    columns=(
        "key",
        "name",
        "chemistry",
        "block_v",
        "capacity_ah",
        "rate_h",
    ),
    select=_SELECT,
    insert=_INSERT,
    update=_UPDATE,
    set_removed=_SET_REMOVED,
)

_LIST = """
SELECT
    id, organisation_id, key, name, chemistry, block_v, capacity_ah, rate_h, version, removed_at
FROM stock WHERE organisation_id = %(organisation_id)s ORDER BY chemistry, block_v, capacity_ah, id
"""


def list_stock(connection: Connection, organisation_id: int) -> list[Row]:
    """Return the blocks an organisation can buy, removed ones included, smallest first."""
    return every(connection, _LIST, {"organisation_id": organisation_id})
