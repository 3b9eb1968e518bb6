"""All schools side by side, in the order in which they know more, and where and why they disagree."""

from ypomoni.core.case import Case
from ypomoni.core.requirements import METHODS, Method, Requirement
from ypomoni.core.results import MethodResult
from ypomoni.core.sizing.derated import size_derated
from ypomoni.core.sizing.energy_autonomy import size_energy_autonomy
from ypomoni.core.sizing.plain import size_plain
from ypomoni.core.sizing.profile import Profile
from ypomoni.core.sizing.section import size_by_sections
from ypomoni.core.sizing.simulation import size_by_simulation
from ypomoni.core.sizing.standard_formula import size_standard_formula
from ypomoni.core.sizing.standby_alarm_margin import size_standby_alarm_margin
from ypomoni.core.wording import plain_number, say_percent

METHOD_WORDS = {
    Method.PLAIN: "plain",
    Method.DERATED: "derated",
    Method.STANDARD_FORMULA: "standard formula",
    Method.STANDBY_ALARM_MARGIN: "standby and alarm with margin",
    Method.ENERGY_AUTONOMY: "energy and autonomy days",
    Method.AUTONOMY_WITH_LOSSES: "autonomy with depth and inverter",
    Method.SECTION: "section method",
    Method.SIMULATION: "simulation",
}
# Closer than this two schools agree: no battery is known better.
AGREEMENT_RATIO = 0.05


def size_by_all_methods(profile: Profile, requirement: Requirement, case: Case | None, nominal_v: float) -> tuple[MethodResult, ...]:
    """Return what each method asks for, a 20-hour capacity before rounding up to what is sold, and what it promises of the bank. [Ah, h]"""
    return tuple(size_by(method, profile, requirement, case, nominal_v) for method in METHODS)


def size_by(method: Method, profile: Profile, requirement: Requirement, case: Case | None, nominal_v: float) -> MethodResult:
    """Return what one method asks for, and what it promises of the bank. [Ah, h]"""
    match method:
        case Method.PLAIN:
            return size_plain(profile)
        case Method.DERATED:
            return size_derated(profile, requirement.derating)
        case Method.STANDARD_FORMULA:
            return size_standard_formula(profile)
        case Method.STANDBY_ALARM_MARGIN:
            return size_standby_alarm_margin(profile)
        case Method.ENERGY_AUTONOMY:
            return size_energy_autonomy(profile, nominal_v, None)
        case Method.AUTONOMY_WITH_LOSSES:
            return size_energy_autonomy(profile, nominal_v, requirement.autonomy)
        case Method.SECTION:
            return size_by_sections(case, profile)
        case Method.SIMULATION:
            return size_by_simulation(case, profile.charge_ah)


def explain_disagreement(case: Case, methods: tuple[MethodResult, ...], prescribed: Method) -> tuple[str, ...]:
    """Return in words where and why the schools part from the simulation, the prescribed one first."""
    by_method = {m.method: m for m in methods}
    plain_ah, simulated_ah = by_method[Method.PLAIN].required_ah, by_method[Method.SIMULATION].required_ah
    if not plain_ah or not simulated_ah:
        return ()
    requirement = case.requirement
    cold_ratio = case.bank.chemistry.capacity_factor_ratio(case.supply.min_degc, sizing=True)
    named = 1.0 / (requirement.end_of_life_ratio * cold_ratio) * requirement.design_margin_ratio
    rest = simulated_ah / plain_ah / named
    margin = f", × {requirement.design_margin_ratio:g} design margin" if requirement.design_margin_ratio > 1 else ""
    found = [
        f"The simulation asks {plain_number(simulated_ah / plain_ah)} times current × time: ÷ {requirement.end_of_life_ratio:g} for ageing, "
        f"÷ {cold_ratio:.2f} for {case.supply.min_degc:g} °C{margin}, and × {rest:.2f} for rate, resistance, bursts and the "
        f"{plain_number(case.threshold.threshold_v)} V that {case.threshold.owner} needs."
    ]
    order = sorted(methods, key=lambda m: m.method is not prescribed)
    for m in order:
        if m.method in (Method.SIMULATION, Method.PLAIN) and m.method is not prescribed:
            continue
        if m.required_ah is None or m.method is Method.SIMULATION:
            continue
        part = m.required_ah / simulated_ah - 1.0
        if abs(part) <= AGREEMENT_RATIO:
            continue
        missing = [n for n, gone in (("ageing", "ageing" not in m.counts), ("cold", "cold" not in m.counts)) if gone]
        why = f"it leaves out {' and '.join(missing)}" if missing and part < 0 else _why(m)
        word = "less" if part < 0 else "more"
        head = METHOD_WORDS[m.method].capitalize() + (", which is prescribed," if m.method is prescribed else "")
        found.append(f"{head} asks {say_percent(abs(part))} {word} than the simulation: {why}.")
    return tuple(found)


def _why(m: MethodResult) -> str:
    if not m.counts:
        return "it multiplies current and time and knows nothing else"
    return "it counts " + ", ".join(f"{name} {figure}" for name, figure in m.counts.items())
