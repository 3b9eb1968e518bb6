"""What a common meter shows, and how far it may be off: ±(1 % + 3 digits) of 4,000 counts, 95 %, common practice [M]."""

import math

METER_SHARE_RATIO = 0.01
METER_DIGITS = 3
METER_COUNTS = 4000
LEAST_METERED_A = 1e-12


def meter_limit_a(current_a: float) -> float:
    """Return ±(1 % + 3 digits) of a meter of 4,000 counts on the smallest range that shows the reading. [A]"""
    if current_a < LEAST_METERED_A:
        return METER_SHARE_RATIO * max(0.0, current_a)
    return METER_SHARE_RATIO * current_a + METER_DIGITS * display_range_a(current_a) / METER_COUNTS


def display_range_a(current_a: float) -> float:
    """Return the smallest range of 4, 40, 400 … that shows a current. [A]"""
    if current_a < LEAST_METERED_A:
        return 0.0
    return METER_COUNTS / 1000 * 10.0 ** math.ceil(math.log10(current_a / (METER_COUNTS / 1000)))
