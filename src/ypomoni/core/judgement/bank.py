"""What the bank is, and what it is asked for: does it fit, is it protected, can it breathe, how old is it."""

from collections.abc import Iterator

from ypomoni.core.chemistries.model import HOURS_PER_MONTH, SHELF_DEGC
from ypomoni.core.chemistries.primary_sizes import size_of
from ypomoni.core.judgement.facts import Facts
from ypomoni.core.sizing.sold_list import GREATEST_STRINGS_COUNT
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.rows import say_suspect_row
from ypomoni.core.telling.wording import plain_number, say_amp_hours, say_amps, say_hours, say_percent, say_required_h, say_volts, say_years
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.supplies import ChargeMode, Supply
from ypomoni.core.units import DAYS_PER_YEAR, HOURS_PER_DAY

BEYOND_SHELF_LIFE = "beyond_shelf_life"
# Of these findings, those that are about the battery itself and stand on its sheet.
OF_BATTERY = frozenset(
    {
        "bank_past_age",
        BEYOND_SHELF_LIFE,
        "lead_not_recharged",
        "bank_voltage_mismatch",
        "table_row_suspect",
        "voltage_delay",
        "cold_and_fast",
        "current_above_cell",
        "cell_size_unknown",
        "too_many_strings",
        "ventilation",
        "no_cutoff",
        "cutoff_below_end",
        "life_shortened_by_heat",
        "too_hot",
        "too_cold",
    }
)

# A cut-off that is so little under the cell's limit is at it.
CUTOFF_TOLERANCE_RATIO = 0.01
# Lithium without a protection that states its limit: so many times its 20-hour capacity. [1/h]
CONTINUOUS_PER_H, BURST_PER_H = 1.0, 2.0
# From here EN 62485-2 asks to reckon the air of a lead battery. [Ah]
VENTILATED_FROM_AH = 40.0
# Gas current of valve-regulated lead, on float and where it is boosted; what an ampere-hour of it makes; the share that explodes.
GAS_FLOAT_A_PER_AH, GAS_BOOST_A_PER_AH = 0.001, 0.008
HYDROGEN_M3_PER_AH = 0.00042
EXPLOSIVE_RATIO = 0.04
LIFE_SHORT_RATIO = 0.6
# Above this, below 0 °C, no figure deserves trust. [1/h]
COLD_RATE_PER_H = 0.2
# Lead bears so long without a charge. [months, M]
UNCHARGED_MONTHS = 6.0


def check_bank(facts: Facts) -> list[Finding]:
    """Return what the bank gives rise to."""
    if facts.bank is None:
        return []
    stated = (_mismatch, _strings, _no_cutoff, _cutoff_low, _ventilation, _outside_table, _short_life)
    found = [finding for check in stated for finding in check(facts.supply, facts.bank, facts)]
    return found + [
        finding
        for check in (_current, _past_age, _beyond_life, _never_recharged, _primary, _suspect_rows, _fast_in_the_cold)
        for finding in check(facts, facts.bank)
    ]


def _mismatch(supply: Supply, bank: Bank, _: Facts) -> Iterator[Finding]:
    if bank.suits(supply.nominal_v):
        return
    yield Finding(
        code="bank_voltage_mismatch",
        severity=Severity.DANGER,
        evidence=say_mismatch(supply, bank),
        source="series adds volts, parallel adds amp-hours",
        way_out="Connect nothing. Check how the blocks are joined, then correct the wiring or the entry.",
    )


def say_mismatch(supply: Supply, bank: Bank) -> str:
    """Say that a bank has another voltage than its supply is made for."""
    blocks = (
        f"{bank.series} × {bank.block_v:g} V in series is {bank.bank_v:g} V." if bank.series > 1 else f"The battery has {bank.bank_v:g} V."
    )
    return f"{blocks} {supply.name} is made for {supply.nominal_v:g} V."


def _strings(supply: Supply, bank: Bank, _: Facts) -> Iterator[Finding]:
    if not bank.chemistry.is_lead or bank.parallel <= GREATEST_STRINGS_COUNT:
        return
    yield Finding(
        code="too_many_strings",
        severity=Severity.RISK,
        evidence=f"{supply.name} has {bank.parallel} strings in parallel. They never share the current evenly, so the first ones age early.",
        source=f"at most {GREATEST_STRINGS_COUNT} strings of lead in parallel",
        way_out="Fit fewer, larger blocks.",
    )


def _no_cutoff(supply: Supply, bank: Bank, facts: Facts) -> Iterator[Finding]:
    if supply.cutoff_v is not None or bank.own_cutoff_v is not None or bank.chemistry.is_primary:
        return
    lithium, name = bank.chemistry.is_rechargeable_lithium, bank.chemistry.name
    limit_v = (bank.chemistry.cell_limit_v or bank.chemistry.end_v) * bank.cells_in_series_count
    # A load that stops spares a lithium cell the worst, but is no cut-off: it is told as a risk, not as nothing.
    stopping = [load for load in facts.loads if load.essential and load.battery_min_v is not None and load.battery_min_v > limit_v]
    input_v = supply.least_input_v
    output_stops = input_v is not None and input_v > limit_v
    stops = lithium and (bool(stopping) or output_stops)
    if stops and output_stops:
        harm = f"Its output stops at {say_volts(input_v or 0.0)}, but what it draws itself goes on draining the battery."
    elif stops:
        harm = f"{stopping[0].name} stops at {say_volts(stopping[0].battery_min_v or 0.0)}, but whatever is left on the battery goes on draining it."
    elif lithium:
        harm = f"A long cut drains it below {say_volts(limit_v)}. A lithium battery that was drained so far can catch fire when it is charged again."
    else:
        harm = f"A long cut drains it below {say_volts(limit_v)}, which ruins it."
    yield Finding(
        code="no_cutoff",
        severity=Severity.DANGER if lithium and not stops else Severity.RISK,
        evidence=f"Nothing disconnects the battery of {supply.name}. {harm}",
        source=f"least voltage of {name}: {plain_number(limit_v / bank.cells_in_series_count)} V a cell",
        way_out="Fit a low-voltage disconnect that reconnects on mains only, or enter the cut-off if there is one.",
    )


def _cutoff_low(supply: Supply, bank: Bank, _: Facts) -> Iterator[Finding]:
    cell_v, lithium = bank.chemistry.cell_limit_v, bank.chemistry.is_rechargeable_lithium
    cutoff_v = max([v for v in (supply.cutoff_v, bank.own_cutoff_v) if v is not None], default=None)
    if cell_v is None or cutoff_v is None or bank.chemistry.is_primary or not bank.suits(supply.nominal_v):
        return
    limit_v = cell_v * bank.cells_in_series_count
    if cutoff_v >= limit_v * (1 - CUTOFF_TOLERANCE_RATIO):
        return
    harm = "Drained so far it can catch fire when it is charged again." if lithium else "Drained so far it is ruined."
    yield Finding(
        code="cutoff_below_end",
        severity=Severity.DANGER if lithium else Severity.RISK,
        evidence=f"{supply.name} disconnects its battery only at {say_volts(cutoff_v)}. This {bank.chemistry.name} battery must not go below {say_volts(limit_v)}. {harm}",
        source=f"least voltage of {bank.chemistry.name}: {plain_number(cell_v)} V a cell",
        way_out=f"Raise the cut-off to {say_volts(bank.end_v)}, or fit a disconnect that opens there.",
    )


def gas_tight_hydrogen_ratio(supply: Supply, bank: Bank) -> float | None:
    """Return the share of hydrogen in a gas-tight box after a day of charging; None where the box is open or not known. [ratio]"""
    box = supply.enclosure
    if box is None or not box.gas_tight or not bank.chemistry.is_lead or not supply.has_charger:
        return None
    charge_ah = _gas_a(supply, bank) * HOURS_PER_DAY
    return HYDROGEN_M3_PER_AH * charge_ah * bank.cells_in_series_count / box.volume_m3


def _gas_a(supply: Supply, bank: Bank) -> float:
    """Return the current that makes gas. [A]"""
    per_ah = GAS_BOOST_A_PER_AH if supply.charging is ChargeMode.CYCLIC else GAS_FLOAT_A_PER_AH
    return per_ah * bank.rated_c20_ah


def _ventilation(supply: Supply, bank: Bank, _: Facts) -> Iterator[Finding]:
    if not bank.chemistry.is_lead:
        return
    ratio = gas_tight_hydrogen_ratio(supply, bank)
    source = "EN 62485-2: check the edition in force where you work"
    if ratio is not None and ratio > EXPLOSIVE_RATIO:
        volume_m3 = supply.enclosure.volume_m3 if supply.enclosure else 0.0
        yield Finding(
            code="ventilation",
            severity=Severity.DANGER,
            evidence=f"Charging lead gives off hydrogen. In a gas-tight box of {plain_number(volume_m3 * 1000)} l it reaches {say_percent(ratio)} in a day; "
            f"from {say_percent(EXPLOSIVE_RATIO)} on it can explode.",
            source=source,
            way_out="Open the box to the air, or take the battery out of it. Keep sparks away until it has been aired.",
        )
        return
    if bank.rated_c20_ah <= VENTILATED_FROM_AH:
        return
    # Q = 0.05·n·I_gas·C·10⁻³ and openings of 28 cm² per m³/h, both of EN 62485-2.
    air_m3_per_h = 0.05 * bank.cells_in_series_count * 1000 * _gas_a(supply, bank) * 1e-3
    yield Finding(
        code="ventilation",
        severity=Severity.NOTE,
        evidence=f"Charging {say_amp_hours(bank.rated_c20_ah)} of lead gives off hydrogen. The place needs {plain_number(air_m3_per_h * 1000, 2)} l of fresh air an hour, "
        f"through openings of at least {plain_number(28 * air_m3_per_h, 2)} cm² below and above.",
        source=source,
        way_out="Check that the box or cupboard has such openings, and that nothing in it sparks.",
    )


def _outside_table(supply: Supply, bank: Bank, _: Facts) -> Iterator[Finding]:
    chemistry = bank.chemistry
    # Whoever enters a typical below the lowest has said how cold it gets, in the wrong field.
    coldest_degc = min(supply.min_degc, supply.typical_degc)
    for code, degc, is_outside, word, limit_degc in (
        ("too_cold", coldest_degc, coldest_degc < chemistry.lowest_degc, "down", chemistry.lowest_degc),
        ("too_hot", supply.hottest_degc, supply.hottest_degc > chemistry.highest_degc, "up", chemistry.highest_degc),
    ):
        if is_outside:
            yield Finding(
                code=code,
                severity=Severity.FAILS,
                evidence=f"It gets {word} to {plain_number(degc)} °C at {supply.name}. What {chemistry.name} does beyond {plain_number(limit_degc)} °C is not known, so no hours are named.",
                source=f"temperature table of {chemistry.name}",
                way_out="Keep the battery in a place within its limits, or fit a kind that is made for this one.",
            )


def _short_life(supply: Supply, bank: Bank, _: Facts) -> Iterator[Finding]:
    life_y, design_y = bank.design_life_y(supply.typical_degc), bank.design_life_y(0.0)
    if life_y >= LIFE_SHORT_RATIO * design_y:
        return
    yield Finding(
        code="life_shortened_by_heat",
        severity=Severity.RISK,
        evidence=f"At {plain_number(supply.typical_degc)} °C this battery lasts about {say_years(life_y)}, not {say_years(design_y)}.",
        source="life at 20 to 25 °C, halved by every 10 °C above 25 °C",
        way_out="Put it in a cooler place, or plan to renew it by then.",
    )


def cell_limits_a(bank: Bank) -> tuple[float | None, float | None]:
    """Return the greatest current a bank gives on average and for a burst; None where it has no such limit. [A]

    What its protection states; for lithium without that one hour's rate, and two for a burst; a primary cell's by its size.
    """
    if bank.bms is not None and bank.bms.limit_a is not None:
        return bank.bms.limit_a, bank.bms.limit_a
    if bank.chemistry.is_primary:
        size = size_of(bank.chemistry_key, bank.block_v, bank.capacity_ah)
        return None, None if size is None else size.greatest_current_a * bank.parallel
    if bank.chemistry.is_rechargeable_lithium:
        return CONTINUOUS_PER_H * bank.rated_c20_ah, BURST_PER_H * bank.rated_c20_ah
    return None, None


def _current(facts: Facts, bank: Bank) -> Iterator[Finding]:
    """Yield currents above what the battery's protection, its cells, or a lithium cell without protection lets through."""
    if facts.case is None:
        return
    # What a protection does for good and what it lets through for seconds are two limits; the lasting one is told first.
    mean_limit_a, peak_limit_a = cell_limits_a(bank)
    mean_a = max(facts.result.standby_current_a or 0.0, facts.result.alarm_current_a or 0.0)
    peak_a = max(facts.peak_standby_current_a, facts.peak_alarm_current_a)
    stated = bank.bms is not None and bank.bms.limit_a is not None
    above_mean = mean_limit_a is not None and mean_a > mean_limit_a * (1 + 1e-9)
    asked_a, allowed_a = (mean_a, mean_limit_a) if above_mean else (peak_a, peak_limit_a)
    if allowed_a is None or asked_a <= allowed_a * (1 + 1e-9):
        return
    asks = f"{facts.supply.name} asks for up to {say_amps(asked_a)}."
    way_out = "Fit a larger battery or one with a stronger protection, or enter the limit of the one that is there."
    if stated:
        gives, source = (
            f"The battery's own protection opens at {say_amps(allowed_a)}, and then everything goes dark at once.",
            "the limit stated for it",
        )
    elif bank.chemistry.is_primary:
        size = size_of(bank.chemistry_key, bank.block_v, bank.capacity_ah)
        name = f"{_strings_of(bank)} of {size.name if size else ''} {bank.chemistry.name}"
        gives = f"{name[0].upper()}{name[1:]} {'gives' if bank.parallel == 1 else 'give'} about {say_amps(allowed_a)} at most."
        source = "rough greatest current of the size [L]: check the cell's own data sheet"
        way_out = "Take a larger or spiral-wound cell, or put a capacitor beside it for the bursts."
    else:
        lasting = "" if above_mean else ", even for a burst"
        gives = f"The protection of such a battery often opens at {say_amps(allowed_a)}{lasting}, and then everything goes dark at once."
        source = "one hour's rate for lithium without a stated limit, two for a burst"
    yield Finding(code="current_above_cell", severity=Severity.FAILS, evidence=f"{asks} {gives}", source=source, way_out=way_out)


def _past_age(facts: Facts, bank: Bank) -> Iterator[Finding]:
    life_y = bank.design_life_y(facts.supply.typical_degc)
    # A measurement counts more than a birthday, so either is enough.
    worn = bank.condition_ratio is not None and bank.condition_ratio < facts.requirement.end_of_life_ratio
    if bank.age_y < life_y and not worn:
        return
    if bank.age_y >= life_y:
        evidence = f"The battery of {facts.supply.name} is {say_years(bank.age_y)} old. At {facts.supply.typical_degc:g} °C this kind lasts about {say_years(life_y)}."
    else:
        evidence = f"The battery of {facts.supply.name} was measured at {say_percent(bank.condition_ratio or 0)} of its rated capacity."
    yield Finding(
        code="bank_past_age",
        severity=Severity.RISK,
        evidence=evidence,
        source="life at 20 to 25 °C, halved by every 10 °C above 25 °C; end of life at 80 % of rated capacity",
        way_out="Renew the battery, all blocks of the bank together.",
    )


def _beyond_life(facts: Facts, bank: Bank) -> Iterator[Finding]:
    """Yield that a battery is asked to hold beyond its shelf or design life, or that its hours reach beyond it."""
    held_h = facts.result.holdover.expected if facts.result.holdover else None
    life_y = bank.design_life_y(facts.supply.typical_degc)
    left_y = max(0.0, life_y - bank.age_y)
    left_h, required_h = left_y * HOURS_PER_DAY * DAYS_PER_YEAR, facts.requirement.standby_h
    if held_h is None or held_h <= left_h or bank.age_y >= life_y:
        return
    kind = "shelf life" if bank.chemistry.is_primary else "design life"
    asked = required_h > left_h
    yield Finding(
        code=BEYOND_SHELF_LIFE,
        # Where no more is required than the battery lives, what it would hold beyond that only tells.
        severity=Severity.RISK if asked else Severity.NOTE,
        evidence=f"{facts.supply.name}: the calculation gives {say_hours(held_h)}. The {kind} of the battery ends after {say_years(left_y)} "
        f"at {plain_number(facts.supply.typical_degc)} °C. Count on no more than that.",
        source=f"{kind} of {bank.chemistry.name}, halved by every 10 °C above 25 °C [M]",
        way_out="Replace the battery before then" + (", or fit one that lives as long as is required." if asked else "."),
    )


def _never_recharged(facts: Facts, bank: Bank) -> Iterator[Finding]:
    """Yield lead that nothing charges for longer than it bears without sulphating."""
    if not bank.chemistry.is_lead or facts.supply.charge_limit_a != 0:
        return
    degc = facts.supply.typical_degc
    months = UNCHARGED_MONTHS * 2.0 ** (-(degc - SHELF_DEGC) / 10.0)
    if facts.requirement.standby_h <= months * HOURS_PER_MONTH:
        return
    yield Finding(
        code="lead_not_recharged",
        severity=Severity.FAILS,
        evidence=f"{facts.supply.name}: nothing charges its lead battery, and {say_required_h(facts.requirement.standby_h)} are required. "
        f"Lead that is not charged for more than {plain_number(months, 2)} months at {plain_number(degc)} °C sulphates and loses its capacity for ever.",
        source="6 months at 25 °C without charge, halved by every 10 °C, common practice [M]",
        way_out="Charge the battery at least that often, or fit cells made for such a time.",
    )


def _primary(facts: Facts, bank: Bank) -> Iterator[Finding]:
    """Yield what is said of primary cells: their hard limit of current, their film, and sizes nobody sells."""
    if not bank.chemistry.is_primary:
        return
    peak_a = max(facts.peak_standby_current_a, facts.peak_alarm_current_a)
    size = size_of(bank.chemistry_key, bank.block_v, bank.capacity_ah)
    if size is None:
        yield Finding(
            code="cell_size_unknown",
            severity=Severity.NOTE,
            evidence=f"{bank.block_v:g} V {bank.capacity_ah:g} Ah is no common size of {bank.chemistry.name} cell. The hours of primary cells do not simply grow with their size.",
            source="sizes of primary cells",
            way_out="Enter the cell's discharge table, so that its own figures are used.",
        )
    if bank.chemistry.is_passivated:
        yield Finding(
            code="voltage_delay",
            severity=Severity.RISK if any(load.bursts for load in facts.loads) else Severity.NOTE,
            evidence=f"{bank.chemistry.name.capitalize()} cells build up a film while they rest. After months the first {say_amps(peak_a)} may dip for seconds "
            "below what the equipment needs, most of all in the cold. No figure here shows that dip.",
            source="passivation of lithium thionyl chloride",
            way_out="Draw a small current now and then, put a capacitor across the pack, and test with the equipment after a rest.",
        )


def _strings_of(bank: Bank) -> str:
    return "one string" if bank.parallel == 1 else f"{bank.parallel} strings"


def _fast_in_the_cold(facts: Facts, bank: Bank) -> Iterator[Finding]:
    """Yield that no figure deserves trust where a strong current meets the cold: cells of one kind differ by a factor of three there."""
    result, supply = facts.result, facts.supply
    if supply.min_degc >= 0 or result.holdover is None or bank.chemistry.is_primary:
        return
    states = [("In standby", result.standby_current_a)]
    if supply.requirement.alarm_h > 0:
        states.append(("In alarm", result.alarm_current_a))
    # Either alone is known well enough: slow in the cold, or fast in the warm.
    limit_a = COLD_RATE_PER_H * bank.rated_c20_ah
    strong = [(words, current_a) for words, current_a in states if current_a is not None and current_a > limit_a * (1 + 1e-9)]
    if not strong:
        return
    words, current_a = max(strong, key=lambda state: state[1] or 0.0)
    yield Finding(
        code="cold_and_fast",
        severity=Severity.NOTE,
        evidence=f"It gets down to {plain_number(supply.min_degc)} °C at {supply.name}. {words} it draws {say_amps(current_a or 0.0)}, more than a fifth of "
        f"its {say_amp_hours(bank.rated_c20_ah)} in an hour. Batteries of one kind then differ by a factor of three, so do not trust the hours shown for the cold.",
        source="strong discharge below 0 °C, physics of cells of one kind against each other",
        way_out="Test it in the cold, keep the battery above 0 °C, or fit one so large that the current is under a fifth of it.",
    )


def _suspect_rows(facts: Facts, bank: Bank) -> Iterator[Finding]:
    """Yield rows of a discharge table that do not go with the others."""
    if bank.table_fit is None or not bank.table_fit.suspects:
        return
    rows = " ".join(say_suspect_row(r) for r in bank.table_fit.suspects[:3])
    yield Finding(
        code="table_row_suspect",
        severity=Severity.NOTE,
        evidence=f"In the discharge table of {facts.supply.name}'s battery: {rows}",
        source="refit of the table, robust against single rows",
        way_out="Look at the row again: a slip of unit, another end voltage, or a typing error.",
    )
