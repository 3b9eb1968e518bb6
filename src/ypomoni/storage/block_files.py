"""In which batteries a block of a name stands or stood, and in which lots it was measured."""

from psycopg.types.json import Jsonb

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every

_SUPPLIES = """
SELECT s.id, s.key, s.name, s.plan_id, s.removed_at, p.stage, p.tests, p.removed_at AS plan_removed_at, p.site_id, t.name AS site_name,
    (SELECT min(changed_at)::date FROM change c WHERE c.organisation_id = p.organisation_id AND c.aggregate = 'plan' AND c.aggregate_id = p.id) AS plan_on
FROM supply s JOIN plan p ON p.organisation_id = s.organisation_id AND p.id = s.plan_id
JOIN site t ON t.organisation_id = p.organisation_id AND t.id = p.site_id
WHERE s.organisation_id = %(organisation_id)s AND s.id IN (
    SELECT aggregate_id FROM change WHERE organisation_id = %(organisation_id)s AND aggregate = 'supply' AND after -> 'bank_blocks' @> %(block)s
    UNION SELECT aggregate_id FROM change WHERE organisation_id = %(organisation_id)s AND aggregate = 'supply' AND before -> 'bank_blocks' @> %(block)s
    UNION SELECT supply_id FROM bank WHERE organisation_id = %(organisation_id)s AND blocks @> %(block)s
) ORDER BY s.id
"""
_LOTS = """
SELECT id, name, tested_on, blocks FROM battery_lot WHERE organisation_id = %(organisation_id)s AND removed_at IS NULL AND blocks @> %(block)s ORDER BY id
"""


def supplies_with_block(connection: Connection, organisation_id: int, key: str) -> list[Row]:
    """Return the supplies in whose battery a block of this name is or ever was, each with its plan and site."""
    return every(connection, _SUPPLIES, {"organisation_id": organisation_id, "block": Jsonb([{"key": key}])})


def lots_with_block(connection: Connection, organisation_id: int, label: str) -> list[Row]:
    """Return the lots in which a block of this label was measured."""
    return every(connection, _LOTS, {"organisation_id": organisation_id, "block": Jsonb([{"label": label}])})
