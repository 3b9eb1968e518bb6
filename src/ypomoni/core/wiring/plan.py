"""The wiring of a bank, to be built from: every block, link, fuse and switch with its number, computed from the bank.

Strings run from minus to plus. Where there are several, the plus is taken off at the first and the minus at the last, so that the way through
each string is equally long; the share of each block is computed all the same.
"""

import itertools
from dataclasses import dataclass
from enum import StrEnum

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.loads import COPPER_OHM_MM2_PER_M
from ypomoni.core.wiring.arrangement import Arrangement, model_ohm
from ypomoni.core.wiring.cables import GREATEST_AMPACITY_A, drop_v, is_beyond_table, section_for
from ypomoni.core.wiring.fuses import FuseNeed, sold_fuse_a
from ypomoni.core.wiring.net import Branch, Flow, solve_net

MOST_BLOCKS = 24
# What a fuse of any size loses at its rating, rough. [V, L]
FUSE_LOSES_V = 0.1
# What an isolator and a good crimp have. [Ω, L]
ISOLATOR_OHM = 0.0005
# From the bank to its fuse, at most: what lies before the fuse is not protected. [m, M]
TO_FUSE_M = 0.15
DEFAULT_LEAD_M = 0.5
USUAL_LEAD_DROP_RATIO = 0.02


class Colour(StrEnum):
    """The colour of a lead, said in words as well."""

    RED = "red"
    BLACK = "black"
    BLUE = "blue"


class PartKind(StrEnum):
    """What a part of the wiring is."""

    BLOCK = "block"
    STRING_FUSE = "string_fuse"
    FUSE = "fuse"
    ISOLATOR = "isolator"
    SUPPLY = "supply"


@dataclass(frozen=True, slots=True, kw_only=True)
class WiredPart:
    """A thing with two terminals: its number, and where it stands; strings and positions count from 1, 0 is of no string."""

    number: str
    kind: PartKind
    string: int = 0
    position: int = 0
    rated_a: float | None = None
    turned: bool = False

    def pole(self, sign: str) -> str:
        """Return the node of one of its terminals, ``+`` or ``−``."""
        return f"{self.number}{sign}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Link:
    """A lead from one terminal to another: its number, length, section and colour, and what each end is fitted with. [m, mm²]"""

    number: str
    from_node: str
    to_node: str
    length_m: float
    section_mm2: float
    colour: Colour
    from_end: str
    to_end: str
    # What it is for, in two or three words.
    role: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """What a bank is wired with: fuses, sections and lengths. None: none is fitted. [A, mm², m]"""

    fuse_a: float | None
    string_fuse_a: float | None
    isolator: bool
    lead_mm2: float
    string_mm2: float
    lead_m: float = DEFAULT_LEAD_M


@dataclass(frozen=True, slots=True, kw_only=True)
class WiringPlan:
    """The wiring of a bank: its parts and the links between them."""

    arrangement: Arrangement
    choice: Choice
    parts: tuple[WiredPart, ...]
    links: tuple[Link, ...]

    @property
    def blocks(self) -> tuple[WiredPart, ...]:
        """Its blocks, string by string from minus to plus."""
        return tuple(p for p in self.parts if p.kind is PartKind.BLOCK)

    def flow(self, load_a: float) -> Flow:
        """Return what flows in it while a load takes a current at the supply's terminals. [A]"""
        return solve_net(branches_of(self), "S1+", "S1−", load_a)


def choose(
    bank: Bank,
    need: FuseNeed,
    *,
    fuse_a: float,
    isolator: bool,
    lead_m: float,
    lead_mm2: float | None = None,
    breaks_a: float | None = None,
) -> Choice | None:
    """Return what to wire a bank with behind a fuse; None where no fuse or cable that is listed goes with it.

    Parameters
    ----------
    need
        What goes through the main fuse. With one string out, the others carry it.
    lead_mm2
        A lead that is there: it stays if it is rated for the fuse and loses no more than 2 %; one that is thicker always does.
    breaks_a
        What the fuses break by their data sheet, the fuses of the strings like the main one; None: what is common for their kind.
    """
    loses_v = USUAL_LEAD_DROP_RATIO * bank.bank_v
    needed_mm2 = section_for(fuse_a, length_m=lead_m, loses_v=loses_v, drop_current_a=need.greatest_a)
    if needed_mm2 is None and lead_mm2 is not None and is_beyond_table(lead_mm2) and fuse_a <= GREATEST_AMPACITY_A:
        # It is thicker than any that is listed, so it is rated for more than the last of them.
        needed_mm2 = lead_mm2 if drop_v(need.greatest_a, lead_m, lead_mm2) <= loses_v * (1 + 1e-9) else None
    if needed_mm2 is None:
        return None
    string_a, string_mm2 = None, max(needed_mm2, lead_mm2 or 0.0)
    if bank.parallel > 1:
        # Into a string that shorts, all the others drive their current.
        others_a = bank.short_circuit_a * (bank.parallel - 1) / bank.parallel
        by_sheet = breaks_a is not None and others_a <= breaks_a * (1 + 1e-9)
        string_a = sold_fuse_a(need.for_rating.shared(bank.parallel - 1), short_circuit_a=0.0 if by_sheet else others_a)
        string_mm2 = section_for(string_a) if string_a is not None else None
        if string_a is None or string_mm2 is None:
            return None
    return Choice(
        fuse_a=fuse_a,
        string_fuse_a=string_a,
        isolator=isolator,
        lead_mm2=max(needed_mm2, lead_mm2 or 0.0),
        string_mm2=string_mm2,
        lead_m=lead_m,
    )


def wire(arrangement: Arrangement, choice: Choice) -> WiringPlan:
    """Return the wiring of blocks as they are arranged, right or wrong: a turned block is joined as it stands."""
    builder = _Builder(arrangement, choice)
    builder.build()
    return WiringPlan(arrangement=arrangement, choice=choice, parts=tuple(builder.parts), links=tuple(builder.links))


class _Builder:
    """Collects parts and links; numbers run in the order in which they are joined."""

    def __init__(self, arrangement: Arrangement, choice: Choice) -> None:
        self.arrangement, self.choice = arrangement, choice
        self.parts: list[WiredPart] = []
        self.links: list[Link] = []
        blocks = [p.block for s in arrangement for p in s if p.block]
        first = blocks[0] if blocks else None
        self.end = terminal_of(first) if first else "as the block asks"
        self.step_m = link_length_m(first) if first else 0.2

    def build(self) -> None:
        strings = [self._string(n, places) for n, places in enumerate(self.arrangement, 1)]
        joined = [s for s in strings if s is not None]
        choice = self.choice
        supply = WiredPart(number="S1", kind=PartKind.SUPPLY)
        for (_, plus), (_, following) in itertools.pairwise(joined):
            self._link(plus, following, self.step_m, choice.lead_mm2, Colour.RED, "plus to plus")
        for (minus, _), (following, _) in itertools.pairwise(joined):
            self._link(minus, following, self.step_m, choice.lead_mm2, Colour.BLACK, "minus to minus")
        if joined:
            # Plus at one corner and minus at the other: by every string the current passes as many links, so they share it nearly evenly.
            self._take_off(joined[0][1], joined[-1][0], supply)
        self.parts.append(supply)

    def _string(self, n: int, places: tuple) -> tuple[str, str] | None:
        """Join the blocks of one string, and return its minus and plus nodes; None of an empty one."""
        made: list[WiredPart] = []
        for k, place in enumerate(places, 1):
            if place.block is not None:
                number = f"B{sum(p.kind is PartKind.BLOCK for p in self.parts) + 1}"
                part = WiredPart(number=number, kind=PartKind.BLOCK, string=n, position=k, turned=place.turned)
                self.parts.append(part)
                made.append(part)
        if not made:
            return None
        for lower, upper in itertools.pairwise(made):
            # A place left empty is a gap, and a gap is drawn as one: nothing is joined across it.
            if upper.position == lower.position + 1:
                self._link(_upper(lower), _lower(upper), self.step_m, self.choice.string_mm2, Colour.BLUE, f"series, string {n}")
        plus = _upper(made[-1])
        if self.choice.string_fuse_a is not None:
            fuse = WiredPart(number=f"F{n + 1}", kind=PartKind.STRING_FUSE, string=n, rated_a=self.choice.string_fuse_a)
            self.parts.append(fuse)
            self._link(plus, fuse.pole("a"), TO_FUSE_M, self.choice.string_mm2, Colour.RED, f"to the fuse of string {n}")
            plus = fuse.pole("b")
        return _lower(made[0]), plus

    def _take_off(self, plus: str, minus: str, supply: WiredPart) -> None:
        """Lead the plus over fuse and isolator, and the minus straight, to the supply."""
        choice, at = self.choice, plus
        left_m = choice.lead_m
        if choice.fuse_a is not None:
            fuse = WiredPart(number="F1", kind=PartKind.FUSE, rated_a=choice.fuse_a)
            self.parts.append(fuse)
            near_m = min(TO_FUSE_M, 0.5 * left_m)
            self._link(at, fuse.pole("a"), near_m, choice.lead_mm2, Colour.RED, "plus to the main fuse")
            at, left_m = fuse.pole("b"), left_m - near_m
        if choice.isolator:
            isolator = WiredPart(number="Q1", kind=PartKind.ISOLATOR)
            self.parts.append(isolator)
            near_m = min(TO_FUSE_M, 0.5 * left_m)
            self._link(at, isolator.pole("a"), near_m, choice.lead_mm2, Colour.RED, "fuse to isolator")
            at, left_m = isolator.pole("b"), left_m - near_m
        self._link(at, supply.pole("+"), left_m, choice.lead_mm2, Colour.RED, "plus to the supply")
        self._link(minus, supply.pole("−"), choice.lead_m, choice.lead_mm2, Colour.BLACK, "minus to the supply")

    def _link(self, a: str, b: str, length_m: float, section_mm2: float, colour: Colour, role: str) -> None:
        self.links.append(
            Link(
                number=f"W{len(self.links) + 1}",
                from_node=a,
                to_node=b,
                length_m=round(length_m, 3),
                section_mm2=section_mm2,
                colour=colour,
                from_end=self._end_at(a),
                to_end=self._end_at(b),
                role=role,
            )
        )

    def _end_at(self, node: str) -> str:
        return self.end if node.startswith("B") else "ferrule"


def _upper(block: WiredPart) -> str:
    """Return the node of a block that looks towards the plus of its string; of a turned one that is its minus."""
    return block.pole("−" if block.turned else "+")


def _lower(block: WiredPart) -> str:
    return block.pole("+" if block.turned else "−")


def branches_of(plan: WiringPlan) -> list[Branch]:
    """Return the net of a wiring: each block with its voltage and resistance, each link, fuse and switch with its own."""
    found = [
        Branch(
            name=link.number,
            from_node=link.from_node,
            to_node=link.to_node,
            resistance_ohm=COPPER_OHM_MM2_PER_M * link.length_m / link.section_mm2,
        )
        for link in plan.links
    ]
    for part in plan.parts:
        if part.kind is PartKind.BLOCK:
            block = plan.arrangement[part.string - 1][part.position - 1].block
            if block is not None:
                found.append(
                    Branch(
                        name=part.number,
                        from_node=part.pole("−"),
                        to_node=part.pole("+"),
                        resistance_ohm=model_ohm(block),
                        emf_v=block.full_v,
                    )
                )
        elif part.kind is not PartKind.SUPPLY:
            ohm = ISOLATOR_OHM if part.rated_a is None else FUSE_LOSES_V / part.rated_a
            found.append(Branch(name=part.number, from_node=part.pole("a"), to_node=part.pole("b"), resistance_ohm=ohm))
    return found


# What the terminals of common blocks take, by capacity of a 12 V one. Common, [M]: look at the block.
_TERMINALS = ((5.5, "4.8 mm tab"), (12.5, "6.3 mm tab"), (30.0, "M5 ring"), (80.0, "M6 ring"))
_LENGTHS_M = ((5.5, 0.12), (12.5, 0.15), (30.0, 0.25), (80.0, 0.3))


def terminal_of(block: Bank) -> str:
    """Return what fits the terminals of a block, as is common for its size."""
    if CHEMISTRIES[block.chemistry_key].is_primary:
        return "holder's tail"
    return next((word for most_ah, word in _TERMINALS if block.capacity_ah <= most_ah), "M8 ring")


def link_length_m(block: Bank) -> float:
    """Return how long a link between two such blocks side by side is, with a little slack. Rough [L]: measure before you cut. [m]"""
    return next((m for most_ah, m in _LENGTHS_M if block.capacity_ah <= most_ah), 0.4)


def shares_of(plan: WiringPlan, load_a: float) -> dict[str, float]:
    """Return what share of a load's current each block carries. [ratio] In an ideal bank it is one over the strings."""
    flow = plan.flow(load_a)
    return {b.number: flow.current_a[b.number] / load_a for b in plan.blocks if b.number in flow.current_a}


def greatest_spread_ratio(plan: WiringPlan, load_a: float) -> float:
    """Return how far the share of a block is off an equal one, at most. [ratio]"""
    strings = sum(1 for s in plan.arrangement if s and all(p.block is not None for p in s))
    shares = [v for v in shares_of(plan, load_a).values() if v > 0]
    return max((abs(v * strings - 1.0) for v in shares), default=0.0) if strings else 0.0
