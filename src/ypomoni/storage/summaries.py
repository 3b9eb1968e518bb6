"""What is kept of each site for the lists: its verdict and hours, and what is due. A summary is stale when its site, what sites share, or the engine changed."""

from datetime import date
from typing import LiteralString

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every, one

_FROM: LiteralString = """
FROM site_summary m JOIN site s ON s.organisation_id = m.organisation_id AND s.id = m.site_id
JOIN organisation o ON o.id = m.organisation_id
"""
_STALE: LiteralString = """
(m.seen IS DISTINCT FROM m.touched OR m.seen_shared IS DISTINCT FROM o.shared_touched OR m.engine <> %(engine)s
    OR m.computed_on IS NULL OR m.computed_on < %(fresh_since)s)
"""
_SOUGHT: LiteralString = """
WHERE m.organisation_id = %(organisation_id)s AND s.removed_at IS NULL AND s.name ILIKE %(words)s AND (%(verdict)s = '' OR m.verdict = %(verdict)s)
AND (%(due_until)s::date IS NULL OR m.next_on <= %(due_until)s)
"""
_SHOWN: LiteralString = """
SELECT x.*, n.what AS next_what, n.due_on AS next_on FROM (
    SELECT s.id, s.name, s.version, m.plan_id, m.plan_key, m.verdict, m.body, m.measured_on,
"""
# Only of those that are shown.
_NEXT: LiteralString = """
) x LEFT JOIN LATERAL (SELECT d.what, COALESCE(d.due_on, %(today)s) AS due_on FROM site_due d WHERE d.site_id = x.id
    ORDER BY COALESCE(d.due_on, %(today)s), d.item_key LIMIT 1) n ON true ORDER BY x.place
"""
_BY: dict[str, LiteralString] = {
    "": "array_position(ARRAY['unsafe', 'fails', 'unknown', 'on_paper_only', 'none', 'holds'], m.verdict)",
    "name": "lower(s.name)",
    # What was never measured comes first: it is the least known.
    "measured": "COALESCE(m.measured_on, '-infinity'::date)",
    "due": "COALESCE(m.next_on, 'infinity'::date)",
}
_COUNT: LiteralString = (
    "SELECT count(*) AS sites, count(*) FILTER (WHERE " + _STALE + ") AS stale" + _FROM + "WHERE m.organisation_id = %(organisation_id)s"
    " AND s.removed_at IS NULL"
)
_MATCHING: LiteralString = "SELECT count(*) AS count" + _FROM + _SOUGHT
_CLAIM: LiteralString = (
    "UPDATE site_summary SET claimed_until = now() + make_interval(secs => %(lasts_s)s), tries = tries + 1 WHERE site_id IN (SELECT m.site_id"
    + _FROM
    + "WHERE s.removed_at IS NULL AND m.tries < %(most_tries)s AND (m.claimed_until IS NULL OR m.claimed_until < now()) AND "
    + _STALE
    + "AND m.organisation_id = %(organisation_id)s AND (m.tries = 0) = %(untried)s ORDER BY m.site_id LIMIT %(most)s FOR UPDATE OF m SKIP LOCKED) RETURNING site_id"
)
# Whose turn it is: anybody who has stale ones, so that nobody waits for thousands of another's.
_WAITING: LiteralString = (
    "SELECT m.organisation_id, count(*) AS sites"
    + _FROM
    + "WHERE s.removed_at IS NULL AND m.tries < %(most_tries)s AND (m.claimed_until IS NULL OR m.claimed_until < now()) AND "
    + _STALE
    + "GROUP BY m.organisation_id ORDER BY random() LIMIT 1"
)
_SEEN = """
SELECT m.site_id, m.touched, o.shared_touched FROM site_summary m JOIN organisation o ON o.id = m.organisation_id
WHERE m.organisation_id = %s AND m.site_id = ANY(%s)
"""
_KEEP = """
UPDATE site_summary SET seen = %(seen)s, seen_shared = %(seen_shared)s, engine = %(engine)s, computed_on = %(computed_on)s, plan_id = %(plan_id)s,
    plan_key = %(plan_key)s, verdict = %(verdict)s, body = %(body)s, measured_on = %(measured_on)s, next_on = %(next_on)s, claimed_until = NULL, tries = 0
WHERE organisation_id = %(organisation_id)s AND site_id = %(site_id)s
"""
# Who takes a site and leaves it has not tried it; that others tried it in vain stays known.
_RELEASE = "UPDATE site_summary SET claimed_until = NULL, tries = GREATEST(tries - 1, 0) WHERE organisation_id = %s AND site_id = ANY(%s)"
_GIVE_UP: LiteralString = (
    "UPDATE site_summary SET seen = touched, seen_shared = (SELECT shared_touched FROM organisation WHERE id = site_summary.organisation_id),"
    " engine = %(engine)s, computed_on = %(today)s, verdict = 'unknown', body = %(body)s, tries = 0, claimed_until = NULL WHERE site_id IN (SELECT m.site_id"
    + _FROM
    + "WHERE m.tries >= %(most_tries)s AND m.claimed_until < now() AND "
    + _STALE
    + ") RETURNING site_id"
)
_LOADS = """
SELECT p.site_id, count(*) AS loads FROM load l JOIN plan p ON p.organisation_id = l.organisation_id AND p.id = l.plan_id
WHERE p.organisation_id = %s AND p.site_id = ANY(%s) AND p.removed_at IS NULL AND l.removed_at IS NULL GROUP BY p.site_id
"""
_FORGET_DUE = "DELETE FROM site_due WHERE organisation_id = %s AND site_id = ANY(%s)"
_DUE = """
INSERT INTO site_due (site_id, organisation_id, item_key, kind, what, why, due_on, supply_key)
VALUES (%(site_id)s, %(organisation_id)s, %(item_key)s, %(kind)s, %(what)s, %(why)s, %(due_on)s, %(supply_key)s)
"""
_DUE_FROM: LiteralString = """
FROM site_due d JOIN site_summary m ON m.site_id = d.site_id JOIN site s ON s.organisation_id = d.organisation_id AND s.id = d.site_id
WHERE d.organisation_id = %(organisation_id)s AND s.removed_at IS NULL AND s.name ILIKE %(words)s AND (%(kind)s = '' OR d.kind = %(kind)s)
AND (d.due_on IS NULL OR d.due_on <= %(until)s)
"""
_DUE_SHOWN: LiteralString = (
    "(SELECT d.site_id, s.name, m.plan_key, d.item_key, d.kind, d.what, d.why, d.supply_key, COALESCE(d.due_on, %(today)s) AS due_on"
    + _DUE_FROM
)
# What has a day comes off the index in order, and so does what is due now.
_DUE_LIST: LiteralString = (
    _DUE_SHOWN
    + "AND d.due_on IS NOT NULL ORDER BY d.due_on, lower(s.name), d.site_id, d.item_key LIMIT %(most)s) UNION ALL "
    + _DUE_SHOWN
    + "AND d.due_on IS NULL ORDER BY lower(s.name), d.site_id, d.item_key LIMIT %(most)s) ORDER BY due_on, name, site_id, item_key LIMIT %(most)s"
)
_DUE_COUNT: LiteralString = "SELECT count(*) AS count" + _DUE_FROM
_CALLED = """
SELECT id, name, version FROM site WHERE organisation_id = %s AND (removed_at IS NOT NULL) = %s AND name ILIKE ALL(%s) ORDER BY lower(name), id LIMIT %s
"""
ORDERS = frozenset(_BY)


def pattern_of(words: str) -> str:
    """Return the pattern of what holds some words, whatever signs are in them."""
    for sign in ("\\", "%", "_"):
        words = words.replace(sign, f"\\{sign}")
    return f"%{words}%"


def list_called(connection: Connection, organisation_id: int, words: list[str], most: int, *, removed: bool = False) -> list[Row]:
    """Return id, name and version of the sites whose name holds every one of some words, or of those that were removed, by name."""
    return every(connection, _CALLED, (organisation_id, removed, [pattern_of(w) for w in words], most))


def list_summaries(connection: Connection, asked: Row, by: str) -> list[Row]:
    """Return a page of sites with what is kept of them and whether that is stale, in one of `ORDERS`."""
    order: LiteralString = _BY[by] + ", lower(s.name), s.id"
    listed: LiteralString = _SHOWN + "row_number() OVER (ORDER BY " + order + ") AS place, " + _STALE + " AS is_stale" + _FROM + _SOUGHT
    return every(connection, listed + "ORDER BY " + order + " LIMIT %(most)s OFFSET %(skipped)s" + _NEXT, asked)


def count_matching(connection: Connection, asked: Row) -> int:
    """Return how many sites are sought."""
    row = one(connection, _MATCHING, asked)
    return int(row["count"]) if row else 0


def count_summaries(connection: Connection, asked: Row) -> tuple[int, int]:
    """Return how many sites there are, and of how many the summary is stale."""
    row = one(connection, _COUNT, asked)
    return (int(row["sites"]), int(row["stale"])) if row else (0, 0)


def waiting_organisation(connection: Connection, engine: str, fresh_since: date, most_tries: int) -> tuple[int, int] | None:
    """Return an organisation with summaries that are stale and nobody works on, and how many they are; or None."""
    row = one(connection, _WAITING, {"engine": engine, "fresh_since": fresh_since, "most_tries": most_tries})
    return (int(row["organisation_id"]), int(row["sites"])) if row else None


def claim_stale(
    connection: Connection, organisation_id: int, engine: str, fresh_since: date, *, most: int, lasts_s: float, most_tries: int
) -> list[int]:
    """Take some sites whose summary is stale, so that no other worker does meanwhile, and return their ids.

    One that was tried before is taken alone: what stopped whoever worked on it must not take others along.
    """
    values: Row = {
        "organisation_id": organisation_id,
        "engine": engine,
        "fresh_since": fresh_since,
        "most": most,
        "lasts_s": lasts_s,
        "most_tries": most_tries,
    }
    rows = every(connection, _CLAIM, {**values, "untried": True}) or every(connection, _CLAIM, {**values, "untried": False, "most": 1})
    return sorted(int(row["site_id"]) for row in rows)


def release(connection: Connection, organisation_id: int, site_ids: list[int]) -> None:
    """Leave sites that were taken to whoever comes next."""
    connection.execute(_RELEASE, (organisation_id, site_ids))


def give_up(connection: Connection, engine: str, fresh_since: date, today: date, body: str, most_tries: int) -> list[int]:
    """Say of sites that were tried in vain what ``body`` says, and return their ids. Their next change has them tried again."""
    values = {"engine": engine, "fresh_since": fresh_since, "today": today, "body": body, "most_tries": most_tries}
    return [int(row["site_id"]) for row in every(connection, _GIVE_UP, values)]


def select_touched(connection: Connection, organisation_id: int, site_ids: list[int]) -> dict[int, tuple[int, int]]:
    """Return by site what changed it last, and what changed last what its organisation's sites share. Asked before a site is read."""
    return {r["site_id"]: (r["touched"], r["shared_touched"]) for r in every(connection, _SEEN, (organisation_id, site_ids))}


def count_loads(connection: Connection, organisation_id: int, site_ids: list[int]) -> dict[int, int]:
    """Return how many loads there are in all plans of some sites: what reading one takes, before it is read. Sites without any are not among them."""
    return {r["site_id"]: r["loads"] for r in every(connection, _LOADS, (organisation_id, site_ids))}


def keep_summaries(connection: Connection, organisation_id: int, summaries: list[Row], due: list[Row]) -> None:
    """Keep what some sites of an organisation come to and what is due there."""
    connection.execute(_FORGET_DUE, (organisation_id, [s["site_id"] for s in summaries]))
    with connection.cursor() as cursor:
        cursor.executemany(_KEEP, summaries)
        cursor.executemany(_DUE, due)


def list_due(connection: Connection, asked: Row) -> list[Row]:
    """Return what is due at all sites, the soonest first."""
    return every(connection, _DUE_LIST, asked)


def count_due(connection: Connection, asked: Row) -> int:
    """Return how much is due at all sites."""
    row = one(connection, _DUE_COUNT, asked)
    return int(row["count"]) if row else 0
