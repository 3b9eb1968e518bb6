"""The workings of what timed runs say of a UPS, and of what cuts and the sun come to."""

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.identifying import run_time_h
from ypomoni.core.telling.results import CutsResult, IdentifiedUps, SolarResult, Step, Working, WorkingInput
from ypomoni.core.things.solar import CHARGING_OVER_NOMINAL_RATIO, TRACKING_RATIO, Controller
from ypomoni.core.things.supplies import Supply
from ypomoni.core.units import HOURS_PER_DAY


def of_identified(supply: Supply, found: IdentifiedUps) -> Working | None:
    """Return how the overhead of a UPS comes from its timed runs: each run put back into the simulation."""
    output, bank = supply.ac, supply.bank
    if output is None or bank is None:
        return None
    condition_ratio = found.condition_ratio if found.condition_ratio is not None else bank.condition_today_ratio(supply.typical_degc)
    inputs = [
        WorkingInput(symbol="P0", meaning="overhead, as it was found", value=found.overhead_w, unit="W", provenance="its timed runs"),
        WorkingInput(
            symbol="eta",
            meaning="efficiency of its inverter, kept fixed",
            value=output.efficiency_ratio,
            unit="",
            provenance="entered, or 0.85",
        ),
        WorkingInput(
            symbol="c",
            meaning="condition of its battery",
            value=condition_ratio,
            unit="",
            provenance="its timed runs" if found.condition_ratio is not None else "measured, or from its age",
        ),
    ]
    steps: list[Step] = []
    for n, run in enumerate(supply.timed_runs, start=1):
        predicted_h = run_time_h(supply, output, run.output_w, found.overhead_w, condition_ratio)
        inputs += [
            WorkingInput(symbol=f"W{n}", meaning=f"output of run {n}", value=run.output_w, unit="W", provenance="timed run"),
            WorkingInput(symbol=f"T{n}", meaning=f"how long run {n} lasted", value=run.run_h, unit="h", provenance="timed run"),
            WorkingInput(
                symbol=f"t{n}", meaning=f"what the simulation says of run {n}", value=predicted_h, unit="h", provenance="battery simulation"
            ),
        ]
        battery_w = found.overhead_w + run.output_w / output.efficiency_ratio
        steps += [
            Step(symbol=f"Pb{n}", expression=f"P0 + W{n} / eta", value=battery_w, unit="W"),
            Step(symbol=f"e{n}", expression=f"t{n} / T{n} - 1", value=predicted_h / run.run_h - 1.0, unit=""),
        ]
    told = "Overhead and condition" if found.condition_ratio is not None else "The overhead alone"
    return Working(
        title="Overhead from timed runs",
        value=found.overhead_w,
        unit="W",
        source="least squares on the logarithm of the run time of the battery simulation, the efficiency fixed",
        inputs=tuple(inputs),
        steps=tuple(steps),
        simulated=True,
        note=f"{told} for which the runs are off least. Pb is what the battery gives, e how far each run is off.",
    )


def of_cuts(case: Case, cuts: CutsResult, mean_a: float, self_a: float) -> Working | None:
    """Return what a week of a pattern takes and what the charger can give back."""
    supply = case.supply
    if cuts.gives_back_ratio is None:
        return None
    week_h = 7.0 * HOURS_PER_DAY
    charge_h = week_h - cuts.cut_h_per_week
    limit_a = supply.charge_limit_a or 0.0
    spare_a = limit_a if supply.of_kind.mains_carries else (supply.supply_current_a or 0.0) - mean_a
    into_a = max(0.0, min(limit_a, spare_a))
    eta = case.bank.chemistry.charge_ratio
    taken_ah = mean_a * cuts.cut_h_per_week + self_a * week_h + max(0.0, -spare_a) * charge_h
    given_ah = eta * into_a * charge_h
    inputs = (
        WorkingInput(symbol="I", meaning="average standby current", value=mean_a, unit="A", provenance="load register"),
        WorkingInput(symbol="h", meaning="hours without charge in a week", value=cuts.cut_h_per_week, unit="h", provenance="the pattern"),
        WorkingInput(symbol="s", meaning="self-discharge", value=self_a, unit="A", provenance=case.bank.chemistry.name),
        WorkingInput(
            symbol="m", meaning="what the supply lacks beside its loads", value=max(0.0, -spare_a), unit="A", provenance="the supply"
        ),
        WorkingInput(symbol="Ic", meaning="charge current beside the loads", value=into_a, unit="A", provenance="the charger"),
        WorkingInput(symbol="eta", meaning="share of the charge that is kept", value=eta, unit="", provenance=case.bank.chemistry.name),
        WorkingInput(symbol="q", meaning="rated capacity at 20 h", value=case.bank.rated_c20_ah, unit="Ah", provenance="the bank"),
    )
    steps = (
        Step(symbol="taken", expression="I * h + s * 168 + m * (168 - h)", value=taken_ah, unit="Ah"),
        Step(symbol="given", expression="eta * Ic * (168 - h)", value=given_ah, unit="Ah"),
        Step(symbol="back", expression="given / taken", value=given_ah / taken_ah, unit=""),
    )
    return Working(
        title="What a week takes and gives back",
        value=given_ah / taken_ah,
        unit="",
        source="charge taken out in the cuts against the most that goes in between",
        inputs=inputs,
        steps=steps,
        note="Towards full the battery takes less than the charger could give; the simulation counts that, this does not. Under 1 no battery lasts for good.",
    )


def of_solar(case: Case, told: SolarResult) -> Working | None:
    """Return what the sun of the worst month gives over what is taken."""
    supply, solar = case.supply, case.supply.solar
    if solar is None or told.worst_ratio is None:
        return None
    month = told.worst_month - 1
    eta, hours_h = case.bank.chemistry.charge_ratio, solar.sun_h_by_month[month]
    need_a = told.need_ah_per_day[month] / HOURS_PER_DAY
    tracks = solar.controller is Controller.MPPT
    volts = supply.charge_v if supply.charge_v is not None else CHARGING_OVER_NOMINAL_RATIO * supply.nominal_v
    label = (
        (
            WorkingInput(symbol="Wp", meaning="power of one panel", value=solar.panel_w or 0.0, unit="W", provenance="its label"),
            WorkingInput(
                symbol="k", meaning="what a tracking controller passes on", value=TRACKING_RATIO, unit="", provenance="common practice"
            ),
            WorkingInput(symbol="V", meaning="charge voltage", value=volts, unit="V", provenance="entered, or 1.1 times nominal"),
        )
        if tracks
        else (
            WorkingInput(
                symbol="Imp", meaning="current of one panel at full sun", value=solar.panel_imp_a or 0.0, unit="A", provenance="its label"
            ),
        )
    )
    inputs = (
        *label,
        WorkingInput(symbol="n", meaning="panels", value=float(solar.panels_count), unit="", provenance="entered"),
        WorkingInput(symbol="f", meaning="what is left of the label", value=solar.derate_ratio, unit="", provenance="dirt, heat, cable"),
        WorkingInput(symbol="S", meaning="hours of full sun a day", value=hours_h, unit="h", provenance="the month"),
        WorkingInput(symbol="eta", meaning="share of the charge that is kept", value=eta, unit="", provenance=case.bank.chemistry.name),
        WorkingInput(symbol="I", meaning="average load with the controller", value=need_a, unit="A", provenance="load register"),
    )
    gives = told.yield_ah_per_day[month]
    steps = (
        Step(symbol="gives", expression="eta * Wp * n * f * k * S / V" if tracks else "eta * Imp * n * f * S", value=gives, unit="Ah"),
        Step(symbol="takes", expression="24 * I", value=told.need_ah_per_day[month], unit="Ah"),
        Step(symbol="ratio", expression="gives / takes", value=told.worst_ratio, unit=""),
    )
    return Working(
        title="The worst month on the sun",
        value=told.worst_ratio,
        unit="",
        source="what the label of the panel gives in that month's sun, against a day's need",
        inputs=inputs,
        steps=steps,
        note="1.2 to 1.3 is asked for in the worst month: dull weeks, snow and dirt are not in the mean.",
    )
