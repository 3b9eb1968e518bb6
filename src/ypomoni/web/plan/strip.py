"""The endurance strip as coordinates: x in percent of the axis, y in pixels. Thickness is current, length time, so area is charge."""

import math
from dataclasses import dataclass, field

from ypomoni.core.telling.results import LimitedBy, PlanResult, SupplyResult
from ypomoni.core.telling.wording import (
    plain_number,
    say_amp_hours,
    say_amp_hours_needed,
    say_amps,
    say_hours,
    say_hours_up,
    say_percent,
    say_required_h,
)
from ypomoni.web.plan.figures import NO_CERTAIN_TIME
from ypomoni.web.words import LIMIT_WORDS, LIMIT_WORDS_SHORT, VERDICT_WORDS

LEAST_PX = 7.0
GREATEST_PX = 86.0
GREATEST_SMALL_PX = 14.0
LEAST_SMALL_PX = 3.0
LABEL_PX = 15.0
LABEL_PERCENT = 11.0
HEAD_PX = 21
FOOT_PX = 31
# Marks of other states of the battery that are closer than this share one label.
TOGETHER_PERCENT = 8.0
# About half the width of such a label: nearer to the required line it would lie across it.
CROSSES_PERCENT = 9.0
SCENARIO_WORDS = (("fresh", "new"), ("cold", "cold"), ("end_of_life", "old"), ("worst", "old and cold"))
# As high as the label beside it, so that the required line runs through from lane to lane.
LEAST_LANE_PX = 80
SHADES = 6
MOST_TICKS = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Ribbon:
    """One load within a lane."""

    y: float
    height: float
    shade: int
    label: str
    label_y: float
    title: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ScenarioMark:
    """Where a lane would end with its battery in other states; marks close to each other share a label."""

    xs: tuple[float, ...]
    label: str
    label_x: float
    anchor: str
    title: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Lane:
    """One supply. Percentages are of the axis; ``end_label`` sits at ``label_x`` with ``label_anchor``."""

    key: str
    name: str
    verdict: str
    verdict_word: str
    is_weakest: bool
    hours: str
    must: str
    reason: str
    reason_short: str
    current: str
    bank: str
    opens: bool
    is_computed: bool
    missing: str
    fit: str
    overloaded: bool
    sentence: str
    height: float
    top: float
    body: float
    thin: bool
    ribbons: tuple[Ribbon, ...]
    end_x: float
    low_x: float
    high_x: float
    beyond: bool
    required_x: float
    alarm_x: float
    alarm_width: float
    alarm_y: float
    alarm_height: float
    hatch_x: float
    hatch_width: float
    burst_xs: tuple[float, ...]
    recharge_x: float
    recharge_label: str
    recharge_late: bool
    recharge_y: float
    label_x: float
    label_anchor: str
    label_y: float
    empty: bool
    scenarios: tuple[ScenarioMark, ...] = field(default=())
    scenarios_y: float = 0.0
    # Where the longest cut of its pattern ends, and its words; none where it lies beyond the axis.
    cut_x: float = 0.0
    cut_said: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Strip:
    """The strip of a plan: lanes and the axis they share."""

    lanes: tuple[Lane, ...]
    ticks: tuple[tuple[float, str, str], ...] = field(default=())
    summary: str = ""
    has_thin: bool = False
    has_recharge: bool = False
    has_bursts: bool = False
    has_hatch: bool = False
    has_scenarios: bool = False
    has_cuts: bool = False
    must: str = ""
    must_x: float = 0.0


def build_strip(plan: PlanResult, banks: dict[str, str], *, small: bool = False, beside: tuple[PlanResult, ...] = ()) -> Strip:
    """Return the strip of a plan. ``banks`` says in words what each supply has fitted; plans ``beside`` it share one scale with it."""
    if not plan.supplies:
        return Strip(lanes=())
    shown = (plan, *beside)
    axis_h = max(axis_length_h(p) for p in shown if p.supplies)
    greatest_a = max((s.standby_current_a or 0.0 for p in shown for s in p.supplies), default=0.0)
    px_per_a = (GREATEST_SMALL_PX if small else GREATEST_PX) / greatest_a if greatest_a > 0 else 0.0
    lanes = tuple(_lane(s, plan, axis_h, px_per_a, banks.get(s.key, ""), small=small) for s in plan.supplies)
    return Strip(
        lanes=lanes,
        ticks=axis_ticks(axis_h),
        summary="; ".join(_sentence(s) for s in plan.supplies),
        has_thin=any(lane.thin for lane in lanes),
        has_recharge=any(lane.recharge_label for lane in lanes),
        has_bursts=any(lane.burst_xs for lane in lanes),
        has_hatch=any(lane.hatch_width > 0 for lane in lanes),
        has_scenarios=any(lane.scenarios for lane in lanes),
        has_cuts=any(lane.cut_said for lane in lanes),
        must=_must(plan),
        must_x=lanes[0].required_x,
    )


def axis_length_h(plan: PlanResult) -> float:
    """Return the length of the axis: all that is required and some room, as long as lanes need but not for ever. [h]"""
    required_h = max(s.standby_h + s.alarm_min / 60 for s in plan.supplies)
    longest_h = max((s.holdover.high for s in plan.supplies if s.holdover), default=0.0)
    return max(1.45 * required_h, min(1.05 * longest_h, 1.9 * required_h))


def _lane(s: SupplyResult, plan: PlanResult, axis_h: float, px_per_a: float, bank: str, *, small: bool) -> Lane:
    def x(t: float) -> float:
        return round(100 * max(0.0, min(t, axis_h)) / axis_h, 3)

    least_px = LEAST_SMALL_PX if small else LEAST_PX
    true_px = (s.standby_current_a or 0.0) * px_per_a
    body = max(true_px, least_px)
    stretch = body / true_px if true_px > 0 else 1.0
    alarm_px = min(
        max((s.alarm_current_a or 0.0) * px_per_a, least_px), (1.4 if small else 1.25) * (GREATEST_SMALL_PX if small else GREATEST_PX)
    )
    head, foot = (3, 3) if small else (HEAD_PX, FOOT_PX)
    around = max(0.0, (alarm_px - body) / 2)
    height = round(max(0 if small else LEAST_LANE_PX, head + foot + body + 2 * max(0.0, around - (0 if small else 4))), 1)
    top = round(head + (height - head - foot - body) / 2, 1)
    expected_h = s.holdover.expected if s.holdover else 0.0
    end_h = s.standby_h + s.alarm_min / 60
    falls_short = s.holdover is not None and expected_h < s.standby_h
    end_x = x(expected_h)
    beyond = expected_h >= axis_h
    longest_cut_h = s.cuts.longest_cut_h if s.cuts else 0.0
    label_x, label_anchor = (100.0, "end") if beyond else _label_place(end_x, x(s.standby_h))
    return Lane(
        key=s.key,
        name=s.name,
        verdict=s.verdict.value if s.verdict else "none",
        verdict_word=VERDICT_WORDS[s.verdict],
        is_weakest=s.key == plan.weakest_supply,
        hours=hours_of(s),
        must=say_required_h(s.standby_h),
        reason=LIMIT_WORDS[s.limited_by] if s.limited_by else "",
        reason_short=_reason_short(s, beyond=beyond),
        current="" if s.standby_current_a is None else say_amps(s.standby_current_a),
        bank=bank,
        opens="holdover" in s.workings,
        is_computed=s.holdover is not None,
        missing=say_amp_hours_needed(s.missing_ah) if falls_short and s.missing_ah and "missing" in s.workings else "",
        fit=_fit(s),
        overloaded=s.overloaded,
        sentence=_sentence(s),
        height=height,
        top=top,
        body=round(body, 2),
        thin=0 < true_px < least_px,
        ribbons=_ribbons(s, top, px_per_a * stretch, end_x, small=small) if expected_h > 0 else (),
        end_x=end_x,
        low_x=x(s.holdover.low) if s.holdover else 0.0,
        high_x=x(s.holdover.high) if s.holdover else 0.0,
        beyond=beyond,
        required_x=x(s.standby_h),
        alarm_x=x(s.standby_h),
        alarm_width=round(max(x(end_h) - x(s.standby_h), 0.25), 3) if s.alarm_min > 0 else 0.0,
        alarm_y=round(top + body / 2 - alarm_px / 2, 1),
        alarm_height=round(alarm_px, 1),
        hatch_x=end_x,
        hatch_width=round(x(s.standby_h) - end_x, 3) if falls_short else 0.0,
        burst_xs=() if small else _bursts(s, axis_h),
        recharge_x=x(s.recovery_h) if s.recovery_h is not None else 100.0,
        recharge_label="" if small else _recharge_label(s),
        recharge_late=s.recharge_h is not None and (s.recovery_h is None or s.recovery_h > s.recharge_h),
        recharge_y=round(height - 6, 1),
        label_x=label_x,
        label_anchor=label_anchor,
        label_y=round(top - 6, 1),
        empty=s.holdover is None or expected_h <= 0,
        scenarios=() if small else _scenarios(s, axis_h),
        scenarios_y=round(top + body, 1),
        cut_x=x(longest_cut_h),
        cut_said=f"longest cut {say_required_h(longest_cut_h)}" if 0 < longest_cut_h <= axis_h and not small else "",
    )


def _scenarios(s: SupplyResult, axis_h: float) -> tuple[ScenarioMark, ...]:
    """Return the marks of other states of the battery, from left to right."""
    if s.scenarios is None or s.holdover is None or s.holdover.expected <= 0:
        return ()
    # What lies beyond the axis has no place on it; the supply below says it.
    hours = sorted((getattr(s.scenarios, key), word) for key, word in SCENARIO_WORDS if getattr(s.scenarios, key) <= axis_h)
    found = [(hours_h, hours_h, word) for hours_h, word in hours]
    required_x = 100 * s.standby_h / axis_h
    groups: list[list[tuple[float, float, str]]] = []
    for entry in found:
        crosses = bool(groups) and groups[-1][-1][0] < s.standby_h <= entry[0]
        if groups and not crosses and 100 * (entry[0] - groups[-1][-1][0]) / axis_h < TOGETHER_PERCENT:
            groups[-1].append(entry)
        else:
            groups.append([entry])
    marks: list[ScenarioMark] = []
    for group in groups:
        xs = tuple(round(100 * shown_h / axis_h, 3) for shown_h, *_ in group)
        label_x, anchor = _beside(xs, required_x)
        marks.append(
            ScenarioMark(
                xs=xs,
                label=", ".join(word for *_, word in group),
                label_x=round(label_x, 3),
                anchor=anchor,
                title="; ".join(f"{word}: {say_hours(hours_h, must_h=s.standby_h)}" for _, hours_h, word in group),
            )
        )
    return tuple(marks)


def _beside(xs: tuple[float, ...], required_x: float) -> tuple[float, str]:
    """Return where the label of marks stands, on their side of the required line and within the axis."""
    middle = (xs[0] + xs[-1]) / 2
    if middle < 6 or middle > 94:
        return middle, "start" if middle < 6 else "end"
    if xs[-1] < required_x < middle + CROSSES_PERCENT:
        return (min(xs[-1], required_x - 0.5), "end") if xs[-1] > CROSSES_PERCENT else (middle, "middle")
    if middle - CROSSES_PERCENT < required_x <= xs[0]:
        return xs[0], "start"
    return middle, "middle"


def _fit(s: SupplyResult) -> str:
    """Return the capacity to fit, which is more than what is missing."""
    bank = s.recommended_bank
    return say_amp_hours(bank.capacity_ah * bank.parallel) if bank else ""


def _label_place(end_x: float, required_x: float) -> tuple[float, str]:
    """Return where the end's label stands so that it never crosses the required line: on the end's own side of it."""
    if end_x < required_x:
        return (end_x, "end") if end_x > 22 or (end_x > 6 and required_x - end_x < 6) else (end_x, "start")
    return (end_x, "start") if end_x < 82 else (end_x, "end") if end_x - required_x > 18.5 else (100.0, "end")


def hours_of(s: SupplyResult) -> str:
    """Return the holdover of a supply in words."""
    if s.limited_by is LimitedBy.NOT_MODELLED_YET:
        return "not computed yet"
    if s.limited_by is LimitedBy.NOTHING_DRAWS:
        return "nothing draws"
    if s.holdover is None:
        return "not known"
    return say_hours(s.holdover.expected, must_h=s.standby_h)


def _reason_short(s: SupplyResult, *, beyond: bool) -> str:
    if s.meets_requirement is not False or s.limited_by is None or s.holdover is None or s.holdover.expected >= s.standby_h:
        return "→" if beyond else ""
    return LIMIT_WORDS_SHORT[s.limited_by]


def _ribbons(s: SupplyResult, top: float, px_per_a: float, end_x: float, *, small: bool) -> tuple[Ribbon, ...]:
    found: list[Ribbon] = []
    y = top
    shares = sorted((share for share in s.shares if share.standby_current_a > 0), key=lambda share: -share.standby_current_a)
    for n, share in enumerate(shares):
        height = share.standby_current_a * px_per_a
        name = f"{share.name} ×{share.quantity}" if share.quantity > 1 else share.name
        fits = not small and height >= LABEL_PX and end_x >= LABEL_PERCENT
        found.append(
            Ribbon(
                y=round(y, 2),
                height=round(height, 2),
                shade=n % SHADES,
                label=name if fits else "",
                label_y=round(y + height / 2 + 4, 1),
                title=f"{name}: {say_amps(share.standby_current_a)}",
            )
        )
        y += height
    return tuple(found)


def _bursts(s: SupplyResult, axis_h: float) -> tuple[float, ...]:
    """Return where bursts are marked: each one where few, evenly thinned where many."""
    if s.holdover is None or not s.burst_times_h:
        return ()
    until_h = min(s.holdover.expected, axis_h)
    times = [t for t in s.burst_times_h if t <= until_h]
    step = max(1, math.ceil(len(times) / MOST_TICKS))
    return tuple(round(100 * t / axis_h, 3) for t in times[::step])


def _recharge_label(s: SupplyResult) -> str:
    if "recovery" not in s.workings:
        return ""
    share = say_percent(s.recharge_to_ratio)
    if s.recovery_h is None:
        return f"never back to {share}"
    return f"back to {share} after {say_hours_up(s.recovery_h)}" if s.recovery_is_promised else f"back to {share} at {NO_CERTAIN_TIME}"


def _must(plan: PlanResult) -> str:
    """Return what the one required line stands for, or nothing where lanes have lines of their own."""
    first = plan.supplies[0]
    if any((s.standby_h, s.alarm_min) != (first.standby_h, first.alarm_min) for s in plan.supplies):
        return ""
    return say_must(first)


def say_must(s: SupplyResult) -> str:
    """Return what a supply must hold."""
    alarm = f", then {plain_number(s.alarm_min)} min of alarm" if s.alarm_min else ""
    return f"must hold {say_required_h(s.standby_h)}{alarm}"


def axis_ticks(axis_h: float) -> tuple[tuple[float, str, str], ...]:
    """Return the ticks of a time axis: where in percent, the words, and how they are anchored."""
    steps = (0.25, 0.5, 1, 2, 3, 6, 12, 24, 48, 72, 168, 336, 720, 2190, 8760)
    step = next((s for s in steps if axis_h / s <= 8), axis_h / 6)
    found: list[tuple[float, str, str]] = []
    n = 0
    while n * step <= axis_h:
        position = round(100 * n * step / axis_h, 3)
        anchor = "start" if n == 0 else "end" if position > 96 else "middle"
        found.append((position, say_required_h(n * step) if n else "0 h", anchor))
        n += 1
    return tuple(found)


def _sentence(s: SupplyResult) -> str:
    return f"{s.name}: {hours_of(s)} of {say_required_h(s.standby_h)}, {VERDICT_WORDS[s.verdict]}"
