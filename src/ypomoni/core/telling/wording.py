"""Quantities in words, no more precise than the uncertainty allows."""

import math
from collections.abc import Callable, Iterable, Sequence
from typing import Protocol

# Of one step of rounding, what is taken for noise.
STEP_NOISE = 1e-3


class Named(Protocol):
    """Whatever has a name."""

    @property
    def name(self) -> str:
        """What it is called."""
        ...


def round_to(value: float, digits: int) -> float:
    """Return a value rounded to significant digits."""
    if value == 0 or not math.isfinite(value):
        return value
    return round(value, digits - 1 - math.floor(math.log10(abs(value))))


def _towards(value: float, digits: int, *, up: bool) -> float:
    """Return a value rounded down, or up, to significant digits; noise of arithmetic moves it by no step."""
    if value == 0 or not math.isfinite(value):
        return value
    places = digits - 1 - math.floor(math.log10(abs(value)))
    steps = value * 10.0**places
    return round((math.ceil(steps - STEP_NOISE) if up else math.floor(steps + STEP_NOISE)) / 10.0**places, max(0, places))


def plain_number(value: float, digits: int = 3) -> str:
    """Return a number with at most so many significant digits and no exponent."""
    rounded = round_to(value, digits)
    if rounded == int(rounded) and abs(rounded) < 1e15:
        return str(int(rounded))
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(rounded))))
    return f"{rounded:.{decimals}f}".rstrip("0").rstrip(".")


def say_amps(current_a: float, digits: int = 3) -> str:
    """Return a current: A from 1 A, mA below, µA below 1 mA."""
    size = abs(round_to(current_a, digits))
    if size >= 1 or size == 0:
        return f"{plain_number(current_a, digits)} A"
    if size >= 1e-3:
        return f"{plain_number(current_a * 1e3, digits)} mA"
    return f"{plain_number(current_a * 1e6, digits)} µA"


def say_amps_at_least(current_a: float) -> str:
    """Return a current that is needed at least: rounded up to two significant digits, so that what is said is enough."""
    return _say_amps_towards(current_a, 2, math.ceil)


def say_amps_at_most(current_a: float) -> str:
    """Return a current that must not be passed: rounded down to three significant digits."""
    return _say_amps_towards(current_a, 3, math.floor)


def _say_amps_towards(current_a: float, digits: int, towards: Callable[[float], int]) -> str:
    if current_a <= 0:
        return "0 A"
    step_a = 10.0 ** (math.floor(math.log10(current_a)) + 1 - digits)
    return say_amps(towards(round(current_a / step_a, 6)) * step_a)


def say_volts(voltage_v: float) -> str:
    """Return a voltage as it is read off a meter: to a hundredth of a volt at most."""
    return f"{plain_number(round(voltage_v, 2), 4)} V"


def say_watts(power_w: float) -> str:
    """Return a power in watts, milliwatts below one."""
    return f"{plain_number(power_w * 1000)} mW" if 0 < power_w < 1 else f"{plain_number(power_w)} W"


def say_ms(duration_ms: float) -> str:
    """Return a time in milliseconds."""
    return f"{plain_number(duration_ms)} ms"


def say_span(duration_h: float) -> str:
    """Return a short time in seconds, or in minutes from two of them on."""
    seconds = duration_h * 3600.0
    return f"{plain_number(seconds)} s" if seconds < 120.0 else f"{plain_number(seconds / 60.0)} min"


def say_amp_hours(charge_ah: float, digits: int = 2) -> str:
    """Return a charge in Ah, or mAh below 0.1 Ah."""
    if 0 < abs(charge_ah) < 0.1:
        return f"{plain_number(charge_ah * 1e3, digits)} mAh"
    return f"{plain_number(charge_ah, digits)} Ah"


def say_amp_hours_needed(charge_ah: float, digits: int = 2, *, over_ah: float | None = None) -> str:
    """Return a charge that is needed, rounded up; with as many digits as it takes to see that it is over another."""
    needed_ah = charge_ah
    for more in range(digits, digits + 3):
        needed_ah = _towards(charge_ah, more, up=True)
        if over_ah is None or charge_ah <= over_ah or needed_ah > over_ah:
            break
    return say_amp_hours(needed_ah, digits + 3)


def say_hours_up(hours_h: float, *, must_h: float | None = None) -> str:
    """Return a time that something takes, a recharge say, rounded up; see `say_hours`."""
    return say_hours(hours_h, must_h=must_h, up=True)


def say_hours(hours_h: float, *, must_h: float | None = None, up: bool = False) -> str:
    """Return a time to two significant digits, rounded down: minutes below 2 h, days from 10 days.

    ``must_h`` is a limit; rounding never takes the time across it.
    """
    for digits in (2, 3, 4):
        if must_h is None or _is_on_its_side(hours_h, digits, must_h, up=up):
            return _say_hours(hours_h, digits, up=up)
    return (
        f"just {'over' if hours_h >= must_h else 'under'} {say_required_h(must_h)}" if must_h is not None else _say_hours(hours_h, 2, up=up)
    )


def _is_on_its_side(hours_h: float, digits: int, must_h: float, *, up: bool) -> bool:
    """Return whether a time, as it would be read, is on the side of a limit on which it is."""
    # Neither as it is rounded here nor to the nearest: 23.7 h of 24 h is said as that, and not as 23 h.
    unit_h, _ = _unit_h(hours_h)
    reads_h = (_read_back(hours_h, digits, up=up), round_to(hours_h / unit_h, digits) * unit_h)
    if up:
        return all((read_h > must_h) == (hours_h > must_h) for read_h in reads_h)
    return all((read_h >= must_h) == (hours_h >= must_h) for read_h in reads_h)


def say_range(low_h: float, high_h: float, *, must_h: float | None = None) -> str:
    """Return a range of time, its unit once where both ends have the same; one time where the ends do not differ."""
    low, high = say_hours(low_h, must_h=must_h), say_hours(high_h, must_h=must_h)
    if low == high:
        return low
    number, _, unit = low.rpartition(" ")
    return f"{number} to {high}" if number and high.endswith(f" {unit}") else f"{low} to {high}"


def say_hours_over(hours_h: float, over_h: float) -> str:
    """Return a time that is longer than a limit, with as many digits as it takes to see that."""
    for digits in (2, 3, 4):
        if hours_h <= over_h or _is_on_its_side(hours_h, digits, over_h, up=True):
            return _say_hours(hours_h, digits, up=True)
    return f"just over {_say_hours(over_h, 4)}"


def _unit_h(hours_h: float) -> tuple[float, str]:
    if hours_h < 2:
        return 1 / 60, "min"
    if hours_h < 240:
        return 1.0, "h"
    return (24.0, "days") if hours_h < 24 * 730 else (24 * 365.25, "years")


def _read_back(hours_h: float, digits: int, *, up: bool) -> float:
    unit_h, _ = _unit_h(hours_h)
    return _towards(hours_h / unit_h, digits, up=up) * unit_h


def _say_hours(hours_h: float, digits: int, *, up: bool = False) -> str:
    unit_h, name = _unit_h(hours_h)
    return f"{plain_number(_towards(hours_h / unit_h, digits, up=up), digits)} {name}"


def say_required_h(hours_h: float) -> str:
    """Return a required time as it was asked for."""
    return f"{plain_number(hours_h * 60, 4)} min" if hours_h < 1 else f"{plain_number(hours_h, 4)} h"


def say_bank(series: int, parallel: int, block_v: float, capacity_ah: float, rate_h: float = 20.0) -> str:
    """Return a bank in words, `2 × 12 V 17 Ah` with how the blocks are joined."""
    block = f"{plain_number(block_v)} V {plain_number(capacity_ah, 4)} Ah" + ("" if rate_h == 20 else f" at {plain_number(rate_h)} h")
    count = series * parallel
    if count == 1:
        return block
    if parallel == 1:
        return f"{count} × {block} in series"
    return f"{count} × {block} in parallel" if series == 1 else f"{count} × {block}, {parallel} strings of {series}"


def say_times(ratio: float) -> str:
    """Return how many times one thing is another, no further than anybody counts."""
    if ratio > 1000.5:
        return "over a thousand times"
    return f"{plain_number(ratio, 2)} times"


def say_share(ratio: float) -> str:
    """Return a share in percent, or how many times it is where that says more."""
    return say_percent(ratio) if ratio <= 2 else say_times(ratio)


def say_years(years_y: float) -> str:
    """Return a number of years, rounded down to a half below ten."""
    rounded = math.floor(2 * years_y + STEP_NOISE) / 2 if years_y < 10 else math.floor(years_y + STEP_NOISE)
    if rounded < 1:
        return f"{max(1, math.floor(12 * years_y + STEP_NOISE))} months"
    return "a year" if rounded == 1 else f"{plain_number(rounded)} years"


def say_names(things: Iterable[Named], most: int = 4) -> str:
    """Return the names of some things, each once, and how many more there are."""
    names = list(dict.fromkeys(thing.name for thing in things))
    return say_list(names, most)


def say_list(words: Sequence[str], most: int = 4) -> str:
    """Return some words as a list with *and* before the last, and how many more there are."""
    if len(words) > most:
        return f"{', '.join(words[:most])} and {len(words) - most} more"
    return " and ".join([", ".join(words[:-1]), words[-1]]) if len(words) > 1 else "".join(words)


def say_percent(ratio: float) -> str:
    """Return a share in whole percent."""
    return f"{ratio * 100:.0f} %"
