"""All schools side by side, in the order in which they know more."""

from ypomoni.core.case import Case
from ypomoni.core.requirements import Requirement
from ypomoni.core.results import MethodResult
from ypomoni.core.sizing.derated import size_derated
from ypomoni.core.sizing.plain import size_plain
from ypomoni.core.sizing.profile import Profile
from ypomoni.core.sizing.simulation import size_by_simulation
from ypomoni.core.sizing.standard_formula import size_standard_formula
from ypomoni.core.sizing.standby_alarm_margin import size_standby_alarm_margin


def size_by_all_methods(profile: Profile, requirement: Requirement, case: Case | None) -> tuple[MethodResult, ...]:
    """Return what each method asks for: a 20-hour capacity before rounding up to what is sold. [Ah]"""
    return (
        size_plain(profile),
        size_derated(profile, requirement.derating),
        size_standard_formula(profile),
        size_standby_alarm_margin(profile),
        size_by_simulation(case, profile.charge_ah),
    )
