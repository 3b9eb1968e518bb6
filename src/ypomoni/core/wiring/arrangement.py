"""Blocks as somebody means to join them: strings side by side, some perhaps turned or missing; and what that would do."""

from collections.abc import Iterator
from dataclasses import dataclass

from ypomoni.core.telling.wording import plain_number, say_amps, say_volts
from ypomoni.core.things.batteries import MISMATCH_RATIO, SHORT_OVER_MODEL_RATIO, Bank, cell_of

# Two strings this far apart share unevenly and nothing worse; more is a current that nobody wants.
SAME_V_RATIO = 0.02


@dataclass(frozen=True, slots=True, kw_only=True)
class Seat:
    """One block at its place: what it is, by the bank of this one block alone, and whether its poles are the other way round; None: empty."""

    block: Bank | None
    turned: bool = False

    @property
    def rated_v(self) -> float:
        """What it adds to its string: its nominal voltage, the other way round where it is turned. [V]"""
        return 0.0 if self.block is None else (-1.0 if self.turned else 1.0) * self.block.block_v

    @property
    def open_v(self) -> float:
        """What it adds to its string full and at rest. [V]"""
        return 0.0 if self.block is None else (-1.0 if self.turned else 1.0) * self.block.full_v

    @property
    def short_ohm(self) -> float:
        """Its resistance against a dead short. [Ω]"""
        return 0.0 if self.block is None else model_ohm(self.block) / SHORT_OVER_MODEL_RATIO


def model_ohm(bank: Bank) -> float:
    """Return the resistance of a new bank at 25 °C as the model has it. [Ω]"""
    return bank.cells_in_series_count * cell_of(bank.chemistry).resistance_ohm_ah / bank.rated_c20_ah


Arrangement = tuple[tuple[Seat, ...], ...]
"""Strings in parallel, each from its minus to its plus pole."""


def arrangement_of(bank: Bank) -> Arrangement:
    """Return the blocks of a bank as they belong."""
    one = one_block(bank)
    return tuple(tuple(Seat(block=one) for _ in range(bank.series)) for _ in range(bank.parallel))


def one_block(bank: Bank) -> Bank:
    """Return one new block of a bank alone."""
    return Bank(
        chemistry_key=bank.chemistry_key,
        block_v=bank.block_v,
        capacity_ah=bank.capacity_ah,
        rate_h=bank.rate_h,
        cells_count=bank.cells_count,
        resistance_ohm=bank.resistance_ohm,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Wrong:
    """Something that must not be joined so: at which string and position (0: all of it), and what it does, cause first."""

    string: int
    position: int
    harm: str


def is_open(string: tuple[Seat, ...]) -> bool:
    """Say whether a string carries nothing since a block is missing in it."""
    return any(p.block is None for p in string)


def string_v(string: tuple[Seat, ...]) -> float:
    """Return the nominal voltage of a string as it is joined. [V]"""
    return sum(p.rated_v for p in string)


def wrongs_of(arrangement: Arrangement, nominal_v: float | None = None) -> tuple[Wrong, ...]:
    """Return what is wrong with an arrangement, on a supply of a nominal voltage where one is given. [V]"""
    return (*_in_strings(arrangement), *_between_strings(arrangement), *_at_the_supply(arrangement, nominal_v))


def _in_strings(arrangement: Arrangement) -> Iterator[Wrong]:
    for n, string in enumerate(arrangement, 1):
        kinds = {p.block.chemistry_key: p.block.chemistry.name for p in string if p.block}
        volts = {p.block.block_v for p in string if p.block}
        sizes = {p.block.capacity_ah for p in string if p.block}
        for k, place in enumerate(string, 1):
            if place.turned and place.block is not None and len(string) > 1:
                yield Wrong(
                    string=n,
                    position=k,
                    harm=f"Block {k} of string {n} is turned: it takes {say_volts(place.block.block_v)} away instead of adding them, and is charged the wrong way round.",
                )
        if len(kinds) > 1:
            yield Wrong(
                string=n,
                position=0,
                harm=f"String {n} mixes {' and '.join(sorted(kinds.values()))}. One is over-charged, the other never full.",
            )
        if len(volts) > 1:
            said = " and ".join(say_volts(v) for v in sorted(volts))
            yield Wrong(string=n, position=0, harm=f"String {n} mixes blocks of {said}: they never share one charge.")
        if len(sizes) > 1:
            said = " and ".join(f"{plain_number(ah)} Ah" for ah in sorted(sizes))
            yield Wrong(
                string=n, position=0, harm=f"String {n} mixes blocks of {said}: the smaller is empty first and is then charged backwards."
            )


def _between_strings(arrangement: Arrangement) -> Iterator[Wrong]:
    """Yield strings that would drive a current into another as soon as they are joined."""
    whole = [(n, s) for n, s in enumerate(arrangement, 1) if s and not is_open(s)]
    if not whole:
        return
    # Against the highest each shows what would flow; two low ones that are equal drive nothing between them.
    first_n, first = max(whole, key=lambda w: sum(p.open_v for p in w[1]))
    high_v = sum(p.open_v for p in first)
    for n, string in whole:
        apart_v = high_v - sum(p.open_v for p in string)
        if n == first_n or apart_v <= SAME_V_RATIO * abs(high_v):
            continue
        ohm = sum(p.short_ohm for p in (*first, *string))
        flows = f"about {say_amps(apart_v / ohm, 1)}" if ohm > 0 else "a short-circuit current"
        if string_v(string) < 0:
            how = f"String {n} is turned against string {first_n}: joined, they are a short of {say_volts(apart_v)}."
        else:
            how = f"String {first_n} has {say_volts(string_v(first))}, string {n} has {say_volts(string_v(string))}. They must not be joined in parallel."
        yield Wrong(string=n, position=0, harm=f"{how} At once {flows} flows: leads glow, blocks can burst.")


def _at_the_supply(arrangement: Arrangement, nominal_v: float | None) -> Iterator[Wrong]:
    whole = [s for s in arrangement if s and not is_open(s)]
    if nominal_v is None or not whole:
        return
    bank_v = string_v(whole[0])
    if abs(bank_v - nominal_v) <= MISMATCH_RATIO * nominal_v * (1 + 1e-9):
        return
    if bank_v < 0:
        harm = f"Plus and minus are the wrong way round. {say_volts(nominal_v)} equipment is destroyed at once."
    elif abs(bank_v - 2 * nominal_v) <= MISMATCH_RATIO * nominal_v:
        harm = f"Joined in series the volts double: {say_volts(bank_v)} on equipment for {say_volts(nominal_v)}, which burns. Join them in parallel."
    else:
        harm = f"This bank has {say_volts(bank_v)}. The supply is made for {say_volts(nominal_v)}. Connect nothing."
    yield Wrong(string=0, position=0, harm=harm)
