"""Does it survive repeated cuts, windows of charge, and the winter; and what a panel can do to a battery."""

from collections.abc import Iterator

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.requirements.patterns import WEEK_H, WEEKDAYS, Day
from ypomoni.core.telling.results import CutsResult, Finding, Severity, SolarResult
from ypomoni.core.telling.wording import (
    plain_number,
    say_amps,
    say_hours_over,
    say_hours_up,
    say_list,
    say_percent,
    say_required_h,
    say_years,
)
from ypomoni.core.things.solar import Controller
from ypomoni.core.units import HOURS_PER_DAY

WINTER_RATIO = 1.2
# What a panel without a controller may give a lead battery, as a share of its capacity an hour: more dries it out, still more boils it.
STRONG_RATIO, DANGEROUS_RATIO = 0.01, 0.03
# A month under 95 %. [h]
MONTH_H = 730.0
MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December")
DAY_NAMES = dict(zip(WEEKDAYS, ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"), strict=True))
# From here on a bank counts as full when a cut begins.
FULL_ENOUGH_RATIO = 0.98
CUTS_UNKNOWN = "cuts_not_known"


def day_name(day: Day) -> str:
    """Return what a day is called."""
    return "every day" if day is Day.DAILY else DAY_NAMES[day]


def say_moment(t_h: float) -> str:
    """Return a moment of a week in words, as in Monday evening. [h]"""
    day = WEEKDAYS[int(t_h / HOURS_PER_DAY) % 7]
    hour = t_h % HOURS_PER_DAY
    part = "night" if hour < 6 else "morning" if hour < 12 else "afternoon" if hour < 18 else "evening"
    return f"{DAY_NAMES[day]} {part}"


def say_cuts(cuts: CutsResult, *, repeats: bool) -> str:
    """Return what becomes of a bank under its pattern, in one line."""
    if cuts.survives and is_slow_drain(cuts):
        return f"Lasts the year it was played for, and goes down all the time: {say_percent(cuts.lowest_charge_ratio)} by then."
    if cuts.survives:
        how = "Survives for good" if repeats else "Survived it all"
        return f"{how}: never below {say_percent(cuts.lowest_charge_ratio)}."
    at_h = cuts.fails_at_h or 0.0
    dies_h = at_h if cuts.dies_at_h is None else cuts.dies_at_h
    ends = "Dies" if cuts.dies_at_h is not None else "Could not carry an alarm"
    # A long cut begins on one day and may end the battery on another: then both are told.
    if int(dies_h / HOURS_PER_DAY) != int(at_h / HOURS_PER_DAY):
        since = f", on {say_moment(dies_h)}" if repeats else ""
        return f"{ends} in the cut that starts on day {cuts.fails_on_day}{since}."
    when = f", {say_moment(dies_h)}" if repeats else ""
    return f"{ends} on day {cuts.fails_on_day}{when}."


def is_slow_drain(cuts: CutsResult) -> bool:
    """Say whether a pattern that is survived takes more than is given back, so that its end only comes later."""
    return cuts.survives and cuts.gives_back_ratio is not None and cuts.gives_back_ratio < 1.0


def say_solar(solar: SolarResult) -> str:
    """Return what becomes of a bank on the sun, in one line."""
    worst = (
        f"{MONTHS[solar.worst_month - 1]} gives {say_percent(solar.worst_ratio)} of what is needed" if solar.worst_ratio is not None else ""
    )
    if solar.sustains:
        return f"Lives on the sun: never below {say_percent(solar.lowest_charge_ratio)} in its second year. {worst}.".replace(" .", "")
    return f"The sun does not sustain it: flat in {MONTHS[(solar.ends_in_month or 1) - 1]}, on day {solar.ends_on_day}. {worst}.".replace(
        " .", ""
    )


def check_seasons(facts: Facts) -> list[Finding]:
    """Return what a season gives rise to."""
    return [finding for check in (_not_known, _cuts, _slow_drain, _cycles, _never_full, _sun, _winter, _back) for finding in check(facts)]


def check_panel(facts: Facts) -> Iterator[Finding]:
    """Yield what a panel can do to a battery; it follows from what is stated."""
    solar, bank, supply = facts.supply.solar, facts.bank, facts.supply
    if solar is None or bank is None or not supply.of_kind.is_sunlit or solar.controller is not Controller.NONE:
        return
    # Nothing below asks for hours: it follows from what is connected, and must not wait for figures.
    if bank.chemistry.is_rechargeable_lithium:
        yield Finding(
            code="lithium_without_controller",
            severity=Severity.DANGER,
            evidence=f"The panel of {supply.name} charges a {bank.chemistry.name} battery with nothing between. In full sun it is charged far above its limit, and can catch fire.",
            source="a panel gives up to a third more than its working voltage, and never stops by itself",
            way_out="Disconnect the panel. Fit a controller made for this chemistry and number of cells.",
        )
    if bank.chemistry.is_lead and solar.short_circuit_a is not None:
        # With nothing between them a full battery takes what the panel can give at most, all day long.
        share = solar.short_circuit_a / bank.rated_c20_ah
        if share > STRONG_RATIO * (1 + 1e-9):
            worst = share > DANGEROUS_RATIO * (1 + 1e-9)
            yield Finding(
                code="unregulated_panel_too_strong",
                severity=Severity.DANGER if worst else Severity.RISK,
                evidence=f"The panels of {supply.name} give up to {say_amps(solar.short_circuit_a)} with no controller. That is {plain_number(100 * share, 2)} % of the battery's capacity an hour; "
                + ("it boils, gives off gas and can burst." if worst else "in a sunny month it dries out."),
                source="lead without a controller bears a panel of about a hundredth of its capacity an hour",
                way_out="Fit a charge controller between panel and battery.",
            )
    if solar.blocking_diode is False:
        yield Finding(
            code="no_blocking_diode",
            severity=Severity.RISK,
            evidence=f"Between panel and battery of {supply.name} there is neither controller nor blocking diode. At night the battery feeds the panel.",
            source="an unlit panel is a row of diodes across the battery",
            way_out="Fit a blocking diode, its ring towards the battery, and check it with a meter before anything is plugged in.",
        )


def _not_known(facts: Facts) -> Iterator[Finding]:
    missing = facts.result.pattern_missing
    if not missing:
        return
    words = {"charge_limit_a": "its charge limit", "supply_current_a": "the current of the supply in all", "charge_v": "its charge voltage"}
    said = [words[m] for m in missing]
    yield Finding(
        code=CUTS_UNKNOWN,
        severity=Severity.RISK,
        evidence=f"{facts.supply.name} must survive repeated cuts. Nobody can say whether it does: {' and '.join(said)} {'is' if len(said) == 1 else 'are'} not known.",
        source=facts.requirement.source or "requirement",
        way_out=f"Enter {', '.join(said)}.",
    )


def _cuts(facts: Facts) -> Iterator[Finding]:
    cuts = facts.result.cuts
    if cuts is None or cuts.survives:
        return
    lasts = say_required_h(cuts.failing_cut_h or 0.0)
    is_windows = facts.supply.of_kind.has_windows
    cut = f"{lasts} without charge" if is_windows else f"a cut of {lasts}"
    repeats = _repeats(facts)
    when = f"on day {cuts.fails_on_day}" + (f", {say_moment(cuts.fails_at_h or 0.0)}" if repeats else "")
    # From full it is the battery that is too small, from less the charger that is too weak: only one of the two helps.
    if cuts.charge_at_failing_ratio is not None and cuts.charge_at_failing_ratio >= FULL_ENOUGH_RATIO * facts.supply.starts_at_ratio:
        cause = f"Even with the battery full, {facts.supply.name} does not last through {cut}"
    else:
        left = say_percent(max(0.0, cuts.charge_at_failing_ratio or 0.0))
        cause = f"The charge between does not bring back what is taken. With {left} left, {facts.supply.name} does not last through {cut}"
    dies = "" if cuts.dies_at_h is not None else " It would last in standby; an alarm in it is not carried."
    yield Finding(
        code="cuts_not_survived",
        severity=Severity.FAILS,
        evidence=f"{cause}, {when}.{dies}",
        source=facts.requirement.source or "the pattern walked with the battery's model, charge and discharge by turns",
        way_out=" ".join(facts.result.season_ways)
        or facts.what_to_fit
        or "Fit a larger battery or a stronger charger, or hang less on it.",
    )


def _slow_drain(facts: Facts) -> Iterator[Finding]:
    cuts, solar = facts.result.cuts, facts.result.solar
    # It survives what was played, and would not survive another year of it: an all-clear here would be false.
    by_cuts = cuts is not None and is_slow_drain(cuts)
    by_sun = solar is not None and solar.sustains and solar.year_ratio is not None and solar.year_ratio < 1.0
    if not by_cuts and not by_sun:
        return
    gives = (
        f"The charger gives back {say_percent(cuts.gives_back_ratio or 0.0)} of what the cuts of a week take"
        if cuts is not None and by_cuts
        else f"Over a year the sun gives {say_percent((solar.year_ratio if solar else None) or 0.0)} of what is taken"
    )
    yield Finding(
        code="drains_slowly",
        severity=Severity.RISK,
        evidence=f"{gives}. The battery of {facts.supply.name} is large enough to last {'two years' if by_sun else 'the year it was played for'}, but it goes down all the time.",
        source="what a pattern takes against what it gives back",
        way_out="Fit more panels, or hang less on it."
        if by_sun
        else "Fit a stronger charger, or hang less on it. A larger battery only puts it off.",
    )


def _repeats(facts: Facts) -> bool:
    pattern = facts.supply.windows if facts.supply.of_kind.has_windows else facts.requirement.cuts
    return pattern is not None and pattern.repeats


def _cycles(facts: Facts) -> Iterator[Finding]:
    cuts, bank = facts.result.cuts, facts.bank
    if cuts is None or bank is None or cuts.cycle_life_y is None:
        return
    life_y = bank.life_y if bank.life_y is not None else bank.chemistry.life_y
    # Calendar and cycles wear at once; only where the cycles are first do they change when it is renewed.
    if cuts.cycle_life_y >= life_y * (1 - 1e-9):
        return
    spent, design = say_years(cuts.cycle_life_y), say_years(life_y)
    when = f"after {spent}, not the {design} of its design" if spent != design else f"a little before the {design} of its design"
    yield Finding(
        code="cycle_life_spent",
        severity=Severity.RISK,
        evidence=f"The pattern takes {plain_number(cuts.full_cycles_per_y, 2)} times the battery's capacity in a year, down to {say_percent(cuts.lowest_charge_ratio)}. "
        f"At that depth its cycle life is spent {when}.",
        source=f"cycles of {bank.chemistry.name} by depth: common practice, the maker's figure is better",
        way_out="Plan to renew it then, or fit a larger one: it is cycled less deeply.",
    )


def _never_full(facts: Facts) -> Iterator[Finding]:
    bank, cuts, solar = facts.bank, facts.result.cuts, facts.result.solar
    if bank is None or not bank.chemistry.is_lead:
        return
    # Cuts are walked by the week and the sun by the month, and each is asked for its own span.
    if cuts is not None and cuts.longest_low_h >= WEEK_H * (1 - 1e-6):
        span = "a week"
    elif solar is not None and solar.longest_low_h >= MONTH_H * (1 - 1e-6):
        span = "a month"
    else:
        return
    yield Finding(
        code="never_full",
        severity=Severity.RISK,
        evidence=f"The battery of {facts.supply.name} stays under 95 % for {span} and longer. Lead that is not full for so long hardens, and does not come back.",
        source="lead sulphates where it never reaches 95 %",
        way_out="Charge it longer or harder in between, or give it a full charge by another charger every week.",
    )


def _sun(facts: Facts) -> Iterator[Finding]:
    solar = facts.result.solar
    if solar is None or solar.sustains:
        return
    ends = MONTHS[(solar.ends_in_month or 1) - 1]
    gives = (
        ""
        if solar.worst_ratio is None
        else f" In {MONTHS[solar.worst_month - 1]} the sun gives {say_percent(solar.worst_ratio)} of what is taken."
    )
    yield Finding(
        code="sun_does_not_sustain",
        severity=Severity.FAILS,
        evidence=f"The battery of {facts.supply.name} is flat in {ends}, {solar.ends_on_day} days after the first of the sunniest month.{gives}",
        source="two years day by day with the sun hours entered",
        way_out=" ".join(facts.result.season_ways) or "Fit more panels or a larger battery, or hang less on it.",
    )


def _winter(facts: Facts) -> Iterator[Finding]:
    solar = facts.result.solar
    if solar is None or solar.worst_ratio is None or solar.worst_ratio >= WINTER_RATIO * (1 - 1e-9):
        return
    # All of them, not the worst alone: a panel tilted for the worst month may then fall short in another.
    short = [
        MONTHS[m]
        for m, (gives, needs) in enumerate(zip(solar.yield_ah_per_day, solar.need_ah_per_day, strict=True))
        if gives < WINTER_RATIO * needs * (1 - 1e-9)
    ]
    yield Finding(
        code="winter_deficit",
        severity=Severity.RISK,
        evidence=f"In {say_list(short, 12)} the sun gives less than {WINTER_RATIO:g} times what {facts.supply.name} needs; in {MONTHS[solar.worst_month - 1]} {say_percent(solar.worst_ratio)} of it. "
        "A dull month, snow or dirt then empties the battery.",
        source="common practice: 1.2 times the need in the worst month",
        way_out="Fit more panels, tilt them for the winter, or hang less on it.",
    )


def _back(facts: Facts) -> Iterator[Finding]:
    """Yield a recharge by the sun that takes longer than is allowed: days of the worst month, beside the loads."""
    solar, allowed_h = facts.result.solar, facts.requirement.recharge_h
    if solar is None or allowed_h is None or (solar.back_after_h is not None and solar.back_after_h <= allowed_h):
        return
    share, month = say_percent(facts.requirement.recharge_to_ratio), MONTHS[solar.worst_month - 1]
    never = solar.back_after_h is None
    yield Finding(
        code="charger_never_recovers" if never else "charger_too_slow",
        severity=Severity.FAILS,
        evidence=(
            f"On days of {month} the sun never brings an empty battery of {facts.supply.name} back to {share} beside its loads."
            if never
            else f"On days of {month} the sun takes {say_hours_over(solar.back_after_h or 0.0, allowed_h)} to bring an empty battery of {facts.supply.name} back to {share}."
        )
        + f" It must be back after {say_required_h(allowed_h)}.",
        source=facts.requirement.source or "requirement",
        way_out=" ".join(facts.result.season_ways) or "Fit more panels, agree on a longer time, or hang less on it.",
    )


def say_sun_back(solar: SolarResult) -> str:
    """Return how long a flat bank takes in the worst month, in words."""
    if solar.back_after_h is None:
        return "never within a year"
    return say_hours_up(solar.back_after_h)
