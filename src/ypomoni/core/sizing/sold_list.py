"""Block sizes that are sold, generic: (block volts, Ah at 20 h; primary cells: their nameplate). The user's own stock list overrides it.

12 V and 6 V valve-regulated lead, 12.8 V lithium iron phosphate, primary cells by size. For the other chemistries no sizes are listed, so
none is recommended.
"""

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.chemistries.primary_sizes import PRIMARY_SIZES
from ypomoni.core.telling.results import SoldBank
from ypomoni.core.things.batteries import StockBlock, block_c20_ah

SOLD_BLOCKS: dict[str, tuple[tuple[float, float], ...]] = {
    **{c.key: c.sold_blocks for c in CHEMISTRIES.values() if c.sold_blocks},
    **{
        key: tuple((s.block_v, s.capacity_ah) for s in PRIMARY_SIZES if s.chemistry_key == key)
        for key in {s.chemistry_key for s in PRIMARY_SIZES}
    },
}
GREATEST_STRINGS_COUNT = 4
SERIES_TOLERANCE_RATIO = 0.01
# Chargers by what they give. [A]
SOLD_CHARGERS_A = (0.5, 0.75, 1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 8.0, 10.0, 15.0, 20.0, 30.0)


def c20_of(bank: SoldBank) -> float:
    """Return the 20-hour capacity of a bank of sold blocks. [Ah]"""
    return bank.parallel * block_c20_ah(bank.chemistry, bank.capacity_ah, bank.rate_h)


def sold_banks(chemistry_key: str, bank_v: float, stock: tuple[StockBlock, ...] = ()) -> list[SoldBank]:
    """Return every bank of sold blocks with a nominal voltage: fewest strings first, then the smallest, then the fewest blocks.

    Where one's own stock has blocks of this chemistry, only those are offered.
    """
    own = [b for b in stock if b.chemistry_key == chemistry_key]
    blocks = own or [StockBlock(chemistry_key=chemistry_key, block_v=v, capacity_ah=ah) for v, ah in SOLD_BLOCKS.get(chemistry_key, ())]
    found: list[SoldBank] = []
    for block in blocks:
        series = round(bank_v / block.block_v)
        if series < 1 or abs(series * block.block_v - bank_v) > SERIES_TOLERANCE_RATIO * bank_v:
            continue
        found += [
            SoldBank(
                chemistry=chemistry_key,
                block_v=block.block_v,
                capacity_ah=block.capacity_ah,
                rate_h=block.rate_h,
                series=series,
                parallel=parallel,
            )
            for parallel in range(1, GREATEST_STRINGS_COUNT + 1)
        ]
    return sorted(found, key=lambda b: (b.parallel, round(c20_of(b), 6), b.series))
