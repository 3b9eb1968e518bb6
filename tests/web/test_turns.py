"""One organisation's requests leave time for those of others, and cost nobody time where nobody else asks."""

import threading
import time

import pytest

from ypomoni.web import turns as taking_turns
from ypomoni.web.turns import AT_ONCE, MOST_CREDIT_S, MOST_WAITING, Busy, Turns

HEAVY, LIGHT = 1, 2


class Clock:
    """Time that passes only where somebody waits or works."""

    def __init__(self, monkeypatch):
        self.now_s = self.worked_s = 100.0
        monkeypatch.setattr(taking_turns.time, "monotonic", lambda: self.now_s)
        monkeypatch.setattr(taking_turns.time, "thread_time", lambda: self.worked_s)

    def work(self, span_s):
        self.now_s += span_s
        self.worked_s += span_s

    def wait(self, span_s):
        self.now_s += span_s


@pytest.fixture
def clock(monkeypatch):
    return Clock(monkeypatch)


@pytest.fixture
def turns(clock, monkeypatch):
    found = Turns()
    monkeypatch.setattr(found._free, "wait", clock.wait)
    return found


def hammer(turns, clock, goes, light):
    """Let one ask for second after second, and another beside it where ``light``; returns how long that took. [s]"""
    began_s = clock.now_s
    for _ in range(goes):
        if light:
            with turns.turn(LIGHT):
                clock.work(0.01)
        with turns.turn(HEAVY):
            clock.work(1.0)
    return clock.now_s - began_s


def test_who_asks_alone_never_waits(turns, clock):
    assert hammer(turns, clock, 100, light=False) == pytest.approx(100.0)


def test_who_asks_much_beside_another_is_slowed_to_its_share(turns, clock):
    """After what it may spend at once; who asks little is not slowed."""
    assert hammer(turns, clock, int(MOST_CREDIT_S), light=True) < MOST_CREDIT_S + 1
    took_s = hammer(turns, clock, 50, light=True)
    assert took_s == pytest.approx(50 / taking_turns.SHARE, rel=0.1)
    began_s = clock.now_s
    with turns.turn(LIGHT):
        pass
    assert clock.now_s == began_s


def test_more_than_may_wait_are_sent_away_and_threads_are_left():
    """With real threads: a few run, some wait, one more is told so at once; another organisation is let in."""
    turns, over = Turns(), threading.Event()

    def ask():
        with turns.turn(HEAVY):
            over.wait(20)

    threads = [threading.Thread(target=ask) for _ in range(AT_ONCE + MOST_WAITING)]
    for thread in threads:
        thread.start()
    while turns._shares.get(HEAVY) is None or turns._shares[HEAVY].waiting < MOST_WAITING:
        time.sleep(0.01)
    with pytest.raises(Busy), turns.turn(HEAVY):
        pass
    with turns.turn(LIGHT):
        pass
    over.set()
    for thread in threads:
        thread.join(20)
    assert (turns._shares[HEAVY].running, turns._shares[HEAVY].waiting) == (0, 0)
