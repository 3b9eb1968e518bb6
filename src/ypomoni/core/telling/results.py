"""What a computation returns: figures with the working that made them, findings, and a verdict.

A page, a report and the command line show these and compute nothing again.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum

from ypomoni.core.requirements import Method


class Verdict(StrEnum):
    """What a supply or a plan comes to, worst first: it can hurt people, misses its requirement, cannot be computed, meets it on paper, holds."""

    UNSAFE = "unsafe"
    FAILS = "fails"
    UNKNOWN = "unknown"
    ON_PAPER_ONLY = "on_paper_only"
    HOLDS = "holds"


def verdict_meets(verdict: Verdict | None) -> bool | None:
    """Say whether a requirement is met, if only on paper; None where nothing can be said."""
    if verdict is None or verdict is Verdict.UNKNOWN:
        return None
    return verdict in (Verdict.ON_PAPER_ONLY, Verdict.HOLDS)


def worst_of(verdicts: Iterable[Verdict | None]) -> Verdict | None:
    """Return the worst of some verdicts; None where there is none."""
    return min((v for v in verdicts if v is not None), key=tuple(Verdict).index, default=None)


class Severity(StrEnum):
    """How bad a finding is: hurts people, misses the requirement, meets it on paper only, worth knowing."""

    DANGER = "danger"
    FAILS = "fails"
    RISK = "risk"
    NOTE = "note"


class LimitedBy(StrEnum):
    """What ends the holdover."""

    CAPACITY = "capacity"
    BURST = "burst"
    ALARM = "alarm"
    VOLTAGE_COLLAPSE = "voltage_collapse"
    END_VOLTAGE = "end_voltage"
    CUTOFF_HIGH = "cutoff_high"
    NO_BANK = "no_bank"
    NOTHING_DRAWS = "nothing_draws"
    NOT_MODELLED_YET = "not_modelled_yet"
    LIGHT_LOAD = "light_load"


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One judgement: what stands in the way, with its evidence in this plan's figures, its source and a way out."""

    code: str
    severity: Severity
    evidence: str
    source: str
    way_out: str


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkingInput:
    """One input of a working: its symbol in the expression, what it is, its value, and where that comes from."""

    symbol: str
    meaning: str
    value: float
    unit: str
    provenance: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One line of a working: ``symbol = expression`` over the inputs and earlier symbols, and its value."""

    symbol: str
    expression: str
    value: float
    unit: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Working:
    """How a figure came about. ``value`` None means the figure does not exist, and ``note`` says why.

    ``steps`` are arithmetic over ``inputs`` and can be evaluated again; the last gives the figure where it has a closed form. A figure
    that a simulation found has ``simulated`` set: its steps then check the end it found.
    """

    title: str
    value: float | None
    unit: str
    source: str
    inputs: tuple[WorkingInput, ...] = ()
    steps: tuple[Step, ...] = ()
    simulated: bool = False
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Band:
    """A holdover with its 95 % limits. [h]"""

    low: float
    expected: float
    high: float


@dataclass(frozen=True, slots=True, kw_only=True)
class BandInput:
    """One uncertain input: the holdover with it alone at its bad and its good end, and its share of the low side's width."""

    key: str
    name: str
    provenance: str
    low_h: float
    high_h: float
    share_ratio: float
    # What it counts for: ln(expected / low), less what measured totals explain.
    fall_ratio: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Scenarios:
    """Holdover with a new bank, in the cold, at end of life, and both. [h]"""

    fresh: float
    cold: float
    end_of_life: float
    worst: float


@dataclass(frozen=True, slots=True, kw_only=True)
class MethodResult:
    """What one school of calculation asks for, and the standby it promises of the bank that is there; None where it has no answer. [Ah, h]

    ``counts`` says by name what the school allows for, and with which figure.
    """

    method: Method
    required_ah: float | None
    working: Working
    holdover_h: float | None = None
    holdover_working: Working | None = None
    counts: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class SoldBank:
    """A bank of blocks that are sold."""

    chemistry: str
    block_v: float
    capacity_ah: float
    rate_h: float
    series: int
    parallel: int


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadShare:
    """A load's part of the supply's current at nominal voltage, with its bursts. [A]"""

    key: str
    name: str
    quantity: int
    standby_current_a: float
    alarm_current_a: float
    peak_current_a: float
    bursts_per_hour: float
    provenance: str


@dataclass(frozen=True, slots=True, kw_only=True)
class EndState:
    """The state in which holdover ends."""

    t_h: float
    charge_left_ratio: float
    current_a: float
    terminal_v: float
    threshold_v: float
    threshold_origin: str
    threshold_owner: str
    in_alarm: bool
    in_burst: bool
    # The loads whose bursts were active then, the strongest first, and what these bursts take together.
    bursts: tuple[str, ...] = ()
    burst_current_a: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class LowBatteryWarning:
    """Time from the low-battery warning to the equipment's end: in standby, and with an alarm that starts as it comes. [h]

    It is the least known of all figures. Where nothing tells the volts on the way it is a range, ``low_ratio`` to ``high_ratio`` times the computed one.
    """

    at_h: float
    standby_h: float
    alarm_h: float
    low_ratio: float = 1.0
    high_ratio: float = 1.0

    @property
    def is_range(self) -> bool:
        """Whether it is known as a range only."""
        return self.low_ratio < self.high_ratio


@dataclass(frozen=True, slots=True, kw_only=True)
class IdentifiedUps:
    """What timed runs say of a UPS: its overhead, its battery's condition (None: not told), how far the worst run is off. [W, ratio]

    The limits are 95 %; None where the runs leave nothing to judge them by.
    """

    overhead_w: float
    condition_ratio: float | None
    worst_error_ratio: float
    overhead_limit_w: float | None = None
    condition_limit_ratio: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class CutsResult:
    """What repeated cuts, or the time between windows of charge, do to a bank.

    ``fails_on_day`` counts from 1; ``lowest_charge_ratio`` is 1 − u/q at its least; ``worst_survives`` is at end of life and in the cold, None where
    it was not asked. ``fails_at_h`` is where the failing cut starts and ``fails_after_h`` how long that is, ``dies_at_h`` when standby ends in it
    (None: only an alarm would not be carried). ``longest_low_h`` is the longest time under 95 %.
    """

    survives: bool
    fails_on_day: int | None
    lowest_charge_ratio: float
    settled: bool
    full_cycles_per_y: float
    worst_survives: bool | None
    fails_at_h: float | None = None
    failing_cut_h: float | None = None
    dies_at_h: float | None = None
    charge_at_failing_ratio: float | None = None
    longest_cut_h: float = 0.0
    cut_h_per_week: float = 0.0
    longest_low_h: float = 0.0
    # What the charger can give back in a week over what is taken: under 1 the bank only goes down more slowly. None of a history.
    gives_back_ratio: float | None = None
    # How long its cycle life lasts at that depth; None where none is tabled or nothing is cycled. [years]
    cycle_life_y: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class SolarResult:
    """What the sun gives and what becomes of the bank in two years. Lists begin with January; ``worst_month`` is 1 to 12.

    ``worst_ratio`` is the least yield over need, None where nothing is needed; ``back_after_h`` None: never within a year. ``ends_in_month`` is 1 to 12.
    """

    yield_ah_per_day: tuple[float, ...]
    need_ah_per_day: tuple[float, ...]
    worst_month: int
    worst_ratio: float | None
    lowest_charge_ratio: float
    sustains: bool
    back_after_h: float | None
    ends_on_day: int | None = None
    ends_in_month: int | None = None
    longest_low_h: float = 0.0
    # What a year gives over what it takes: under 1 no battery lasts for good.
    year_ratio: float | None = None
    # What it gives at full sun. [A]
    full_sun_a: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class DischargeResult:
    """What a timed discharge comes to. [ratio, h] None: it cannot be told; ``inside_band`` also where a test was stopped before its band began.

    ``test_ratio`` compares it with a new bank, ``condition_ratio`` is the condition for the model. ``is_lower_bound``: it was stopped, so
    the bank is at least so good.
    """

    key: str
    test_ratio: float | None
    condition_ratio: float | None
    is_lower_bound: bool
    predicted: Band | None
    inside_band: bool | None


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplyResult:
    """Everything computed for one supply. A figure is None where it does not exist; ``limited_by`` or a finding says why."""

    key: str
    name: str
    kind: str
    requirement_name: str
    standby_h: float
    alarm_min: float
    recharge_h: float | None
    recharge_to_ratio: float
    verdict: Verdict | None = None
    limited_by: LimitedBy | None = None
    standby_current_a: float | None = None
    alarm_current_a: float | None = None
    peak_current_a: float | None = None
    holdover: Band | None = None
    band_inputs: tuple[BandInput, ...] = ()
    endurance_h: float | None = None
    scenarios: Scenarios | None = None
    averaged_holdover_h: float | None = None
    lowered_cutoff_holdover_h: float | None = None
    end: EndState | None = None
    missing_ah: float | None = None
    condition_ratio: float | None = None
    rated_c20_ah: float | None = None
    recommended_bank: SoldBank | None = None
    # What that bank leaves as risks, and why there is none. In words.
    bank_risks: tuple[str, ...] = ()
    no_bank_reason: str | None = None
    # How full an outage finds the bank; 1 where that is not known. [ratio]
    starts_at_ratio: float = 1.0
    # What was not looked at since nothing was said of it, by name.
    not_checked: tuple[str, ...] = ()
    charge_current_a: float | None = None
    recovery_h: float | None = None
    unloaded_recovery_h: float | None = None
    # False where the set voltage fills it so nearly to that share only that no hour can be promised.
    recovery_is_promised: bool = True
    # Whether the set voltage, not the charger's strength, keeps the recovery from being in time.
    set_voltage_limits: bool = False
    # How long the bank makes up for a supply that gives less than its loads take with the mains on.
    drained_after_h: float | None = None
    methods: tuple[MethodResult, ...] = ()
    warning: LowBatteryWarning | None = None
    disagreement: tuple[str, ...] = ()
    findings: tuple[Finding, ...] = ()
    shares: tuple[LoadShare, ...] = ()
    burst_times_h: tuple[float, ...] = ()
    workings: dict[str, Working] = field(default_factory=dict)
    overloaded: bool = False
    identified: IdentifiedUps | None = None
    cuts: CutsResult | None = None
    # What of the charger is not known, so that no pattern was computed; under its names in the site file.
    pattern_missing: tuple[str, ...] = ()
    solar: SolarResult | None = None
    # What would make it survive its cuts, or live on its sun, each judged again. In words.
    season_ways: tuple[str, ...] = ()
    # What its timed discharges come to, in the order in which they were made.
    tests: tuple[DischargeResult, ...] = ()

    @property
    def meets_requirement(self) -> bool | None:
        """Whether the requirement is met, if only on paper; None where nothing can be said."""
        return verdict_meets(self.verdict)

    @property
    def coverage_ratio(self) -> float | None:
        """Expected holdover over required standby; None where there is no holdover."""
        if self.holdover is None or self.standby_h <= 0:
            return None
        return self.holdover.expected / self.standby_h


@dataclass(frozen=True, slots=True, kw_only=True)
class Feeding:
    """From when on an input of a selector feeds. [h]"""

    from_h: float
    input_key: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SelectorResult:
    """What becomes of supplies that back each other up, judged by the requirement of the first. A figure is None where it cannot be computed.

    ``reached`` says of each input whether it fed before the end; ``line`` is the answer in one line. [h]
    """

    key: str
    name: str
    standby_h: float
    holdover_h: float | None
    reached: dict[str, bool]
    fed_by: tuple[Feeding, ...] = ()
    cold_h: float | None = None
    # The low end of its band. [h]
    low_h: float | None = None
    end_of_life_h: float | None = None
    limited_by: LimitedBy | None = None
    verdict: Verdict | None = None
    findings: tuple[Finding, ...] = ()
    line: str = ""
    not_checked: tuple[str, ...] = ()

    @property
    def meets_requirement(self) -> bool | None:
        """Whether the requirement is met, if only on paper; None where nothing can be said."""
        return verdict_meets(self.verdict)


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanResult:
    """Everything computed for one plan."""

    key: str
    name: str
    verdict: Verdict | None
    weakest_supply: str | None
    supplies: tuple[SupplyResult, ...]
    # What belongs to no supply.
    findings: tuple[Finding, ...] = ()
    selectors: tuple[SelectorResult, ...] = ()

    @property
    def meets_requirement(self) -> bool | None:
        """Whether every supply meets its requirement, if only on paper; None where nothing can be said."""
        return verdict_meets(self.verdict)

    @property
    def weakest(self) -> SupplyResult | None:
        """The supply with the smallest expected holdover over required."""
        return next((s for s in self.supplies if s.key == self.weakest_supply), None)
