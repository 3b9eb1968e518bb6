"""Does it hold as long as it must, and what ends it."""

from ypomoni.core.judgement.facts import Facts, say_sold
from ypomoni.core.requirements import Method
from ypomoni.core.results import Finding, LimitedBy, Severity
from ypomoni.core.sizing import METHOD_WORDS, c20_of
from ypomoni.core.wording import say_amp_hours, say_amps, say_hours, say_percent, say_required_h

LIMIT_WORDS = {
    LimitedBy.CAPACITY: "its charge is spent",
    LimitedBy.BURST: "a burst trips the cut-off",
    LimitedBy.ALARM: "it cannot carry the alarm's current",
    LimitedBy.VOLTAGE_COLLAPSE: "the voltage collapses under a power load",
    LimitedBy.END_VOLTAGE: "the battery is at its end voltage",
    LimitedBy.CUTOFF_HIGH: "its cut-off is higher than the equipment needs",
    LimitedBy.NO_BANK: "there is no bank",
    LimitedBy.NOTHING_DRAWS: "nothing draws",
    LimitedBy.NOT_MODELLED_YET: "not modelled yet",
}
NOTICEABLY_LONGER_RATIO = 1.05


def check_holdover(facts: Facts) -> list[Finding]:
    """Return what holdover, prescribed capacity, bursts and cut-off give rise to."""
    return [
        f
        for f in (
            _below_requirement(facts),
            _below_method(facts),
            _burst_trips(facts),
            _no_cutoff(facts),
            _cutoff_high(facts),
            _brown_out(facts),
            _warning_short(facts),
            _nothing_draws(facts),
        )
        if f
    ]


def _below_requirement(facts: Facts) -> Finding | None:
    result, required_h = facts.result, facts.requirement.standby_h
    if result.holdover is None or result.limited_by is None or result.holdover.expected >= required_h:
        return None
    heaviest = max(result.shares, key=lambda s: s.standby_current_a, default=None)
    evidence = (
        f"{facts.supply.name} holds {say_hours(result.holdover.expected, not_reaching_h=required_h)} of {say_required_h(required_h)}: "
        f"{LIMIT_WORDS[result.limited_by]}."
    )
    if heaviest and result.standby_current_a and heaviest.standby_current_a > 0:
        share = say_percent(heaviest.standby_current_a / result.standby_current_a)
        evidence += f" {heaviest.name} takes {share} of its {say_amps(result.standby_current_a)}."
    source = facts.requirement.source or f"requirement {facts.requirement.name}"
    return Finding(code="holdover_below_requirement", severity=Severity.FAILS, evidence=evidence, source=source, way_out=facts.what_to_fit)


def _below_method(facts: Facts) -> Finding | None:
    method = facts.requirement.method
    rated_ah = facts.result.rated_c20_ah
    required_ah = next((m.required_ah for m in facts.result.methods if m.method is method), None)
    if method is Method.SIMULATION or rated_ah is None or required_ah is None or required_ah <= rated_ah * (1 + 1e-9):
        return None
    return Finding(
        code="capacity_below_method",
        severity=Severity.FAILS,
        evidence=f"The prescribed method ({METHOD_WORDS[method]}) asks for {say_amp_hours(required_ah)}; the bank is rated {say_amp_hours(rated_ah)} at 20 h.",
        source=facts.requirement.source or METHOD_WORDS[method],
        way_out=facts.what_to_fit,
    )


def check_paper(facts: Facts) -> list[Finding]:
    """Return whether a supply that meets its requirement does so on paper only: at the low end, in the cold, at end of life."""
    result, required_h = facts.result, facts.requirement.standby_h
    if result.holdover is None or result.scenarios is None:
        return []
    candidates = (
        ("at the low end of its band", result.holdover.low, "Measure the inputs that widen the band most"),
        (f"in the cold ({facts.supply.min_degc:g} °C)", result.scenarios.cold, "Keep the cupboard warmer"),
        ("at the end of the battery's life", result.scenarios.end_of_life, "Renew the battery before then"),
    )
    short = [c for c in candidates if c[1] < required_h]
    if short:
        listed = ", ".join(f"{words} {say_hours(h, not_reaching_h=required_h)}" for words, h, _ in short)
        ways = "; ".join(dict.fromkeys(way for _, _, way in short))
        bank = result.recommended_bank
        bigger = f", or fit {say_sold(bank)}" if bank and result.rated_c20_ah and c20_of(bank) > result.rated_c20_ah else ""
        return [
            Finding(
                code="meets_on_paper_only",
                severity=Severity.RISK,
                evidence=f"{facts.supply.name} holds {say_hours(result.holdover.expected)} of {say_required_h(required_h)} today, but {listed}.",
                source="band and scenarios of the simulation",
                way_out=f"{ways}{bigger}.",
            )
        ]
    if result.scenarios.worst < required_h:
        return [
            Finding(
                code="worst_case_short",
                severity=Severity.NOTE,
                evidence=f"Old and cold at once, {facts.supply.name} would hold {say_hours(result.scenarios.worst, not_reaching_h=required_h)} "
                f"of {say_required_h(required_h)}.",
                source="scenarios of the simulation",
                way_out="Renew the battery before the end of its life.",
            )
        ]
    return []


def _burst_trips(facts: Facts) -> Finding | None:
    result = facts.result
    if result.averaged_holdover_h is None or result.holdover is None or result.end is None:
        return None
    if result.averaged_holdover_h <= 0 or result.averaged_holdover_h < NOTICEABLY_LONGER_RATIO * result.holdover.expected:
        return None
    bursting = [load for load in facts.loads if load.bursts]
    strongest = max(bursting, key=lambda load: load.quantity * max(b.current_a for b in load.bursts))
    current_a = strongest.quantity * max(b.current_a for b in strongest.bursts)
    shorter_h = result.averaged_holdover_h - result.holdover.expected
    return Finding(
        code="burst_trips_cutoff",
        severity=Severity.RISK,
        evidence=f"The {say_amps(current_a)} burst of {strongest.name} pulls the battery to {result.end.threshold_v:g} V with "
        f"{say_percent(result.end.charge_left_ratio)} of its charge left: {say_hours(shorter_h)} sooner than the average current suggests.",
        source="bursts stay explicit in the simulation",
        way_out="Renew or enlarge the battery, or feed the transmitter from another supply.",
    )


def _no_cutoff(facts: Facts) -> Finding | None:
    bank = facts.supply.bank
    if facts.supply.cutoff_v is not None or bank is None:
        return None
    lithium = bank.chemistry.is_lithium
    return Finding(
        code="no_cutoff",
        severity=Severity.DANGER if lithium else Severity.RISK,
        evidence=f"{facts.supply.name} never disconnects its battery: a long cut drains it below {bank.end_v:g} V and "
        + ("recharging an over-discharged lithium battery can start a fire." if lithium else "ruins it."),
        source=f"end voltage of {bank.chemistry.name}: {bank.chemistry.end_v:g} V a cell",
        way_out="Fit a low-voltage disconnect that reconnects on mains only.",
    )


def _cutoff_high(facts: Facts) -> Finding | None:
    result = facts.result
    if result.limited_by is not LimitedBy.CUTOFF_HIGH or result.lowered_cutoff_holdover_h is None or result.holdover is None:
        return None
    gained_h = result.lowered_cutoff_holdover_h - result.holdover.expected
    return Finding(
        code="cutoff_above_need",
        severity=Severity.NOTE,
        evidence=f"{facts.supply.name} cuts off at {facts.supply.cutoff_v:g} V although its equipment and battery need less: {say_hours(gained_h)} are wasted.",
        source="end voltage of the chemistry and the equipment's least voltages",
        way_out="Lower the cut-off if the supply allows it, not below the battery's end voltage.",
    )


def _brown_out(facts: Facts) -> Finding | None:
    cutoff_v = facts.supply.cutoff_v
    needing = [load for load in facts.loads if load.essential and load.min_v is not None and cutoff_v is not None and load.min_v > cutoff_v]
    first = max(needing, key=lambda load: load.min_v or 0.0, default=None)
    if first is None or cutoff_v is None:
        return None
    return Finding(
        code="cutoff_below_need",
        severity=Severity.NOTE,
        evidence=f"{first.name} needs {first.min_v:g} V, {facts.supply.name} cuts off at {cutoff_v:g} V: in between it is fed less than it needs and may do anything. "
        "The hours shown end where it is starved.",
        source="equipment's least voltage against the cut-off",
        way_out="Count with the hours shown, or feed it through a converter that holds its voltage.",
    )


def _warning_short(facts: Facts) -> Finding | None:
    warning, response_h = facts.result.warning, facts.requirement.response_h
    if warning is None or response_h is None:
        return None
    shortest_h = min(warning.standby_h, warning.alarm_h)
    if shortest_h >= response_h:
        return None
    state = "in alarm" if warning.alarm_h < warning.standby_h else "in standby"
    return Finding(
        code="warning_too_short",
        severity=Severity.RISK,
        evidence=f"From the low-battery warning of {facts.supply.name} at {facts.supply.low_battery_v:g} V to its end it is {say_hours(shortest_h)} {state}; "
        f"somebody comes after {say_required_h(response_h)}.",
        source=facts.requirement.source or "requirement",
        way_out="Set the warning higher, shorten the way, or enlarge the battery.",
    )


def _nothing_draws(facts: Facts) -> Finding | None:
    if facts.result.limited_by is not LimitedBy.NOTHING_DRAWS:
        return None
    return Finding(
        code="nothing_draws",
        severity=Severity.NOTE,
        evidence=f"No load is assigned to {facts.supply.name} and its own current is zero, so no holdover can be named.",
        source="load register",
        way_out="Assign loads, and enter what the supply itself draws on battery: 30 to 100 mA is common.",
    )
