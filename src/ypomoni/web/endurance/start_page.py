"""What the page Season shows of a battery that must also start an engine: hours against the charge that a cut-off leaves."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from ypomoni.core.outage.case import Case, hindrance_of
from ypomoni.core.seasons.starting import cutoff_points, lowest_that_starts_v
from ypomoni.core.telling.wording import say_hours, say_percent, say_volts
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply
from ypomoni.web.endurance.season_charts import StartChart, start_chart

# What a start takes of a starter battery, with some left for the cold. Rough. [L]
USUAL_START_PERCENT = 50.0


@dataclass(frozen=True, kw_only=True)
class StartView:
    """What a cut-off costs and leaves where the battery must also start an engine."""

    chart: StartChart
    line: str
    least: float
    most: float
    at: float
    needs: int


def start_view(supply: Supply, loads: tuple[Load, ...], asked: Mapping[str, str]) -> StartView | None:
    """Return what the cut-off of a supply with windows of charge leaves for a start; None for other supplies."""
    if not supply.of_kind.has_windows or hindrance_of(supply, loads) is not None:
        return None
    case = Case(supply, loads)
    points = () if case.draws_nothing else cutoff_points(case)
    if not points:
        return None
    low_v, high_v = round(points[0].cutoff_v, 2), round(points[-1].cutoff_v, 2)
    at_v = min(max(_asked_number(asked, "cutoff", case.threshold.threshold_v), low_v), high_v)
    needs = round(min(max(_asked_number(asked, "needs", USUAL_START_PERCENT), 0), 95))
    here = min(points, key=lambda p: abs(p.cutoff_v - at_v))
    lowest_v = lowest_that_starts_v(points, needs / 100)
    enough = "enough" if here.left_ratio >= needs / 100 else "too little"
    mends = (
        "" if enough == "enough" else " No cut-off leaves so much." if lowest_v is None else f" From {say_volts(lowest_v)} on it is enough."
    )
    costs_h = points[0].holdover_h - here.holdover_h
    costs = f" That is {say_hours(costs_h)} less than at {say_volts(points[0].cutoff_v)}." if costs_h > 0 else ""
    line = f"Cut off at {say_volts(here.cutoff_v)} it holds {say_hours(here.holdover_h)} from full and leaves {say_percent(here.left_ratio)}: {enough} for a start that needs {needs} %.{mends}{costs}"
    return StartView(chart=start_chart(points, needs / 100, at_v), line=line, least=low_v, most=high_v, at=at_v, needs=needs)


def _asked_number(asked: Mapping[str, str], name: str, otherwise: float) -> float:
    try:
        value = float(asked.get(name, ""))
    except ValueError:
        return otherwise
    return value if math.isfinite(value) else otherwise
