"""Slips caught while a reading is entered, as questions: a thousand, a sign, a count, a range.

A question never refuses: whoever holds the meter may know better. Until it is answered the reading does not count.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass

from ypomoni.core.measuring.reconciliation import Tree
from ypomoni.core.outage.demand import mean_draw
from ypomoni.core.telling.wording import plain_number, say_amps, say_times
from ypomoni.core.things.device_types import improbable_current
from ypomoni.core.things.loads import ConverterKind, Load, Provenance
from ypomoni.core.things.readings import Instrument, Mains, MeasuringPoint, PointKind, Reading, State

# Between these a factor is a unit slip rather than a wrong expectation; and so near must the mended value then be.
UNIT_FACTORS = (200.0, 5000.0)
NEAR_FACTOR = 5.0
# Less than this of what is registered is nearly nothing; less than that of what is known of a device means that its own battery is full.
NEAR_ZERO_RATIO = 0.05
OWN_BATTERY_RATIO = 0.20
PHYSICS_TOLERANCE_RATIO = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """What looks like a slip, in words, and what would be right then."""

    code: str
    text: str
    instead: str = ""


def find_slips(
    tree: Tree, point: MeasuringPoint, reading: Reading, instrument: Instrument, *, was_va: bool = False
) -> tuple[Question, ...]:
    """Return the questions a new reading gives rise to. ``was_va`` says that it was typed in volt-amperes."""
    facts = _Facts(tree, point, reading, instrument)
    checks = (_own_battery, _unit, _near_zero, _improbable, _sign, _quantity, _range, _alarm, _parent, _converter)
    found = [question for check in checks for question in check(facts)]
    if was_va:
        found.append(
            Question(
                code="va_for_w", text="That is volt-amperes. VA is not W: a supply sees W = VA × power factor.", instead="Write the watts."
            )
        )
    return tuple(found)


class _Facts:
    """A reading beside what was expected where it was taken."""

    def __init__(self, tree: Tree, point: MeasuringPoint, reading: Reading, instrument: Instrument) -> None:
        self.tree, self.point, self.reading, self.instrument = tree, point, reading, instrument
        self.at_v = tree.volts(reading)
        self.is_charge = point.kind is PointKind.BATTERY and reading.mains is Mains.ON
        self.expected_a, square = tree.sum_behind(point, reading.state, self.at_v)
        self.limit_a = math.hypot(reading.limit_a(instrument), math.sqrt(square))
        self.size_a = abs(reading.value_a)

    def load(self) -> Load | None:
        """Return the load of a device's point."""
        currents = self.tree.currents.get(self.point.load_key or "")
        return currents.load if currents and self.point.kind is PointKind.DEVICE else None


def _own_battery(facts: _Facts) -> Iterator[Question]:
    """Ask where a device with a battery of its own takes far less than is known of it: that battery is full."""
    load = facts.load()
    if load is None or not load.recharges:
        return
    currents = facts.tree.currents[load.key]
    known_a = mean_draw(currents, in_alarm=facts.reading.state is State.ALARM).at_nominal_a(facts.at_v)
    if facts.size_a < OWN_BATTERY_RATIO * known_a:
        yield Question(
            code="own_battery_by_power_meter",
            text=f"{load.name} has a battery of its own. While that is full the device takes nearly nothing; {say_amps(known_a)} is known of it.",
            instead="Read it with its battery taken out, or enter what one recharge takes.",
        )


def _unit(facts: _Facts) -> Iterator[Question]:
    if facts.is_charge or facts.expected_a <= 0 or facts.size_a <= 0:
        return
    pieces_count = facts.tree.pieces_count(facts.point)
    wanted = [(facts.expected_a, "what is expected here")]
    # What fits all pieces need not be asked as one of them: a thousand pieces would make every sound reading a slip.
    near = abs(facts.size_a - facts.expected_a) <= facts.limit_a or 1 / NEAR_FACTOR <= facts.size_a / facts.expected_a <= NEAR_FACTOR
    if pieces_count > 1 and not near:
        wanted.append((facts.expected_a / pieces_count, "what one of them draws"))
    for expected_a, words in wanted:
        ratio = facts.size_a / expected_a
        factor = 1000.0 if ratio > 1 else 0.001
        times = ratio if ratio > 1 else 1 / ratio
        if UNIT_FACTORS[0] <= times <= UNIT_FACTORS[1] and 1 / NEAR_FACTOR <= ratio / factor <= NEAR_FACTOR:
            size = say_times(times) if ratio > 1 else f"{say_times(times)} less than"
            yield Question(
                code="unit",
                text=f"{say_amps(facts.size_a)} is {size} {words} ({say_amps(expected_a)}).",
                instead=f"{say_amps(facts.size_a / factor)}?",
            )
            return


def _near_zero(facts: _Facts) -> Iterator[Question]:
    """Ask where nearly nothing flows though something is registered as drawing."""
    if facts.is_charge or facts.size_a >= NEAR_ZERO_RATIO * facts.expected_a or facts.expected_a - facts.size_a <= facts.limit_a:
        return
    what = facts.load()
    name = what.name if what else "something behind it"
    yield Question(
        code="near_zero",
        text=f"Nearly nothing flows, and {name} is registered with {say_amps(facts.expected_a)}.",
        instead="Is it off, or on its own battery?",
    )


def _improbable(facts: _Facts) -> Iterator[Question]:
    """Ask where no device of such a name draws so much, or so little."""
    load = facts.load()
    if load is None or facts.is_charge or facts.reading.state not in (State.STANDBY, State.ALARM):
        return
    per_amp_a = load.draw_per_amp.at_nominal_a(facts.at_v) * load.quantity
    in_alarm = facts.reading.state is State.ALARM
    found = improbable_current(load.name, load.rail_v, facts.size_a / per_amp_a, in_alarm=in_alarm) if per_amp_a > 0 else None
    if found is not None:
        yield Question(
            code="current_improbable",
            text=f"That is {say_amps(found.current_a)} for each {load.name}. Such devices draw {say_amps(found.low_a)} to {say_amps(found.high_a)}.",
            instead="Is the unit right?",
        )


def _sign(facts: _Facts) -> Iterator[Question]:
    drawn_a, mains = facts.reading.drawn_a, facts.reading.mains
    if facts.point.kind is not PointKind.BATTERY:
        if drawn_a < 0:
            yield Question(
                code="sign",
                text="Minus here means that current flows away from the loads: are the leads swapped?",
                instead="Turn the sign.",
            )
    elif mains is Mains.OFF and drawn_a < 0:
        yield Question(
            code="sign", text="With mains off the battery discharges, and this sign says that it is charged.", instead="Turn the sign?"
        )
    elif mains is Mains.ON and drawn_a > facts.reading.limit_a(facts.instrument):
        yield Question(
            code="sign",
            text="With mains on the battery is charged, and this sign says that it discharges.",
            instead="Turn the sign, or is mains off?",
        )


def _quantity(facts: _Facts) -> Iterator[Question]:
    load = facts.load()
    if load is None or load.quantity < 2 or facts.expected_a <= 0 or abs(facts.size_a - facts.expected_a) <= facts.limit_a:
        return
    piece_a = facts.expected_a / load.quantity
    near_a = facts.limit_a / load.quantity + facts.reading.limit_a(facts.instrument)
    if abs(facts.size_a - piece_a) <= near_a:
        yield Question(
            code="quantity",
            text=f"This is about one {load.name} ({say_amps(piece_a)}); the point carries {load.quantity} of them.",
            instead=f"{say_amps(facts.size_a * load.quantity)} for all {load.quantity}?",
        )
    elif abs(facts.size_a - facts.expected_a * load.quantity) <= facts.limit_a * load.quantity:
        yield Question(
            code="quantity",
            text=f"This is {load.quantity} times what {load.quantity} × {load.name} draw together ({say_amps(facts.expected_a)}): counted twice?",
            instead=f"{say_amps(facts.size_a / load.quantity)} for all {load.quantity}?",
        )


def _range(facts: _Facts) -> Iterator[Question]:
    ranges = facts.instrument.ranges
    greatest_a = max(facts.size_a, abs(facts.reading.max_a or 0.0))
    if not ranges or greatest_a <= ranges[-1].limit_a:
        return
    fuse_a = ranges[-1].fuse_a
    fuse = f", and the fuse behind it is {say_amps(fuse_a)}" if fuse_a else ""
    yield Question(
        code="range",
        text=f"{say_amps(greatest_a)} is above the highest range of {facts.instrument.name} ({say_amps(ranges[-1].limit_a)}{fuse}).",
        instead="Was it another instrument, or another unit?",
    )


def _alarm(facts: _Facts) -> Iterator[Question]:
    states = (State.STANDBY, State.ALARM)
    if facts.reading.state not in states or facts.is_charge:
        return
    other_state = states[1 - states.index(facts.reading.state)]
    other = facts.tree.readings.get((facts.point.key, other_state))
    if other is None:
        return
    drawn = {facts.reading.state: facts.reading.drawn_a, other_state: other.drawn_a}
    limit_a = math.hypot(facts.reading.limit_a(facts.instrument), other.limit_a(facts.tree.instrument_of(other)))
    registered = {s: facts.tree.sum_behind(facts.point, s, facts.at_v)[0] for s in states}
    # Locks and holding magnets let go in an alarm: then less is right.
    falls = registered[State.ALARM] < registered[State.STANDBY]
    if drawn[State.ALARM] < drawn[State.STANDBY] - limit_a and not falls:
        yield Question(
            code="alarm_below_standby",
            text=f"Alarm ({say_amps(drawn[State.ALARM])}) is below standby ({say_amps(drawn[State.STANDBY])}), "
            "and nothing in the register releases in alarm.",
            instead="Was the alarm really on?",
        )


def _parent(facts: _Facts) -> Iterator[Question]:
    if facts.is_charge:
        return
    tree, state = facts.tree, facts.reading.state
    below = [(c, tree.readings[(c.key, state)]) for c in tree.children.get(facts.point.key, []) if (c.key, state) in tree.readings]
    # Points that were not read yet only add: so a sum that is greater already is wrong whatever they show.
    sum_a = sum(r.drawn_a for _, r in below)
    limit_a = math.hypot(facts.reading.limit_a(facts.instrument), *(r.limit_a(tree.instrument_of(r)) for _, r in below))
    if below and sum_a > facts.reading.drawn_a + limit_a:
        listed = ", ".join(f"{c.name} {say_amps(r.drawn_a)}" for c, r in below[:4])
        yield Question(
            code="parent_smaller",
            text=f"What was read behind it is more already: {listed}, {say_amps(sum_a)} in all.",
            instead="Which of them is wrong?",
        )
    parent = tree.points.get(facts.point.parent_key or "")
    above = tree.readings.get((parent.key, state)) if parent else None
    if parent and above:
        limit_a = math.hypot(facts.reading.limit_a(facts.instrument), above.limit_a(tree.instrument_of(above)))
        if facts.reading.drawn_a > above.drawn_a + limit_a:
            yield Question(
                code="parent_smaller",
                text=f"This is more than all that was read at {parent.name} ({say_amps(above.drawn_a)}).",
                instead="Which of them is wrong?",
            )


def _converter(facts: _Facts) -> Iterator[Question]:
    load = facts.load()
    if load is None or load.converter is None or load.converter.kind is not ConverterKind.SWITCHING:
        return
    stated = load.alarm if facts.reading.state is State.ALARM else load.standby
    if facts.reading.state not in (State.STANDBY, State.ALARM) or stated.provenance not in (Provenance.MEASURED, Provenance.DATA_SHEET):
        return
    # Power is kept: with no loss at all this much must flow in front of the converter.
    least_a = load.rail_v * stated.current_a * load.quantity / facts.at_v
    if 0 < facts.size_a < least_a * (1 - PHYSICS_TOLERANCE_RATIO) - facts.reading.limit_a(facts.instrument):
        yield Question(
            code="converter_below_physics",
            text=f"Less than physics allows: {load.quantity} × {say_amps(stated.current_a)} at {plain_number(load.rail_v)} V need at least "
            f"{say_amps(least_a)} at {plain_number(facts.at_v)} V even without loss.",
            instead="Was it read behind the converter, or was it asleep?",
        )
