"""What is so of a kind of supply, whatever one of it is set to."""

from dataclasses import dataclass
from enum import StrEnum


class SupplyKind(StrEnum):
    """What feeds the loads when mains fails."""

    PANEL = "panel"
    BOXED = "boxed"
    DC_UPS = "dc_ups"
    AC_UPS = "ac_ups"
    SOLAR = "solar"
    WINDOWED = "windowed"
    PRIMARY = "primary"


@dataclass(frozen=True, slots=True, kw_only=True)
class KindOfSupply:
    """A kind of supply.

    Parameters
    ----------
    name
        What it is called on the screen.
    shares_charger
        Its own current carries the loads and charges the battery while mains is there.
    always_charges
        Whatever of it is fitted holds a charger, unless somebody says that it does not.
    is_cycled
        Its charge comes and goes, so nothing is held at the set voltage for good.
    is_inverter
        It feeds AC, whatever its battery has.
    part
        The part of its description without which it is not computed, under its name in the site file.
    is_sunlit
        Panels charge it, by day and as much as the month gives.
    has_windows
        It is charged in windows of time only.
    mains_carries
        While mains is there it passes it on to the loads, so its charger has the battery alone to feed.
    """

    kind: SupplyKind
    name: str
    shares_charger: bool = False
    always_charges: bool = False
    is_cycled: bool = False
    is_inverter: bool = False
    part: str = ""
    is_sunlit: bool = False
    has_windows: bool = False
    mains_carries: bool = False
