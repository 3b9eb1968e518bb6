"""Simulation: the smallest capacity that carries the cycle, aged and cold, to the equipment's end."""

from ypomoni.core.bracketing import bracket
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.run import HoldoverRun
from ypomoni.core.requirements import Method
from ypomoni.core.telling.results import MethodResult, Step, Working, WorkingInput
from ypomoni.core.telling.wording import plain_number, say_percent

# Far beyond any bank that is built: what even this does not carry is carried by none.
LARGEST_C20_AH = 1e5
# Far finer than the step from one sold size to the next.
PRECISION_RATIO = 2e-4


def size_by_simulation(case: Case | None, cycle_ah: float) -> MethodResult:
    """Return the smallest C20 that carries standby and alarm at the lowest temperature and end-of-life condition. [Ah]

    No other factor is on it but the design margin. ``case`` None (no bank, or not modelled) gives no figure.
    """
    title = "Simulation: aged, cold, to the equipment's end"
    source = "two-well battery model (Manwell & McGowan 1993), sizing temperature row (IEEE 485 style for lead)"
    if case is None:
        note = "no bank whose chemistry could be simulated"
        return MethodResult(
            method=Method.SIMULATION, required_ah=None, working=Working(title=title, value=None, unit="Ah", source=source, note=note)
        )
    requirement = case.requirement
    smallest_ah = smallest_c20_ah(case, cycle_ah)
    inputs = (
        WorkingInput(
            symbol="c", meaning="condition at end of life", value=requirement.end_of_life_ratio, unit="", provenance=requirement.source
        ),
        WorkingInput(symbol="T", meaning="lowest temperature", value=case.supply.min_degc, unit="°C", provenance="site"),
        WorkingInput(
            symbol="Vend",
            meaning=f"end voltage, of {case.threshold.owner}",
            value=case.threshold.threshold_v,
            unit="V",
            provenance=case.threshold.origin.value,
        ),
        WorkingInput(symbol="m", meaning="design margin", value=requirement.design_margin_ratio, unit="", provenance=requirement.source),
    )
    if smallest_ah is None:
        note = f"no capacity carries this to {plain_number(case.threshold.threshold_v)} V"
        return MethodResult(
            method=Method.SIMULATION,
            required_ah=None,
            working=Working(title=title, value=None, unit="Ah", source=source, inputs=inputs, simulated=True, note=note),
        )
    required_ah = smallest_ah * requirement.design_margin_ratio
    # Solved for the standby: the bank that is there may use up its share of the margin and no more.
    has_bank = case.supply.bank is not None and not case.draws_nothing
    holdover_h = sizing_outage(case, case.bank.rated_c20_ah / requirement.design_margin_ratio).holdover().holdover_h if has_bank else None
    carried = WorkingInput(
        symbol="Cs", meaning="smallest capacity found to carry standby and alarm", value=smallest_ah, unit="Ah", provenance="simulated"
    )
    return MethodResult(
        method=Method.SIMULATION,
        required_ah=required_ah,
        working=Working(
            title=title,
            value=required_ah,
            unit="Ah",
            source=source,
            inputs=(*inputs, carried),
            steps=(Step(symbol="C", expression="Cs*m", value=required_ah, unit="Ah"),),
            simulated=True,
        ),
        holdover_h=holdover_h,
        holdover_working=Working(
            title="Simulation: standby of this bank, aged and cold",
            value=holdover_h,
            unit="h",
            source=source,
            inputs=(*inputs, WorkingInput(symbol="C", meaning="rated", value=case.bank.rated_c20_ah, unit="Ah", provenance="nameplate")),
            simulated=True,
            note="the longest standby after which the alarm is still carried by a bank of C/m",
        ),
        counts=_counts(case),
    )


def sizing_outage(case: Case, c20_ah: float) -> HoldoverRun:
    """Return the outage that sizing asks of a capacity: at end of life, in the cold, by the sizing row."""
    return case.run(
        bank=case.bank.with_c20_ah(c20_ah),
        condition_ratio=case.requirement.end_of_life_ratio,
        cold=True,
        sizing=True,
    )


def _counts(case: Case) -> dict[str, str]:
    cold_ratio = case.bank.chemistry.capacity_factor_ratio(case.supply.min_degc, sizing=True)
    requirement = case.requirement
    found = {"ageing": f"÷ {requirement.end_of_life_ratio:g}", "cold": f"÷ {cold_ratio:.2f}", "rate": "battery model"}
    found["equipment's end"] = f"{plain_number(case.threshold.threshold_v)} V"
    if case.supply.starts_at_ratio < 1:
        found["starts at"] = f"{say_percent(case.supply.starts_at_ratio)} full"
    if any(load.bursts for load in case.loads):
        found["bursts"] = "one by one"
    if requirement.design_margin_ratio > 1:
        found["design margin"] = f"× {requirement.design_margin_ratio:g}"
    return found


def smallest_c20_ah(case: Case, guess_ah: float) -> float | None:
    """Return the smallest 20-hour capacity that carries the requirement, aged and cold; None when none does. [Ah]"""
    if case.draws_nothing:
        return 0.0
    # An outage that one capacity carries every larger one carries too. So the least is sought by halves, from what current and time ask for.
    high_ah = max(guess_ah, 1e-6) * 1.5
    while not _carries(case, high_ah):
        high_ah *= 2.0
        if high_ah > LARGEST_C20_AH:
            return None
    low_ah = high_ah / 2.0
    while low_ah > 1e-9 and _carries(case, low_ah):
        high_ah, low_ah = low_ah, low_ah / 2.0
    return bracket(lambda c20_ah: not _carries(case, c20_ah), low_ah, high_ah, width_ratio=PRECISION_RATIO)[1]


def _carries(case: Case, c20_ah: float) -> bool:
    return sizing_outage(case, c20_ah).carries(case.requirement.standby_h)
