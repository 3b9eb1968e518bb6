"""How well the readings explain each other: at every point what was read against what the register and the points behind it add up to.

A parent equals the sum of its children within the combined uncertainty;
outside it there is a residual, and causes are ranked by how well each explains it.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from ypomoni.core.outage.case import Case, is_ac_on_dc, read_draw
from ypomoni.core.outage.demand import LoadCurrents
from ypomoni.core.outage.uncertainty import half_width_a
from ypomoni.core.telling.wording import say_amps, say_share, say_times
from ypomoni.core.things.loads import Draw, Load, Provenance
from ypomoni.core.things.readings import (
    DEFAULT_INSTRUMENT,
    Instrument,
    MeasuringPoint,
    PointKind,
    Reading,
    State,
    loads_behind,
    why_not_load,
)
from ypomoni.core.things.supplies import Plan, Supply

COMPARED_STATES = (State.STANDBY, State.ALARM, State.TRANSMITTING)
MOST_CAUSES = 4
LEAST_SCORE = 0.05
MOST_MISCOUNTED = 3
# A reading as many times off as this is not what flows there.
IMPROBABLE_TIMES = 30.0
# Within this of what all pieces draw it is no slip of a unit, however many pieces there are.
NEAR_TIMES = 5.0
# A ratio within these of a thousand is a unit.
UNIT_NEAR = (0.5, 2.0)
# How likely each cause is before the figures speak, most likely slip first. A judgement, editable here only. [L]
WEIGHTS = {
    "unit": 1.0,
    "sign": 0.95,
    "quantity": 0.8,
    "state": 0.75,
    "idle": 0.7,
    "guess": 0.6,
    "unregistered": 0.5,
    "missing": 0.45,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """One explanation of a residual, what speaks for it, and how well it fits (0 to 1)."""

    kind: str
    evidence: str
    way_out: str
    score_ratio: float
    load_key: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeState:
    """One point in one state. [A]

    ``register_a`` is what the register says flows there, ``sum_a`` the same with the readings behind it in place of their loads. ``read_a`` is
    None where it was never measured in this state. ``combined_a`` is the limit of the difference.
    """

    point_key: str
    supply_key: str
    state: State
    register_a: float
    register_limit_a: float
    sum_a: float
    sum_limit_a: float
    reading_key: str | None = None
    read_a: float | None = None
    read_limit_a: float | None = None
    residual_a: float | None = None
    combined_a: float | None = None
    causes: tuple[Cause, ...] = field(default=())

    @property
    def agrees(self) -> bool | None:
        """Whether reading and sum agree within the combined uncertainty; None where nothing was read."""
        if self.residual_a is None or self.combined_a is None:
            return None
        return abs(self.residual_a) <= self.combined_a

    @property
    def best_a(self) -> float:
        """What is best known to flow here. [A]"""
        return self.sum_a if self.read_a is None else self.read_a


def reconcile_plan(plan: Plan) -> tuple[NodeState, ...]:
    """Return every point of a plan in standby, in alarm, and in other states in which something was read."""
    found: list[NodeState] = []
    for supply in plan.supplies:
        found += reconcile_supply(plan, supply)
    return tuple(found)


def reconcile_supply(plan: Plan, supply: Supply) -> tuple[NodeState, ...]:
    """Return the points of one supply in each state, parents before their children."""
    points = [p for p in plan.points if p.supply_key == supply.key]
    if not points:
        return ()
    tree = Tree(supply, plan.loads_on(supply.key), points, plan.readings, plan.instruments)
    return tuple(tree.node(point, state) for state in COMPARED_STATES for point in tree.in_order() if tree.is_shown(point, state))


class Tree:
    """The measuring points of one supply with what was read there."""

    def __init__(
        self,
        supply: Supply,
        loads: tuple[Load, ...],
        points: list[MeasuringPoint],
        readings: tuple[Reading, ...],
        instruments: tuple[Instrument, ...],
    ) -> None:
        self.supply = supply
        # A device on AC hangs on no wire of this battery: no meter here sees it.
        fed = tuple(load for load in loads if not is_ac_on_dc(supply, load))
        self.case = Case(supply, fed)
        # Behind a regulated output a meter sees what the output gives, at its voltage, not what the battery does.
        seen = self.case if supply.feed is None else Case(supply.as_wire(supply.feed.output_v), fed)
        self.currents = {c.load.key: c for c in seen.currents}
        self.points = {p.key: p for p in points}
        self.children: dict[str | None, list[MeasuringPoint]] = {}
        for point in points:
            self.children.setdefault(point.parent_key if point.parent_key in self.points else None, []).append(point)
        self._known: dict[tuple[str, State, float], tuple[float, float]] = {}
        self._behind = loads_behind(points, list(self.currents))
        self.instruments = {i.key: i for i in instruments}
        self.readings: dict[tuple[str, State], Reading] = {}
        for reading in readings:
            point = self.points.get(reading.point_key)
            if point is not None and why_not_load(reading, point) is None:
                self.readings[(reading.point_key, reading.state)] = reading

    def in_order(self) -> Iterator[MeasuringPoint]:
        """Yield the points, parents before children."""
        seen: set[str] = set()

        def walk(parent: str | None) -> Iterator[MeasuringPoint]:
            for point in self.children.get(parent, []):
                if point.key not in seen:
                    seen.add(point.key)
                    yield point
                    yield from walk(point.key)

        return walk(None)

    def is_shown(self, point: MeasuringPoint, state: State) -> bool:
        """Say whether a state is spoken of at a point: standby and alarm always, others where something was read.

        A battery in front of a regulated output carries another current than what hangs on it: the two are not added up.
        """
        if self.supply.feed is not None and point.kind is PointKind.BATTERY:
            return False
        return state in (State.STANDBY, State.ALARM) or (point.key, state) in self.readings

    def loads_behind(self, point: MeasuringPoint) -> list[str]:
        """Return the keys of the loads fed through a point."""
        return self._behind[point.key]

    def node(self, point: MeasuringPoint, state: State) -> NodeState:
        """Return what is known of a point in a state."""
        reading = self.readings.get((point.key, state))
        at_v = self.volts(reading)
        register = [self._register(key, state, at_v) for key in self.loads_behind(point)]
        own_a = self.supply.own_current_a if point.kind is PointKind.BATTERY else 0.0
        sum_a, squares = self.sum_behind(point, state, at_v)
        node = NodeState(
            point_key=point.key,
            supply_key=self.supply.key,
            state=state,
            register_a=own_a + sum(a for a, _ in register),
            register_limit_a=math.hypot(*(limit for _, limit in register)),
            sum_a=sum_a,
            sum_limit_a=math.sqrt(squares),
        )
        if reading is None:
            return node
        read_limit_a = reading.limit_a(self.instrument_of(reading))
        node = replace(
            node,
            reading_key=reading.key,
            read_a=reading.drawn_a,
            read_limit_a=read_limit_a,
            residual_a=reading.drawn_a - sum_a,
            combined_a=math.hypot(read_limit_a, node.sum_limit_a),
        )
        return node if node.agrees else replace(node, causes=_Causes(self, point, node, at_v).ranked())

    def instrument_of(self, reading: Reading) -> Instrument:
        """Return the instrument of a reading, or a common one."""
        return self.instruments.get(reading.instrument_key or "", DEFAULT_INSTRUMENT)

    def volts(self, reading: Reading | None) -> float:
        """Return the voltage at which something was read: the battery's, or that of a regulated output. [V]"""
        if self.supply.feed is not None:
            return self.supply.feed.output_v
        return reading.battery_v if reading and reading.battery_v else self.supply.nominal_v

    def sum_behind(self, point: MeasuringPoint, state: State, at_v: float) -> tuple[float, float]:
        """Return the sum of what is best known of everything behind a point, and the square of its limit. [A, A²]"""
        if point.kind is PointKind.DEVICE:
            total_a, limit_a = self._register(point.load_key or "", state, at_v)
            return total_a, limit_a * limit_a
        children = self.children.get(point.key, [])
        total_a = self.supply.own_current_a if point.kind is PointKind.BATTERY else 0.0
        square = 0.0
        covered: set[str] = set()
        for child in children:
            covered.update(self.loads_behind(child))
            reading = self.readings.get((child.key, state))
            child_a, child_square = self.sum_behind(child, state, at_v)
            # A reading that nobody would believe speaks for itself where it was taken; what lies above is not spoilt by it.
            if reading is not None and is_believed(reading.drawn_a, child_a, self.pieces_count(child)):
                child_a, child_square = reading.drawn_a, reading.limit_a(self.instrument_of(reading)) ** 2
            total_a, square = total_a + child_a, square + child_square
        for key in self.loads_behind(point):
            if key not in covered:
                load_a, limit_a = self._register(key, state, at_v)
                total_a, square = total_a + load_a, square + limit_a * limit_a
        return total_a, square

    def _register(self, key: str, state: State, at_v: float) -> tuple[float, float]:
        """Return what the register says of a load in a state, at a voltage, and its limit; equal pieces move together. [A]"""
        known = self._known.get((key, state, at_v))
        currents = self.currents.get(key)
        if known is not None or currents is None:
            return known or (0.0, 0.0)
        # Its own battery may just be charged, or not.
        limit_a = half_width_a(currents.load.alarm if state is State.ALARM else currents.load.standby) + currents.load.recharge_current_a
        # Equal pieces are off together, so their limits add up plainly and not as a root of squares.
        per_amp_a = currents.load.draw_per_amp.at_nominal_a(at_v) * currents.load.quantity
        found = self._known[(key, state, at_v)] = (self.draw(currents, state).at_nominal_a(at_v), limit_a * per_amp_a)
        return found

    def pieces_count(self, point: MeasuringPoint) -> int:
        """Return how many equal pieces a device's point carries; 1 at any other point."""
        currents = self.currents.get(point.load_key or "")
        return currents.load.quantity if currents and point.kind is PointKind.DEVICE else 1

    def draw(self, currents: LoadCurrents, state: State) -> Draw:
        """Return what a load draws in a state as a meter sees it: while transmitting one piece of it is in its greatest burst."""
        rest = read_draw(currents, in_alarm=state is State.ALARM)
        if state is not State.TRANSMITTING or not currents.burst_currents_a:
            return rest
        rise_a = max(currents.burst_currents_a) - currents.standby_current_a
        return rest.plus(currents.load.draw_per_amp.times(max(0.0, rise_a)))


def is_unit_slip(read_a: float, sum_a: float, pieces_count: int = 1) -> bool:
    """Say whether a reading is off by about a thousand from what was expected there, of all pieces or of one of them."""
    if sum_a <= 0 or read_a == 0:
        return False
    ratio = abs(read_a) / sum_a
    ratios = (ratio, ratio * pieces_count)
    return any(UNIT_NEAR[0] <= r / factor <= UNIT_NEAR[1] for r in ratios for factor in (1000.0, 0.001)) and not _is_near(ratio)


def _is_near(ratio: float) -> bool:
    """Say whether a reading is what all pieces were expected to draw, or nearly."""
    return 1 / NEAR_TIMES <= ratio <= NEAR_TIMES


def is_believed(read_a: float, sum_a: float, pieces_count: int = 1) -> bool:
    """Say whether a reading can be what flows at a point: of the right sign, and not far off what is registered behind it."""
    if sum_a <= 0 or read_a == 0:
        return read_a >= 0
    ratio = read_a / sum_a
    return 1 / IMPROBABLE_TIMES < ratio < IMPROBABLE_TIMES and not is_unit_slip(read_a, sum_a, pieces_count)


class _Causes:
    """The explanations of one residual."""

    def __init__(self, tree: Tree, point: MeasuringPoint, node: NodeState, at_v: float) -> None:
        self.tree, self.point, self.node, self.at_v = tree, point, node, at_v
        assert node.read_a is not None  # noqa: S101 - only asked where something was read
        assert node.residual_a is not None  # noqa: S101 - as above
        self.read_a, self.residual_a = node.read_a, node.residual_a
        self.read_limit_a = node.read_limit_a or 0.0
        self.combined_a = max(node.combined_a or 0.0, 1e-9)

    def ranked(self) -> tuple[Cause, ...]:
        """Return the causes that fit at all, best first."""
        found = [*self._unit(), *self._sign(), *self._state(), *self._of_loads(), *self._rest()]
        found = [c for c in found if c.score_ratio >= LEAST_SCORE]
        return tuple(sorted(found, key=lambda c: -c.score_ratio)[:MOST_CAUSES])

    def _cause(self, kind: str, left_a: float, limit_a: float, evidence: str, way_out: str, load_key: str | None = None) -> Cause:
        """Return a cause that leaves so much unexplained."""
        # The likelihood of what it leaves over, were it the cause; its weight says how common such a cause is.
        fit = math.exp(-0.5 * (left_a / max(limit_a, 1e-9)) ** 2)
        return Cause(kind=kind, evidence=evidence, way_out=way_out, score_ratio=WEIGHTS[kind] * fit, load_key=load_key)

    def _unit(self) -> Iterator[Cause]:
        sum_a, pieces_count = self.node.sum_a, self.tree.pieces_count(self.point)
        wanted = [(sum_a, self.node.sum_limit_a, "what is expected")]
        if pieces_count > 1 and not _is_near(abs(self.read_a) / sum_a if sum_a > 0 else 1.0):
            wanted.append((sum_a / pieces_count, self.node.sum_limit_a / pieces_count, "what one piece draws"))
        for expected_a, expected_limit_a, words in wanted if sum_a > 0 else []:
            for factor in (1000.0, 0.001):
                limit_a = math.hypot(self.read_limit_a / factor, expected_limit_a)
                ratio = abs(self.read_a) / expected_a
                size = say_times(ratio) if ratio >= 1 else f"{say_times(1 / ratio) if ratio > 0 else 'many times'} less than"
                evidence = (
                    f"{say_amps(self.read_a)} is {size} {words} here ({say_amps(expected_a)}): "
                    f"{'mA may have been written as A' if factor > 1 else 'A may have been written as mA'}."
                )
                way_out = f"Read it again, or supersede it with {say_amps(self.read_a / factor)}."
                yield self._cause("unit", self.read_a / factor - expected_a, limit_a, evidence, way_out)
        for child, value_a, limit_a in self._known_children():
            for factor in (1000.0, 0.001):
                left_a = self.residual_a + value_a - value_a / factor
                # With the reading its limit shrinks, or grows, too.
                rest_a = math.sqrt(max(0.0, self.combined_a**2 - limit_a**2) + (limit_a / factor) ** 2)
                evidence = f"With {say_amps(value_a / factor)} in place of {say_amps(value_a)} at {child.name} it adds up."
                yield self._cause("unit", left_a, rest_a, evidence, f"Look at the reading of {child.name} again.", child.load_key)

    def _known_children(self) -> Iterator[tuple[MeasuringPoint, float, float]]:
        for child in self.tree.children.get(self.point.key, []):
            reading = self.tree.readings.get((child.key, self.node.state))
            if reading is not None:
                yield child, reading.drawn_a, reading.limit_a(self.tree.instrument_of(reading))

    def _sign(self) -> Iterator[Cause]:
        evidence = (
            f"{say_amps(self.read_a)} is the sum of {say_amps(self.node.sum_a)} with the other sign: the leads may have been swapped."
        )
        yield self._cause("sign", self.read_a + self.node.sum_a, self.combined_a, evidence, "Supersede it with the sign turned.")
        for child, value_a, _ in self._known_children():
            if value_a < 0:
                evidence = f"{child.name} was read as {say_amps(value_a)}: turned round, it adds up."
                yield self._cause("sign", self.residual_a + 2 * value_a, self.combined_a, evidence, f"Look at the sign at {child.name}.")

    def _state(self) -> Iterator[Cause]:
        for other in (State.STANDBY, State.ALARM, State.TRANSMITTING):
            if other is self.node.state:
                continue
            other_a, square = self.tree.sum_behind(self.point, other, self.at_v)
            # Both states ask for the same here, so neither can be told from the other.
            if abs(other_a - self.node.sum_a) <= self.combined_a:
                continue
            limit_a = math.hypot(self.read_limit_a, math.sqrt(square))
            evidence = f"{say_amps(self.read_a)} is what the register says of {other.value.replace('_', ' ')} ({say_amps(other_a)})."
            yield self._cause("state", self.read_a - other_a, limit_a, evidence, "Check what the system was doing, and read it again.")

    def _of_loads(self) -> Iterator[Cause]:
        for key in self.tree.loads_behind(self.point):
            currents = self.tree.currents[key]
            load = currents.load
            # What was measured by itself is not in doubt here.
            if self._is_read_apart(key):
                continue
            group_a = self.tree.draw(currents, self.node.state).at_nominal_a(self.at_v)
            if group_a <= 0:
                continue
            yield from self._quantity(load, group_a / load.quantity)
            yield self._cause(
                "idle",
                self.residual_a + group_a,
                self.combined_a,
                f"The difference is all of {load.name} ({say_amps(group_a)}): it may be switched off, disconnected or fed from elsewhere.",
                f"See whether {load.name} is alive, and clamp it alone.",
                key,
            )
            stated = load.alarm if self.node.state is State.ALARM else load.standby
            if stated.provenance is not Provenance.MEASURED:
                # Twice the limit that was guessed: guesses are narrower than the truth.
                room_a = 2.0 * half_width_a(stated) * group_a / max(stated.current_a, 1e-12)
                left_a = max(0.0, abs(self.residual_a) - room_a)
                piece_a = (group_a + self.residual_a) / load.quantity
                if piece_a > 0:
                    evidence = (
                        f"{load.name} is known from {stated.provenance.value.replace('_', ' ')} only: {say_amps(piece_a)} each in place of "
                        f"{say_amps(group_a / load.quantity)} would explain it."
                    )
                    yield self._cause("guess", left_a, self.combined_a, evidence, f"Measure one {load.name}.", key)

    def _is_read_apart(self, key: str) -> bool:
        return any(
            p.load_key == key and p.key != self.point.key and (p.key, self.node.state) in self.tree.readings
            for p in self.tree.points.values()
        )

    def _quantity(self, load: Load, piece_a: float) -> Iterator[Cause]:
        count = round(self.residual_a / piece_a)
        # Pieces smaller than what is left uncertain can explain anything, and so explain nothing.
        if count == 0 or piece_a < self.combined_a or load.quantity + count < 1:
            return
        if abs(count) > MOST_MISCOUNTED and load.quantity + count != 1:
            return
        if load.quantity > 1 and load.quantity + count == 1:
            evidence = (
                f"{load.name} counts {load.quantity} times; once would add up: its figure may be that of the whole group, or one is fitted."
            )
        else:
            evidence = f"{load.quantity + count} × {load.name} in place of {load.quantity} would add up ({say_amps(piece_a)} each)."
        left_a = self.residual_a - count * piece_a
        yield self._cause("quantity", left_a, self.combined_a, evidence, f"Count {load.name} again.", load.key)

    def _rest(self) -> Iterator[Cause]:
        nothing = abs(self.node.sum_a) < 1e-9
        share = (
            ""
            if nothing
            else f" ({say_share(abs(self.residual_a) / abs(self.node.sum_a))}{' of' if abs(self.residual_a) <= 2 * abs(self.node.sum_a) else ''} the sum)"
        )
        if self.residual_a > 0:
            evidence = f"Behind {self.point.name} something draws {say_amps(self.residual_a)}{share} that is not in the register."
            yield self._cause("unregistered", 0.0, 1.0, evidence, "Follow the wires: look for what nobody listed, branch by branch.")
        else:
            evidence = f"The register lists {say_amps(-self.residual_a)}{share} more than flows through {self.point.name}."
            yield self._cause("missing", 0.0, 1.0, evidence, "See which load is off, or fed from another supply.")
