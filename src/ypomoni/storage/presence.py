"""Who looks at which plan just now, and what was changed in it since a moment."""

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every, one

# Somebody who was not heard of for so long has gone.
GONE_S = 12.0

_SEEN = """
INSERT INTO presence (organisation_id, plan_id, account_id) VALUES (%(organisation_id)s, %(plan_id)s, %(account_id)s)
ON CONFLICT (plan_id, account_id) DO UPDATE SET seen_at = now()
"""
_OTHERS = """
SELECT a.name FROM presence p JOIN account a ON a.organisation_id = p.organisation_id AND a.id = p.account_id
WHERE p.organisation_id = %(organisation_id)s AND p.plan_id = %(plan_id)s AND p.account_id <> %(account_id)s
AND p.seen_at > now() - make_interval(secs => %(gone_s)s) ORDER BY a.name
"""
_LAST = "SELECT COALESCE(max(id), 0) AS id FROM change WHERE organisation_id = %s AND site_id = %s"


def be_seen(connection: Connection, organisation_id: int, plan_id: int, account_id: int) -> list[str]:
    """Note that somebody looks at a plan, and return the names of the others who do."""
    values = {"organisation_id": organisation_id, "plan_id": plan_id, "account_id": account_id, "gone_s": GONE_S}
    connection.execute(_SEEN, values)
    return [row["name"] for row in every(connection, _OTHERS, values)]


def last_change_id(connection: Connection, organisation_id: int, site_id: int) -> int:
    """Return the number of the last change of a site, 0 where there is none."""
    row: Row = one(connection, _LAST, (organisation_id, site_id)) or {"id": 0}
    return int(row["id"])
