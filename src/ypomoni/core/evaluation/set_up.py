"""How to set up a charger: which voltage at which terminals, step by step, and what a reading says of it.

A blocking diode takes its drop at the tail current, which is what counts near full, and not the larger one at full current. What must not be
done at all is refused with the reason, and no figure is named for it.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import StrEnum

from ypomoni.core.chemistries.cells import head_at_v
from ypomoni.core.chemistries.charging import CHARGE_REFERENCE_DEGC, VoltageCharge
from ypomoni.core.judgement.bank import say_mismatch
from ypomoni.core.judgement.charging import TOLERANCE_V, dangerous_from_v
from ypomoni.core.outage.case import Case, end_threshold, has_known_currents
from ypomoni.core.telling.wording import plain_number, say_amps, say_amps_at_most, say_percent, say_volts, say_watts
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.charge_setting import fixed_target_v, greatest_charge_a, is_held, planned_bank_v, target_at_v
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import ChargeEnd, ChargeMode, Supply


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
# A measured tail drop within the first pair is taken as it is; above the last figure it is none of a tail. [V, M]
TAIL_LIMITS = {Diode.SILICON: (0.35, 0.60, 0.65), Diode.SCHOTTKY: (0.10, 0.30, 0.35)}
NEAR_CURRENT_RATIO = 0.10
# What a converter needs above what it gives, if its sheet does not say. [V, L]
DROPOUT_V = {ChargerMake.BUCK: 1.5, ChargerMake.LINEAR: 2.5}
TAIL_PER_H = 0.01


@dataclass(frozen=True, slots=True, kw_only=True)
class SetUp:
    """What is known on the day: the temperature, the diode and its drop at the tail if that was measured, the source, and the greatest currents.

    ``shorting_allowed``: whether the charger's maker allows its current limit to be set into a short. ``tail_confirmed``: an unusual drop was
    measured again. ``input_max_v`` is the highest voltage in front of a linear stage, ``heat_limit_w`` what that stage gets rid of.
    ``off_load_v`` is what the battery showed off load on the day. What is None is not known. [°C, V, A, W]
    """

    day_degc: float
    diode: Diode = Diode.NONE
    tail_v: float | None = None
    source: ChargerMake = ChargerMake.FINISHED
    dropout_v: float | None = None
    shorting_allowed: bool = False
    heat_limit_a: float | None = None
    tail_confirmed: bool = False
    input_max_v: float | None = None
    heat_limit_w: float | None = None
    off_load_v: float | None = None

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
    """A set-up sheet. With ``refused`` or ``asked`` it has no steps: what stands in the way, or must be known first, is said instead. [V, A, W]

    ``battery_v`` is what the battery must read at the day's temperature, ``plan_v`` what goes into the plan: of a charger that follows the
    temperature the 25 °C value. ``heat_w`` is what a linear stage turns into heat at most.
    """

    refused: tuple[str, ...]
    steps: tuple[SheetStep, ...]
    battery_v: float | None
    set_v: float | None
    wrong_set_v: float | None
    limit_a: float | None
    told: tuple[str, ...] = ()
    asked: tuple[str, ...] = ()
    plan_v: float | None = None
    heat_w: float | None = None


def battery_target_v(supply: Supply, bank: Bank, day_degc: float) -> float | None:
    """Return the voltage that belongs at a bank's terminals on the day; None where it is charged by current. [V, °C]

    A charger that follows the temperature is read at the day's. Any other, and one of which that is not known, is set for the typical
    temperature: set for a cold day it would overcharge all summer.
    """
    by = bank.chemistry.by_voltage
    if by is None:
        return None
    cell_v = target_at_v(supply, by, day_degc) if supply.charge_compensated is True else fixed_target_v(supply, by)
    return cell_v * bank.cells_in_series_count


def sheet_limit_a(supply: Supply, bank: Bank, set_up: SetUp) -> float:
    """Return the current limit to set: the smallest of what the battery takes, cold included, what the charger gives and what stays cool. [A]"""
    limits = [min(greatest_charge_a(supply, bank), greatest_charge_a(supply, bank, set_up.day_degc)), supply.charge_limit_a]
    limits += [set_up.heat_limit_a, _cool_limit_a(supply, bank, set_up)]
    if bank.chemistry.by_current is not None:
        limits.append(bank.chemistry.by_current.timed_per_h * bank.rated_c20_ah)
    if bank.bms is not None:
        limits.append(bank.bms.limit_a)
    return min(a for a in limits if a is not None and a > 0)


def _ends_at_v(supply: Supply, bank: Bank) -> float:
    """Return the lowest voltage of a bank at which its charge begins. [V]"""
    return end_threshold(supply, (), bank).threshold_v


def _cool_limit_a(supply: Supply, bank: Bank, set_up: SetUp) -> float | None:
    """Return the charge current at which a linear stage gives off no more heat than it may; None where that is not known. [A]"""
    if set_up.source is not ChargerMake.LINEAR or set_up.input_max_v is None or set_up.heat_limit_w is None:
        return None
    over_v = set_up.input_max_v - _ends_at_v(supply, bank)
    return set_up.heat_limit_w / over_v if over_v > 0 else None


def heat_of(supply: Supply, loads: tuple[Load, ...], set_up: SetUp, charge_a: float, set_v: float) -> float | None:
    """Return the greatest heat of a linear stage: charging an empty battery, or carrying the loads with the battery full; None: not known. [W]

    Loads draw what they do with mains on, at the set voltage, bursts included.
    """
    bank = supply.bank
    if bank is None or set_up.source is not ChargerMake.LINEAR or set_up.input_max_v is None:
        return None
    empty_w = (set_up.input_max_v - _ends_at_v(supply, bank)) * charge_a
    if not has_known_currents(supply, loads):
        return max(0.0, empty_w)
    mean_a = Case(supply, loads).mean_draw(in_alarm=False).at_nominal_a(set_v)
    full_w = (set_up.input_max_v - set_v) * (mean_a + TAIL_PER_H * bank.rated_c20_ah)
    return max(0.0, empty_w, full_w)


def sheet_of(supply: Supply, set_up: SetUp, loads: tuple[Load, ...] = ()) -> SetUpSheet | None:
    """Return the set-up sheet of a supply's charger with the loads behind it; None without a bank."""
    bank = supply.bank
    if bank is None:
        return None
    nothing = SetUpSheet(refused=(), steps=(), battery_v=None, set_v=None, wrong_set_v=None, limit_a=None)
    refused, asked = tuple(_refusals(supply, bank, set_up)), tuple(_questions(bank, set_up))
    if refused or asked:
        # A figure that stands on a refused sheet would be set: it names none.
        return replace(nothing, refused=refused, asked=() if refused else asked)
    battery_v, limit_a = battery_target_v(supply, bank, set_up.day_degc), sheet_limit_a(supply, bank, set_up)
    if battery_v is None:
        return replace(nothing, steps=tuple(_current_steps(supply, bank, limit_a)), limit_a=limit_a)
    drop = set_up.drop
    set_v = battery_v + drop.tail_v
    heat_w = heat_of(supply, loads, set_up, limit_a, battery_v)
    if heat_w is not None and set_up.heat_limit_w is not None and heat_w > set_up.heat_limit_w * (1 + 1e-9):
        return replace(nothing, refused=(_too_hot(heat_w, set_up.heat_limit_w),), heat_w=heat_w)
    # What it would come to by the drop at full current, which is what a diode's data sheet gives: shown so that it is not set.
    wrong_v = battery_v + 0.5 * (drop.full_low_v + drop.full_high_v)
    return SetUpSheet(
        refused=(),
        steps=tuple(_steps(supply, bank, set_up, battery_v, set_v, limit_a)),
        battery_v=battery_v,
        set_v=set_v,
        wrong_set_v=wrong_v if set_up.diode in (Diode.SILICON, Diode.SCHOTTKY) else None,
        limit_a=limit_a,
        told=tuple(_told(supply, bank, set_up, battery_v, heat_w)),
        plan_v=planned_bank_v(supply, bank),
        heat_w=heat_w,
    )


def _too_hot(heat_w: float, limit_w: float) -> str:
    return (
        f"The linear stage turns {say_watts(heat_w)} into heat ({say_watts(limit_w)} allowed). "
        "Lower its input voltage, give it a larger heat sink, or use a switching charger."
    )


def _questions(bank: Bank, set_up: SetUp) -> Iterator[str]:
    """Yield what must be known before a charger is set up."""
    limits = TAIL_LIMITS.get(set_up.diode)
    if limits is not None and set_up.tail_v is not None and not set_up.tail_confirmed and not limits[0] <= set_up.tail_v <= limits[1]:
        yield (
            f"A tail drop of {say_volts(set_up.tail_v)} is unusual for this diode: {plain_number(limits[0])} to {plain_number(limits[1])} V are. "
            f"Measure the drop again with no more than {say_amps(TAIL_PER_H * bank.rated_c20_ah)} flowing, then confirm it."
        )
    if set_up.source is ChargerMake.LINEAR and set_up.input_max_v is None and not bank.chemistry.charges_at_constant_current:
        yield "Enter the highest input voltage of the linear stage. Without it, the heat of the stage cannot be calculated."
    charging = bank.chemistry.charging
    if charging is not None and charging.frozen_rows and set_up.off_load_v is None and set_up.day_degc < charging.frozen_rows[0][0]:
        yield (
            f"At {plain_number(set_up.day_degc)} °C a discharged battery may be frozen. "
            "Enter the battery's voltage off load. Do not charge the battery before that."
        )


def _refusals(supply: Supply, bank: Bank, set_up: SetUp) -> Iterator[str]:
    """Yield why a charger must not be set up as it is."""
    chemistry, charging = bank.chemistry, bank.chemistry.charging
    if charging is None:
        yield f"{chemistry.name[:1].upper()}{chemistry.name[1:]} cells are never charged: they leak, burst or burn."
        return
    # Blocks joined wrongly make every voltage of the sheet one for another bank.
    if not bank.suits(supply.nominal_v):
        yield f"First put right how the blocks are joined: {say_mismatch(supply, bank)}"
    if supply.current_limited is False:
        yield "This charger has no current limit. An empty battery takes whatever comes: leads and charger burn. Use one that limits its current."
    limits = TAIL_LIMITS.get(set_up.diode)
    if limits is not None and set_up.tail_v is not None and set_up.tail_v > limits[2]:
        yield (
            f"{say_volts(set_up.tail_v)} is no tail drop of this diode. The drop was measured at too much current, or the diode is too small. "
            "Use a charger that senses behind the diode, or measure again near the end of the charge."
        )
    if charging.needs_current_limit and set_up.diode in (Diode.SILICON, Diode.SCHOTTKY):
        yield (
            "Lithium is never charged behind a fixed diode. Its drop falls by about 0.2 V as the current does, and all of that lands on the cells. "
            "Use an ideal diode, or a charger that senses behind the diode."
        )
    blocks_to_degc = bank.bms.charges_from_degc if bank.bms else None
    from_degc = charging.from_degc
    if from_degc is not None and set_up.day_degc < from_degc and (blocks_to_degc is None or blocks_to_degc < from_degc):
        yield f"It is {plain_number(set_up.day_degc)} °C. Lithium that is charged below {from_degc:g} °C can later catch fire. Warm it first."
    if charging.to_degc is not None and set_up.day_degc > charging.to_degc:
        yield f"It is {plain_number(set_up.day_degc)} °C. Lithium is not charged above {charging.to_degc:g} °C."
    yield from _frozen(bank, set_up)


def _frozen(bank: Bank, set_up: SetUp) -> Iterator[str]:
    rows = bank.chemistry.charging.frozen_rows if bank.chemistry.charging else None
    if not rows or set_up.off_load_v is None:
        return
    cell_v = set_up.off_load_v / bank.cells_in_series_count
    under_v = max((v for degc, v in rows if set_up.day_degc < degc), default=None)
    if under_v is not None and cell_v < under_v:
        yield (
            f"The battery may be frozen: {say_volts(set_up.off_load_v)} off load at {plain_number(set_up.day_degc)} °C "
            f"({plain_number(under_v * bank.cells_in_series_count, 4)} V minimum). A frozen battery can burst when it is charged. "
            "Warm the battery slowly, look for cracks, then measure again."
        )


def _told(supply: Supply, bank: Bank, set_up: SetUp, battery_v: float, heat_w: float | None) -> Iterator[str]:
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
    by, cells_count = bank.chemistry.by_voltage, bank.cells_in_series_count
    plan_v = planned_bank_v(supply, bank)
    if by is not None and by.moves_degc is not None:
        yield from _told_of_temperature(supply, by, set_up, battery_v, plan_v or battery_v)
    # Filled and held it stays at the top of its curve, where it ages; a little below it is as good as full.
    if by is not None and by.returns_to_v is not None and is_held(supply):
        yield f"Held at {say_volts(battery_v)} for good it ages a little faster. Let the charger end the charge, or go back to {say_volts(by.returns_to_v * cells_count)} once it is full."
    if heat_w is not None and set_up.heat_limit_w is None:
        yield f"The linear stage turns up to {say_watts(heat_w)} into heat. Whether it can is not checked: enter what its heat sink allows."
    near_v = (by.near_v if by else 0.0) * cells_count
    if supply.charge_v is not None and plan_v is not None and abs(supply.charge_v - plan_v) > near_v:
        yield f"The plan says {say_volts(supply.charge_v)}. Once this is set, enter {say_volts(plan_v)} in the plan, so that its hours go by it."


def _told_of_temperature(supply: Supply, by: VoltageCharge, set_up: SetUp, battery_v: float, plan_v: float) -> Iterator[str]:
    if supply.charge_compensated is True:
        yield (
            f"Two figures: {say_volts(battery_v)} is what the battery must read today at {plain_number(set_up.day_degc)} °C. "
            f"{say_volts(plan_v)} is the value at {CHARGE_REFERENCE_DEGC:g} °C: enter that one in the plan."
        )
        return
    why = "does not follow the temperature" if supply.charge_compensated is False else "may not follow the temperature: that is not entered"
    degc = f"{plain_number(supply.typical_degc)} °C"
    usual_v = target_at_v(supply, by, supply.typical_degc)
    lowered = " A warm day would make more harmful, so it is set lower." if fixed_target_v(supply, by) < usual_v - 1e-9 else ""
    yield f"This charger {why}. {say_volts(battery_v)} is set for the typical {degc}, not for today's temperature.{lowered}"


LEAVE = "Warn the monitoring centre first. Mains side only by who is licensed for it; local codes come first."
BURNS = "A battery's short burns: insulated tools, rings off, eyes covered."


ENDED_BY = {
    ChargeEnd.CURRENT: "The charge current ends it: see the charger switch off, or fall back, once the current is small.",
    ChargeEnd.TIME: "A timer ends it: set the timer, and see it switch off.",
    ChargeEnd.FLOAT_STAGE: "The charger ends it by its float stage: see it fall back once the current is small.",
    None: "What ends this charge is not entered. Find out: a current, a time, or a float stage. If nothing ends it, set the float voltage instead.",
}


def _steps(supply: Supply, bank: Bank, set_up: SetUp, battery_v: float, set_v: float, limit_a: float) -> Iterator[SheetStep]:
    by = bank.chemistry.by_voltage
    near_v = (by.near_v if by else 0.0) * bank.cells_in_series_count
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
        words=f"{how} No more than {say_amps_at_most(limit_a)}: the smallest of what battery, charger and heat allow.",
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
    if by is not None and by.must_end and supply.charging is ChargeMode.CYCLIC and not supply.of_kind.is_cycled:
        yield SheetStep(
            kind=StepKind.DO,
            title="Check what ends the charge",
            words=ENDED_BY[supply.charge_ends],
            caution="A cyclic voltage that nothing ends dries the battery out.",
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


def _current_steps(supply: Supply, bank: Bank, limit_a: float) -> Iterator[SheetStep]:
    """Yield the steps for a chemistry that is charged by current, for a time."""
    by, cells_count = bank.chemistry.by_current, bank.cells_in_series_count
    if by is None:
        return
    reaches_v = by.reaches_v * cells_count
    yield SheetStep(
        kind=StepKind.DO,
        title="Take the battery and the loads off the charger",
        words=f"This {bank.chemistry.name} battery is charged by current, for a time. No voltage ends it.",
        caution=LEAVE,
    )
    yield SheetStep(
        kind=StepKind.INPUT_V,
        title="Read what the charger can reach with nothing connected",
        words=f"It must be at least {say_volts(reaches_v)}, so that the current holds to the end.",
        target=reaches_v,
        unit="V",
    )
    least_per_h, usual_per_h, most_per_h = by.trickle_per_h
    target_a = usual_per_h * bank.rated_c20_ah if is_held(supply) else limit_a
    time = (
        f"It may stay on for good: between a {1 / least_per_h:.0f}th and a {1 / most_per_h:.0f}th of the capacity."
        if is_held(supply)
        else f"For {by.timed_h[0]:g} to {by.timed_h[1]:g} h, then off, or down to a {1 / usual_per_h:.0f}th of the capacity."
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
        target=reaches_v,
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
    battery_v = battery_target_v(supply, bank, set_up.day_degc)
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
    # Judged at the temperature it is set for: what is right in the cold can be far too much in summer.
    for_degc = set_up.day_degc if supply.charge_compensated is True else supply.typical_degc
    if most_v / cells_count > dangerous_from_v(replace(supply, charge_compensated=False), bank, for_degc) + TOLERANCE_V:
        harm = "it can catch fire" if bank.chemistry.is_lithium else "it boils, gives off gas and can burst"
        return Judged(told=Told.STOP, words=f"{said}: {say_volts(off_v)} above {needs}: overcharges, {harm}. Do not connect the battery.")
    by = bank.chemistry.by_voltage
    near_v = (by.near_v if by else 0.0) * cells_count
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
    limit_a, by = sheet_limit_a(supply, bank, set_up), bank.chemistry.by_current
    if by is not None and is_held(supply):
        # What stays on continuously is a trickle at most.
        limit_a = by.trickle_per_h[2] * bank.rated_c20_ah
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
    battery_v = battery_target_v(supply, bank, set_up.day_degc)
    if battery_v is None:
        by = bank.chemistry.by_current
        least_v = (by.reaches_v if by else 0.0) * bank.cells_in_series_count
    else:
        own_v = set_up.dropout_v if set_up.dropout_v is not None else DROPOUT_V.get(set_up.source, 0.0)
        least_v = battery_v + set_up.drop.tail_v + own_v
    if value < least_v - 1e-9:
        return Judged(
            told=Told.OFF, words=f"{say_volts(value)} is {say_volts(least_v - value)} too little: the charger never reaches what is set."
        )
    return Judged(told=Told.RIGHT, words=f"{say_volts(value)} is enough; at least {say_volts(least_v)} is needed.")
