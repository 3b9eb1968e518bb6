"""Can the supply deliver it."""

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import say_amps


def check_output(facts: Facts) -> list[Finding]:
    """Return overloads: average or peak above the output limit of standby or alarm."""
    supply, result = facts.supply, facts.result
    states = (
        ("overload_standby", "standby", supply.output_limit_of(in_alarm=False), result.standby_current_a, facts.peak_standby_current_a),
        ("overload_alarm", "alarm", supply.output_limit_of(in_alarm=True), result.alarm_current_a, facts.peak_alarm_current_a),
    )
    findings: list[Finding] = []
    for code, state, limit_a, mean_a, peak_a in states:
        if limit_a is None or mean_a is None or max(mean_a, peak_a) <= limit_a * (1 + 1e-9):
            continue
        what = f"{say_amps(mean_a)} on average" if mean_a > limit_a else f"{say_amps(peak_a)} at its peak"
        findings.append(
            Finding(
                code=code,
                severity=Severity.FAILS,
                evidence=f"In {state} the loads of {supply.name} ask for {what}. It gives {say_amps(limit_a)} at most."
                + (" The hours shown count only if it does not shut down." if result.holdover else ""),
                source="output limit entered with the supply",
                way_out="Fit a supply that is rated for it, or look on the balance board which loads can hang elsewhere.",
            )
        )
    return findings
