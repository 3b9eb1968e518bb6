"""How to put the meter in: in series after bridging, a clamp, a bench supply or a power meter; which jack and range; step by step.

A milliamp range drops 0.1 to 0.6 V at full scale and has a small fuse; a clamp is no use below about half an ampere (its offset is 10 to 50 mA).
"""

from dataclasses import dataclass

from ypomoni.core.telling.wording import plain_number, say_amps
from ypomoni.core.things.readings import Hookup, Instrument, MeasuringPoint, PointKind, Range

CLAMP_FROM_A = 0.5
HEADROOM_RATIO = 1.5
NOTICEABLE_BURDEN_V = 0.2
# A reading takes about a minute, where the jack allows it.
USUAL_S = 60.0
READ_A_MINUTE = "Read for a minute: the mean, and the least and greatest you see."


@dataclass(frozen=True, slots=True, kw_only=True)
class HookupAdvice:
    """How to hook up, on which jack and range, for how long to read, and what to mind."""

    hookup: Hookup
    jack: str
    reading: str
    cautions: tuple[str, ...]


def advise_hookup(point: MeasuringPoint, instrument: Instrument, *, expected_a: float, peak_a: float, transmits: bool) -> HookupAdvice:
    """Return how to read a point with an instrument.

    Parameters
    ----------
    expected_a, peak_a
        What is expected there, and the greatest that can coincide. [A]
    transmits
        Whether something behind the point sends in bursts: then the amp jack, since a milliamp range would starve it.
    """
    hookup = instrument.hookup if instrument.hookup in (Hookup.CLAMP, Hookup.POWER_METER) else Hookup.SERIES
    if hookup is Hookup.CLAMP:
        return _clamp(instrument, expected_a, peak_a)
    if hookup is Hookup.POWER_METER:
        return HookupAdvice(
            hookup=hookup, jack="", reading=_read_for(None), cautions=("It shows the mains side, so it never counts as load by itself.",)
        )
    return _series(point, instrument, expected_a, peak_a, transmits=transmits)


def _clamp(instrument: Instrument, expected_a: float, peak_a: float) -> HookupAdvice:
    cautions = ["Zero it away from the conductor first, and clamp one conductor only."]
    if expected_a < CLAMP_FROM_A:
        cautions.append(f"{say_amps(expected_a)} is little for a clamp. Below about {say_amps(CLAMP_FROM_A)} go in series.")
    cautions += _beyond(instrument, max(expected_a, peak_a))
    return HookupAdvice(hookup=Hookup.CLAMP, jack="its highest range first", reading=_read_for(None), cautions=tuple(cautions))


def _series(point: MeasuringPoint, instrument: Instrument, expected_a: float, peak_a: float, *, transmits: bool) -> HookupAdvice:
    greatest_a = max(expected_a, peak_a)
    chosen = _range(instrument, greatest_a, transmits=transmits)
    highest = instrument.ranges[-1] if instrument.ranges else None
    cautions = _beyond(instrument, greatest_a)
    if highest is None:
        jack = "the amp jack, highest range first"
    elif chosen is None:
        jack = "another meter, or a clamp"
    elif chosen is highest:
        jack = f"jack {highest.jack}, range {say_amps(highest.limit_a)}"
    else:
        jack = (
            f"jack {highest.jack}, range {say_amps(highest.limit_a)} first; go to jack {chosen.jack}, range {say_amps(chosen.limit_a)}, "
            "only once that showed little enough"
        )
    if chosen is not None:
        burden_v = (chosen.burden_v or 0.0) * greatest_a / chosen.limit_a
        if burden_v > NOTICEABLE_BURDEN_V:
            cautions.append(f"The meter itself drops about {plain_number(burden_v, 2)} V there. A small device may draw differently.")
        if chosen.fuse_a is not None:
            cautions.append(
                f"Fuse {say_amps(chosen.fuse_a)}: never across the battery. Bridge first, since a blown fuse with the mains off drops the site."
            )
    if point.kind is PointKind.DEVICE and not transmits:
        cautions.append("A single device can also be fed from a bench supply set to the battery's volts, current limit first.")
    return HookupAdvice(hookup=Hookup.SERIES, jack=jack, reading=_read_for(chosen.longest_s if chosen else None), cautions=tuple(cautions))


def _beyond(instrument: Instrument, greatest_a: float) -> list[str]:
    """Return that an instrument has no range for a current, where it has none."""
    if not instrument.ranges or greatest_a <= instrument.ranges[-1].limit_a:
        return []
    return [f"Up to {say_amps(greatest_a)} may flow. {instrument.name} has no range for that, so use another."]


def _range(instrument: Instrument, greatest_a: float, *, transmits: bool) -> Range | None:
    """Return the smallest range that holds a current with room to spare, or without where none has; for what transmits, on the highest jack."""
    for needed_a in (greatest_a * HEADROOM_RATIO, greatest_a):
        fitting = [r for r in instrument.ranges if r.limit_a >= needed_a]
        if fitting:
            on_highest = [r for r in fitting if r.jack == instrument.ranges[-1].jack]
            return (on_highest or fitting)[0] if transmits else fitting[0]
    return None


def _read_for(longest_s: float | None) -> str:
    if longest_s is not None and longest_s < USUAL_S:
        return f"Read for {plain_number(longest_s)} s at most, then take the meter out: that jack carries no more. Note the mean, the least and the greatest."
    return READ_A_MINUTE


# -- step by step ----------------------------------------------------------------------------------------------------------------------


def steps_of(hookup: Hookup, kind: PointKind, *, has_locks: bool) -> tuple[str, ...]:
    """Return the steps of a reading, in order; ``READ`` stands where the meter is read.

    What is done is told by kind: a clamp opens nothing, a power meter is plugged in, and only a meter in series has leads to put back.
    """
    doors = ("An alarm test may open or lock doors: see that nobody is shut in and nothing is left open.",) if has_locks else ()
    off = ("Its door may open or stay shut while the lock is disconnected: see who could walk in or be shut in.",) if has_locks else ()
    battery = (
        "Mains is isolated by a competent person. A battery's short-circuit current burns: eye protection on, rings and watch off. Touch no block that is swollen, hot or leaking.",
    )
    first = (*doors, *(battery if kind is PointKind.BATTERY else ()))
    if hookup is Hookup.SERIES:
        return (
            *first,
            "Bridge with a fused jumper before you open the conductor, so that nothing restarts, and nothing goes dark if the meter's fuse blows. Never across the battery.",
            "Open it, put the meter in its place on the highest range, take the bridge off.",
            READ,
            "Bridge again, take the meter out, close the conductor, take the bridge off. Confirm the volts. Put the lead back to the volt jack.",
            RESTORED,
        )
    if hookup is Hookup.CLAMP:
        return (*first, "Zero the clamp, then close it round one conductor. Nothing is opened.", READ, "Take the clamp off.", RESTORED)
    if hookup is Hookup.BENCH:
        return (
            *off,
            "Disconnect the one device. Feed it from a bench supply at the battery's volts: current limit set first, polarity checked.",
            READ,
            "Switch the bench supply off, connect the device again, confirm that it works.",
            RESTORED,
        )
    return (
        *off,
        "Plug the power meter between socket and plug. Mains is inside it: whole plugs and dry hands only.",
        READ,
        "Plug the device in as it was, and confirm that it works.",
        RESTORED,
    )


READ = "READ"
RESTORED = "Tell the centre that it is on line again."
