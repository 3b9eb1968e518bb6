"""How likely it still holds: sampled outages of the same model, all samples stepped at once.

Every uncertain input is drawn independently, as its band is: its limits are 95 %, so they lie 1.96 deviations away, on either side by
as much as that side is wide. Equal pieces of a load move together. Only numpy is here, and the random numbers come from a seed.

Samples share the instants at which bursts begin and end. Where those recur all samples walk the same periodic pattern, each at an
instant of its own, so that holdovers are sought in all samples by one bisection.
"""

from dataclasses import dataclass

import numpy as np

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.conditioning import spread_matrix
from ypomoni.core.outage.demand import LoadCurrents
from ypomoni.core.outage.run import HoldoverRun
from ypomoni.core.outage.sampling import Batch
from ypomoni.core.outage.uncertainty import CONDITION_SPREAD_RATIO
from ypomoni.core.things.outputs import OVERHEAD_SPREAD_RATIO, AcOutput

DEVIATIONS = 1.96
DEFAULT_SEED = 20_261_125
SAMPLES_COUNT = 1_000
# Drawn as it grows: a first look soon, the rest in ever larger steps, since many at once cost little more than few.
CHUNKS = (100, 300, 600)
# Beyond this an input counts as at its limit times this: a normal variable has no end, a current cannot be below nothing.
LARGEST_Z = 4.0
LEAST_CONDITION_RATIO = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class Sampled:
    """Holdovers of sampled outages. [h], shape (n_samples,)"""

    holdovers_h: np.ndarray
    seed: int


@dataclass(frozen=True, slots=True, kw_only=True)
class SurvivalCurve:
    """The share of samples that still hold after each time, with the quantiles that a band would show. [h, ratio]"""

    hours_h: tuple[float, ...]
    holds_ratio: tuple[float, ...]
    samples_count: int
    seed: int
    low_h: float
    median_h: float
    high_h: float
    meets_ratio: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Inputs:
    """What is drawn for each sample: a standard deviate per load, of the capacity, and of the condition. shape (n_samples,) or (n_samples, n_loads)

    ``standby_z`` are those of the loads' standby currents: the same, or what measured totals leave of them.
    """

    loads_z: np.ndarray
    standby_z: np.ndarray
    capacity_z: np.ndarray
    condition_z: np.ndarray
    # Of an inverter's overhead, where that is only reckoned.
    overhead_z: np.ndarray


def draw_inputs(case: Case, samples_count: int, seed: int, first: int = 0) -> Inputs:
    """Return the inputs of samples from ``first`` on; the same for a seed, however many are asked for at once."""
    count = len(case.currents)
    totals, parts = case.total_parts_a(in_alarm=False)
    guessed = isinstance(case.supply.output, AcOutput) and case.supply.output.is_overhead_guessed
    z = np.zeros((samples_count, count + 3 + len(totals)))
    drawn_count = count + 2 + len(totals) + (1 if guessed else 0)
    for n in range(samples_count):
        z[n, :drawn_count] = np.random.default_rng((seed, first + n)).standard_normal(drawn_count)
    z = np.clip(z, -LARGEST_Z, LARGEST_Z)
    standby_z = _given_totals(z[:, :count], z[:, count + 2 : -1], np.array(parts), np.array([t.uncertainty_a for t in totals]))
    return Inputs(loads_z=z[:, :count], standby_z=standby_z, capacity_z=z[:, count], condition_z=z[:, count + 1], overhead_z=z[:, -1])


def _given_totals(loads_z: np.ndarray, totals_z: np.ndarray, parts_a: np.ndarray, limits_a: np.ndarray) -> np.ndarray:
    """Return deviates of the loads given totals that were read: z − Pᵀ M⁻¹ (P z + R ε), so spread as the band is after them.

    Conditioning by kriging (Matheron's rule; Journel & Huijbregts, Mining Geostatistics, 1978). P are the loads' parts of each total,
    R its own limit, ε its deviates; the loads already stand where the totals put them. [A], shapes (n_totals, n_loads) and (n_totals,)
    """
    if not len(limits_a):
        return loads_z
    spread = np.array(spread_matrix(parts_a.tolist(), limits_a.tolist()))
    said = loads_z @ parts_a.T + totals_z * limits_a
    return loads_z - np.linalg.solve(spread, said.T).T @ parts_a


def currents_of_sample(case: Case, loads_z: np.ndarray, standby_z: np.ndarray) -> tuple[LoadCurrents, ...]:
    """Return the currents of one sample: expected, moved towards the bad end by z/1.96 of its distance, or towards the good end."""
    found: list[LoadCurrents] = []
    for c, (bad, good), z, own_z in zip(case.currents, case.current_ends, loads_z, standby_z, strict=True):
        end, part = (bad if z >= 0 else good), abs(float(z)) / DEVIATIONS
        standby_end, standby_part = (bad if own_z >= 0 else good), abs(float(own_z)) / DEVIATIONS
        alarm_end, alarm_part = (standby_end, standby_part) if c.load.alarm_is_standby else (end, part)
        found.append(
            LoadCurrents(
                load=c.load,
                standby_current_a=_moved(c.standby_current_a, standby_end.standby_current_a, standby_part),
                alarm_current_a=_moved(c.alarm_current_a, alarm_end.alarm_current_a, alarm_part),
                burst_currents_a=tuple(_moved(b, e, part) for b, e in zip(c.burst_currents_a, end.burst_currents_a, strict=True)),
                extra_current_a=_moved(c.extra_current_a, end.extra_current_a, part),
                extra_peak_a=c.extra_peak_a,
                pieces_coincide=end.pieces_coincide and part >= 1.0,
            )
        )
    return tuple(found)


def _moved(from_a: float, to_a: float, part: float) -> float:
    return max(0.0, from_a + (to_a - from_a) * part)


def bank_of_sample(case: Case, capacity_z: float, condition_z: float) -> tuple[float, float]:
    """Return the capacity ratio and the condition of one sample."""
    spread = case.capacity_spread_ratio
    condition_ratio = case.condition_today_ratio
    if case.bank.condition_ratio is None:
        condition_ratio = max(LEAST_CONDITION_RATIO, condition_ratio + CONDITION_SPREAD_RATIO * condition_z / DEVIATIONS)
    return max(0.05, 1.0 + spread * capacity_z / DEVIATIONS), condition_ratio


def scalar_holdover_h(case: Case, inputs: Inputs, n: int) -> float:
    """Return the holdover of one sample by the scalar run: what the vectorised one is checked against. [h]"""
    return run_of_sample(case, inputs, n).holdover().holdover_h


def run_of_sample(case: Case, inputs: Inputs, n: int) -> HoldoverRun:
    """Return the outage of one sample."""
    capacity_ratio, condition_ratio = bank_of_sample(case, float(inputs.capacity_z[n]), float(inputs.condition_z[n]))
    currents = currents_of_sample(case, inputs.loads_z[n], inputs.standby_z[n])
    overhead_ratio = max(0.0, 1.0 + OVERHEAD_SPREAD_RATIO * float(inputs.overhead_z[n]) / DEVIATIONS)
    return case.run_of(currents, condition_ratio=condition_ratio, capacity_ratio=capacity_ratio, overhead_ratio=overhead_ratio)


def sample_holdovers(case: Case, samples_count: int, seed: int = DEFAULT_SEED, first: int = 0) -> Sampled:
    """Return the holdovers of sampled outages."""
    inputs = draw_inputs(case, samples_count, seed, first)
    outages = [run_of_sample(case, inputs, n) for n in range(samples_count)]
    batch = Batch(outages)
    begin = None
    if batch.standby.period_h:
        coarse = Batch([HoldoverRun(o.pack, o.standby.averaged(), o.alarm.averaged(), o.alarm_h, o.threshold_v) for o in outages])
        coarse_h = coarse.holdovers_h()
        peaks = [np.array(draws) for draws in zip(*(o.peak_draws() for o in outages), strict=True)]
        begin = batch.averaged_start(coarse_h, coarse.carries_peak_until_h(peaks, outages[0].threshold_v))
    found_h = batch.holdovers_h(begin)
    if begin is not None and np.any(found_h <= begin[0] + 2 * batch.standby.period_h + 2.0 / batch.k):
        # Some end before their averaged stretch has faded: then every burst is walked.
        found_h = batch.holdovers_h()
    return Sampled(holdovers_h=np.minimum(found_h, _cut_at_h(outages)), seed=seed)


def _cut_at_h(outages: list[HoldoverRun]) -> np.ndarray:
    """Return when the output of each outage switches off for want of load; at once where it does so in an alarm. [h]"""
    return np.array([0.0 if o.alarm_is_cut else o.latest_h for o in outages])


def survival_curve(holdovers_h: np.ndarray, standby_h: float, seed: int, points_count: int = 121) -> SurvivalCurve:
    """Return the survival curve of sampled holdovers."""
    ordered = np.sort(holdovers_h)
    # A little beyond both, so that the curve is seen to reach nought and the required hours lie on it.
    longest_h = max(float(ordered[-1]) * 1.02, standby_h * 1.02, 1e-3)
    hours_h = np.linspace(0.0, longest_h, points_count)
    holds = 1.0 - np.searchsorted(ordered, hours_h, side="left") / len(ordered)
    low_h, median_h, high_h = (float(q) for q in np.quantile(ordered, (0.025, 0.5, 0.975)))
    return SurvivalCurve(
        hours_h=tuple(float(h) for h in hours_h),
        holds_ratio=tuple(float(p) for p in holds),
        samples_count=len(ordered),
        seed=seed,
        low_h=low_h,
        median_h=median_h,
        high_h=high_h,
        meets_ratio=float(np.mean(ordered >= standby_h)),
    )
