"""What a selector does, as it is told, and one of its inputs as it is played."""

import math
from dataclasses import dataclass

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import Timeline
from ypomoni.core.outage.law import COLLAPSED, relax, terminal
from ypomoni.core.things.batteries import Pack
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply

# Beyond so many bursts of a full bank they are spread evenly.
MOST_EDGES = 400_000.0

Amounts = tuple[float, float, float]
"""What is drawn of a battery: a current, a power and a conductance. [A, W, S]"""


@dataclass(frozen=True, slots=True, kw_only=True)
class FedFrom:
    """From when on an input feeds. [h]"""

    from_h: float
    input_key: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """One instant: what the device is fed with and by which input, each input's voltage, and how full each is. [h, V, ratio]"""

    t_h: float
    fed_v: float
    feeding: str
    input_v: tuple[float, ...]
    left_ratio: tuple[float, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Selected:
    """What a selector does. ``dead`` names the load that is dead first, None where the horizon comes before that.

    ``seen_v`` is what that load was fed with, None where nothing fed it any more; ``needs_v`` what it needs, its cable included. ``input_keys``
    are those that have a battery, as the looks have them; ``left_ratio`` how full each is at the end.
    """

    holdover_h: float
    changes: tuple[FedFrom, ...]
    input_keys: tuple[str, ...]
    left_ratio: tuple[float, ...]
    looks: tuple[Look, ...] = ()
    dead: str | None = None
    needs_v: float | None = None
    seen_v: float | None = None
    in_burst: bool = False
    collapsed: bool = False

    @property
    def reached(self) -> frozenset[str]:
        """The inputs that fed before the end."""
        return frozenset(c.input_key for c in self.changes if c.from_h < self.holdover_h)

    @property
    def most_changes_an_hour(self) -> int:
        """The greatest number of changes within an hour, the first feeding not counted."""
        times_h = [c.from_h for c in self.changes[1:] if c.from_h <= self.holdover_h]
        most, first = 0, 0
        for n, t in enumerate(times_h):
            while times_h[first] < t - 1.0:
                first += 1
            most = max(most, n - first + 1)
        return most


@dataclass(slots=True)
class Input:
    """One input with a battery as it is played: its demand while it feeds, its bank's state, and whether it has stopped for good. [V, h, Ah]"""

    supply: Supply
    timeline: Timeline
    pack: Pack
    mean_a: float
    opens_v: float
    # How long it feeds a load that is too light for it, before it takes it for gone.
    stops_after_h: float | None
    u_ah: float
    d_ah: float = 0.0
    is_open: bool = False
    left_at_h: float = -math.inf

    @property
    def is_regulated(self) -> bool:
        """Whether its output holds a voltage of its own."""
        return self.supply.feed is not None

    @property
    def held_v(self) -> float:
        """That voltage; 0 where its battery is what the selector sees. [V]"""
        return self.supply.feed.output_v if self.supply.feed else 0.0

    @property
    def resting(self) -> Amounts:
        """What it draws while it does not feed."""
        return self.supply.own_current_a, 0.0, 0.0

    def draw_at(self, t: float) -> Amounts:
        """Return what its battery gives just after a time, if it feeds."""
        _, i, p, s = self.timeline.stretches(t, t + 1e-7)[0]
        return i, p, s

    def battery_v(self, draw: Amounts) -> float:
        """Return what its battery shows under a draw. [V]"""
        return terminal(self.pack, self.u_ah, self.d_ah, *draw)[1]

    def shows_v(self, draw: Amounts, after_h: float = 0.0) -> float:
        """Return what the selector sees of it under a draw, so long from now at rest; nothing where it has stopped. [V]"""
        if self.is_open:
            return 0.0
        state = (self.u_ah, self.d_ah) if after_h <= 0 else relax(self.pack, self.u_ah, self.d_ah, self.supply.own_current_a, after_h)
        v = terminal(self.pack, *state, *draw)[1]
        if v == COLLAPSED or v < self.opens_v:
            return 0.0
        return self.held_v if self.is_regulated else v

    def rest(self, dt: float) -> None:
        """Let it stand for a while beside the one that feeds; its own current may open its disconnect."""
        self.u_ah, self.d_ah = relax(self.pack, self.u_ah, self.d_ah, self.supply.own_current_a, dt)
        if not self.is_open and self.battery_v(self.resting) < self.opens_v:
            self.is_open = True

    @property
    def left_ratio(self) -> float:
        """How full its bank is. [ratio]"""
        return max(0.0, 1.0 - self.u_ah / self.pack.capacity_ah)


def input_of(supply: Supply, loads: tuple[Load, ...], *, cold: bool, condition_ratio: float | None, capacity_ratio: float) -> Input:
    """Return an input that has a battery, at the moment mains fails, with the loads on it if it feeds."""
    case = Case(supply, loads)
    run = case.run(cold=cold, condition_ratio=condition_ratio, capacity_ratio=capacity_ratio)
    mean_a = max(case.mean_current_a(in_alarm=False), 1e-9)
    timeline = run.standby
    # Each input is walked for days beside the others: of very many bursts only their average is.
    if timeline.edges_per_hour * run.pack.capacity_ah / mean_a > MOST_EDGES:
        timeline = timeline.averaged()
    stated = [v for v in (supply.cutoff_v, case.bank.own_cutoff_v, supply.least_input_v) if v is not None]
    return Input(
        supply=case.supply,
        timeline=timeline,
        pack=run.pack,
        mean_a=mean_a,
        opens_v=max(stated, default=0.0),
        stops_after_h=None if case.light_load is None else case.light_load.ends_at_h,
        u_ah=run.pack.start_u_ah,
    )


class SelectorPlayer:
    """What both ways of choosing share: the time, what each load needs, and what is noted on the way."""

    def __init__(self, inputs: list[Input], loads: tuple[Load, ...], looks_count: int) -> None:
        self.inputs = inputs
        self.essential = [load for load in loads if load.essential] or list(loads)
        self.t = 0.0
        self.changes: list[FedFrom] = []
        self.looks: list[Look] = []
        # A picture is looked at so often that the longest-lasting input alone would be seen so many times.
        whole_h = max(i.pack.capacity_ah / i.mean_a for i in inputs)
        self.look_every_h = whole_h / looks_count if looks_count else math.inf

    def needs(self, timeline: Timeline, t: float) -> tuple[float, str | None]:
        """Return the highest voltage that an essential load needs just then, with what its cable loses, and whose it is. [V]"""
        least = max(((e.fed_min_v, e.name) for e in self.essential if e.fed_min_v is not None), default=(0.0, None))
        floor = max(timeline.floors, key=lambda f: f.floor_v(t), default=None)
        return (floor.floor_v(t), floor.owner) if floor is not None and floor.floor_v(t) > least[0] else least

    def needs_of_output(self) -> tuple[float, str | None]:
        """Return the highest voltage that an essential load needs of a regulated output, with what its cable loses at its peak, and whose it is. [V]"""
        found: tuple[float, str | None] = (0.0, None)
        for load in self.essential:
            if load.fed_min_v is not None:
                most_a = max([load.standby.current_a, *(b.current_a for b in load.bursts)]) * load.quantity
                found = max(found, (load.fed_min_v + load.cable_ohm * most_a, load.name), key=lambda n: n[0])
        return found

    def feed_from(self, fed: Input) -> None:
        """Note that an input feeds from now on."""
        self.changes.append(FedFrom(from_h=self.t, input_key=fed.supply.key))

    def look(self, fed_v: float, feeding: Input | None, volts: list[float]) -> None:
        """Note an instant for the picture, unless the last one is too near."""
        if self.look_every_h == math.inf:
            return
        self.looks.append(
            Look(
                t_h=self.t,
                fed_v=max(0.0, fed_v),
                feeding="" if feeding is None else feeding.supply.key,
                input_v=tuple(max(0.0, v) for v in volts),
                left_ratio=tuple(i.left_ratio for i in self.inputs),
            )
        )

    def ended(
        self, owner: str | None, needs_v: float | None, seen_v: float | None, *, in_burst: bool = False, collapsed: bool = False
    ) -> Selected:
        """Return what was played, with the load that is dead."""
        return Selected(
            holdover_h=self.t,
            changes=tuple(self.changes),
            input_keys=tuple(i.supply.key for i in self.inputs),
            left_ratio=tuple(i.left_ratio for i in self.inputs),
            looks=tuple(self.looks),
            dead=owner or (self.essential[0].name if self.essential else ""),
            needs_v=needs_v or None,
            seen_v=seen_v or None,
            in_burst=in_burst,
            collapsed=collapsed,
        )

    def outlasted(self) -> Selected:
        """Return what was played, to the horizon."""
        return Selected(
            holdover_h=self.t,
            changes=tuple(self.changes),
            input_keys=tuple(i.supply.key for i in self.inputs),
            left_ratio=tuple(i.left_ratio for i in self.inputs),
            looks=tuple(self.looks),
        )
