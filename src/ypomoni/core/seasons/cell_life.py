"""How long cells last under a load that sleeps, wakes and sends: mAh an hour as people reckon it, and what fewer sendings would do."""

from dataclasses import dataclass, replace

from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply
from ypomoni.core.units import SECONDS_PER_HOUR


@dataclass(frozen=True, slots=True, kw_only=True)
class HourTerm:
    """One term of the charge that a load takes in an hour: rest, or one of its bursts. [A, Ah]

    ``per_hour`` and ``duration_s`` are None for what it draws at rest.
    """

    name: str
    current_a: float
    share_ratio: float
    charge_ah: float
    per_hour: float | None = None
    duration_s: float | None = None


def hour_terms(load: Load) -> tuple[HourTerm, ...]:
    """Return the terms of what one piece takes in an hour on its rail: n·t/3600·I of each burst, and the rest of the time at rest."""
    awake = sum(b.duty_ratio for b in load.bursts)
    terms = [
        HourTerm(
            name=b.name or "burst",
            current_a=b.current_a,
            share_ratio=b.duty_ratio,
            charge_ah=b.per_hour * b.duration_s / SECONDS_PER_HOUR * b.current_a,
            per_hour=b.per_hour,
            duration_s=b.duration_s,
        )
        for b in load.bursts
    ]
    rest = HourTerm(
        name="asleep", current_a=load.standby.current_a, share_ratio=1.0 - awake, charge_ah=(1.0 - awake) * load.standby.current_a
    )
    return (*terms, rest)


@dataclass(frozen=True, slots=True, kw_only=True)
class Saving:
    """What is tried of a logger on cells, each as a factor: how often it sends, for how long, with what current; how large its cells are."""

    sendings_ratio: float = 1.0
    active_ratio: float = 1.0
    radio_ratio: float = 1.0
    cells_ratio: float = 1.0


def with_saving(supply: Supply, loads: tuple[Load, ...], saving: Saving) -> tuple[Supply, tuple[Load, ...]]:
    """Return a supply and its loads with what is tried."""
    changed = tuple(
        replace(
            load,
            bursts=tuple(
                replace(
                    b,
                    per_hour=b.per_hour * saving.sendings_ratio,
                    duration_s=b.duration_s * saving.active_ratio,
                    current_a=max(load.standby.current_a, b.current_a * saving.radio_ratio),
                )
                for b in load.bursts
            ),
        )
        for load in loads
    )
    return with_capacity(supply, saving.cells_ratio), changed


def with_capacity(supply: Supply, ratio: float) -> Supply:
    """Return a supply whose bank holds so many times as much, of the same kind and age."""
    bank: Bank | None = supply.bank
    if bank is None or ratio == 1.0:
        return supply
    resistance_ohm = None if bank.resistance_ohm is None else bank.resistance_ohm / ratio
    return replace(supply, bank=replace(bank, capacity_ah=bank.capacity_ah * ratio, resistance_ohm=resistance_ohm, table=None))
