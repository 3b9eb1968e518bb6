"""The requirement type."""

from dataclasses import dataclass
from enum import StrEnum

from ypomoni.core.requirements.patterns import TimePattern
from ypomoni.core.units import MINUTES_PER_HOUR


class Method(StrEnum):
    """The schools of calculation that are run side by side."""

    PLAIN = "plain"
    DERATED = "derated"
    STANDARD_FORMULA = "standard_formula"
    STANDBY_ALARM_MARGIN = "standby_alarm_margin"
    ENERGY_AUTONOMY = "energy_autonomy"
    AUTONOMY_WITH_LOSSES = "autonomy_with_losses"
    SECTION = "section"
    SIMULATION = "simulation"


class SystemPurpose(StrEnum):
    """What kind of system a requirement is for."""

    FIRE = "fire"
    INTRUDER = "intruder"
    ACCESS = "access"
    MONITORING = "monitoring"
    OTHER = "other"


METHODS: tuple[Method, ...] = tuple(Method)


@dataclass(frozen=True, slots=True, kw_only=True)
class Derating:
    """The three factors of the derated method, each by name. Common practice: 0.65, 1 for a new battery, 0.9 for loads that come and go."""

    usable_ratio: float = 0.65
    age_ratio: float = 1.0
    activity_ratio: float = 0.9


@dataclass(frozen=True, slots=True, kw_only=True)
class Autonomy:
    """The two factors of energy and autonomy with losses, each by name: depth of discharge, and the inverter's (1 where there is none)."""

    depth_ratio: float = 0.5
    inverter_ratio: float = 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Requirement:
    """Standby hours, then alarm minutes; recharge hours to a share of present capacity (None: none required); method and margins."""

    key: str
    name: str
    standby_h: float
    method: Method
    source: str = ""
    alarm_min: float = 0.0
    recharge_h: float | None = None
    recharge_to_ratio: float = 0.8
    end_of_life_ratio: float = 0.8
    design_margin_ratio: float = 1.0
    derating: Derating = Derating()
    autonomy: Autonomy = Autonomy()
    # How long it takes somebody to come once a low battery is reported; None: not said.
    response_h: float | None = None
    # What it is for; None: not said.
    purpose: SystemPurpose | None = None
    # When mains is cut again and again; None: no pattern of cuts is asked of it.
    cuts: TimePattern | None = None

    @property
    def alarm_h(self) -> float:
        """The required alarm. [h]"""
        return self.alarm_min / MINUTES_PER_HOUR
