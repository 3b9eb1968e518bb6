"""The working of each figure: formula, this plan's numbers, their provenance, the source of the rule."""

import math

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import LoadCurrents, mean_draw, peak_draw
from ypomoni.core.outage.ends import Holdover
from ypomoni.core.outage.recharge import Recovery
from ypomoni.core.outage.uncertainty import expected_a
from ypomoni.core.telling.results import Band, BandInput, Scenarios, Step, Working, WorkingInput
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_percent, say_watts
from ypomoni.core.things.batteries import Pack
from ypomoni.core.things.loads import ConverterKind, Load, StatedCurrent
from ypomoni.core.things.outputs import AcOutput, OverheadFrom
from ypomoni.core.things.supplies import Supply

MODEL_SOURCE = (
    "two-well kinetic battery model (Manwell & McGowan, Solar Energy 50, 1993) with resistance and an activation loss (Butler-Volmer)"
)
PROVENANCE_WORDS = {
    "measured": "measured",
    "data_sheet": "data sheet",
    "nameplate": "nameplate, 0.7 of it expected",
    "estimate": "estimate",
}
OVERHEAD_WORDS = {
    OverheadFrom.STATED: "entered with the supply",
    OverheadFrom.RATING: "2 % of its rating, an estimate",
    OverheadFrom.TIMED_RUNS: "found from its timed runs",
}
MEASURED_OR_AGED = {True: "from its age", False: "measured"}


def of_currents(case: Case, standby_a: float, alarm_a: float, peak_standby_a: float, peak_alarm_a: float) -> dict[str, Working]:
    """Return the workings of the three currents of a supply."""
    peak_in_alarm = peak_alarm_a >= peak_standby_a
    return {
        "standby_current": _sum_of_loads(case, "Average standby current", standby_a, in_alarm=False, peak=False),
        "alarm_current": _sum_of_loads(case, "Average alarm current", alarm_a, in_alarm=True, peak=False),
        "peak_current": _sum_of_loads(case, "Peak current", max(peak_standby_a, peak_alarm_a), in_alarm=peak_in_alarm, peak=True),
    }


def _sum_of_loads(case: Case, title: str, value_a: float, *, in_alarm: bool, peak: bool) -> Working:
    nominal_v = case.supply.nominal_v
    inputs = [_own_current(case.supply)]
    draw = peak_draw if peak else mean_draw
    for n, currents in enumerate(case.currents, start=1):
        stated = currents.load.alarm if in_alarm else currents.load.standby
        inputs.append(
            WorkingInput(
                symbol=f"i{n}",
                meaning=f"{currents.load.name}: {_composition(currents, in_alarm=in_alarm)}",
                value=draw(currents, in_alarm=in_alarm).at_nominal_a(nominal_v),
                unit="A",
                provenance=_known_from(stated, currents.alarm_current_a if in_alarm else currents.standby_current_a),
            )
        )
    expression = " + ".join(i.symbol for i in inputs)
    note = (
        "every burst that can coincide counts at once"
        if peak
        else f"battery side at {plain_number(nominal_v)} V; bursts count with their share of time, I = rest(1 − Σd) + ΣI·d"
    )
    return Working(
        title=title,
        value=value_a,
        unit="A",
        source="sum of the load register" + (", in alarm" if in_alarm else ", in standby"),
        inputs=tuple(inputs),
        steps=(Step(symbol="I", expression=expression, value=value_a, unit="A"),),
        note=note,
    )


def _own_current(supply: Supply) -> WorkingInput:
    """Return what a supply takes itself, with what its output burns, as a current at nominal voltage."""
    output, meaning, known = supply.output, "the supply itself, on battery", "entered with the supply"
    if isinstance(output, AcOutput):
        known = OVERHEAD_WORDS[OverheadFrom.RATING if output.is_overhead_guessed else output.overhead_from]
        meaning += f", with an overhead of {say_watts(output.burns_w)}"
    elif output is not None and output.burns_w > 0:
        meaning += f", with an idle power of {say_watts(output.burns_w)}"
    if supply.unlisted is not None:
        meaning += f", with an unlisted load of {say_amps(supply.unlisted_a)}, measured at {supply.unlisted.point_name}"
    return WorkingInput(symbol="i0", meaning=meaning, value=supply.own_draw.at_nominal_a(supply.nominal_v), unit="A", provenance=known)


def _composition(currents: LoadCurrents, *, in_alarm: bool) -> str:
    load = currents.load
    text = f"{load.quantity} × {say_amps(currents.alarm_current_a if in_alarm else currents.standby_current_a)}"
    for burst in load.bursts:
        text += f", {burst.name or 'burst'} {say_amps(burst.current_a)} for {plain_number(burst.duration_s)} s, {plain_number(burst.per_hour)} an hour"
    if load.converter and load.converter.kind is ConverterKind.SWITCHING:
        text += f", from {plain_number(load.rail_v)} V through a converter of {plain_number(load.converter.efficiency_ratio)}"
    if load.feed:
        text += f", over an output of {plain_number(load.feed.output_v)} V with an efficiency of {plain_number(load.feed.efficiency_ratio)}"
    return text


def of_load(currents: LoadCurrents, nominal_v: float) -> Working:
    """Return how the average, alarm and peak current of one load come about, at the battery. [A]"""
    load = currents.load
    per_amp_a = load.draw_per_amp.at_nominal_a(nominal_v)
    words = _known_from(load.standby, currents.standby_current_a)
    alarm_words = "as in standby" if load.alarm_is_standby else _known_from(load.alarm, currents.alarm_current_a)
    inputs = [
        WorkingInput(symbol="n", meaning="pieces", value=float(load.quantity), unit="", provenance="load register"),
        WorkingInput(symbol="r", meaning="standby, one piece", value=currents.standby_current_a, unit="A", provenance=words),
        WorkingInput(symbol="a", meaning="alarm, one piece", value=currents.alarm_current_a, unit="A", provenance=alarm_words),
        WorkingInput(
            symbol="k",
            meaning=f"amperes at the battery for one on the {plain_number(load.rail_v)} V rail",
            value=per_amp_a,
            unit="",
            provenance=_of_converter(load),
        ),
    ]
    extra = ""
    if currents.extra_current_a:
        names = ", ".join(t.name for t in (*load.thermostats, *load.recharges))
        inputs.append(
            WorkingInput(symbol="x", meaning=f"{names}, on average", value=currents.extra_current_a, unit="A", provenance="share of time")
        )
        extra = " + x"
    totals = {False: currents.standby_current_a, True: currents.alarm_current_a}
    sums = {False: "r", True: "a"}
    for m, (burst, level_a) in enumerate(zip(load.bursts, currents.burst_currents_a, strict=True), start=1):
        meaning = f"{burst.name or 'burst'}, while it lasts" + (", in alarm only" if burst.during.value == "alarm" else "")
        inputs.append(WorkingInput(symbol=f"i{m}", meaning=meaning, value=level_a, unit="A", provenance=words))
        share = f"{plain_number(burst.duration_s)} s, {plain_number(burst.per_hour)} an hour"
        inputs.append(WorkingInput(symbol=f"d{m}", meaning=f"its share of time: {share}", value=burst.duty_ratio, unit=""))
        if burst.during.value != "alarm":
            totals[False] += (level_a - currents.standby_current_a) * burst.duty_ratio
            sums[False] += f" + (i{m} - r)*d{m}"
        level = f"i{m}" if burst.during.value == "alarm" else f"max(i{m}, a)"
        reached_a = level_a if burst.during.value == "alarm" else max(level_a, currents.alarm_current_a)
        totals[True] += (reached_a - currents.alarm_current_a) * burst.duty_ratio
        sums[True] += f" + ({level} - a)*d{m}"
    peak_a = max(peak_draw(currents, in_alarm=state).at_nominal_a(nominal_v) for state in (False, True))
    steps = [
        Step(
            symbol=symbol,
            expression=f"n*k*({sums[state]}{extra})",
            value=load.quantity * per_amp_a * (totals[state] + currents.extra_current_a),
            unit="A",
        )
        for symbol, state in (("I1", False), ("I2", True))
    ]
    return Working(
        title=f"{load.name}: what it draws at the battery",
        value=steps[0].value,
        unit="A",
        source="I = rest(1 − Σd) + ΣI·d, written as rest + Σ(I − rest)·d",
        inputs=tuple(inputs),
        steps=tuple(steps),
        note=f"I1 is the average in standby, I2 in alarm. At its peak, all pieces at once, it is {say_amps(peak_a)}.",
    )


def _known_from(stated: StatedCurrent, current_a: float) -> str:
    """Say where a current is known from, and whether a measured total moved it."""
    words = PROVENANCE_WORDS[stated.provenance.value]
    moved_a = abs(current_a - expected_a(stated))
    return f"{words}, moved to a measured total" if moved_a > 1e-9 * max(current_a, 1e-6) else words


def _of_converter(load: Load) -> str:
    if load.feed:
        return f"over an output of {plain_number(load.feed.output_v)} V, efficiency {plain_number(load.feed.efficiency_ratio)}; {_at_output(load)}"
    return _at_output(load)


def _at_output(load: Load) -> str:
    if load.converter is None:
        return load.behaviour.value.replace("_", " ")
    if load.converter.kind is ConverterKind.LINEAR:
        return "linear converter: passes the current"
    return f"switching converter, efficiency {plain_number(load.converter.efficiency_ratio)}"


def of_holdover(case: Case, today: Holdover, band: Band, scenarios: Scenarios, pack: Pack, missing_ah: float) -> dict[str, Working]:
    """Return the workings of holdover, endurance, the scenarios and the missing charge."""
    supply, requirement = case.supply, case.requirement
    inputs, steps = _pack_working(case, pack)
    end = today.end
    at_end = (
        WorkingInput(symbol="u", meaning="charge removed when it ends", value=end.u_ah, unit="Ah", provenance="simulated"),
        WorkingInput(symbol="d", meaning="charge not yet available then", value=end.d_ah, unit="Ah", provenance="simulated"),
        WorkingInput(symbol="I", meaning="battery current then", value=end.current_a, unit="A", provenance="simulated"),
    )
    head = 1.0 - (end.u_ah + end.d_ah) / pack.capacity_ah
    checks: tuple[Step, ...] = (Step(symbol="h", expression="1 - (u + d)/q", value=head, unit=""),)
    if head > 0:
        e_v = pack.open_circuit_v(head)
        known = "its discharge table" if case.bank.table_fit else case.bank.chemistry.source
        at_end = (*at_end, WorkingInput(symbol="E", meaning="open-circuit voltage at h", value=e_v, unit="V", provenance=known))
        growth = 1.0 + pack.g * (1.0 - head) / head
        loss_v = pack.activation_v * math.asinh(end.current_a * growth / pack.exchange_a)
        checks = (
            *checks,
            Step(symbol="G", expression="1 + g*(1 - h)/h", value=growth, unit=""),
            Step(
                symbol="V",
                expression="E - I*Rb*G - b*asinh(I*G/ix)" if pack.activation_v else "E - I*Rb*G",
                value=e_v - end.current_a * pack.resistance_ohm * growth - loss_v,
                unit="V",
            ),
        )
    state = "in the alarm" if end.in_alarm else "in standby"
    burst = ", in a burst" if end.in_burst else ""
    owner = f"{end.cable_owner}, with the drop of its cable" if end.cable_owner else case.threshold.owner
    note = (
        f"Loads draw standby with every burst explicit until the alarm; the latest alarm that is still carried starts after the time shown. "
        f"It ends {plain_number(end.t_h, 4)} h after mains failure, {state}{burst}, where the voltage reaches "
        f"{plain_number(end.threshold_v, 4)} V ({owner}). Band: root of squares of each input alone at its limit."
    )
    holdover = Working(
        title="Holdover",
        value=today.holdover_h,
        unit="h",
        source=MODEL_SOURCE,
        inputs=(*inputs, *at_end),
        steps=(*steps, *checks),
        simulated=True,
        note=note,
    )
    found = {"holdover": holdover}
    found["endurance"] = Working(
        title="Endurance: standby alone",
        value=today.endurance_h,
        unit="h",
        source=MODEL_SOURCE,
        inputs=inputs,
        steps=steps,
        simulated=True,
        note="As holdover, without the alarm.",
    )
    assumptions = {
        "fresh": ("Fresh: a new bank", scenarios.fresh, 1.0, supply.typical_degc),
        "cold": ("Cold: today's bank at the lowest temperature", scenarios.cold, case.condition_today_ratio, supply.min_degc),
        "end_of_life": ("End of life", scenarios.end_of_life, requirement.end_of_life_ratio, supply.typical_degc),
        "worst": ("Worst: end of life, at the lowest temperature", scenarios.worst, requirement.end_of_life_ratio, supply.min_degc),
    }
    for key, (title, value_h, c, t) in assumptions.items():
        found[f"scenario_{key}"] = Working(
            title=title,
            value=value_h,
            unit="h",
            source=MODEL_SOURCE,
            inputs=(
                WorkingInput(symbol="c", meaning="condition", value=c, unit="", provenance="scenario"),
                WorkingInput(symbol="T", meaning="battery temperature", value=t, unit="°C", provenance="site"),
            ),
            simulated=True,
            note="The same run as holdover, with this condition and temperature.",
        )
    found["missing"] = Working(
        title="Charge the loads go without",
        value=missing_ah,
        unit="Ah",
        source="area of the hatched part of the strip",
        inputs=(
            WorkingInput(symbol="T1", meaning="standby required", value=requirement.standby_h, unit="h", provenance=requirement.source),
            WorkingInput(symbol="H", meaning="expected holdover", value=band.expected, unit="h", provenance="simulated"),
            WorkingInput(
                symbol="I1",
                meaning="average standby current",
                value=case.mean_current_a(in_alarm=False),
                unit="A",
                provenance="load register",
            ),
        ),
        steps=(Step(symbol="Q", expression="max(0, T1 - H)*I1", value=missing_ah, unit="Ah"),),
        note="What to fit is more than this: a bigger bank is also drawn on longer, aged and cold.",
    )
    return found


def of_band(band: Band, inputs: tuple[BandInput, ...]) -> Working:
    """Return the working of the low side of the band: each input alone at its bad end, added as root of squares."""
    deltas: list[WorkingInput] = []
    for n, i in enumerate(inputs, start=1):
        fall = math.log(band.expected / i.low_h) if 0 < i.low_h < band.expected else 0.0
        words = PROVENANCE_WORDS.get(i.provenance, i.provenance)
        known = ", less what a measured total explains" if i.fall_ratio < fall - 1e-9 else ""
        meaning = f"ln(H / {say_hours(i.low_h)}), {i.name} at its bad end{known}: {say_percent(i.share_ratio)} of the width"
        deltas.append(WorkingInput(symbol=f"d{n}", meaning=meaning, value=i.fall_ratio, unit="", provenance=words))
    expected = WorkingInput(symbol="H", meaning="expected holdover", value=band.expected, unit="h", provenance="simulated")
    certain = any(i.low_h <= 0 for i in inputs) or band.expected <= 0
    squares = " + ".join(f"{d.symbol}*{d.symbol}" for d in deltas)
    steps = () if certain else (Step(symbol="low", expression=f"H*exp(-sqrt({squares}))", value=band.low, unit="h"),)
    note = f"High side likewise, with each input at its good end: {say_hours(band.high)}. Limits are 95 %; equal pieces of one load move together."
    if certain:
        note = "With one input alone at its bad end it does not hold at all, so the low end is nothing. " + note
    return Working(
        title="Low end of the band",
        value=band.low,
        unit="h",
        source="independent uncertainties add as root of squares; limits from where each figure comes from",
        inputs=(expected, *deltas),
        steps=steps,
        note=note,
    )


def _is_timed(case: Case) -> bool:
    """Say whether the condition of the bank was told by timed runs."""
    output = case.supply.output
    return isinstance(output, AcOutput) and output.overhead_from is OverheadFrom.TIMED_RUNS and output.tells_condition


def _pack_working(case: Case, pack: Pack) -> tuple[tuple[WorkingInput, ...], tuple[Step, ...]]:
    """Return the inputs and steps that make q and Rb of the bank as it is, and what an outage finds in it."""
    bank, chemistry, cell, t = case.bank, case.bank.chemistry, case.bank.cell, case.supply.typical_degc
    table = f"temperature table of {chemistry.name}"
    fitted = "its discharge table" if bank.table_fit else chemistry.source
    at = f"at {plain_number(t)} °C"
    inputs = [
        WorkingInput(
            symbol="C20", meaning="rated capacity of the bank at 20 h", value=bank.rated_c20_ah, unit="Ah", provenance="nameplate"
        ),
        WorkingInput(symbol="r", meaning="q/C20", value=cell.capacity_over_c20_ratio, unit="", provenance=fitted),
        WorkingInput(symbol="fT", meaning=f"capacity factor {at}", value=chemistry.capacity_factor_ratio(t), unit="", provenance=table),
        WorkingInput(
            symbol="c",
            meaning="condition of the bank",
            value=case.condition_today_ratio,
            unit="",
            provenance="found from its timed runs" if _is_timed(case) else MEASURED_OR_AGED[bank.condition_ratio is None],
        ),
        WorkingInput(symbol="fR", meaning=f"resistance factor {at}", value=chemistry.resistance_factor_ratio(t), unit="", provenance=table),
        WorkingInput(symbol="g", meaning="growth of resistance towards empty", value=cell.g, unit="", provenance=fitted),
    ]
    cells = WorkingInput(symbol="n", meaning="cells in series", value=float(bank.cells_in_series_count), unit="", provenance="nameplate")
    if bank.resistance_ohm is None:
        inputs += [
            cells,
            WorkingInput(
                symbol="rAh", meaning="resistance times capacity of a cell", value=cell.resistance_ohm_ah, unit="Ω·Ah", provenance=fitted
            ),
        ]
        expression = "n*rAh/C20*fR*(1 + 2.5*(1 - c))"
    else:
        inputs += [
            WorkingInput(symbol="rm", meaning="resistance of a block at 1 kHz", value=bank.resistance_ohm, unit="Ω", provenance="measured"),
            WorkingInput(
                symbol="md",
                meaning="DC over 1 kHz",
                value=chemistry.dc_over_1khz_ratio,
                unit="",
                provenance=f"common practice for {chemistry.name}, rough",
            ),
            WorkingInput(symbol="ns", meaning="blocks in series", value=float(bank.series), unit="", provenance="nameplate"),
            WorkingInput(symbol="np", meaning="strings in parallel", value=float(bank.parallel), unit="", provenance="nameplate"),
        ]
        expression = "md*rm*ns/np*fR"
    steps = [
        Step(symbol="q", expression="C20*r*fT*c", value=pack.capacity_ah, unit="Ah"),
        Step(symbol="Rb", expression=expression, value=pack.resistance_ohm, unit="Ω"),
    ]
    if pack.activation_v:
        if bank.resistance_ohm is not None:
            inputs.append(cells)
        inputs += [
            WorkingInput(
                symbol="bc", meaning="activation voltage of a cell", value=cell.activation_v, unit="V", provenance=chemistry.source
            ),
            WorkingInput(
                symbol="e0",
                meaning="exchange current per ampere-hour of C20",
                value=cell.exchange_per_h,
                unit="A/Ah",
                provenance=chemistry.source,
            ),
        ]
        steps += [
            Step(symbol="b", expression="n*bc", value=pack.activation_v, unit="V"),
            Step(symbol="ix", expression="C20*e0", value=pack.exchange_a, unit="A"),
        ]
    if case.supply.starts_at_ratio < 1:
        cell_v = (case.supply.charge_v or 0.0) / bank.cells_in_series_count
        meaning = f"how full its charger makes it: a cell that rests at {plain_number(cell_v, 4)} V takes no more"
        inputs.append(WorkingInput(symbol="s", meaning=meaning, value=case.supply.starts_at_ratio, unit="", provenance="charge voltage"))
        steps.append(Step(symbol="u0", expression="(1 - s)*q", value=pack.start_u_ah, unit="Ah"))
    return tuple(inputs), tuple(steps)


def of_recommendation(case: Case, simulated_ah: float, prescribed_ah: float, bank_ah: float, recovery_h: float | None) -> Working:
    """Return the working of the recommended bank."""
    requirement = case.requirement
    inputs = [
        WorkingInput(
            symbol="Cs",
            meaning="asked for by the simulation, aged and cold",
            value=simulated_ah,
            unit="Ah",
            provenance="see its own working",
        ),
        WorkingInput(
            symbol="Cp",
            meaning=f"asked for by the prescribed method, {requirement.method.value}",
            value=prescribed_ah,
            unit="Ah",
            provenance="see its own working",
        ),
        WorkingInput(
            symbol="Cb",
            meaning="the first bank sold that has at least that and suits its charger",
            value=bank_ah,
            unit="Ah",
            provenance="sold list",
        ),
    ]
    note = "Fewest strings first, then the smallest of what is sold, of the same chemistry and voltage; put back and judged. A new bank is meant."
    if requirement.recharge_h is not None and recovery_h is not None:
        inputs.append(
            WorkingInput(symbol="tr", meaning="its recovery when new, beside the load", value=recovery_h, unit="h", provenance="simulated")
        )
        note += f" It must be back to {say_percent(requirement.recharge_to_ratio)} within {plain_number(requirement.recharge_h, 4)} h."
    needed_ah = max(simulated_ah, prescribed_ah)
    return Working(
        title="What to fit",
        value=bank_ah,
        unit="Ah",
        source="the prescribed method, the simulation and the recharge time, all three",
        inputs=tuple(inputs),
        steps=(
            Step(symbol="C", expression="max(Cs, Cp)", value=needed_ah, unit="Ah"),
            Step(symbol="spare", expression="Cb - C", value=bank_ah - needed_ah, unit="Ah"),
        ),
        simulated=True,
        note=note,
    )


def of_charge_current(supply: Supply, value_a: float, standby_a: float) -> Working:
    """Return the working of the current left for the bank."""
    if supply.of_kind.mains_carries:
        limit = WorkingInput(symbol="Il", meaning="charge limit", value=value_a, unit="A", provenance="entered with the supply")
        return Working(
            title="Charge current",
            value=value_a,
            unit="A",
            source="mains carries the loads, so the charger has the battery alone to feed",
            inputs=(limit,),
            steps=(Step(symbol="Ic", expression="Il", value=value_a, unit="A"),),
            note="The chemistry's greatest charge current does not cap it: a charger does not know its battery.",
        )
    source_a, meaning, known = supply.supply_current_a or 0.0, "current of the supply", "entered with the supply"
    limit_a = supply.charge_limit_a or 0.0
    if supply.of_kind.is_sunlit and supply.solar is not None:
        source_a, meaning, known = (
            supply.solar.current_a(supply.charge_v, supply.nominal_v),
            "full sun, at the battery",
            "label of the panels",
        )
        # No limit stated is none but the panel's.
        limit_a = source_a if supply.charge_limit_a is None else supply.charge_limit_a
    return Working(
        title="Charge current beside the load",
        value=value_a,
        unit="A",
        source="the supply feeds load and bank from one current",
        inputs=(
            WorkingInput(symbol="Il", meaning="charge limit", value=limit_a, unit="A", provenance=known),
            WorkingInput(symbol="Is", meaning=meaning, value=source_a, unit="A", provenance=known),
            WorkingInput(symbol="I1", meaning="average standby current", value=standby_a, unit="A", provenance="load register"),
        ),
        steps=(Step(symbol="Ic", expression="max(0, min(Il, Is - I1))", value=value_a, unit="A"),),
        note="The chemistry's greatest charge current does not cap it: a charger does not know its battery.",
    )


def of_recovery(case: Case, recovery: Recovery) -> Working:
    """Return the working of the recovery."""
    chemistry = case.bank.chemistry
    inputs = (
        WorkingInput(
            symbol="m0",
            meaning="missing after a discharge at C/20 to the end voltage",
            value=recovery.start_missing_ah,
            unit="Ah",
            provenance="simulated",
        ),
        WorkingInput(
            symbol="mt",
            meaning="missing at the share asked for",
            value=recovery.target_missing_ah,
            unit="Ah",
            provenance=case.requirement.source,
        ),
        WorkingInput(
            symbol="Ic",
            meaning="charge current beside the load",
            value=recovery.charge_current_a,
            unit="A",
            provenance="see its own working",
        ),
        WorkingInput(
            symbol="eta", meaning="charge stored per charge given", value=chemistry.charge_ratio, unit="", provenance=chemistry.source
        ),
    )
    steps: tuple[Step, ...] = ()
    if recovery.charge_current_a > 0:
        shortest_h = max(0.0, recovery.start_missing_ah - recovery.target_missing_ah) / (chemistry.charge_ratio * recovery.charge_current_a)
        steps = (Step(symbol="tmin", expression="max(0, m0 - mt)/(eta*Ic)", value=shortest_h, unit="h"),)
    if recovery.recovery_h is None:
        note = "It never gets there: nothing is left for the bank beside the load, or the set voltage is too low."
    else:
        note = f"Simulated: constant current for {plain_number(recovery.constant_current_h)} h, then the set voltage lets less and less in. tmin is what constant current alone would take."
    return Working(
        title="Recovery beside the standby load",
        value=recovery.recovery_h,
        unit="h",
        source=MODEL_SOURCE + ", run backwards; ±20 %",
        inputs=inputs,
        steps=steps,
        simulated=True,
        note=note,
    )
