"""Requirement profiles to start from. Each is editable; its source is cited from practice, by number: check the edition in force.

Marks: H well-known standard practice, M common practice to check, L rough.
"""

from dataclasses import dataclass

from ypomoni.core.requirements.model import Method, SystemPurpose

CHECK = "check the edition in force where you work"


@dataclass(frozen=True, slots=True, kw_only=True)
class Profile:
    """A requirement to start from, with its source and how sure that is."""

    key: str
    group: str
    name: str
    source: str
    confidence: str
    standby_h: float
    alarm_min: float
    recharge_h: float | None
    method: Method
    recharge_to_ratio: float = 0.8
    note: str = ""

    @property
    def purpose(self) -> SystemPurpose | None:
        """What kind of system it is for; None where that depends."""
        return _PURPOSES.get(self.group, _PURPOSES.get(self.key))


_PURPOSES = {
    "Intruder": SystemPurpose.INTRUDER,
    "Fire": SystemPurpose.FIRE,
    "logger": SystemPurpose.MONITORING,
    "access": SystemPurpose.ACCESS,
}


def _intruder(grades: str, standby_h: float, recharge_h: float, key: str, note: str = "") -> Profile:
    return Profile(
        key=key,
        group="Intruder",
        name=f"Intruder, grade {grades}, {standby_h:g} h",
        source=f"EN 50131-6, supply type A, grade {grades}; {CHECK}",
        confidence="M",
        standby_h=standby_h,
        alarm_min=15.0,
        recharge_h=recharge_h,
        method=Method.SIMULATION,
        note=note,
    )


def _fire(
    key: str, name: str, source: str, confidence: str, standby_h: float, alarm_min: float, method: Method, recharge_h: float, note: str = ""
) -> Profile:
    return Profile(
        key=key,
        group="Fire",
        name=name,
        source=f"{source}; {CHECK}",
        confidence=confidence,
        standby_h=standby_h,
        alarm_min=alarm_min,
        recharge_h=recharge_h,
        method=method,
        note=note,
    )


PROFILES: tuple[Profile, ...] = (
    _intruder("1/2", 12, 72, "intruder-12"),
    _intruder("3/4", 60, 24, "intruder-60"),
    _intruder("3/4", 30, 24, "intruder-30", "only where mains faults are reported to a receiving centre"),
    _fire("fire-24", "Fire, 24 h + 30 min", "BS 5839-1", "H", 24, 30, Method.STANDARD_FORMULA, 24, "longer where unsupervised"),
    _fire(
        "fire-72-unsupervised",
        "Fire, unsupervised, up to 72 h + 30 min",
        "BS 5839-1",
        "M",
        72,
        30,
        Method.STANDARD_FORMULA,
        24,
        "time unoccupied + 24 h, at most 72 h",
    ),
    _fire("fire-72", "Fire, 72 h + 30 min", "EN 54-14 style", "M", 72, 30, Method.STANDARD_FORMULA, 24, "faults found late"),
    _fire(
        "fire-30",
        "Fire, 30 h + 30 min",
        "EN 54-14 style",
        "M",
        30,
        30,
        Method.STANDARD_FORMULA,
        24,
        "faults found at once, repaired within a day",
    ),
    _fire(
        "fire-4",
        "Fire, 4 h + 30 min",
        "EN 54-14 style",
        "M",
        4,
        30,
        Method.STANDARD_FORMULA,
        24,
        "spare parts, staff and a generator on site",
    ),
    _fire("fire-24-5", "Fire, 24 h + 5 min", "NFPA 72, secondary supply", "H", 24, 5, Method.STANDBY_ALARM_MARGIN, 48),
    _fire("fire-24-15", "Fire with voice, 24 h + 15 min", "NFPA 72, secondary supply", "H", 24, 15, Method.STANDBY_ALARM_MARGIN, 48),
    Profile(
        key="logger",
        group="Other",
        name="Remote logger, 90 days",
        source="set by whoever visits it",
        confidence="L",
        standby_h=2160,
        alarm_min=0,
        recharge_h=None,
        method=Method.SIMULATION,
    ),
    Profile(
        key="cuts",
        group="Other",
        name="Scheduled cuts, 4 h each",
        source="the supplier's schedule of cuts",
        confidence="M",
        standby_h=4,
        alarm_min=0,
        recharge_h=8,
        recharge_to_ratio=0.8,
        method=Method.SIMULATION,
        note="80 % must be back between two cuts; 95 % takes lead longer than that with any charger",
    ),
    Profile(
        key="access",
        group="Other",
        name="Access control or cameras, 4 h",
        source="set by the client",
        confidence="L",
        standby_h=4,
        alarm_min=0,
        recharge_h=24,
        method=Method.SIMULATION,
    ),
)
