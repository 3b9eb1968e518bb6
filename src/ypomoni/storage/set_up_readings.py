"""What was read while a charger was set up: appended and listed, never changed."""

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every

_INSERT = """
INSERT INTO set_up_reading (organisation_id, supply_id, account_id, kind, value, told, words, day_degc, diode)
VALUES (%(organisation_id)s, %(supply_id)s, %(account_id)s, %(kind)s, %(value)s, %(told)s, %(words)s, %(day_degc)s, %(diode)s)
"""
_LIST = """
SELECT r.id, r.kind, r.value, r.told, r.words, r.day_degc, r.diode, r.stored_at, a.name AS taken_by
FROM set_up_reading r LEFT JOIN account a ON a.id = r.account_id
WHERE r.organisation_id = %s AND r.supply_id = %s ORDER BY r.id DESC LIMIT 100
"""


def insert_set_up_reading(connection: Connection, values: Row) -> None:
    """Append what was read at a step."""
    connection.execute(_INSERT, values)


def list_set_up_readings(connection: Connection, organisation_id: int, supply_id: int) -> list[Row]:
    """Return what was read of a supply's charger, the latest first, a hundred at most."""
    return every(connection, _LIST, (organisation_id, supply_id))
