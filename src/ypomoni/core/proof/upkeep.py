"""What is due and when: batteries by age, warmth and what their tests say; the next discharge test, the next audit, a requirement to look at again.

A battery is due at the sooner of its design life, halved by every 10 °C above 25 °C, and the day on which it no longer carries its hours: the
day on which c = 1 − 0.2·age/L comes to the least condition that still does. Intervals are common practice and rough [M].
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum

from ypomoni.core.bracketing import bracket
from ypomoni.core.outage.case import Case, hindrance_of
from ypomoni.core.telling.wording import plain_number, say_hours, say_percent, say_required_h
from ypomoni.core.things.batteries import CONDITION_FLOOR_RATIO, LOSS_AT_END_OF_LIFE_RATIO, REPLACE_BELOW_RATIO, Bank
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.core.units import DAYS_PER_YEAR

TEST_EVERY_D, AUDIT_EVERY_D, REVIEW_EVERY_D = 365, 365, 1_095
# Nobody plans further than this. [years]
FURTHEST_Y = 30.0
SOON_D = 60
FAR_D = 1_825
# Enough to know the week in which it ends. [days]
KNOWN_TO_D = 4.0


class DueKind(StrEnum):
    """What is due."""

    REPLACE = "replace"
    TEST = "test"
    AUDIT = "audit"
    REVIEW = "review"


DUE_WORDS = {DueKind.REPLACE: "battery", DueKind.TEST: "discharge test", DueKind.AUDIT: "audit", DueKind.REVIEW: "requirement"}
"""What is due, in a word or two."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DueItem:
    """One thing that is due. ``key`` stays while the thing does, so that a calendar replaces and does not double."""

    key: str
    kind: DueKind
    what: str
    why: str
    due_on: date
    supply_key: str | None = None
    # It has to be done now, whatever day that is: ``due_on`` is today.
    is_now: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What is known of a plan's past: when each supply was last entered, when anything was last read, and what was done since."""

    today: date
    entered_on: Mapping[str, date]
    audited_on: date | None
    # By key of the item: the day on which it was last done.
    done_on: Mapping[str, date]


def due_items(plan: Plan, known: Known) -> tuple[DueItem, ...]:
    """Return everything that is due in a plan, the soonest first."""
    found: list[DueItem] = []
    for supply in plan.supplies:
        if supply.bank is None:
            continue
        found.append(_replacement(plan, supply, supply.bank, known))
        if not supply.bank.chemistry.is_primary:
            found.append(_test(plan, supply, known))
    found += [_audit(known), *_reviews(plan, known)]
    return tuple(sorted(found, key=lambda i: (i.due_on, i.key)))


def past_life_count(plan: Plan, today: date) -> int:
    """Return how many batteries are past their design life by what is stated of them; it takes no time to say."""
    known = Known(today=today, entered_on={}, audited_on=None, done_on={})
    return sum(
        (today - fitted_on(s, s.bank, known)).days > DAYS_PER_YEAR * s.bank.design_life_y(s.typical_degc)
        for s in plan.supplies
        if s.bank is not None
    )


def fitted_on(supply: Supply, bank: Bank, known: Known) -> date:
    """Return when a bank began its life: its oldest block's fitting, else its age when it was entered."""
    # A block ages from the month it was made in; where that is not known, from its fitting.
    began = [date.fromisoformat(f"{b.made}-01" if b.made else b.fitted or "") for b in bank.blocks if b.made or b.fitted]
    if began:
        return min(began)
    entered = known.entered_on.get(supply.key, known.today)
    return entered - timedelta(days=bank.age_y * DAYS_PER_YEAR)


def holds_until(supply: Supply, loads: tuple[Load, ...], begun_on: date, today: date) -> date | None:
    """Return the day from which the hours that are required are no longer carried; None where they are not today, or nobody can say.

    A measured condition falls on from today at the pace of its design life.
    """
    bank = supply.bank
    if bank is None or hindrance_of(supply, loads) is not None:
        return None
    case = Case(supply, loads)
    if not _carries(case, bank.condition_today_ratio(supply.typical_degc)):
        return None
    life_y = bank.design_life_y(supply.typical_degc)
    now_ratio = bank.condition_today_ratio(supply.typical_degc)
    per_year = LOSS_AT_END_OF_LIFE_RATIO / life_y
    if _carries(case, CONDITION_FLOOR_RATIO):
        left_y = FURTHEST_Y
    else:
        # Bursts make the hours a staircase of the condition, and a question answered by yes or no takes a third of the work of a holdover.
        low, high = bracket(
            lambda condition_ratio: not _carries(case, condition_ratio),
            CONDITION_FLOOR_RATIO,
            now_ratio,
            width=KNOWN_TO_D / DAYS_PER_YEAR * per_year,
        )
        left_y = min(FURTHEST_Y, max(0.0, now_ratio - 0.5 * (low + high)) / per_year)
    return (today if bank.condition_ratio is not None else max(today, begun_on)) + timedelta(days=left_y * DAYS_PER_YEAR)


def _carries(case: Case, condition_ratio: float) -> bool:
    return not case.draws_nothing and case.run(condition_ratio=condition_ratio).carries(case.requirement.standby_h)


def _replacement(plan: Plan, supply: Supply, bank: Bank, known: Known) -> DueItem:
    key = f"replace:{supply.key}"
    begun_on = fitted_on(supply, bank, known)
    life_y = min(FURTHEST_Y, bank.design_life_y(supply.typical_degc))
    by_age = begun_on + timedelta(days=life_y * DAYS_PER_YEAR)
    loads = plan.loads_on(supply.key)
    until = holds_until(supply, loads, begun_on, known.today)
    must = say_required_h(supply.requirement.standby_h)
    what = f"Replace the battery of {supply.name}"
    tests = plan.tests_of(supply.key)
    if tests and bank.condition_ratio is not None and bank.condition_ratio < REPLACE_BELOW_RATIO:
        return DueItem(
            key=key,
            kind=DueKind.REPLACE,
            what=what,
            why=f"It was tested at {say_percent(bank.condition_ratio)}: under {say_percent(REPLACE_BELOW_RATIO)} it is replaced.",
            due_on=known.today,
            supply_key=supply.key,
            is_now=True,
        )
    # A new one like it is only asked for where that would hold: else the same day next month would find the same fault.
    if until is None and hindrance_of(supply, loads) is None and loads:
        if _carries(Case(supply, loads), 1.0):
            why = f"It no longer holds {must}; a new one of its kind does."
            return DueItem(key=key, kind=DueKind.REPLACE, what=what, why=why, due_on=known.today, supply_key=supply.key, is_now=True)
        why = f"It does not hold {must}, and a new one of its kind would not either: move loads, or fit a larger one. Its kind is planned for {plain_number(life_y, 2)} years."
        return DueItem(
            key=key,
            kind=DueKind.REPLACE,
            what=what,
            why=why,
            # What fails today is due today, whatever mends it.
            due_on=known.today,
            supply_key=supply.key,
            is_now=True,
        )
    if until is not None and until < by_age:
        why = f"It holds {must} until {until:%B %Y}; its design life ends in {by_age:%B %Y}."
        return DueItem(key=key, kind=DueKind.REPLACE, what=what, why=why, due_on=until, supply_key=supply.key)
    far = until is not None and until > by_age + timedelta(days=FAR_D)
    holds = "" if until is None else f" It would hold {must} well beyond that." if far else f" It holds {must} until {until:%B %Y}."
    why = f"Its kind is planned for {plain_number(life_y, 2)} years where it stands.{holds}"
    return DueItem(key=key, kind=DueKind.REPLACE, what=what, why=why, due_on=by_age, supply_key=supply.key)


def _test(plan: Plan, supply: Supply, known: Known) -> DueItem:
    key = f"test:{supply.key}"
    tests = plan.tests_of(supply.key)
    last = max((t.at.date() for t in tests), default=None)
    done = [d for d in (last, known.done_on.get(key)) if d is not None]
    entered = known.entered_on.get(supply.key, known.today)
    # Never tested, it has been due since it was a year old, whenever it was entered.
    base = max(done) if done else min(entered, fitted_on(supply, supply.bank, known)) if supply.bank else entered
    why = f"Last tested {base:%d %b %Y}." if done else "It was never tested: only a test tells what is left of it."
    return DueItem(
        key=key,
        kind=DueKind.TEST,
        what=f"Time a discharge of {supply.name}",
        why=why,
        due_on=base + timedelta(days=TEST_EVERY_D) if done else max(known.today, base + timedelta(days=TEST_EVERY_D)),
        supply_key=supply.key,
    )


def _audit(known: Known) -> DueItem:
    done = [d for d in (known.audited_on, known.done_on.get("audit")) if d is not None]
    base = max(done) if done else max(known.entered_on.values(), default=known.today)
    why = f"Last measured {base:%d %b %Y}." if done else "Nothing was ever measured in this plan."
    return DueItem(
        key="audit",
        kind=DueKind.AUDIT,
        what="Measure the site again" if done else "Measure the site",
        why=why,
        due_on=base + timedelta(days=AUDIT_EVERY_D) if done else base,
    )


def _reviews(plan: Plan, known: Known) -> list[DueItem]:
    found: list[DueItem] = []
    named = {s.requirement.key: s.requirement for s in plan.supplies}
    for requirement in named.values():
        key = f"review:{requirement.key}"
        base = known.done_on.get(key) or min(known.entered_on.values(), default=known.today)
        found.append(
            DueItem(
                key=key,
                kind=DueKind.REVIEW,
                what=f"Look at the requirement {requirement.name} again",
                why=f"{say_hours(requirement.standby_h)} standby: is that edition of its rule still in force?",
                due_on=base + timedelta(days=REVIEW_EVERY_D),
            )
        )
    return found
