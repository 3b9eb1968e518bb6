"""How to set up a charger: which voltage at which terminals, step by step, and what a reading says of it.

A blocking diode takes its drop at the tail current, which is what counts near full, and not the larger one at full current. What must not be
done at all is refused with the reason, and no figure is named for it.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import StrEnum

from ypomoni.core.chemistries.cells import head_at_v
from ypomoni.core.evaluation.recommending import BOOST_V
from ypomoni.core.judgement.bank import say_mismatch
from ypomoni.core.judgement.charging import (
    FLOAT_USUAL_V,
    HOT_CHARGE_DEGC,
    MOVES_FROM_DEGC,
    MOVES_TO_DEGC,
    REFERENCE_DEGC,
    TOLERANCE_V,
    dangerous_from_v,
)
from ypomoni.core.telling.wording import plain_number, say_amps, say_percent, say_volts
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.supplies import ChargeMode, Supply


class Diode(StrEnum):
    """What keeps current from flowing back from battery to charger."""

    NONE = "none"
    SILICON = "silicon"
    SCHOTTKY = "schottky"
    IDEAL = "ideal"


class ChargerMake(StrEnum):
    """What the charger is made from: a switching one needs its input above what it gives, a finished one does not say."""

    FINISHED = "finished"
    BUCK = "buck"
    LINEAR = "linear"


@dataclass(frozen=True, slots=True, kw_only=True)
class DiodeDrop:
    """What a diode drops at the tail of a charge and at full current. [V]"""

    tail_low_v: float
    tail_high_v: float
    full_low_v: float
    full_high_v: float

    @property
    def tail_v(self) -> float:
        """What is reckoned with: the middle of what it drops at the tail. [V]"""
        return 0.5 * (self.tail_low_v + self.tail_high_v)


# At no more than a hundredth of the capacity, and about 0.2 V more at full current. [M]
DROPS = {
    Diode.NONE: DiodeDrop(tail_low_v=0.0, tail_high_v=0.0, full_low_v=0.0, full_high_v=0.0),
    Diode.SILICON: DiodeDrop(tail_low_v=0.40, tail_high_v=0.55, full_low_v=0.60, full_high_v=0.80),
    Diode.SCHOTTKY: DiodeDrop(tail_low_v=0.15, tail_high_v=0.25, full_low_v=0.35, full_high_v=0.45),
    Diode.IDEAL: DiodeDrop(tail_low_v=0.0, tail_high_v=0.03, full_low_v=0.02, full_high_v=0.05),
}
# What lead's voltage moves by, held for good and ended by time or current. [V a cell and °C]
FLOAT_PER_DEGC_V, CYCLIC_PER_DEGC_V = -0.003, -0.0045
# How near a setting must be. [V a cell, M]
NEAR_V = {"lead_agm": 0.010, "lead_gel": 0.010, "lifepo4": 0.020, "li_ion": 0.010}
NEAR_CURRENT_RATIO = 0.10
# What a converter needs above what it gives, if its sheet does not say. [V, L]
DROPOUT_V = {ChargerMake.BUCK: 1.5, ChargerMake.LINEAR: 2.5}
TAIL_PER_H = 0.01
NICKEL_TIMED_PER_H = 0.1
NICKEL_HEADROOM_V = 1.6


@dataclass(frozen=True, slots=True, kw_only=True)
class SetUp:
    """What is known on the day: the temperature, the diode and its drop at the tail if that was measured, the source, and the greatest currents.

    ``shorting_allowed``: whether the charger's maker allows its current limit to be set into a short. [°C, V, A]
    """

    day_degc: float
    diode: Diode = Diode.NONE
    tail_v: float | None = None
    source: ChargerMake = ChargerMake.FINISHED
    dropout_v: float | None = None
    shorting_allowed: bool = False
    heat_limit_a: float | None = None

    @property
    def drop(self) -> DiodeDrop:
        """What its diode drops; as measured at the tail where it was."""
        usual = DROPS[self.diode]
        if self.tail_v is None or self.diode is Diode.NONE:
            return usual
        return DiodeDrop(tail_low_v=self.tail_v, tail_high_v=self.tail_v, full_low_v=usual.full_low_v, full_high_v=usual.full_high_v)


class StepKind(StrEnum):
    """What a step of a sheet asks for: to do something, or to read a figure."""

    DO = "do"
    SET_V = "set_v"
    SET_A = "set_a"
    INPUT_V = "input_v"
    POLARITY = "polarity_v"
    VERIFY_V = "verify_v"


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetStep:
    """One step of a sheet: what to do and where, the figure it must come to, and the caution that belongs here. [V or A]"""

    kind: StepKind
    title: str
    words: str
    target: float | None = None
    near: float | None = None
    unit: str = ""
    caution: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class SetUpSheet:
    """A set-up sheet. With ``refused`` it has no steps: what stands in the way is said instead. [V, A]"""

    refused: tuple[str, ...]
    steps: tuple[SheetStep, ...]
    battery_v: float | None
    set_v: float | None
    wrong_set_v: float | None
    limit_a: float | None
    told: tuple[str, ...] = ()


def set_for_degc(supply: Supply, set_up: SetUp) -> float:
    """Return the temperature a charger is set for: the day's, but the usual one where it is known not to follow the temperature. [°C]

    Set for a cold day, a charger that does not follow would overcharge all summer.
    """
    return supply.typical_degc if supply.charge_compensated is False else set_up.day_degc


def battery_target_v(supply: Supply, bank: Bank, degc: float) -> float | None:
    """Return the voltage that belongs at a bank's terminals at a temperature; None where it is charged by current. [V]

    Lead moves with the temperature from 0 to 40 °C. Lithium is filled, whatever the mode.
    """
    chemistry, is_float = bank.chemistry, supply.charging is ChargeMode.FLOAT
    cell_v = FLOAT_USUAL_V if chemistry.is_lead and is_float else BOOST_V.get(chemistry.key)
    if cell_v is None:
        return None
    if chemistry.is_lead:
        moved_degc = min(max(degc, MOVES_FROM_DEGC), MOVES_TO_DEGC) - REFERENCE_DEGC
        cell_v += (FLOAT_PER_DEGC_V if is_float else CYCLIC_PER_DEGC_V) * moved_degc
    return cell_v * bank.cells_in_series_count


def greatest_charge_a(supply: Supply, bank: Bank, set_up: SetUp) -> float:
    """Return the current limit to set: the smallest of what the battery takes, what the charger gives and what stays cool. [A]"""
    per_h = NICKEL_TIMED_PER_H if bank.chemistry.charges_at_constant_current else bank.chemistry.greatest_charge_per_h
    limits = [per_h * bank.rated_c20_ah, supply.charge_limit_a, set_up.heat_limit_a]
    if bank.bms is not None:
        limits.append(bank.bms.limit_a)
    return min(a for a in limits if a is not None and a > 0)


def sheet_of(supply: Supply, set_up: SetUp) -> SetUpSheet | None:
    """Return the set-up sheet of a supply's charger; None without a bank."""
    bank = supply.bank
    if bank is None:
        return None
    refused = tuple(_refusals(supply, bank, set_up))
    if refused:
        # A figure that stands on a refused sheet would be set: it names none.
        return SetUpSheet(refused=refused, steps=(), battery_v=None, set_v=None, wrong_set_v=None, limit_a=None)
    battery_v, limit_a = battery_target_v(supply, bank, set_for_degc(supply, set_up)), greatest_charge_a(supply, bank, set_up)
    if battery_v is None:
        return SetUpSheet(
            refused=(), steps=tuple(_nickel_steps(supply, bank, limit_a)), battery_v=None, set_v=None, wrong_set_v=None, limit_a=limit_a
        )
    drop = set_up.drop
    set_v = battery_v + drop.tail_v
    # What it would come to by the drop at full current, which is what a diode's data sheet gives: shown so that it is not set.
    wrong_v = battery_v + 0.5 * (drop.full_low_v + drop.full_high_v)
    return SetUpSheet(
        refused=(),
        steps=tuple(_steps(bank, set_up, battery_v, set_v, limit_a)),
        battery_v=battery_v,
        set_v=set_v,
        wrong_set_v=wrong_v if set_up.diode in (Diode.SILICON, Diode.SCHOTTKY) else None,
        limit_a=limit_a,
        told=tuple(_told(supply, bank, set_up, battery_v)),
    )


def _refusals(supply: Supply, bank: Bank, set_up: SetUp) -> Iterator[str]:
    """Yield why a charger must not be set up as it is."""
    chemistry = bank.chemistry
    if chemistry.is_primary:
        yield f"{chemistry.name[:1].upper()}{chemistry.name[1:]} cells are never charged: they leak, burst or burn."
        return
    # Blocks joined wrongly make every voltage of the sheet one for another bank.
    if not bank.suits(supply.nominal_v):
        yield f"First put right how the blocks are joined: {say_mismatch(supply, bank)}"
    if supply.current_limited is False:
        yield "This charger has no current limit. An empty battery takes whatever comes: leads and charger burn. Use one that limits its current."
    if chemistry.is_rechargeable_lithium:
        if set_up.diode in (Diode.SILICON, Diode.SCHOTTKY):
            yield (
                "Lithium is never charged behind a fixed diode. Its drop falls by about 0.2 V as the current does, and all of that lands on the cells. "
                "Use an ideal diode, or a charger that senses behind the diode."
            )
        if set_up.day_degc < 0 and not (bank.bms and bank.bms.charges_from_degc is not None and bank.bms.charges_from_degc >= 0):
            yield f"It is {plain_number(set_up.day_degc)} °C. Lithium that is charged below 0 °C can later catch fire. Warm it first."
        if set_up.day_degc > HOT_CHARGE_DEGC:
            yield f"It is {plain_number(set_up.day_degc)} °C. Lithium is not charged above {HOT_CHARGE_DEGC:g} °C."


def _told(supply: Supply, bank: Bank, set_up: SetUp, battery_v: float) -> Iterator[str]:
    drop = set_up.drop
    if set_up.diode in (Diode.SILICON, Diode.SCHOTTKY):
        tail = (
            f"{plain_number(drop.tail_low_v)} to {plain_number(drop.tail_high_v)} V"
            if drop.tail_low_v < drop.tail_high_v
            else say_volts(drop.tail_v)
        )
        full = f"{plain_number(drop.full_low_v)} to {plain_number(drop.full_high_v)} V"
        wrong_v = 0.5 * (drop.full_low_v + drop.full_high_v) - drop.tail_v
        yield (
            f"Near full the diode drops {tail}: that counts. At full current it drops {full}: that misleads. "
            f"Set by it, the battery would stand {say_volts(wrong_v)} too high for good."
        )
    if bank.chemistry.is_lead and supply.charge_compensated is False:
        yield f"This charger does not follow the temperature, so {say_volts(battery_v)} is set for the usual {plain_number(supply.typical_degc)} °C and not for today's."
    elif bank.chemistry.is_lead:
        yield f"{say_volts(battery_v)} belongs to {plain_number(set_up.day_degc)} °C. The cold asks for more, heat for less."
    # Filled and held it stays at the top of its curve, where it ages; a little below it is as good as full.
    if bank.chemistry_key == "lifepo4" and supply.charging is ChargeMode.FLOAT:
        yield f"Held at {say_volts(battery_v)} for good it ages a little faster. Let the charger end the charge, or go back to {say_volts(3.40 * bank.cells_in_series_count)} once it is full."
    if supply.charge_v is not None and abs(supply.charge_v - battery_v) > NEAR_V[bank.chemistry_key] * bank.cells_in_series_count:
        yield f"The plan says {say_volts(supply.charge_v)}. Once this is set, enter it in the plan, so that its hours go by it."


LEAVE = "Warn the monitoring centre first. Mains side only by who is licensed for it; local codes come first."
BURNS = "A battery's short burns: insulated tools, rings off, eyes covered."


def _steps(bank: Bank, set_up: SetUp, battery_v: float, set_v: float, limit_a: float) -> Iterator[SheetStep]:
    near_v = NEAR_V[bank.chemistry_key] * bank.cells_in_series_count
    behind = " before the diode" if set_up.diode is not Diode.NONE else ""
    yield SheetStep(
        kind=StepKind.DO,
        title="Take the battery and the loads off the charger",
        words="Isolator open, or the main fuse out. Set with a battery on it, a charger shows the battery's voltage and not its own.",
        caution=LEAVE,
    )
    if set_up.source is not ChargerMake.FINISHED:
        dropout_v = set_up.dropout_v if set_up.dropout_v is not None else DROPOUT_V[set_up.source]
        from_where = "its sheet" if set_up.dropout_v is not None else "rough, look at its sheet"
        yield SheetStep(
            kind=StepKind.INPUT_V,
            title="Read the input of the converter",
            words=f"It must be at least {say_volts(set_v + dropout_v)}: what it gives and {say_volts(dropout_v)} it needs itself ({from_where}).",
            target=set_v + dropout_v,
            unit="V",
        )
    yield SheetStep(
        kind=StepKind.SET_V,
        title=f"Set the voltage at the charger's output{behind}",
        words=f"Meter on DC volts, nothing else connected. Turn it to {say_volts(set_v)}, not more than {say_volts(near_v)} off.",
        target=set_v,
        near=near_v,
        unit="V",
    )
    how = (
        "Its maker allows it, so short its output through the meter's amp jack, for seconds only, and turn the limit."
        if set_up.shorting_allowed
        else "Load its output with a resistor or an electronic load until the voltage falls, and turn the limit. Never short a charger whose maker does not allow it."
    )
    yield SheetStep(
        kind=StepKind.SET_A,
        title="Set the current limit",
        words=f"{how} No more than {say_amps(limit_a)}: the smallest of what battery, charger and heat allow.",
        target=limit_a,
        near=NEAR_CURRENT_RATIO * limit_a,
        unit="A",
        caution="Lead in the amp jack. Put it back to the volt jack before you go on.",
    )
    yield SheetStep(
        kind=StepKind.POLARITY,
        title="Check plus and minus at the end of the battery lead",
        words="Red lead of the meter on plus. A minus sign means the lead is turned: stop.",
        target=battery_v,
        unit="V",
    )
    lithium = " Never without its own protection." if bank.chemistry.is_rechargeable_lithium else ""
    yield SheetStep(
        kind=StepKind.DO,
        title="Connect the battery",
        words=f"Isolator open or fuse out: plus, then minus. What closes the circuit comes last and away from the battery, since it can spark.{lithium}",
        caution=BURNS,
    )
    yield SheetStep(
        kind=StepKind.DO,
        title="Feel it after an hour",
        words="Charger and diode may be warm. What is too hot to touch is too hot: set the limit lower, or give it air.",
    )
    yield SheetStep(
        kind=StepKind.VERIFY_V,
        title="Check at the battery's terminals near the end of the charge",
        words=f"Once it takes less than {say_amps(TAIL_PER_H * bank.rated_c20_ah)}: {say_volts(battery_v)}, not more than {say_volts(near_v)} off. Until then the setting is provisional.",
        target=battery_v,
        near=near_v,
        unit="V",
    )


def _nickel_steps(supply: Supply, bank: Bank, limit_a: float) -> Iterator[SheetStep]:
    cells_count = bank.cells_in_series_count
    yield SheetStep(
        kind=StepKind.DO,
        title="Take the battery and the loads off the charger",
        words="Nickel is charged by current, for a time. No voltage ends it.",
        caution=LEAVE,
    )
    yield SheetStep(
        kind=StepKind.INPUT_V,
        title="Read what the charger can reach with nothing connected",
        words=f"It must be at least {say_volts(NICKEL_HEADROOM_V * cells_count)}, so that the current holds to the end.",
        target=NICKEL_HEADROOM_V * cells_count,
        unit="V",
    )
    is_float = supply.charging is ChargeMode.FLOAT
    # A thirtieth lies between the fortieth that keeps a cell full and the twentieth that it bears for good.
    target_a = bank.rated_c20_ah / 30.0 if is_float else limit_a
    time = (
        "It may stay on for good: between a fortieth and a twentieth of the capacity."
        if is_float
        else "For 14 to 16 h, then off, or down to a thirtieth of the capacity."
    )
    yield SheetStep(
        kind=StepKind.SET_A,
        title="Set the current",
        words=f"Through the meter into the battery: {say_amps(target_a)}. {time}",
        target=target_a,
        near=NEAR_CURRENT_RATIO * target_a,
        unit="A",
        caution="Lead in the amp jack. Put it back to the volt jack before you go on.",
    )
    yield SheetStep(
        kind=StepKind.POLARITY,
        title="Check plus and minus at the end of the battery lead",
        words="Red lead of the meter on plus. A minus sign means the lead is turned: stop.",
        target=NICKEL_HEADROOM_V * cells_count,
        unit="V",
    )
    yield SheetStep(
        kind=StepKind.DO, title="Connect the battery", words="Plus, then minus. What closes the circuit comes last.", caution=BURNS
    )


class Told(StrEnum):
    """What a reading comes to."""

    RIGHT = "right"
    OFF = "off"
    STOP = "stop"


@dataclass(frozen=True, slots=True, kw_only=True)
class Judged:
    """What a reading of a step says, in words; ``told`` STOP: nothing is connected before it is put right."""

    told: Told
    words: str


def judge_reading(supply: Supply, set_up: SetUp, kind: StepKind, value: float) -> Judged:
    """Return what a reading of a step says of a supply's charger: right, off, or to stop. It is judged whether or not a sheet is given. [V or A]

    Raises
    ------
    ValueError
        If the supply has no bank, or a step of that kind has no figure.
    """
    bank = supply.bank
    if bank is None or kind is StepKind.DO:
        raise ValueError("nothing is read there")
    if kind is StepKind.POLARITY:
        if value < 0:
            return Judged(told=Told.STOP, words=f"{say_volts(value)}: plus and minus are the wrong way round. Do not connect the battery.")
        return Judged(told=Told.RIGHT, words="Plus is plus.")
    if kind is StepKind.SET_A:
        return _judge_current(supply, bank, set_up, value)
    if kind is StepKind.INPUT_V:
        return _judge_input(supply, bank, set_up, value)
    battery_v = battery_target_v(supply, bank, set_for_degc(supply, set_up))
    if battery_v is None:
        return Judged(told=Told.STOP, words="This battery is charged by current, for a time. No voltage is set for it.")
    return _judge_voltage(supply, bank, set_up, kind, value, battery_v)


def _behind(bank: Bank, diode: Diode, kind: StepKind) -> str:
    cells_count = bank.cells_in_series_count
    cells = "one" if cells_count == 1 else str(cells_count)
    word = f"{cells} {bank.chemistry.name} {'cell' if cells_count == 1 else 'cells'}"
    return (
        f"what {word} behind this diode {'needs' if cells_count == 1 else 'need'}"
        if kind is StepKind.SET_V and diode is not Diode.NONE
        else (f"what {word} {'needs' if cells_count == 1 else 'need'}")
    )


def _judge_voltage(supply: Supply, bank: Bank, set_up: SetUp, kind: StepKind, value: float, battery_v: float) -> Judged:
    cells_count, drop = bank.cells_in_series_count, set_up.drop
    before_v = drop.tail_v if kind is StepKind.SET_V else 0.0
    target_v = battery_v + before_v
    off_v = value - target_v
    said = f"{say_volts(value)} {'set' if kind is StepKind.SET_V else 'at the battery'}"
    # The least drop lets the most through.
    most_v = value - (drop.tail_low_v if kind is StepKind.SET_V else 0.0)
    needs = _behind(bank, set_up.diode, kind)
    if value <= 0:
        return Judged(told=Told.STOP, words=f"{say_volts(value)}: nothing, or the wrong way round. Look at the meter's leads first.")
    on_the_day = replace(supply, typical_degc=set_for_degc(supply, set_up), charge_compensated=False)
    # Judged at the temperature it is set for: what is right in the cold can be far too much in summer.
    if most_v / cells_count > dangerous_from_v(on_the_day, bank) + TOLERANCE_V:
        harm = "it can catch fire" if bank.chemistry.is_lithium else "it boils, gives off gas and can burst"
        return Judged(told=Told.STOP, words=f"{said}: {say_volts(off_v)} above {needs}: overcharges, {harm}. Do not connect the battery.")
    near_v = NEAR_V[bank.chemistry_key] * cells_count
    if off_v > near_v * (1 + 1e-9):
        return Judged(
            told=Told.STOP, words=f"{said}: {say_volts(off_v)} above {needs}: overcharges. Turn it down before you connect the battery."
        )
    if off_v < -near_v * (1 + 1e-9):
        # A charge stops where the resting cell stands at the set voltage: so much of it is filled.
        full = head_at_v(bank.cell.ocv_rows, max(0.0, value - before_v) / cells_count)
        share = f"it fills the battery to about {say_percent(full)} only" if full < 0.995 else "it fills the battery slowly, if at all"
        return Judged(told=Told.OFF, words=f"{said}: {say_volts(-off_v)} below {needs}: {share}. Turn it up.")
    return Judged(told=Told.RIGHT, words=f"{said}: right, {say_volts(target_v)} is asked for.")


def _judge_current(supply: Supply, bank: Bank, set_up: SetUp, value: float) -> Judged:
    limit_a = greatest_charge_a(supply, bank, set_up)
    if bank.chemistry.charges_at_constant_current and supply.charging is ChargeMode.FLOAT:
        # What stays on for good must be borne for good.
        limit_a = bank.rated_c20_ah / 20.0
    if value <= 0:
        return Judged(told=Told.STOP, words=f"{say_amps(value)}: nothing flows, or the meter is the wrong way round.")
    if value > limit_a * (1 + NEAR_CURRENT_RATIO):
        return Judged(
            told=Told.STOP,
            words=f"{say_amps(value)} is {say_amps(value - limit_a)} above {say_amps(limit_a)}, the smallest of what battery, charger and heat allow. Turn it down.",
        )
    # Too slow a charge hurts nobody, so it is right, and only told.
    if value < 0.5 * limit_a:
        return Judged(told=Told.RIGHT, words=f"{say_amps(value)} is safe; up to {say_amps(limit_a)} would charge it faster.")
    return Judged(told=Told.RIGHT, words=f"{say_amps(value)}: right, up to {say_amps(limit_a)} is allowed.")


def _judge_input(supply: Supply, bank: Bank, set_up: SetUp, value: float) -> Judged:
    battery_v = battery_target_v(supply, bank, set_for_degc(supply, set_up))
    if battery_v is None:
        least_v = NICKEL_HEADROOM_V * bank.cells_in_series_count
    else:
        own_v = set_up.dropout_v if set_up.dropout_v is not None else DROPOUT_V.get(set_up.source, 0.0)
        least_v = battery_v + set_up.drop.tail_v + own_v
    if value < least_v - 1e-9:
        return Judged(
            told=Told.OFF, words=f"{say_volts(value)} is {say_volts(least_v - value)} too little: the charger never reaches what is set."
        )
    return Judged(told=Told.RIGHT, words=f"{say_volts(value)} is enough; at least {say_volts(least_v)} is needed.")
