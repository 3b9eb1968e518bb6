"""The low-battery warning: how long it is from there to the end, in standby, and with an alarm that starts as it comes.

Walked, not played: nothing on the way is asked, so an evaluation that needs only these hours does not draw a whole timeline for them.
"""

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import Timeline
from ypomoni.core.outage.run import HORIZON_H, HoldoverRun
from ypomoni.core.telling.results import LowBatteryWarning

# Curves that meet the same run times differ so much in the time from a warning to the end (porous-electrode runs against published-style rows). [M]
WARNING_RANGE_RATIOS = (0.6, 1.4)


def low_battery_warning(case: Case, end_h: float) -> LowBatteryWarning | None:
    """Return the time from the low-battery warning to the end, in standby and in an alarm that starts as it comes; None without one.

    ``end_h`` is where standby ends, the endurance. As a range where nothing tells the volts on the way.
    """
    low_v = case.supply.low_battery_v
    if low_v is None or case.draws_nothing:
        return None
    run = case.run()
    # The supply sees its own terminals, whatever the loads at the end of a cable see. Its warning is sought as the end of an outage is.
    until_low = HoldoverRun(run.pack, Timeline(run.standby.base, run.standby.trains), run.alarm, 0.0, low_v)
    at_h = until_low.holdover().endurance_h
    if at_h > end_h or at_h >= HORIZON_H:
        return None
    stop = until_low.standby_stop()
    low_ratio, high_ratio = (1.0, 1.0) if case.bank.tells_volts_on_the_way else WARNING_RANGE_RATIOS
    return LowBatteryWarning(
        at_h=at_h,
        standby_h=end_h - at_h,
        alarm_h=max(0.0, run.alarm_end_h(stop) - at_h),
        low_ratio=low_ratio,
        high_ratio=high_ratio,
    )
