"""Blocks that somebody lays out to see what they come to: read from and written to one short text, and changed one step at a time.

``12:17,12:17;12:17t`` is a string of two blocks of 12 V 17 Ah beside a string of one that is turned; ``-`` is an empty place.
"""

import re
from dataclasses import dataclass, replace

from ypomoni.core.errors import QuantityError
from ypomoni.core.sizing.sold_list import SOLD_BLOCKS
from ypomoni.core.telling.wording import plain_number
from ypomoni.core.things.batteries import Bank, StockBlock, cells_of_block
from ypomoni.core.wiring.arrangement import Arrangement, Seat, arrangement_of, one_block
from ypomoni.core.wiring.plan import MOST_BLOCKS

_SEAT = re.compile(r"^(\d{1,4}(?:\.\d{1,3})?):(\d{1,6}(?:\.\d{1,4})?)(t?)$")


@dataclass(frozen=True, slots=True, kw_only=True)
class LaidOut:
    """What is laid out, and what of the last step could not be done: field and message."""

    arrangement: Arrangement
    field: str = ""
    fault: str = ""

    @property
    def text(self) -> str:
        """It as a short text."""
        return ";".join(",".join(_written(seat) for seat in string) for string in self.arrangement)

    @property
    def blocks_count(self) -> int:
        """How many blocks are laid out."""
        return sum(1 for string in self.arrangement for seat in string if seat.block is not None)


def _written(seat: Seat) -> str:
    if seat.block is None:
        return "-"
    return f"{seat.block.block_v:g}:{seat.block.capacity_ah:g}{'t' if seat.turned else ''}"


def laid_out_of(bank: Bank) -> LaidOut:
    """Return the blocks of a bank as they belong."""
    return LaidOut(arrangement=arrangement_of(bank))


def read_laid_out(text: str, bank: Bank) -> LaidOut:
    """Return what a text lays out, of the chemistry of a bank; what cannot be read is that bank as it belongs."""
    strings: list[tuple[Seat, ...]] = []
    for said in text.split(";"):
        seats = [_seat(word, bank) for word in said.split(",")]
        if any(seat is None for seat in seats):
            return laid_out_of(bank)
        strings.append(tuple(seat for seat in seats if seat is not None))
    found = LaidOut(arrangement=tuple(strings))
    return found if 1 <= sum(len(s) for s in strings) <= MOST_BLOCKS else laid_out_of(bank)


def _seat(word: str, bank: Bank) -> Seat | None:
    if word == "-":
        return Seat(block=None)
    found = _SEAT.match(word)
    if found is None:
        return None
    block = block_of(bank, float(found[1]), float(found[2]))
    return None if block is None else Seat(block=block, turned=bool(found[3]))


def block_of(bank: Bank, block_v: float, capacity_ah: float) -> Bank | None:
    """Return one block of a bank's chemistry; the bank's own where it is of that size, None where no whole number of cells makes it."""
    if block_v == bank.block_v and capacity_ah == bank.capacity_ah:
        return one_block(bank)
    try:
        cells_of_block(bank.chemistry_key, block_v)
    except QuantityError:
        return None
    return Bank(chemistry_key=bank.chemistry_key, block_v=block_v, capacity_ah=capacity_ah) if capacity_ah > 0 else None


def kinds_of(bank: Bank, stock: tuple[StockBlock, ...]) -> list[tuple[str, str]]:
    """Return the blocks that can be added: the bank's own first, then those in stock, or those that are sold; as value and words."""
    own = [(b.block_v, b.capacity_ah) for b in stock if b.chemistry_key == bank.chemistry_key]
    sold = own or list(SOLD_BLOCKS.get(bank.chemistry_key, ()))
    found = dict.fromkeys([(bank.block_v, bank.capacity_ah), *sold])
    return [(f"{v:g}:{ah:g}", f"{plain_number(v)} V {plain_number(ah)} Ah") for v, ah in found]


def change(tried: LaidOut, do: str, kind: str, bank: Bank) -> LaidOut:
    """Return what is laid out after one step: ``series-1`` adds a block to string 1, ``string`` a string like the first, ``turn-1-2``, ``remove-1-2``, ``reset``."""
    verb, *numbers = do.split("-")
    at = [int(n) for n in numbers if n.isdigit()]
    strings = [list(s) for s in tried.arrangement]
    seat = _seat(kind, bank)
    new = Seat(block=one_block(bank)) if seat is None or seat.block is None else seat
    if verb in ("series", "string") and tried.blocks_count + (1 if verb == "series" else len(strings[0])) > MOST_BLOCKS:
        return replace(tried, field="kind", fault=f"At most {MOST_BLOCKS} blocks are drawn.")
    if verb == "series" and len(at) == 1 and 1 <= at[0] <= len(strings):
        others = {s.block.block_v for s in strings[at[0] - 1] if s.block}
        strings[at[0] - 1].append(new)
        if others and new.block is not None and new.block.block_v not in others:
            has, adds = " and ".join(f"{plain_number(v)} V" for v in sorted(others)), plain_number(new.block.block_v)
            fault = f"String {at[0]} has blocks of {has}: one of {adds} V does not belong in it. Take it out, or choose one of the same."
            return LaidOut(arrangement=tuple(tuple(s) for s in strings), field="kind", fault=fault)
    elif verb == "string":
        strings.append([new] * max(1, len(strings[0])))
    elif verb in ("turn", "remove") and len(at) == 2 and 1 <= at[0] <= len(strings) and 1 <= at[1] <= len(strings[at[0] - 1]):
        string, k = strings[at[0] - 1], at[1] - 1
        if verb == "turn":
            string[k] = replace(string[k], turned=not string[k].turned)
        else:
            del string[k]
    elif verb == "reset":
        return laid_out_of(bank)
    else:
        return tried
    left = tuple(tuple(s) for s in strings if s)
    return LaidOut(arrangement=left) if left else replace(tried, field="kind", fault="One block must stay: there would be nothing to draw.")


def lay_out(tried: LaidOut, typed: dict[str, str], kind: str, bank: Bank) -> LaidOut:
    """Return so many blocks laid out as they were asked for, in series × strings; what does not go is said beside its field."""
    numbers: dict[str, int] = {}
    for name in ("blocks", "series", "strings"):
        said = typed.get(name, "").strip()
        if not said.isdigit() or not 1 <= int(said) <= MOST_BLOCKS:
            return replace(tried, field=name, fault=f"must be a whole number from 1 to {MOST_BLOCKS}.")
        numbers[name] = int(said)
    blocks, series, strings = numbers["blocks"], numbers["series"], numbers["strings"]
    takes = series * strings
    if takes > MOST_BLOCKS:
        return replace(tried, field="strings", fault=f"{series} × {strings} takes {takes} blocks. At most {MOST_BLOCKS} are drawn.")
    if blocks != takes:
        over = f"{blocks - takes} left over" if blocks > takes else f"{takes - blocks} missing"
        return replace(tried, field="blocks", fault=f"{blocks} blocks do not make {series} × {strings}: that takes {takes}, {over}.")
    seat = _seat(kind, bank)
    new = Seat(block=one_block(bank)) if seat is None or seat.block is None else seat
    return LaidOut(arrangement=tuple(tuple([new] * series) for _ in range(strings)))


def bank_of(tried: LaidOut, bank: Bank) -> Bank | None:
    """Return the bank that is laid out; None where its blocks are not all alike, one is turned or missing, or its strings differ."""
    seats = [seat for string in tried.arrangement for seat in string]
    first = seats[0].block
    if first is None or any(s.turned or s.block != first for s in seats) or len({len(s) for s in tried.arrangement}) != 1:
        return None
    is_same = first == one_block(bank)
    made = replace(first, series=len(tried.arrangement[0]), parallel=len(tried.arrangement), bms=bank.bms if is_same else None)
    return replace(made, protection=bank.protection, lead=bank.lead)
