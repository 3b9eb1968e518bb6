"""Standby and alarm, with one margin of a fifth."""

from ypomoni.core.requirements import Method
from ypomoni.core.sizing.duty_cycle import DutyCycle
from ypomoni.core.telling.results import MethodResult, Step, Working

MARGIN_RATIO = 1.20


def size_standby_alarm_margin(cycle: DutyCycle) -> MethodResult:
    """Return 1.20(T1·I1 + T2·I2). [Ah]

    References
    ----------
    .. [1] NFPA 72, secondary power supply.
    """
    required_ah, holdover_h = MARGIN_RATIO * cycle.charge_ah, cycle.solved_h(MARGIN_RATIO)
    return MethodResult(
        method=Method.STANDBY_ALARM_MARGIN,
        required_ah=required_ah,
        working=Working(
            title="Standby and alarm with margin",
            value=required_ah,
            unit="Ah",
            source="NFPA 72, secondary power supply; check the edition in force",
            inputs=cycle.inputs(),
            steps=(Step(symbol="C", expression="1.20*(T1*I1 + T2*I2)", value=required_ah, unit="Ah"),),
        ),
        holdover_h=holdover_h,
        holdover_working=cycle.holdover_working(
            "Standby and alarm with margin: standby of this bank", "(C/1.20 - T2*I2) / I1", holdover_h, "margin of a fifth, solved for T1"
        ),
        counts={"ageing": "× 1.20"},
    )
