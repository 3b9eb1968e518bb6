"""What the page Season shows of a supply: the answer, its picture, what can be tried, and what would make it last. It computes nothing itself."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from ypomoni.core.evaluation.asking import Tried, cuts_lines, sun_lines, tried_supply
from ypomoni.core.evaluation.recommending import say_sold
from ypomoni.core.evaluation.season_ways import MOST_PANELS_COUNT, window_facts
from ypomoni.core.judgement.seasons import say_cuts, say_solar, say_sun_back
from ypomoni.core.outage.case import Case, hindrance_of
from ypomoni.core.requirements.patterns import TimePattern
from ypomoni.core.seasons.cell_life import Saving, hour_terms
from ypomoni.core.seasons.cuts import cut_pattern, unknown_of_charger
from ypomoni.core.sizing import c20_of, sold_banks
from ypomoni.core.sizing.sold_list import SOLD_CHARGERS_A
from ypomoni.core.telling.results import CutsResult, SoldBank, SupplyResult, Verdict
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_percent, say_required_h, say_years
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply
from ypomoni.core.units import HOURS_PER_DAY
from ypomoni.documents.cut_history import stats_of_spans
from ypomoni.documents.into_core import week_of
from ypomoni.documents.pattern_lines import read_pattern, write_pattern
from ypomoni.web.endurance.season_charts import CutsChart, SunChart, cuts_chart, sun_chart

SAVINGS = (
    ("sendings", "It sends", "sendings_ratio"),
    ("active", "For as long", "active_ratio"),
    ("radio", "At a current of", "radio_ratio"),
)
MOST_CELLS = 8
MOST_YEARS = 100.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Turn:
    """One thing that can be tried with a slider; ``said`` are the words of each of its positions, where it has so many."""

    name: str
    label: str
    least: int
    most: int
    value: int
    unit: str = ""
    said: tuple[str, ...] = ()
    hint: str = ""

    @property
    def now(self) -> str:
        """What it says as it stands."""
        return self.said[self.value - self.least] if self.said else f"{self.value}{self.unit}"


@dataclass(frozen=True, kw_only=True)
class SeasonView:
    """The page of one supply; ``kind`` is cuts, sun, cells, or none."""

    kind: str
    name: str
    line: str
    verdict: str
    facts: tuple[tuple[str, str], ...] = ()
    ways: tuple[str, ...] = ()
    cuts: CutsChart | None = None
    sun: SunChart | None = None
    cells: "CellsView | None" = None
    may_propose: bool = False
    # The working behind one of the facts, and which of them that is.
    working: str = ""
    opens: int = -1
    is_tried: bool = False


@dataclass(frozen=True, kw_only=True)
class CellsView:
    """A logger on cells: how long, to which date, against what is wanted, and the terms of its hour."""

    lasts_percent: float
    wanted_percent: float
    worst_percent: float
    terms: tuple[tuple[str, str, str, str], ...]
    whole: str


def turns_of(supply: Supply) -> tuple[Turn, ...]:
    """Return what can be tried of a supply."""
    kind = kind_of(supply)
    found: list[Turn] = []
    load_turn = Turn(name="load", label="The loads draw", least=10, most=200, value=100, unit=" %", hint="of what is entered")
    if kind == "cells":
        for name, label, _ in SAVINGS:
            found.append(Turn(name=name, label=label, least=10, most=200, value=100, unit=" %", hint="of what is entered"))
        said = tuple("the cells that are there" if n == 1 else f"{n} times as much" for n in range(1, MOST_CELLS + 1))
        found.append(Turn(name="cells", label="Cells", least=1, most=MOST_CELLS, value=1, said=said))
        return tuple(found)
    banks = banks_of(supply)
    if banks:
        at = next((n for n, b in enumerate(banks) if b is None), 0)
        said = tuple("the battery that is there" if b is None else f"{say_sold(b)}, new" for b in banks)
        found.append(Turn(name="bank", label="Battery", least=0, most=len(banks) - 1, value=at, said=said))
    if kind == "sun" and supply.solar is not None:
        count = supply.solar.panels_count
        found.append(Turn(name="panels", label="Panels", least=1, most=max(MOST_PANELS_COUNT, count), value=count))
    if kind == "cuts":
        chargers = chargers_of(supply)
        at = next((n for n, a in enumerate(chargers) if a is None), 0)
        said = tuple(
            f"{say_amps(supply.charge_limit_a or 0.0)}, as it is" if a is None else f"{say_amps(a)} beside its loads" for a in chargers
        )
        found.append(Turn(name="charger", label="Charger", least=0, most=len(chargers) - 1, value=at, said=said))
    return (*found, load_turn)


def kind_of(supply: Supply) -> str:
    """Return which season a supply lives with: sun, cells, or cuts."""
    if supply.of_kind.is_sunlit:
        return "sun"
    is_primary = supply.bank is not None and supply.bank.chemistry.is_primary
    return "cells" if is_primary else "cuts"


def banks_of(supply: Supply) -> list[SoldBank | None]:
    """Return the batteries that can be tried, by size, of each size that with the fewest strings; None is the one that is there."""
    if supply.bank is None or not supply.bank.suits(supply.nominal_v):
        return []
    by_size: dict[float, SoldBank] = {}
    for bank in sold_banks(supply.bank.chemistry_key, supply.bank.bank_v, supply.stock):
        by_size.setdefault(round(c20_of(bank), 2), bank)
    if not by_size:
        return []
    here_ah = supply.bank.rated_c20_ah
    sizes = sorted(by_size)
    before = [by_size[s] for s in sizes if s < here_ah - 1e-6]
    return [*before, None, *(by_size[s] for s in sizes if s >= here_ah - 1e-6)]


def chargers_of(supply: Supply) -> list[float | None]:
    """Return the chargers that can be tried, by current; None is the one that is there. [A]"""
    here_a = supply.charge_limit_a or 0.0
    return [*(a for a in SOLD_CHARGERS_A if a < here_a), None, *(a for a in SOLD_CHARGERS_A if a > here_a)]


def tried_of(supply: Supply, asked: Mapping[str, str]) -> Tried:
    """Return what a page asks to try; what cannot be read is as it is. Raises `QuantityTextError` for a week that cannot be read."""

    def at(name: str, least: int, most: int) -> int | None:
        text = asked.get(name, "")
        return min(max(int(text), least), most) if text.lstrip("-").isdigit() and len(text) < 6 else None

    def share(name: str) -> float:
        value = at(name, 1, 400)
        return 1.0 if value is None else value / 100.0

    banks, chargers = banks_of(supply), chargers_of(supply)
    bank_at, charger_at = at("bank", 0, len(banks) - 1), at("charger", 0, len(chargers) - 1)
    panels = at("panels", 1, 1000)
    if supply.solar is not None and panels == supply.solar.panels_count:
        panels = None
    week = asked.get("week")
    pattern = None if week is None else TimePattern(week=week_of(read_pattern(week)))
    return Tried(
        bank=banks[bank_at] if banks and bank_at is not None else None,
        charger_a=chargers[charger_at] if charger_at is not None else None,
        panels_count=panels if kind_of(supply) == "sun" else None,
        load_ratio=share("load"),
        saving=Saving(
            sendings_ratio=share("sendings"),
            active_ratio=share("active"),
            radio_ratio=share("radio"),
            cells_ratio=float(at("cells", 1, MOST_CELLS) or 1),
        ),
        pattern=pattern,
    )


def season_view(supply: Supply, loads: tuple[Load, ...], result: SupplyResult, tried: Tried) -> SeasonView:
    """Return what the page shows of a supply as it would be."""
    if hindrance_of(supply, loads) is not None:
        return _cannot(supply, result, "Its hours cannot be computed, so no season can be played. The plan says what is missing.")
    changed, changed_loads = tried_supply(supply, loads, tried)
    kind = kind_of(supply)
    case = Case(changed, changed_loads)
    if case.draws_nothing:
        return _cannot(supply, result, "Nothing draws from it yet, so any season is lived through.")
    is_tried = not tried.is_nothing
    if kind == "sun":
        return _sun(case, result, is_tried=is_tried, may_propose=tried.bank is not None or tried.panels_count is not None)
    if kind == "cells":
        return _cells(case, is_tried=is_tried)
    return _cuts(case, result, is_tried=is_tried, may_propose=tried.bank is not None or tried.charger_a is not None)


def _cannot(supply: Supply, result: SupplyResult, why: str) -> SeasonView:
    return SeasonView(kind="none", name=supply.name, line=why, verdict=(result.verdict or Verdict.UNKNOWN).value)


def _cuts(case: Case, result: SupplyResult, *, is_tried: bool, may_propose: bool) -> SeasonView:
    supply, pattern = case.supply, cut_pattern(case.supply)
    if pattern is None:
        asks = "No windows of charge are entered yet." if supply.of_kind.has_windows else "No repeated cuts are asked of it yet."
        return SeasonView(kind="cuts", name=supply.name, line=f"{asks} Paint a week, type it, or bring in a history.", verdict="unknown")
    missing = unknown_of_charger(supply)
    if missing:
        return _cannot(
            supply, result, f"No pattern can be played: {', '.join(missing)} of the charger is not known. Enter it with the supply."
        )
    lines = cuts_lines(case, pattern)
    told = lines.told
    facts = _cut_facts(case, pattern, told)
    return SeasonView(
        kind="cuts",
        name=supply.name,
        line=say_cuts(told, repeats=pattern.repeats),
        verdict="holds" if told.survives else "fails",
        facts=tuple(facts),
        ways=() if is_tried else result.season_ways,
        cuts=cuts_chart(supply, pattern, lines),
        **_opening("cuts", "The charger could give back", facts, result, is_tried=is_tried),
        may_propose=may_propose,
        is_tried=is_tried,
    )


def _opening(key: str, word: str, facts: list[tuple[str, str]], result: SupplyResult, *, is_tried: bool) -> dict[str, Any]:
    """Return which of the facts opens to the working of a key: of what is tried there is none."""
    at = next((n for n, (name, _) in enumerate(facts) if name == word), -1)
    return {} if is_tried or key not in result.workings else {"working": key, "opens": at}


def _cut_facts(case: Case, pattern: TimePattern, told: CutsResult) -> list[tuple[str, str]]:
    longest, weekly = (
        ("Longest without charge", "Without charge in a week")
        if case.supply.of_kind.has_windows
        else ("Longest cut", "Cut in a week, in all")
    )
    found = [
        (longest, say_required_h(told.longest_cut_h)),
        (weekly, say_required_h(round(told.cut_h_per_week, 2))),
        ("Old and cold", "survives too" if told.worst_survives else "does not survive"),
        ("Charge taken in a year", f"{plain_number(told.full_cycles_per_y, 2)} times its capacity"),
    ]
    spent_y = told.cycle_life_y if told.survives else None
    lasts = "not told" if spent_y is None else say_years(spent_y) if spent_y < MOST_YEARS else "longer than any battery lives"
    found.append(("Cycle life at that depth", lasts))
    if told.gives_back_ratio is not None:
        found.append(("The charger could give back", f"{say_percent(told.gives_back_ratio)} of what a week takes"))
    if not pattern.repeats:
        per_week, longest_h, worst_day_h = stats_of_spans([{"start_h": s.start_h, "duration_h": s.duration_h} for s in pattern.spans])
        found += [
            ("Cuts in a week", plain_number(per_week, 2)),
            ("The longest", say_hours(longest_h)),
            ("The worst day", f"{say_hours(worst_day_h)} without mains"),
        ]
    windows = window_facts(case)
    if windows is not None:
        least = "not even all day" if windows.least_per_day is None else f"{say_hours(windows.least_per_day)} a day"
        found.append(("Least charge that sustains it", f"{least}; it gets {say_hours(windows.hours_per_day)}"))
        if windows.missed_days_count is not None:
            found.append(("Missed days it bears", str(windows.missed_days_count)))
    return found


def _sun(case: Case, result: SupplyResult, *, is_tried: bool, may_propose: bool) -> SeasonView:
    lines = sun_lines(case)
    if lines is None:
        return _cannot(
            case.supply, result, f"Its panel is not entered in full ({case.supply.missing_part or 'solar'}), so no year can be played."
        )
    told = lines.told
    holdover_h = case.holdover().holdover_h
    facts = [
        ("Without any sun", say_hours(holdover_h)),
        ("Back after a flat battery, in the worst month", say_sun_back(told)),
        ("The year gives", "nothing is taken" if told.year_ratio is None else f"{say_percent(told.year_ratio)} of what it takes"),
        ("The worst month gives", "nothing is taken" if told.worst_ratio is None else f"{say_percent(told.worst_ratio)} of what it takes"),
        ("At full sun", say_amps(told.full_sun_a)),
        ("Old and cold", "lives on it too" if lines.worst.sustains else "does not live on it"),
    ]
    return SeasonView(
        kind="sun",
        name=case.supply.name,
        line=say_solar(told),
        verdict="holds" if told.sustains else "fails",
        facts=tuple(facts),
        ways=() if is_tried else result.season_ways,
        sun=sun_chart(lines),
        **_opening("solar", "The worst month gives", facts, result, is_tried=is_tried),
        may_propose=may_propose,
        is_tried=is_tried,
    )


def _cells(case: Case, *, is_tried: bool) -> SeasonView:
    today_h = case.holdover().holdover_h
    worst_h = case.holdover(cold=True).holdover_h
    wanted_h = case.requirement.standby_h
    ends = datetime.now(tz=UTC) + timedelta(hours=today_h)
    enough = today_h >= wanted_h
    days, wanted = plain_number(today_h / HOURS_PER_DAY), plain_number(wanted_h / HOURS_PER_DAY)
    line = f"Lasts {days} days, until {ends:%-d %B %Y} if its cells are new today. It must last {wanted} days."
    most_h = max(today_h, wanted_h, worst_h) * 1.08
    return SeasonView(
        kind="cells",
        name=case.supply.name,
        line=line,
        verdict="holds" if enough else "fails",
        facts=(
            ("On average it draws", say_amps(case.mean_current_a(in_alarm=False), 4)),
            ("All the time in the cold", f"{plain_number(worst_h / HOURS_PER_DAY)} days"),
            ("It itself loses in a year", say_percent(8760 * case.run().pack.self_a / case.run().pack.c20_ah)),
        ),
        ways=() if is_tried or enough else tuple(savings_of(case)),
        cells=CellsView(
            lasts_percent=100 * today_h / most_h,
            wanted_percent=100 * wanted_h / most_h,
            worst_percent=100 * worst_h / most_h,
            terms=tuple(_terms(case)),
            whole=f"{plain_number(1e3 * case.mean_current_a(in_alarm=False), 4)} mAh an hour from the cells",
        ),
        is_tried=is_tried,
    )


def _terms(case: Case) -> list[tuple[str, str, str, str]]:
    found: list[tuple[str, str, str, str]] = []
    for load in case.loads:
        for term in hour_terms(load):
            times = load.quantity
            if term.per_hour is None:
                how = f"{plain_number(100 * term.share_ratio, 4)} % of the time × {say_amps(term.current_a, 4)}"
            else:
                how = f"{plain_number(term.per_hour, 4)} an hour × {plain_number(term.duration_s or 0.0, 4)} s ÷ 3600 × {say_amps(term.current_a, 4)}"
            pieces = f" × {times} pieces" if times > 1 else ""
            found.append((load.name, term.name, f"{how}{pieces}", f"{plain_number(1e3 * times * term.charge_ah, 4)} mAh"))
    return found


def savings_of(case: Case) -> list[str]:
    """Return what alone would make cells last as long as is wanted: found in hundredths, each played again."""
    wanted_h = case.requirement.standby_h
    words = {"sendings_ratio": "Send {} as often", "active_ratio": "Stay awake {} as long", "radio_ratio": "Send at {} of the current"}
    found: list[str] = []

    def lasts(saving: Saving) -> bool:
        supply, loads = tried_supply(case.supply, case.loads, Tried(saving=saving))
        return Case(supply, loads).holdover().holdover_h >= wanted_h

    for _, _, name in SAVINGS:
        percent = next((p for p in (90, 80, 70, 60, 50, 40, 30, 25, 20, 15, 10, 5, 1) if lasts(Saving(**{name: p / 100}))), None)
        if percent is not None:
            found.append(f"{words[name].format(f'{percent} %')} as now.")
    cells = next((n for n in range(2, MOST_CELLS + 1) if lasts(Saving(cells_ratio=float(n)))), None)
    if cells is not None:
        found.append(f"Or {cells} times the cells.")
    return found or ["None of these does it alone: neither fewer sendings nor more cells. What it draws asleep is too much."]


def week_text(requirement: Mapping[str, Any], supply: Mapping[str, Any]) -> str:
    """Return the week that a supply lives with as it is typed: its windows, or the cuts of its requirement."""
    return write_pattern(supply["windows_week"] if supply["kind"] == "windowed" else requirement["cuts_week"])
