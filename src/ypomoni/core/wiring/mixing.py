"""Whether the blocks of a bank belong together: what differs between them more than it may."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from statistics import median

from ypomoni.core.telling.wording import plain_number, say_amp_hours, say_percent, say_volts
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.protection import FittedBlock

# More than this between two blocks of a bank, and they do not belong together. [months, ratio, V, M]
MOST_MONTHS = 6
MOST_CONDITION_RATIO = 0.1
ROUNDING = 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class Mismatch:
    """Something in which two blocks of a bank differ too much: which two, in what, and what each shows, in words."""

    what: str
    one: FittedBlock
    other: FittedBlock
    one_shows: str
    other_shows: str
    # Those of the two that most of the bank is unlike; both where nobody can tell.
    odd: tuple[FittedBlock, ...]


def mismatches(bank: Bank) -> tuple[Mismatch, ...]:
    """Return in what the blocks of a bank differ more than they may, the two furthest apart of each kind."""
    return tuple(_mismatches(bank))


def _mismatches(bank: Bank) -> Iterator[Mismatch]:
    months = _apart(bank.blocks, lambda b: b.made_in_months)
    if months and months.by > MOST_MONTHS:
        yield Mismatch(
            what=f"made {plain_number(months.by)} months apart",
            one=months.low,
            other=months.high,
            odd=months.odd,
            one_shows=f"made {months.low.made}",
            other_shows=f"made {months.high.made}",
        )
    worn = _apart(bank.blocks, lambda b: b.condition_ratio)
    if worn and worn.by > MOST_CONDITION_RATIO + ROUNDING:
        yield Mismatch(
            what=f"in conditions {plain_number(100 * worn.by, 2)} points apart",
            one=worn.low,
            other=worn.high,
            odd=worn.odd,
            one_shows=say_percent(worn.low.condition_ratio or 0.0),
            other_shows=say_percent(worn.high.condition_ratio or 0.0),
        )
    sizes = _apart(bank.blocks, lambda b: bank.capacity_ah if b.capacity_ah is None else b.capacity_ah)
    if sizes and sizes.by > ROUNDING * bank.capacity_ah:
        low_ah, high_ah = sizes.low.capacity_ah or bank.capacity_ah, sizes.high.capacity_ah or bank.capacity_ah
        yield Mismatch(
            what="of different capacities",
            one=sizes.low,
            other=sizes.high,
            odd=sizes.odd,
            one_shows=say_amp_hours(low_ah, 3),
            other_shows=say_amp_hours(high_ah, 3),
        )
    most_v = most_rest_v(bank)
    rests = _apart(bank.blocks, lambda b: b.rest_v) if most_v is not None else None
    if rests and most_v is not None and rests.by > most_v + ROUNDING:
        yield Mismatch(
            what=f"{say_volts(rests.by)} apart at rest",
            one=rests.low,
            other=rests.high,
            odd=rests.odd,
            one_shows=say_volts(rests.low.rest_v or 0.0),
            other_shows=say_volts(rests.high.rest_v or 0.0),
        )


def most_rest_v(bank: Bank) -> float | None:
    """Return how far two blocks may be apart at rest before they are joined; None where their voltage tells nothing of it. [V]"""
    apart_v = bank.chemistry.rest_apart_v
    return None if apart_v is None else apart_v * bank.cells_in_series_count / bank.series


@dataclass(frozen=True, slots=True)
class _Apart:
    """The two blocks that are furthest apart in something, and by how much."""

    low: FittedBlock
    high: FittedBlock
    by: float
    odd: tuple[FittedBlock, ...]


def _apart(blocks: tuple[FittedBlock, ...], of: Callable[[FittedBlock], float | None]) -> _Apart | None:
    """Return the blocks furthest apart in something; None where it is known of fewer than two."""
    known = [(value, block) for block in blocks if (value := of(block)) is not None]
    if len(known) < 2:
        return None
    (low, first), (high, last) = min(known, key=lambda k: k[0]), max(known, key=lambda k: k[0])
    middle = median(value for value, _ in known)
    odd = (
        (first, last) if abs(high + low - 2 * middle) < ROUNDING * max(high, 1.0) else (first,) if middle - low > high - middle else (last,)
    )
    return _Apart(first, last, high - low, odd)


def say_apart(found: Mismatch) -> str:
    """Say in what two blocks differ too much."""
    return f"Blocks {found.one.key} and {found.other.key} are {found.what}: {found.one_shows} and {found.other_shows}."
