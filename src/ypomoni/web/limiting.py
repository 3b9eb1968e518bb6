"""The limiter's counts, kept in the database: whichever process answers, it knows how often one has tried."""

import time
from typing import Any

from flask_limiter import Limiter
from flask_limiter.util import get_remote_address
from limits.storage import Storage

from ypomoni.storage.attempts import add_attempt, count_attempts, forget_attempts
from ypomoni.storage.errors import DatabaseAway

limiter = Limiter(get_remote_address, storage_uri="ypomoni://", headers_enabled=False)


class DatabaseCounts(Storage):
    """Counts with a fixed window. ``pool`` is the application's."""

    STORAGE_SCHEME = ["ypomoni"]

    def __init__(self, uri: str | None = None, wrap_exceptions: bool = False, **options: Any) -> None:
        super().__init__(uri, wrap_exceptions=wrap_exceptions)
        self.pool = options["pool"]

    @property
    def base_exceptions(self) -> type[Exception]:
        """What is raised where nothing can be counted: then nobody can sign in either."""
        return DatabaseAway

    def incr(self, key: str, expiry: int, amount: int = 1) -> int:
        """Count an attempt and return how many there were."""
        return add_attempt(self.pool, key, expiry, amount)

    def get(self, key: str) -> int:
        """Return how many attempts there were."""
        return count_attempts(self.pool, key)[0]

    def get_expiry(self, key: str) -> float:
        """Return when they are forgotten. [s since the epoch]"""
        return count_attempts(self.pool, key)[1] or time.time()

    def check(self) -> bool:
        """Say whether counting works."""
        count_attempts(self.pool, "")
        return True

    def reset(self) -> int | None:
        """Forget all attempts."""
        forget_attempts(self.pool, None)
        return None

    def clear(self, key: str) -> None:
        """Forget the attempts of a key."""
        forget_attempts(self.pool, key)
