"""Does it hold as long as it must, and what ends it."""

from collections.abc import Iterator

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.requirements import Method
from ypomoni.core.sizing import METHOD_WORDS
from ypomoni.core.telling.results import Finding, LimitedBy, Severity
from ypomoni.core.telling.wording import (
    say_amp_hours,
    say_amp_hours_needed,
    say_amps,
    say_hours,
    say_percent,
    say_range,
    say_required_h,
    say_volts,
)

LIMIT_WORDS = {
    LimitedBy.CAPACITY: "its charge is spent",
    LimitedBy.BURST: "a burst trips the cut-off",
    LimitedBy.ALARM: "from then on it cannot carry an alarm to its end",
    LimitedBy.VOLTAGE_COLLAPSE: "its voltage collapses under a power load",
    LimitedBy.END_VOLTAGE: "the battery is at its end voltage",
    LimitedBy.CUTOFF_HIGH: "its cut-off is higher than the equipment needs",
    LimitedBy.NO_BANK: "there is no battery",
    LimitedBy.NOTHING_DRAWS: "nothing draws",
    LimitedBy.NOT_MODELLED_YET: "it is of a kind that is not computed yet",
    LimitedBy.LIGHT_LOAD: "its output switches off under so light a load",
}
NOTICEABLY_LONGER_RATIO = 1.05


def check_holdover(facts: Facts) -> list[Finding]:
    """Return what hours, prescribed capacity, bursts, cut-off and warning give rise to."""
    checks = (
        _below_requirement,
        _below_method,
        _burst_trips,
        _gathered,
        _cutoff_high,
        _brown_out,
        _warning,
        _warning_short,
        _nothing_draws,
    )
    return [finding for check in checks for finding in check(facts)]


def _below_requirement(facts: Facts) -> Iterator[Finding]:
    result, required_h = facts.result, facts.requirement.standby_h
    if result.holdover is None or result.holdover.expected >= required_h:
        return
    # Whoever reads it wants to know first what to take away.
    heaviest = max(result.shares, key=lambda s: s.standby_current_a, default=None)
    evidence = (
        f"{facts.supply.name} holds {say_hours(result.holdover.expected, must_h=required_h)} of {say_required_h(required_h)}: "
        f"{LIMIT_WORDS[result.limited_by or LimitedBy.CAPACITY]}."
    )
    if result.starts_at_ratio < 1:
        evidence += f" Its charger fills the battery to {say_percent(result.starts_at_ratio)} only."
    if heaviest and len(result.shares) > 1 and result.standby_current_a and heaviest.standby_current_a > 0:
        share = say_percent(heaviest.standby_current_a / result.standby_current_a)
        evidence += f" {heaviest.name} takes {share} of its {say_amps(result.standby_current_a)}."
    source = facts.requirement.source or f"requirement {facts.requirement.name}"
    yield Finding(code="holdover_below_requirement", severity=Severity.FAILS, evidence=evidence, source=source, way_out=facts.what_to_fit)


def _below_method(facts: Facts) -> Iterator[Finding]:
    method, rated_ah = facts.requirement.method, facts.result.rated_c20_ah
    required_ah = next((m.required_ah for m in facts.result.methods if m.method is method), None)
    if method is Method.SIMULATION or rated_ah is None or required_ah is None or required_ah <= rated_ah * (1 + 1e-9):
        return
    yield Finding(
        code="capacity_below_method",
        severity=Severity.FAILS,
        evidence=f"The prescribed method ({METHOD_WORDS[method]}) asks for {say_amp_hours_needed(required_ah, over_ah=rated_ah)}. The battery is rated {say_amp_hours(rated_ah)} at 20 h.",
        source=facts.requirement.source or METHOD_WORDS[method],
        way_out=facts.what_to_fit,
    )


def check_paper(facts: Facts) -> list[Finding]:
    """Return whether a supply that meets its requirement does so on paper only: at the low end, in the cold, at end of life."""
    result, required_h = facts.result, facts.requirement.standby_h
    if result.holdover is None or result.scenarios is None:
        return []
    # Each alone: all of them at once is a battery that nobody has, and is told below as a note.
    candidates = (
        ("at the low end of its band", result.holdover.low, "Measure what widens the band most"),
        (f"in the cold ({facts.supply.min_degc:g} °C)", result.scenarios.cold, "Keep the cupboard warmer"),
        ("at the end of the battery's life", result.scenarios.end_of_life, "Renew the battery before the end of its life"),
    )
    short = [c for c in candidates if c[1] < required_h]
    if short:
        listed = ", ".join(f"{words} {say_hours(h, must_h=required_h)}" for words, h, _ in short)
        ways = ". ".join(dict.fromkeys(way for _, _, way in short))
        bigger = f" {facts.what_to_fit}" if facts.what_to_fit and facts.result.recommended_bank else ""
        return [
            Finding(
                code="meets_on_paper_only",
                severity=Severity.RISK,
                evidence=f"{facts.supply.name} holds {say_hours(result.holdover.expected, must_h=required_h)} of {say_required_h(required_h)} today, but {listed}.",
                source="band and scenarios of the simulation",
                way_out=f"{ways}.{bigger}",
            )
        ]
    if result.scenarios.worst < required_h:
        return [
            Finding(
                code="worst_case_short",
                severity=Severity.NOTE,
                evidence=f"Old and cold at once, {facts.supply.name} would hold {say_hours(result.scenarios.worst, must_h=required_h)} "
                f"of {say_required_h(required_h)}.",
                source="scenarios of the simulation",
                way_out="Renew the battery before the end of its life.",
            )
        ]
    return []


def _burst_trips(facts: Facts) -> Iterator[Finding]:
    result = facts.result
    if result.averaged_holdover_h is None or result.holdover is None or result.end is None or not result.end.bursts:
        return
    # Spread evenly the same charge would last: then it is the height of the burst and not what it takes.
    if result.averaged_holdover_h <= 0 or result.averaged_holdover_h < NOTICEABLY_LONGER_RATIO * result.holdover.expected:
        return
    names, current_a = result.end.bursts, result.end.burst_current_a
    shorter_h = result.averaged_holdover_h - result.holdover.expected
    yield Finding(
        code="burst_trips_cutoff",
        severity=Severity.RISK,
        evidence=f"The {say_amps(current_a)} burst of {' and '.join(names)} pulls the battery down to {say_volts(result.end.threshold_v)} while "
        f"{say_percent(result.end.charge_left_ratio)} of its charge is left. That is {say_hours(shorter_h)} sooner than the average current suggests.",
        source="bursts stay explicit in the simulation",
        way_out=f"Feed {' and '.join(names)} from another supply, or renew or enlarge the battery.",
    )


def _gathered(facts: Facts) -> Iterator[Finding]:
    """Say that bursts were not followed one by one, and between which hours the truth then lies."""
    result, even_h = facts.result, facts.result.averaged_holdover_h
    if facts.case is None or result.holdover is None or even_h is None:
        return
    gathering = facts.case.gathering
    if gathering is None:
        return
    shown_h, required_h = result.holdover.expected, facts.requirement.standby_h
    # Gathered bursts begin together, so the true moment lies at most one of their intervals before the one shown.
    least_h = max(0.0, shown_h - gathering.longest_h)
    is_open = least_h < required_h <= shown_h
    yield Finding(
        code="bursts_gathered",
        severity=Severity.RISK if is_open else Severity.NOTE,
        evidence=f"The bursts of {facts.supply.name} come at so many unrelated intervals that they cannot be followed one by one. They are counted as "
        f"fewer and longer ones that begin together, with the same charge and the same peak. The hours shown may be {say_hours(gathering.longest_h)} too long at "
        f"most. Spread evenly the same bursts would give {say_hours(even_h)}."
        + (f" So it may hold less than the {say_required_h(required_h)} it must." if is_open else ""),
        source="what a pattern may cost to follow; the same charge at the same peak",
        way_out="Give bursts that come about as often the same interval: then every one of them is followed.",
    )


def _cutoff_high(facts: Facts) -> Iterator[Finding]:
    result = facts.result
    if result.limited_by is not LimitedBy.CUTOFF_HIGH or result.lowered_cutoff_holdover_h is None or result.holdover is None:
        return
    gained_h = result.lowered_cutoff_holdover_h - result.holdover.expected
    needed_v = facts.case.needed_v if facts.case else 0.0
    yield Finding(
        code="cutoff_above_need",
        severity=Severity.NOTE,
        evidence=f"{facts.supply.name} cuts off at {say_volts(facts.supply.cutoff_v or 0.0)}. Its equipment and battery need only {say_volts(needed_v)}. "
        f"That wastes {say_hours(gained_h)}.",
        source="end voltage of the chemistry and the equipment's least voltages",
        way_out=f"Lower the cut-off to {say_volts(needed_v)} if the supply allows it, and no further.",
    )


def _brown_out(facts: Facts) -> Iterator[Finding]:
    cutoff_v = facts.supply.cutoff_v
    if cutoff_v is None:
        return
    # A load that browns out before the cut-off is not off: it hangs, restarts and draws on.
    needing = [(e.battery_min_v, e) for e in facts.loads if e.essential and e.battery_min_v is not None and e.battery_min_v > cutoff_v]
    needs_v, first = max(needing, key=lambda entry: entry[0], default=(0.0, None))
    if first is None:
        return
    yield Finding(
        code="cutoff_below_need",
        severity=Severity.NOTE,
        evidence=f"{first.name} needs {say_volts(needs_v)}, and {facts.supply.name} goes on down to {say_volts(cutoff_v)}. In between {first.name} has too little "
        "voltage and may hang or restart. The hours shown end where it has too little.",
        source="equipment's least voltage against the cut-off",
        way_out="Count on the hours shown, or feed it through a switching converter that holds its voltage.",
    )


def _warning(facts: Facts) -> Iterator[Finding]:
    """Yield that nobody is warned in time, or at all, though a response is agreed."""
    supply, response_h = facts.supply, facts.requirement.response_h
    if response_h is None or facts.bank is None:
        return
    comes = f"Somebody comes within {say_required_h(response_h)} of a low-battery warning."
    source = facts.requirement.source or "requirement"
    if supply.low_battery_v is None:
        yield Finding(
            code="warning_missing",
            severity=Severity.RISK,
            evidence=f"{comes} {supply.name} gives no such warning.",
            source=source,
            way_out="Enter the voltage at which it warns, or fit something that reports a low battery.",
        )
        return
    ends_v = facts.case.threshold.threshold_v if facts.case else supply.cutoff_v
    if ends_v is not None and supply.low_battery_v <= ends_v:
        yield Finding(
            code="warning_too_late",
            severity=Severity.RISK,
            evidence=f"{comes} {supply.name} warns at {say_volts(supply.low_battery_v)}, but it is all over at {say_volts(ends_v)}.",
            source=source,
            way_out=f"Set the warning well above {say_volts(ends_v)}.",
        )


def _warning_short(facts: Facts) -> Iterator[Finding]:
    warning, response_h = facts.result.warning, facts.requirement.response_h
    if warning is None or response_h is None:
        return
    # Nobody chooses whether the warning comes in the quiet or in an alarm.
    shortest_h = min(warning.standby_h, warning.alarm_h)
    if warning.low_ratio * shortest_h >= response_h:
        return
    state = "in alarm" if warning.alarm_h < warning.standby_h * (1 - 1e-6) else "in standby"
    is_short = shortest_h < response_h
    lasts = say_range(warning.low_ratio * shortest_h, warning.high_ratio * shortest_h, must_h=response_h)
    yield Finding(
        code="warning_too_short",
        # What is only too short at the bad end of the range is told.
        severity=Severity.RISK if is_short else Severity.NOTE,
        evidence=f"{facts.supply.name} warns at {facts.supply.low_battery_v:g} V. From then it {'lasts' if is_short else 'may last only'} {lasts} {state}; "
        f"somebody comes after {say_required_h(response_h)}.",
        source=facts.requirement.source or "requirement",
        way_out="Set the warning higher, agree on a shorter response, or fit a larger battery."
        + (" Volts on the way in the battery's discharge table would narrow the range." if warning.is_range else ""),
    )


def _nothing_draws(facts: Facts) -> Iterator[Finding]:
    if facts.result.limited_by is not LimitedBy.NOTHING_DRAWS:
        return
    hangs = "Its loads draw nothing" if facts.loads else f"No load hangs on {facts.supply.name}"
    yield Finding(
        code="nothing_draws",
        severity=Severity.NOTE,
        evidence=f"{hangs} and its own current is zero, so no hours can be named.",
        source="load register",
        way_out="Enter what hangs on it, and what it draws itself on battery: 30 to 100 mA is common.",
    )
