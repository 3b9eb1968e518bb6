"""Taking turns: however much one organisation asks at once, threads and the processor's time are left for the others.

Counted in each web process by itself: what is shared out are its threads and its time.
"""

import threading
import time
from collections.abc import Generator
from contextlib import contextmanager
from dataclasses import dataclass

# So many requests of one organisation are answered at a time, and so many more wait for their turn.
AT_ONCE = 3
MOST_WAITING = 13
PATIENCE_S = 25.0
# While others ask too, an organisation computes for this share of the time; what it did not use it may spend at once, up to a limit.
SHARE = 0.2
MOST_CREDIT_S = 4.0
# No debt is so great that who is patient waits in vain.
LEAST_CREDIT_S = -0.8 * SHARE * PATIENCE_S
# Who asked so long ago still counts as asking.
ASKING_S = 10.0
MOST_KNOWN = 1_000
NOBODY = 0


class Busy(Exception):  # noqa: N818 - it states a condition that passes
    """Raised when an organisation has more requests under way than one may."""


@dataclass(slots=True)
class _Share:
    """What one organisation has of a process: requests, and processor time it may still spend; negative where it spent more. [s]"""

    counted_s: float
    credit_s: float = MOST_CREDIT_S
    usual_s: float = 0.0
    running: int = 0
    waiting: int = 0

    def count(self, now_s: float) -> None:
        """Add what has come since it was counted last."""
        self.credit_s = min(MOST_CREDIT_S, self.credit_s + SHARE * (now_s - self.counted_s))
        self.counted_s = now_s


class Turns:
    """The turns of one process."""

    def __init__(self) -> None:
        self._free = threading.Condition()
        self._shares: dict[int, _Share] = {}

    @contextmanager
    def turn(self, organisation_id: int) -> Generator[None]:
        """Wait until it is this organisation's turn, or raise `Busy`."""
        with self._free:
            share = self._share_of(organisation_id)
            share.waiting += 1
            try:
                self._wait(organisation_id, share)
            finally:
                share.waiting -= 1
            share.running += 1
            # It will cost about what the last one did: those that start together do not all spend the same credit.
            expected_s = share.usual_s
            share.credit_s -= expected_s
        began_s = time.thread_time()
        try:
            yield
        finally:
            spent_s = time.thread_time() - began_s
            with self._free:
                share.running -= 1
                share.usual_s = spent_s
                share.credit_s = max(LEAST_CREDIT_S, share.credit_s + expected_s - spent_s)
                self._free.notify_all()

    def _wait(self, organisation_id: int, share: _Share) -> None:
        ends_s = time.monotonic() + PATIENCE_S
        while True:
            now_s = time.monotonic()
            share.count(now_s)
            is_full = share.running >= AT_ONCE
            if not is_full and (share.credit_s > 0 or not self._others_ask(organisation_id, now_s)):
                return
            if now_s >= ends_s or share.waiting > MOST_WAITING:
                raise Busy
            until_credit_s = -share.credit_s / SHARE + 0.01
            self._free.wait(min(ends_s - now_s, ASKING_S if is_full else max(0.01, until_credit_s)))

    def _others_ask(self, organisation_id: int, now_s: float) -> bool:
        # Who is signed in nowhere slows nobody.
        return any(key not in (organisation_id, NOBODY) and now_s - share.counted_s < ASKING_S for key, share in self._shares.items())

    def _share_of(self, organisation_id: int) -> _Share:
        now_s = time.monotonic()
        if len(self._shares) >= MOST_KNOWN:
            # Who has asked nothing for a while has all its credit again, so nothing is lost.
            idle_s = (MOST_CREDIT_S - LEAST_CREDIT_S) / SHARE
            self._shares = {k: s for k, s in self._shares.items() if s.running or s.waiting or now_s - s.counted_s < idle_s}
        return self._shares.setdefault(organisation_id, _Share(counted_s=now_s))
