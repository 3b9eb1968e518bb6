"""What cables take from their loads. Fed from the battery as it is: at its nominal voltage, and as low as the supply lets it go."""

from collections.abc import Iterator
from dataclasses import dataclass

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.outage.case import end_threshold
from ypomoni.core.outage.demand import peak_draw
from ypomoni.core.outage.uncertainty import expected_currents
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import plain_number, say_amps, say_volts
from ypomoni.core.things.loads import NO_DRAW, ConverterKind, Load
from ypomoni.core.things.supplies import Supply

# More than this lost on the way is too much where nobody has said what the load needs.
LOST_RATIO = 0.10


@dataclass(frozen=True, slots=True, kw_only=True)
class CableDrop:
    """What a cable leaves its load at the greatest current, with the battery at its nominal voltage. [A, V]"""

    current_a: float
    drop_v: float
    left_v: float
    in_alarm: bool


def check_cables(facts: Facts) -> list[Finding]:
    """Return the loads that their cables starve."""
    return [finding for load in facts.loads for finding in _starved(facts, load)]


def cable_drop(supply: Supply, load: Load) -> CableDrop | None:
    """Return what the cable of a load does at its greatest current, or None without a cable."""
    if load.cable_ohm <= 0 or load.ac is not None:
        return None
    currents = expected_currents(load, load.place or supply.climate)
    peaks = [peak_draw(currents, in_alarm=state) for state in (False, True)]
    if load.feed:
        # The cable lies behind the output, so the current in it is the output's.
        at_v, share = load.feed.output_v, load.feed.efficiency_ratio
    else:
        at_v, share = load.battery_min_v or supply.nominal_v, 1.0
    # At the lowest voltage that the load bears: a constant power draws most there, and its cable takes most.
    in_alarm = peaks[1].at_nominal_a(at_v) >= peaks[0].at_nominal_a(at_v)
    current_a = share * (peaks[in_alarm] or NO_DRAW).at_nominal_a(at_v)
    drop_v = load.cable_ohm * current_a
    return CableDrop(current_a=current_a, drop_v=drop_v, left_v=supply.fed_v - drop_v, in_alarm=in_alarm)


def is_starved(supply: Supply, load: Load, drop: CableDrop) -> bool:
    """Say whether it is the cable of a load that leaves it less than its least voltage.

    It does from a battery at its nominal voltage; or it loses much, and the load would have had enough until the supply ends without it.
    Little lost in a cable only brings the end forward, which the hours count.
    """
    needs_v = load.fed_min_v
    if needs_v is None:
        return False
    if supply.fed_v - drop.drop_v < needs_v - 1e-9:
        return True
    lowest_v = lowest_fed_v(supply)
    return loses_much(supply, load, drop) and lowest_v >= needs_v > lowest_v - drop.drop_v


def loses_much(supply: Supply, load: Load, drop: CableDrop) -> bool:
    """Say whether more than a tenth of what a cable carries is lost in it."""
    return drop.drop_v > LOST_RATIO * carried_v(supply, load)


def lowest_fed_v(supply: Supply) -> float:
    """Return the voltage down to which a supply goes on but for its loads. [V]"""
    return supply.fed_v if supply.bank is None or supply.feed else end_threshold(supply, (), supply.bank).threshold_v


def carried_v(supply: Supply, load: Load) -> float:
    """Return the voltage that a load's cable carries: before a switching converter that of the battery. [V]"""
    switching = load.converter is not None and load.converter.kind is ConverterKind.SWITCHING
    return supply.fed_v if switching else load.rail_v


def _starved(facts: Facts, load: Load) -> Iterator[Finding]:
    supply = facts.supply
    drop = cable_drop(supply, load)
    if drop is None or load.cable is None:
        return
    starved, needs_v = is_starved(supply, load, drop), load.fed_min_v
    is_its_own = needs_v is None or not load.essential
    if not starved and not (is_its_own and loses_much(supply, load, drop)):
        return
    when = "in alarm" if drop.in_alarm else "in standby"
    lost = (
        f"{load.name} draws up to {say_amps(drop.current_a)} {when} through {plain_number(load.cable.length_m)} m of "
        f"{plain_number(load.cable.section_mm2)} mm². That cable loses {say_volts(drop.drop_v)}."
    )
    left_v = max(0.0, drop.left_v)
    if not starved or needs_v is None:
        left = f"Of {say_volts(supply.fed_v)} only {say_volts(left_v)} arrive."
    elif drop.left_v < needs_v:
        left = f"{load.name} needs {say_volts(needs_v)}. Of {say_volts(supply.fed_v)} only {say_volts(left_v)} arrive."
    else:
        left = (
            f"{load.name} needs {say_volts(needs_v)}, and gets less than that before the supply ends at {say_volts(lowest_fed_v(supply))}."
        )
    yield Finding(
        code="cable_drop_starves",
        severity=Severity.FAILS if starved and load.essential else Severity.RISK,
        evidence=f"{lost} {left}",
        source="ΔU = 2·L·I·ρ/A, copper (IEC 60028)",
        way_out="Fit a thicker or shorter cable, or feed the far end from a supply nearby. A larger battery does not help.",
    )
