"""What a fuse at the battery must carry, which one is sold for it, and what it must bear and break."""

from dataclasses import dataclass
from itertools import compress

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import LoadCurrents, burst_levels_a, total_draw
from ypomoni.core.outage.recharge import charge_current_a
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.loads import Draw
from ypomoni.core.things.supplies import Supply

# Blade fuses as they are sold (ISO 8820-3), and bolted ones above them (ISO 8820-5). [A]
BLADE_FUSES_A = (1.0, 2.0, 3.0, 4.0, 5.0, 7.5, 10.0, 15.0, 20.0, 25.0, 30.0, 40.0)
BOLTED_FUSES_A = (50.0, 60.0, 80.0, 100.0)
SOLD_FUSES_A = BLADE_FUSES_A + BOLTED_FUSES_A
# What a common blade fuse breaks. [A, M]
BLADE_BREAKS_A = 1000.0
SOLD_FUSE_V = (32.0, 58.0, 80.0, 125.0, 250.0, 500.0)
# A fuse for good carries this much less than its rating; a burst may be above it for so long. Good practice. [M]
CONTINUOUS_RATIO = 1.25
SHORT_RATIO, SHORT_S = 2.0, 0.5
LONG_RATIO, LONG_S = 1.35, 60.0
ROUNDING = 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class FuseNeed:
    """What goes through the fuse of a bank. None: not known. [A]

    ``short_a`` is the most that bursts of more than 0.5 s can add up to with all else, ``long_a`` those of more than 60 s.
    """

    standby_a: float | None
    alarm_a: float | None
    charge_a: float | None
    short_a: float = 0.0
    long_a: float = 0.0

    @property
    def continuous_a(self) -> float:
        """The greatest continuous current that is known: the average of standby or alarm, or the charge. [A]"""
        return max(self.standby_a or 0.0, self.alarm_a or 0.0, self.charge_a or 0.0)

    @property
    def greatest_a(self) -> float:
        """The greatest current that lasts at all. [A]"""
        return max(self.continuous_a, self.short_a)

    @property
    def least_a(self) -> float:
        """The smallest rating that carries all of it. [A]"""
        return max(CONTINUOUS_RATIO * self.continuous_a, self.short_a / SHORT_RATIO, self.long_a / LONG_RATIO)

    @property
    def sold_a(self) -> float | None:
        """The smallest fuse that is sold for it; None where none is large enough. [A]"""
        return sold_fuse_a(self.least_a)


def sold_fuse_a(least_a: float) -> float | None:
    """Return the smallest fuse that is sold with at least a rating; None above the largest. [A]"""
    return next((a for a in SOLD_FUSES_A if a >= least_a * (1 - ROUNDING)), None)


def fuse_need(supply: Supply, case: Case | None) -> FuseNeed:
    """Return what goes through the fuse at a supply's battery; ``case`` is None where the currents of its loads are not known."""
    if case is None:
        return FuseNeed(standby_a=None, alarm_a=None, charge_a=_charge_a(supply, 0.0))
    standby_a, alarm_a = case.mean_current_a(in_alarm=False), case.mean_current_a(in_alarm=True)
    return FuseNeed(
        standby_a=standby_a,
        alarm_a=alarm_a,
        charge_a=_charge_a(supply, standby_a),
        short_a=max(_lasting_a(case, SHORT_S, in_alarm=state) for state in (False, True)),
        long_a=max(_lasting_a(case, LONG_S, in_alarm=state) for state in (False, True)),
    )


def _charge_a(supply: Supply, standby_a: float) -> float | None:
    """Return the greatest charge that comes back through the fuse; a limit alone stands for itself. [A]"""
    if supply.bank is None or supply.bank.chemistry.is_primary or not supply.has_charger:
        return 0.0
    found_a = charge_current_a(supply, standby_a)
    return supply.charge_limit_a if found_a is None else found_a


def _lasting_a(case: Case, longer_s: float, *, in_alarm: bool) -> float:
    """Return what can be drawn at once by all that lasts longer than so many seconds, at nominal voltage. [A]"""
    draws = [case.supply.own_draw, *(_lasting_draw(c, longer_s, in_alarm=in_alarm) for c in case.currents)]
    return total_draw(draws).at_nominal_a(case.supply.nominal_v)


def _lasting_draw(currents: LoadCurrents, longer_s: float, *, in_alarm: bool) -> Draw:
    rest_a = currents.alarm_current_a if in_alarm else currents.standby_current_a
    levels = burst_levels_a(currents, in_alarm=in_alarm)
    lasting = compress(levels, (b.duration_s > longer_s for b in currents.load.bursts))
    most_a = max([rest_a, *(level for level in lasting if level is not None)])
    return currents.load.draw_per_amp.times((most_a + currents.extra_peak_a) * currents.load.quantity)


def must_bear_v(supply: Supply, bank: Bank) -> float:
    """Return the DC voltage that whatever opens a bank's circuit must bear: what its charger sets, or what its cells are charged to. [V]"""
    return max(supply.charge_v or 0.0, bank.charges_to_v)


def sold_fuse_v(bears_v: float) -> float | None:
    """Return the smallest DC voltage that fuses are sold for and that bears so much; None above the largest. [V]"""
    return next((v for v in SOLD_FUSE_V if v >= bears_v * (1 - ROUNDING)), None)
