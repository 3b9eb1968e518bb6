"""All schools side by side, in the order in which they know more, and where and why they disagree."""

import math

from ypomoni.core.outage.case import Case
from ypomoni.core.requirements import METHODS, Method, Requirement
from ypomoni.core.sizing.derated import size_derated
from ypomoni.core.sizing.duty_cycle import DutyCycle
from ypomoni.core.sizing.energy_autonomy import size_energy_autonomy
from ypomoni.core.sizing.plain import size_plain
from ypomoni.core.sizing.section import size_by_sections
from ypomoni.core.sizing.simulation import size_by_simulation
from ypomoni.core.sizing.standard_formula import size_standard_formula
from ypomoni.core.sizing.standby_alarm_margin import size_standby_alarm_margin
from ypomoni.core.telling.results import MethodResult
from ypomoni.core.telling.wording import plain_number, say_percent

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
# What takes less than this of the capacity explains nothing.
NOTICEABLE_RATIO = 0.97
# Equipment that stops so much above the battery's own end makes a difference of its own.
OWN_END_RATIO = 0.01


def size_by_all_methods(cycle: DutyCycle, requirement: Requirement, case: Case | None, nominal_v: float) -> tuple[MethodResult, ...]:
    """Return what each method asks for, a 20-hour capacity before rounding up to what is sold, and what it promises of the bank. [Ah, h]"""
    return tuple(size_by(method, cycle, requirement, case, nominal_v) for method in METHODS)


def size_by(method: Method, cycle: DutyCycle, requirement: Requirement, case: Case | None, nominal_v: float) -> MethodResult:
    """Return what one method asks for, and what it promises of the bank. [Ah, h]"""
    match method:
        case Method.PLAIN:
            return size_plain(cycle)
        case Method.DERATED:
            return size_derated(cycle, requirement.derating)
        case Method.STANDARD_FORMULA:
            return size_standard_formula(cycle)
        case Method.STANDBY_ALARM_MARGIN:
            return size_standby_alarm_margin(cycle)
        case Method.ENERGY_AUTONOMY:
            return size_energy_autonomy(cycle, nominal_v, None)
        case Method.AUTONOMY_WITH_LOSSES:
            return size_energy_autonomy(cycle, nominal_v, requirement.autonomy)
        case Method.SECTION:
            return size_by_sections(case, cycle)
        case Method.SIMULATION:
            return size_by_simulation(case, cycle.charge_ah)


def explain_disagreement(case: Case, methods: tuple[MethodResult, ...], prescribed: Method) -> tuple[str, ...]:
    """Return in words where and why the schools part from the simulation, the prescribed one first."""
    by_method = {m.method: m for m in methods}
    plain_ah, simulated_ah = by_method[Method.PLAIN].required_ah, by_method[Method.SIMULATION].required_ah
    if not plain_ah or not simulated_ah:
        return ()
    factors = _Factors(case)
    found = [factors.say_simulation(simulated_ah / plain_ah)]
    # The one that decides comes first, even where it is the plain division that is otherwise only shown to be beaten.
    order = sorted(methods, key=lambda m: m.method is not prescribed)
    for m in order:
        if m.method in (Method.SIMULATION, Method.PLAIN) and m.method is not prescribed:
            continue
        if m.required_ah is None or m.method is Method.SIMULATION:
            continue
        # The simulation is the measure: it alone knows rate, cold, age and bursts at once.
        part = m.required_ah / simulated_ah - 1.0
        if abs(part) <= AGREEMENT_RATIO:
            continue
        why = factors.say_missing(m) if part < 0 else _say_counted(m)
        word = "less" if part < 0 else "more"
        head = METHOD_WORDS[m.method].capitalize() + (", which is prescribed," if m.method is prescribed else "")
        found.append(f"{head} asks {say_percent(abs(part))} {word} than the simulation: {why}.")
    return tuple(found)


class _Factors:
    """What the simulation counts beside current and time, and how much each makes here."""

    def __init__(self, case: Case) -> None:
        requirement = case.requirement
        self.case = case
        self.cold_ratio = case.bank.chemistry.capacity_factor_ratio(case.supply.min_degc, sizing=True)
        self.ageing_ratio, self.margin_ratio = requirement.end_of_life_ratio, requirement.design_margin_ratio
        self.starts_at_ratio = case.supply.starts_at_ratio
        self.has_own_end = case.threshold.threshold_v > case.bank.end_v * (1 + OWN_END_RATIO)

    def say_simulation(self, ratio: float) -> str:
        """Say what makes the simulation ask so many times current × time."""
        named = [
            (f"÷ {self.ageing_ratio:g} for ageing", 1 / self.ageing_ratio),
            (f"÷ {self.cold_ratio:.2f} for {self.case.supply.min_degc:g} °C", 1 / self.cold_ratio),
            (f"÷ {self.starts_at_ratio:.2f} since its charger does not fill it", 1 / max(self.starts_at_ratio, 1e-6)),
            (f"× {self.margin_ratio:g} design margin", self.margin_ratio),
        ]
        counted = [(words, factor) for words, factor in named if factor > 1.005]
        # What no named factor explains: the law of the battery itself, found by division so that the factors multiply to the whole.
        rest = ratio / math.prod(factor for _, factor in counted)
        end = f"the {plain_number(self.case.threshold.threshold_v)} V that {self.case.threshold.owner} needs"
        words = ", ".join([*(w for w, _ in counted), f"and × {rest:.2f} for high current, resistance, bursts and {end}"])
        return f"The simulation asks {plain_number(ratio)} times current × time: {words}."

    def say_missing(self, m: MethodResult) -> str:
        """Say what a school leaves out that counts here."""
        missing = [
            words
            for name, words, counts in (
                ("ageing", "ageing", self.ageing_ratio < NOTICEABLE_RATIO),
                ("cold", "cold", self.cold_ratio < NOTICEABLE_RATIO),
                ("starts at", "that its charger does not fill it", self.starts_at_ratio < NOTICEABLE_RATIO),
                (
                    "equipment's end",
                    f"that {self.case.threshold.owner} stops at {plain_number(self.case.threshold.threshold_v)} V",
                    self.has_own_end,
                ),
                ("bursts", "that bursts come at the worst moment", any(load.bursts for load in self.case.loads)),
            )
            if counts and name not in m.counts
        ]
        if not missing:
            return "it assumes that a battery gives its whole capacity at any current"
        return f"it leaves out {', '.join(missing[:-1])} and {missing[-1]}" if len(missing) > 1 else f"it leaves out {missing[0]}"


def _say_counted(m: MethodResult) -> str:
    counted = [f"{name} {figure}" for name, figure in m.counts.items() if figure not in ("÷ 1.00", "÷ 1", "× 1")]
    return "it counts " + ", ".join(counted) if counted else "it multiplies current and time and allows for nothing else"
