"""A played outage, the schools and the battery sheet as what their pages show. No calculation: figures come from the core."""

import math
from dataclasses import dataclass
from typing import Any

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.play import Event, Mark, Played, Sample
from ypomoni.core.outage.playing import Conditions
from ypomoni.core.outage.survival import SurvivalCurve
from ypomoni.core.outage.why import Why
from ypomoni.core.sizing import METHOD_WORDS
from ypomoni.core.telling.results import SupplyResult
from ypomoni.core.telling.wording import plain_number, say_amp_hours_needed, say_hours, say_percent
from ypomoni.web.plan.figures import Figure

MOST_POINTS = 1_600
COUNTED = (
    "ageing",
    "cold",
    "rate",
    "alarm rate",
    "equipment's end",
    "bursts",
    "usable share",
    "activity",
    "depth of discharge",
    "inverter",
    "design margin",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Control:
    """One thing that can be turned: its range in the unit it is shown in, where it stands, and how the page says it."""

    name: str
    label: str
    unit: str
    least: float
    most: float
    step: float
    value: float
    hint: str


def controls_of(case: Case, horizon_h: float) -> list[Control]:
    """Return the controls of a supply, standing at what is so today."""
    supply, chemistry = case.supply, case.bank.chemistry
    longest_h = max(1.0, math.ceil(horizon_h))
    step_h = 0.25 if longest_h <= 48 else 1.0 if longest_h <= 400 else math.ceil(longest_h / 400)
    alarm_min = case.requirement.alarm_min or 30.0
    return [
        Control(
            name="condition",
            label="Battery condition",
            unit="%",
            least=30,
            most=105,
            step=1,
            value=round(100 * case.condition_today_ratio),
            hint="of its rated capacity; 100 is new, 80 its end of life",
        ),
        Control(
            name="degc",
            label="Temperature",
            unit="°C",
            least=chemistry.lowest_degc,
            most=chemistry.highest_degc,
            step=1,
            value=round(supply.typical_degc),
            hint="at the battery, mean of the day",
        ),
        Control(
            name="swing",
            label="Swing over the day",
            unit="K",
            least=0,
            most=15,
            step=1,
            value=0,
            hint="above and below the mean; coldest at five",
        ),
        Control(
            name="full",
            label="Full at the start",
            unit="%",
            least=5,
            most=100,
            step=1,
            value=max(5, round(100 * supply.starts_at_ratio)),
            hint="of its present capacity",
        ),
        Control(
            name="alarm_at",
            label="Alarm begins after",
            unit="h",
            least=0,
            most=longest_h,
            step=step_h,
            value=min(case.requirement.standby_h, longest_h),
            hint="",
        ),
        Control(name="alarm_min", label="Alarm lasts", unit="min", least=1, most=max(240.0, alarm_min), step=1, value=alarm_min, hint=""),
    ]


# What may be asked for, in the unit it is turned in; temperatures are checked against the chemistry's own rows.
ASKABLE = {
    "condition": (30.0, 105.0),
    "degc": (-60.0, 90.0),
    "swing": (0.0, 40.0),
    "full": (5.0, 100.0),
    "alarm": (0.0, 1.0),
    "alarm_at": (0.0, 87_600.0),
    "alarm_min": (0.0, 10_080.0),
}


def faults_of(values: dict[str, str]) -> list[str]:
    """Return what is wrong with the conditions a page asks for."""
    found: list[str] = []
    for name, text in values.items():
        least, most = ASKABLE[name]
        try:
            inside = least <= float(text) <= most
        except ValueError:
            inside = False
        if not inside:
            found.append(f"{name} must be a number from {least:g} to {most:g}, was {text[:20]!r}.")
    return found


def conditions_of(values: dict[str, float]) -> Conditions:
    """Return the conditions a page asks for: it sends what was turned, everything else is as it is at each supply."""
    with_alarm = values.get("alarm", 0.0) > 0
    condition, degc = values.get("condition"), values.get("degc")
    return Conditions(
        condition_ratio=None if condition is None else condition / 100.0,
        mean_degc=degc,
        swing_degc=values.get("swing", 0.0),
        start_ratio=values["full"] / 100.0 if "full" in values else None,
        alarm_at_h=values.get("alarm_at", 0.0) if with_alarm else None,
        alarm_h=values.get("alarm_min", 0.0) / 60.0 if with_alarm else 0.0,
    )


def timeline_of(case: Case, played: Played, why: Why) -> dict[str, Any]:
    """Return what the timeline draws: columns of numbers, the voltages that are watched, the events, and the words."""
    samples = thin(list(played.samples), MOST_POINTS)
    supply = case.supply
    lines = [(supply.cutoff_v, f"cut-off {plain_number(supply.cutoff_v, 4)} V" if supply.cutoff_v is not None else "")]
    lines += [(supply.low_battery_v, f"low battery {plain_number(supply.low_battery_v, 4)} V" if supply.low_battery_v is not None else "")]
    least: dict[float, list[str]] = {}
    for load in case.loads:
        if load.battery_min_v is not None:
            least.setdefault(load.battery_min_v, []).append(load.name)
    lines += [
        (v, f"{names[0]}{' and others' if len(names) > 1 else ''} {plain_number(v, 4)} V")
        for v, names in sorted(least.items(), reverse=True)[:4]
    ]
    if supply.cutoff_v is None:
        lines.append((case.bank.end_v, f"battery's end {plain_number(case.bank.end_v, 4)} V"))
    return {
        "t": _rising([s.t_h for s in samples]),
        "v": [round(s.terminal_v, 4) for s in samples],
        "of_nominal": [round(100 * s.terminal_v / supply.nominal_v, 3) for s in samples],
        "nominal_v": supply.nominal_v,
        "i": [round(s.current_a, 6) for s in samples],
        "full": [round(100 * s.charge_left_ratio, 3) for s in samples],
        "degc": [round(s.temperature_degc, 2) for s in samples],
        "limits": [{"v": v, "label": label} for v, label in lines if v is not None],
        "marks": [{"t": e.t_h, "kind": e.mark.value, "label": _short(e)} for e in played.events if e.mark is not Mark.HORIZON],
        "must_h": case.requirement.standby_h,
        "end_h": played.end.t_h if played.end else None,
        "holds": say_hours(played.end.t_h, must_h=case.requirement.standby_h) if played.end else f"over {say_hours(played.until_h)}",
        "why": why.text,
        "code": why.code.value,
        "overload": why.overload,
        "averaged": f"Bursts before {say_hours(played.averaged_until_h)} are drawn as their average."
        if played.averaged_until_h > 0
        else "",
    }


def thin(samples: list[Sample], most: int) -> list[Sample]:
    """Return at most about so many samples: of each stretch the first, the lowest and the highest voltage, and the last."""
    if len(samples) <= most:
        return samples
    size = math.ceil(4 * len(samples) / most)
    found: list[Sample] = []
    for n in range(0, len(samples), size):
        stretch = samples[n : n + size]
        marks = {
            0,
            len(stretch) - 1,
            min(range(len(stretch)), key=lambda m: stretch[m].terminal_v),
            max(range(len(stretch)), key=lambda m: stretch[m].terminal_v),
        }
        found += [stretch[m] for m in sorted(marks)]
    return found


def _rising(times: list[float]) -> list[float]:
    """Return times that strictly rise, by a millisecond where two are the same: a step is drawn as one."""
    found: list[float] = []
    for t in times:
        found.append(t if not found or t > found[-1] else found[-1] + 3e-7)
    return found


def _short(event: Event) -> str:
    return event.owner if event.mark is not Mark.LOAD_LOST else f"{event.owner} lost"


@dataclass(frozen=True, slots=True, kw_only=True)
class EventView:
    """One line of what happens in order."""

    at: str
    kind: str
    what: str
    volts: str
    left: str
    is_end: bool


def events_of(played: Played) -> list[EventView]:
    """Return what happens, in order, from the moment the mains fails."""
    first = played.samples[0]
    volts, left = f"{first.terminal_v:.1f} V", say_percent(first.charge_left_ratio)
    found = [EventView(at="0 h", kind="mains", what="The mains fails", volts=volts, left=left, is_end=False)]
    for e in played.events:
        what = f"{e.owner[0].upper()}{e.owner[1:]}"
        if e.mark is Mark.LOAD_LOST:
            what = f"{e.owner} is lost" + (f", it needs {plain_number(e.limit_v, 4)} V" if e.limit_v is not None else "")
        elif e.mark is Mark.COLLAPSE:
            what = "The voltage collapses"
        elif e.mark in (Mark.CUTOFF, Mark.WARNING, Mark.END_VOLTAGE) and e.limit_v is not None:
            what += f", {plain_number(e.limit_v, 4)} V"
        is_end = played.end is not None and played.end.event is e
        found.append(
            EventView(
                at=say_hours(e.t_h),
                kind=e.mark.value,
                what=what,
                volts=f"{e.terminal_v:.1f} V",
                left=say_percent(e.charge_left_ratio),
                is_end=is_end,
            )
        )
    return found


def survival_view(curve: SurvivalCurve, result: SupplyResult) -> dict[str, Any]:
    """Return what the survival curve draws, with its words."""
    band = result.holdover
    chance = curve.meets_ratio
    words = "practically never" if chance < 0.005 else "practically always" if chance > 0.995 else f"in {say_percent(chance)} of them"
    return {
        "hours": list(curve.hours_h),
        "holds": [round(100 * p, 2) for p in curve.holds_ratio],
        "samples": curve.samples_count,
        "must_h": result.standby_h,
        "text": f"{curve.samples_count} outages sampled: it holds the required {say_hours(result.standby_h)} {words}. "
        f"The middle 95 % end between {say_hours(curve.low_h)} and {say_hours(curve.high_h)}"
        + (f"; the band on the strip is {say_hours(band.low)} to {say_hours(band.high)}." if band else "."),
    }


@dataclass(frozen=True, slots=True, kw_only=True)
class BandShare:
    """What one uncertain input does to the band."""

    name: str
    provenance: str
    spans: str
    share: str
    percent: float


def band_shares(result: SupplyResult, most: int = 6) -> list[BandShare]:
    """Return the inputs that widen the band most."""
    ordered = sorted(result.band_inputs, key=lambda i: -i.share_ratio)
    return [
        BandShare(
            name=i.name,
            provenance=i.provenance.replace("_", " "),
            spans=f"{say_hours(i.low_h)} to {say_hours(i.high_h)}",
            share=say_percent(i.share_ratio),
            percent=round(100 * i.share_ratio, 1),
        )
        for i in ordered[:most]
        if i.share_ratio >= 0.005
    ]


@dataclass(frozen=True, slots=True, kw_only=True)
class SchoolView:
    """One school of calculation: what it asks for and promises, what it counts, and how it stands to the simulation."""

    name: str
    key: str
    is_prescribed: bool
    required: Figure | None
    holdover: Figure | None
    holds_enough: bool
    counts: tuple[str, ...]
    percent: float
    against: str


def schools_of(result: SupplyResult, prescribed: str) -> tuple[list[SchoolView], tuple[str, ...], float | None]:
    """Return the schools, the names of what is counted by any of them, and where the fitted bank stands on their scale in percent."""
    known = [m.required_ah for m in result.methods if m.required_ah is not None]
    scale_ah = max([*known, result.rated_c20_ah or 0.0], default=0.0)
    names = tuple(n for n in COUNTED if any(n in m.counts for m in result.methods))
    simulated_ah = next((m.required_ah for m in result.methods if m.method.value == "simulation"), None)
    found: list[SchoolView] = []
    for m in result.methods:
        against = ""
        if simulated_ah and m.required_ah is not None and m.method.value != "simulation":
            part = m.required_ah / simulated_ah - 1.0
            against = "the same" if abs(part) < 0.005 else f"{say_percent(abs(part))} {'less' if part < 0 else 'more'}"
        found.append(
            SchoolView(
                name=METHOD_WORDS[m.method].capitalize(),
                key=m.method.value,
                is_prescribed=m.method.value == prescribed,
                required=None
                if m.required_ah is None
                else Figure(text=say_amp_hours_needed(m.required_ah), supply=result.key, working=f"method_{m.method.value}"),
                holdover=None
                if m.holdover_h is None
                else Figure(text=say_hours(m.holdover_h, must_h=result.standby_h), supply=result.key, working=f"standby_{m.method.value}"),
                holds_enough=m.holdover_h is not None and m.holdover_h >= result.standby_h,
                counts=tuple(m.counts.get(n, "") for n in names),
                percent=0.0 if not scale_ah or m.required_ah is None else round(100 * m.required_ah / scale_ah, 2),
                against=against,
            )
        )
    rated = None if not scale_ah or result.rated_c20_ah is None else round(100 * result.rated_c20_ah / scale_ah, 2)
    return found, names, rated
