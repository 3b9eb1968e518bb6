"""How often somebody may try to sign in to one account, from whatever address.

Failures count against the account. Who has signed in to it on this device before has a count of their own: so nobody locks them out by failing.
"""

import hashlib

from ypomoni.storage.attempts import add_attempt, count_attempts, forget_attempts
from ypomoni.storage.connection import Pool

MOST_FAILURES = 10
FORGOTTEN_S = 15 * 60.0


def count_key(what: str, email: str, device: str | None) -> str:
    """Return under what failures are counted: of an address as it was typed, whether it has an account or not."""
    digest = digest_of(email)
    return f"{what}:{digest}:{device}" if device else f"{what}:{digest}"


def digest_of(email: str) -> str:
    """Return what stands for an address where it need not be read."""
    return hashlib.sha256(email.strip().casefold().encode()).hexdigest()[:32]


def too_many(pool: Pool, key: str) -> bool:
    """Say whether there were too many failures lately."""
    return count_attempts(pool, key)[0] >= MOST_FAILURES


def count_failure(pool: Pool, key: str) -> None:
    """Count a failure."""
    add_attempt(pool, key, FORGOTTEN_S, 1)


def forget_failures(pool: Pool, key: str) -> None:
    """Forget the failures, now that it was right."""
    forget_attempts(pool, key)
