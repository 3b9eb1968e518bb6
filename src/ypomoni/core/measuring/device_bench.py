"""One device on the bench, stepped through its modes: what it draws against what its sheet claims, what the meter did to it, how it draws.

A converter cannot take less than it gives: I_in ≥ V_out·I_out/V_in. How a device draws is the slope of ln I over ln V between two supply
voltages: 0 for a constant current, −1 for a constant power, 1 for a resistance.
"""

import math
from dataclasses import dataclass, field
from enum import StrEnum

from ypomoni.core.telling.results import Finding, Severity, Verdict
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_list, say_times, say_volts
from ypomoni.core.things.loads import Behaviour
from ypomoni.core.things.readings import DEFAULT_INSTRUMENT, Instrument, Range

OURS = "Ypomoni, the bench of a device"
# What a meter drops counts from this share of the supply on. [M]
BURDEN_RATIO = 0.03
# A sheet is kept where the device draws no more than this above it, besides what the meter may be off. [M]
KEPT_RATIO = 0.05
# Two voltages tell how a device draws when they are so far apart, and the slope is known to so much.
APART_RATIO = 1.08
SLOPE_KNOWN_TO = 0.35
SLOPES = {Behaviour.CONSTANT_CURRENT: 0.0, Behaviour.CONSTANT_POWER: -1.0, Behaviour.RESISTIVE: 1.0}


class ModeUse(StrEnum):
    """What a mode is to an outage."""

    STANDBY = "standby"
    ALARM = "alarm"
    BURST = "burst"
    OTHER = "other"


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchedMode:
    """What was read in one mode. [A, V, s, 1/h] ``at_v`` None: at the voltage of the session. Least and greatest are what the display moved between."""

    name: str
    use: ModeUse
    current_a: float
    least_a: float | None = None
    greatest_a: float | None = None
    at_v: float | None = None
    duration_s: float | None = None
    per_hour: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Claim:
    """What a data sheet promises: a current, hours on a battery, or watts. Each None where it says nothing. [A, h, Ah, W]"""

    current_a: float | None = None
    runs_h: float | None = None
    battery_ah: float | None = None
    power_w: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceBench:
    """A device fed from a bench supply, through a meter. ``out_v`` and ``out_a`` are what its converter gives meanwhile, where it is one."""

    name: str
    supply_v: float
    modes: tuple[BenchedMode, ...]
    instrument: Instrument = DEFAULT_INSTRUMENT
    jack: str | None = None
    min_v: float | None = None
    claim: Claim = field(default_factory=Claim)
    out_v: float | None = None
    out_a: float | None = None

    def volts_of(self, mode: BenchedMode) -> float:
        """Return the voltage it was fed with in a mode. [V]"""
        return self.supply_v if mode.at_v is None else mode.at_v

    def burden_v(self, current_a: float) -> float | None:
        """Return what the meter takes of it at a current; None where its range says nothing. [V]"""
        chosen = self._range_of(current_a)
        return None if chosen is None or chosen.burden_v is None else chosen.burden_v * current_a / chosen.limit_a

    def limit_a(self, mode: BenchedMode) -> float:
        """Return the 95 % limit of a mode's current: the meter's, and half of what the display moved. [A]"""
        span_a = 0.0 if mode.least_a is None or mode.greatest_a is None else abs(mode.greatest_a - mode.least_a)
        return self.instrument.limit_a(mode.current_a) + 0.5 * span_a

    def of_use(self, use: ModeUse) -> tuple[BenchedMode, ...]:
        """Return the modes of a use, at the session's own voltage."""
        return tuple(m for m in self.modes if m.use is use and m.at_v in (None, self.supply_v))

    def _range_of(self, current_a: float) -> Range | None:
        on_jack = [r for r in self.instrument.ranges if self.jack in (None, "", r.jack)]
        return next((r for r in on_jack if r.limit_a >= current_a), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class ModeResult:
    """A mode beside what was claimed. [A, V, h] ``lasts_h``: on the battery the sheet speaks of, at most. What is None cannot be told."""

    mode: BenchedMode
    limit_a: float
    burden_v: float | None
    seen_v: float
    claimed_ratio: float | None
    lasts_h: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceVerdict:
    """What a session comes to. ``claimed_a`` is the claim as a current; ``behaviour`` None: two voltages are needed."""

    verdict: Verdict
    modes: tuple[ModeResult, ...]
    claimed_a: float | None
    behaviour: Behaviour | None
    findings: tuple[Finding, ...]


def judge_device(bench: DeviceBench) -> DeviceVerdict:
    """Return what a session comes to: each mode, the claim, how it draws, and what to look at again."""
    claimed_a = claimed_current_a(bench)
    modes = tuple(_result(bench, mode, claimed_a) for mode in bench.modes)
    behaviour, drawing = _behaviour(bench)
    findings = [*_floors(bench), *_burdens(bench, modes), *_claims(bench, modes, claimed_a), *drawing]
    severities = {f.severity for f in findings}
    if not modes or any(f.code == "below_converter_floor" for f in findings):
        verdict = Verdict.UNKNOWN
    elif Severity.FAILS in severities:
        verdict = Verdict.FAILS
    elif Severity.RISK in severities:
        verdict = Verdict.ON_PAPER_ONLY
    else:
        verdict = Verdict.HOLDS if claimed_a is not None else Verdict.UNKNOWN
    return DeviceVerdict(verdict=verdict, modes=modes, claimed_a=claimed_a, behaviour=behaviour, findings=tuple(findings))


def claimed_current_a(bench: DeviceBench) -> float | None:
    """Return what a sheet claims as a current at the session's voltage: as stated, capacity over hours, or watts over volts. [A]"""
    claim = bench.claim
    if claim.current_a is not None:
        return claim.current_a
    if claim.runs_h and claim.battery_ah:
        return claim.battery_ah / claim.runs_h
    return None if claim.power_w is None else claim.power_w / bench.supply_v


def least_input_a(bench: DeviceBench, at_v: float) -> float | None:
    """Return what a converter takes at the very least, I_out·V_out/V_in at 100 %; None where its output is not said. [A]"""
    if bench.out_v is None or bench.out_a is None:
        return None
    return bench.out_v * bench.out_a / at_v


def _result(bench: DeviceBench, mode: BenchedMode, claimed_a: float | None) -> ModeResult:
    burden_v = bench.burden_v(mode.current_a)
    battery_ah = bench.claim.battery_ah
    return ModeResult(
        mode=mode,
        limit_a=bench.limit_a(mode),
        burden_v=burden_v,
        seen_v=bench.volts_of(mode) - (burden_v or 0.0),
        claimed_ratio=None if not claimed_a or mode.use is ModeUse.BURST else mode.current_a / claimed_a,
        lasts_h=None if not battery_ah or mode.current_a <= 0 else battery_ah / mode.current_a,
    )


def _finding(code: str, severity: Severity, evidence: str, way_out: str, source: str = OURS) -> Finding:
    return Finding(code=code, severity=severity, evidence=evidence, source=source, way_out=way_out)


def _floors(bench: DeviceBench) -> list[Finding]:
    found: list[Finding] = []
    for mode in bench.modes:
        floor_a = least_input_a(bench, bench.volts_of(mode))
        if floor_a is not None and mode.use is not ModeUse.OTHER and mode.current_a + bench.limit_a(mode) < floor_a:
            said = (
                f"In {mode.name} it cannot be below {say_amps(floor_a)}, was read {say_amps(mode.current_a)}: the converter gives "
                f"{say_volts(bench.out_v or 0.0)} at {say_amps(bench.out_a or 0.0)}, and none gives more than it takes."
            )
            found.append(
                _finding("below_converter_floor", Severity.RISK, said, "Look at the reading: unit, range, or the load on the output.")
            )
    return found


def _burdens(bench: DeviceBench, modes: tuple[ModeResult, ...]) -> list[Finding]:
    found: list[Finding] = []
    for told in modes:
        if told.burden_v is None:
            continue
        starved = bench.min_v is not None and told.seen_v < bench.min_v
        if starved or told.burden_v > BURDEN_RATIO * bench.volts_of(told.mode):
            said = (
                f"The meter dropped about {plain_number(told.burden_v, 2)} V in {told.mode.name}, so the device saw {say_volts(told.seen_v)}"
                + (f", under the {say_volts(bench.min_v or 0.0)} it needs." if starved else ". It may have drawn differently.")
            )
            way = "Turn the bench supply up by what the meter drops, or take a range or jack that drops less, and read again."
            found.append(_finding("burden_misleads", Severity.RISK, said, way))
    return found


def _claims(bench: DeviceBench, modes: tuple[ModeResult, ...], claimed_a: float | None) -> list[Finding]:
    """Compare each lasting mode with the claim; a burst is no claim about what it draws all the time."""
    if not claimed_a:
        return []
    over = [m for m in modes if m.claimed_ratio is not None and m.mode.current_a - m.limit_a > (1 + KEPT_RATIO) * claimed_a]
    lasting = [m for m in modes if m.claimed_ratio is not None]
    if not lasting:
        return []
    claim = bench.claim
    promised = (
        f"{say_hours(claim.runs_h)} on {plain_number(claim.battery_ah)} Ah, which is {say_amps(claimed_a)}"
        if claim.current_a is None and claim.runs_h and claim.battery_ah
        else say_amps(claimed_a)
    )
    if not over:
        most = max(lasting, key=lambda m: m.mode.current_a)
        said = f"The sheet promises {promised}. In {most.mode.name} it drew {say_amps(most.mode.current_a)}, so it keeps what it promises."
        return [_finding("claim_kept", Severity.NOTE, said, "Nothing to do.")]
    worst = max(over, key=lambda m: m.claimed_ratio or 0.0)
    parts = [
        f"{m.mode.name} {say_times(m.claimed_ratio or 1.0)} ({say_amps(m.mode.current_a)}"
        + (f", {say_hours(m.lasts_h)} at most" if m.lasts_h else "")
        + ")"
        for m in sorted(over, key=lambda m: m.claimed_ratio or 0.0)
    ]
    said = f"The sheet promises {promised}. It draws more than that: {say_list(parts, most=6)}."
    # Hours are mostly standby: what it draws in an alarm makes them little shorter.
    rest = max((m for m in over if m.mode.use is ModeUse.STANDBY), key=lambda m: m.mode.current_a, default=worst)
    way = f"Reckon with {say_amps(rest.mode.current_a)}, as measured. Every hour worked out from the sheet is {say_times(rest.claimed_ratio or 1.0)} too long."
    return [_finding("claim_exceeded", Severity.FAILS, said, way)]


def _behaviour(bench: DeviceBench) -> tuple[Behaviour | None, list[Finding]]:
    """Tell how a device draws from one mode at two voltages that are far enough apart."""
    best: tuple[float, float, BenchedMode, BenchedMode] | None = None
    for n, one in enumerate(bench.modes):
        for two in bench.modes[n + 1 :]:
            if one.name.casefold() != two.name.casefold() or min(one.current_a, two.current_a) <= 0:
                continue
            volts = [bench.volts_of(m) - (bench.burden_v(m.current_a) or 0.0) for m in (one, two)]
            if min(volts) <= 0 or max(volts) / min(volts) < APART_RATIO:
                continue
            # On a log scale each way to draw is a straight line: constant power falls as 1/V, a resistance rises as V.
            over = math.log(volts[1] / volts[0])
            slope = math.log(two.current_a / one.current_a) / over
            limit = math.hypot(*(bench.limit_a(m) / m.current_a for m in (one, two))) / abs(over)
            if best is None or limit < best[1]:
                best = (slope, limit, one, two)
    if best is None:
        return None, []
    slope, limit, one, two = best
    kind = min(SLOPES, key=lambda b: abs(SLOPES[b] - slope))
    read = f"{say_amps(one.current_a)} at {say_volts(bench.volts_of(one))}, {say_amps(two.current_a)} at {say_volts(bench.volts_of(two))}"
    if limit > SLOPE_KNOWN_TO or abs(SLOPES[kind] - slope) > SLOPE_KNOWN_TO:
        why = (
            "the two are too near each other for this meter"
            if limit > SLOPE_KNOWN_TO
            else "it lies between the three ways a device may draw"
        )
        said = f"{one.name}: {read}. That does not tell how it draws: {why}."
        return None, [_finding("behaviour_untold", Severity.NOTE, said, "Take voltages further apart, within what the device bears.")]
    words = {
        Behaviour.CONSTANT_CURRENT: "a constant current",
        Behaviour.CONSTANT_POWER: "a constant power: it takes more as the battery sinks",
        Behaviour.RESISTIVE: "like a resistance: it takes less as the battery sinks",
    }[kind]
    return kind, [_finding("behaviour_told", Severity.NOTE, f"{one.name}: {read}. It draws {words}.", "Nothing to do.")]
