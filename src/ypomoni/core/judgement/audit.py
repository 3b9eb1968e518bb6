"""Can the figures be trusted: what the readings and the register say against each other, and loads that do not go together."""

from collections.abc import Iterator
from dataclasses import dataclass

from ypomoni.core.judgement.facts import Audit, Facts
from ypomoni.core.loads import NO_DRAW, Load, Provenance, Purpose
from ypomoni.core.readings import Hookup, Mains, MeasuringPoint, PointKind, Reading
from ypomoni.core.reconciliation import NodeState, reconcile_supply
from ypomoni.core.results import Finding, Severity
from ypomoni.core.simulation.demand import peak_draw
from ypomoni.core.supplies import Plan, Supply
from ypomoni.core.uncertainty import expected_currents
from ypomoni.core.wording import plain_number, say_amps, say_percent

NOTICEABLE_SHARE_RATIO = 0.05
CONVINCING_SCORE_RATIO = 0.3
# A real device's power factor is hardly ever better than this without a converter made for it.
NEARLY_EQUAL_RATIO = 0.02


@dataclass(frozen=True, slots=True, kw_only=True)
class CableDrop:
    """What a cable leaves its load at the greatest current, with the battery at its nominal voltage. [A, V]"""

    current_a: float
    drop_v: float
    left_v: float
    in_alarm: bool


def audit_of(plan: Plan, supply: Supply) -> Audit:
    """Return what was read of a supply and how it adds up."""
    keys = {p.key for p in plan.points if p.supply_key == supply.key}
    return Audit(
        supply=supply,
        loads=plan.loads_on(supply.key),
        points={p.key: p for p in plan.points if p.key in keys},
        readings={r.key: r for r in plan.readings if r.point_key in keys},
        nodes=reconcile_supply(plan, supply),
        power_meters=frozenset(i.key for i in plan.instruments if i.hookup is Hookup.POWER_METER),
    )


def judge_audit(audit: Audit) -> tuple[Finding, ...]:
    """Return the findings that need no computed figure."""
    return tuple(finding for check in (_mains_on, _disagreements, _power_metered, _volt_amperes, _company) for finding in check(audit))


def check_register(facts: Facts) -> list[Finding]:
    """Return what the figures of the register give rise to: ceilings taken for draws, cables that starve the far end."""
    return [*judge_audit(facts.audit), *_nameplates(facts), *_cables(facts)]


def judge_buses(plan: Plan) -> dict[str, list[Finding]]:
    """Return for each supply the bus groups that are split between it and another."""
    groups: dict[str, dict[str, list[str]]] = {}
    for load in plan.loads:
        if load.bus_group and load.supply_key:
            groups.setdefault(load.bus_group, {}).setdefault(load.supply_key, []).append(load.name)
    names = {s.key: s.name for s in plan.supplies}
    found: dict[str, list[Finding]] = {}
    for group, by_supply in groups.items():
        if len(by_supply) < 2:
            continue
        listed = "; ".join(f"{names[key]}: {', '.join(dict.fromkeys(loads))}" for key, loads in by_supply.items())
        finding = Finding(
            code="bus_group_split",
            severity=Severity.RISK,
            evidence=f"The bus {group} is fed by {len(by_supply)} supplies ({listed}). When one gives out first, what it feeds drags the bus down.",
            source="devices on one data bus share its 0 V, so they share a supply",
            way_out=f"Feed all of {group} from one supply, or isolate the bus where the supplies meet.",
        )
        for key in by_supply:
            found.setdefault(key, []).append(finding)
    return found


def _mains_on(audit: Audit) -> Iterator[Finding]:
    taken = {t.reading_key for t in audit.supply.totals}
    taken |= {s.reading_key for load in audit.loads for s in (load.standby, load.alarm) if s.reading_key}
    for key in sorted(k for k in taken if k):
        reading = audit.readings.get(key)
        point = audit.points.get(reading.point_key) if reading else None
        if reading and point and point.kind is PointKind.BATTERY and reading.mains is not Mains.OFF:
            yield Finding(
                code="mains_on_counted_as_load",
                severity=Severity.RISK,
                evidence=f"{say_amps(reading.value_a)} was read at {point.name} with mains {'on' if reading.mains else 'not stated'} and counts as "
                "load in the register: with mains on a battery lead shows the charger's current.",
                source="the sign on a battery lead turns with the mains",
                way_out="Read it again with mains off, isolated by a competent person, and take that in its place.",
            )


def _disagreements(audit: Audit) -> Iterator[Finding]:
    for node in audit.nodes:
        if node.agrees is not False or node.read_a is None or node.residual_a is None or node.combined_a is None:
            continue
        point = audit.points[node.point_key]
        best = node.causes[0] if node.causes else None
        state = node.state.value.replace("_", " ")
        if best and best.kind == "unit" and best.score_ratio >= CONVINCING_SCORE_RATIO:
            yield Finding(
                code="unit_slip_suspected",
                severity=Severity.RISK,
                evidence=f"{point.name} in {state}: {best.evidence}",
                source="a ratio near a thousand is a unit, not a load",
                way_out=best.way_out,
            )
            continue
        yield Finding(
            code="sum_total_disagree",
            severity=Severity.RISK,
            evidence=_say_difference(node, point) + (f" {best.evidence}" if best else ""),
            source="a parent is the sum of its children within their combined uncertainty",
            way_out=best.way_out if best else "Read both again.",
        )


def _say_difference(node: NodeState, point: MeasuringPoint) -> str:
    residual_a, combined_a = node.residual_a or 0.0, node.combined_a or 0.0
    side = "more" if residual_a > 0 else "less"
    return (
        f"{point.name} in {node.state.value.replace('_', ' ')}: {say_amps(node.read_a or 0.0)} read, {say_amps(node.sum_a)} expected, "
        f"{say_amps(abs(residual_a), 2)} {side}, where ±{say_amps(combined_a, 2)} can be uncertainty."
    )


def _power_metered(audit: Audit) -> Iterator[Finding]:
    for load in audit.loads:
        readings = [audit.readings.get(s.reading_key or "") for s in (load.standby, load.alarm)]
        if load.recharges and any(_is_power_metered(r, audit) for r in readings if r):
            yield Finding(
                code="own_battery_by_power_meter",
                severity=Severity.RISK,
                evidence=f"{load.name} has a battery of its own and was read with a power meter: while that is full it takes nearly nothing.",
                source="energy per recharge counts, not the draw of a full device",
                way_out="Enter what one recharge takes and how often it comes, and the draw with its battery taken out.",
            )


def _is_power_metered(reading: Reading, audit: Audit) -> bool:
    return reading.hookup is Hookup.POWER_METER or reading.instrument_key in audit.power_meters


def _volt_amperes(audit: Audit) -> Iterator[Finding]:
    for load in audit.loads:
        ac = load.ac
        if ac is None or ac.apparent_va is None:
            continue
        same = ac.power_w is not None and abs(ac.power_w - ac.apparent_va) <= NEARLY_EQUAL_RATIO * ac.apparent_va
        real_w = None if ac.power_factor_ratio is None else ac.apparent_va * ac.power_factor_ratio
        if same and (real_w is None or real_w < ac.apparent_va * (1 - NEARLY_EQUAL_RATIO)):
            with_factor = "" if real_w is None else f"; with its power factor it would be {plain_number(real_w)} W"
            yield Finding(
                code="va_taken_for_w",
                severity=Severity.RISK,
                evidence=f"{load.name} has as many watts as volt-amperes ({plain_number(ac.apparent_va)}){with_factor}.",
                source="W = VA × power factor",
                way_out="Measure the watts, or enter the power factor and leave the watts empty.",
            )


def _company(audit: Audit) -> Iterator[Finding]:
    safety = [load.name for load in audit.loads if load.purpose is Purpose.LIFE_SAFETY]
    comfort = [load.name for load in audit.loads if load.purpose is Purpose.CONVENIENCE]
    if safety and comfort:
        yield Finding(
            code="convenience_on_life_safety",
            severity=Severity.RISK,
            evidence=f"{audit.supply.name} feeds {', '.join(dict.fromkeys(safety))} and, for convenience, {', '.join(dict.fromkeys(comfort))}: "
            "what is switched or plugged in there takes hours from a life-safety load.",
            source="life-safety and convenience loads do not share a supply",
            way_out=f"Feed {', '.join(dict.fromkeys(comfort))} from another supply. Local codes come first.",
        )


def _nameplates(facts: Facts) -> Iterator[Finding]:
    whole_a = facts.result.standby_current_a or 0.0
    shares = {s.key: s.standby_current_a for s in facts.result.shares}
    named = [load for load in facts.loads if load.standby.provenance is Provenance.NAMEPLATE]
    part_a = sum(shares.get(load.key, 0.0) for load in named)
    if named and whole_a > 0 and part_a >= NOTICEABLE_SHARE_RATIO * whole_a:
        yield Finding(
            code="nameplate_used_as_draw",
            severity=Severity.NOTE,
            evidence=f"{', '.join(dict.fromkeys(load.name for load in named))}: {say_percent(part_a / whole_a)} of the standby current of "
            f"{facts.supply.name} comes from nameplates. A label is a ceiling: 0.7 of it is expected, 0.4 to all of it is possible.",
            source="a rating is what a device may draw, not what it draws",
            way_out="Measure it: one piece, in series, for a minute.",
        )


def cable_drop(facts: Facts, load: Load) -> CableDrop | None:
    """Return what the cable of a load does at its greatest current, or None without a cable."""
    if load.cable_ohm <= 0:
        return None
    currents = expected_currents(load, load.place or facts.supply.climate)
    peaks = [peak_draw(currents, in_alarm=state) for state in (False, True)]
    at_v = load.min_v or facts.supply.nominal_v
    in_alarm = peaks[1].at_nominal_a(at_v) >= peaks[0].at_nominal_a(at_v)
    current_a = (peaks[in_alarm] or NO_DRAW).at_nominal_a(at_v)
    drop_v = load.cable_ohm * current_a
    return CableDrop(current_a=current_a, drop_v=drop_v, left_v=facts.supply.nominal_v - drop_v, in_alarm=in_alarm)


def _cables(facts: Facts) -> Iterator[Finding]:
    end_v = facts.supply.cutoff_v or (facts.supply.bank.end_v if facts.supply.bank else facts.supply.nominal_v)
    for load in facts.loads:
        found = cable_drop(facts, load)
        if found is None or load.cable is None or load.min_v is None or end_v - found.drop_v >= load.min_v:
            continue
        when = "in alarm" if found.in_alarm else "in standby"
        at_once = found.left_v < load.min_v
        lasts = "already with a battery at its nominal voltage" if at_once else f"before the supply ends at {plain_number(end_v)} V"
        yield Finding(
            code="cable_drop_starves",
            severity=Severity.RISK,
            evidence=f"{load.name} draws up to {say_amps(found.current_a)} {when} through {plain_number(load.cable.length_m)} m of "
            f"{plain_number(load.cable.section_mm2)} mm², which drops {plain_number(found.drop_v, 2)} V: it has less than its "
            f"{plain_number(load.min_v)} V {lasts}.",
            source="ΔU = 2·L·I·ρ/A, copper (IEC 60028)",
            way_out="Fit a thicker or shorter cable, or feed the far end from a supply nearby.",
        )
