"""Loads that do not go together on a supply, or that hang on nothing."""

from collections.abc import Iterator

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.judgement.locks import check_locks
from ypomoni.core.requirements import SystemPurpose
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import say_names
from ypomoni.core.things.loads import Load, Purpose
from ypomoni.core.things.supplies import Plan


def judge_buses(plan: Plan) -> dict[str, list[Finding]]:
    """Return for each supply the bus groups that are split between it and another."""
    groups: dict[str, dict[str, list[str]]] = {}
    for load in plan.loads:
        # What hangs on nothing pulls no bus down; it is told as a load without a supply.
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
            evidence=f"{len(by_supply)} supplies feed the bus {group} ({listed}). When one of them gives out first, what it feeds pulls the whole bus down.",
            source="devices on one data bus share its 0 V, so they share a supply",
            way_out=f"Feed all of {group} from one supply, or isolate the bus where the supplies meet.",
        )
        # Told at each of them: whoever stands before one reads it there.
        for key in by_supply:
            found.setdefault(key, []).append(finding)
    return found


def check_sharing(facts: Facts) -> Iterator[Finding]:
    """Yield conveniences beside life safety, and loads of a fire supply of which nobody has said what they are for."""
    is_fire = facts.requirement.purpose is SystemPurpose.FIRE
    safety = [load for load in facts.loads if load.purpose is Purpose.LIFE_SAFETY]
    comfort = [load for load in facts.loads if load.purpose is Purpose.CONVENIENCE]
    unsaid = [load for load in facts.loads if load.purpose is None]
    # On a fire supply no load has to be called life safety first: what the supply is for says it.
    if comfort and (safety or is_fire):
        beside = say_names(safety) if safety else "a fire system"
        yield Finding(
            code="convenience_on_life_safety",
            severity=Severity.RISK,
            evidence=f"{facts.supply.name} feeds {beside}, and for convenience {say_names(comfort)}. "
            "Whatever is switched or plugged in there takes hours from life safety.",
            source="life-safety and convenience loads do not share a supply",
            way_out=f"Feed {say_names(comfort)} from another supply. Local codes come first.",
        )
    if is_fire and unsaid:
        yield Finding(
            code="convenience_on_life_safety",
            severity=Severity.NOTE,
            evidence=f"{facts.supply.name} feeds a fire system. Nobody has said what {say_names(unsaid)} {'is' if len(unsaid) == 1 else 'are'} for.",
            source="only life-safety loads belong on a fire supply",
            way_out="Say what each load is for. Local codes come first.",
        )


def judge_unassigned(plan: Plan) -> list[Finding]:
    """Return what is said of loads that hang on no supply, worst first."""
    loose = [load for load in plan.loads if load.supply_key is None]
    kinds = (
        (
            Severity.FAILS,
            [e for e in loose if e.purpose is Purpose.LIFE_SAFETY],
            "for life safety",
        ),
        (
            Severity.RISK,
            # Nobody has said that it may go dark, so a load without a purpose counts as wanted.
            [e for e in loose if e.purpose not in (Purpose.LIFE_SAFETY, Purpose.CONVENIENCE)],
            "",
        ),
        (Severity.NOTE, [e for e in loose if e.purpose is Purpose.CONVENIENCE], "a convenience"),
    )
    found = [_unassigned(severity, loads, what) for severity, loads, what in kinds if loads]
    return found + check_locks(loose)


def _unassigned(severity: Severity, loads: list[Load], what: str) -> Finding:
    goes = "it goes" if len(loads) == 1 else "they go"
    return Finding(
        code="load_unassigned",
        severity=severity,
        evidence=f"No supply feeds {say_names(loads)}{f' ({what})' if what else ''}, so {goes} dark when the mains fails.",
        source="load register",
        way_out="Choose the supply that feeds it, or leave it out of this plan.",
    )
