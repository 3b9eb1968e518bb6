"""What is asked of an output against what it is rated for: amperes of a panel or a DC supply, watts and volt-amperes of an inverter.

An inverter is asked for the watts that are stated: a label is a ceiling, and it is the ceiling that trips it.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import LoadCurrents, mean_draw, peak_draw
from ypomoni.core.things.loads import Draw, Load
from ypomoni.core.things.outputs import USUAL_POWER_FACTOR_RATIO, AcOutput
from ypomoni.core.things.supplies import Supply


class Quantity(StrEnum):
    """What an output is rated in."""

    AMPERES = "A"
    WATTS = "W"
    VOLT_AMPERES = "VA"


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputUse:
    """How much of one rating is asked for in a state, on average and with everything that can coincide at once."""

    quantity: Quantity
    in_alarm: bool
    mean: float
    peak: float
    allowed: float

    @property
    def greatest(self) -> float:
        """What counts against the limit: a load without a positive peak may still draw more on average than at any peak."""
        return max(self.mean, self.peak)

    @property
    def is_too_much(self) -> bool:
        """Whether more is asked for than there is."""
        return self.greatest > self.allowed * (1 + 1e-9)


def uses_of_output(case: Case, *, in_alarm: bool) -> tuple[OutputUse, ...]:
    """Return what is asked of each rating that is known of the output of a supply."""
    return tuple(
        OutputUse(
            quantity=quantity,
            in_alarm=in_alarm,
            mean=of_itself(case.supply, quantity) + amount_of(case.supply, quantity, case.currents, mean_draw, in_alarm=in_alarm),
            peak=of_itself(case.supply, quantity) + amount_of(case.supply, quantity, case.currents, peak_draw, in_alarm=in_alarm),
            allowed=limit,
        )
        for quantity, limit in limits_of_output(case.supply, in_alarm=in_alarm)
    )


def limits_of_output(supply: Supply, *, in_alarm: bool) -> tuple[tuple[Quantity, float], ...]:
    """Return what the output of a supply is rated for, as far as it is known."""
    output = supply.output
    found: list[tuple[Quantity, float | None]] = [(Quantity.AMPERES, supply.output_limit_of(in_alarm=in_alarm))]
    if isinstance(output, AcOutput):
        found += [(Quantity.WATTS, output.rated_w), (Quantity.VOLT_AMPERES, output.rated_va)]
    return tuple((quantity, limit) for quantity, limit in found if limit is not None)


def of_itself(supply: Supply, quantity: Quantity) -> float:
    """Return what a supply takes from its own output: nothing where that is regulated, behind its own electronics. [A]"""
    return supply.own_draw.at_nominal_a(supply.nominal_v) if quantity is Quantity.AMPERES and supply.feed is None else 0.0


def amount_of(supply: Supply, quantity: Quantity, currents: Iterable[LoadCurrents], draw: Callable[..., Draw], *, in_alarm: bool) -> float:
    """Return what some loads ask of an output in one of its quantities, ``draw`` being the average or the peak."""
    feed = supply.feed
    if feed is None:
        return sum(draw(c, in_alarm=in_alarm).at_nominal_a(supply.nominal_v) for c in currents)
    is_ac = isinstance(supply.output, AcOutput)
    total = 0.0
    for c in currents:
        power_w = draw(as_stated(c) if is_ac else c, in_alarm=in_alarm).power_w * feed.efficiency_ratio
        total += power_w * va_per_w(c.load) if quantity is Quantity.VOLT_AMPERES else power_w
    return total / feed.output_v if quantity is Quantity.AMPERES else total


def as_stated(currents: LoadCurrents) -> LoadCurrents:
    """Return the currents of a load as they are stated, a nameplate's in full."""
    load = currents.load
    return replace(currents, standby_current_a=load.standby.current_a, alarm_current_a=load.alarm.current_a)


def va_per_w(load: Load) -> float:
    """Return the volt-amperes for each watt of a load on AC: as stated, by its power factor, or by a usual one; never fewer than watts. [VA/W]"""
    return _va_per_w(load)[0]


def has_guessed_va(load: Load) -> bool:
    """Say whether nothing tells the volt-amperes of a load, so that a usual power factor is taken."""
    return _va_per_w(load)[1]


def _va_per_w(load: Load) -> tuple[float, bool]:
    ac = load.ac
    if ac is not None and ac.apparent_va is not None:
        # They are those of standby, and grow with the watts in alarm and in bursts.
        standby_w = load.standby.current_a * (load.output_w_per_amp if load.feed else load.rail_v)
        watts = standby_w or ac.power_w
        if watts:
            return max(1.0, ac.apparent_va / watts), False
    if ac is not None and ac.power_factor_ratio is not None:
        return 1.0 / ac.power_factor_ratio, False
    return 1.0 / USUAL_POWER_FACTOR_RATIO, True
