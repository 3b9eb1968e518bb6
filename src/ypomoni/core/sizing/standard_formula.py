"""Standard formula of fire practice, with the allowance for a heavy alarm."""

from ypomoni.core.requirements import Method
from ypomoni.core.sizing.duty_cycle import DutyCycle
from ypomoni.core.telling.results import MethodResult, Step, Working

AGEING_RATIO = 1.25
HEAVY_ALARM_RATIO = 1.75
LIGHT_ALARM_RATE_H = 20.0
HALF_AN_HOUR_H = 0.5


def size_standard_formula(cycle: DutyCycle) -> MethodResult:
    """Return C1 = 1.25(T1·I1 + T2·I2) where I2 ≤ C1/20, otherwise 1.25(T1·I1 + 1.75·I2·T2). [Ah]

    References
    ----------
    .. [1] BS 5839-1, annex on standby battery capacity.
    """
    light_ah = AGEING_RATIO * cycle.charge_ah
    # A current of the 20-hour rate or less gives the whole capacity; above it D makes up for what a fast discharge leaves behind.
    is_light = cycle.alarm_current_a <= light_ah / LIGHT_ALARM_RATE_H
    heavy_ah = AGEING_RATIO * (cycle.standby_h * cycle.standby_current_a + HEAVY_ALARM_RATIO * cycle.alarm_current_a * cycle.alarm_h)
    required_ah = light_ah if is_light else heavy_ah
    steps = [Step(symbol="C1", expression="1.25*(T1*I1 + T2*I2)", value=light_ah, unit="Ah")]
    if not is_light:
        steps.append(Step(symbol="C", expression="1.25*(T1*I1 + 1.75*I2*T2)", value=required_ah, unit="Ah"))
    note = (
        "the alarm current is at most C1/20, so no allowance for its rate"
        if is_light
        else "the alarm current is above C1/20, so it counts 1.75 times"
    )
    if not is_light and abs(cycle.alarm_h - HALF_AN_HOUR_H) > 1e-9:
        note += "; 1.75 belongs to half an hour of alarm: at this length trust the simulation"
    # Its two branches solved for T1: with D = 1 where that leaves the alarm light, otherwise with 1.75.
    solves_light = cycle.filled_ah is not None and cycle.alarm_current_a <= cycle.filled_ah / LIGHT_ALARM_RATE_H
    holdover_h = cycle.solved_h(AGEING_RATIO, alarm_ratio=1.0 if solves_light else HEAVY_ALARM_RATIO)
    solved = "(C/1.25 - T2*I2) / I1" if solves_light else "(C/1.25 - 1.75*T2*I2) / I1"
    return MethodResult(
        method=Method.STANDARD_FORMULA,
        required_ah=required_ah,
        working=Working(
            title="Standard formula",
            value=required_ah,
            unit="Ah",
            source="BS 5839-1, annex on standby battery capacity; check the edition in force",
            inputs=cycle.inputs(),
            steps=tuple(steps),
            note=note,
        ),
        holdover_h=holdover_h,
        holdover_working=cycle.holdover_working(
            "Standard formula: standby of this bank", solved, holdover_h, "standard formula, solved for T1"
        ),
        counts={"ageing": "× 1.25", **({} if is_light else {"alarm rate": "× 1.75 on the alarm"})},
    )
