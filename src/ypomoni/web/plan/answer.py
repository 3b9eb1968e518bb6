"""The plan page as finished strings: the answer, supplies with their banks and schools, findings, the register."""

from dataclasses import dataclass

from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.evaluation.evaluate import is_waited_for
from ypomoni.core.evaluation.recommending import say_sold
from ypomoni.core.judgement.audit import UNLISTED_LOAD
from ypomoni.core.judgement.seasons import say_cuts, say_solar
from ypomoni.core.sizing import c20_of
from ypomoni.core.telling.results import Finding, LimitedBy, PlanResult, Severity, SupplyResult, Verdict
from ypomoni.core.telling.wording import (
    plain_number,
    say_amp_hours_needed,
    say_amps,
    say_bank,
    say_hours,
    say_hours_up,
    say_percent,
    say_required_h,
)
from ypomoni.documents.quantities import show_current, show_quantity
from ypomoni.records.site import PlanRow
from ypomoni.records.supply import SupplyRow
from ypomoni.records.words import CHEMISTRY_WORDS, KIND_WORDS
from ypomoni.web.plan.figures import NO_CERTAIN_TIME, Figure, recovery_words
from ypomoni.web.plan.strip import hours_of
from ypomoni.web.words import LIMIT_WORDS, METHOD_WORDS, SEVERITY_WORDS, VERDICT_WORDS

# Supplies named in one line.
MOST_NAMED = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """The answer in one line, and the figures under it. ``alert`` comes first: what is unsafe, or what nothing is known of."""

    verdict: str
    alert: str
    lead: Figure | None
    text: str
    tail: str
    figures: tuple[tuple[str, Figure | None, str], ...]


def build_answer(plan: PlanResult, *, alone: bool = False) -> Answer:
    """Return the answer of a plan: how long, which gives out first, why, what to fit, charged by when. ``alone``: no findings stand below it."""
    weakest = plan.weakest
    verdict, alert = plan.verdict.value if plan.verdict else "none", _alert(plan)
    if weakest is not None and weakest.holdover is not None and not any(s.shares for s in plan.supplies) and not plan.selectors:
        # What a supply draws itself is no load: it holds nothing yet.
        return Answer(verdict="none", alert=alert, lead=None, text="No loads entered yet.", tail="", figures=())
    if weakest is None or weakest.holdover is None:
        if not plan.supplies:
            text = "Nothing to hold yet."
        elif any(s.holdover_h is not None for s in plan.selectors):
            text = " ".join(s.line for s in plan.selectors if s.verdict not in (Verdict.FAILS, Verdict.UNKNOWN))
        elif any(s.limited_by is LimitedBy.NOT_MODELLED_YET for s in plan.supplies):
            text = "No hours are named: what is known of these supplies is not enough to compute them."
        elif any(s.limited_by is None and s.verdict is not None for s in plan.supplies):
            text = "No hours can be named."
        else:
            text = "Nothing draws yet."
        return Answer(verdict=verdict, alert=alert, lead=None, text=text, tail="", figures=())
    band = weakest.holdover
    lead = Figure(text=hours_of(weakest), supply=weakest.key, working="holdover")
    several = len([s for s in plan.supplies if s.holdover]) > 1
    limit = LIMIT_WORDS[weakest.limited_by] if weakest.limited_by else ""
    paper = _on_paper(plan) if plan.verdict is Verdict.ON_PAPER_ONLY else ""
    if paper:
        tail = f"On paper only: {paper}."
    elif weakest.meets_requirement is not False:
        first = f"{weakest.name} would give out first" if several else f"{weakest.name} ends when {limit}" if limit else weakest.name
        tail = f"{first}." if not (several and limit) else f"{first}: {limit}."
    else:
        short = band.expected < weakest.standby_h
        tail = (
            f"{weakest.name} gives out first: {limit}."
            if short
            else f"{weakest.name} is the shortest{'' if alone else '; see what fails below'}."
        )
    tail += _unlisted(plan)
    if weakest.overloaded:
        tail += " This counts only if the overloaded supply does not shut down."
    figures: list[tuple[str, Figure | None, str]] = []
    if weakest.limited_by is not LimitedBy.NO_BANK:
        figures.append(("band", Figure(text=f"{say_hours(band.low)} to {say_hours(band.high)}", supply=weakest.key, working="band"), ""))
    if weakest.missing_ah:
        figures.append(("missing", Figure(text=say_amp_hours_needed(weakest.missing_ah), supply=weakest.key, working="missing"), ""))
    figures.append(_fit(weakest))
    figures.append(_charged(weakest))
    return Answer(
        verdict=verdict,
        alert=alert,
        lead=lead,
        text=f"of {say_required_h(weakest.standby_h)}.",
        tail=tail,
        figures=tuple(f for f in figures if f[1] is not None or f[2]),
    )


def _unlisted(plan: PlanResult) -> str:
    """Say which supplies carry a load that nobody listed; empty where none does."""
    names = [s.name for s in plan.supplies if any(f.code == UNLISTED_LOAD for f in s.findings)]
    return f" An unlisted load counts at {_few(names)}." if names else ""


def _alert(plan: PlanResult) -> str:
    """Say what is unsafe, what nothing is known of, and what hangs on nothing; empty where there is none of that."""
    dangers = [(s.name, f) for s in plan.supplies for f in s.findings if f.severity is Severity.DANGER]
    if dangers:
        more = f" And {len(dangers) - 1} more." if len(dangers) > 1 else ""
        return f"Unsafe at {dangers[0][0]}. {dangers[0][1].evidence}{more}"
    loose = next((f for f in plan.findings if f.code == "load_unassigned" and f.severity in (Severity.FAILS, Severity.RISK)), None)
    waiting = [s.name for s in plan.supplies if is_waited_for(s)]
    unknown = [s.name for s in plan.supplies if s.verdict is Verdict.UNKNOWN and s.name not in waiting]
    parts = [s.line for s in plan.selectors if s.verdict in (Verdict.FAILS, Verdict.UNKNOWN)]
    parts += [f"{s.name}: {_said_of_season(s)}" for s in plan.supplies if _said_of_season(s)]
    if unknown:
        parts.append(f"Unknown: nothing is computed for {_few(unknown)}.")
    if waiting:
        parts.append(f"Not known yet: {_few(waiting)} {'is' if len(waiting) == 1 else 'are'} being worked out.")
    return " ".join([*parts, *([loose.evidence] if loose else [])])


def _said_of_season(s: SupplyResult) -> str:
    """Return what a supply dies of in its season; empty where it lives through it."""
    if s.cuts is not None and not s.cuts.survives:
        return say_cuts(s.cuts, repeats=s.cuts.gives_back_ratio is not None)
    return say_solar(s.solar) if s.solar is not None and not s.solar.sustains else ""


def _few(names: list[str]) -> str:
    """Return the first of some names and how many more there are."""
    more = f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
    return ", ".join(names[:MOST_NAMED]) + more


def _on_paper(plan: PlanResult) -> str:
    """Return which supplies meet their requirement on paper only, and where they fall short."""
    parts: list[str] = []
    for s in plan.supplies:
        if s.verdict is not Verdict.ON_PAPER_ONLY or s.holdover is None or s.scenarios is None:
            continue
        short = [
            words
            for words, hours_h in (
                ("at the low end of its band", s.holdover.low),
                ("in the cold", s.scenarios.cold),
                ("at the end of the battery's life", s.scenarios.end_of_life),
            )
            if hours_h < s.standby_h
        ]
        if short:
            parts.append(f"{s.name} falls short {', '.join(short)}")
        elif not any(f.code == UNLISTED_LOAD for f in s.findings):
            parts.append(f"the charger of {s.name} is not known")
    return "; ".join(parts)


def _fit(s: SupplyResult) -> tuple[str, Figure | None, str]:
    bank = s.recommended_bank
    if bank is None:
        return ("fit", None, s.no_bank_reason or "")
    risks = " A risk stays, see below." if s.bank_risks and s.meets_requirement is False else ""
    if s.rated_c20_ah is not None and c20_of(bank) <= s.rated_c20_ah + 1e-6:
        return ("fit", Figure(text=f"a new {say_sold(bank)} is enough", supply=s.key, working="recommended"), risks)
    return ("fit", Figure(text=f"{say_sold(bank)}, new", supply=s.key, working="recommended"), risks)


def _charged(s: SupplyResult) -> tuple[str, Figure | None, str]:
    share = say_percent(s.recharge_to_ratio)
    must = f", must be {say_required_h(s.recharge_h)}" if s.recharge_h is not None else ""
    if s.solar is not None:
        when = "never" if s.solar.back_after_h is None else f"after {say_hours_up(s.solar.back_after_h)}"
        return ("charged", None, f"by the sun of the worst month back to {share} {when}{must}")
    if "recovery" not in s.workings:
        return ("charged", None, "charger not known" if s.limited_by is not LimitedBy.NO_BANK else "")
    when = "never" if s.recovery_h is None else f"after {recovery_words(s)}" if s.recovery_is_promised else f"at {NO_CERTAIN_TIME}"
    return ("charged", Figure(text=f"back to {share} {when}{must}", supply=s.key, working="recovery"), "")


@dataclass(frozen=True, slots=True, kw_only=True)
class FindingView:
    """One finding with the supply it is about."""

    severity: str
    word: str
    supply: str
    code: str
    evidence: str
    source: str
    way_out: str
    working: Figure | None


# Which working shows the figures a finding speaks of.
WORKING_OF = {
    "holdover_below_requirement": "holdover",
    "meets_on_paper_only": "band",
    "worst_case_short": "scenario_worst",
    "weak_link": "holdover",
    "burst_trips_cutoff": "holdover",
    "bursts_gathered": "holdover",
    "cutoff_above_need": "holdover",
    "double_margin": "holdover",
    "bank_past_age": "holdover",
    "overload_standby": "peak_current",
    "overload_alarm": "peak_current",
    "charger_never_recovers": "charge_current",
    "charger_too_slow": "recovery",
    "bank_too_large_for_charger": "recovery",
    "missing_margin": "method_plain",
}


def _working_of(s: SupplyResult, finding: Finding) -> Figure | None:
    key = WORKING_OF.get(finding.code)
    if key is None or (key not in s.workings and not key.startswith("method_")):
        return None
    return Figure(text="Show the working", supply=s.key, working=key)


def build_findings(plan: PlanResult) -> list[FindingView]:
    """Return all findings of a plan, worst first; among equals those of the weakest supply first."""
    order = list(Severity)
    found: list[tuple[int, bool, int, SupplyResult, Finding]] = []
    for n, s in enumerate(plan.supplies):
        found += [(order.index(f.severity), s.key != plan.weakest_supply, n, s, f) for f in s.findings]
    of_none = [*plan.findings, *(f for s in plan.selectors for f in s.findings)]
    ordered: list[tuple[int, SupplyResult | None, Finding]] = [(order.index(f.severity), None, f) for f in of_none]
    ordered += [(rank, s, f) for rank, _, _, s, f in sorted(found, key=lambda entry: entry[:3])]
    return [
        FindingView(
            severity=f.severity.value,
            word=SEVERITY_WORDS[f.severity],
            supply=s.key if s else "",
            code=f.code,
            evidence=f.evidence,
            source=f.source,
            way_out=f.way_out,
            working=_working_of(s, f) if s else None,
        )
        for _, s, f in sorted(ordered, key=lambda entry: entry[0])
    ]


def build_unchecked(plan: PlanResult) -> list[tuple[str, str]]:
    """Return what was not looked at, and of which supplies."""
    alike: dict[str, list[str]] = {}
    for s in (*plan.supplies, *plan.selectors):
        for thing in s.not_checked:
            alike.setdefault(thing, []).append(s.name)
    every = len(plan.supplies) > 1
    return [
        (thing[:1].upper() + thing[1:], "every supply" if every and len(names) == len(plan.supplies) else ", ".join(names))
        for thing, names in alike.items()
    ]


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplyView:
    """One supply with its figures."""

    row: SupplyRow
    key: str
    name: str
    kind: str
    verdict: str
    verdict_word: str
    bank: str
    limits: str
    requirement: str
    modelled: bool
    starts_at: str
    facts: tuple[tuple[str, Figure | None, str], ...]
    scenarios: tuple[tuple[str, Figure], ...]
    methods: tuple[tuple[str, bool, Figure | None], ...]


def bank_words(row: SupplyRow) -> str:
    """Return the bank of a supply row in words."""
    if row["bank_chemistry"] is None:
        return "no battery"
    # With a chemistry all of these are there.
    series, parallel = row["bank_series"] or 1, row["bank_parallel"] or 1
    blocks = say_bank(series, parallel, row["bank_block_v"] or 0.0, row["bank_capacity_ah"] or 0.0, row["bank_rate_h"] or 0.0)
    age = f", {plain_number(row['bank_age_y'])} y" if row["bank_age_y"] else ", new"
    return f"{blocks} {CHEMISTRY_WORDS[row['bank_chemistry']]}{age}"


def build_supplies(tree: SiteTree, plan_row: PlanRow, plan: PlanResult) -> list[SupplyView]:
    """Return the supplies of a plan with everything computed for them."""
    rows = {r["key"]: r for r in tree.supplies.get(plan_row["id"], [])}
    methods = {r["id"]: r["method"] for r in tree.requirements}
    return [_supply(rows[s.key], s, methods.get(rows[s.key]["requirement_id"], "")) for s in plan.supplies]


def _supply(row: SupplyRow, s: SupplyResult, method: str) -> SupplyView:
    def figure(text: str, working: str) -> Figure:
        return Figure(text=text, supply=s.key, working=working)

    facts: list[tuple[str, Figure | None, str]] = []
    if s.standby_current_a is not None and s.alarm_current_a is not None and s.peak_current_a is not None:
        facts += [
            ("Standby", figure(say_amps(s.standby_current_a), "standby_current"), "average, with bursts"),
            ("Alarm", figure(say_amps(s.alarm_current_a), "alarm_current"), "average"),
            ("Peak", figure(say_amps(s.peak_current_a), "peak_current"), "what can coincide"),
        ]
    scenarios: list[tuple[str, Figure]] = []
    if s.holdover is not None and s.scenarios is not None and "holdover" in s.workings:
        facts.append(("Holdover", figure(hours_of(s), "holdover"), LIMIT_WORDS[s.limited_by] if s.limited_by else ""))
        facts.append(("Band", figure(f"{say_hours(s.holdover.low)} to {say_hours(s.holdover.high)}", "band"), "95 % limits"))
        facts.append(("Endurance", figure(say_hours(s.endurance_h or 0.0), "endurance"), "standby alone"))
        for key, word in (("fresh", "Fresh"), ("cold", "Cold"), ("end_of_life", "End of life"), ("worst", "Old and cold")):
            hours_h = getattr(s.scenarios, key)
            scenarios.append((word, figure(say_hours(hours_h, must_h=s.standby_h), f"scenario_{key}")))
    if s.charge_current_a is not None:
        facts.append(("Charge", figure(say_amps(s.charge_current_a), "charge_current"), "left beside the load"))
    if "recovery" in s.workings:
        must = f"must be {say_required_h(s.recharge_h)}" if s.recharge_h is not None else ""
        facts.append((f"Back to {say_percent(s.recharge_to_ratio)}", figure(recovery_words(s), "recovery"), must))
    limits = [
        f"cut-off {show_quantity(row['cutoff_v'], 'V')}" if row["cutoff_v"] is not None else "no cut-off",
        f"output {show_current(row['output_limit_a'])}" if row["output_limit_a"] is not None else "",
        f"charges {show_current(row['charge_limit_a'])}" if row["charge_limit_a"] is not None else "",
        f"at {show_quantity(row['charge_v'], 'V')}" if row["charge_v"] is not None else "",
    ]
    return SupplyView(
        row=row,
        key=s.key,
        name=s.name,
        kind=KIND_WORDS[s.kind],
        verdict=s.verdict.value if s.verdict else "none",
        verdict_word=VERDICT_WORDS[s.verdict],
        bank=bank_words(row),
        limits=" · ".join(part for part in limits if part),
        requirement=s.requirement_name,
        modelled=s.limited_by is not LimitedBy.NOT_MODELLED_YET,
        starts_at=f"An outage finds it at {say_percent(s.starts_at_ratio)} of its charge." if s.starts_at_ratio < 0.995 else "",
        facts=tuple(facts),
        scenarios=tuple(scenarios),
        methods=tuple(
            (
                METHOD_WORDS[m.method].capitalize(),
                m.method.value == method,
                None if m.required_ah is None else figure(say_amp_hours_needed(m.required_ah), f"method_{m.method.value}"),
            )
            for m in s.methods
        ),
    )
