"""A battery on the sun: two years, day by day, from the first of the sunniest month.

The sun of a month shines in full for its hours around noon and gives a constant current, which feeds the loads first. What is left goes into
the bank, as far as its controller lets it.
"""

from dataclasses import dataclass, field, replace

from ypomoni.core.bracketing import bracket
from ypomoni.core.outage.case import Case
from ypomoni.core.seasons.charging import State
from ypomoni.core.seasons.cuts import NEARLY_FULL_RATIO
from ypomoni.core.seasons.walking import Assumed, Walker
from ypomoni.core.things.loads import Load
from ypomoni.core.things.solar import MONTH_DAYS, SolarPart
from ypomoni.core.units import HOURS_PER_DAY

MONTHS_COUNT = 12
YEARS_COUNT = 2
SUN_YEAR_DAYS_COUNT = sum(MONTH_DAYS)
LONGEST_DAYS = 365
# Two midnights a year apart that are so alike are followed by the same days. [ratio of capacity]
SAME_RATIO = 1e-4


@dataclass(frozen=True, slots=True, kw_only=True)
class DayOfSun:
    """One day of the two years: its number from 0, its month (0 is January), and the least and greatest charge left on it. [ratio]"""

    day: int
    month: int
    least_ratio: float
    most_ratio: float


@dataclass(frozen=True, kw_only=True)
class SunPlayed:
    """What the sun gives and what becomes of the bank. Lists begin with January.

    ``worst_ratio`` is the least yield over need, None where nothing is needed; ``ends_on_day`` the day from 0, after the first of the sunniest
    month, on which the bank gives out; ``back_after_h`` from a C/20 discharge in the worst month, None: never within a year.
    ``year_ratio`` is the yield of a whole year over its need, self-discharge included: under 1 no battery lasts for good. ``longest_low_h`` is the longest time below 95 % in the second year.
    """

    yield_ah_per_day: tuple[float, ...]
    need_ah_per_day: tuple[float, ...]
    worst_month: int
    worst_ratio: float | None
    lowest_charge_ratio: float
    sustains: bool
    back_after_h: float | None
    ends_on_day: int | None = None
    ends_at_h: float | None = None
    longest_low_h: float = 0.0
    year_ratio: float | None = None
    days: tuple[DayOfSun, ...] = field(default=())

    @property
    def first_month(self) -> int:
        """The month in which the two years begin."""
        return self.days[0].month if self.days else 0


def sun_of(case: Case) -> SolarPart | None:
    """Return what the sun gives a supply; None where none charges it."""
    return case.supply.solar if case.supply.of_kind.is_sunlit else None


def play_sun(case: Case, solar: SolarPart, assumed: Assumed | None = None) -> SunPlayed:
    """Return two years of a case on its panels."""
    played = _Play(case, solar, assumed or Assumed())
    return played.run()


def sustains_on_sun(case: Case, solar: SolarPart) -> bool:
    """Say whether a case lives through two years on its panels."""
    return _Play(case, solar, Assumed()).follow().ends_at_h is None


def lives_on_sun(case: Case, solar: SolarPart) -> bool:
    """Say whether a case lives on its panels for good: through two years, in each of which the sun gives at least what is taken."""
    play = _Play(case, solar, Assumed())
    # A sum of twelve months takes no time, and where it says no nothing has to be played.
    ratio = play.year_ratio
    return (ratio is None or ratio >= 1.0) and play.follow().ends_at_h is None


@dataclass(frozen=True, kw_only=True)
class _Years:
    """Two years, or what there was of them: every day, the least charge in each, and when the bank gave out. [ratio, h]"""

    days: list[DayOfSun]
    lowest: list[float]
    ends_at_h: float | None


class _Play:
    """One supply on its panels."""

    def __init__(self, case: Case, solar: SolarPart, assumed: Assumed) -> None:
        self.case, self.solar = case, solar
        supply = case.supply
        self.limit_a = supply.charge_limit_a
        self.sun_a = solar.current_a(supply.charge_v, supply.nominal_v)
        # A month that is like another asks the same of the battery: thermostats alone tell months apart.
        self.walkers = self._walkers(assumed)
        self.walker = self.walkers[0]
        eta = self.walker.chemistry.charge_ratio
        self.gives = tuple(eta * self.sun_a * hours for hours in solar.sun_h_by_month)
        self.needs = tuple(HOURS_PER_DAY * w.mean_a for w in self.walkers)

    def _walkers(self, assumed: Assumed) -> list[Walker]:
        extra_a = self.solar.controller_current_a
        if not any(load.thermostats and self.case.climate_of(load).monthly_degc for load in self.case.loads):
            return [Walker(self.case, assumed, extra_a)] * MONTHS_COUNT
        return [Walker(_in_month(self.case, month), assumed, extra_a) for month in range(MONTHS_COUNT)]

    def run(self) -> SunPlayed:
        gives, needs = self.gives, self.needs
        worst = min(range(MONTHS_COUNT), key=lambda m: gives[m] / needs[m] if needs[m] > 0 else gives[m])
        years = self.follow()
        days, ends_at_h = years.days, years.ends_at_h
        return SunPlayed(
            yield_ah_per_day=gives,
            need_ah_per_day=needs,
            worst_month=worst,
            worst_ratio=gives[worst] / needs[worst] if needs[worst] > 0 else None,
            lowest_charge_ratio=max(0.0, years.lowest[(len(days) - 1) // SUN_YEAR_DAYS_COUNT]),
            sustains=ends_at_h is None,
            back_after_h=self._back_after_h(worst),
            ends_on_day=None if ends_at_h is None else len(days) - 1,
            ends_at_h=ends_at_h,
            # The second year counts; of one that ends before, what there was.
            longest_low_h=_longest_low_h(days[SUN_YEAR_DAYS_COUNT:] or days),
            year_ratio=self.year_ratio,
            days=tuple(days),
        )

    def follow(self) -> _Years:
        """Go through the days from the first of the sunniest month, until the bank gives out or a year repeats itself."""
        first = self.solar.sunniest_month
        months = [m % MONTHS_COUNT for m in range(first, first + MONTHS_COUNT)]
        calendar = [m for m in months for _ in range(MONTH_DAYS[m])] * YEARS_COUNT
        state: State = self.walker.start
        days: list[DayOfSun] = []
        lowest = [self.walker.left_ratio(state[0])] * YEARS_COUNT
        ends_at_h = None
        midnights: list[State] = []
        for n, month in enumerate(calendar):
            year = n // SUN_YEAR_DAYS_COUNT
            if n == SUN_YEAR_DAYS_COUNT:
                lowest[1] = self.walker.left_ratio(state[0])
            if year == 1 and self._is_as(state, midnights[n - SUN_YEAR_DAYS_COUNT]):
                # From the same state the same days follow, to the end of the year.
                days += [replace(d, day=d.day + SUN_YEAR_DAYS_COUNT) for d in days[n - SUN_YEAR_DAYS_COUNT : SUN_YEAR_DAYS_COUNT]]
                lowest[1] = min([lowest[1], *(d.least_ratio for d in days[n:])])
                break
            midnights.append(state)
            state, points, ends_at_h = self._day(n, month, state)
            lefts = [self.walker.left_ratio(u) for u in points]
            lowest[year] = min(lowest[year], *lefts)
            days.append(DayOfSun(day=n, month=month, least_ratio=min(lefts), most_ratio=max(lefts)))
            if ends_at_h is not None:
                break
        return _Years(days=days, lowest=lowest, ends_at_h=ends_at_h)

    def _is_as(self, state: State, before: State) -> bool:
        return abs(state[0] - before[0]) + abs(state[1] - before[1]) < SAME_RATIO * self.walker.pack.capacity_ah

    @property
    def year_ratio(self) -> float | None:
        """What a year gives over what it takes; None where nothing is taken."""
        # Self-discharge is paid by the sun as well, day and night.
        lost_ah = HOURS_PER_DAY * self.walker.pack.self_a
        given_ah = sum(days * ah for days, ah in zip(MONTH_DAYS, self.gives, strict=True))
        taken_ah = sum(days * (ah + lost_ah) for days, ah in zip(MONTH_DAYS, self.needs, strict=True))
        return given_ah / taken_ah if taken_ah > 0 else None

    def _day(self, n: int, month: int, state: State) -> tuple[State, list[float], float | None]:
        """Return the state at a day's end, the charge missing at its turns, and when the bank gave out on it. [Ah, h]"""
        walker, midnight = self.walkers[month], n * HOURS_PER_DAY
        rises, sets = self.solar.sun_span_h(month)
        points = [state[0]]
        for a, b in ((midnight, midnight + rises), (midnight + sets, midnight + HOURS_PER_DAY)):
            # The sun shines between the two stretches of dark.
            if a > midnight and sets > rises:
                before = state
                state, gave_out = walker.charge(sets - rises, state, self.sun_a, limit_a=self.limit_a)
                points.append(state[0])
                if gave_out:
                    return state, points, midnight + self._gave_out_h(walker, before, rises, sets)
            if b > a:
                stop = walker.rest(a, b, state)
                state = stop.u_ah, stop.d_ah
                points.append(state[0])
                if stop.ended:
                    return state, points, stop.t_h
        return state, points, None

    def _gave_out_h(self, walker: Walker, state: State, rises: float, sets: float) -> float:
        """Return the hour of a day at which a bank gave out in the sun. [h]"""
        return bracket(lambda t: not walker.charge(t - rises, state, self.sun_a, limit_a=self.limit_a)[1], rises, sets, width=1e-4)[1]

    def _back_after_h(self, month: int) -> float | None:
        """Return how long days of a month take from a C/20 discharge to the share that the requirement asks for, the loads drawing. [h]"""
        walker = self.walkers[month]
        q = walker.pack.capacity_ah
        target_ah = (1.0 - self.case.requirement.recharge_to_ratio) * q
        rises, sets = self.solar.sun_span_h(month)
        state = walker.discharged_at_20h()
        if state[0] <= target_ah:
            return 0.0
        for n in range(LONGEST_DAYS):
            at_midnight = state
            state = walker.drained(rises, state)
            before = state
            state = self._sunlit(walker, sets - rises, state)
            if state[0] <= target_ah:
                back_h = self._back_in_h(walker, before, sets - rises, target_ah)
                return n * HOURS_PER_DAY + rises + back_h
            state = walker.drained(HOURS_PER_DAY - sets, state)
            # A day that gives back no more than it takes is followed by days like it.
            if n > 2 and state[0] >= at_midnight[0] - 1e-9 * q:
                return None
        return None

    def _back_in_h(self, walker: Walker, state: State, longest_h: float, target_ah: float) -> float:
        """Return after how long in the sun no more than so much is missing. [h]"""
        return bracket(lambda t: self._sunlit(walker, t, state)[0] > target_ah, 0.0, longest_h, width=1e-4)[1]

    def _sunlit(self, walker: Walker, hours_h: float, state: State) -> State:
        if walker.mean_a > self.sun_a:
            return walker.drained(hours_h, state, walker.mean_a - self.sun_a)
        return walker.charge(hours_h, state, self.sun_a, limit_a=self.limit_a)[0]


def _longest_low_h(days: list[DayOfSun]) -> float:
    """Return the longest time in days that were never nearly full. [h]"""
    longest_h = low_h = 0.0
    for day in days:
        low_h = low_h + HOURS_PER_DAY if day.most_ratio < NEARLY_FULL_RATIO else 0.0
        longest_h = max(longest_h, low_h)
    return longest_h


def _in_month(case: Case, month: int) -> Case:
    """Return a case whose thermostats are on as long as in one month, 0 for January."""

    def placed(load: Load) -> Load:
        place = case.climate_of(load)
        if not place.monthly_degc:
            return load
        # The month's own cold is in its mean: a whole month of the lowest temperature is no winter.
        degc = place.monthly_degc[month]
        return replace(load, place=replace(place, typical_degc=degc, min_degc=degc, monthly_degc=()))

    return Case(case.supply, tuple(placed(load) for load in case.loads))
