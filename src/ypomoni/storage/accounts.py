"""Organisations, accounts and invitations."""

from datetime import datetime

from psycopg.types.json import Jsonb

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every, one

_ADD_ORGANISATION = "INSERT INTO organisation (name) VALUES (%s) RETURNING id, name"
_FIND_ORGANISATION = "SELECT id, name FROM organisation WHERE name = %s ORDER BY id LIMIT 1"
_ORGANISATIONS = "SELECT id FROM organisation ORDER BY id"
_ADD_ACCOUNT = """
INSERT INTO account (organisation_id, email, name, password_hash, role)
VALUES (%(organisation_id)s, %(email)s, %(name)s, %(password_hash)s, %(role)s) RETURNING id, organisation_id, email, name, role
"""
_FOUND = """
SELECT a.id, a.organisation_id, a.email, a.name, a.password_hash, a.role, a.locked_at, a.totp_secret, a.totp_step, a.recovery_digests,
    o.name AS organisation_name
FROM account a JOIN organisation o ON o.id = a.organisation_id WHERE a.removed_at IS NULL AND """
_BY_EMAIL = _FOUND + "lower(a.email) = lower(%s)"
_BY_ID = _FOUND + "a.id = %s"
_COLLEAGUES = """
SELECT id, email, name, role, locked_at, totp_secret IS NOT NULL AS has_second_factor, created_at FROM account
WHERE organisation_id = %s AND removed_at IS NULL ORDER BY lower(name), id
"""
# Owners who can sign in. Locked, so that two of them cannot demote each other at once.
_OWNERS = """
SELECT id FROM account WHERE organisation_id = %s AND role = 'owner' AND locked_at IS NULL AND removed_at IS NULL ORDER BY id FOR UPDATE
"""
_COUNT = "SELECT count(*) AS count FROM account WHERE organisation_id = %s AND removed_at IS NULL"
_SET_CREDENTIAL = "UPDATE account SET password_hash = %(value)s WHERE organisation_id = %(organisation_id)s AND id = %(id)s"
_SET_ROLE = "UPDATE account SET role = %(value)s WHERE organisation_id = %(organisation_id)s AND id = %(id)s"
_SET_LOCKED = (
    "UPDATE account SET locked_at = CASE WHEN %(value)s THEN now() END WHERE organisation_id = %(organisation_id)s AND id = %(id)s"
)
_SET_REMOVED = "UPDATE account SET removed_at = now() WHERE organisation_id = %(organisation_id)s AND id = %(id)s"
_SET_FACTOR = """
UPDATE account SET totp_secret = %(secret)s, totp_step = %(step)s, recovery_digests = %(recovery)s
WHERE organisation_id = %(organisation_id)s AND id = %(id)s
"""
_ADD_INVITATION = """
INSERT INTO invitation (organisation_id, email, token_digest, invited_by, expires_at, role)
VALUES (%(organisation_id)s, %(email)s, %(token_digest)s, %(invited_by)s, %(expires_at)s, %(role)s) RETURNING id
"""
_OPEN_INVITATION = """
SELECT i.id, i.organisation_id, i.email, i.role, o.name AS organisation_name FROM invitation i JOIN organisation o ON o.id = i.organisation_id
WHERE i.token_digest = %s AND i.accepted_at IS NULL AND i.revoked_at IS NULL AND i.expires_at > now() FOR UPDATE OF i
"""
_OPEN_INVITATIONS = """
SELECT id, email, role, expires_at FROM invitation
WHERE organisation_id = %s AND accepted_at IS NULL AND revoked_at IS NULL AND expires_at > now() ORDER BY id
"""
_REVOKE = """
UPDATE invitation SET revoked_at = now() WHERE organisation_id = %s AND id = %s AND accepted_at IS NULL AND revoked_at IS NULL RETURNING id
"""
_ADD_RESET = """
INSERT INTO reset (token_digest, organisation_id, account_id, expires_at)
VALUES (%(token_digest)s, %(organisation_id)s, %(account_id)s, %(expires_at)s)
"""
_OPEN_RESET = """
SELECT r.token_digest, r.account_id, r.organisation_id, a.name, a.email FROM reset r JOIN account a ON a.id = r.account_id
WHERE r.token_digest = %s AND r.used_at IS NULL AND r.expires_at > now() AND a.removed_at IS NULL FOR UPDATE OF r
"""
# A new link, or a link that was used, makes older ones void.
_USE_RESETS = "UPDATE reset SET used_at = now() WHERE organisation_id = %s AND account_id = %s AND used_at IS NULL"
_ACCEPT = "UPDATE invitation SET accepted_at = now() WHERE id = %s RETURNING id"


def insert_organisation(connection: Connection, name: str) -> Row:
    """Insert an organisation and return it."""
    return _sure(one(connection, _ADD_ORGANISATION, (name,)))


def select_organisation(connection: Connection, name: str) -> Row | None:
    """Return the first organisation of this name, or None."""
    return one(connection, _FIND_ORGANISATION, (name,))


def list_organisations(connection: Connection) -> list[int]:
    """Return the ids of all organisations."""
    return [int(row["id"]) for row in every(connection, _ORGANISATIONS)]


def insert_account(connection: Connection, *, organisation_id: int, email: str, name: str, password_hash: str, role: str) -> Row:
    """Insert an account and return it; a violation of `account_email` means the address is taken."""
    values: Row = {"organisation_id": organisation_id, "email": email, "name": name, "password_hash": password_hash, "role": role}
    return _sure(one(connection, _ADD_ACCOUNT, values))


def select_account_by_email(connection: Connection, email: str) -> Row | None:
    """Return an account by its address, whatever its case, or None."""
    return one(connection, _BY_EMAIL, (email,))


def select_account(connection: Connection, account_id: int) -> Row | None:
    """Return an account, or None."""
    return one(connection, _BY_ID, (account_id,))


def list_colleagues(connection: Connection, organisation_id: int) -> list[Row]:
    """Return the accounts of an organisation by name."""
    return every(connection, _COLLEAGUES, (organisation_id,))


def count_accounts(connection: Connection, organisation_id: int) -> int:
    """Return how many people an organisation has."""
    return int(_sure(one(connection, _COUNT, (organisation_id,)))["count"])


def lock_owners(connection: Connection, organisation_id: int) -> list[int]:
    """Return the ids of the owners who can sign in; nobody else changes them until the transaction ends."""
    return [int(row["id"]) for row in every(connection, _OWNERS, (organisation_id,))]


def update_password(connection: Connection, organisation_id: int, account_id: int, password_hash: str) -> None:
    """Set a password."""
    connection.execute(_SET_CREDENTIAL, {"organisation_id": organisation_id, "id": account_id, "value": password_hash})


def update_role(connection: Connection, organisation_id: int, account_id: int, role: str) -> None:
    """Make somebody an owner or a member."""
    connection.execute(_SET_ROLE, {"organisation_id": organisation_id, "id": account_id, "value": role})


def update_locked(connection: Connection, organisation_id: int, account_id: int, *, locked: bool) -> None:
    """Keep somebody from signing in, or let them again."""
    connection.execute(_SET_LOCKED, {"organisation_id": organisation_id, "id": account_id, "value": locked})


def mark_account_removed(connection: Connection, organisation_id: int, account_id: int) -> None:
    """Remove an account; what it did stays in the log under its name."""
    connection.execute(_SET_REMOVED, {"organisation_id": organisation_id, "id": account_id})


def update_second_factor(
    connection: Connection, organisation_id: int, account_id: int, *, secret: str | None, step: int, recovery_digests: list[str]
) -> None:
    """Set or end the second factor of an account, with the digests of its recovery codes."""
    values: Row = {
        "organisation_id": organisation_id,
        "id": account_id,
        "secret": secret,
        "step": step,
        "recovery": Jsonb(recovery_digests),
    }
    connection.execute(_SET_FACTOR, values)


def insert_reset(connection: Connection, *, organisation_id: int, account_id: int, token_digest: str, expires_at: datetime) -> None:
    """Keep the digest of a link to a new password; older links of the account are void."""
    connection.execute(_USE_RESETS, (organisation_id, account_id))
    values: Row = {"organisation_id": organisation_id, "account_id": account_id, "token_digest": token_digest, "expires_at": expires_at}
    connection.execute(_ADD_RESET, values)


def select_open_reset(connection: Connection, token_digest: str) -> Row | None:
    """Return and lock a reset that was neither used nor has run out, or None."""
    return one(connection, _OPEN_RESET, (token_digest,))


def mark_resets_used(connection: Connection, organisation_id: int, account_id: int) -> None:
    """Let no link to a new password of this account work any more."""
    connection.execute(_USE_RESETS, (organisation_id, account_id))


def mark_invitation_revoked(connection: Connection, organisation_id: int, invitation_id: int) -> bool:
    """Take an invitation back, and say whether there was one."""
    return one(connection, _REVOKE, (organisation_id, invitation_id)) is not None


def insert_invitation(
    connection: Connection, *, organisation_id: int, email: str, token_digest: str, invited_by: int, expires_at: datetime, role: str
) -> int:
    """Insert an invitation and return its id."""
    values: Row = {
        "organisation_id": organisation_id,
        "email": email,
        "token_digest": token_digest,
        "invited_by": invited_by,
        "expires_at": expires_at,
        "role": role,
    }
    return int(_sure(one(connection, _ADD_INVITATION, values))["id"])


def select_open_invitation(connection: Connection, token_digest: str) -> Row | None:
    """Return and lock an invitation that is neither accepted nor expired, or None."""
    return one(connection, _OPEN_INVITATION, (token_digest,))


def list_open_invitations(connection: Connection, organisation_id: int) -> list[Row]:
    """Return the invitations of an organisation that can still be accepted."""
    return every(connection, _OPEN_INVITATIONS, (organisation_id,))


def mark_invitation_accepted(connection: Connection, invitation_id: int) -> None:
    """Mark an invitation as accepted."""
    _sure(one(connection, _ACCEPT, (invitation_id,)))


def _sure(row: Row | None) -> Row:
    if row is None:
        raise LookupError("the statement returned no row")
    return row
