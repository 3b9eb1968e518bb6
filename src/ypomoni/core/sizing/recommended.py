"""The smallest bank that is sold and meets the prescribed method, the simulation and the recharge time."""

from dataclasses import dataclass, replace

from ypomoni.core.batteries import StockBlock, block_c20_ah
from ypomoni.core.case import Case
from ypomoni.core.recovery import simulate_recovery
from ypomoni.core.requirements import Method
from ypomoni.core.results import MethodResult, SoldBank
from ypomoni.core.sizing.sold_list import GREATEST_STRINGS_COUNT, SOLD_BLOCKS
from ypomoni.core.wording import say_amp_hours, say_amps, say_bank, say_hours_over, say_percent, say_required_h

SERIES_TOLERANCE_RATIO = 0.01


@dataclass(frozen=True, slots=True, kw_only=True)
class NoBank:
    """Why none is recommended."""

    reason: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Recommendation:
    """The smallest sold bank that does, and one of fewer, larger blocks where the smallest needs several."""

    bank: SoldBank
    fewer_blocks: SoldBank | None


def sold_banks(chemistry_key: str, bank_v: float, stock: tuple[StockBlock, ...] = ()) -> list[SoldBank]:
    """Return every bank of sold blocks with a nominal voltage, smallest first, fewest blocks first among equals.

    Where one's own stock has blocks of this chemistry, only those are offered.
    """
    own = [b for b in stock if b.chemistry_key == chemistry_key]
    blocks = own or [StockBlock(chemistry_key=chemistry_key, block_v=v, capacity_ah=ah) for v, ah in SOLD_BLOCKS.get(chemistry_key, ())]
    found: list[SoldBank] = []
    for block in blocks:
        series = round(bank_v / block.block_v)
        if series < 1 or abs(series * block.block_v - bank_v) > SERIES_TOLERANCE_RATIO * bank_v:
            continue
        found += [
            SoldBank(
                chemistry=chemistry_key,
                block_v=block.block_v,
                capacity_ah=block.capacity_ah,
                rate_h=block.rate_h,
                series=series,
                parallel=parallel,
            )
            for parallel in range(1, GREATEST_STRINGS_COUNT + 1)
        ]
    return sorted(found, key=lambda b: (round(c20_of(b), 6), b.series * b.parallel))


def c20_of(bank: SoldBank) -> float:
    """Return the 20-hour capacity of a bank of sold blocks. [Ah]"""
    return bank.parallel * block_c20_ah(bank.chemistry, bank.capacity_ah, bank.rate_h)


def recommend_bank(case: Case, methods: tuple[MethodResult, ...], charge_current_a: float | None) -> Recommendation | NoBank:
    """Return the smallest sold bank of the same chemistry and nominal voltage that satisfies all three conditions, or why there is none."""
    requirement = case.requirement
    required = {m.method: m.required_ah for m in methods}
    simulated_ah, prescribed_ah = required[Method.SIMULATION], required[requirement.method]
    if simulated_ah is None or prescribed_ah is None:
        return NoBank(
            reason=f"No capacity carries these loads down to {case.threshold.threshold_v:g} V, which {case.threshold.owner} needs: "
            "lower what the equipment needs, or raise the bank's voltage."
        )
    needed_ah = max(simulated_ah, prescribed_ah)
    banks = sold_banks(case.bank.chemistry_key, case.bank.bank_v, case.supply.stock)
    if not banks:
        return NoBank(
            reason=f"No {'sizes in stock' if case.supply.stock else 'sold sizes'} are listed for {case.bank.chemistry.name} at {case.bank.bank_v:g} V: {say_amp_hours(needed_ah)} would be needed."
        )
    enough = [b for b in banks if c20_of(b) >= needed_ah]
    if not enough:
        return NoBank(
            reason=f"{say_amp_hours(needed_ah)} would be needed, more than {GREATEST_STRINGS_COUNT} strings of the largest block sold: "
            "split the loads over more supplies."
        )
    too_slow = _too_slow(case, enough[0], charge_current_a)
    if too_slow:
        return NoBank(reason=too_slow)
    single = min(enough, key=lambda b: (b.series * b.parallel, b.capacity_ah))
    is_simpler = single.series * single.parallel < enough[0].series * enough[0].parallel
    return Recommendation(bank=enough[0], fewer_blocks=single if is_simpler and not _too_slow(case, single, charge_current_a) else None)


def _too_slow(case: Case, bank: SoldBank, charge_current_a: float | None) -> str | None:
    """Return why a bank is not recharged in time, or None."""
    requirement = case.requirement
    if requirement.recharge_h is None or case.bank.chemistry.is_primary:
        return None
    wanted = say_bank(bank.series, bank.parallel, bank.block_v, bank.capacity_ah)
    if charge_current_a is None:
        return f"{wanted} would carry it, but the charger is not known: enter its current, so that the recharge can be checked."
    hours_h = recovery_of(case, bank, charge_current_a)
    if hours_h is not None and hours_h <= requirement.recharge_h:
        return None
    took = f"only after {say_hours_over(hours_h, requirement.recharge_h)}" if hours_h is not None else "never"
    return (
        f"{wanted} would carry it, but the {say_amps(charge_current_a)} left for it beside the load bring it back to "
        f"{say_percent(requirement.recharge_to_ratio)} {took}, not within {say_required_h(requirement.recharge_h)}: "
        "fit a stronger supply or move loads."
    )


def recovery_of(case: Case, sold: SoldBank, charge_current_a: float) -> float | None:
    """Return the recovery of a new bank of sold blocks beside the standby load. [h]"""
    bank = replace(
        case.bank,
        block_v=sold.block_v,
        capacity_ah=sold.capacity_ah,
        rate_h=sold.rate_h,
        series=sold.series,
        parallel=sold.parallel,
        cells_count=None,
        resistance_ohm=None,
    )
    return simulate_recovery(
        bank,
        condition_ratio=1.0,
        temperature_degc=case.supply.typical_degc,
        current_a=charge_current_a,
        charge_v=case.supply.charge_v,
        to_ratio=case.requirement.recharge_to_ratio,
    ).recovery_h
