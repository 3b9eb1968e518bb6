"""Selectors evaluated: what each does, what would help, and the judgement of it. Called where a plan is summed up."""

import math
from collections.abc import Iterator
from dataclasses import replace
from functools import lru_cache

from ypomoni.core.judgement.selectors import SelectorFacts, judge_selector, say_selected
from ypomoni.core.outage.case import hindrance_of
from ypomoni.core.outage.run import HORIZON_H
from ypomoni.core.outage.selecting import Selected, play_selector
from ypomoni.core.outage.uncertainty import limits_a
from ypomoni.core.telling.results import Feeding, Finding, LimitedBy, SelectorResult, Severity, Verdict
from ypomoni.core.telling.wording import say_hours, say_volts
from ypomoni.core.things.loads import Load, Provenance, StatedCurrent
from ypomoni.core.things.outputs import DcOutput
from ypomoni.core.things.selectors import Selector, SelectorMode
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.core.things.supply_kinds import SupplyKind

MOST_FED_BY = 200
CAPACITY_LOW_RATIO = 0.9
# With more loads than this all of them are moved at once.
MOST_MOVED = 8
# A way out must make at least so much more of it.
HELPS_RATIO = 1.05
# An under-voltage changeover is set so far above what the load needs.
ABOVE_NEED_RATIO = 1.03
# A converter that is proposed between a pack and its load.
CONVERTER_EFFICIENCY_RATIO = 0.9


def evaluate_selectors(plan: Plan) -> tuple[SelectorResult, ...]:
    """Return the results of every selector of a plan."""
    by_key = {s.key: s for s in plan.supplies}
    return tuple(
        evaluate_selector(s, tuple(by_key[k] for k in s.inputs if k in by_key), tuple(e for e in plan.loads if e.supply_key == s.key))
        for s in plan.selectors
    )


@lru_cache(maxsize=256)
def evaluate_selector(selector: Selector, supplies: tuple[Supply, ...], loads: tuple[Load, ...]) -> SelectorResult:
    """Return what a selector does with its loads, judged by the requirement of its first input."""
    must_h = supplies[0].requirement.standby_h if supplies else 0.0
    blank = SelectorResult(
        key=selector.key, name=selector.name, standby_h=must_h, holdover_h=None, reached=dict.fromkeys((s.key for s in supplies), False)
    )
    if not loads:
        return replace(blank, limited_by=LimitedBy.NOTHING_DRAWS, line=f"Nothing hangs on {selector.name}.")
    missing = [s for s in supplies if not s.is_modelled]
    if missing:
        names = " and ".join(s.name for s in missing)
        line = f"How long {selector.name} holds is not known: {names} cannot be computed yet."
        return replace(blank, limited_by=LimitedBy.NOT_MODELLED_YET, verdict=Verdict.UNKNOWN, line=line)
    outside = [s for s in supplies if s.bank is not None and hindrance_of(s, loads) is not None]
    if outside:
        names = " and ".join(s.name for s in outside)
        line = f"How long {selector.name} holds is not known: it is too cold or too hot for the battery of {names}."
        return replace(blank, verdict=Verdict.UNKNOWN, line=line)
    if all(s.bank is None for s in supplies):
        finding = _no_bank(selector, supplies)
        return replace(
            blank, holdover_h=0.0, limited_by=LimitedBy.NO_BANK, verdict=Verdict.FAILS, findings=(finding,), line=finding.evidence
        )
    # From here on every input can be played, so it is the whole that is judged, never one input alone.
    selected = play_selector(selector, supplies, loads)
    if selected.dead is None and not any(load.standby.current_a or load.bursts for load in loads):
        return replace(blank, limited_by=LimitedBy.NOTHING_DRAWS, line=f"Nothing draws from {selector.name}.")
    end_of_life_ratio = supplies[0].requirement.end_of_life_ratio
    facts = SelectorFacts(
        selector=selector,
        supplies=supplies,
        selected=selected,
        cold_h=_cold_h(selector, supplies, loads),
        end_of_life_h=play_selector(selector, supplies, loads, condition_ratio=end_of_life_ratio, briefly=True).holdover_h,
        low_h=_low_h(selector, supplies, loads, selected.holdover_h),
    )
    if selected.dead is not None and (facts.unused or selected.holdover_h < must_h):
        facts = replace(facts, ways=tuple(_ways_out(facts, loads)))
    findings = judge_selector(facts)
    return replace(
        blank,
        holdover_h=selected.holdover_h,
        reached={s.key: s.key in selected.reached for s in supplies},
        fed_by=tuple(Feeding(from_h=c.from_h, input_key=c.input_key) for c in selected.changes[:MOST_FED_BY]),
        cold_h=facts.cold_h,
        end_of_life_h=facts.end_of_life_h,
        low_h=facts.low_h,
        limited_by=_limit_of(selected),
        verdict=_verdict_of(findings),
        findings=findings,
        line=say_selected(facts),
        not_checked=tuple(_not_checked(selector, loads)),
    )


def _no_bank(selector: Selector, supplies: tuple[Supply, ...]) -> Finding:
    requirement = supplies[0].requirement
    return Finding(
        code="holdover_below_requirement",
        severity=Severity.FAILS,
        evidence=f"No input of {selector.name} has a battery, so it holds nothing.",
        source=requirement.source or f"requirement {requirement.name}",
        way_out="Enter the battery of each input.",
    )


def _cold_h(selector: Selector, supplies: tuple[Supply, ...], loads: tuple[Load, ...]) -> float:
    return play_selector(selector, supplies, loads, cold=True, briefly=True).holdover_h


def _low_h(selector: Selector, supplies: tuple[Supply, ...], loads: tuple[Load, ...], expected_h: float) -> float:
    """Return the low end of its band: each load alone at its upper limit, and all banks a tenth short, added as root of squares. [h]"""
    if expected_h <= 0:
        return 0.0
    if len(loads) > MOST_MOVED:
        moved = [tuple(_at_its_most(e) for e in loads)]
    else:
        moved = [tuple(_at_its_most(e) if e is load else e for e in loads) for load in loads]
    ends_h = [play_selector(selector, supplies, some, briefly=True).holdover_h for some in moved]
    ends_h.append(play_selector(selector, supplies, loads, capacity_ratio=CAPACITY_LOW_RATIO, briefly=True).holdover_h)
    falls = [math.log(expected_h / max(h, 1e-9)) for h in ends_h if h < expected_h]
    return expected_h * math.exp(-math.hypot(*falls))


def _at_its_most(load: Load) -> Load:
    """Return a load with its standby current at its upper limit, as if that were measured."""
    return replace(load, standby=StatedCurrent(current_a=limits_a(load.standby)[1], provenance=Provenance.MEASURED))


def _limit_of(selected: Selected) -> LimitedBy | None:
    if selected.dead is None:
        return None
    if selected.collapsed:
        return LimitedBy.VOLTAGE_COLLAPSE
    return LimitedBy.BURST if selected.in_burst else LimitedBy.CAPACITY


def _verdict_of(findings: tuple[Finding, ...]) -> Verdict:
    severities = {f.severity for f in findings}
    if Severity.FAILS in severities:
        return Verdict.FAILS
    return Verdict.ON_PAPER_ONLY if any(f.code == "meets_on_paper_only" for f in findings) else Verdict.HOLDS


def _not_checked(selector: Selector, loads: tuple[Load, ...]) -> Iterator[str]:
    if not any(e.fed_min_v is not None for e in loads if e.essential):
        yield "at which voltage its loads are dead: no least voltage is entered, so they count as alive while anything feeds them"
    if any(not e.alarm_is_standby for e in loads):
        yield "an alarm: of a selector standby alone is looked at"
    if selector.gauge is None:
        yield "what a gauge would show"
    yield "whether its loads live through the moment of each change"


# -- what would help --------------------------------------------------------------------------------------------------------------------


def _ways_out(facts: SelectorFacts, loads: tuple[Load, ...]) -> Iterator[str]:
    """Yield what would help, each played again with the same loads: only what leaves no input unused and lasts noticeably longer."""
    selector, supplies, was_h = facts.selector, facts.supplies, facts.selected.holdover_h
    # Nothing is said to help that was not played: a threshold that mends one order of the inputs may chatter in another.
    tried: list[tuple[str, Selector, tuple[Supply, ...]]] = []
    needs_v = facts.selected.needs_v
    if needs_v is not None and selector.mode is SelectorMode.FIRST_PRESENT and selector.switch_below_v < needs_v:
        below_v = round(ABOVE_NEED_RATIO * needs_v, 1)
        # It rebounds as soon as it is let go: below its full voltage it would change to and fro.
        full_v = max((s.bank.full_v for s in supplies if s.bank is not None), default=below_v)
        changed = replace(selector, switch_below_v=below_v, return_above_v=max(full_v, below_v))
        tried.append((f"Let it change over below {say_volts(below_v)}, and back only once that input is charged again", changed, supplies))
    if needs_v is not None:
        clean = tuple(_cuts_out(s, needs_v) for s in supplies[:-1]) + supplies[-1:]
        if clean != supplies:
            names = " and ".join(s.name for s, c in zip(supplies, clean, strict=True) if s != c)
            at_v = round(ABOVE_NEED_RATIO * needs_v, 1)
            tried.append((f"Fit a disconnect in {names} that cuts out at {say_volts(at_v)}", selector, clean))
    regulated = _regulated(supplies, loads)
    if regulated is not None:
        tried.append(
            (
                f"Feed it from {supplies[0].name} through a converter that holds {say_volts(regulated[0].fed_v)} and cuts out cleanly",
                selector,
                regulated,
            )
        )
    if len(supplies) == 2:
        turned = replace(selector, inputs=tuple(reversed(selector.inputs)))
        tried.append((f"Turn the order round: {supplies[1].name} first", turned, tuple(reversed(supplies))))
    for words, changed, changed_supplies in tried:
        after = play_selector(changed, changed_supplies, loads, briefly=True)
        keys = {s.key for s in changed_supplies if s.bank is not None}
        lasts = after.dead is None or after.holdover_h >= max(HELPS_RATIO * was_h, was_h + 1e-3)
        if lasts and (after.dead is None or keys <= after.reached) and after.most_changes_an_hour <= 3:
            hours_h = min(after.holdover_h, HORIZON_H)
            short = "" if hours_h >= facts.must_h else ", still too short"
            yield f"{words}: then it holds {say_hours(hours_h, must_h=facts.must_h)}{short}."


def _cuts_out(supply: Supply, needs_v: float) -> Supply:
    """Return a supply that disconnects its battery before the load is starved; as it is where it does already."""
    at_v = round(ABOVE_NEED_RATIO * needs_v, 1)
    if supply.bank is None or supply.feed is not None or (supply.cutoff_v or 0.0) >= needs_v or at_v >= supply.bank.full_v:
        return supply
    return replace(supply, cutoff_v=at_v)


def _regulated(supplies: tuple[Supply, ...], loads: tuple[Load, ...]) -> tuple[Supply, ...] | None:
    """Return the inputs with a converter behind the first; None where it has one, or has no end of its own below which it stops."""
    first, rail_v = supplies[0], max((e.rail_v for e in loads), default=0.0)
    if first.feed is not None or first.bank is None or rail_v <= 0:
        return None
    output = DcOutput(output_v=rail_v, efficiency_ratio=CONVERTER_EFFICIENCY_RATIO)
    cutoff_v = max(first.cutoff_v or 0.0, first.bank.end_v)
    return (replace(first, kind=SupplyKind.DC_UPS, dc=output, cutoff_v=cutoff_v), *supplies[1:])
