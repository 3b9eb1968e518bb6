"""Can the figures be trusted: what the readings and the register say against each other."""

from collections.abc import Iterator

from ypomoni.core.judgement.facts import Audit, Facts
from ypomoni.core.measuring.measured_totals import check_totals
from ypomoni.core.measuring.reconciliation import NodeState, reconcile_supply
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import plain_number, say_amps, say_percent
from ypomoni.core.things.device_types import improbable_current
from ypomoni.core.things.loads import Load, Provenance
from ypomoni.core.things.readings import Hookup, Mains, MeasuringPoint, PointKind
from ypomoni.core.things.supplies import Plan, Supply

NOTICEABLE_SHARE_RATIO = 0.05
UNLISTED_LOAD = "unlisted_load"
CONVINCING_SCORE_RATIO = 0.3
# A real device's power factor is hardly ever better than this without a converter made for it.
NEARLY_EQUAL_RATIO = 0.02


def audit_of(plan: Plan, supply: Supply) -> Audit:
    """Return what was read of a supply and how it adds up."""
    keys = {p.key for p in plan.points if p.supply_key == supply.key}
    return Audit(
        supply=supply,
        loads=plan.loads_on(supply.key),
        points={p.key: p for p in plan.points if p.key in keys},
        readings={r.key: r for r in plan.readings if r.point_key in keys},
        nodes=reconcile_supply(plan, supply),
        totals=check_totals(plan, supply),
    )


def judge_audit(audit: Audit) -> tuple[Finding, ...]:
    """Return the findings that need no computed figure."""
    return tuple(finding for check in (_mains_on, _totals, _disagreements, _power_metered, _volt_amperes) for finding in check(audit))


def _mains_on(audit: Audit) -> Iterator[Finding]:
    # Only what was taken into the register does harm: a reading that merely lies there is no load.
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


def _totals(audit: Audit) -> Iterator[Finding]:
    supply, unlisted = audit.supply, audit.supply.unlisted
    if unlisted is not None:
        state = "in alarm" if unlisted.in_alarm else "in standby"
        yield Finding(
            code=UNLISTED_LOAD,
            severity=Severity.RISK,
            evidence=f"{supply.name}: {say_amps(unlisted.read_a)} measured at {unlisted.point_name} {state}, {say_amps(unlisted.expected_a)} expected from the load list. "
            f"The difference, {say_amps(unlisted.current_a)}, counts as an unlisted load in every figure of {supply.name}.",
            source="a valid total above the load list by more than their joint uncertainty",
            way_out="Follow the wires and enter the load that is missing. If the reading is wrong, measure again.",
        )
    short = [c for c in audit.totals if c.shortfall_a is not None]
    if short and unlisted is None:
        check = max(short, key=lambda c: c.shortfall_a or 0.0)
        yield Finding(
            code="overstated_load",
            severity=Severity.NOTE,
            evidence=f"{supply.name}: {say_amps(check.reading.drawn_a)} measured at {check.point.name}, {say_amps(check.expected_a)} expected from the load list. "
            f"The load list gives {say_amps(check.shortfall_a or 0.0)} too much.",
            source="a valid total below the load list by more than their joint uncertainty",
            way_out="See which load is off, or fed from another supply. Measure the largest estimate by itself.",
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
        if not any(r.hookup is Hookup.POWER_METER for r in readings if r):
            continue
        # On an AC UPS that side is the one that counts: its efficiency is known. A battery of the device's own hides there all the same.
        if audit.supply.of_kind.is_inverter and audit.supply.is_modelled and not load.recharges:
            continue
        if load.recharges:
            yield Finding(
                code="own_battery_by_power_meter",
                severity=Severity.RISK,
                evidence=f"{load.name} has a battery of its own and was read with a power meter. While that battery is full it takes nearly nothing.",
                source="energy per recharge counts, not the draw of a full device",
                way_out="Enter what one recharge takes and how often it comes, and the draw with its battery taken out.",
            )
        else:
            yield Finding(
                code="power_meter_counted_as_load",
                severity=Severity.RISK,
                evidence=f"{load.name} was read with a power meter. That shows the AC side; what it takes from the battery is another current.",
                source="a power meter's current is at mains voltage, before the adaptor",
                way_out="Measure it on the DC side, or enter its watts with the efficiency of its adaptor.",
            )


def _volt_amperes(audit: Audit) -> Iterator[Finding]:
    for load in audit.loads:
        ac = load.ac
        if ac is None or ac.apparent_va is None:
            continue
        # A clamp shows volt-amperes and its display says W: the two alike is how that slip looks.
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


def check_nameplates(facts: Facts) -> Iterator[Finding]:
    """Yield what of the standby current comes from labels, which are ceilings."""
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


def check_improbable(loads: tuple[Load, ...]) -> Iterator[Finding]:
    """Yield currents far outside what devices of such a name draw."""
    for load in loads:
        if load.ac is not None:
            continue
        stated = [(load.standby.current_a, False)] + ([] if load.alarm_is_standby else [(load.alarm.current_a, True)])
        for current_a, in_alarm in stated:
            found = improbable_current(load.name, load.rail_v, current_a, in_alarm=in_alarm)
            if found is None:
                continue
            yield Finding(
                code="current_improbable",
                severity=Severity.NOTE,
                evidence=f"{load.name} is registered with {say_amps(current_a)} {'in alarm' if in_alarm else 'in standby'}, one piece. "
                f"Such devices draw {say_amps(found.low_a)} to {say_amps(found.high_a)}.",
                source=f"usual range of a {found.type_name.lower()}; rough",
                way_out="Look at the unit again: mA or A, one piece or all of them.",
            )
            break
