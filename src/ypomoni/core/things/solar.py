"""What the sun gives: panels as their label says them, through nothing, a simple controller or a tracking one."""

from dataclasses import dataclass
from enum import StrEnum

from ypomoni.core.units import HOURS_PER_DAY

MONTH_DAYS = (31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)
# What a tracking controller passes on of what its panel gives it. Common practice. [M]
TRACKING_RATIO = 0.95
# What a tracking controller's battery is taken to show where no charge voltage is stated, over its nominal voltage.
CHARGING_OVER_NOMINAL_RATIO = 1.1
USUAL_DERATE_RATIO = 0.75


class Controller(StrEnum):
    """What stands between panel and battery."""

    NONE = "none"
    PWM = "pwm"
    MPPT = "mppt"


@dataclass(frozen=True, slots=True, kw_only=True)
class SolarPart:
    """Panels, all in parallel, and their controller.

    Parameters
    ----------
    panel_w, panel_imp_a, panel_isc_a
        Of one panel at full sun: power, current at it, short-circuit current. None: not known. [W, A]
    controller_current_a
        What the controller draws, day and night. [A]
    blocking_diode
        Whether one keeps the battery from feeding the panel at night; None: not known.
    derate_ratio
        What is left of the label for dirt, heat and cable.
    sun_h_by_month
        Hours a day of full sun (1 kW/m²) in the plane of the panel, January first. [h]
    """

    controller: Controller
    sun_h_by_month: tuple[float, ...]
    panel_w: float | None = None
    panel_imp_a: float | None = None
    panel_isc_a: float | None = None
    panels_count: int = 1
    controller_current_a: float = 0.0
    blocking_diode: bool | None = None
    derate_ratio: float = USUAL_DERATE_RATIO

    @property
    def has_figures(self) -> bool:
        """Whether what its way of charging is reckoned from is known."""
        return (self.panel_w if self.controller is Controller.MPPT else self.panel_imp_a) is not None

    def current_a(self, charge_v: float | None, nominal_v: float) -> float:
        """Return what it gives at full sun, at the battery: imp·n·derate, or panel_w·n·derate·0.95/V when it tracks. [A]"""
        if self.controller is not Controller.MPPT:
            return (self.panel_imp_a or 0.0) * self.panels_count * self.derate_ratio
        volts = charge_v if charge_v is not None else CHARGING_OVER_NOMINAL_RATIO * nominal_v
        return (self.panel_w or 0.0) * self.panels_count * self.derate_ratio * TRACKING_RATIO / volts

    def greatest_a(self, lowest_v: float) -> float | None:
        """Return the most that can come from all panels: into a short, or all their power at the lowest voltage; None: not known. [A, V]"""
        if self.controller is not Controller.MPPT:
            return self.short_circuit_a
        return None if self.panel_w is None else self.panel_w * self.panels_count / lowest_v

    @property
    def short_circuit_a(self) -> float | None:
        """What all panels give at most; None where their label is not known. [A]"""
        return None if self.panel_isc_a is None else self.panel_isc_a * self.panels_count

    def sun_span_h(self, month: int) -> tuple[float, float]:
        """Return from when to when of a day the sun of a month shines in full, around noon; month 0 is January. [h]"""
        half_h = 0.5 * self.sun_h_by_month[month]
        return 0.5 * HOURS_PER_DAY - half_h, 0.5 * HOURS_PER_DAY + half_h

    @property
    def sunniest_month(self) -> int:
        """The month with the most sun; 0 is January."""
        return max(range(12), key=lambda m: self.sun_h_by_month[m])
