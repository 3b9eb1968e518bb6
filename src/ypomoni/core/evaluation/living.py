"""Whether a supply lives through its cuts or its year of sun, and which banks it would live with."""

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import lru_cache

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.identifying import identified
from ypomoni.core.requirements.patterns import TimePattern
from ypomoni.core.seasons.cuts import cut_pattern, gives_back_ratio, survives_cuts, unknown_of_charger
from ypomoni.core.seasons.sun import lives_on_sun, sun_of, sustains_on_sun
from ypomoni.core.telling.results import SoldBank
from ypomoni.core.telling.wording import say_bank
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply


def fitted_with(supply: Supply, sold: SoldBank) -> Supply:
    """Return a supply with a new bank of sold blocks, on the lead, fuse and isolator that are there.

    Nothing is taken to protect the blocks themselves that has not been said of them.
    """
    wired = supply.bank
    fresh = Bank(
        chemistry_key=sold.chemistry,
        block_v=sold.block_v,
        capacity_ah=sold.capacity_ah,
        rate_h=sold.rate_h,
        series=sold.series,
        parallel=sold.parallel,
        protection=wired.protection if wired else None,
        lead=wired.lead if wired else None,
    )
    return with_new_bank(supply, fresh)


def with_new_bank(supply: Supply, bank: Bank | None) -> Supply:
    """Return a supply with another bank. What was timed with the one before tells what the supply burns, and nothing of the new one."""
    # Runs of the old bank told both overhead and condition: the overhead goes on, the condition goes with the bank.
    known = identified(supply)
    output = None if known.ac is None else replace(known.ac, tells_condition=False)
    return replace(known, ac=output, bank=bank)


def survives_season(case: Case) -> bool:
    """Say whether a supply survives its pattern, or lives through two years of sun: what the verdict asks. What cannot be played is not asked."""
    pattern, solar = _asked(case.supply), sun_of(case)
    if pattern is not None and not survives_cuts(case, pattern):
        return False
    return solar is None or sustains_on_sun(case, solar)


@lru_cache(maxsize=1024)
def lives_through(supply: Supply, loads: tuple[Load, ...]) -> bool:
    """Say whether a supply with these loads lives through what its season asks of it, for good; where that asks nothing, or is not known, it does.

    What lasts a year only because it goes down slowly does not live through it.
    """
    case = Case(supply, loads)
    pattern, solar = _asked(supply), sun_of(case)
    if pattern is not None and ((gives_back_ratio(case, pattern) or 1.0) < 1.0 or not survives_cuts(case, pattern)):
        return False
    return solar is None or lives_on_sun(case, solar)


def _asked(supply: Supply) -> TimePattern | None:
    """Return the pattern that can be played; None where there is none, or its charger is not known."""
    return None if unknown_of_charger(supply) else cut_pattern(supply)


def has_season(supply: Supply) -> bool:
    """Say whether anything is asked of a supply over weeks or years that can be played."""
    return _asked(supply) is not None or (supply.of_kind.is_sunlit and supply.solar is not None)


def keep_through_season(case: Case, banks: list[SoldBank]) -> Iterator[SoldBank]:
    """Yield those of some banks with which a supply lives through its season, in their order: of each number of strings the larger ones."""
    if not has_season(case.supply):
        yield from banks
        return
    for strings in sorted({b.parallel for b in banks}):
        # Only among equal numbers of strings is a larger bank better in every respect; so only there may the first be sought by halves.
        group = [b for b in banks if b.parallel == strings]
        n = first_that(len(group), lambda i, group=group: lives_through(fitted_with(case.supply, group[i]), case.loads))
        if n is not None:
            yield from group[n:]


def first_that(count: int, does: Callable[[int], bool]) -> int | None:
    """Return the first of so many, each better than the one before, that does it; None where the last does not."""
    # Where the best does not do it none does, and one question was enough.
    if count == 0 or not does(count - 1):
        return None
    if does(0):
        return 0
    low, high = 0, count - 1
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if does(middle) else (middle, high)
    return high


def why_no_season(case: Case, largest: SoldBank | None) -> str:
    """Say why no bank lives through the season, found with the largest that was tried."""
    if sun_of(case) is not None:
        return "No battery of up to four strings does it: over the year, or over the winter, the sun gives less than the loads take."
    pattern = _asked(case.supply)
    if pattern is not None and (gives_back_ratio(case, pattern) or 1.0) < 1.0:
        return "No battery does it: the charger gives back less than the cuts take."
    if largest is None:
        return "No battery that is sold does it."
    named = say_bank(largest.series, largest.parallel, largest.block_v, largest.capacity_ah, largest.rate_h)
    return f"No battery does it, up to {named}."
