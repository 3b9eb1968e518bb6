"""What a judgement may look at."""

from dataclasses import dataclass

from ypomoni.core.measuring.measured_totals import TotalCheck
from ypomoni.core.measuring.reconciliation import NodeState
from ypomoni.core.outage.case import Case
from ypomoni.core.requirements import Requirement
from ypomoni.core.telling.results import SupplyResult
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.loads import Load
from ypomoni.core.things.readings import MeasuringPoint, Reading
from ypomoni.core.things.supplies import Supply


@dataclass(frozen=True, slots=True, kw_only=True)
class Audit:
    """A supply, its loads, and what was read of them: points and readings by key, and how they add up, and every valid total held against the load list."""

    supply: Supply
    loads: tuple[Load, ...]
    points: dict[str, MeasuringPoint]
    readings: dict[str, Reading]
    nodes: tuple[NodeState, ...]
    totals: tuple[TotalCheck, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """A supply with its loads as stated, and the figures that were computed for it: a figure that was not is None there.

    ``case`` is None where the battery's currents do not follow from its loads; ``what_to_fit`` says what would mend too few hours,
    ``what_charges`` what would mend a recharge.
    """

    supply: Supply
    loads: tuple[Load, ...]
    result: SupplyResult
    case: Case | None
    peak_standby_current_a: float = 0.0
    peak_alarm_current_a: float = 0.0
    what_to_fit: str = ""
    what_charges: str = ""

    @property
    def requirement(self) -> Requirement:
        """The requirement the supply is judged by."""
        return self.supply.requirement

    @property
    def bank(self) -> Bank | None:
        """The bank, if there is one."""
        return self.supply.bank
