"""The page models of the stage Power, as finished strings."""

from dataclasses import dataclass, replace

from ypomoni.core.evaluation.recommending import charger_advice, say_sold
from ypomoni.core.evaluation.ways import Losses, UpsSize, Way, WayKind, ups_size, ways_of
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.load_curve import LoadCurve, crossing_w, hours_at, load_curve, present_output_w
from ypomoni.core.outage.selecting import play_selector
from ypomoni.core.outage.uncertainty import expected_currents
from ypomoni.core.telling.results import SelectorResult, SupplyResult, Verdict
from ypomoni.core.telling.wording import (
    plain_number,
    say_hours,
    say_hours_up,
    say_names,
    say_percent,
    say_range,
    say_required_h,
    say_watts,
)
from ypomoni.core.things.loads import Converter, ConverterKind, Load
from ypomoni.core.things.selectors import SelectorMode
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.web.power.charts import BackupChart, LoadChart, backup_chart, load_chart
from ypomoni.web.words import METHOD_WORDS, VERDICT_WORDS

LOOKS_COUNT = 240
# The converters compared: a switching one of this efficiency.
SWITCHING_RATIO = 0.9


@dataclass(frozen=True, slots=True, kw_only=True)
class WayRow:
    """One way to feed the loads, in words."""

    key: str
    name: str
    battery: str
    hours: str
    band: str
    verdict: str
    verdict_word: str
    recharge: str
    parts: tuple[tuple[str, float, str], ...]
    parts_at: tuple[tuple[str, float, float], ...]
    whole: str
    price: str
    cannot: tuple[str, ...]
    assumed: tuple[str, ...]
    fails: str
    risks: tuple[str, ...]
    may_be_planned: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class StageRow:
    """One load behind a stage, switching against linear: what it takes, and what becomes heat where."""

    name: str
    stage: str
    hours: str
    heat: str
    where: str
    is_now: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PowerView:
    """What the page *UPS or DC* shows of a supply."""

    line: str
    ways: tuple[WayRow, ...]
    chart: LoadChart | None
    size: tuple[tuple[str, str], ...]
    stages: tuple[StageRow, ...]
    must: str
    is_ups: bool


def power_view(plan: Plan, supply: Supply, result: SupplyResult) -> PowerView:
    """Return the view of a supply."""
    loads = plan.loads_on(supply.key)
    ways = ways_of(supply, loads)
    most_w = max([w.losses.whole_w for w in ways], default=1.0)
    size = ups_size(supply, loads)
    return PowerView(
        line=_line(supply, ways),
        ways=tuple(_way_row(w, most_w) for w in ways),
        chart=_chart(plan, supply, loads, ways),
        size=() if size is None else _size_rows(supply, loads, size, result),
        stages=tuple(_stage_rows(supply, loads)),
        must=say_required_h(supply.requirement.standby_h),
        is_ups=supply.of_kind.is_inverter,
    )


def _line(supply: Supply, ways: tuple[Way, ...]) -> str:
    """Say in one line what the comparison comes to."""
    if not ways:
        part = supply.missing_part
        if part is not None:
            return f"How long {supply.name} holds cannot be computed before its output is entered."
        return f"{supply.name} has nothing to compare yet: it needs a battery and loads."
    now = ways[0]
    if not supply.of_kind.is_inverter:
        through = f"through a converter of {say_percent(supply.feed.efficiency_ratio)}" if supply.feed else "straight from its battery"
        return f"{supply.name} feeds DC {through}. It takes {say_watts(now.losses.overhead_w)} itself, of {say_watts(now.losses.whole_w)} in all."
    now_h = now.band.expected if now.band else 0.0
    share = now.losses.overhead_w / now.losses.whole_w if now.losses.whole_w > 0 else 0.0
    line = f"{supply.name} burns {say_watts(now.losses.overhead_w)} to stay awake, {say_percent(share)} of what its battery gives."
    direct = next((w for w in ways if w.kind is WayKind.DC_SAME), None)
    if direct is not None and not direct.cannot and direct.band is not None and now_h > 0:
        times = direct.band.expected / now_h
        line += f" A DC supply on the same battery would last {say_hours(direct.band.expected)} instead of {say_hours(now_h)}: {plain_number(times, 2)} times as long."
    elif direct is not None and direct.cannot:
        line += f" Direct DC cannot feed everything: {direct.cannot[0]}."
    return line


PART_WORDS = (("device", "devices"), ("adaptor", "adaptors"), ("converter", "inverter or converters"), ("overhead", "overhead"))


def _way_row(way: Way, most_w: float) -> WayRow:
    must_h = way.supply.requirement.standby_h
    verdict = way.result.verdict or Verdict.UNKNOWN
    failing = next((f.evidence for f in way.result.findings if f.severity.value in ("danger", "fails")), "")
    per_hour = way.price_per_hour
    return WayRow(
        key=way.kind.value,
        name=way.name,
        battery=way.battery,
        hours=say_hours(way.band.expected, must_h=must_h) if way.band else "nothing draws",
        band=say_range(way.band.low, way.band.high, must_h=must_h) if way.band else "",
        verdict=verdict.value,
        verdict_word=VERDICT_WORDS[verdict],
        recharge=_recharge_words(way.result),
        parts=_parts(way.losses, most_w),
        parts_at=_parts_at(way.losses, most_w),
        whole=say_watts(way.losses.whole_w),
        price=""
        if way.price is None
        else f"{plain_number(way.price)}" + ("" if per_hour is None else f", {plain_number(per_hour)} an hour"),
        cannot=way.cannot,
        assumed=way.assumed,
        fails=failing,
        risks=way.risks,
        may_be_planned=way.may_be_planned,
    )


def _recharge_words(result: SupplyResult) -> str:
    if result.recovery_h is not None:
        return f"{say_hours_up(result.recovery_h)} to {say_percent(result.recharge_to_ratio)}"
    return "never" if "recovery" in result.workings else "charger not known"


def _parts(losses: Losses, most_w: float) -> tuple[tuple[str, float, str], ...]:
    values = (losses.device_w, losses.adaptor_w, losses.converter_w, losses.overhead_w)
    return tuple(
        (key, round(100 * max(0.0, w) / most_w, 2), f"{words} {say_watts(w)}")
        for (key, words), w in zip(PART_WORDS, values, strict=True)
        if w > 1e-9
    )


def _parts_at(losses: Losses, most_w: float) -> tuple[tuple[str, float, float], ...]:
    """Return the parts of the bar: which, where it begins and how wide it is, in percent of the widest bar."""
    found: list[tuple[str, float, float]] = []
    at = 0.0
    for key, percent, _ in _parts(losses, most_w):
        found.append((key, round(at, 2), percent))
        at += percent
    return tuple(found)


def _size_rows(supply: Supply, loads: tuple[Load, ...], size: UpsSize, result: SupplyResult) -> tuple[tuple[str, str], ...]:
    sold = f"{size.sold_va:g} VA" if size.sold_va is not None else "none that is sold is large enough: split the loads"
    starting = f"{plain_number(size.starting_va)} VA"
    if size.inrush_unknown:
        starting += f"; of {len(size.inrush_unknown)} loads the start is not known"
    bank = result.recommended_bank
    fitted = "none" if bank is None else say_sold(bank)
    late = result.recovery_h is None or (result.recharge_h is not None and result.recovery_h > result.recharge_h)
    charger = (
        charger_advice(supply, loads)
        if late
        else f"the one that is there: back at {say_percent(result.recharge_to_ratio)} after {say_hours_up(result.recovery_h or 0.0)}"
    )
    return (
        ("Runs together", f"{plain_number(size.running_w)} W, {plain_number(size.running_va)} VA at its peak"),
        ("With the largest start", starting),
        ("Next size sold", sold),
        ("Its charger", charger),
        ("Battery by the simulation", fitted if bank else (result.no_bank_reason or "none")),
        *((f"Battery by {METHOD_WORDS[m.method]}", f"{plain_number(m.required_ah or 0.0)} Ah") for m in result.methods if m.required_ah),
    )


def _chart(plan: Plan, supply: Supply, loads: tuple[Load, ...], ways: tuple[Way, ...]) -> LoadChart | None:
    if not supply.of_kind.is_inverter or supply.bank is None or not ways:
        return None
    now_w = present_output_w(Case(supply, loads))
    sizes = {w.kind: w.supply for w in ways if w.kind in (WayKind.SMALLER, WayKind.LARGER)}
    beside = [s for s in plan.supplies if s.key != supply.key and s.of_kind.is_inverter]
    others = [*sizes.values(), *beside[:1]]
    curves = [c for c in (load_curve(supply, now_w), *(load_curve(s) for s in others)) if c is not None]
    if not curves:
        return None
    crossing, words = None, ""
    other = next((s for s in beside if s.is_modelled and s.bank), sizes.get(WayKind.SMALLER))
    if other is not None:
        crossing = crossing_w(supply, other)
        if crossing is not None:
            longer = supply.name if hours_at(supply, 1.0) > hours_at(other, 1.0) else other.name
            words = f"{longer} lasts longer"
    return load_chart(tuple(curves), (), crossing, words)


def _stage_rows(supply: Supply, loads: tuple[Load, ...]) -> list[StageRow]:
    """Return for each load behind a converter what the other kind of stage would make of hours and heat."""
    found: list[StageRow] = []
    if supply.of_kind.is_inverter or supply.bank is None:
        return found
    for load in loads:
        if load.converter is None:
            continue
        now = load.converter
        kinds = [now]
        if now.kind is ConverterKind.LINEAR:
            kinds.append(Converter(kind=ConverterKind.SWITCHING, efficiency_ratio=SWITCHING_RATIO))
        elif load.rail_v <= supply.fed_v:
            kinds.append(Converter(kind=ConverterKind.LINEAR))
        for converter in kinds:
            changed = tuple(replace(e, converter=converter) if e.key == load.key else e for e in loads)
            case = Case(supply, changed)
            hours = "nothing draws" if case.draws_nothing else say_hours(case.holdover().holdover_h, must_h=supply.requirement.standby_h)
            heat_w = _heat_w(load, converter, supply)
            stage = "linear" if converter.kind is ConverterKind.LINEAR else f"switching, {say_percent(converter.efficiency_ratio)}"
            where = load.place.name if load.place else "where its converter sits"
            found.append(StageRow(name=load.name, stage=stage, hours=hours, heat=say_watts(heat_w), where=where, is_now=converter == now))
    return found


def _heat_w(load: Load, stage: Converter, supply: Supply) -> float:
    """Return what a stage before a load turns into heat with the mains on, all units, their bursts included. [W]"""
    currents = expected_currents(load, load.place or supply.climate)
    rest_a = currents.standby_current_a + currents.extra_current_a
    bursts_a = sum((a - currents.standby_current_a) * b.duty_ratio for a, b in zip(currents.burst_currents_a, load.bursts, strict=True))
    current_a = max(0.0, rest_a + bursts_a) * load.quantity
    if stage.kind is ConverterKind.LINEAR:
        # With the mains on the battery stands at its charge voltage, and all above the rail becomes heat.
        before_v = (
            supply.fed_v if supply.feed else max(supply.charge_v or 0.0, supply.bank.full_v if supply.bank else 0.0, supply.nominal_v)
        )
        return max(0.0, before_v - load.rail_v) * current_a
    return current_a * load.rail_v * (1.0 / stage.efficiency_ratio - 1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TimedView:
    """What the page *Timed runs* shows of a UPS."""

    lines: tuple[str, ...]
    chart: LoadChart | None
    text: str
    # The overhead that was found, which opens to its working; empty where no run is timed.
    overhead: str = ""


def timed_view(plan: Plan, supply: Supply, result: SupplyResult) -> TimedView:
    """Return the runs of a UPS on its curve, and what they say."""
    loads = plan.loads_on(supply.key)
    case = Case(supply, loads)
    curve: LoadCurve | None = load_curve(supply, present_output_w(case) if loads else None) if supply.is_modelled else None
    runs = supply.timed_runs
    text = "\n".join(f"{plain_number(r.output_w)} W {plain_number(r.run_h, 4)} h" for r in runs)
    return TimedView(
        lines=tuple(_identified_lines(supply, result)),
        chart=load_chart((curve,), runs) if curve else None,
        text=text,
        overhead=_overhead_link(result),
    )


def _overhead_link(result: SupplyResult) -> str:
    return f"How {say_watts(result.identified.overhead_w)} was found" if result.identified and "identified" in result.workings else ""


def _identified_lines(supply: Supply, result: SupplyResult) -> list[str]:
    found = result.identified
    if found is None:
        return [f"No run of {supply.name} is timed yet. Its overhead is {_overhead_words(supply)}."]
    give = "" if found.overhead_limit_w is None else f", give or take {say_watts(found.overhead_limit_w)}"
    lines = [f"{supply.name} burns {say_watts(found.overhead_w)} to stay awake{give}. That replaces what its label says, everywhere."]
    if found.condition_ratio is not None:
        give = "" if found.condition_limit_ratio is None else f", give or take {say_percent(found.condition_limit_ratio)}"
        lines.append(f"Its battery has {say_percent(found.condition_ratio)} of its rated capacity left{give}.")
    elif supply.bank is not None and supply.bank.condition_ratio is not None:
        lines.append("The condition of its battery is measured, so the runs tell the overhead alone.")
    else:
        lines.append("The runs cannot tell the condition of the battery: it takes two outputs, one three times the other.")
    told_count = 2 if found.condition_ratio is not None else 1
    if len(supply.timed_runs) > told_count:
        lines.append(f"The run that fits worst is {say_percent(found.worst_error_ratio)} off.")
    else:
        lines.append("So few runs are met exactly: one more would check them.")
    return lines


def _overhead_words(supply: Supply) -> str:
    if supply.ac is None or supply.ac.expected_overhead_w is None:
        return "not known"
    if supply.ac.is_overhead_guessed:
        return f"reckoned as 2 % of its rating, {say_watts(supply.ac.burns_w)}, which may be half off"
    return f"{say_watts(supply.ac.burns_w)} as entered"


@dataclass(frozen=True, slots=True, kw_only=True)
class BackupView:
    """One selector: its answer, its picture, its findings and what hangs on it."""

    key: str
    name: str
    line: str
    verdict: str
    verdict_word: str
    inputs: str
    feeds: str
    chart: BackupChart | None
    findings: tuple[tuple[str, str, tuple[str, ...]], ...]
    unchecked: tuple[str, ...]
    states: tuple[tuple[str, str, bool], ...] = ()


def backup_view(plan: Plan, result: SelectorResult) -> BackupView:
    """Return what the page *Backup* shows of a selector."""
    selector = next(s for s in plan.selectors if s.key == result.key)
    by_key = {s.key: s for s in plan.supplies}
    supplies = tuple(by_key[k] for k in selector.inputs if k in by_key)
    loads = tuple(e for e in plan.loads if e.supply_key == selector.key)
    in_order = selector.mode is SelectorMode.FIRST_PRESENT
    chart = None
    if result.holdover_h is not None and loads and any(s.bank for s in supplies):
        played = play_selector(selector, supplies, loads, looks_count=LOOKS_COUNT)
        needs_v = max([e.fed_min_v for e in loads if e.essential and e.fed_min_v is not None], default=None)
        names = {s.key: s.name for s in supplies}
        chart = backup_chart(played, names, selector.switch_below_v if in_order else 0.0, needs_v, selector.gauge)
    verdict = result.verdict or Verdict.UNKNOWN
    return BackupView(
        key=result.key,
        name=result.name,
        line=result.line,
        verdict=verdict.value,
        verdict_word=VERDICT_WORDS[verdict],
        inputs=(", then " if in_order else " or ").join(s.name for s in supplies),
        feeds=say_names(loads) if loads else "nothing yet",
        chart=chart,
        findings=tuple((f.severity.value, f.evidence, _ways(f.way_out)) for f in result.findings),
        unchecked=result.not_checked,
        states=tuple(
            (word, say_hours(hours_h, must_h=result.standby_h), hours_h >= result.standby_h)
            for word, hours_h in (
                ("As expected", result.holdover_h),
                ("At the low end of its band", result.low_h),
                ("In the cold", result.cold_h),
                ("At the end of its batteries' life", result.end_of_life_h),
            )
            if hours_h is not None
        ),
    )


def _ways(text: str) -> tuple[str, ...]:
    """Return the ways out one by one."""
    return tuple(f"{part.rstrip('.')}." for part in text.split(". ") if part)
