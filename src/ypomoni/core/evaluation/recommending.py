"""What to fit: a bank or a charger, each put back into its supply and judged again before it is offered.

The one place that recommends. A bank is chosen by fewest strings first, then the smallest; one that earns a danger or a failure it could have
avoided is never offered, and where none helps the reason names what a bank cannot mend.
"""

import math
from dataclasses import dataclass, replace
from functools import lru_cache

from ypomoni.core.evaluation.figures import Figures, compute_currents, compute_figures, set_voltage_limits
from ypomoni.core.evaluation.living import fitted_with, keep_through_season, why_no_season
from ypomoni.core.judgement import Facts, judge_supply
from ypomoni.core.judgement.bank import say_mismatch
from ypomoni.core.judgement.protection import OF_WIRING
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.recharge import recovery_beside
from ypomoni.core.requirements import Method
from ypomoni.core.sizing import c20_of, size_by, sold_banks
from ypomoni.core.sizing.duty_cycle import duty_cycle_of
from ypomoni.core.sizing.sold_list import GREATEST_STRINGS_COUNT, SOLD_CHARGERS_A
from ypomoni.core.telling.results import Finding, MethodResult, Severity, SoldBank, SupplyResult, Verdict
from ypomoni.core.telling.wording import (
    say_amp_hours_needed,
    say_amps,
    say_amps_at_least,
    say_bank,
    say_hours_over,
    say_percent,
    say_required_h,
    say_volts,
)
from ypomoni.core.things.charge_setting import planned_bank_v
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import ChargeEnd, ChargeMode, Supply

SEVERE = frozenset({Severity.DANGER, Severity.FAILS})
# A bank has nothing to do with these.
NOT_OF_A_BANK = frozenset({"egress"}) | OF_WIRING
# Whatever its severity, no bank is offered that earns one of these.
NEVER = frozenset(
    {"charger_too_strong", "current_above_cell", "bank_voltage_mismatch", "too_many_strings", "overload_standby", "overload_alarm"}
)
# A larger bank may do where a smaller one earns these.
LARGER_MENDS = frozenset(
    {
        "charger_too_strong",
        "current_above_cell",
        "holdover_below_requirement",
        "capacity_below_method",
        "cuts_not_survived",
        "sun_does_not_sustain",
        "unregulated_panel_too_strong",
    }
)
# A smaller one may do, in more strings: it is filled sooner and gives off less gas.
SMALLER_MENDS = frozenset({"charger_too_slow", "charger_never_recovers", "ventilation"})
CHARGER_CODES = frozenset(
    {
        "charger_never_recovers",
        "charger_too_slow",
        "bank_too_large_for_charger",
        "charger_too_strong",
        "drains_with_mains_on",
        "charge_voltage_high",
        "charge_voltage_dangerous",
        "charge_voltage_low",
        "nimh_continuous",
    }
)
ELSEWHERE = "Or look on the balance board which loads another supply can carry."


@dataclass(frozen=True, slots=True, kw_only=True)
class Advice:
    """The bank to fit with the risks that it leaves, or why there is none."""

    bank: SoldBank | None = None
    risks: tuple[str, ...] = ()
    reason: str | None = None


# What is recommended and what its season takes try the same batteries one after the other, and a search asks of the same supplies again and again.
@lru_cache(maxsize=256)
def judge_briefly(supply: Supply, loads: tuple[Load, ...]) -> SupplyResult:
    """Return a supply's result as far as *unsafe* and *fails* hang on it: every such finding is there, risks and notes only in part."""
    return judge_figures(supply, loads, compute_figures(supply, loads, in_full=False))


def judge_risks(supply: Supply, loads: tuple[Load, ...]) -> SupplyResult:
    """Return a supply's result as far as any danger, failure or risk hangs on it, but for what holds on paper only."""
    return judge_figures(supply, loads, compute_figures(supply, loads, in_full=False, with_end=True))


def judge_stated(supply: Supply, loads: tuple[Load, ...]) -> SupplyResult:
    """Return a supply's result as far as no outage is needed, which takes no time: every *unsafe* and *fails* in it is among those of `judge_briefly`."""
    return judge_figures(supply, loads, compute_currents(supply, loads))


def facts_of(supply: Supply, loads: tuple[Load, ...], figures: Figures) -> Facts:
    """Return what a supply is judged by, without advice."""
    return Facts(
        supply=supply,
        loads=supply.feeding(loads),
        result=figures.result,
        case=figures.case,
        peak_standby_current_a=figures.peak_standby_current_a,
        peak_alarm_current_a=figures.peak_alarm_current_a,
    )


def is_unsafe(supply: Supply, loads: tuple[Load, ...]) -> bool:
    """Say whether something of severity danger is found of a supply."""
    return judge_briefly(supply, loads).verdict is Verdict.UNSAFE


def judge_figures(supply: Supply, loads: tuple[Load, ...], figures: Figures) -> SupplyResult:
    """Return figures with what they are judged, without advice and without what was read."""
    findings, verdict, overloaded = judge_supply(facts_of(supply, loads, figures))
    return replace(figures.result, findings=findings, verdict=verdict, overloaded=overloaded)


def say_sold(bank: SoldBank) -> str:
    """Return a sold bank in words."""
    return say_bank(bank.series, bank.parallel, bank.block_v, bank.capacity_ah, bank.rate_h)


# -- a bank ----------------------------------------------------------------------------------------------------------------------------


def recommend_bank(case: Case, methods: tuple[MethodResult, ...] = (), now: SupplyResult | None = None) -> Advice:
    """Return the bank to fit in a supply that has one and draws: same chemistry and voltage, fewest strings first, then the smallest.

    It satisfies the prescribed method and the simulation, is recharged in time, and leaves no danger or failure that it could have avoided.

    Parameters
    ----------
    methods
        What the schools ask of this supply, where that is known already.
    now
        What is found of it as it is, where that is known already.
    """
    if not case.bank.suits(case.supply.nominal_v):
        return Advice(reason=f"No battery is named before this is put right: {say_mismatch(case.supply, case.bank)}")
    required = _required_ah(case, methods)
    simulated_ah, prescribed_ah = required[Method.SIMULATION], required[case.requirement.method]
    if simulated_ah is None or prescribed_ah is None:
        return Advice(reason=_why_no_capacity(case))
    # The prescribed method is what is signed for, the simulation what happens: both must be met.
    needed_ah = max(simulated_ah, prescribed_ah)
    banks = sold_banks(case.bank.chemistry_key, case.bank.bank_v, case.supply.stock)
    if not banks:
        where = "in stock" if any(b.chemistry_key == case.bank.chemistry_key for b in case.supply.stock) else "listed"
        return Advice(
            reason=f"No sizes of {case.bank.chemistry.name} at {case.bank.bank_v:g} V are {where}. {say_amp_hours_needed(needed_ah)} would be needed."
        )
    enough = [b for b in banks if c20_of(b) >= needed_ah]
    if not enough:
        return Advice(
            reason=f"{say_amp_hours_needed(needed_ah)} would be needed. That is more than {GREATEST_STRINGS_COUNT} strings of the largest block: "
            "split the loads over more supplies."
        )
    is_charged = not case.bank.chemistry.is_primary and not case.supply.of_kind.is_sunlit
    if case.requirement.recharge_h is not None and is_charged and recovery_beside(case.supply, 0.0) is None:
        return Advice(
            reason=f"{say_sold(enough[0])} would carry it, but nobody can say whether it is recharged in time: the charger is not known. Enter its figures."
        )
    tried = first_harmless(case, enough, NOT_OF_A_BANK)
    if tried.bank is not None:
        # Looked at more closely than those that were passed over: some risks show only in what ends the hours.
        return Advice(bank=tried.bank, risks=risks_in(judge_risks(fitted_with(case.supply, tried.bank), case.loads).findings))
    first = tried.stopped
    return Advice(reason=why_no_season(case, enough[-1]) if first is None else _why_none(case, *first, now))


@dataclass(frozen=True, slots=True, kw_only=True)
class TriedBanks:
    """What became of a list of banks: the one that does, or the first that did not and what stopped it."""

    bank: SoldBank | None = None
    stopped: tuple[SoldBank, Finding] | None = None


def first_harmless(case: Case, banks: list[SoldBank], ignored: frozenset[str]) -> TriedBanks:
    """Return the first of some banks, by strings and then by size, that lives through its season and earns nothing severe but what is ignored."""
    stopped: tuple[SoldBank, Finding] | None = None
    ceiling_ah = float("inf")
    for sold in keep_through_season(case, banks):
        if c20_of(sold) >= ceiling_ah:
            continue
        fitted = fitted_with(case.supply, sold)
        # A reason is told of the first one alone. Of the others what shows without an outage is enough, and takes no time.
        left = severe_left(judge_stated(fitted, case.loads).findings, ignored) if stopped else []
        left = left or severe_left(judge_briefly(fitted, case.loads).findings, ignored)
        if not left:
            return TriedBanks(bank=sold)
        lasting = [f for f in left if f.code not in LARGER_MENDS]
        stopped = stopped or (sold, (lasting or left)[0])
        # What neither a larger nor a smaller bank mends stays with every other one that is listed.
        if any(f.code not in SMALLER_MENDS for f in lasting):
            break
        if lasting:
            # Too large for its charger or its box: among more strings only smaller ones are worth a try.
            ceiling_ah = c20_of(sold)
    return TriedBanks(stopped=stopped)


def severe_left(findings: tuple[Finding, ...], ignored: frozenset[str]) -> list[Finding]:
    """Return the findings for which a bank is not offered."""
    return [f for f in findings if f.code not in ignored and (f.severity in SEVERE or f.code in NEVER)]


def _required_ah(case: Case, methods: tuple[MethodResult, ...]) -> dict[Method, float | None]:
    """Return what the simulation and the prescribed method ask of a new bank, one whose own table or resistance is not known yet. [Ah]"""
    wanted = {Method.SIMULATION, case.requirement.method}
    own = case.bank.table is not None or case.bank.resistance_ohm is not None or case.bank.bms is not None
    if methods and not own:
        return {m.method: m.required_ah for m in methods if m.method in wanted}
    # A sheet or a measurement is of the bank that goes; the new one is known by its chemistry alone.
    bank = replace(case.bank, table=None, resistance_ohm=None, bms=None)
    fresh = Case(replace(case.supply, bank=bank), case.loads)
    cycle = duty_cycle_of(fresh)
    return {m: size_by(m, cycle, case.requirement, fresh, case.supply.nominal_v).required_ah for m in wanted}


def needed_ah(case: Case) -> float | None:
    """Return the 20-hour capacity that simulation and prescribed method ask of a new bank; None where no capacity does. [Ah]"""
    required = _required_ah(case, ())
    asked = [required[m] for m in (Method.SIMULATION, case.requirement.method)]
    return None if any(ah is None for ah in asked) else max(ah for ah in asked if ah is not None)


def risks_in(findings: tuple[Finding, ...]) -> tuple[str, ...]:
    """Return the risks among findings, in words."""
    return tuple(f.evidence for f in findings if f.severity is Severity.RISK)


def _why_no_capacity(case: Case) -> str:
    """Say why no capacity carries the loads: a cable, a voltage no battery has, a charger that leaves it empty."""
    supply, threshold = case.supply, case.threshold
    # What is named is what makes the difference: without cables it is computed again, and only then are they to blame.
    bare = Case(supply, tuple(replace(load, cable=None) for load in case.loads))
    if any(load.cable for load in case.loads) and _some_capacity_carries(bare):
        worst = max((load for load in case.loads if load.cable and load.battery_min_v), key=lambda e: e.cable_ohm, default=None)
        name = worst.name if worst else "a load"
        return f"No battery mends this: the cable of {name} takes too much voltage. Fit a thicker or shorter cable."
    light = case.light_load
    if light is not None and (light.ends_at_h is not None or light.ends_alarm):
        return "No battery mends this: the output switches off under so light a load, however much charge is left."
    full_v = case.bank.full_v
    if threshold.threshold_v >= full_v - 1e-9:
        return f"No battery mends this: {threshold.owner} needs {say_volts(threshold.threshold_v)}, and this battery shows {say_volts(full_v)} full and at rest."
    if supply.starts_at_ratio < 1:
        share = say_percent(supply.starts_at_ratio)
        return f"No battery mends this: at {say_volts(supply.charge_v or 0)} the charger fills it to {share} only. Raise the set voltage first."
    return (
        f"No battery mends this: {threshold.owner} needs at least {say_volts(threshold.threshold_v)}, and no capacity carries these loads that far. "
        "Lower the cut-off or what the equipment needs, if that can be done."
    )


def _some_capacity_carries(case: Case) -> bool:
    return size_by(Method.SIMULATION, duty_cycle_of(case), case.requirement, case, case.supply.nominal_v).required_ah is not None


def _why_none(case: Case, sold: SoldBank, left: Finding, now: SupplyResult | None) -> str:
    """Say what a bank cannot mend."""
    requirement = case.requirement
    if left.code in ("charger_too_slow", "charger_never_recovers"):
        fitted = fitted_with(case.supply, sold)
        found = recovery_beside(fitted, case.mean_current_a(in_alarm=False))
        hours_h = found.recovery_h if found else None
        allowed_h = requirement.recharge_h or 0.0
        share = say_percent(requirement.recharge_to_ratio)
        took = (
            f"its charger never brings it back to {share}."
            if hours_h is None
            else f"its charger takes {say_hours_over(hours_h, allowed_h)} to bring it back to {share}, not {say_required_h(allowed_h)}."
        )
        charger, _ = _charger_that_does(fitted, case.loads)
        return f"A new {say_sold(sold)} would carry it, but {took} With it, {charger[:1].lower()}{charger[1:]}"
    # As it is now, where that is what stays.
    here = (now or judge_briefly(case.supply, case.loads)).findings
    evidence = next((f.evidence for f in here if f.code == left.code), left.evidence)
    return f"A battery would not mend this: {evidence}"


def what_to_fit(advice: Advice, case: Case) -> str:
    """Say what bank to fit and which risks stay, or why none can be named."""
    if advice.bank is None:
        return f"{advice.reason} {ELSEWHERE}"
    bank = advice.bank
    caution = " In parallel only of one make and age, with a fuse for each string." if bank.parallel > 1 else ""
    stays = f" A risk stays: {' '.join(advice.risks)}" if advice.risks else ""
    if c20_of(bank) <= case.bank.rated_c20_ah + 1e-6:
        return f"A new {say_sold(bank)} is large enough, so renew the battery.{caution}{stays} {ELSEWHERE}"
    return f"Fit {say_sold(bank)}, new.{caution}{stays} {ELSEWHERE}"


# -- a charger -------------------------------------------------------------------------------------------------------------------------


def charger_advice(supply: Supply, loads: tuple[Load, ...], now: SupplyResult | None = None) -> str:
    """Say what charger brings the bank back in time, put back and judged, or why none does; and where else to look.

    ``now`` is what is found of the supply as it is, where that is known already.
    """
    words, is_stronger = _charger_that_does(supply, loads, now)
    return f"{words} {ELSEWHERE}" if is_stronger else words


def _charger_that_does(supply: Supply, loads: tuple[Load, ...], now: SupplyResult | None = None) -> tuple[str, bool]:
    """Say what charger does it, or why none; and whether that is a stronger supply, which loads that go elsewhere would spare."""
    bank, requirement = supply.bank, supply.requirement
    if bank is None or bank.chemistry.is_primary:
        return "", False
    if not bank.suits(supply.nominal_v):
        return "First put right how the blocks are joined.", False
    standby_a = Case(supply, loads).mean_current_a(in_alarm=False)
    stronger, earned, comes = _smallest_charger(supply, loads, standby_a, now)
    if earned:
        return _say_first(earned[0]), False
    if stronger is not None:
        if supply.of_kind.mains_carries:
            return f"Fit a charger that charges with {say_amps(stronger)}.{comes}", False
        whole = say_amps_at_least(stronger + standby_a)
        return f"Fit a supply that charges with {say_amps(stronger)} beside its loads: {whole} in all at least.{comes}", True
    # More amperes do not help where the last part goes in at a voltage that is set too low.
    by = bank.chemistry.by_voltage
    if by is not None and set_voltage_limits(supply):
        boosted = replace(supply, charge_mode=ChargeMode.CYCLIC, charge_ends=ChargeEnd.FLOAT_STAGE if by.must_end else None)
        boosted = replace(boosted, charge_v=math.floor(100 * (planned_bank_v(boosted, bank) or 0.0) + 1e-6) / 100)
        found_a, earned, comes = _smallest_charger(boosted, loads, standby_a)
        if earned:
            return _say_first(earned[0]), False
        if found_a is not None:
            ends = ", and that then goes back to float" if by.must_end else ""
            at = say_volts(boosted.charge_v or 0)
            return f"Raise the set voltage: a charger that charges with {say_amps(found_a)} at {at}{ends} does it.{comes}", False
    hours = (
        f"{say_required_h(requirement.recharge_h)} to {say_percent(requirement.recharge_to_ratio)}" if requirement.recharge_h else "that"
    )
    return (
        f"No charger that suits this battery does {hours}. Agree on a longer time or a smaller share, or split the loads over more supplies.",
        False,
    )


def _say_first(earned: Finding) -> str:
    return f"No charger is named before this is put right: {earned.evidence}"


def say_new_risks(before: SupplyResult, after: SupplyResult) -> str:
    """Say the risks that come with a change; those that were there before are told where they are."""
    here = {f.code for f in before.findings if f.severity is not Severity.NOTE}
    comes = [f.evidence for f in after.findings if f.severity is Severity.RISK and f.code not in here]
    return f" A risk comes with it: {' '.join(comes)}" if comes else ""


def _smallest_charger(
    supply: Supply, loads: tuple[Load, ...], standby_a: float, now: SupplyResult | None = None
) -> tuple[float | None, list[Finding], str]:
    """Return the smallest sold charger that does it, None where none does; what severe it would earn that is not there yet; and new risks. [A]"""
    for charger_a in SOLD_CHARGERS_A:
        # The loads take theirs first, so a supply that gives no more than its charger takes would never charge with that.
        whole_a = max(supply.supply_current_a or 0.0, charger_a + standby_a)
        changed = replace(supply, charge_limit_a=charger_a, supply_current_a=whole_a, current_limited=True)
        found = recovery_beside(changed, standby_a)
        allowed_h = supply.requirement.recharge_h
        if found is None or found.recovery_h is None or (allowed_h is not None and found.recovery_h > allowed_h):
            continue
        judged = judge_briefly(changed, loads)
        # Greater ones only earn more of it, so none is sought beyond this.
        left = [f for f in judged.findings if f.code in CHARGER_CODES and (f.severity in SEVERE or f.code == "charger_too_strong")]
        if left:
            return None, [], ""
        before = now or judge_briefly(supply, loads)
        here = {f.code for f in before.findings if f.severity in SEVERE}
        return charger_a, [f for f in judged.findings if f.severity in SEVERE and f.code not in here], say_new_risks(before, judged)
    return None, [], ""
