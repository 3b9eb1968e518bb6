"""The section method: every section of the duty, with the capacity factor of its rate, then cold, ageing and design margin by name."""

import math

from ypomoni.core.chemistries.cells import CellModel, rate_for_run_per_h
from ypomoni.core.outage.case import Case
from ypomoni.core.requirements import Method
from ypomoni.core.sizing.duty_cycle import LEAST_CURRENT_A, DutyCycle
from ypomoni.core.telling.results import MethodResult, Step, Working, WorkingInput
from ypomoni.core.telling.wording import plain_number
from ypomoni.core.units import MINUTES_PER_HOUR, SECONDS_PER_HOUR

# A battery is renewed at 80 % of its capacity: 1/0.8. The design margin is for what is not known yet.
AGEING_RATIO = 1.25
LEAST_DESIGN_MARGIN_RATIO = 1.10
# A shorter random load counts as a minute.
SHORTEST_RANDOM_H = 1.0 / MINUTES_PER_HOUR
SHORTEST_SOLVED_H, LONGEST_SOLVED_H = 1e-6, 87_600.0
SOURCE = "IEEE 485 style, cell sizing by sections; check the edition in force"


def size_by_sections(case: Case | None, cycle: DutyCycle) -> MethodResult:
    """Return C = max over sections S of Σ (A_P − A_{P−1})·K(t_P), plus the random load, ÷ f_T × ageing × design margin. [Ah]

    K(t) = C20/I(t, V_end) of a new cell at 25 °C; t_P runs from the start of period P to the end of section S. ``case`` None gives none.
    """
    if case is None:
        working = Working(title="Section method", value=None, unit="Ah", source=SOURCE, note="no bank whose rates are known")
        return MethodResult(method=Method.SECTION, required_ah=None, working=working)
    method = _Sections(case, cycle)
    required_ah = method.required_ah(cycle.standby_h)
    if math.isinf(required_ah):
        note = f"no cell stays above {method.end_cell_v:.3g} V for so long at any current"
        working = Working(title="Section method", value=None, unit="Ah", source=SOURCE, inputs=method.inputs(), note=note)
        return MethodResult(method=Method.SECTION, required_ah=None, working=working)
    holdover_h = method.solved_h()
    return MethodResult(
        method=Method.SECTION,
        required_ah=required_ah,
        working=method.working(required_ah),
        holdover_h=holdover_h,
        holdover_working=None if holdover_h is None else method.holdover_working(holdover_h),
        counts={
            "ageing": f"× {AGEING_RATIO:g}",
            "cold": f"÷ {method.cold_ratio:.2f}",
            "rate": "K(t) of each section",
            "equipment's end": f"{plain_number(case.threshold.threshold_v)} V",
            "design margin": f"× {method.margin_ratio:g}",
        },
    )


class _Sections:
    def __init__(self, case: Case, cycle: DutyCycle) -> None:
        self.cycle = cycle
        self.cell: CellModel = case.bank.cell
        self.end_cell_v = case.threshold.threshold_v / case.bank.cells_in_series_count
        self.cold_ratio = case.bank.chemistry.capacity_factor_ratio(case.supply.min_degc, sizing=True)
        self.margin_ratio = max(LEAST_DESIGN_MARGIN_RATIO, case.requirement.design_margin_ratio)
        self.degc = case.supply.min_degc
        self.random_a, self.random_h = _random_load(case)
        self._known: dict[float, float] = {}

    @property
    def whole_ratio(self) -> float:
        return AGEING_RATIO * self.margin_ratio / self.cold_ratio

    def k_h(self, hours_h: float) -> float:
        """Return K(t): the 20-hour capacity that gives one ampere for so long. [Ah/A]"""
        if hours_h <= 0:
            return 0.0
        if hours_h in self._known:
            return self._known[hours_h]
        rate_per_h = rate_for_run_per_h(self.cell, hours_h, self.end_cell_v)
        # At no current does a cell stay above its end for so long: no capacity would do.
        found = self._known[hours_h] = 1.0 / rate_per_h if rate_per_h > 0 else math.inf
        return found

    def sections_ah(self, standby_h: float) -> tuple[float, float, float]:
        """Return what standby alone, standby with alarm, and the random load ask for. [Ah]"""
        first_a, second_a, alarm_h = self.cycle.standby_current_a, self.cycle.alarm_current_a, self.cycle.alarm_h
        first_ah = first_a * self.k_h(standby_h)
        # What flows all along counts with K of the whole time, and what the alarm adds with K of the alarm: the steps of the method.
        second_ah = first_a * self.k_h(standby_h + alarm_h) + (second_a - first_a) * self.k_h(alarm_h) if alarm_h > 0 else 0.0
        return first_ah, second_ah, self.random_a * self.k_h(self.random_h) if self.random_a > 0 else 0.0

    def required_ah(self, standby_h: float) -> float:
        first_ah, second_ah, random_ah = self.sections_ah(standby_h)
        # A random load may fall into the worst moment of the worst section, so it comes on top.
        return (max(first_ah, second_ah) + random_ah) * self.whole_ratio

    def solved_h(self) -> float | None:
        """Return the standby whose required capacity is the bank's. [h]"""
        rated_ah = self.cycle.filled_ah
        if rated_ah is None or self.cycle.standby_current_a < LEAST_CURRENT_A:
            return None
        # Where the alarm alone asks for all there is, nothing is left for standby.
        if self.required_ah(SHORTEST_SOLVED_H) >= rated_ah:
            return 0.0
        high_h = min(LONGEST_SOLVED_H, max(1.0, 2.0 * rated_ah / self.cycle.standby_current_a))
        if self.required_ah(high_h) <= rated_ah:
            return high_h
        # False position, with the weight of an end that stays halved (Illinois): the capacity rises almost straight with the hours.
        low, high = SHORTEST_SOLVED_H, high_h
        below, above = self.required_ah(low) - rated_ah, self.required_ah(high) - rated_ah
        t, was_low = low, None
        for _ in range(80):
            t = high - above * (high - low) / (above - below)
            gap = self.required_ah(t) - rated_ah
            if abs(gap) <= 1e-9 * rated_ah or high - low < 1e-9:
                break
            if gap < 0:
                low, below, above = t, gap, 0.5 * above if was_low is True else above
            else:
                high, above, below = t, gap, 0.5 * below if was_low is False else below
            was_low = gap < 0
        return t

    def inputs(self) -> tuple[WorkingInput, ...]:
        p = self.cycle
        return (
            *p.inputs(),
            WorkingInput(symbol="Vend", meaning="end voltage of a cell", value=self.end_cell_v, unit="V", provenance="equipment's end"),
            WorkingInput(
                symbol="fT", meaning=f"cold, {self.degc:g} °C, sizing row", value=self.cold_ratio, unit="", provenance="chemistry"
            ),
            WorkingInput(symbol="ma", meaning="ageing", value=AGEING_RATIO, unit="", provenance="the method's"),
            WorkingInput(
                symbol="md",
                meaning="design margin",
                value=self.margin_ratio,
                unit="",
                provenance="the method's least, or the requirement's",
            ),
        )

    def working(self, required_ah: float) -> Working:
        p = self.cycle
        first_ah, second_ah, random_ah = self.sections_ah(p.standby_h)
        k1 = WorkingInput(symbol="K1", meaning="K(T1), new at 25 °C", value=self.k_h(p.standby_h), unit="Ah/A", provenance="battery model")
        inputs, steps = [*self.inputs(), k1], [Step(symbol="S1", expression="I1*K1", value=first_ah, unit="Ah")]
        worst = "S1"
        if p.alarm_h > 0:
            inputs += [
                WorkingInput(
                    symbol="K12", meaning="K(T1 + T2)", value=self.k_h(p.standby_h + p.alarm_h), unit="Ah/A", provenance="battery model"
                ),
                WorkingInput(symbol="K2", meaning="K(T2)", value=self.k_h(p.alarm_h), unit="Ah/A", provenance="battery model"),
            ]
            steps.append(Step(symbol="S2", expression="I1*K12 + (I2 - I1)*K2", value=second_ah, unit="Ah"))
            worst = "max(S1, S2)"
        if random_ah > 0:
            inputs += [
                WorkingInput(
                    symbol="IR",
                    meaning="random load: the largest burst above rest",
                    value=self.random_a,
                    unit="A",
                    provenance="load register",
                ),
                WorkingInput(
                    symbol="KR",
                    meaning="K of its length, a minute at least",
                    value=self.k_h(self.random_h),
                    unit="Ah/A",
                    provenance="battery model",
                ),
            ]
            steps.append(Step(symbol="SR", expression="IR*KR", value=random_ah, unit="Ah"))
            worst += " + SR"
        steps.append(Step(symbol="C", expression=f"({worst}) / fT*ma*md", value=required_ah, unit="Ah"))
        return Working(title="Section method", value=required_ah, unit="Ah", source=SOURCE, inputs=tuple(inputs), steps=tuple(steps))

    def holdover_working(self, holdover_h: float) -> Working:
        note = "the standby at which the method asks for just this bank, found by trying"
        rated = WorkingInput(
            symbol="C", meaning="20-hour capacity of the bank", value=self.cycle.filled_ah or 0.0, unit="Ah", provenance="nameplate"
        )
        inputs = (rated, *self.inputs()[1:])
        return Working(
            title="Section method: standby of this bank",
            value=holdover_h,
            unit="h",
            source=SOURCE,
            inputs=inputs,
            simulated=True,
            note=note,
        )


def _random_load(case: Case) -> tuple[float, float]:
    """Return the largest burst above rest that any load makes in either state, and how long it lasts. [A, h]"""
    found = (0.0, 0.0)
    for c in case.currents:
        per_amp_a = c.load.draw_per_amp.at_nominal_a(case.supply.nominal_v) * c.load.quantity
        for burst, level_a in zip(c.load.bursts, c.burst_currents_a, strict=True):
            excess_a = per_amp_a * (level_a - c.standby_current_a)
            found = max(found, (excess_a, max(burst.duration_s / SECONDS_PER_HOUR, SHORTEST_RANDOM_H)))
    return found
