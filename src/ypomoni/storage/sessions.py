"""Sessions: who is signed in. Kept on the server, so that signing out ends one, and a change of password all others."""

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, one

# Without a request for so long, and at the latest after so long, one signs in again.
IDLE_H = 12.0
LASTS_H = 24.0 * 7
# It is not written down more often than this that a session was used. [s]
NOTED_S = 60.0

_ADD = "INSERT INTO session (digest, organisation_id, account_id) VALUES (%s, %s, %s)"
_LIVES = "s.seen_at > now() - make_interval(hours => %(idle)s) AND s.created_at > now() - make_interval(hours => %(lasts)s)"
_FIND = (
    """
SELECT a.id, a.organisation_id, a.name, a.role, a.totp_secret IS NOT NULL AS has_second_factor, o.name AS organisation_name,
    s.seen_at < now() - make_interval(secs => %(noted)s) AS is_stale
FROM session s JOIN account a ON a.organisation_id = s.organisation_id AND a.id = s.account_id JOIN organisation o ON o.id = a.organisation_id
WHERE s.digest = %(digest)s AND a.locked_at IS NULL AND a.removed_at IS NULL AND """
    + _LIVES
)
_SEEN = "UPDATE session SET seen_at = now() WHERE digest = %s"
_END = "DELETE FROM session WHERE digest = %s"
_END_ALL = "DELETE FROM session WHERE organisation_id = %(organisation_id)s AND account_id = %(account_id)s AND digest <> %(but)s"
_PRUNE = "DELETE FROM session s WHERE NOT (" + _LIVES + ")"


def insert_session(connection: Connection, digest: str, organisation_id: int, account_id: int) -> None:
    """Begin a session; those that have lapsed are dropped."""
    connection.execute(_PRUNE, _limits())
    connection.execute(_ADD, (digest, organisation_id, account_id))


def select_session(connection: Connection, digest: str) -> Row | None:
    """Return whose session it is and note that it was used; None where it has ended, or its account may not sign in."""
    found = one(connection, _FIND, {**_limits(), "digest": digest})
    if found is not None and found["is_stale"]:
        connection.execute(_SEEN, (digest,))
    return found


def delete_session(connection: Connection, digest: str) -> None:
    """End a session."""
    connection.execute(_END, (digest,))


def delete_sessions(connection: Connection, organisation_id: int, account_id: int, *, but: str = "") -> None:
    """End the sessions of an account, but for one."""
    connection.execute(_END_ALL, {"organisation_id": organisation_id, "account_id": account_id, "but": but})


def _limits() -> Row:
    return {"idle": int(IDLE_H), "lasts": int(LASTS_H), "noted": NOTED_S}
