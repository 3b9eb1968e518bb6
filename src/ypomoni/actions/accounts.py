"""People: sign in, invite a colleague, accept, change a password, make the first account."""

import hashlib
import secrets
from datetime import UTC, datetime, timedelta

import psycopg
from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError

from ypomoni.actions.actor import Actor
from ypomoni.actions.errors import NotFound, Refused, SignInRefused
from ypomoni.documents.faults import Fault
from ypomoni.records.field import Row
from ypomoni.storage import accounts as store
from ypomoni.storage.changes import insert_change
from ypomoni.storage.connection import Connection

SHORTEST_PASSWORD = 10
LONGEST_PASSWORD = 200
INVITATION_LASTS = timedelta(days=7)


class Passwords:
    """Argon2 hashes at the library's recommended cost; ``cheap`` is for tests only."""

    def __init__(self, *, cheap: bool = False) -> None:
        self._hasher = PasswordHasher(time_cost=1, memory_cost=64, parallelism=1) if cheap else PasswordHasher()
        # Checked when the address is unknown, so that the answer takes as long as for a known one.
        self._nobody = self._hasher.hash(secrets.token_urlsafe(16))

    def hash(self, password: str) -> str:
        """Return the hash of a password."""
        return self._hasher.hash(password)

    def fits(self, password: str, password_hash: str | None) -> bool:
        """Say whether a password is the one of a hash; takes as long for no hash at all."""
        try:
            return self._hasher.verify(password_hash or self._nobody, password) and password_hash is not None
        except (Argon2Error, InvalidHashError):
            return False


def sign_in(connection: Connection, passwords: Passwords, email: str, password: str) -> Row:
    """Return the account of an address and its password, or raise `SignInRefused`."""
    account = store.select_account_by_email(connection, email.strip())
    if not passwords.fits(password[:LONGEST_PASSWORD], account["password_hash"] if account else None) or account is None:
        raise SignInRefused
    return account


def check_password(password: str) -> list[Fault]:
    """Return what is wrong with a new password."""
    if len(password) < SHORTEST_PASSWORD:
        return [Fault("password", f"must have at least {SHORTEST_PASSWORD} characters, has {len(password)}.")]
    if len(password) > LONGEST_PASSWORD:
        return [Fault("password", f"must have at most {LONGEST_PASSWORD} characters.")]
    return []


def create_account(connection: Connection, passwords: Passwords, *, organisation_id: int, email: str, name: str, password: str) -> Row:
    """Make an account, or raise `Refused` when the address is taken or the password too short."""
    faults = check_password(password)
    if store.select_account_by_email(connection, email) is not None:
        faults.append(Fault("email", "has an account already: sign in with it, or use another address."))
    if faults:
        raise Refused(faults)
    try:
        account = store.insert_account(
            connection, organisation_id=organisation_id, email=email, name=name, password_hash=passwords.hash(password)
        )
    except psycopg.errors.UniqueViolation as error:
        raise Refused([Fault("email", "has an account already: sign in with it, or use another address.")]) from error
    _log(connection, organisation_id, account["id"], "create", "account", account["id"], {"email": email, "name": name})
    return account


def create_organisation(connection: Connection, name: str) -> int:
    """Make an organisation and return its id."""
    return store.insert_organisation(connection, name)["id"]


def invite_colleague(connection: Connection, actor: Actor, email: str) -> str:
    """Return the secret of an invitation; only its digest is kept."""
    if store.select_account_by_email(connection, email) is not None:
        raise Refused([Fault("email", "has an account already.")])
    token = secrets.token_urlsafe(24)
    assert actor.account_id is not None  # noqa: S101 - only signed-in people invite
    invitation_id = store.insert_invitation(
        connection,
        organisation_id=actor.organisation_id,
        email=email,
        token_digest=_digest(token),
        invited_by=actor.account_id,
        expires_at=datetime.now(UTC) + INVITATION_LASTS,
    )
    _log(connection, actor.organisation_id, actor.account_id, "create", "invitation", invitation_id, {"email": email})
    return token


def find_invitation(connection: Connection, token: str) -> Row:
    """Return an invitation that can still be accepted, or raise `NotFound`."""
    invitation = store.select_open_invitation(connection, _digest(token))
    if invitation is None:
        raise NotFound
    return invitation


def accept_invitation(connection: Connection, passwords: Passwords, token: str, name: str, password: str) -> Row:
    """Make the account an invitation was for."""
    invitation = find_invitation(connection, token)
    account = create_account(
        connection, passwords, organisation_id=invitation["organisation_id"], email=invitation["email"], name=name, password=password
    )
    store.mark_invitation_accepted(connection, invitation["id"])
    return account


def change_password(connection: Connection, passwords: Passwords, actor: Actor, current: str, new: str) -> int:
    """Set a new password and return the session epoch that goes on; all other sessions end."""
    assert actor.account_id is not None  # noqa: S101 - only signed-in people change a password
    account = store.select_account(connection, actor.account_id)
    if account is None:
        raise NotFound
    faults: list[Fault] = []
    if not passwords.fits(current, account["password_hash"]):
        faults.append(Fault("current", "is not the present password."))
    faults += [Fault("new", f.message) for f in check_password(new)]
    if faults:
        raise Refused(faults)
    epoch = store.update_password(
        connection, organisation_id=actor.organisation_id, account_id=actor.account_id, password_hash=passwords.hash(new)
    )
    _log(connection, actor.organisation_id, actor.account_id, "password", "account", actor.account_id, None)
    return epoch


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _log(
    connection: Connection, organisation_id: int, account_id: int | None, verb: str, aggregate: str, aggregate_id: int, after: Row | None
) -> None:
    insert_change(
        connection,
        organisation_id=organisation_id,
        account_id=account_id,
        verb=verb,
        aggregate=aggregate,
        aggregate_id=aggregate_id,
        site_id=None,
        before=None,
        after=after,
    )


def colleagues_of(connection: Connection, actor: Actor) -> list[Row]:
    """Return the people of the actor's organisation."""
    return store.list_colleagues(connection, actor.organisation_id)


def open_invitations_of(connection: Connection, actor: Actor) -> list[Row]:
    """Return the invitations that nobody has accepted yet."""
    return store.list_open_invitations(connection, actor.organisation_id)


def account_of(connection: Connection, account_id: int) -> Row | None:
    """Return an account with its organisation, or None."""
    return store.select_account(connection, account_id)
