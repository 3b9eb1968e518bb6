"""A lot of blocks on the bench: each against the best of the lot and against its kind, and strings matched from those that are good.

Limits are common practice for blocks that were charged and rested; they are rough, and can be changed for a lot.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.errors import OutsideTableError
from ypomoni.core.outage.law import relax, terminal
from ypomoni.core.telling.wording import plain_number, say_percent, say_volts
from ypomoni.core.things.batteries import REPLACE_BELOW_RATIO, Bank, block_c20_ah, build_pack, cells_of_block
from ypomoni.core.units import DAYS_PER_YEAR

RESTED_H = 12.0
# Volts at rest of a lead block, on a scale of six cells: full, fit for use, recharge and repeat, doubtful; below that it is rejected. [V, M]
LEAD_FULL_V, LEAD_FIT_V, LEAD_AGAIN_V, LEAD_DOUBTFUL_V = 12.8, 12.6, 12.4, 12.0
GEL_LESS_V = 0.06
# Of a lithium-ion cell that was charged to 4.20 V and has rested. [V a cell, L]
LI_ION_FIT_V, LI_ION_AGAIN_V, LI_ION_DOUBTFUL_V = 4.10, 4.00, 3.74
# Below this head a lithium iron phosphate or nickel cell has lost what was charged into it. [ratio]
LOST_HEAD_RATIO = 0.1
# A volt at rest so much above a full block's has not settled, or was misread.
ABOVE_FULL_RATIO = 1.02
# Two readings of a voltmeter differ by so much without meaning anything. [V]
METER_V = 0.02
# A block that sags so much more than a new one of its kind is as far as at its end of life. [L]
KIND_SAG_RATIO = 1.5
KIND_SAG_REJECT_RATIO = 2.0
# The capacity of lead rises by so much a degree; it is held to 25 °C, as a discharge test's is (IEEE 1188). [1/°C]
CAPACITY_PER_DEGC_RATIO, CAPACITY_DEGC = 0.006, 25.0
# A new block comes to its capacity in its first cycles only.
FIRST_CYCLE_LEAST_RATIO = 0.90
DAYS_PER_MONTH = DAYS_PER_YEAR / 12
# What may stand in one string. [months, ratio, V]
MATCH_MONTHS = 6.0
MATCH_CAPACITY_RATIO = 0.10
MATCH_SAG_RATIO = 0.10
MOST_EXACT_COUNT = 14


class BlockWord(StrEnum):
    """The verdict of a block, from the best to the worst; ``untold`` where what was measured cannot tell."""

    GOOD = "good"
    UNTOLD = "untold"
    AGAIN = "again"
    DOUBTFUL = "doubtful"
    REJECT = "reject"


@dataclass(frozen=True, slots=True, kw_only=True)
class LotLimits:
    """Where a block is doubtful and where it is rejected: its sag, and its resistance, above the best of the lot. [ratio]"""

    sag_doubtful_ratio: float = 0.10
    sag_reject_ratio: float = 0.20
    resistance_doubtful_ratio: float = 0.30
    resistance_reject_ratio: float = 0.50


@dataclass(frozen=True, slots=True, kw_only=True)
class LotBlock:
    """What was read of one block. [V, Ω, Ah] What is None was not read. ``made`` is the first of the month it was made in."""

    label: str
    rest_v: float | None = None
    load_v: float | None = None
    resistance_ohm: float | None = None
    capacity_ah: float | None = None
    made: date | None = None
    is_new: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Lot:
    """Blocks of one kind on the bench, and how they were treated. [V, Ah, h, °C, A, s]"""

    chemistry_key: str
    block_v: float
    capacity_ah: float
    rate_h: float = 20.0
    is_charged: bool = False
    rested_h: float | None = None
    temperature_degc: float = 20.0
    load_a: float | None = None
    load_s: float | None = None
    tested_on: date | None = None
    limits: LotLimits = field(default_factory=LotLimits)
    blocks: tuple[LotBlock, ...] = ()

    @property
    def cells_count(self) -> int:
        """Cells in one block."""
        return cells_of_block(self.chemistry_key, self.block_v)

    @property
    def is_settled(self) -> bool:
        """Whether volts at rest say anything: charged, and rested long enough."""
        return self.is_charged and self.rested_h is not None and self.rested_h >= RESTED_H


@dataclass(frozen=True, slots=True, kw_only=True)
class BlockVerdict:
    """The verdict of a block with its reasons, the one that decides first."""

    label: str
    word: BlockWord
    reasons: tuple[str, ...]
    sag_v: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Matching:
    """Strings of equal blocks, by label, and the rest by name with why each is left out."""

    strings: tuple[tuple[str, ...], ...]
    rest: tuple[tuple[str, str], ...]


Told = tuple[BlockWord, str]
_WORST_FIRST = (BlockWord.REJECT, BlockWord.DOUBTFUL, BlockWord.AGAIN, BlockWord.UNTOLD, BlockWord.GOOD)


def judge_lot(lot: Lot) -> tuple[BlockVerdict, ...]:
    """Return the verdict of each block of a lot, in its order.

    Volts at rest alone never make a block good: a tired one rests as high as a new one.
    """
    rejected = {b.label for b in lot.blocks if (told := _at_rest(lot, b)) is not None and told[0] is BlockWord.REJECT}
    # The best is sought among blocks that are not out already: one with a dead cell may sag little because it is far from full.
    sags = {b.label: sag for b in lot.blocks if (sag := _sag_v(lot, b)) is not None}
    best_sag_v = min((s for label, s in sags.items() if label not in rejected), default=None)
    resistances = [b.resistance_ohm for b in lot.blocks if b.resistance_ohm is not None and b.label not in rejected]
    best_ohm = min(resistances, default=None)
    kind_sag_v = expected_sag_v(lot)
    return tuple(_verdict(lot, b, best_sag_v, best_ohm, kind_sag_v) for b in lot.blocks)


def expected_sag_v(lot: Lot) -> float | None:
    """Return what a new, full block of its kind sags by under the load of the test; None where no load, or no such temperature, is known. [V]"""
    if lot.load_a is None or lot.load_s is None:
        return None
    bank = Bank(chemistry_key=lot.chemistry_key, block_v=lot.block_v, capacity_ah=lot.capacity_ah, rate_h=lot.rate_h)
    try:
        pack = build_pack(bank, condition_ratio=1.0, temperature_degc=lot.temperature_degc)
    except OutsideTableError:
        return None
    dt_h = lot.load_s / 3600.0
    u_ah, d_ah = relax(pack, 0.0, 0.0, lot.load_a, dt_h)
    _, loaded_v = terminal(pack, u_ah, d_ah, lot.load_a, 0.0, 0.0)
    sag_v = pack.full_v - loaded_v
    return sag_v if sag_v > 0 else None


def _sag_v(lot: Lot, block: LotBlock) -> float | None:
    """Return what a block sags by; None where the volts at rest it begins from are none of a block at rest."""
    if block.rest_v is None or block.load_v is None or _is_above_full(lot, block.rest_v):
        return None
    return block.rest_v - block.load_v


def _is_above_full(lot: Lot, rest_v: float) -> bool:
    return rest_v > ABOVE_FULL_RATIO * lot.cells_count * CHEMISTRIES[lot.chemistry_key].ocv_rows[-1][1]


def _verdict(lot: Lot, block: LotBlock, best_sag_v: float | None, best_ohm: float | None, kind_sag_v: float | None) -> BlockVerdict:
    told = [
        t
        for t in (
            # What tells most comes first.
            _capacity(lot, block),
            _under_load(lot, block, best_sag_v, kind_sag_v),
            _resistance(lot, block, best_ohm),
            _at_rest(lot, block),
            _age(lot, block),
        )
        if t is not None
    ]
    tested = (
        block.resistance_ohm is not None or block.capacity_ah is not None or (_sag_v(lot, block) is not None and best_sag_v is not None)
    )
    worst = next((w for w in _WORST_FIRST if any(t[0] is w for t in told)), BlockWord.UNTOLD)
    if worst in (BlockWord.GOOD, BlockWord.UNTOLD) and not tested:
        told.insert(
            0, (BlockWord.UNTOLD, "Volts at rest alone do not tell what is left: a tired block can rest as high as a new one. Load it.")
        )
        worst = BlockWord.UNTOLD
    elif worst is BlockWord.UNTOLD and any(t[0] is BlockWord.GOOD for t in told):
        # Something else than what could not be told says that it is good.
        worst = BlockWord.GOOD
    ordered = sorted(told, key=lambda t: t[0] is not worst)
    return BlockVerdict(label=block.label, word=worst, reasons=tuple(words for _, words in ordered), sag_v=_sag_v(lot, block))


def _at_rest(lot: Lot, block: LotBlock) -> Told | None:
    """Judge volts at rest by chemistry; None where nothing can be said by them."""
    if block.rest_v is None:
        return None
    read = f"{say_volts(block.rest_v)} at rest"
    if _is_above_full(lot, block.rest_v):
        return BlockWord.UNTOLD, f"{read} is more than a full one of its kind shows: it has not settled, or look at the reading."
    chemistry, cell_v = CHEMISTRIES[lot.chemistry_key], block.rest_v / lot.cells_count
    if chemistry.is_lead:
        return _lead_at_rest(lot, 6 * cell_v + (GEL_LESS_V if lot.chemistry_key == "lead_gel" else 0.0), read)
    if not lot.is_settled:
        return BlockWord.UNTOLD, _unsettled(lot, read)
    if lot.chemistry_key == "li_ion":
        if cell_v >= LI_ION_FIT_V:
            return BlockWord.GOOD, f"{read}: it kept its charge."
        if cell_v >= LI_ION_AGAIN_V:
            return BlockWord.AGAIN, f"{read} is little after a full charge: charge it again, and look again after a rest."
        if cell_v >= LI_ION_DOUBTFUL_V:
            return BlockWord.DOUBTFUL, f"{read}: it loses its charge by itself."
        return BlockWord.REJECT, f"{read} after a full charge: half of it is gone."
    if cell_v < chemistry.ocv_rows[0][1] + LOST_HEAD_RATIO * (chemistry.ocv_rows[-1][1] - chemistry.ocv_rows[0][1]):
        return BlockWord.REJECT, f"{read} after a full charge: nearly all of it is gone."
    return BlockWord.UNTOLD, f"{read}: of this chemistry volts at rest tell nearly nothing."


def _lead_at_rest(lot: Lot, on_12_v: float, read: str) -> Told:
    # A dead cell shows whether it rested or not.
    if on_12_v < LEAD_DOUBTFUL_V and lot.is_charged:
        return BlockWord.REJECT, f"{read} after a charge is too little for any block that is whole: a cell may be dead."
    if not lot.is_settled:
        return BlockWord.UNTOLD, _unsettled(lot, read)
    if on_12_v >= LEAD_FULL_V:
        return BlockWord.GOOD, f"{read}: full."
    if on_12_v >= LEAD_FIT_V:
        return BlockWord.GOOD, f"{read}: fit for use."
    if on_12_v >= LEAD_AGAIN_V:
        return BlockWord.AGAIN, f"{read}: charge it again, let it rest, and repeat."
    return BlockWord.DOUBTFUL, f"{read} after a full charge and a rest is little."


def _unsettled(lot: Lot, read: str) -> str:
    if not lot.is_charged:
        return f"{read} of a block that was not charged first: that only says how full it is."
    return f"{read}: the volts of the charge are still on it. They tell after {RESTED_H:g} h of rest."


def _under_load(lot: Lot, block: LotBlock, best_sag_v: float | None, kind_sag_v: float | None) -> Told | None:
    sag_v = _sag_v(lot, block)
    if sag_v is None:
        return None
    if lot.load_a is None or lot.load_s is None:
        return BlockWord.UNTOLD, "Say with how many amperes and for how many seconds the lot was loaded: only equal loads can be compared."
    if sag_v <= 0:
        return BlockWord.UNTOLD, f"It shows {say_volts(block.load_v or 0.0)} under load, no less than at rest: look at the readings."
    limits, read = lot.limits, f"It sags by {plain_number(sag_v, 2)} V under {plain_number(lot.load_a)} A"
    # Two blocks a hundredth of a volt apart are twice as far apart in percent as a meter can tell.
    if best_sag_v is not None and best_sag_v > 0 and sag_v - best_sag_v >= METER_V - 1e-9:
        worse = sag_v / best_sag_v - 1.0
        against = f"{read}, {say_percent(worse)} more than the best of the lot."
        if worse > limits.sag_reject_ratio + 1e-9:
            return BlockWord.REJECT, against
        if worse > limits.sag_doubtful_ratio + 1e-9:
            return BlockWord.DOUBTFUL, against
    if kind_sag_v is not None and sag_v > KIND_SAG_RATIO * kind_sag_v and sag_v - kind_sag_v >= METER_V:
        word = BlockWord.REJECT if sag_v > KIND_SAG_REJECT_RATIO * kind_sag_v else BlockWord.DOUBTFUL
        return word, f"{read}. A new one of its kind sags by about {plain_number(kind_sag_v, 2)} V: it may be near its end."
    return BlockWord.GOOD, f"{read}, as the best of the lot do."


def kind_ohm(lot: Lot) -> float:
    """Return what a new block of a lot's kind shows at 1 kHz, about; rough where makes differ. [Ω, L]"""
    chemistry = CHEMISTRIES[lot.chemistry_key]
    c20_ah = block_c20_ah(lot.chemistry_key, lot.capacity_ah, lot.rate_h)
    return lot.cells_count * chemistry.resistance_ohm_ah / c20_ah / chemistry.dc_over_1khz_ratio


def _resistance(lot: Lot, block: LotBlock, best_ohm: float | None) -> Told | None:
    if block.resistance_ohm is None or best_ohm is None:
        return None
    worse, limits = block.resistance_ohm / best_ohm - 1.0, lot.limits
    read = f"Its resistance is {plain_number(1e3 * block.resistance_ohm)} mΩ"
    # A lot of worn blocks has no good one to be held against: what is usual of a new one counts as well.
    new_ohm = kind_ohm(lot)
    over_new = block.resistance_ohm / new_ohm - 1.0
    if over_new > max(worse, limits.resistance_doubtful_ratio) + 1e-9:
        word = BlockWord.REJECT if over_new > limits.resistance_reject_ratio + 1e-9 else BlockWord.DOUBTFUL
        return word, f"{read}, {say_percent(over_new)} above the {plain_number(1e3 * new_ohm, 2)} mΩ of a new one of its kind."
    if worse > limits.resistance_reject_ratio + 1e-9:
        return BlockWord.REJECT, f"{read}, {say_percent(worse)} above the best of the lot."
    if worse > limits.resistance_doubtful_ratio + 1e-9:
        return BlockWord.DOUBTFUL, f"{read}, {say_percent(worse)} above the best of the lot."
    return BlockWord.GOOD, f"{read}, as the best of the lot have."


def _capacity(lot: Lot, block: LotBlock) -> Told | None:
    if block.capacity_ah is None:
        return None
    ratio = block.capacity_ah / lot.capacity_ah
    at = ""
    if CHEMISTRIES[lot.chemistry_key].is_lead:
        ratio /= 1.0 + CAPACITY_PER_DEGC_RATIO * (lot.temperature_degc - CAPACITY_DEGC)
        at = f" at {CAPACITY_DEGC:g} °C"
    read = f"It gave {plain_number(block.capacity_ah)} Ah, {say_percent(ratio)} of its label{at}"
    if block.is_new and ratio < 1.0:
        if ratio >= FIRST_CYCLE_LEAST_RATIO:
            return BlockWord.GOOD, f"{read}. That is usual of a new block in its first cycle: the next ones bring the rest."
        if ratio >= REPLACE_BELOW_RATIO:
            return BlockWord.AGAIN, f"{read} in its first cycle: cycle it once more, and repeat."
    if ratio < REPLACE_BELOW_RATIO - 1e-9:
        return BlockWord.REJECT, f"{read}: under {say_percent(REPLACE_BELOW_RATIO)} it is replaced."
    return BlockWord.GOOD, f"{read}."


def _age(lot: Lot, block: LotBlock) -> Told | None:
    if block.made is None or lot.tested_on is None:
        return None
    age_y = (lot.tested_on - block.made).days / DAYS_PER_YEAR
    life_y = CHEMISTRIES[lot.chemistry_key].life_y
    if age_y <= life_y:
        return None
    return BlockWord.DOUBTFUL, f"It is {plain_number(age_y, 2)} years old. Its kind is planned for {plain_number(life_y)}."


# -- strings ---------------------------------------------------------------------------------------------------------------------------


def match_strings(lot: Lot, series: int) -> Matching:
    """Return as many strings of equal good blocks as the lot gives, and the rest with its reasons.

    Blocks go together whose volts at rest, sag, capacity and month of make lie within the limits of one string. Up to 14 good blocks the
    number of strings is the greatest there is; of more, groups are taken in the order of their sag.

    Parameters
    ----------
    series
        Blocks in one string, at least 1.
    """
    words = {v.label: v for v in judge_lot(lot)}
    good = [b for b in lot.blocks if words[b.label].word is BlockWord.GOOD]
    good.sort(key=lambda b: (_sag_v(lot, b) or 0.0, b.rest_v or 0.0, b.label))
    strings = _most_strings(lot, good, series) if len(good) <= MOST_EXACT_COUNT else _by_order(lot, good, series)
    taken = {label for string in strings for label in string}
    rest: list[tuple[str, str]] = []
    for block in lot.blocks:
        if block.label in taken:
            continue
        verdict = words[block.label]
        if verdict.word is BlockWord.GOOD:
            rest.append((block.label, _why_left(lot, block, good, series)))
        else:
            rest.append((block.label, verdict.reasons[0]))
    return Matching(strings=strings, rest=tuple(rest))


def go_together(lot: Lot, blocks: Sequence[LotBlock]) -> str | None:
    """Return why blocks must not stand in one string, or None where they may. What only some of them were measured for cannot be compared."""
    chemistry = CHEMISTRIES[lot.chemistry_key]
    volts = [b.rest_v for b in blocks]
    apart_v = None if chemistry.rest_apart_v is None else chemistry.rest_apart_v * lot.cells_count
    if apart_v is not None and lot.is_settled and (why := _spread(volts, apart_v, "volts at rest")):
        return why
    capacities = [None if b.capacity_ah is None else b.capacity_ah / lot.capacity_ah for b in blocks]
    if why := _spread(capacities, MATCH_CAPACITY_RATIO, "capacity"):
        return why
    sags = [_sag_v(lot, b) for b in blocks]
    known = [s for s in sags if s is not None]
    if why := _spread(sags, max(METER_V, MATCH_SAG_RATIO * min(known, default=0.0)), "sag under load"):
        return why
    months = [None if b.made is None else b.made.toordinal() / DAYS_PER_MONTH for b in blocks]
    # Half a month of slack: months are of different lengths.
    return _spread(months, MATCH_MONTHS + 0.5, "month of make")


def _spread(values: Sequence[float | None], most: float, what: str) -> str | None:
    known = [v for v in values if v is not None]
    if known and len(known) < len(values):
        return f"{what} known of some only"
    return f"{what} too far apart" if known and max(known) - min(known) > most + 1e-9 else None


def _most_strings(lot: Lot, good: list[LotBlock], series: int) -> tuple[tuple[str, ...], ...]:
    """Return the greatest number of strings: each block begins one with such as go together with it, or is left."""
    fitting: dict[int, list[int]] = {}
    for chosen in itertools.combinations(range(len(good)), series):
        if go_together(lot, [good[n] for n in chosen]) is None:
            fitting.setdefault(chosen[0], []).append(sum(1 << n for n in chosen))
    known: dict[int, tuple[int, ...]] = {}

    def best(free: int) -> tuple[int, ...]:
        if free.bit_count() < series:
            return ()
        if free not in known:
            first = (free & -free).bit_length() - 1
            found = best(free & ~(1 << first))
            most = free.bit_count() // series
            for mask in fitting.get(first, ()):
                if len(found) >= most:
                    break
                if mask & free == mask and len(with_it := (mask, *best(free & ~mask))) > len(found):
                    found = with_it
            known[free] = found
        return known[free]

    return tuple(tuple(good[n].label for n in range(len(good)) if mask >> n & 1) for mask in best((1 << len(good)) - 1))


def _by_order(lot: Lot, good: list[LotBlock], series: int) -> tuple[tuple[str, ...], ...]:
    found: list[tuple[str, ...]] = []
    left = list(good)
    while len(left) >= series:
        first, chosen = left[0], [left[0]]
        for block in left[1:]:
            if len(chosen) == series:
                break
            if go_together(lot, [*chosen, block]) is None:
                chosen.append(block)
        if len(chosen) == series:
            found.append(tuple(b.label for b in chosen))
            left = [b for b in left if b not in chosen]
        else:
            left.remove(first)
    return tuple(found)


def _why_left(lot: Lot, block: LotBlock, good: list[LotBlock], series: int) -> str:
    others = [b for b in good if b.label != block.label]
    if len(good) < series:
        return f"Good, but a string needs {series} good blocks."
    whys = [why for b in others if (why := go_together(lot, [block, b])) is not None]
    if len(whys) == len(others) and whys:
        return f"Good, but unlike all the others: {max(set(whys), key=whys.count)}."
    return "Good, but no other string comes out of what is left."
