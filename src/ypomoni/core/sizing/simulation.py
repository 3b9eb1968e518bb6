"""Simulation: the smallest capacity that carries the profile, aged and cold, to the equipment's end."""

from ypomoni.core.case import Case
from ypomoni.core.requirements import Method
from ypomoni.core.results import MethodResult, Step, Working, WorkingInput
from ypomoni.core.wording import plain_number

LARGEST_C20_AH = 1e5
PRECISION_RATIO = 2e-4


def size_by_simulation(case: Case | None, profile_ah: float) -> MethodResult:
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
    smallest_ah = smallest_c20_ah(case, profile_ah)
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
    )


def smallest_c20_ah(case: Case, guess_ah: float) -> float | None:
    """Return the smallest 20-hour capacity that carries the requirement, aged and cold; None when none does. [Ah]"""
    if case.draws_nothing:
        return 0.0
    high_ah = max(guess_ah, 1e-6) * 1.5
    while not _carries(case, high_ah):
        high_ah *= 2.0
        if high_ah > LARGEST_C20_AH:
            return None
    low_ah = high_ah / 2.0
    while low_ah > 1e-9 and _carries(case, low_ah):
        high_ah, low_ah = low_ah, low_ah / 2.0
    while high_ah - low_ah > PRECISION_RATIO * high_ah:
        middle_ah = 0.5 * (low_ah + high_ah)
        if _carries(case, middle_ah):
            high_ah = middle_ah
        else:
            low_ah = middle_ah
    return high_ah


def _carries(case: Case, c20_ah: float) -> bool:
    outage = case.outage(
        bank=case.bank.with_c20_ah(c20_ah),
        condition_ratio=case.requirement.end_of_life_ratio,
        temperature_degc=case.supply.min_degc,
        sizing=True,
    )
    return outage.carries(case.requirement.standby_h)
