"""What a logged current says: rest, bursts with their height, length, rate and jitter, steps, the average and how well it is known.

Change points are where the means of two windows beside each other differ by far more than they do elsewhere (two-window test; Basseville and
Nikiforov, "Detection of Abrupt Changes", 1993, ch. 2), at several widths of window. The scatter is taken from the log itself by its median
absolute deviation, so hum and drift count as the noise they are. A rise and the fall that undoes it are a burst; bursts of one height and
length are a train.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Whole = NDArray[np.intp]

# Widths of the windows, in samples, and how many times the usual scatter of their difference is a change.
WIDTHS = (1, 2, 4, 8, 16, 32)
SIGNIFICANT = 7.5
MAD_TO_SIGMA = 1.4826
# Samples further apart than so many usual intervals have a gap between them.
GAP_RATIO = 3.0
# The level is back when it is so near where it was, as a share of the least change on the way.
BACK_RATIO = 0.25
# What does not come back within this share of the log is a step.
STEP_SHARE = 0.2
# Rest is the lowest level that it is at for so much of the time.
REST_SHARE = 0.1
# A change in a tangle is explained by known bursts that are so near it; so many kinds are tried.
EXPLAINED_RATIO = 0.15
MOST_KINDS = 5
# Bursts are of one train when heights and lengths are so close.
SAME_HEIGHT_RATIO, SAME_LENGTH_RATIO = 0.15, 0.35
# A level is off rest when it is so many times the noise away.
MOVED_NOISES = 4.0
# More changes than these are no bursts that anybody can tell apart, and take too long to look at.
MOST_CHANGES = 40_000
BLOCKS_COUNT = 20
LIMIT_OF_BLOCKS = 2.09
KNOWN_TO_RATIO = 0.05
LEAST_SAMPLES_COUNT = 8
# So many steps among high currents tell how noisy they are.
LEAST_HIGH_COUNT = 16


@dataclass(frozen=True, slots=True, kw_only=True)
class FoundBurst:
    """One burst of a log: when it began and ended, and what flowed while it lasted. [s, A]"""

    start_s: float
    end_s: float
    current_a: float


@dataclass(frozen=True, slots=True, kw_only=True)
class FoundTrain:
    """Bursts of one kind: what flows while one lasts, how long it does, how often it comes, how irregularly. [A, s, 1/h]

    ``jitter_s`` is the scatter of the time between two; ``per_hour`` None where only one came.
    """

    current_a: float
    duration_s: float
    per_hour: float | None
    jitter_s: float
    bursts: tuple[FoundBurst, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class FoundStep:
    """A change that nothing undid: when, and from what to what. [s, A]"""

    at_s: float
    from_a: float
    to_a: float


@dataclass(frozen=True, slots=True, kw_only=True)
class LogFindings:
    """What a log says. [A, h] ``needed_h``: how long to log until the average is known to 5 %; None where that cannot be told."""

    logged_h: float
    samples_count: int
    rest_a: float
    noise_a: float
    mean_a: float
    mean_limit_a: float
    needed_h: float | None
    trains: tuple[FoundTrain, ...]
    steps: tuple[FoundStep, ...]
    gaps_count: int
    # Stretches of several bursts at once that nobody could take apart.
    unexplained_count: int = 0


def read_log(t_s: Sequence[float] | Floats, current_a: Sequence[float] | Floats) -> LogFindings:
    """Return what a log says.

    Parameters
    ----------
    t_s, current_a
        When each sample was taken, rising, and what it was; shape (n,). [s, A]

    Raises
    ------
    ValueError
        If there are fewer than 8 samples, times do not rise, a value is no number, or it changes too often to be read.
    """
    t, a = np.asarray(t_s, dtype=float), np.asarray(current_a, dtype=float)
    if t.shape != a.shape or t.ndim != 1 or t.size < LEAST_SAMPLES_COUNT:
        raise ValueError(f"needs at least {LEAST_SAMPLES_COUNT} samples, each with its time.")
    if not (np.isfinite(t).all() and np.isfinite(a).all()):
        raise ValueError("holds a value that is no number: an overload is not a reading.")
    between = np.diff(t)
    if (between <= 0).any():
        raise ValueError("times must rise from sample to sample.")
    usual_s = float(np.median(between))
    is_gap = between > GAP_RATIO * usual_s
    edges = _change_points(a)
    levels, starts = _levels(a, edges)
    noise_a = _noise(a, levels, starts)
    rest_a = _rest(levels, starts, a.size, noise_a)
    reader = _Reader(t, levels, starts, is_gap, usual_s, rest_a, noise_a)
    reader.read()
    weights = np.minimum(np.append(between, usual_s), GAP_RATIO * usual_s)
    mean_a = float(np.average(a, weights=weights))
    limit_a = _mean_limit(a, weights)
    logged_h = float(weights.sum()) / 3600.0
    needed_h = None
    if mean_a > 0 and limit_a > 0:
        needed_h = logged_h * (limit_a / (KNOWN_TO_RATIO * mean_a)) ** 2
    return LogFindings(
        logged_h=logged_h,
        samples_count=int(a.size),
        rest_a=rest_a,
        noise_a=noise_a,
        mean_a=mean_a,
        mean_limit_a=limit_a,
        needed_h=needed_h,
        trains=_trains(reader.bursts),
        steps=tuple(reader.steps),
        unexplained_count=reader.unexplained_count,
        gaps_count=int(is_gap.sum()),
    )


def _change_points(a: Floats) -> Whole:
    """Return where the level changes: the index of the first sample of each new level, rising."""
    n = a.size
    sums = np.concatenate(([0.0], np.cumsum(a - a.mean())))
    quantum = _quantum(a)
    grows_ratio = _growing_noise_ratio(a)
    taken = np.zeros(n + 1, dtype=bool)
    found: list[int] = []
    for width in WIDTHS:
        if 2 * width > n:
            break
        at = np.arange(width, n - width + 1)
        difference = (sums[at + width] - 2.0 * sums[at] + sums[at - width]) / width
        middle = float(np.median(difference))
        sigma = max(MAD_TO_SIGMA * float(np.median(np.abs(difference - middle))), 0.5 * quantum, 1e-12)
        # What is noisier where more flows is held to its own noise there.
        strong = np.abs(difference - middle)
        if grows_ratio > 0:
            strong *= sigma / np.hypot(sigma, grows_ratio * np.abs(_means(a, at, width)) * math.sqrt(2.0 / width))
        for i in _peaks(strong, SIGNIFICANT * sigma, width):
            place = int(at[i])
            low, high = max(0, place - width), min(n, place + width)
            if not taken[low : high + 1].any():
                taken[place] = True
                found.append(place)
    return np.asarray(sorted(found), dtype=np.intp)


def _means(a: Floats, at: Whole, width: int) -> Floats:
    """Return the mean around each place, over a window on either side. [A]"""
    sums = np.concatenate(([0.0], np.cumsum(a)))
    return (sums[at + width] - sums[at - width]) / (2 * width)


def _growing_noise_ratio(a: Floats) -> float:
    """Return by how much the noise of the upper half of the currents exceeds that of all, as a share of what flows there; 0 where it does not."""
    lowest_a, highest_a = (float(v) for v in np.quantile(a, (0.001, 0.999)))
    is_high = a > 0.5 * (lowest_a + highest_a)
    both = is_high[1:] & is_high[:-1]
    if np.count_nonzero(both) < LEAST_HIGH_COUNT:
        return 0.0
    steps = np.abs(np.diff(a))
    high_a, usual_a = (MAD_TO_SIGMA * float(np.median(part)) / math.sqrt(2.0) for part in (steps[both], steps))
    return math.sqrt(max(0.0, high_a**2 - usual_a**2)) / max(float(np.median(a[is_high])), 1e-12)


def _peaks(strength: Floats, least: float, width: int) -> list[int]:
    """Return the strongest places above a least, each the strongest within a window on either side."""
    places = np.flatnonzero(strength > least)
    if places.size > MOST_CHANGES * width:
        raise ValueError(
            f"changes more than {MOST_CHANGES:,} times: bring in a part of it, or log faster, so that a burst is several samples long."
        )
    if places.size == 0:
        return []
    groups = np.split(places, np.flatnonzero(np.diff(places) > width) + 1)
    found: list[int] = []
    for group in groups:
        left = group
        while left.size:
            best = int(left[np.argmax(strength[left])])
            found.append(best)
            left = left[np.abs(left - best) > width]
    return found


def _quantum(a: Floats) -> float:
    """Return the least step the meter shows; 0 where it shows any."""
    steps = np.abs(np.diff(a[:20_000]))
    steps = steps[steps > 0]
    return float(steps.min()) if steps.size and np.unique(np.round(steps / steps.min())).size < 0.2 * steps.size else 0.0


def _levels(a: Floats, edges: Whole) -> tuple[Floats, Whole]:
    """Return the level between each two changes, and where each begins."""
    starts = np.concatenate(([0], edges)).astype(np.intp)
    ends = np.concatenate((edges, [a.size]))
    levels = np.asarray([_level(a[s:e]) for s, e in zip(starts, ends, strict=True)])
    return levels, starts


def _level(part: Floats) -> float:
    """Return the level of a stretch, its ends left out where it is long enough: they may lie on an edge."""
    inner = part[1:-1] if part.size >= 5 else part
    return float(np.median(inner)) if inner.size < 50 else float(np.mean(inner))


def _noise(a: Floats, levels: Floats, starts: Whole) -> float:
    left = a - np.repeat(levels, np.diff(np.append(starts, a.size)))
    return MAD_TO_SIGMA * float(np.median(np.abs(left)))


def _rest(levels: Floats, starts: Whole, n: int, noise_a: float) -> float:
    """Return the lowest level that it is at for a tenth of the time or more: what it draws when nothing happens. [A]"""
    lengths = np.diff(np.append(starts, n)).astype(float)
    order = np.argsort(levels)
    ranked, weights = levels[order], lengths[order]
    # Levels closer to each other than the noise leaves them are one.
    apart = np.diff(ranked) > max(noise_a, 0.02 * float(ranked[-1] - ranked[0]))
    cluster = np.concatenate(([0], np.cumsum(apart)))
    share = np.bincount(cluster, weights) / n
    chosen = int(np.flatnonzero(share >= REST_SHARE)[0]) if (share >= REST_SHARE).any() else int(np.argmax(share))
    return float(np.average(ranked[cluster == chosen], weights=weights[cluster == chosen]))


@dataclass(slots=True)
class _Active:
    """A burst under way while a tangle is taken apart: which kind, where it began."""

    kind: int
    index: int


class _Reader:
    """Goes along the levels: from rest and back is one burst, or a tangle of known ones; what does not come back is a step."""

    def __init__(
        self, t: Floats, levels: Floats, starts: Whole, is_gap: NDArray[np.bool_], usual_s: float, rest_a: float, noise_a: float
    ) -> None:
        self.t, self.levels, self.starts, self.is_gap, self.usual_s = t, levels, starts, is_gap, usual_s
        self.rest_a, self.noise_a = rest_a, noise_a
        self.longest_s = STEP_SHARE * float(t[-1] - t[0])
        self.bursts: list[FoundBurst] = []
        self.steps: list[FoundStep] = []
        self.tangles: list[tuple[int, int, float]] = []
        self.unexplained_count = 0

    def read(self) -> None:
        n, count = self._first(), self.levels.size
        while n < count:
            back = self._back(n)
            base_a = float(self.levels[n - 1])
            if back is None:
                self.steps.append(FoundStep(at_s=float(self.t[self.starts[n]]), from_a=base_a, to_a=float(self.levels[n])))
                n += 1
            elif back == n + 1:
                self._add(n, back, float(self.levels[n]))
                n = back + 1
            else:
                self.tangles.append((n, back, base_a))
                n = back + 1
        self._untangle()

    def _first(self) -> int:
        """Return the level to begin after: a log that begins within a burst begins where it is first at rest, since nobody saw that burst begin."""
        height_a = float(self.levels[0]) - self.rest_a
        if height_a > MOVED_NOISES * self.noise_a:
            for k in range(1, self.levels.size):
                if float(self.t[self.starts[k]]) - float(self.t[0]) > self.longest_s:
                    break
                if abs(float(self.levels[k]) - self.rest_a) <= BACK_RATIO * height_a:
                    return k + 1
        return 1

    def _back(self, n: int) -> int | None:
        """Return where the level is back where it was before a change; None where it stays away."""
        base_a, began_s = float(self.levels[n - 1]), float(self.t[self.starts[n]])
        height_a = 0.0
        for k in range(n, self.levels.size):
            if float(self.t[self.starts[k]]) - began_s > self.longest_s:
                return None
            off_a = abs(float(self.levels[k]) - base_a)
            if k > n and off_a <= BACK_RATIO * height_a:
                return k
            height_a = off_a if k == n else min(height_a, off_a)
        return None

    def _add(self, first: int, last: int, current_a: float) -> None:
        start, end = int(self.starts[first]), int(self.starts[last])
        # What began or ended in a gap is not known to the second.
        if self.is_gap[start - 1] or self.is_gap[end - 1]:
            return
        half_s = 0.5 * self.usual_s
        self.bursts.append(FoundBurst(start_s=float(self.t[start]) - half_s, end_s=float(self.t[end]) - half_s, current_a=current_a))

    def _untangle(self) -> None:
        """Take tangles apart into bursts of the kinds that were met alone."""
        rest_a = float(np.median([t[2] for t in self.tangles])) if self.tangles else 0.0
        rises = [t.current_a for t in _trains(self.bursts)[:MOST_KINDS]]
        # What begins a tangle and is of no known kind never came alone: it is one more.
        for first, _, base_a in self.tangles:
            height_a = float(self.levels[first]) - base_a
            known = [r - rest_a for r in rises]
            if len(rises) < MOST_KINDS and all(abs(height_a - k) > EXPLAINED_RATIO * abs(height_a) for k in known):
                rises.append(rest_a + height_a)
        for first, last, _ in self.tangles:
            found = self._apart(first, last, [current_a - rest_a for current_a in rises])
            if found is None:
                self.unexplained_count += 1
                continue
            for kind, begins, ends in found:
                self._add(begins, ends, rises[kind])

    def _apart(self, first: int, last: int, kinds: list[float]) -> list[tuple[int, int, int]] | None:
        active: list[_Active] = []
        found: list[tuple[int, int, int]] = []
        if not kinds:
            return None
        for n in range(first, last + 1):
            change_a = float(self.levels[n] - self.levels[n - 1])
            best = min(_explanations(kinds, [x.kind for x in active]), key=lambda e: abs(e[0] - change_a))
            if abs(best[0] - change_a) > EXPLAINED_RATIO * max(abs(change_a), min(abs(k) for k in kinds)):
                return None
            for kind in best[2]:
                over = next(x for x in active if x.kind == kind)
                active.remove(over)
                found.append((kind, over.index, n))
            active += [_Active(kind, n) for kind in best[1]]
        return None if active else found


def _explanations(kinds: list[float], active: list[int]) -> list[tuple[float, tuple[int, ...], tuple[int, ...]]]:
    """Return what one change can be: the change, the kinds that begin, the kinds that end; two at once at most."""
    begins = [((k,), kinds[k]) for k in range(len(kinds))]
    ends = [((k,), kinds[k]) for k in dict.fromkeys(active)]
    found = [(up, k, ()) for k, up in begins] + [(-down, (), k) for k, down in ends]
    found += [(up - down, k, e) for k, up in begins for e, down in ends if k != e]
    found += [(u1 + u2, (*k1, *k2), ()) for k1, u1 in begins for k2, u2 in begins if k1 < k2]
    found += [(-d1 - d2, (), (*e1, *e2)) for e1, d1 in ends for e2, d2 in ends if e1 < e2]
    return found  # type: ignore[return-value]


def _trains(bursts: list[FoundBurst]) -> tuple[FoundTrain, ...]:
    """Return bursts gathered by height and length, the most charge first."""
    groups: list[list[FoundBurst]] = []
    for burst in sorted(bursts, key=lambda b: b.start_s):
        for group in groups:
            height_a = float(np.median([b.current_a for b in group[-20:]]))
            length_s = float(np.median([b.end_s - b.start_s for b in group[-20:]]))
            same = abs(burst.current_a - height_a) <= SAME_HEIGHT_RATIO * height_a
            if same and abs(burst.end_s - burst.start_s - length_s) <= SAME_LENGTH_RATIO * length_s:
                group.append(burst)
                break
        else:
            groups.append([burst])
    found = [_train(g) for g in groups]
    return tuple(sorted(found, key=lambda f: -f.current_a * f.duration_s * len(f.bursts)))


def _train(group: list[FoundBurst]) -> FoundTrain:
    starts = np.asarray([b.start_s for b in group])
    per_hour, jitter_s = None, 0.0
    if starts.size > 1:
        between = np.diff(starts)
        usual_s = float(np.median(between))
        # One that was missed makes an interval of two.
        counts = np.maximum(1.0, np.round(between / usual_s))
        period_s = float(between.sum() / counts.sum())
        per_hour = 3600.0 / period_s
        jitter_s = float(np.std(between / counts))
    return FoundTrain(
        current_a=float(np.mean([b.current_a for b in group])),
        duration_s=float(np.mean([b.end_s - b.start_s for b in group])),
        per_hour=per_hour,
        jitter_s=jitter_s,
        bursts=tuple(group),
    )


def _mean_limit(a: Floats, weights: Floats) -> float:
    """Return how far the average of the time logged may be off that of all time, from how its parts differ; 95 %. [A]"""
    parts = [p for p in np.array_split(np.arange(a.size), BLOCKS_COUNT) if p.size]
    means = [float(np.average(a[p], weights=weights[p])) for p in parts]
    return LIMIT_OF_BLOCKS * float(np.std(means, ddof=1)) / math.sqrt(len(means)) if len(means) > 1 else 0.0
