"""Plain: current times time. Shown to be beaten; it knows neither ageing nor cold, and is dangerous above C/10."""

from ypomoni.core.requirements import Method
from ypomoni.core.sizing.duty_cycle import DutyCycle
from ypomoni.core.telling.results import MethodResult, Step, Working


def size_plain(cycle: DutyCycle) -> MethodResult:
    """Return T1·I1 + T2·I2. [Ah]"""
    required_ah, holdover_h = cycle.charge_ah, cycle.solved_h(1.0)
    return MethodResult(
        method=Method.PLAIN,
        required_ah=required_ah,
        working=Working(
            title="Plain: current times time",
            value=required_ah,
            unit="Ah",
            source="arithmetic; it allows for neither ageing nor cold nor rate",
            inputs=cycle.inputs(),
            steps=(Step(symbol="C", expression="T1*I1 + T2*I2", value=required_ah, unit="Ah"),),
        ),
        holdover_h=holdover_h,
        holdover_working=cycle.holdover_working("Plain: standby of this bank", "(C - T2*I2) / I1", holdover_h, "plain, solved for T1"),
    )
