"""Can the supply deliver it, through what stands between its battery and its loads."""

from collections.abc import Iterator

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.outage.demand import mean_draw
from ypomoni.core.outage.loading import OutputUse, Quantity, amount_of, has_guessed_va, uses_of_output, va_per_w
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import plain_number, say_amp_hours, say_amps, say_ms, say_names, say_percent, say_span, say_watts
from ypomoni.core.things.batteries import REPLACE_BELOW_RATIO
from ypomoni.core.things.loads import Load
from ypomoni.core.things.outputs import USUAL_POWER_FACTOR_RATIO, AcOutput, DcOutput, OverheadFrom, Waveform

# Runs that are off by more than this do not belong to the battery that is entered.
RUNS_AGREE_RATIO = 0.10
# Of its rating an inverter gives for a start; of the battery it is supplied with more is an extended one. [ratio]
INRUSH_RATIO, EXTENDED_RATIO = 2.0, 2.0
# A battery is called new for so long. [years]
NEW_UNTIL_Y = 0.5


def check_output(facts: Facts) -> list[Finding]:
    """Return overloads: average or peak above what the output gives in standby or in alarm."""
    if facts.case is None:
        return []
    findings: list[Finding] = []
    for code, state, in_alarm in (("overload_standby", "standby", False), ("overload_alarm", "alarm", True)):
        over = [a for a in uses_of_output(facts.case, in_alarm=in_alarm) if a.is_too_much]
        if over:
            findings.append(_overload(facts, code, state, over))
    return findings


def say_quantity(amount: float, quantity: Quantity) -> str:
    """Return an amount with its unit, in words."""
    return say_amps(amount) if quantity is Quantity.AMPERES else f"{plain_number(amount)} {quantity.value}"


def _overload(facts: Facts, code: str, state: str, over: list[OutputUse]) -> Finding:
    asked = " and ".join(
        f"{say_quantity(a.mean, a.quantity)} on average" if a.mean > a.allowed else f"{say_quantity(a.peak, a.quantity)} at its peak"
        for a in over
    )
    gives = " and ".join(say_quantity(a.allowed, a.quantity) for a in over)
    evidence = f"In {state} the loads of {facts.supply.name} ask for {asked}. It gives {gives} at most."
    guessed = [load for load in facts.loads if has_guessed_va(load)]
    # Amperes and watts stand by themselves; only volt-amperes rest on a power factor that may be a guess.
    if guessed and any(a.quantity is Quantity.VOLT_AMPERES for a in over):
        evidence += f" The power factor of {say_names(guessed)} is not known; {USUAL_POWER_FACTOR_RATIO:g} is taken."
    # They were walked as if the output gave whatever is asked of it.
    if facts.result.holdover:
        evidence += " The hours shown count only if it does not shut down."
    return Finding(
        code=code,
        severity=Severity.FAILS,
        evidence=evidence,
        source="output limit entered with the supply" if facts.supply.feed is None else "rating of its output entered with the supply",
        way_out="Fit a supply that is rated for it, or look on the balance board which loads can hang elsewhere.",
    )


def check_sources(facts: Facts) -> Iterator[Finding]:
    """Yield what stands between battery and loads gives rise to beside overloads: parts not stated, light loads, gaps, what it burns."""
    yield from _part_missing(facts)
    yield from _light_load(facts)
    yield from _transfer_gap(facts)
    yield from _inrush(facts)
    yield from _waveform(facts)
    yield from _extended_bank(facts)
    yield from _overhead(facts)
    yield from _runs_disagree(facts)
    yield from _runs_of_another(facts)


_PARTS = {
    "ac": ("its output: voltage, rating, overhead, efficiency", "Enter the output of the UPS as its label gives it"),
    "ac.rated_va": ("its rating and its overhead", "Enter the rating in VA as its label gives it, or its overhead in W"),
    "dc": ("its output: voltage, efficiency, idle power", "Enter the output of the DC UPS as its label gives it"),
    "solar": ("its panel and controller", "Enter the panel's label, what stands between it and the battery, and the sun of twelve months"),
    "solar.panel_w": ("the power of its panel", "Enter the watts of one panel as its label gives them"),
    "solar.panel_imp_a": ("the current of its panel at full sun", "Enter Imp of one panel as its label gives it"),
    "windows": ("the hours in which it is charged", "Enter when there is charge, as in daily 07:30 0.5 h"),
}


def _part_missing(facts: Facts) -> Iterator[Finding]:
    part = facts.supply.missing_part
    if part is None:
        return
    what, way_out = _PARTS[part]
    yield Finding(
        code="part_missing",
        severity=Severity.NOTE,
        evidence=f"Of {facts.supply.name} nothing is said about {what} ({part} in the site file). Without that how long it holds cannot be computed.",
        source=f"what a supply of the kind {facts.supply.of_kind.name} is computed from",
        way_out=f"{way_out}.",
    )


def _light_load(facts: Facts) -> Iterator[Finding]:
    light = facts.case.light_load if facts.case is not None and facts.supply.is_modelled else None
    if light is None:
        return
    name, is_ac = facts.supply.name, isinstance(facts.supply.output, AcOutput)
    quantity = Quantity.WATTS if is_ac else Quantity.AMPERES
    rest, limit, after = say_quantity(light.amount, quantity), say_quantity(light.allowed, quantity), say_span(light.after_h)
    # Asleep between bursts it loses nothing that must hold: that is what the sleep is for.
    if light.ends_at_h is None and not light.ends_alarm:
        yield Finding(
            code="sleeps_between_bursts",
            severity=Severity.NOTE,
            evidence=f"At rest {name} has to give {rest}, and it sleeps below {limit}. "
            + (
                f"Each burst wakes it, and {after} after the burst it sleeps again. Asleep it draws {say_amps(facts.supply.own_current_a)}."
                if light.wakes
                else f"It sleeps from {after} on and draws {say_amps(facts.supply.own_current_a)}. Nothing essential is drawn then."
            ),
            source="sleep entered with the supply",
            way_out="Try it once: pull the mains, wait until it sleeps, and see whether each load comes back.",
        )
        return
    state = "in an alarm" if light.ends_at_h is None else "at rest"
    lost = [load for load in facts.loads if load.essential]
    goes = say_names(lost) if lost else "what hangs on it"
    # A UPS that takes its load for gone switches off for good; a DC supply sleeps, and here not even a burst wakes it.
    if not is_ac and facts.case is not None and not light.wakes and light.ends_at_h is not None:
        ends = f"It sleeps after {after} and does not wake by itself, so the next burst finds no supply."
    else:
        ends = f"It takes the load for gone and switches off after {after}: {goes} {'goes' if len(lost) == 1 else 'go'} dark with the battery full."
    yield Finding(
        code="light_load_switch_off",
        severity=Severity.FAILS,
        evidence=f"{name} has to give {rest} {state}, and switches off below {limit}. {ends}",
        source="light-load switch-off entered with the supply",
        way_out="Switch that function off if its manual allows it, or feed these loads from a supply without it. A larger battery does not help.",
    )


def _transfer_gap(facts: Facts) -> Iterator[Finding]:
    output = facts.supply.ac if facts.supply.of_kind.is_inverter else None
    if output is None or output.transfer_ms is None:
        return
    # A load that need not hold may restart. One of which it is not known is named as not checked.
    short = [e for e in facts.loads if e.essential and e.ride_through_ms is not None and e.ride_through_ms < output.transfer_ms]
    if not short:
        return
    least_ms = min(e.ride_through_ms or 0.0 for e in short)
    yield Finding(
        code="transfer_gap",
        severity=Severity.FAILS,
        evidence=f"{facts.supply.name} takes {say_ms(output.transfer_ms)} to change over to its battery. {say_names(short)} "
        f"{'goes' if len(short) == 1 else 'go'} on for {say_ms(least_ms)} only, so {'it restarts' if len(short) == 1 else 'they restart'} or "
        f"{'stays' if len(short) == 1 else 'stay'} off at every cut.",
        source="transfer time against ride-through",
        way_out="Fit a UPS that changes over without a gap, or feed these loads from DC.",
    )


def _inrush(facts: Facts) -> Iterator[Finding]:
    case, output = facts.case, facts.supply.ac if facts.supply.of_kind.is_inverter else None
    if case is None or output is None or output.rated_va is None or not facts.supply.is_modelled:
        return
    running_va = max(amount_of(case.supply, Quantity.VOLT_AMPERES, case.currents, mean_draw, in_alarm=state) for state in (False, True))
    starts: list[tuple[float, Load]] = []
    for load in case.loads:
        if load.ac is not None and load.ac.inrush_va is not None:
            # One piece starts while all the rest is running.
            runs_va = load.standby.current_a * load.output_w_per_amp * va_per_w(load)
            starts.append((running_va - runs_va + load.ac.inrush_va, load))
    allowed_va = INRUSH_RATIO * output.rated_va
    total_va, load = max(starts, key=lambda s: s[0], default=(0.0, None))
    if load is None or total_va <= allowed_va * (1 + 1e-9):
        return
    yield Finding(
        code="inrush_overload",
        severity=Severity.FAILS,
        evidence=f"{facts.supply.name}: {load.name} starts while the rest is running. Together they take {plain_number(total_va)} VA ({plain_number(allowed_va)} VA allowed). "
        "The output can switch off.",
        source="starting power beside the rest against twice the rated VA",
        way_out="Fit a larger UPS, or feed that load from another supply.",
    )


def _waveform(facts: Facts) -> Iterator[Finding]:
    output = facts.supply.ac if facts.supply.of_kind.is_inverter else None
    corrected = [load for load in facts.loads if load.ac is not None and load.ac.active_pfc is True]
    if output is None or output.waveform is not Waveform.STEPPED or not corrected:
        return
    yield Finding(
        code="waveform_pfc",
        severity=Severity.RISK,
        evidence=f"{facts.supply.name} gives a stepped wave. {say_names(corrected)} {'has' if len(corrected) == 1 else 'have'} active power-factor correction: "
        "such a supply can switch off or overload the UPS on a stepped wave.",
        source="active power-factor correction on a stepped output [M]",
        way_out="Fit a UPS with a sine-wave output, or try it under load with the mains off.",
    )


def _extended_bank(facts: Facts) -> Iterator[Finding]:
    output, bank = facts.supply.ac if facts.supply.of_kind.is_inverter else None, facts.bank
    if output is None or bank is None or output.sold_with_ah is None:
        return
    if bank.rated_c20_ah <= EXTENDED_RATIO * output.sold_with_ah * (1 + 1e-9):
        return
    yield Finding(
        code="ups_bank_extended",
        severity=Severity.RISK,
        evidence=f"{facts.supply.name}: a battery of {say_amp_hours(bank.rated_c20_ah)} is fitted or entered, {say_amp_hours(output.sold_with_ah)} is supplied with it. "
        "A much larger battery runs the inverter hot for longer than it was built for, and its charger may never fill the battery.",
        source="more than twice the battery a UPS is supplied with [M]",
        way_out="Ask the maker which battery is allowed, and check heat and charge current.",
    )


def _overhead(facts: Facts) -> Iterator[Finding]:
    case = facts.case
    if case is None or not isinstance(case.supply.output, AcOutput) or not facts.supply.is_modelled:
        return
    output = case.supply.output
    burns_w = output.burns_w
    for_loads_w = case.mean_draw(in_alarm=False).power_w - burns_w
    # Every inverter burns something: it is worth a word from where it takes more than the loads do.
    if burns_w <= for_loads_w:
        return
    known = {
        OverheadFrom.TIMED_RUNS: "found from its timed runs",
        OverheadFrom.STATED: "as stated",
        OverheadFrom.RATING: "reckoned as 2 % of its rating, which may be half off",
    }[OverheadFrom.RATING if output.is_overhead_guessed else output.overhead_from]
    yield Finding(
        code="overhead_dominates",
        severity=Severity.NOTE,
        evidence=f"{facts.supply.name} burns {say_watts(burns_w)} to stay awake ({known}). Its loads take {say_watts(for_loads_w)} from the battery. "
        "So most of the charge never reaches them.",
        source="battery power = overhead + output / efficiency",
        way_out="Compare a smaller UPS and a DC supply with the same battery on the page Power. A larger UPS burns more.",
    )


def _runs_disagree(facts: Facts) -> Iterator[Finding]:
    found = facts.result.identified
    if found is None or found.worst_error_ratio <= RUNS_AGREE_RATIO:
        return
    yield Finding(
        code="timed_runs_disagree",
        severity=Severity.RISK,
        evidence=f"No overhead makes the timed runs of {facts.supply.name} go with this battery: the worst of them is {say_percent(found.worst_error_ratio)} off. "
        "So what they say of it cannot be trusted.",
        source="least squares of the battery simulation over the timed runs",
        way_out="Look at the battery, its cut-off and the watts of each run again, and time one more run from full.",
    )


def _runs_of_another(facts: Facts) -> Iterator[Finding]:
    """Yield that timed runs call a new battery worn: they may be of the one before it."""
    found, bank = facts.result.identified, facts.bank
    if found is None or bank is None or found.condition_ratio is None:
        return
    # A worn battery that is entered as old is just what runs are timed to find.
    if bank.age_y > NEW_UNTIL_Y or found.condition_ratio >= REPLACE_BELOW_RATIO:
        return
    yield Finding(
        code="timed_runs_of_another_battery",
        severity=Severity.RISK,
        evidence=f"By its timed runs the battery of {facts.supply.name} has {say_percent(found.condition_ratio)} of its capacity, and it is entered as new.",
        source="least squares of the battery simulation over the timed runs",
        way_out="If they were timed with the battery before it, take them out and time a new one. If not, have the battery tested.",
    )


def unknown_of_output(facts: Facts) -> Iterator[str]:
    """Yield by name what of the output was not looked at."""
    output = facts.supply.output
    if isinstance(output, AcOutput):
        if output.rated_w is None or output.rated_va is None:
            yield "whether it is overloaded: its rating in W and VA is not known in full"
        if output.transfer_ms is None:
            yield "whether its loads live through the change-over: its transfer time is not known"
        elif any(load.essential and load.ride_through_ms is None for load in facts.loads):
            yield "whether every load lives through the change-over: how long they go on without supply is not known"
        if output.light_load_off_w is None:
            yield "whether it switches off under a light load"
        guessed = [load for load in facts.loads if has_guessed_va(load)]
        if guessed:
            yield f"the volt-amperes of {say_names(guessed)}: a power factor of {USUAL_POWER_FACTOR_RATIO:g} is taken"
        yield "inrush when several loads start at once"
        corrected = [load for load in facts.loads if load.ac is not None and load.ac.active_pfc is not False]
        if output.waveform is None and corrected:
            yield "whether its loads run on its waveform: the waveform is not known"
        elif output.waveform is Waveform.STEPPED and any(load.ac is not None and load.ac.active_pfc is None for load in facts.loads):
            yield "whether every load runs on a stepped wave: power-factor correction is not known of all"
        if output.sold_with_ah is None:
            yield "whether its battery is larger than the one supplied with it"
        return
    if facts.supply.output_limit_a is None:
        yield "whether it is overloaded: its output limit is not known"
    if isinstance(output, DcOutput) and output.sleep_below_a is None:
        yield "whether it sleeps under a light load"
