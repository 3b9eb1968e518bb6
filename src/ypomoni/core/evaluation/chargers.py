"""Which charger a bank asks for, by each school side by side, and when it is honestly full again beside its load."""

from dataclasses import dataclass, replace
from enum import StrEnum

from ypomoni.core.bracketing import bracket
from ypomoni.core.evaluation.figures import compute_figures
from ypomoni.core.evaluation.recommending import CHARGER_CODES, SEVERE, judge_figures
from ypomoni.core.outage.case import Case, hindrance_of
from ypomoni.core.outage.recharge import charge_current_a, recovery_with
from ypomoni.core.sizing.sold_list import SOLD_CHARGERS_A
from ypomoni.core.telling.results import Severity
from ypomoni.core.telling.wording import plain_number, say_amps, say_amps_at_least, say_hours, say_hours_up, say_percent, say_volts
from ypomoni.core.things.charge_setting import greatest_charge_a, planned_bank_v
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply

TENTH_PER_H = 0.1
NEARLY_RATIO, FULL_RATIO = 0.8, 0.95
LARGEST_A = SOLD_CHARGERS_A[-1]
SECONDS_ROUNDS = 24


class School(StrEnum):
    """How a charger's current is found."""

    TENTH = "tenth"
    REQUIREMENT = "requirement"
    FASTEST = "fastest"


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargerWay:
    """What one school asks for, the charger that is sold for it, and what that does beside the load. None: not known, or never. [A, h]"""

    school: School
    name: str
    asked_a: float | None
    sold_a: float | None
    whole_a: float | None
    nearly_h: float | None
    full_h: float | None
    left_standby_a: float | None
    left_alarm_a: float | None
    # What it costs and buys, what of it must not be, and why there is none.
    words: tuple[str, ...] = ()
    refused: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Chargers:
    """The schools side by side, at which set voltage, and why full in ten hours is not. [V]"""

    ways: tuple[ChargerWay, ...]
    charge_v: float | None
    is_assumed_v: bool
    ten_hours: str
    now_nearly_h: float | None
    now_full_h: float | None
    now_a: float | None


def charger_schools(supply: Supply, loads: tuple[Load, ...]) -> Chargers | None:
    """Return which charger each school asks for; None where the bank is not charged, its sun charges it, or its hours are not computed."""
    bank = supply.bank
    if bank is None or bank.chemistry.is_primary or supply.of_kind.is_sunlit or hindrance_of(supply, loads) is not None:
        return None
    charge_v = supply.charge_v if supply.charge_v is not None else planned_bank_v(supply, bank)
    tried = supply if charge_v is None else replace(supply, charge_v=charge_v)
    case = Case(tried, loads)
    standby_a, alarm_a = case.mean_current_a(in_alarm=False), case.mean_current_a(in_alarm=True)
    # Where mains carries the loads itself, all of the charger is the battery's.
    beside_a = (0.0, 0.0) if supply.of_kind.mains_carries else (standby_a, alarm_a)
    c20_ah = bank.rated_c20_ah
    asked = {
        School.TENTH: TENTH_PER_H * c20_ah,
        School.REQUIREMENT: _in_time_a(tried),
        School.FASTEST: greatest_charge_a(supply, bank),
    }
    # The others are compared with what would be fitted for a tenth: the next sold one, not the tenth itself.
    tenth_h = _hours_h(tried, sold_charger_a(asked[School.TENTH] or 0.0) or LARGEST_A, NEARLY_RATIO)
    ways = tuple(_way(tried, loads, school, a, beside_a, tenth_h) for school, a in asked.items())
    now_a = charge_current_a(tried, standby_a)
    return Chargers(
        ways=ways,
        charge_v=charge_v,
        is_assumed_v=supply.charge_v is None,
        ten_hours=_ten_hours(tried),
        now_nearly_h=None if now_a is None else _hours_h(tried, now_a, NEARLY_RATIO),
        now_full_h=None if now_a is None else _hours_h(tried, now_a, FULL_RATIO),
        now_a=now_a,
    )


def sold_charger_a(asked_a: float) -> float | None:
    """Return the smallest sold charger of at least a current; None above the largest. [A]"""
    return next((a for a in SOLD_CHARGERS_A if a >= asked_a * (1 - 1e-9)), None)


def _hours_h(supply: Supply, current_a: float, to_ratio: float) -> float | None:
    """Return when a charge current brings the bank back to a share, from a C/20 discharge to its end voltage; None: never. [h]"""
    asked = replace(supply, requirement=replace(supply.requirement, recharge_to_ratio=to_ratio))
    found = recovery_with(asked, current_a)
    return None if found is None else found.recovery_h


def _in_time_a(supply: Supply) -> float | None:
    """Return the smallest charge current that meets the requirement's hours; None where none is asked for or none does. [A]"""
    allowed_h = supply.requirement.recharge_h
    bank = supply.bank
    if allowed_h is None or bank is None:
        return None
    to_ratio = supply.requirement.recharge_to_ratio

    def is_too_slow(current_a: float) -> bool:
        hours_h = _hours_h(supply, current_a, to_ratio)
        return hours_h is None or hours_h > allowed_h

    # The fastest chemistry takes half its capacity an hour: what four times that does not do, no charger does.
    most_a = 2.0 * bank.rated_c20_ah
    if is_too_slow(most_a):
        return None
    return bracket(is_too_slow, 1e-3 * bank.rated_c20_ah, most_a, rounds=SECONDS_ROUNDS, by_ratio=True)[1]


NAMES = {
    School.TENTH: "a tenth of the capacity",
    School.REQUIREMENT: "in the hours it must",
    School.FASTEST: "as fast as the battery takes it",
}


def _way(
    supply: Supply, loads: tuple[Load, ...], school: School, asked_a: float | None, beside_a: tuple[float, float], tenth_h: float | None
) -> ChargerWay:
    blank = ChargerWay(
        school=school,
        name=NAMES[school],
        asked_a=asked_a,
        sold_a=None,
        whole_a=None,
        nearly_h=None,
        full_h=None,
        left_standby_a=None,
        left_alarm_a=None,
    )
    if asked_a is None:
        required = supply.requirement.recharge_h
        why = (
            "Nothing asks for a recharge in a time."
            if required is None
            else f"No current brings it back within {plain_number(required)} h at this set voltage."
        )
        return replace(blank, refused=why)
    # The fastest the battery takes is a limit: a charger above it is none for it.
    sold_a = (
        max((a for a in SOLD_CHARGERS_A if a <= asked_a * (1 + 1e-9)), default=None)
        if school is School.FASTEST
        else sold_charger_a(asked_a)
    )
    if sold_a is None:
        why = "No sold charger is that small." if school is School.FASTEST else f"No sold charger gives {say_amps_at_least(asked_a)}."
        return replace(blank, refused=why)
    # The supply must give it beside the loads, or the loads would take it from the charge.
    whole_a = sold_a + beside_a[0]
    changed = replace(supply, charge_limit_a=sold_a, supply_current_a=max(whole_a, supply.supply_current_a or 0.0), current_limited=True)
    result = judge_figures(changed, loads, compute_figures(changed, loads, in_full=False))
    bad = [f for f in result.findings if f.code in CHARGER_CODES and (f.severity in SEVERE or f.severity is Severity.RISK)]
    nearly_h, full_h = _hours_h(changed, sold_a, NEARLY_RATIO), _hours_h(changed, sold_a, FULL_RATIO)
    given_a = supply.supply_current_a
    return replace(
        blank,
        sold_a=sold_a,
        whole_a=whole_a,
        nearly_h=nearly_h,
        full_h=full_h,
        left_standby_a=None if given_a is None else given_a - beside_a[0],
        left_alarm_a=None if given_a is None else given_a - beside_a[1],
        words=_words(supply, school, sold_a, nearly_h, tenth_h, beside_a),
        refused=bad[0].evidence if bad else "",
    )


def _words(
    supply: Supply, school: School, sold_a: float, nearly_h: float | None, tenth_h: float | None, beside_a: tuple[float, float]
) -> tuple[str, ...]:
    found: list[str] = []
    given_a = supply.supply_current_a
    if given_a is None:
        found.append("Whether the supply has that left is not known: enter its current in all.")
    # In alarm too: an alarm does not wait until the battery is full again.
    elif min(given_a - beside_a[0], given_a - beside_a[1]) >= sold_a * (1 - 1e-9):
        found.append(
            f"The supply that is there has it left: {say_amps(given_a - beside_a[0])} in standby, {say_amps(given_a - beside_a[1])} in alarm."
        )
    else:
        for left_a, when in ((given_a - beside_a[0], "in standby"), (given_a - beside_a[1], "in alarm")):
            if left_a < sold_a * (1 - 1e-9):
                has = f"only {say_amps(left_a)}" if left_a > 0 else "nothing"
                found.append(f"The supply that is there has {has} left {when}.")
    if school is not School.TENTH and nearly_h is not None and tenth_h is not None and abs(tenth_h - nearly_h) >= 0.1:
        sooner = "sooner" if nearly_h < tenth_h else "later"
        found.append(f"It reaches 80 % {say_hours(abs(tenth_h - nearly_h))} {sooner} than a tenth of the capacity would.")
    charging = supply.bank.chemistry.charging if supply.bank else None
    if school is School.FASTEST and charging is not None:
        found.append(charging.faster_costs)
    return tuple(w for w in found if w)


def _ten_hours(supply: Supply) -> str:
    """Say what a tenth of the capacity really does in ten hours."""
    bank = supply.bank
    if bank is None:
        return ""
    tenth_a = TENTH_PER_H * bank.rated_c20_ah
    by = bank.chemistry.by_current
    if by is not None:
        stores = say_percent(bank.chemistry.charge_ratio)
        name = bank.chemistry.name[:1].upper() + bank.chemistry.name[1:]
        low_h, high_h = by.timed_h
        return (
            f"A tenth of the capacity is {say_amps(tenth_a)}. {name} stores about {stores} of what goes in, "
            f"so a full charge takes {low_h:g} to {high_h:g} h by the clock, not ten."
        )
    nearly_h, full_h = _hours_h(supply, tenth_a, NEARLY_RATIO), _hours_h(supply, tenth_a, FULL_RATIO)
    at = f" at {say_volts(supply.charge_v)}" if supply.charge_v is not None else ""
    nearly = "never reaches 80 %" if nearly_h is None else f"takes {say_hours_up(nearly_h)} to 80 %"
    full = "never reaches 95 %" if full_h is None else f"{say_hours_up(full_h)} to 95 %"
    why = "near its set voltage the battery itself lets in less and less, whatever the charger could give"
    return f"A tenth of the capacity ({say_amps(tenth_a)}) {nearly} and {full}{at}: {why}. The last few per cent take hours more, and full is never promised."
