"""Is the bank protected and put together as it must be: its fuse against cable, load and voltage, its isolator, its strings and blocks.

Nothing is judged of what nobody has stated: what was not said is named as not checked.
"""

from collections.abc import Iterator

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import plain_number, say_amp_hours, say_amps, say_amps_at_least, say_volts
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.protection import Lead, Protection
from ypomoni.core.things.supplies import Supply
from ypomoni.core.wiring.cables import AMPACITY_SOURCE, GREATEST_AMPACITY_A, ampacity_a, is_beyond_table, section_for
from ypomoni.core.wiring.fuses import (
    CONTINUOUS_RATIO,
    LONG_RATIO,
    LONG_S,
    ROUNDING,
    SHORT_RATIO,
    SHORT_S,
    FuseNeed,
    fuse_need,
    must_bear_v,
    sold_fuse_v,
)
from ypomoni.core.wiring.mixing import mismatches, say_apart

# From here a bank needs an isolator. [Ah, V]
ISOLATED_FROM_AH, ISOLATED_FROM_V = 38.0, 48.0
FUSE_WIRING = "Warn the centre and disconnect the battery before you work on its leads; insulated tools, rings off."
# What no bank mends: it is of the wiring.
OF_WIRING = frozenset(
    {"fuse_missing", "fuse_above_cable", "fuse_below_load", "fuse_voltage", "string_fuses_missing", "isolator_missing", "mixed_string"}
)


def check_protection(facts: Facts) -> list[Finding]:
    """Return what is wrong with the fuse, the isolator and the blocks of a bank, as far as they are stated."""
    bank = facts.bank
    if bank is None:
        return []
    found = list(_mixed(facts.supply, bank))
    if bank.protection is not None:
        found += [*_fuse(facts, bank, bank.protection), *_strings_and_isolator(facts.supply, bank, bank.protection)]
    return found


def _fuse(facts: Facts, bank: Bank, protection: Protection) -> Iterator[Finding]:
    supply, need = facts.supply, fuse_need(facts.supply, facts.case)
    if protection.fuse_a is None:
        yield Finding(
            code="fuse_missing",
            severity=Severity.DANGER,
            evidence=f"No fuse protects the battery lead of {supply.name}. Into a short this battery gives about {say_amps(bank.short_circuit_a, 2)}, "
            "and the lead burns.",
            source="a fuse at the battery, in the first lead that leaves it",
            way_out=f"{_say_fuse(supply, bank, need)} {FUSE_WIRING}",
        )
        return
    yield from _above_cable(supply, bank, protection.fuse_a, need)
    yield from _below_load(supply, bank, protection.fuse_a, need)
    yield from _too_few_volts(supply, bank, protection)


def _say_fuse(supply: Supply, bank: Bank, need: FuseNeed) -> str:
    """Say which fuse to fit, as far as what goes through it is known."""
    if need.sold_a is None:
        return f"It must carry {say_amps_at_least(need.least_a)}: no fuse that goes with a listed cable does. Have the protection designed."
    # A size that is named is fitted: while a load or the charger is not known it would be a guess.
    if need.standby_a is None or need.charge_a is None:
        return "Fit one at the battery. Enter loads and charger first, so that its size can be said."
    volts = sold_fuse_v(must_bear_v(supply, bank))
    rated = f" rated for {say_volts(volts)} DC" if volts else ""
    return f"Fit one of {say_amps(need.sold_a)}{rated} at the battery{_with_lead(bank.lead, need.sold_a)}."


def _with_lead(lead: Lead | None, fuse_a: float) -> str:
    """Say which lead a fuse needs, where the one that is there is too thin for it or not known."""
    if lead is not None and fuse_a <= ampacity_a(lead.section_mm2) * (1 + ROUNDING):
        return ""
    return f", with a lead of {plain_number(section_for(fuse_a) or 0.0)} mm² or more"


def _above_cable(supply: Supply, bank: Bank, fuse_a: float, need: FuseNeed) -> Iterator[Finding]:
    lead = bank.lead
    if lead is None or is_beyond_table(lead.section_mm2) or fuse_a <= ampacity_a(lead.section_mm2) * (1 + ROUNDING):
        return
    bears_a, thicker_mm2 = ampacity_a(lead.section_mm2), section_for(fuse_a)
    smaller_a = need.sold_a
    ways = [f"a lead of {plain_number(thicker_mm2)} mm²"] if thicker_mm2 is not None else []
    # A smaller fuse is named only where it is known to carry everything; otherwise only a thicker lead is safe to say.
    if smaller_a is not None and need.standby_a is not None and need.charge_a is not None and smaller_a <= bears_a * (1 + ROUNDING):
        ways.insert(0, f"a fuse of {say_amps(smaller_a)}")
    yield Finding(
        code="fuse_above_cable",
        severity=Severity.DANGER,
        evidence=f"The battery lead of {supply.name} has {plain_number(lead.section_mm2)} mm² and bears about {say_amps(bears_a)}. "
        f"Its fuse of {say_amps(fuse_a)} lets more through, so the lead burns before the fuse opens.",
        source=AMPACITY_SOURCE,
        way_out=f"Fit {' or '.join(ways)}. {FUSE_WIRING}" if ways else f"Have fuse and lead designed together. {FUSE_WIRING}",
    )


def _below_load(supply: Supply, bank: Bank, fuse_a: float, need: FuseNeed) -> Iterator[Finding]:
    why = why_below_load(fuse_a, need)
    if why is None:
        return
    larger = (
        f"Fit one of {say_amps(need.sold_a)}{_with_lead(bank.lead, need.sold_a)}"
        if need.sold_a
        else "No fuse that goes with a listed cable carries it"
    )
    yield Finding(
        code="fuse_below_load",
        severity=Severity.FAILS,
        evidence=f"The battery fuse of {supply.name} is {say_amps(fuse_a)}. {why} The fuse can open, and then nothing holds.",
        source=f"a fuse of {plain_number(CONTINUOUS_RATIO)} times what flows for good; bursts by its time curve [M]",
        way_out=f"{larger}; or share the loads over more supplies.",
    )


def why_below_load(fuse_a: float, need: FuseNeed) -> str | None:
    """Say what a fuse does not carry; None where it carries all that is known."""
    if fuse_a < CONTINUOUS_RATIO * need.continuous_a * (1 - ROUNDING):
        what = {need.standby_a: "standby takes", need.alarm_a: "the alarm takes", need.charge_a: "the charger gives"}[need.continuous_a]
        return f"For good, {what} {say_amps(need.continuous_a)}, and a fuse for that needs {say_amps_at_least(CONTINUOUS_RATIO * need.continuous_a)}."
    # The time curve of a fuse in two points: what it bears for half a second, and for a minute.
    for current_a, ratio, seconds in ((need.short_a, SHORT_RATIO, SHORT_S), (need.long_a, LONG_RATIO, LONG_S)):
        if current_a > ratio * fuse_a * (1 + ROUNDING):
            return f"Bursts of more than {plain_number(seconds)} s take up to {say_amps(current_a)}: more than {plain_number(ratio)} times its rating."
    return None


def _too_few_volts(supply: Supply, bank: Bank, protection: Protection) -> Iterator[Finding]:
    # An arc lives on volts: what counts is the most that stands across the fuse when it opens.
    bears_v = must_bear_v(supply, bank)
    if protection.fuse_dc_v is None or protection.fuse_dc_v >= bears_v * (1 - ROUNDING):
        return
    volts = sold_fuse_v(bears_v)
    yield Finding(
        code="fuse_voltage",
        severity=Severity.DANGER,
        evidence=f"The battery fuse of {supply.name} is rated for {say_volts(protection.fuse_dc_v)} DC. Charging, the battery reaches {say_volts(bears_v)}. "
        "Such a fuse can go on arcing when it opens.",
        source="a fuse opens safely up to its DC voltage only",
        way_out=f"Fit one rated for {say_volts(volts)} DC or more. {FUSE_WIRING}"
        if volts
        else f"Have the protection designed. {FUSE_WIRING}",
    )


def _strings_and_isolator(supply: Supply, bank: Bank, protection: Protection) -> Iterator[Finding]:
    # Not stated is not missing: None is named as not checked.
    if bank.parallel > 1 and protection.string_fuses is False:
        yield Finding(
            code="string_fuses_missing",
            severity=Severity.RISK,
            evidence=f"{supply.name} has {bank.parallel} strings in parallel and no fuse in each. When a block of one shorts, the others drive their current into it.",
            source="one fuse for each string",
            way_out=f"Fit a fuse in the plus of each string. {FUSE_WIRING}",
        )
    is_large, is_high = bank.rated_c20_ah >= ISOLATED_FROM_AH * (1 - ROUNDING), bank.bank_v >= ISOLATED_FROM_V * (1 - ROUNDING)
    if protection.isolator is False and (is_large or is_high):
        size = say_amp_hours(bank.rated_c20_ah) if is_large else say_volts(bank.bank_v)
        yield Finding(
            code="isolator_missing",
            severity=Severity.RISK,
            evidence=f"The battery of {supply.name} has {size} and nothing to disconnect it with. Whoever works on it works on live leads.",
            source=f"an isolator from {ISOLATED_FROM_AH:g} Ah or {ISOLATED_FROM_V:g} V [M]",
            way_out=f"Fit an isolator for DC beside the fuse, for {say_volts(must_bear_v(supply, bank))} at least.",
        )


def _mixed(supply: Supply, bank: Bank) -> Iterator[Finding]:
    found = mismatches(bank)
    if not found:
        return
    yield Finding(
        code="mixed_string",
        severity=Severity.RISK,
        evidence=f"The blocks of {supply.name} do not belong together. {' '.join(say_apart(m) for m in found)} The weaker one is worn out by the others.",
        source="one kind, size, age and condition within a bank",
        way_out="Fit blocks of one kind, size and age in the whole bank. Use the odd one elsewhere.",
    )


def unknown_of_protection(facts: Facts, bank: Bank) -> Iterator[str]:
    """Yield by name what of a bank's wiring was not looked at."""
    protection, lead = bank.protection, bank.lead
    if protection is None:
        yield "fuses and wiring of the battery"
    else:
        if protection.fuse_a is not None:
            if lead is None:
                yield "whether the fuse protects the battery lead: its section is not entered"
            # A lead thicker than any in the table bears at least what the thickest one there does.
            elif is_beyond_table(lead.section_mm2) and protection.fuse_a > GREATEST_AMPACITY_A:
                yield f"whether the fuse protects the battery lead: what {plain_number(lead.section_mm2)} mm² bears is not listed"
            need = fuse_need(facts.supply, facts.case)
            if need.standby_a is None or need.charge_a is None:
                unknown = "its loads" if need.standby_a is None else "its charger"
                yield f"whether the battery fuse carries what {unknown} ask for"
            if protection.fuse_dc_v is None:
                yield "for which DC voltage the battery fuse is made"
            yield f"whether the fuse breaks {say_amps(bank.short_circuit_a, 2)}"
        if protection.isolator is None and (bank.rated_c20_ah >= ISOLATED_FROM_AH or bank.bank_v >= ISOLATED_FROM_V):
            yield "whether an isolator is fitted"
        if protection.string_fuses is None and bank.parallel > 1:
            yield "whether each string has its fuse"
    if bank.series * bank.parallel > 1 and len(bank.blocks) < bank.series * bank.parallel:
        yield "whether its blocks are of one kind and age" if not bank.blocks else "blocks that are not entered"
