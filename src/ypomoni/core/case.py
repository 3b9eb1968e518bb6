"""A supply with its loads, ready to be run under any assumption. Called by `evaluation`, `sizing` and `recovery`'s callers."""

from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property

from ypomoni.core.batteries import Bank, build_pack
from ypomoni.core.loads import Draw, Load
from ypomoni.core.simulation import Holdover, LoadCurrents, Outage, Timeline, build_timeline
from ypomoni.core.simulation.demand import mean_draw, peak_draw, total_draw
from ypomoni.core.supplies import Supply
from ypomoni.core.uncertainty import expected_currents


class ThresholdOrigin(StrEnum):
    """Whose voltage ends the run."""

    CUTOFF = "cutoff"
    EQUIPMENT = "equipment"
    CHEMISTRY = "chemistry"


@dataclass(frozen=True, slots=True, kw_only=True)
class Threshold:
    """The voltage at which the equipment's end is reached, and whose it is. [V]"""

    threshold_v: float
    origin: ThresholdOrigin
    owner: str


def end_threshold(supply: Supply, loads: tuple[Load, ...], bank: Bank) -> Threshold:
    """Return the highest of the cut-off and every essential load's minimum; the chemistry's end voltage where there is neither."""
    found: Threshold | None = None
    if supply.cutoff_v is not None:
        found = Threshold(threshold_v=supply.cutoff_v, origin=ThresholdOrigin.CUTOFF, owner=supply.name)
    for load in loads:
        if load.essential and load.min_v is not None and (found is None or load.min_v > found.threshold_v):
            found = Threshold(threshold_v=load.min_v, origin=ThresholdOrigin.EQUIPMENT, owner=load.name)
    return found or Threshold(threshold_v=bank.end_v, origin=ThresholdOrigin.CHEMISTRY, owner=bank.chemistry.name)


class Case:
    """One supply that is modelled and has a bank, with the currents expected of its loads."""

    def __init__(self, supply: Supply, loads: tuple[Load, ...]) -> None:
        self.supply = supply
        self.loads = loads
        self.requirement = supply.requirement
        self.currents = tuple(expected_currents(load) for load in loads)

    @property
    def bank(self) -> Bank:
        """The bank; only asked for where there is one."""
        if self.supply.bank is None:
            raise ValueError(f"supply {self.supply.key} has no bank")
        return self.supply.bank

    @cached_property
    def threshold(self) -> Threshold:
        """The equipment's end."""
        return end_threshold(self.supply, self.loads, self.bank)

    @cached_property
    def condition_today_ratio(self) -> float:
        """The condition of the bank as it is. [ratio]"""
        return self.bank.condition_today_ratio(self.supply.typical_degc)

    def mean_draw(self, *, in_alarm: bool) -> Draw:
        """Return the average draw with bursts, the supply's own included."""
        return total_draw([Draw(self.supply.own_current_a, 0.0, 0.0), *(mean_draw(c, in_alarm=in_alarm) for c in self.currents)])

    def mean_current_a(self, *, in_alarm: bool) -> float:
        """Return the average current at nominal voltage. [A]"""
        return self.mean_draw(in_alarm=in_alarm).at_nominal_a(self.supply.nominal_v)

    def peak_current_a(self, *, in_alarm: bool) -> float:
        """Return the greatest current that can coincide, at nominal voltage. [A]"""
        draws = [peak_draw(c, in_alarm=in_alarm) for c in self.currents]
        return total_draw([Draw(self.supply.own_current_a, 0.0, 0.0), *draws]).at_nominal_a(self.supply.nominal_v)

    @cached_property
    def draws_nothing(self) -> bool:
        """Whether neither standby nor alarm draws anything."""
        return self.peak_current_a(in_alarm=False) == 0 and self.peak_current_a(in_alarm=True) == 0

    @cached_property
    def _expected_timelines(self) -> tuple[Timeline, Timeline]:
        return self._timelines(self.currents, averaged=False)

    def _timelines(self, currents: tuple[LoadCurrents, ...], *, averaged: bool) -> tuple[Timeline, Timeline]:
        own_a = self.supply.own_current_a
        return (
            build_timeline(currents, own_a, in_alarm=False, averaged=averaged),
            build_timeline(currents, own_a, in_alarm=True, averaged=averaged),
        )

    def outage(
        self,
        *,
        condition_ratio: float | None = None,
        temperature_degc: float | None = None,
        capacity_ratio: float = 1.0,
        currents: tuple[LoadCurrents, ...] | None = None,
        averaged: bool = False,
        threshold_v: float | None = None,
        bank: Bank | None = None,
        sizing: bool = False,
    ) -> Outage:
        """Return an outage under assumptions; whatever is not given is as expected today, at the typical temperature."""
        pack = build_pack(
            bank or self.bank,
            condition_ratio=self.condition_today_ratio if condition_ratio is None else condition_ratio,
            temperature_degc=self.supply.typical_degc if temperature_degc is None else temperature_degc,
            sizing=sizing,
            capacity_ratio=capacity_ratio,
        )
        if currents is None and not averaged:
            standby, alarm = self._expected_timelines
        else:
            standby, alarm = self._timelines(currents or self.currents, averaged=averaged)
        return Outage(pack, standby, alarm, self.requirement.alarm_h, self.threshold.threshold_v if threshold_v is None else threshold_v)

    def holdover(self, **assumptions) -> Holdover:
        """Return the holdover under assumptions; see `outage`."""
        return self.outage(**assumptions).holdover()

    def currents_with(self, changed: LoadCurrents) -> tuple[LoadCurrents, ...]:
        """Return the expected currents with those of one load replaced."""
        return tuple(changed if c.load.key == changed.load.key else c for c in self.currents)

    def with_bank(self, bank: Bank) -> "Case":
        """Return the same supply with another bank."""
        return Case(replace(self.supply, bank=bank), self.loads)
