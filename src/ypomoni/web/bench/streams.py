"""How many look on at once: each stream keeps a thread of its web process for as long as it lasts, so there are few, and shared out."""

import threading

# Of the twenty threads of a process; of them an organisation has at most three.
MOST_STREAMS = 8
MOST_OF_ONE = 3


class Streams:
    """The streams of one process."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._of: dict[int, int] = {}

    def take(self, organisation_id: int) -> bool:
        """Take a stream, and say whether there was one left."""
        with self._lock:
            if sum(self._of.values()) >= MOST_STREAMS or self._of.get(organisation_id, 0) >= MOST_OF_ONE:
                return False
            self._of[organisation_id] = self._of.get(organisation_id, 0) + 1
            return True

    def give_back(self, organisation_id: int) -> None:
        """Give a stream back."""
        with self._lock:
            self._of[organisation_id] -= 1
            if not self._of[organisation_id]:
                del self._of[organisation_id]
