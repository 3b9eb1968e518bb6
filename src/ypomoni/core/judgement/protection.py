"""Is the bank protected and put together as it must be: its fuse against cable, load and voltage, its isolator, its strings and blocks.

Nothing is judged of what nobody has stated: what was not said is named as not checked.
"""

from collections.abc import Iterator

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import plain_number, say_amp_hours, say_amps, say_amps_at_least, say_span, say_volts
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.charge_setting import withstands_v
from ypomoni.core.things.protection import FuseKind, Lead, Protection
from ypomoni.core.things.supplies import Supply
from ypomoni.core.wiring.cables import AMPACITY_SOURCE, GREATEST_AMPACITY_A, ampacity_a, is_beyond_table, section_for
from ypomoni.core.wiring.fuses import (
    CONTINUOUS_RATIO,
    NEVER_RATIO,
    ROUNDING,
    FuseNeed,
    breaks_of,
    fuse_kind_of,
    fuse_need,
    opening_s,
    sold_fuse_a,
    sold_fuse_v,
    stated_breaking_a,
)
from ypomoni.core.wiring.mixing import mismatches, say_apart

# From here a bank needs an isolator. [Ah, V]
ISOLATED_FROM_AH, ISOLATED_FROM_V = 38.0, 48.0
FUSE_WIRING = "Warn the centre and disconnect the battery before you work on its leads; insulated tools, rings off."
# What no bank mends: it is of the wiring.
OF_WIRING = frozenset(
    {
        "fuse_missing",
        "fuse_above_cable",
        "fuse_below_load",
        "fuse_below_rating",
        "fuse_breaking",
        "fuse_curve_unknown",
        "fuse_voltage",
        "string_fuses_missing",
        "isolator_missing",
        "mixed_string",
    }
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
    yield from _below_load(supply, bank, protection, need)
    yield from _below_rating(supply, protection, need)
    yield from _too_few_volts(supply, bank, protection)
    yield from _does_not_break(supply, bank, protection)


def _suited_a(supply: Supply, bank: Bank, need: FuseNeed) -> float | None:
    """Return the smallest sold fuse that passes every test of this bank; None where none does. [A]"""
    volts = sold_fuse_v(withstands_v(supply, bank))
    return None if volts is None else sold_fuse_a(need.for_rating, short_circuit_a=bank.short_circuit_a)


def _say_fuse(supply: Supply, bank: Bank, need: FuseNeed) -> str:
    """Say which fuse to fit, as far as what goes through it is known."""
    # A size that is named is fitted: while a load or the charger is not known it would be a guess.
    if not need.is_known:
        return "Fit one at the battery. Enter loads and charger first, so that its size can be said."
    return f"{_say_fitting(supply, bank, need)} at the battery."


def _say_fitting(supply: Supply, bank: Bank, need: FuseNeed) -> str:
    """Say which fuse carries all, and what else it needs: its breaking capacity by its data sheet, or a kind that has it, and the lead for it."""
    enough_a, suited_a = sold_fuse_a(need.for_rating), _suited_a(supply, bank, need)
    if enough_a is None:
        return f"Have the protection designed, for {say_amps_at_least(need.for_rating.least_a)},"
    found = f"Fit one of {say_amps(enough_a)} rated for {_say_rated(supply, bank, enough_a)}{_with_lead(bank.lead, enough_a)}"
    if suited_a is None or suited_a == enough_a:
        return found
    return f"{found}, or a bolted one of {say_amps(suited_a)}{_with_lead(bank.lead, suited_a)}"


def _say_rated(supply: Supply, bank: Bank, fuse_a: float) -> str:
    """Say for which DC voltage a fuse must be rated, and what its data sheet must state that it breaks."""
    volts = sold_fuse_v(withstands_v(supply, bank)) or withstands_v(supply, bank)
    breaks_a = stated_breaking_a(fuse_a, volts, bank.short_circuit_a)
    return f"{say_volts(volts)} DC" + (f" whose data sheet states {say_amps(breaks_a, 2)} breaking capacity" if breaks_a else "")


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
    smaller_a = sold_fuse_a(need.for_rating)
    ways = [f"a lead of {plain_number(thicker_mm2)} mm²"] if thicker_mm2 is not None else []
    # A smaller fuse is named only where it is known to carry everything; otherwise only a thicker lead is safe to say.
    if smaller_a is not None and need.is_known and smaller_a <= bears_a * (1 + ROUNDING):
        ways.insert(0, f"a fuse of {say_amps(smaller_a)}")
    yield Finding(
        code="fuse_above_cable",
        severity=Severity.DANGER,
        evidence=f"The battery lead of {supply.name} has {plain_number(lead.section_mm2)} mm² and bears about {say_amps(bears_a)}. "
        f"Its fuse of {say_amps(fuse_a)} lets more through, so the lead burns before the fuse opens.",
        source=AMPACITY_SOURCE,
        way_out=f"Fit {' or '.join(ways)}. {FUSE_WIRING}" if ways else f"Have fuse and lead designed together. {FUSE_WIRING}",
    )


def _below_load(supply: Supply, bank: Bank, protection: Protection, need: FuseNeed) -> Iterator[Finding]:
    fuse_a = protection.fuse_a or 0.0
    kind = fuse_kind_of(fuse_a, protection.fuse_kind)
    why = why_below_load(fuse_a, kind, need)
    if why is None:
        yield from _curve_unknown(supply, fuse_a, kind, need)
        return
    yield Finding(
        code="fuse_below_load",
        severity=Severity.FAILS,
        evidence=f"The battery fuse of {supply.name} is {say_amps(fuse_a)}. {why} The fuse can open, and then nothing holds.",
        source=f"{plain_number(CONTINUOUS_RATIO)} times the greatest effective current of any 10 min; pulses by the earliest opening of the fuse "
        "(ISO 8820, check the edition in force)",
        way_out=f"{_say_fitting(supply, bank, need)}; or share the loads over more supplies.",
    )


def why_below_load(fuse_a: float, kind: FuseKind, need: FuseNeed) -> str | None:
    """Say what a fuse does not carry, with loads at the high end of their range; None where it carries all that is known."""
    if fuse_a < CONTINUOUS_RATIO * need.continuous_a * (1 - ROUNDING):
        what = {need.standby_a: "Standby takes", need.alarm_a: "The alarm takes", need.charge_a: "The charger gives"}[need.continuous_a]
        return (
            f"{what} up to {say_amps(need.continuous_a)} for 10 min or longer, and a fuse for that needs "
            f"{say_amps_at_least(CONTINUOUS_RATIO * need.continuous_a)}."
        )
    # Of a cartridge the curve is not known: what it does with a pulse is asked, not judged.
    pulse = None if kind is FuseKind.CARTRIDGE else need.first_not_carried(fuse_a, kind)
    if pulse is None:
        return None
    when = "in alarm" if pulse.in_alarm else "in standby"
    opens = opening_s(pulse.current_a / fuse_a, kind)
    after = (
        ""
        if opens == float("inf")
        else f" At {plain_number(pulse.current_a / fuse_a, 2)} times its rating a fuse can open after {plain_number(opens, 2)} s."
    )
    return f"Pulses of {say_amps(pulse.current_a)} last {say_span(pulse.duration_s / 3600)} {when}.{after}"


def _curve_unknown(supply: Supply, fuse_a: float, kind: FuseKind, need: FuseNeed) -> Iterator[Finding]:
    pulse = max((p for p in need.pulses if p.current_a > NEVER_RATIO * fuse_a * (1 + ROUNDING)), key=need.least_for, default=None)
    if kind is not FuseKind.CARTRIDGE or pulse is None:
        return
    yield Finding(
        code="fuse_curve_unknown",
        severity=Severity.RISK,
        evidence=f"The battery fuse of {supply.name} is a cartridge of {say_amps(fuse_a)}. Pulses of {say_amps(pulse.current_a)} last "
        f"{say_span(pulse.duration_s / 3600)}. Whether the fuse carries them depends on its time curve.",
        source="cartridge fuses (IEC 60127) are quick or slow: only the data sheet says when one opens",
        way_out="Look at the fuse's data sheet, or fit a blade fuse.",
    )


def _below_rating(supply: Supply, protection: Protection, need: FuseNeed) -> Iterator[Finding]:
    fuse_a = protection.fuse_a or 0.0
    kind = fuse_kind_of(fuse_a, protection.fuse_kind)
    rating = need.for_rating
    if not need.rated or why_below_load(fuse_a, kind, need) is not None or why_below_load(fuse_a, kind, rating) is None:
        return
    yield Finding(
        code="fuse_below_rating",
        severity=Severity.RISK,
        evidence=f"The battery fuse of {supply.name} is {say_amps(fuse_a)}. It carries the loads of today. At its rated output {supply.name} takes up to "
        f"{say_amps(rating.continuous_a)}, and a fuse for that needs {say_amps_at_least(rating.least_a)}.",
        source="rated output over efficiency, at the voltage at which the supply ends",
        way_out="Ask the maker of the UPS which battery fuse belongs to it.",
    )


def _does_not_break(supply: Supply, bank: Bank, protection: Protection) -> Iterator[Finding]:
    kind = fuse_kind_of(protection.fuse_a or 0.0, protection.fuse_kind)
    breaks_a = breaks_of(kind, protection.fuse_dc_v, protection.fuse_breaks_a)
    if breaks_a is None or bank.short_circuit_a <= breaks_a * (1 + ROUNDING):
        return
    yield Finding(
        code="fuse_breaking",
        severity=Severity.DANGER,
        evidence=f"The battery of {supply.name} gives about {say_amps(bank.short_circuit_a, 2)} into a short circuit. Its {kind.value} fuse breaks "
        f"{plain_number(breaks_a, 4)} A. Such a fuse can burst or go on arcing.",
        source="prospective short-circuit current against breaking capacity: blade fuse 1000 A, bolted fuse 2000 A at 32 V [M]; the data sheet wins",
        way_out=f"Fit a fuse that breaks {say_amps_at_least(bank.short_circuit_a)} at {say_volts(withstands_v(supply, bank))} DC by its data sheet, "
        f"or enter what the data sheet of this fuse states. {FUSE_WIRING}",
    )


def _too_few_volts(supply: Supply, bank: Bank, protection: Protection) -> Iterator[Finding]:
    # An arc lives on volts: what counts is the most that stands across the fuse when it opens.
    bears_v = withstands_v(supply, bank)
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
            way_out=f"Fit an isolator for DC beside the fuse, for {say_volts(withstands_v(supply, bank))} at least.",
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
            if not need.is_known:
                unknown = "its loads" if need.standby_a is None else "its charger"
                yield f"whether the battery fuse carries what {unknown} ask for"
            if protection.fuse_dc_v is None:
                yield "for which DC voltage the battery fuse is made"
            kind = fuse_kind_of(protection.fuse_a, protection.fuse_kind)
            if breaks_of(kind, protection.fuse_dc_v, protection.fuse_breaks_a) is None:
                yield f"whether the fuse breaks {say_amps(bank.short_circuit_a, 2)}: its data sheet says it"
        if protection.isolator is None and (bank.rated_c20_ah >= ISOLATED_FROM_AH or bank.bank_v >= ISOLATED_FROM_V):
            yield "whether an isolator is fitted"
        if protection.string_fuses is None and bank.parallel > 1:
            yield "whether each string has its fuse"
    if bank.series * bank.parallel > 1 and len(bank.blocks) < bank.series * bank.parallel:
        yield "whether its blocks are of one kind and age" if not bank.blocks else "blocks that are not entered"
