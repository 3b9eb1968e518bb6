"""People: sign in, invite a colleague, accept, change a password, and what an owner does with the accounts of an organisation."""

import hashlib
import secrets
from datetime import UTC, datetime, timedelta

import psycopg
from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError

from ypomoni.actions.actor import Actor
from ypomoni.actions.errors import Forbidden, NotFound, Refused, SignInRefused
from ypomoni.actions.passwords import LONGEST, check_password
from ypomoni.documents.faults import Fault
from ypomoni.records.field import Row
from ypomoni.storage import accounts as store
from ypomoni.storage.changes import insert_change
from ypomoni.storage.connection import Connection
from ypomoni.storage.sessions import delete_session, delete_sessions, insert_session, select_session

INVITATION_LASTS = timedelta(days=7)
RESET_LASTS = timedelta(days=1)
MOST_INVITATIONS = 50
MOST_PEOPLE = 500
ROLES = ("owner", "member")
_TAKEN = Fault("email", "has an account already: sign in with it, or use another address.")


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


# -- in and out ------------------------------------------------------------------------------------------------------------------------


def sign_in(connection: Connection, passwords: Passwords, email: str, password: str) -> Row:
    """Return the account of an address and its password, or raise `SignInRefused`. A locked one is refused like one that does not exist."""
    account = store.select_account_by_email(connection, email.strip())
    fits = passwords.fits(password[:LONGEST], account["password_hash"] if account else None)
    if not fits or account is None or account["locked_at"] is not None:
        raise SignInRefused
    return account


def begin_session(connection: Connection, account: Row) -> str:
    """Begin a session of an account and return its secret; only the digest is kept."""
    token = secrets.token_urlsafe(32)
    insert_session(connection, _digest(token), account["organisation_id"], account["id"])
    return token


def session_of(connection: Connection, token: str) -> Row | None:
    """Return the account of a session that goes on, or None."""
    return select_session(connection, _digest(token))


def end_session(connection: Connection, token: str) -> None:
    """End a session."""
    delete_session(connection, _digest(token))


def change_password(connection: Connection, passwords: Passwords, actor: Actor, current: str, new: str, *, token: str) -> None:
    """Set a new password; all sessions but the one of ``token`` end."""
    account = own_account(connection, actor)
    faults: list[Fault] = []
    if not passwords.fits(current[:LONGEST], account["password_hash"]):
        faults.append(Fault("current", "is not the present password."))
    faults += [Fault("new", f.message) for f in check_password(new, (account["email"], account["name"]))]
    if faults:
        raise Refused(faults)
    _set_password(connection, passwords, actor.organisation_id, account["id"], new, but=_digest(token))
    _log(connection, actor, "password", "account", account["id"], None)


def own_account(connection: Connection, actor: Actor) -> Row:
    """Return the account of who acts."""
    account = store.select_account(connection, actor.account_id or 0)
    if account is None:
        raise NotFound
    return account


# -- new accounts ----------------------------------------------------------------------------------------------------------------------


def create_account(
    connection: Connection, passwords: Passwords, *, organisation_id: int, email: str, name: str, password: str, role: str | None = None
) -> Row:
    """Make an account: that of an owner where it is the first of its organisation and nothing else is said.

    Raises
    ------
    Refused
        If the address is taken, or the password too short or among the first that are tried.
    """
    faults = check_password(password, (email, name))
    if store.select_account_by_email(connection, email) is not None:
        faults.append(_TAKEN)
    count = store.count_accounts(connection, organisation_id)
    if count >= MOST_PEOPLE:
        faults.append(Fault("email", f"cannot join: an organisation has at most {MOST_PEOPLE} people."))
    if faults:
        raise Refused(faults)
    role = role or ("member" if count else "owner")
    try:
        account = store.insert_account(
            connection, organisation_id=organisation_id, email=email, name=name, password_hash=passwords.hash(password), role=role
        )
    except psycopg.errors.UniqueViolation as error:
        raise Refused([_TAKEN]) from error
    actor = Actor(organisation_id=organisation_id, account_id=account["id"])
    _log(connection, actor, "create", "account", account["id"], {"email": email, "name": name, "role": role})
    return account


def create_organisation(connection: Connection, name: str) -> int:
    """Make an organisation and return its id."""
    return store.insert_organisation(connection, name)["id"]


def invite_colleague(connection: Connection, actor: Actor, email: str, role: str = "member") -> str:
    """Return the secret of an invitation; only its digest is kept. Whether the address has an account elsewhere is nobody's business here."""
    _refuse_members(actor)
    faults: list[Fault] = []
    if any(person["email"].casefold() == email.casefold() for person in colleagues_of(connection, actor)):
        faults.append(Fault("email", "is in your organisation already."))
    if role not in ROLES:
        faults.append(Fault("role", "must be owner or member."))
    if len(open_invitations_of(connection, actor)) >= MOST_INVITATIONS:
        faults.append(Fault("email", f"cannot be invited yet: {MOST_INVITATIONS} invitations are open. Take one back first."))
    if faults:
        raise Refused(faults)
    token = secrets.token_urlsafe(24)
    assert actor.account_id is not None  # noqa: S101 - only signed-in people invite
    invitation_id = store.insert_invitation(
        connection,
        organisation_id=actor.organisation_id,
        email=email,
        token_digest=_digest(token),
        invited_by=actor.account_id,
        expires_at=datetime.now(UTC) + INVITATION_LASTS,
        role=role,
    )
    _log(connection, actor, "create", "invitation", invitation_id, {"email": email, "role": role})
    return token


def revoke_invitation(connection: Connection, actor: Actor, invitation_id: int) -> None:
    """Take an invitation back: its link works no more."""
    _refuse_members(actor)
    if not 0 < invitation_id < 2**63 or not store.mark_invitation_revoked(connection, actor.organisation_id, invitation_id):
        raise NotFound
    _log(connection, actor, "remove", "invitation", invitation_id, None)


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
        connection,
        passwords,
        organisation_id=invitation["organisation_id"],
        email=invitation["email"],
        name=name,
        password=password,
        role=invitation["role"],
    )
    store.mark_invitation_accepted(connection, invitation["id"])
    return account


# -- what owners do --------------------------------------------------------------------------------------------------------------------


def set_role(connection: Connection, actor: Actor, account_id: int, role: str) -> Row:
    """Make a colleague an owner or a member. One owner always remains."""
    account = _colleague(connection, actor, account_id)
    if role not in ROLES:
        raise Refused([Fault("role", "must be owner or member.")])
    if role != "owner":
        _keep_an_owner(connection, actor, account_id)
    store.update_role(connection, actor.organisation_id, account_id, role)
    _log(connection, actor, "role", "account", account_id, {"role": role})
    return account


def set_locked(connection: Connection, actor: Actor, account_id: int, *, locked: bool) -> Row:
    """Keep a colleague from signing in and end their sessions, or let them in again."""
    account = _colleague(connection, actor, account_id)
    if locked:
        _keep_an_owner(connection, actor, account_id)
        delete_sessions(connection, actor.organisation_id, account_id)
    store.update_locked(connection, actor.organisation_id, account_id, locked=locked)
    _log(connection, actor, "lock" if locked else "unlock", "account", account_id, None)
    return account


def remove_account(connection: Connection, actor: Actor, account_id: int) -> Row:
    """Remove a colleague's account. What they did stays in the log under their name, and their address is free again."""
    account = _colleague(connection, actor, account_id)
    _keep_an_owner(connection, actor, account_id)
    delete_sessions(connection, actor.organisation_id, account_id)
    store.mark_resets_used(connection, actor.organisation_id, account_id)
    store.mark_account_removed(connection, actor.organisation_id, account_id)
    _log(connection, actor, "remove", "account", account_id, None)
    return account


def reset_account(connection: Connection, actor: Actor, account_id: int) -> tuple[Row, str]:
    """Return a colleague and the secret of a link to a new password, which also ends their second factor. It works once, for a day."""
    account = _colleague(connection, actor, account_id)
    token = secrets.token_urlsafe(24)
    store.insert_reset(
        connection,
        organisation_id=actor.organisation_id,
        account_id=account_id,
        token_digest=_digest(token),
        expires_at=datetime.now(UTC) + RESET_LASTS,
    )
    _log(connection, actor, "reset", "account", account_id, None)
    return account, token


def find_reset(connection: Connection, token: str) -> Row:
    """Return the reset of a link that still works, or raise `NotFound`."""
    found = store.select_open_reset(connection, _digest(token))
    if found is None:
        raise NotFound
    return found


def use_reset(connection: Connection, passwords: Passwords, token: str, new: str) -> Row:
    """Set the password a link was for; all sessions and the second factor of the account end. Returns the reset."""
    found = find_reset(connection, token)
    faults = [Fault("new", f.message) for f in check_password(new, (found["email"], found["name"]))]
    if faults:
        raise Refused(faults)
    organisation_id, account_id = found["organisation_id"], found["account_id"]
    _set_password(connection, passwords, organisation_id, account_id, new)
    store.update_second_factor(connection, organisation_id, account_id, secret=None, step=0, recovery_digests=[])
    _log(connection, Actor(organisation_id=organisation_id, account_id=account_id), "password", "account", account_id, None)
    return found


def colleagues_of(connection: Connection, actor: Actor) -> list[Row]:
    """Return the people of the actor's organisation."""
    return store.list_colleagues(connection, actor.organisation_id)


def open_invitations_of(connection: Connection, actor: Actor) -> list[Row]:
    """Return the invitations that nobody has accepted yet."""
    return store.list_open_invitations(connection, actor.organisation_id)


def account_named(connection: Connection, email: str) -> Row:
    """Return the account of an address, or raise `NotFound`."""
    account = store.select_account_by_email(connection, email)
    if account is None:
        raise NotFound
    return account


def _colleague(connection: Connection, actor: Actor, account_id: int) -> Row:
    _refuse_members(actor)
    account = store.select_account(connection, account_id) if 0 < account_id < 2**63 else None
    if account is None or account["organisation_id"] != actor.organisation_id:
        raise NotFound
    return account


def _refuse_members(actor: Actor) -> None:
    if not actor.is_owner:
        raise Forbidden("Only an owner of the organisation may do that: ask one of them.")


def _keep_an_owner(connection: Connection, actor: Actor, account_id: int) -> None:
    if store.lock_owners(connection, actor.organisation_id) == [account_id]:
        raise Refused([Fault("", "This is the only owner who can sign in: make somebody else an owner first.")])


def _set_password(
    connection: Connection, passwords: Passwords, organisation_id: int, account_id: int, password: str, *, but: str = ""
) -> None:
    store.update_password(connection, organisation_id, account_id, passwords.hash(password))
    store.mark_resets_used(connection, organisation_id, account_id)
    delete_sessions(connection, organisation_id, account_id, but=but)


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _log(connection: Connection, actor: Actor, verb: str, aggregate: str, aggregate_id: int, after: Row | None) -> None:
    insert_change(
        connection,
        organisation_id=actor.organisation_id,
        account_id=actor.account_id,
        verb=verb,
        aggregate=aggregate,
        aggregate_id=aggregate_id,
        site_id=None,
        before=None,
        after=after,
    )
