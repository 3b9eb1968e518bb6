"""Block sizes that are sold, generic: (block volts, Ah at 20 h; primary cells: their nameplate). The user's own stock list overrides it.

12 V and 6 V valve-regulated lead, 12.8 V lithium iron phosphate, primary cells by size. For the other chemistries no sizes are listed, so
none is recommended.
"""

from ypomoni.core.chemistries.primary_sizes import PRIMARY_SIZES

_LEAD_12 = (1.2, 2.1, 2.8, 3.2, 4, 5, 7, 9, 12, 17, 24, 26, 38, 45, 55, 65, 75, 100, 120, 150, 200)
_LEAD_6 = (1.2, 4, 7, 10, 12)
_LIFEPO4 = (6, 7, 10, 12, 20, 30, 50, 100, 200)
_LEAD = tuple((12.0, float(ah)) for ah in _LEAD_12) + tuple((6.0, float(ah)) for ah in _LEAD_6)

SOLD_BLOCKS: dict[str, tuple[tuple[float, float], ...]] = {
    "lead_agm": _LEAD,
    "lead_gel": _LEAD,
    "lifepo4": tuple((12.8, float(ah)) for ah in _LIFEPO4),
    **{
        key: tuple((s.block_v, s.capacity_ah) for s in PRIMARY_SIZES if s.chemistry_key == key)
        for key in {s.chemistry_key for s in PRIMARY_SIZES}
    },
}
GREATEST_STRINGS_COUNT = 4
