"""The standby-then-alarm cycle that every formula method works on, with its working inputs."""

from dataclasses import dataclass

from ypomoni.core.outage.case import Case
from ypomoni.core.telling.results import Step, Working, WorkingInput
from ypomoni.core.telling.wording import say_percent

# Less than this is no current that hours could be named for. [A]
LEAST_CURRENT_A = 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class DutyCycle:
    """I1 for T1, then I2 for T2: average currents at nominal voltage. [A, h]"""

    standby_current_a: float
    alarm_current_a: float
    standby_h: float
    alarm_h: float
    source: str = ""
    rated_c20_ah: float | None = None
    # How full its charger makes the bank: the hours a formula promises are of that much.
    starts_at_ratio: float = 1.0

    @property
    def filled_ah(self) -> float | None:
        """What of the rated capacity an outage finds. [Ah]"""
        return None if self.rated_c20_ah is None else self.rated_c20_ah * self.starts_at_ratio

    @property
    def charge_ah(self) -> float:
        """T1·I1 + T2·I2. [Ah]"""
        return self.standby_h * self.standby_current_a + self.alarm_h * self.alarm_current_a

    def inputs(self) -> tuple[WorkingInput, ...]:
        """Return the four inputs of the cycle."""
        return (
            WorkingInput(symbol="T1", meaning="standby required", value=self.standby_h, unit="h", provenance=self.source),
            WorkingInput(
                symbol="I1", meaning="average standby current", value=self.standby_current_a, unit="A", provenance="load register"
            ),
            WorkingInput(symbol="T2", meaning="alarm required", value=self.alarm_h, unit="h", provenance=self.source),
            WorkingInput(symbol="I2", meaning="average alarm current", value=self.alarm_current_a, unit="A", provenance="load register"),
        )

    def solved_h(self, factor_ratio: float, *, alarm_ratio: float = 1.0) -> float | None:
        """Return T1 of C = factor·(T1·I1 + alarm_ratio·T2·I2) for the bank that is there; None without one or without a current. [h]"""
        if self.filled_ah is None or self.standby_current_a < LEAST_CURRENT_A:
            return None
        alarm_ah = alarm_ratio * self.alarm_h * self.alarm_current_a
        return max(0.0, (self.filled_ah / factor_ratio - alarm_ah) / self.standby_current_a)

    def holdover_working(self, title: str, expression: str, value_h: float | None, source: str, *more: WorkingInput) -> Working | None:
        """Return the working of a formula solved for T1; ``expression`` is in C, I1, T2, I2 and the symbols of ``more``."""
        if value_h is None or self.filled_ah is None:
            return None
        share = f", of which its charger fills {say_percent(self.starts_at_ratio)}" if self.starts_at_ratio < 1 else ""
        rated = WorkingInput(
            symbol="C", meaning=f"20-hour capacity of the bank{share}", value=self.filled_ah, unit="Ah", provenance="nameplate"
        )
        inputs = (rated, *self.inputs()[1:], *more)
        note = "solved for T1; below zero it is taken as zero" if value_h == 0 else "the formula solved for T1"
        steps = () if value_h == 0 else (Step(symbol="T1", expression=expression, value=value_h, unit="h"),)
        return Working(title=title, value=value_h, unit="h", source=source, inputs=inputs, steps=steps, note=note)


def duty_cycle_of(case: Case) -> DutyCycle:
    """Return the cycle of a supply with its loads, thermostats as when they are on most."""
    requirement, bank = case.requirement, case.supply.bank
    return DutyCycle(
        standby_current_a=case.sizing_current_a(in_alarm=False),
        alarm_current_a=case.sizing_current_a(in_alarm=True),
        standby_h=requirement.standby_h,
        alarm_h=requirement.alarm_h,
        source=requirement.source or requirement.name,
        rated_c20_ah=bank.rated_c20_ah if bank else None,
        starts_at_ratio=case.supply.starts_at_ratio,
    )
