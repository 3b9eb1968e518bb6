"""Derated: plain, divided by three named factors."""

from ypomoni.core.requirements import Derating, Method
from ypomoni.core.sizing.duty_cycle import DutyCycle
from ypomoni.core.telling.results import MethodResult, Step, Working, WorkingInput


def size_derated(cycle: DutyCycle, derating: Derating) -> MethodResult:
    """Return plain/(usable·age·activity). [Ah]"""
    whole_ratio = derating.usable_ratio * derating.age_ratio * derating.activity_ratio
    required_ah, holdover_h = cycle.charge_ah / whole_ratio, cycle.solved_h(1.0 / whole_ratio)
    factors = (
        ("fu", "usable share", derating.usable_ratio),
        ("fa", "age", derating.age_ratio),
        ("fx", "activity", derating.activity_ratio),
    )
    inputs = tuple(WorkingInput(symbol=s, meaning=m, value=v, unit="", provenance=cycle.source) for s, m, v in factors)
    return MethodResult(
        method=Method.DERATED,
        required_ah=required_ah,
        working=Working(
            title="Derated: plain over usable, age and activity",
            value=required_ah,
            unit="Ah",
            source="common practice; the factors are the requirement's",
            inputs=(*cycle.inputs(), *inputs),
            steps=(Step(symbol="C", expression="(T1*I1 + T2*I2) / (fu*fa*fx)", value=required_ah, unit="Ah"),),
        ),
        holdover_h=holdover_h,
        holdover_working=cycle.holdover_working(
            "Derated: standby of this bank", "(C*fu*fa*fx - T2*I2) / I1", holdover_h, "derated, solved for T1", *inputs
        ),
        counts={
            "usable share": f"÷ {derating.usable_ratio:g}",
            "activity": f"÷ {derating.activity_ratio:g}",
            **({"ageing": f"÷ {derating.age_ratio:g}"} if derating.age_ratio < 1 else {}),
        },
    )
