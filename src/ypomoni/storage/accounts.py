"""Organisations, accounts and invitations."""

from datetime import datetime

from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection, every, one

_ADD_ORGANISATION = "INSERT INTO organisation (name) VALUES (%s) RETURNING id, name"
_FIND_ORGANISATION = "SELECT id, name FROM organisation WHERE name = %s ORDER BY id LIMIT 1"
_ADD_ACCOUNT = """
INSERT INTO account (organisation_id, email, name, password_hash) VALUES (%(organisation_id)s, %(email)s, %(name)s, %(password_hash)s)
RETURNING id, organisation_id, email, name, session_epoch
"""
_BY_EMAIL = """
SELECT a.id, a.organisation_id, a.email, a.name, a.password_hash, a.session_epoch, o.name AS organisation_name
FROM account a JOIN organisation o ON o.id = a.organisation_id WHERE lower(a.email) = lower(%s)
"""
_BY_ID = """
SELECT a.id, a.organisation_id, a.email, a.name, a.password_hash, a.session_epoch, o.name AS organisation_name
FROM account a JOIN organisation o ON o.id = a.organisation_id WHERE a.id = %s
"""
_COLLEAGUES = "SELECT id, email, name, created_at FROM account WHERE organisation_id = %s ORDER BY lower(name), id"
_SET_CREDENTIAL = """
UPDATE account SET password_hash = %(password_hash)s, session_epoch = session_epoch + 1
WHERE organisation_id = %(organisation_id)s AND id = %(id)s RETURNING session_epoch
"""
_ADD_INVITATION = """
INSERT INTO invitation (organisation_id, email, token_digest, invited_by, expires_at)
VALUES (%(organisation_id)s, %(email)s, %(token_digest)s, %(invited_by)s, %(expires_at)s) RETURNING id
"""
_OPEN_INVITATION = """
SELECT i.id, i.organisation_id, i.email, o.name AS organisation_name FROM invitation i JOIN organisation o ON o.id = i.organisation_id
WHERE i.token_digest = %s AND i.accepted_at IS NULL AND i.expires_at > now() FOR UPDATE OF i
"""
_OPEN_INVITATIONS = """
SELECT id, email, expires_at FROM invitation WHERE organisation_id = %s AND accepted_at IS NULL AND expires_at > now() ORDER BY id
"""
_ACCEPT = "UPDATE invitation SET accepted_at = now() WHERE id = %s RETURNING id"


def insert_organisation(connection: Connection, name: str) -> Row:
    """Insert an organisation and return it."""
    return _sure(one(connection, _ADD_ORGANISATION, (name,)))


def select_organisation(connection: Connection, name: str) -> Row | None:
    """Return the first organisation of this name, or None."""
    return one(connection, _FIND_ORGANISATION, (name,))


def insert_account(connection: Connection, *, organisation_id: int, email: str, name: str, password_hash: str) -> Row:
    """Insert an account and return it; a violation of `account_email` means the address is taken."""
    values: Row = {"organisation_id": organisation_id, "email": email, "name": name, "password_hash": password_hash}
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


def update_password(connection: Connection, *, organisation_id: int, account_id: int, password_hash: str) -> int:
    """Set a password and return the new session epoch; sessions of the old epoch end."""
    values: Row = {"organisation_id": organisation_id, "id": account_id, "password_hash": password_hash}
    return int(_sure(one(connection, _SET_CREDENTIAL, values))["session_epoch"])


def insert_invitation(
    connection: Connection, *, organisation_id: int, email: str, token_digest: str, invited_by: int, expires_at: datetime
) -> int:
    """Insert an invitation and return its id."""
    values: Row = {
        "organisation_id": organisation_id,
        "email": email,
        "token_digest": token_digest,
        "invited_by": invited_by,
        "expires_at": expires_at,
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
