"""What a judgement may look at."""

from dataclasses import dataclass

from ypomoni.core.loads import Load
from ypomoni.core.readings import MeasuringPoint, Reading
from ypomoni.core.reconciliation import NodeState
from ypomoni.core.requirements import Requirement
from ypomoni.core.results import SoldBank, SupplyResult
from ypomoni.core.sizing import c20_of
from ypomoni.core.supplies import Supply
from ypomoni.core.wording import say_bank


@dataclass(frozen=True, slots=True, kw_only=True)
class Audit:
    """A supply, its loads, and what was read of them: points and readings by key, and how they add up."""

    supply: Supply
    loads: tuple[Load, ...]
    points: dict[str, MeasuringPoint]
    readings: dict[str, Reading]
    nodes: tuple[NodeState, ...]
    power_meters: frozenset[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """A supply, its loads, and the figures computed for it."""

    supply: Supply
    loads: tuple[Load, ...]
    result: SupplyResult
    peak_standby_current_a: float
    peak_alarm_current_a: float
    audit: Audit
    life_y: float | None

    @property
    def requirement(self) -> Requirement:
        """The requirement the supply is judged by."""
        return self.supply.requirement

    @property
    def what_to_fit(self) -> str:
        """Say what bank to fit, or why none can be named."""
        bank = self.result.recommended_bank
        if bank is None:
            return self.result.no_bank_reason or "Move loads to another supply."
        simpler = self.result.fewer_blocks_bank
        alternative = f" (or {say_sold(simpler)})" if simpler else ""
        if self._is_fitted(bank):
            return f"A new {say_sold(bank)} is large enough: renew the battery, or move loads to another supply."
        caution = " In parallel only of one make and age, with a fuse for each string." if bank.parallel > 1 else ""
        return f"Fit {say_sold(bank)}{alternative}, or move loads to another supply.{caution}"

    def _is_fitted(self, bank: SoldBank) -> bool:
        fitted = self.supply.bank
        return fitted is not None and self.result.rated_c20_ah is not None and c20_of(bank) <= self.result.rated_c20_ah + 1e-6


def say_sold(bank: SoldBank) -> str:
    """Return a sold bank in words."""
    return say_bank(bank.series, bank.parallel, bank.block_v, bank.capacity_ah, bank.rate_h)
