"""How to put the meter in: in series after bridging, a clamp, or a bench supply; which jack and range. Called by the page that takes a reading.

A milliamp range drops 0.1 to 0.6 V at full scale and has a small fuse; a clamp is no use below about half an ampere (its offset is 10 to 50 mA).
"""

from dataclasses import dataclass

from ypomoni.core.readings import Hookup, Instrument, MeasuringPoint, PointKind, Range
from ypomoni.core.wording import plain_number, say_amps

CLAMP_FROM_A = 0.5
HEADROOM_RATIO = 1.5
NOTICEABLE_BURDEN_V = 0.2


@dataclass(frozen=True, slots=True, kw_only=True)
class Advice:
    """How to hook up, on which jack and range, and what to mind."""

    hookup: Hookup
    jack: str
    cautions: tuple[str, ...]


def advise_hookup(point: MeasuringPoint, instrument: Instrument, *, expected_a: float, peak_a: float, transmits: bool) -> Advice:
    """Return how to read a point with an instrument.

    Parameters
    ----------
    expected_a, peak_a
        What is expected there, and the greatest that can coincide. [A]
    transmits
        Whether something behind the point sends in bursts: then the amp jack, since a milliamp range would starve it.
    """
    hookup = instrument.hookup if instrument.hookup is Hookup.CLAMP else Hookup.SERIES
    cautions: list[str] = []
    if hookup is Hookup.CLAMP:
        cautions.append("Zero it away from the conductor first, and clamp one conductor only.")
        if expected_a < CLAMP_FROM_A:
            cautions.append(f"{say_amps(expected_a)} is little for a clamp: below about {say_amps(CLAMP_FROM_A)} go in series.")
    needed_a = max(expected_a, peak_a) * HEADROOM_RATIO
    chosen = _range(instrument, needed_a, transmits=transmits)
    if chosen is None:
        jack = "the amp jack, highest range first" if hookup is Hookup.SERIES else "its highest range first"
        if instrument.ranges and needed_a > instrument.ranges[-1].limit_a:
            cautions.append(f"Up to {say_amps(max(expected_a, peak_a))} may flow: {instrument.name} has no range for that. Use another.")
    else:
        jack = f"jack {chosen.jack}, range {say_amps(chosen.limit_a)}"
        burden_v = (chosen.burden_v or 0.0) * max(expected_a, peak_a) / chosen.limit_a
        if burden_v > NOTICEABLE_BURDEN_V:
            cautions.append(f"The meter itself drops about {plain_number(burden_v, 2)} V there: a small device may draw differently.")
        if chosen.longest_s is not None:
            cautions.append(f"That jack carries its full current for {plain_number(chosen.longest_s)} s at most.")
        if chosen.fuse_a is not None:
            cautions.append(f"Fuse {say_amps(chosen.fuse_a)}: start on the highest range, never across the battery.")
    if point.kind is PointKind.DEVICE and hookup is Hookup.SERIES and not transmits:
        cautions.append("A single device can also be fed from a bench supply set to the battery's volts, current limit first.")
    return Advice(hookup=hookup, jack=jack, cautions=tuple(cautions))


def _range(instrument: Instrument, needed_a: float, *, transmits: bool) -> Range | None:
    """Return the smallest range that holds it; for what transmits, one on the jack of the highest range."""
    fitting = [r for r in instrument.ranges if r.limit_a >= needed_a]
    if transmits and fitting:
        fitting = [r for r in fitting if r.jack == instrument.ranges[-1].jack] or fitting
    return fitting[0] if fitting else None
