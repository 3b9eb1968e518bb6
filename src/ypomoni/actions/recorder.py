"""What records meters: a thread of a worker for each recording that goes on. All that counts is in the database, so the worker can die at any time.

A meter that goes away is asked for again, and what was not read meanwhile is a gap. An overload and a garbled answer are counted and are never
a number. An electronic load is switched off at the end voltage, and whenever its recording ends.
"""

import contextlib
import logging
import threading
import time
from dataclasses import dataclass, field

import psycopg

from ypomoni.instruments.addresses import read_address
from ypomoni.instruments.protocol import GarbledAnswer, Meter, MeterAway, MeterError, MeterKind, MeterSample
from ypomoni.instruments.scpi import connect_meter
from ypomoni.records.field import Row
from ypomoni.storage.connection import Pool, transaction
from ypomoni.storage.errors import DatabaseAway, StorageError
from ypomoni.storage.recordings import append_samples, beat_recording, finish_recording, take_recording

log = logging.getLogger("ypomoni.recorder")
LOOK_S = 0.5
FLUSH_S = 1.0
RETRY_S = 2.0
# A meter that was away for so long is given up.
GIVE_UP_S = 3_600.0
MOST_SAMPLES = 5_000_000
MOST_AT_ONCE = 16
# So many readings under the end voltage, one after the other, end a discharge: one may be garbled.
UNDER_END_COUNT = 2


class Recorder:
    """Looks for recordings that nobody records, and records each in a thread."""

    def __init__(self, pool: Pool, allowed: tuple[str, ...] = ()) -> None:
        self._pool = pool
        self._allowed = allowed
        self._threads: dict[int, threading.Thread] = {}
        self._ends = threading.Event()

    def start(self) -> None:
        """Look for recordings in a thread of its own until the process ends."""
        threading.Thread(target=self._look_on, daemon=True, name="recorder").start()

    def stop(self) -> None:
        """Let go of all meters as if the process ended: another recorder goes on."""
        self._ends.set()
        for thread in list(self._threads.values()):
            thread.join(10)

    def _look_on(self) -> None:
        while not self._ends.wait(LOOK_S):
            try:
                self.look()
            except StorageError:
                time.sleep(LOOK_S)
            except Exception:
                log.exception("looking for recordings failed")

    def look(self) -> None:
        """Take what nobody records."""
        self._threads = {n: t for n, t in self._threads.items() if t.is_alive()}
        while len(self._threads) < MOST_AT_ONCE:
            with transaction(self._pool) as connection:
                row = take_recording(connection)
            if row is None or row["id"] in self._threads:
                return
            session = _Session(pool=self._pool, row=row, allowed=self._allowed, ends=self._ends)
            thread = threading.Thread(target=session.run, daemon=True, name=f"recording {row['id']}")
            self._threads[row["id"]] = thread
            thread.start()


@dataclass(kw_only=True)
class _Session:
    """One recording while it goes on."""

    pool: Pool
    row: Row
    allowed: tuple[str, ...]
    ends: threading.Event
    meter: Meter | None = None
    said: str = "Connecting …"
    t_s: list[float] = field(default_factory=list)
    current_a: list[float | None] = field(default_factory=list)
    terminal_v: list[float | None] = field(default_factory=list)
    counts: dict[str, int] = field(default_factory=lambda: {"overloads_count": 0, "garbage_count": 0, "lost_count": 0})
    under_end_count: int = 0

    def run(self) -> None:
        """Record until it is stopped, ended, refused or given up."""
        self.kind = MeterKind(self.row["meter_kind"])
        self.written = self.row["samples_count"]
        # Asked of the clock on the wall once: that may be set back while it goes on, and times must rise.
        self._ahead_s = time.time() - self.row["begun_at"].timestamp() - time.monotonic()
        try:
            state, said = self._record()
        except Exception:
            log.exception("recording %s failed", self.row["id"])
            state, said = "lost", "It failed on our side; it has been noted. What was read is kept."
        if state:
            self._let_go(off=True)
            self._finish(state, said)
        else:
            self._let_go(off=False)

    def _record(self) -> tuple[str, str]:
        """Return how it ended, and in which words; no words where another process goes on."""
        next_s = flushed_s = time.monotonic()
        away_since_s: float | None = None
        while not self.ends.is_set():
            try:
                self._read_once()
                away_since_s = None
            except GarbledAnswer:
                self.counts["garbage_count"] += 1
            except MeterAway as away:
                self._let_go(off=False)
                now_s = time.monotonic()
                if away_since_s is None:
                    away_since_s = now_s
                    self.counts["lost_count"] += 1
                self.said = f"{away} Trying again every {RETRY_S:g} s; what is missed meanwhile is a gap."
                if now_s - away_since_s > GIVE_UP_S:
                    return "lost", "The meter did not come back within an hour. What was read is kept."
                next_s = max(next_s, now_s + RETRY_S)
            except MeterError as refused:
                return "refused", str(refused)
            if self._is_at_end():
                self._flush()
                return "ended", f"Stopped at {self.row['end_v']:g} V: the end voltage."
            if self.written + len(self.t_s) >= MOST_SAMPLES:
                self._flush()
                return "done", f"Stopped at {MOST_SAMPLES:,} samples."
            if time.monotonic() - flushed_s >= FLUSH_S:
                flushed_s = time.monotonic()
                asked = self._flush()
                if asked is None:
                    return "", ""
                if asked:
                    return "done", "Stopped."
            next_s = self._wait(next_s, flushed_s)
        self._flush()
        return "", ""

    def _wait(self, next_s: float, flushed_s: float) -> float:
        """Wait until the next reading, or until something has to be told before it, and return when the next one is."""
        now_s = time.monotonic()
        if now_s >= next_s:
            # What was missed is not caught up on.
            next_s = max(next_s + self.row["interval_s"], now_s)
        self.ends.wait(max(0.0, min(next_s, flushed_s + FLUSH_S) - now_s))
        self._due_s = next_s
        return next_s

    _due_s: float = 0.0

    def _read_once(self) -> None:
        """Read the meter where a reading is due."""
        if time.monotonic() < self._due_s - 1e-3:
            return
        if self.meter is None:
            self.meter = connect_meter(read_address(self.row["address"], self.allowed), self.kind, range_a=self.row["range_a"])
            if self.kind is MeterKind.ELECTRONIC_LOAD and self.row["load_a"]:
                self.meter.draw(self.row["load_a"])
        sample = self.meter.read()
        self.said = "Reading."
        self._keep(sample)

    def _keep(self, sample: MeterSample) -> None:
        if sample.is_overload:
            self.counts["overloads_count"] += 1
            self.said = "Overload: the current is above the range, and counts as no reading."
        self.t_s.append(round(time.monotonic() + self._ahead_s, 4))
        self.current_a.append(sample.current_a)
        self.terminal_v.append(sample.terminal_v)
        end_v = self.row["end_v"]
        if end_v is not None and sample.terminal_v is not None:
            self.under_end_count = self.under_end_count + 1 if sample.terminal_v <= end_v else 0

    def _is_at_end(self) -> bool:
        if self.under_end_count < UNDER_END_COUNT:
            return False
        if self.meter is not None:
            with contextlib.suppress(MeterError):
                self.meter.draw(0.0)
        return True

    def _flush(self) -> bool | None:
        """Write what is new; return whether to stop, None where it is no longer ours. Where the database is away all is kept until it is back."""
        beat = {
            "id": self.row["id"],
            "said": self.said,
            "identity": self.meter.identity if self.meter else self.row["identity"],
            "samples_count": len(self.t_s),
            **self.counts,
            "last_a": next((a for a in reversed(self.current_a) if a is not None), None),
            "last_v": next((v for v in reversed(self.terminal_v) if v is not None), None),
        }
        chunk = {
            "organisation_id": self.row["organisation_id"],
            "recording_id": self.row["id"],
            "first_n": self.written,
            "t_s": self.t_s,
            "current_a": self.current_a,
            "terminal_v": self.terminal_v if self.kind is MeterKind.ELECTRONIC_LOAD else None,
        }
        try:
            with transaction(self.pool) as connection:
                if self.t_s:
                    append_samples(connection, chunk)
                asked = beat_recording(connection, beat)
        except psycopg.errors.UniqueViolation:
            # Another process has gone on with it.
            return None
        except DatabaseAway:
            return False
        self.written += len(self.t_s)
        self.t_s, self.current_a, self.terminal_v = [], [], []
        self.counts = dict.fromkeys(self.counts, 0)
        return asked

    def _let_go(self, *, off: bool) -> None:
        if self.meter is None:
            return
        if off and self.kind is MeterKind.ELECTRONIC_LOAD:
            with contextlib.suppress(MeterError):
                self.meter.draw(0.0)
        self.meter.close()
        self.meter = None

    def _finish(self, state: str, said: str) -> None:
        while True:
            try:
                with transaction(self.pool) as connection:
                    finish_recording(connection, self.row["id"], state, said)
                return
            except DatabaseAway:
                time.sleep(RETRY_S)
