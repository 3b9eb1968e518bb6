"""What stands between a battery and its loads where that is not just wire: an inverter, or a converter that regulates its output.

The output's voltage does not move, so whatever hangs on it is a constant power for the battery: P_b = what it burns itself + Σ P/efficiency.
"""

from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

# Where the overhead of an inverter is not known: this share of its rating, give or take half of it. [L]
OVERHEAD_PER_VA = 0.02
OVERHEAD_SPREAD_RATIO = 0.5
# A load of which neither volt-amperes nor power factor are known. [L]
USUAL_POWER_FACTOR_RATIO = 0.6


class Waveform(StrEnum):
    """The shape of an inverter's output."""

    SINE = "sine"
    STEPPED = "stepped"


class Topology(StrEnum):
    """What a converter can do: step down, step up, both, or drop the rest as heat."""

    BUCK = "buck"
    BOOST = "boost"
    BUCK_BOOST = "buck_boost"
    LINEAR = "linear"


class OverheadFrom(StrEnum):
    """Where the overhead of an inverter is known from."""

    STATED = "stated"
    RATING = "rating"
    TIMED_RUNS = "timed_runs"


class Feed(NamedTuple):
    """A regulated output: its voltage, and how much of the battery's power reaches it. [V, ratio]"""

    output_v: float
    efficiency_ratio: float


@dataclass(frozen=True, slots=True, kw_only=True)
class AcOutput:
    """The output of an AC UPS, or of an inverter with battery and charger of its own. [V, VA, W, min, ms]

    ``overhead_w`` is what it burns to stay awake; None: not known. ``light_load_off_w`` None: it never switches off for want of load.
    """

    output_v: float = 230.0
    rated_va: float | None = None
    rated_w: float | None = None
    overhead_w: float | None = None
    efficiency_ratio: float = 0.85
    light_load_off_w: float | None = None
    light_load_off_min: float = 5.0
    transfer_ms: float | None = None
    waveform: Waveform | None = None
    # The whole battery it is sold with, at its nominal voltage; None: not known. [Ah]
    sold_with_ah: float | None = None
    overhead_from: OverheadFrom = OverheadFrom.STATED
    # Whether the runs that told the overhead told the condition of the battery as well.
    tells_condition: bool = False

    @property
    def expected_overhead_w(self) -> float | None:
        """The overhead: as stated, or the usual share of the rating; None where neither is known. [W]"""
        if self.overhead_w is not None:
            return self.overhead_w
        return None if self.rated_va is None else OVERHEAD_PER_VA * self.rated_va

    @property
    def is_overhead_guessed(self) -> bool:
        """Whether the overhead is reckoned from the rating alone."""
        return self.overhead_w is None

    @property
    def feed(self) -> Feed:
        """What its loads hang on."""
        return Feed(self.output_v, self.efficiency_ratio)

    @property
    def burns_w(self) -> float:
        """What it takes from the battery beside its loads. [W]"""
        return self.expected_overhead_w or 0.0

    @property
    def greatest_burns_w(self) -> float:
        """The most it may take beside its loads: a guessed figure may be half as much again. [W]"""
        return self.burns_w * (1.0 + OVERHEAD_SPREAD_RATIO if self.is_overhead_guessed else 1.0)

    @property
    def off_after_h(self) -> float:
        """How long a light load is borne. [h]"""
        return self.light_load_off_min / 60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class DcOutput:
    """The output of a DC UPS. [V, W, A, s]

    ``efficiency_ratio`` None: the battery goes straight through. ``sleep_below_a`` None: it never sleeps.
    """

    output_v: float
    efficiency_ratio: float | None = None
    idle_power_w: float = 0.0
    min_input_v: float | None = None
    sleep_below_a: float | None = None
    sleep_after_s: float = 30.0
    wakes_on_load: bool = True
    # What its converter can do, and what it needs above its output; None: not known. [V]
    topology: Topology | None = None
    dropout_v: float | None = None

    @property
    def feed(self) -> Feed | None:
        """What its loads hang on; None where that is the battery itself."""
        return None if self.efficiency_ratio is None else Feed(self.output_v, self.efficiency_ratio)

    @property
    def burns_w(self) -> float:
        """What it takes from the battery beside its loads while it is awake. [W]"""
        return self.idle_power_w


@dataclass(frozen=True, slots=True, kw_only=True)
class TimedRun:
    """How long a UPS carried a known output from full to its cut-off. [W, h]"""

    output_w: float
    run_h: float
