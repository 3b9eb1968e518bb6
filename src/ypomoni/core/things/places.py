"""Places: how warm a cupboard is over the year, and how long a thermostat is on there."""

import math
from dataclasses import dataclass, field

MONTHS_COUNT = 12
# How far the hours of a month spread about its mean, as a standard deviation: day and night, warm and cold weeks. Rough. [K]
SPREAD_DEGC = 4.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """A place of a site. Without monthly means every month is as the typical temperature. [°C]"""

    key: str
    name: str
    typical_degc: float
    min_degc: float
    monthly_degc: tuple[float, ...] = field(default=())

    def mean_share_ratio(self, *, below_degc: float | None, above_degc: float | None) -> float:
        """Return the share of a year in which a thermostat is on."""
        shares = self._monthly_shares(below_degc, above_degc)
        return sum(shares) / len(shares)

    def greatest_share_ratio(self, *, below_degc: float | None, above_degc: float | None) -> float:
        """Return the share of time in the month that asks most of it."""
        return max(self._monthly_shares(below_degc, above_degc))

    def least_share_ratio(self, *, below_degc: float | None, above_degc: float | None) -> float:
        """Return the share of time in the month that asks least of it."""
        return min(self._monthly_shares(below_degc, above_degc))

    def cold_share_ratio(self, *, below_degc: float | None, above_degc: float | None) -> float:
        """Return the share of time on days about the lowest temperature."""
        return share_on(self.min_degc, below_degc=below_degc, above_degc=above_degc)

    def _monthly_shares(self, below_degc: float | None, above_degc: float | None) -> list[float]:
        means = self.monthly_degc or (self.typical_degc,)
        return [share_on(mean, below_degc=below_degc, above_degc=above_degc) for mean in means]


def share_on(mean_degc: float, *, below_degc: float | None, above_degc: float | None) -> float:
    """Return the share of time on one side of a threshold, for temperatures spread normally about a mean: Φ((threshold − mean)/σ)."""
    if below_degc is not None:
        return 0.5 * (1.0 + math.erf((below_degc - mean_degc) / (SPREAD_DEGC * math.sqrt(2.0))))
    if above_degc is not None:
        return 0.5 * (1.0 - math.erf((above_degc - mean_degc) / (SPREAD_DEGC * math.sqrt(2.0))))
    return 0.0
