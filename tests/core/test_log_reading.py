"""What a logged current says: bursts of known truth are found, noise alone gives none, what is missing or tangled does not mislead."""

import numpy as np
import pytest

from ypomoni.core.measuring.log_reading import read_log

DT_S = 0.1


def made(rng, trains, *, hours=1.1, rest_a=0.065, noise=0.05, drift_a=0.0, hum_a=0.0, missing=0.0, jitter_s=0.0, grows=0.0):
    """Return a log of known bursts, each (A, s, 1/h, first s), with noise as a share of the highest."""
    t = np.arange(int(hours * 3600 / DT_S)) * DT_S
    a = np.full(t.size, rest_a) + drift_a * t / t[-1]
    for current_a, duration_s, per_hour, first_s in trains:
        at = first_s
        while at < t[-1]:
            start = at + rng.normal() * jitter_s
            a[(t >= start) & (t < start + duration_s)] += current_a - rest_a
            at += 3600 / per_hour
    height_a = max([x[0] for x in trains], default=rest_a)
    a += rng.normal(size=t.size) * noise * height_a + hum_a * np.sin(2 * np.pi * 50.03 * t)
    a *= 1 + rng.normal(size=t.size) * grows
    keep = rng.random(t.size) >= missing
    return t[keep], a[keep]


CASES = {
    "one train": ([(1.0, 8.0, 60, 3.0)], {}),
    "rare": ([(1.0, 8.0, 10, 3.0)], {}),
    "short": ([(0.26, 1.5, 200, 7.0)], {}),
    "two that overlap": ([(1.0, 8.0, 60, 3.0), (0.5, 20.0, 47, 11.0)], {}),
    "one that begins where another ends": ([(1.0, 8.0, 60, 3.0), (0.4, 3.0, 120, 11.0)], {}),
    "drift": ([(0.3, 5.0, 40, 7.0)], {"drift_a": 0.004}),
    "hum": ([(0.3, 5.0, 40, 7.0)], {"hum_a": 0.02}),
    "samples missing": ([(0.3, 5.0, 40, 7.0)], {"missing": 0.05}),
    "noise that grows with the current": ([(0.95, 7.0, 30, 7.0)], {"noise": 0.002, "grows": 0.05}),
    "irregular": ([(0.26, 2.0, 100, 7.0)], {"jitter_s": 3.0}),
}


@pytest.mark.parametrize("name", CASES)
def test_bursts_of_known_truth_are_found(name):
    """Height, length and rate within 2 %, the rest within 3 %, with 5 % of noise; nothing else is found."""
    trains, more = CASES[name]
    t, a = made(np.random.default_rng(7), trains, **more)
    found = read_log(t, a)
    assert len(found.trains) == len(trains)
    for current_a, duration_s, per_hour, _ in trains:
        near = min(found.trains, key=lambda f, c=current_a: abs(f.current_a - c))
        assert near.current_a == pytest.approx(current_a, rel=0.02)
        assert near.duration_s == pytest.approx(duration_s, rel=0.02)
        assert near.per_hour == pytest.approx(per_hour, rel=0.02)
    assert found.rest_a == pytest.approx(0.065 + 0.5 * more.get("drift_a", 0.0), rel=0.03)
    truth_a = 0.065 + 0.5 * more.get("drift_a", 0.0) + sum((c - 0.065) * d * n / 3600 for c, d, n, _ in trains)
    assert abs(found.mean_a - truth_a) <= max(found.mean_limit_a, 0.03 * truth_a)
    if name == "irregular":
        assert 2.0 < found.trains[0].jitter_s < 7.0


def test_noise_alone_gives_nothing():
    """Two hundred logs of noise, hum and a meter's steps: no burst, no step."""
    rng = np.random.default_rng(11)
    for k in range(200):
        n = int(rng.integers(100, 6000))
        a = 0.1 + rng.normal(size=n) * 0.005 + (0.004 * np.sin(np.arange(n) * rng.uniform(0.01, 3)) if k % 2 else 0.0)
        if k % 5 == 0:
            a = np.round(a, 3)
        found = read_log(np.arange(n) * DT_S, a)
        assert (found.trains, found.steps) == ((), ())


def test_a_step_is_told_from_a_burst():
    """A lamp that is switched on stays on: one step, from what to what; the burst on top of it is a burst."""
    rng = np.random.default_rng(5)
    t, a = made(rng, [(0.6, 4.0, 60, 5.0)], noise=0.02)
    a[t > 2000] += 0.2
    found = read_log(t, a)
    (step,) = found.steps
    assert (step.at_s, step.to_a - step.from_a) == (pytest.approx(2000, abs=1), pytest.approx(0.2, abs=0.02))
    assert sum(len(f.bursts) for f in found.trains) == pytest.approx(66, abs=2)


def test_a_log_that_begins_within_a_burst_is_read_from_its_rest():
    """Rest is rest, and the burst whose beginning nobody saw is left out; a log that never stops changing is refused in words."""
    t, a = made(np.random.default_rng(9), [(1.0, 8.0, 60, 0.0)], noise=0.02)
    (train,) = read_log(t[30:], a[30:]).trains
    assert (train.current_a, train.duration_s, train.per_hour) == (
        pytest.approx(1.0, rel=0.02),
        pytest.approx(8.0, rel=0.02),
        pytest.approx(60, rel=0.02),
    )
    n = np.arange(400_000)
    with pytest.raises(ValueError, match="changes more than"):
        read_log(n * DT_S, 0.062 + 0.001 * ((n * 7_919) % 13))


def test_a_gap_is_counted_and_what_it_hides_is_not_timed():
    """Ten minutes without samples: no burst is as long as the gap, and the rate stays what it was."""
    t, a = made(np.random.default_rng(3), [(1.0, 8.0, 60, 3.0)])
    keep = (t < 600) | (t > 1204)
    found = read_log(t[keep], a[keep])
    (train,) = found.trains
    assert (found.gaps_count, train.per_hour) == (1, pytest.approx(60, rel=0.02))
    assert max(b.end_s - b.start_s for b in train.bursts) < 9


def test_how_long_to_log_is_told():
    """Four times as long halves the limit; a log of even noise is known at once."""
    trains = [(1.0, 8.0, 30, 3.0)]
    short = read_log(*made(np.random.default_rng(1), trains, hours=1, jitter_s=20))
    long = read_log(*made(np.random.default_rng(1), trains, hours=8, jitter_s=20))
    assert long.mean_limit_a < short.mean_limit_a
    assert long.needed_h < long.logged_h
    even = read_log(*made(np.random.default_rng(1), []))
    assert even.needed_h < 0.01


@pytest.mark.parametrize(
    ("t", "a", "words"),
    [([0, 1], [1, 1], "at least 8"), (list(range(9)), [1] * 8 + [float("nan")], "no number"), ([0] * 9, [1] * 9, "must rise")],
)
def test_what_is_no_log_is_refused(t, a, words):
    """Too few samples, an overload, times that stand still."""
    with pytest.raises(ValueError, match=words):
        read_log(t, a)
