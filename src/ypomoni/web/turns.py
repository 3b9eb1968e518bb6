"""Taking turns: however much one organisation asks at once, threads are left for the others.

Counted in each web process by itself: what is shared out are its threads.
"""

import threading
from collections.abc import Generator
from contextlib import contextmanager

# So many requests of one organisation are answered at a time, and so many more wait for their turn.
AT_ONCE = 3
MOST_WAITING = 13
PATIENCE_S = 25.0


class Busy(Exception):  # noqa: N818 - it states a condition that passes
    """Raised when an organisation has more requests under way than one may."""


class Turns:
    """The turns of one process."""

    def __init__(self) -> None:
        self._free = threading.Condition()
        self._running: dict[int, int] = {}
        self._waiting: dict[int, int] = {}

    @contextmanager
    def turn(self, organisation_id: int) -> Generator[None]:
        """Wait until it is this organisation's turn, or raise `Busy`."""
        with self._free:
            if self._running.get(organisation_id, 0) >= AT_ONCE:
                if self._waiting.get(organisation_id, 0) >= MOST_WAITING:
                    raise Busy
                self._add(self._waiting, organisation_id, 1)
                try:
                    if not self._free.wait_for(lambda: self._running.get(organisation_id, 0) < AT_ONCE, PATIENCE_S):
                        raise Busy
                finally:
                    self._add(self._waiting, organisation_id, -1)
            self._add(self._running, organisation_id, 1)
        try:
            yield
        finally:
            with self._free:
                self._add(self._running, organisation_id, -1)
                self._free.notify_all()

    @staticmethod
    def _add(counts: dict[int, int], organisation_id: int, change: int) -> None:
        counts[organisation_id] = counts.get(organisation_id, 0) + change
        if counts[organisation_id] == 0:
            del counts[organisation_id]
