"""Primary cells by size, generic: nameplate with the rate it belongs to, and the greatest current a cell gives for more than seconds.

Rough [L], from what is commonly published for each size; sizes are named as in IEC 60086 where it names them. Primary cells do not scale
with size, so a bank is matched to its entry by chemistry, volts and amp-hours, and what is far from every entry is told so.
"""

from dataclasses import dataclass

NEAR_RATIO = 0.25


@dataclass(frozen=True, slots=True, kw_only=True)
class PrimarySize:
    """One size: nominal volts, nameplate amp-hours and the hours they belong to, greatest current for minutes and longer."""

    chemistry_key: str
    name: str
    block_v: float
    capacity_ah: float
    rate_h: float
    greatest_current_a: float


def _size(key: str, name: str, block_v: float, capacity_ah: float, rate_h: float, greatest_current_a: float) -> PrimarySize:
    return PrimarySize(
        chemistry_key=key, name=name, block_v=block_v, capacity_ah=capacity_ah, rate_h=rate_h, greatest_current_a=greatest_current_a
    )


PRIMARY_SIZES: tuple[PrimarySize, ...] = (
    _size("alkaline", "LR03 (AAA)", 1.5, 1.2, 200, 0.5),
    _size("alkaline", "LR6 (AA)", 1.5, 2.7, 200, 1.0),
    _size("alkaline", "LR14 (C)", 1.5, 7.8, 200, 2.0),
    _size("alkaline", "LR20 (D)", 1.5, 16.0, 200, 3.0),
    _size("alkaline", "6LR61 (9 V block)", 9.0, 0.55, 200, 0.3),
    _size("li_mno2", "CR17345 (2/3 A)", 3.0, 1.5, 200, 1.5),
    _size("li_mno2", "CR2450 (coin)", 3.0, 0.6, 1000, 0.01),
    _size("li_fes2", "FR10G445 (AAA)", 1.5, 1.2, 200, 1.5),
    _size("li_fes2", "FR14505 (AA)", 1.5, 3.2, 200, 2.0),
    _size("li_socl2", "1/2 AA", 3.6, 1.2, 1000, 0.05),
    _size("li_socl2", "AA", 3.6, 2.4, 1000, 0.1),
    _size("li_socl2", "C", 3.6, 8.5, 1000, 0.15),
    _size("li_socl2", "D", 3.6, 19.0, 1000, 0.23),
)


def size_of(chemistry_key: str, block_v: float, capacity_ah: float) -> PrimarySize | None:
    """Return the entry a block is, per cell where it is a pack of them: the nearest within a quarter of its amp-hours; None without one."""
    near = [
        s
        for s in PRIMARY_SIZES
        if s.chemistry_key == chemistry_key
        and abs(round(block_v / s.block_v) * s.block_v - block_v) < 0.06 * block_v
        and abs(s.capacity_ah - capacity_ah) <= NEAR_RATIO * s.capacity_ah
    ]
    return min(near, key=lambda s: abs(s.capacity_ah - capacity_ah), default=None)
