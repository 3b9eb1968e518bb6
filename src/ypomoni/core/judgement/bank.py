"""What state the bank is in."""

from ypomoni.core.chemistries.primary_sizes import size_of
from ypomoni.core.judgement.facts import Facts
from ypomoni.core.results import Finding, Severity
from ypomoni.core.wording import plain_number, say_amps, say_hours, say_percent

MISMATCH_RATIO = 0.25


def check_bank(facts: Facts) -> list[Finding]:
    """Return whether the bank fits the supply's voltage, and whether it is past its age or measured below end of life."""
    return [*_mismatch(facts), *_past_age(facts), *_primary(facts), *_suspect_rows(facts)]


def _mismatch(facts: Facts) -> list[Finding]:
    supply, bank = facts.supply, facts.supply.bank
    if bank is None or abs(bank.bank_v - supply.nominal_v) <= MISMATCH_RATIO * supply.nominal_v:
        return []
    return [
        Finding(
            code="bank_voltage_mismatch",
            severity=Severity.DANGER,
            evidence=f"{bank.series} in series of {bank.block_v:g} V is {bank.bank_v:g} V on a supply of {supply.nominal_v:g} V.",
            source="series adds volts, parallel adds amp-hours",
            way_out="Check how the blocks are joined before connecting anything; then correct the entry or the wiring.",
        )
    ]


def _past_age(facts: Facts) -> list[Finding]:
    bank, life_y = facts.supply.bank, facts.life_y
    if bank is None or life_y is None:
        return []
    worn = bank.condition_ratio is not None and bank.condition_ratio < facts.requirement.end_of_life_ratio
    if bank.age_y < life_y and not worn:
        return []
    if bank.age_y >= life_y:
        evidence = f"The battery of {facts.supply.name} is {plain_number(bank.age_y)} years old; at {facts.supply.typical_degc:g} °C this kind lasts about {plain_number(life_y, 2)}."
    else:
        evidence = f"The battery of {facts.supply.name} was measured at {say_percent(bank.condition_ratio or 0)} of its rated capacity."
    return [
        Finding(
            code="bank_past_age",
            severity=Severity.RISK,
            evidence=evidence,
            source="life at 20 to 25 °C, halved by every 10 °C above 25 °C; end of life at 80 % of rated capacity",
            way_out="Renew the battery, all blocks of the bank together.",
        )
    ]


def _primary(facts: Facts) -> list[Finding]:
    """Return what is said of primary cells: their hard limit of current, their film, and sizes nobody sells."""
    bank, supply = facts.supply.bank, facts.supply
    if bank is None or not bank.chemistry.is_primary:
        return []
    peak_a = max(facts.peak_standby_current_a, facts.peak_alarm_current_a)
    size = size_of(bank.chemistry_key, bank.block_v, bank.capacity_ah)
    found: list[Finding] = []
    if size and peak_a > size.greatest_current_a * bank.parallel:
        found.append(
            Finding(
                code="current_above_cell",
                severity=Severity.FAILS,
                evidence=f"{supply.name} asks up to {say_amps(peak_a)}; {say_strings(bank.parallel)} of {size.name} {bank.chemistry.name} "
                f"give about {say_amps(size.greatest_current_a * bank.parallel)} at most.",
                source="rough greatest current of the size [L]: check the cell's own data sheet",
                way_out="Take a larger or spiral-wound cell, add a capacitor for the bursts, or spread them out.",
            )
        )
    if size is None:
        found.append(
            Finding(
                code="cell_size_unknown",
                severity=Severity.NOTE,
                evidence=f"{bank.block_v:g} V {bank.capacity_ah:g} Ah is no common size of {bank.chemistry.name} cell; primary cells do not scale with size.",
                source="sizes of primary cells",
                way_out="Enter the cell's discharge table, so that its own figures are used.",
            )
        )
    if bank.chemistry.is_passivated:
        found.append(
            Finding(
                code="voltage_delay",
                severity=Severity.RISK if any(load.bursts for load in facts.loads) else Severity.NOTE,
                evidence=f"{bank.chemistry.name.capitalize()} cells build a film at rest: after months the first "
                f"{say_amps(peak_a)} may dip below what the equipment needs for seconds, most of all in the cold. No figure here shows that dip.",
                source="passivation of lithium thionyl chloride",
                way_out="Draw a small current now and then, put a capacitor across the pack, and test with the equipment after a rest.",
            )
        )
    return found


def _suspect_rows(facts: Facts) -> list[Finding]:
    """Return rows of a discharge table that do not go with the others."""
    bank = facts.supply.bank
    if bank is None or bank.table_fit is None or not bank.table_fit.suspects:
        return []
    rows = "; ".join(
        f"{say_amps(r.row.current_a)} for {say_hours(r.row.run_h)} to {r.row.end_v:g} V is {say_percent(abs(r.error_ratio))} off"
        for r in bank.table_fit.suspects[:3]
    )
    return [
        Finding(
            code="table_row_suspect",
            severity=Severity.NOTE,
            evidence=f"In the discharge table of {facts.supply.name}'s battery {rows}.",
            source="refit of the table, robust against single rows",
            way_out="Look at the row again: a slip of unit, another end voltage, or a typing error.",
        )
    ]


def say_strings(parallel: int) -> str:
    """Return a number of strings in words."""
    return "one string" if parallel == 1 else f"{parallel} strings"
