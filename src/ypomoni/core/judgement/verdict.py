"""From findings to a verdict, and what was not looked at."""

from collections.abc import Iterator, Sequence

from ypomoni.core.judgement.audit import UNLISTED_LOAD, check_improbable, check_nameplates
from ypomoni.core.judgement.bank import BEYOND_SHELF_LIFE, check_bank
from ypomoni.core.judgement.cables import check_cables
from ypomoni.core.judgement.charger import check_charger
from ypomoni.core.judgement.charging import check_charging
from ypomoni.core.judgement.facts import Facts
from ypomoni.core.judgement.holdover import check_holdover, check_paper
from ypomoni.core.judgement.locks import check_locks
from ypomoni.core.judgement.margins import check_margins
from ypomoni.core.judgement.output import check_output, check_sources, unknown_of_output
from ypomoni.core.judgement.protection import check_protection, unknown_of_protection
from ypomoni.core.judgement.seasons import CUTS_UNKNOWN, check_panel, check_seasons
from ypomoni.core.judgement.sharing import check_sharing
from ypomoni.core.outage.case import Hindrance, hindrance_of
from ypomoni.core.telling.results import Finding, LimitedBy, SelectorResult, Severity, SupplyResult, Verdict, worst_of
from ypomoni.core.telling.wording import say_hours, say_required_h
from ypomoni.core.things.solar import Controller

SEVERITY_ORDER = tuple(Severity)
OVERLOAD_CODES = frozenset({"overload_standby", "overload_alarm"})
PAPER_CODES = frozenset({"meets_on_paper_only", "charger_not_known", "recharge_not_promised", UNLISTED_LOAD, BEYOND_SHELF_LIFE})
UNKNOWN_HINDRANCES = frozenset({Hindrance.KIND, Hindrance.AC_LOAD})
WEAK_LINK_RATIO = 0.5


def is_idle(facts: Facts) -> bool:
    """Say whether nothing hangs on a supply and it draws nothing itself: then it is judged for dangers only."""
    return not facts.loads and facts.supply.own_current_a == 0


def judge_supply(facts: Facts, audited: tuple[Finding, ...] = ()) -> tuple[tuple[Finding, ...], Verdict | None, bool]:
    """Return the findings of a supply, worst first, its verdict, and whether it is overloaded. ``audited`` are those of its readings."""
    if is_idle(facts):
        dangers = [f for f in _stated(facts) if f.severity is Severity.DANGER]
        return (*dangers, *check_holdover(facts)), Verdict.UNSAFE if dangers else None, False
    overload = check_output(facts)
    findings = [*check_holdover(facts), *overload, *check_charger(facts), *check_seasons(facts), *_stated(facts), *audited]
    if facts.result.rated_c20_ah is not None:
        findings += check_margins(facts)
    findings += check_nameplates(facts)
    # What fails today needs no word on what it would do in the cold.
    if not any(f.severity is Severity.FAILS for f in findings):
        findings += check_paper(facts)
    # Sorting keeps the order of equals, so within a severity the cause stays before what follows of it.
    findings.sort(key=lambda f: SEVERITY_ORDER.index(f.severity))
    return tuple(findings), _verdict_of(facts, findings), bool(OVERLOAD_CODES.intersection(f.code for f in overload))


def _stated(facts: Facts) -> Iterator[Finding]:
    """Yield what follows from what is stated, whether or not hours can be computed."""
    yield from check_sources(facts)
    yield from check_charging(facts)
    yield from check_panel(facts)
    yield from check_bank(facts)
    yield from check_protection(facts)
    yield from check_cables(facts)
    yield from check_locks(facts.loads)
    yield from check_sharing(facts)
    yield from check_improbable(facts.loads)


def _verdict_of(facts: Facts, findings: list[Finding]) -> Verdict:
    severities = {f.severity for f in findings}
    if Severity.DANGER in severities:
        return Verdict.UNSAFE
    if Severity.FAILS in severities:
        return Verdict.FAILS
    if hindrance_of(facts.supply, facts.loads) in UNKNOWN_HINDRANCES or facts.result.limited_by is LimitedBy.NOTHING_DRAWS:
        return Verdict.UNKNOWN
    if any(f.code == CUTS_UNKNOWN for f in findings):
        return Verdict.UNKNOWN
    # A note tells and does not judge.
    judging = {f.code for f in findings if f.severity is not Severity.NOTE}
    return Verdict.ON_PAPER_ONLY if PAPER_CODES & judging else Verdict.HOLDS


def judge_plan(supplies: Sequence[SupplyResult | SelectorResult], loose: list[Finding]) -> Verdict | None:
    """Return the verdict of a plan: that of its worst supply, and of loads that hang on nothing."""
    verdicts: list[Verdict | None] = [s.verdict for s in supplies]
    for finding in loose:
        if finding.severity is Severity.FAILS:
            verdicts.append(Verdict.FAILS)
        elif finding.severity is Severity.RISK:
            # Without any supply that was judged nothing is known to hold.
            verdicts.append(Verdict.ON_PAPER_ONLY if any(verdicts) else Verdict.UNKNOWN)
    return worst_of(verdicts)


def find_weak_link(covered: list[SupplyResult], weakest: SupplyResult | None) -> Finding | None:
    """Return the weak link: a supply whose share of its requirement is under half that of the next."""
    others = [s for s in covered if s is not weakest]
    if weakest is None or weakest.holdover is None or not others:
        return None
    # Against the next to give out, not the best: a site of one poor supply among poor ones has no weak link.
    following = min(others, key=lambda s: s.coverage_ratio or 0.0)
    # Nobody is sent to a supply that fails itself or could hurt somebody.
    sound = [s for s in others if s.verdict in (Verdict.HOLDS, Verdict.ON_PAPER_ONLY)]
    strongest = max(sound, key=lambda s: s.coverage_ratio or 0.0, default=None)
    if following.holdover is None or (weakest.coverage_ratio or 0.0) >= WEAK_LINK_RATIO * (following.coverage_ratio or 0.0):
        return None
    return Finding(
        code="weak_link",
        severity=Severity.RISK,
        evidence=f"{weakest.name} holds {say_hours(weakest.holdover.expected, must_h=weakest.standby_h)} of {say_required_h(weakest.standby_h)}. "
        f"The next to give out is {following.name}, with {say_hours(following.holdover.expected, must_h=following.standby_h)} of {say_required_h(following.standby_h)}.",
        source="a site holds as long as its weakest supply",
        way_out=f"Look on the balance board which loads of {weakest.name} can hang {f'on {strongest.name}' if strongest else 'elsewhere'}.",
    )


def not_checked(facts: Facts) -> tuple[str, ...]:
    """Return by name what was not looked at, since nothing was said of it or it cannot be computed."""
    supply, bank, loads = facts.supply, facts.bank, facts.loads
    hindrance = hindrance_of(supply, loads)
    found: list[str] = []
    if is_idle(facts):
        return ("anything but dangers, since nothing hangs on it",)
    if hindrance in (Hindrance.KIND, Hindrance.AC_LOAD):
        why = f"{supply.missing_part} is not entered" if supply.missing_part else "this kind is not computed yet"
        found.append(f"how long it holds and how fast it recharges: {why}")
    elif hindrance in (Hindrance.TOO_COLD, Hindrance.TOO_HOT):
        found.append("how long it holds: the temperature is beyond what is known of the battery")
    if bank is None:
        return (*found, "the battery: none is entered")
    if not bank.chemistry.is_primary:
        # A nought stands for what this kind of supply has no need to be told: mains or the sun carries the loads by itself.
        by_itself = supply.of_kind.mains_carries or supply.of_kind.is_sunlit
        bare_panel = supply.solar is not None and supply.of_kind.is_sunlit and supply.solar.controller is Controller.NONE
        known = (
            (0.0 if by_itself else supply.supply_current_a, "current"),
            (0.0 if supply.of_kind.is_sunlit else supply.charge_limit_a, "charge limit"),
            (0.0 if bare_panel else supply.charge_v, "charge voltage"),
        )
        missing = [
            name for value, name in known if value is None and not (name == "charge voltage" and bank.chemistry.charges_at_constant_current)
        ]
        if missing:
            found.append(f"its charger: {' and '.join(missing)} not known")
    found += unknown_of_output(facts)
    if supply.max_degc is None:
        found.append("how hot it gets")
    unsaid = [load for load in loads if load.essential and load.min_v is None and load.feed is None]
    if unsaid:
        found.append(f"what voltage {'one load needs' if len(unsaid) == 1 else f'{len(unsaid)} loads need'}")
    if any(load.cable is None for load in loads):
        found.append("cables that are not entered")
    if bank.chemistry.is_lead and supply.enclosure is None:
        found.append("how its box is ventilated")
    return (*found, *unknown_of_protection(facts, bank))
