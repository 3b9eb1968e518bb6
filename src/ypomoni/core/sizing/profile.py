"""The standby-then-alarm profile that every formula method works on, with its working inputs."""

from dataclasses import dataclass

from ypomoni.core.results import WorkingInput


@dataclass(frozen=True, slots=True, kw_only=True)
class Profile:
    """I1 for T1, then I2 for T2: average currents at nominal voltage. [A, h]"""

    standby_current_a: float
    alarm_current_a: float
    standby_h: float
    alarm_h: float
    source: str = ""

    @property
    def charge_ah(self) -> float:
        """T1·I1 + T2·I2. [Ah]"""
        return self.standby_h * self.standby_current_a + self.alarm_h * self.alarm_current_a

    def inputs(self) -> tuple[WorkingInput, ...]:
        """Return the four inputs of the profile."""
        return (
            WorkingInput(symbol="T1", meaning="standby required", value=self.standby_h, unit="h", provenance=self.source),
            WorkingInput(
                symbol="I1", meaning="average standby current", value=self.standby_current_a, unit="A", provenance="load register"
            ),
            WorkingInput(symbol="T2", meaning="alarm required", value=self.alarm_h, unit="h", provenance=self.source),
            WorkingInput(symbol="I2", meaning="average alarm current", value=self.alarm_current_a, unit="A", provenance="load register"),
        )
