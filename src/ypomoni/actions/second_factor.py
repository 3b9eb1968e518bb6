"""The second factor: codes of an app that change every thirty seconds (RFC 6238), and recovery codes that work once."""

import hashlib
import hmac
import secrets
import time

from pyotp import random_base32
from pyotp.totp import TOTP

from ypomoni.actions.accounts import Passwords, own_account
from ypomoni.actions.actor import Actor
from ypomoni.actions.errors import Refused, SignInRefused
from ypomoni.documents.faults import Fault
from ypomoni.records.field import Row
from ypomoni.storage import accounts as store
from ypomoni.storage.changes import insert_change
from ypomoni.storage.connection import Connection

ISSUER = "Ypomoni"
RECOVERY_COUNT = 10
STEP_S = 30
# A phone's clock may be off by one step either way.
STEPS_OFF = 1


def new_secret() -> str:
    """Return a secret for an app, in base 32."""
    return random_base32()


def address_for_app(secret: str, email: str) -> str:
    """Return what the square code holds that an app reads."""
    return TOTP(secret).provisioning_uri(name=email, issuer_name=ISSUER)


def start(connection: Connection, passwords: Passwords, actor: Actor, *, secret: str, code: str, password: str) -> list[str]:
    """Ask for a second factor from now on, and return the recovery codes; only their digests are kept.

    Raises
    ------
    Refused
        If the password is not the present one, or the code not one of the secret.
    """
    account = own_account(connection, actor)
    faults: list[Fault] = []
    if not passwords.fits(password, account["password_hash"]):
        faults.append(Fault("password", "is not the present password."))
    step = _step_of(secret, code, 0)
    if step is None:
        faults.append(Fault("code", "is not what the app shows now: check that the phone's clock is right."))
    if faults or step is None:
        raise Refused(faults)
    codes = [f"{secrets.token_hex(2)}-{secrets.token_hex(2)}-{secrets.token_hex(2)}" for _ in range(RECOVERY_COUNT)]
    _write(connection, account, secret, step, [_digest(c) for c in codes])
    _log(connection, actor, "second_factor_on")
    return codes


def end(connection: Connection, passwords: Passwords, actor: Actor, password: str) -> None:
    """Ask for no second factor any more."""
    account = own_account(connection, actor)
    if not passwords.fits(password, account["password_hash"]):
        raise Refused([Fault("password", "is not the present password.")])
    _write(connection, account, None, 0, [])
    _log(connection, actor, "second_factor_off")


def check(connection: Connection, account_id: int, code: str) -> Row:
    """Return the account whose code this is, or raise `SignInRefused`. A code of the app and a recovery code are each good once."""
    account = store.select_account(connection, account_id)
    if account is None or account["locked_at"] is not None or account["totp_secret"] is None:
        raise SignInRefused
    step = _step_of(account["totp_secret"], code, account["totp_step"])
    if step is not None:
        _write(connection, account, account["totp_secret"], step, account["recovery_digests"])
        return account
    digest = _digest(code.strip().lower())
    left = [d for d in account["recovery_digests"] if not hmac.compare_digest(d, digest)]
    if len(left) == len(account["recovery_digests"]):
        raise SignInRefused
    _write(connection, account, account["totp_secret"], account["totp_step"], left)
    return account


def _step_of(secret: str, code: str, after: int) -> int | None:
    """Return the step a code belongs to, if it is later than the last one that was used."""
    code = "".join(code.split())
    if not (code.isascii() and code.isdigit() and len(code) == 6):
        return None
    totp, now = TOTP(secret), int(time.time()) // STEP_S
    for step in range(now - STEPS_OFF, now + STEPS_OFF + 1):
        if step > after and hmac.compare_digest(totp.at(step * STEP_S), code):
            return step
    return None


def _digest(code: str) -> str:
    return hashlib.sha256(code.encode()).hexdigest()


def _write(connection: Connection, account: Row, secret: str | None, step: int, digests: list[str]) -> None:
    store.update_second_factor(connection, account["organisation_id"], account["id"], secret=secret, step=step, recovery_digests=digests)


def _log(connection: Connection, actor: Actor, verb: str) -> None:
    insert_change(
        connection,
        organisation_id=actor.organisation_id,
        account_id=actor.account_id,
        verb=verb,
        aggregate="account",
        aggregate_id=actor.account_id or 0,
        site_id=None,
        before=None,
        after=None,
    )
