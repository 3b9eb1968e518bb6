"""Two banks with isolators on one charger: what each position of the switches does, and which must not be."""

from collections.abc import Iterator
from dataclasses import dataclass

from ypomoni.core.telling.wording import say_amp_hours, say_amps, say_volts
from ypomoni.core.things.batteries import Bank
from ypomoni.core.wiring.arrangement import model_ohm
from ypomoni.core.wiring.mixing import MOST_CONDITION_RATIO, most_rest_v


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchPosition:
    """One position of both isolators: which is closed, what feeds when mains fails, what is charged, and why it must not be; empty where it may."""

    first_closed: bool
    second_closed: bool
    feeds: str
    charged: str
    forbidden: str = ""


def switch_positions(
    first: Bank, second: Bank, *, first_rest_v: float | None = None, second_rest_v: float | None = None
) -> tuple[SwitchPosition, ...]:
    """Return what each position of two isolators does. Voltages are those of the whole banks at rest, where they were read. [V]"""
    unequal = tuple(why_unequal(first, second, first_rest_v, second_rest_v))
    return (
        SwitchPosition(
            first_closed=False,
            second_closed=False,
            feeds="nothing: at the first mains failure all goes dark",
            charged="neither",
            forbidden="No battery is on the supply. Only while you work on it, with the monitoring centre warned.",
        ),
        SwitchPosition(first_closed=True, second_closed=False, feeds="bank 1 alone", charged="bank 1; bank 2 only loses charge"),
        SwitchPosition(first_closed=False, second_closed=True, feeds="bank 2 alone", charged="bank 2; bank 1 only loses charge"),
        SwitchPosition(
            first_closed=True,
            second_closed=True,
            feeds="both together" if not unequal else "not to be used",
            charged="both, each by its share" if not unequal else "not to be used",
            forbidden=" ".join(unequal),
        ),
    )


def why_unequal(first: Bank, second: Bank, first_rest_v: float | None, second_rest_v: float | None) -> Iterator[str]:
    """Yield why two banks must not be joined; nothing where they may."""
    if first.chemistry_key != second.chemistry_key:
        yield f"Bank 1 is {first.chemistry.name}, bank 2 is {second.chemistry.name}: one charge voltage never suits both."
    if abs(first.bank_v - second.bank_v) > 0.01 * first.bank_v:
        ohm = model_ohm(first) + model_ohm(second)
        # At the first instant there is no polarisation yet, and the model's resistance is about twice what is left without it.
        apart_v = abs(first.full_v - second.full_v)
        yield f"Bank 1 has {say_volts(first.bank_v)}, bank 2 has {say_volts(second.bank_v)}: joined, about {say_amps(2 * apart_v / ohm, 1)} flows at once."
        return
    if first.chemistry_key != second.chemistry_key:
        return
    one_ah, other_ah = first.capacity_ah, second.capacity_ah
    if abs(one_ah - other_ah) > 1e-6 * one_ah or first.block_v != second.block_v:
        yield f"Their blocks differ ({say_amp_hours(one_ah, 3)} and {say_amp_hours(other_ah, 3)}): they share neither load nor charge evenly."
    worn = abs(first.condition_today_ratio(25.0) - second.condition_today_ratio(25.0))
    if worn > MOST_CONDITION_RATIO + 1e-9:
        yield "They are not of one age and condition: the better one charges the worse for good."
    block_v = most_rest_v(first)
    most_v = None if block_v is None else block_v * first.series
    if first_rest_v is None or second_rest_v is None:
        if most_v is not None:
            yield f"Their volts at rest are not known. Read both: they may be at most {say_volts(most_v)} apart when they are joined."
        else:
            yield "Their volts tell nothing of their charge. Charge each full first, then join them."
    elif most_v is not None and abs(first_rest_v - second_rest_v) > most_v + 1e-9:
        apart_v = abs(first_rest_v - second_rest_v)
        flows_a = 2 * apart_v / (model_ohm(first) + model_ohm(second))
        yield f"They are {say_volts(apart_v)} apart at rest, more than {say_volts(most_v)}: about {say_amps(flows_a, 1)} flows as they are joined. Charge the lower one first."
