"""What a season would come to with another battery, charger, panels or load."""

from dataclasses import dataclass, replace

from ypomoni.core.evaluation.living import fitted_with
from ypomoni.core.evaluation.season_ways import with_charger, with_load_ratio, with_panels
from ypomoni.core.evaluation.seasons import at_its_worst, solar_result, told_of_cuts
from ypomoni.core.outage.case import Case
from ypomoni.core.requirements.patterns import TimePattern
from ypomoni.core.seasons.cell_life import Saving, with_saving
from ypomoni.core.seasons.cuts import CutsPlayed, play_cuts
from ypomoni.core.seasons.sun import SunPlayed, play_sun
from ypomoni.core.seasons.walking import Assumed
from ypomoni.core.telling.results import CutsResult, SolarResult, SoldBank
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply

AS_IT_IS = Saving()
# A picture notes the charge so often. [h]
LOOK_H = 0.5


@dataclass(frozen=True, slots=True, kw_only=True)
class Tried:
    """What is tried of a supply; None and 1 leave it as it is. ``pattern`` is another week, as it is being painted."""

    bank: SoldBank | None = None
    charger_a: float | None = None
    panels_count: int | None = None
    load_ratio: float = 1.0
    saving: Saving = AS_IT_IS
    pattern: TimePattern | None = None

    @property
    def is_nothing(self) -> bool:
        """Whether all is as it is."""
        return self == Tried()


def tried_supply(supply: Supply, loads: tuple[Load, ...], tried: Tried) -> tuple[Supply, tuple[Load, ...]]:
    """Return a supply and its loads as they would be."""
    if tried.load_ratio != 1.0:
        supply, loads = with_load_ratio(supply, loads, tried.load_ratio)
    if tried.bank is not None:
        supply = fitted_with(supply, tried.bank)
    if tried.charger_a is not None:
        supply = with_charger(supply, tried.charger_a, Case(supply, loads).mean_current_a(in_alarm=False))
    if tried.panels_count is not None:
        supply = with_panels(supply, tried.panels_count)
    if tried.pattern is not None:
        if supply.of_kind.has_windows:
            supply = replace(supply, windows=tried.pattern)
        else:
            supply = replace(supply, requirement=replace(supply.requirement, cuts=tried.pattern))
    return with_saving(supply, loads, tried.saving)


@dataclass(frozen=True, slots=True, kw_only=True)
class CutsLines:
    """A pattern as it is drawn: today, with a new bank, and old in the cold; and what today comes to."""

    today: CutsPlayed
    fresh: CutsPlayed
    worst: CutsPlayed
    told: CutsResult


def cuts_lines(case: Case, pattern: TimePattern) -> CutsLines:
    """Return a pattern played for its picture."""
    worst_at = at_its_worst(case)
    today, fresh, worst = (play_cuts(case, pattern, a, look_h=LOOK_H) for a in (Assumed(), Assumed(condition_ratio=1.0), worst_at))
    return CutsLines(today=today, fresh=fresh, worst=worst, told=told_of_cuts(case, pattern, today, worst_survives=worst.survives))


@dataclass(frozen=True, slots=True, kw_only=True)
class SunLines:
    """Two years on the sun as they are drawn: today, with a new bank, and old in the cold; and what today comes to."""

    today: SunPlayed
    fresh: SunPlayed
    worst: SunPlayed
    told: SolarResult


def sun_lines(case: Case) -> SunLines | None:
    """Return two years played for their picture; None where no panel is stated."""
    solar = case.supply.solar
    if solar is None or not solar.has_figures:
        return None
    today, fresh, worst = (play_sun(case, solar, a) for a in (Assumed(), Assumed(condition_ratio=1.0), at_its_worst(case)))
    return SunLines(today=today, fresh=fresh, worst=worst, told=solar_result(case, today))
