"""Energy and autonomy days: watt-hours a day times days, over volts; with and without depth of discharge and the inverter's loss.

The school of solar and off-grid work. It knows no alarm, no ageing and no cold.
"""

from ypomoni.core.requirements import Autonomy, Method
from ypomoni.core.sizing.duty_cycle import LEAST_CURRENT_A, DutyCycle
from ypomoni.core.telling.results import MethodResult, Step, Working, WorkingInput
from ypomoni.core.units import HOURS_PER_DAY

SOURCE = "common practice of solar work; the alarm is not in it"


def size_energy_autonomy(cycle: DutyCycle, nominal_v: float, autonomy: Autonomy | None) -> MethodResult:
    """Return Wh/day × days / V, divided by depth and inverter efficiency where ``autonomy`` is given. [Ah]"""
    wh_per_day = cycle.standby_current_a * nominal_v * HOURS_PER_DAY
    days = cycle.standby_h / HOURS_PER_DAY
    whole_ratio = autonomy.depth_ratio * autonomy.inverter_ratio if autonomy else 1.0
    required_ah = wh_per_day * days / (nominal_v * whole_ratio)
    holdover_h = None
    if cycle.filled_ah is not None and cycle.standby_current_a >= LEAST_CURRENT_A:
        holdover_h = cycle.filled_ah * whole_ratio / cycle.standby_current_a
    volts = WorkingInput(symbol="V", meaning="nominal voltage", value=nominal_v, unit="V", provenance="supply")
    factors: tuple[WorkingInput, ...] = ()
    if autonomy:
        factors = (
            WorkingInput(symbol="fd", meaning="depth of discharge", value=autonomy.depth_ratio, unit="", provenance=cycle.source),
            WorkingInput(symbol="fi", meaning="inverter, 1 without one", value=autonomy.inverter_ratio, unit="", provenance=cycle.source),
        )
    title = "Energy and autonomy days" + (", with depth and inverter" if autonomy else "")
    over = " / (V*fd*fi)" if autonomy else " / V"
    counts: dict[str, str] = {}
    if autonomy:
        counts["depth of discharge"] = f"÷ {autonomy.depth_ratio:g}"
        if autonomy.inverter_ratio < 1:
            counts["inverter"] = f"÷ {autonomy.inverter_ratio:g}"
    return MethodResult(
        method=Method.AUTONOMY_WITH_LOSSES if autonomy else Method.ENERGY_AUTONOMY,
        required_ah=required_ah,
        working=Working(
            title=title,
            value=required_ah,
            unit="Ah",
            source=SOURCE,
            inputs=(*cycle.inputs()[:2], volts, *factors),
            steps=(
                Step(symbol="W", expression="I1*V*24", value=wh_per_day, unit="Wh a day"),
                Step(symbol="D", expression="T1/24", value=days, unit="days"),
                Step(symbol="C", expression=f"W*D{over}", value=required_ah, unit="Ah"),
            ),
        ),
        holdover_h=holdover_h,
        holdover_working=cycle.holdover_working(
            f"{title}: standby of this bank", "C*fd*fi/I1" if autonomy else "C/I1", holdover_h, f"{SOURCE}, solved for T1", *factors
        ),
        counts=counts,
    )
