"""The law of the battery is said once; whoever writes it out again for speed is held to it at random states."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.outage import walk as walking
from ypomoni.core.outage.demand import Timeline
from ypomoni.core.outage.law import COLLAPSED, accepted_a, charge, relax, terminal
from ypomoni.core.outage.run import HoldoverRun
from ypomoni.core.outage.sampling import Batch
from ypomoni.core.things.batteries import Bank, build_pack

BLOCKS = {"lead_agm": (12.0, 17.0), "lifepo4": (12.8, 20.0), "li_ion": (11.1, 10.0), "nimh": (12.0, 8.0), "alkaline": (12.0, 8.0)}
STATES = {
    "chemistry": st.sampled_from(sorted(BLOCKS)),
    "gone_ratio": st.floats(0.0, 1.0),
    "waiting_ratio": st.floats(0.0, 0.2),
    "i": st.floats(0.0, 8.0),
    "p": st.sampled_from([0.0, 5.0, 60.0]),
    "s": st.sampled_from([0.0, 0.02, 0.3]),
}


def pack_of(chemistry, condition_ratio=0.9, degc=15.0):
    block_v, capacity_ah = BLOCKS[chemistry]
    bank = Bank(chemistry_key=chemistry, block_v=block_v, capacity_ah=capacity_ah, rate_h=20.0, series=1, parallel=1)
    return build_pack(bank, condition_ratio=condition_ratio, temperature_degc=degc)


def walked_slowly(pack, threshold_v, u, d, draw, until_h, dt=0.0005):
    """Return where a draw ends, stepped by the law alone in steps too short to matter."""
    t = 0.0
    while t < until_h:
        i, v = terminal(pack, u, d, *draw)
        if v < threshold_v:
            return t, u, d, True
        u, d = relax(pack, u, d, i, dt)
        t += dt
    return t, u, d, False


def test_the_law_keeps_charge_and_shows_what_ohm_says():
    """At rest only self-discharge moves; at a current the drop is I·R and the activation loss; what waits comes back by e^(−k·t)."""
    pack = pack_of("lead_agm")
    u, d = relax(pack, 2.0, 1.0, 0.0, 3.0)
    assert (u, d) == pytest.approx((2.0 + 3.0 * pack.self_a, math.exp(-3.0 * pack.k_per_h)))
    rest_v, drawn_v = terminal(pack, 0.0, 0.0, 0.0, 0.0, 0.0)[1], terminal(pack, 0.0, 0.0, 2.0, 0.0, 0.0)[1]
    assert rest_v == pytest.approx(6 * 2.157)
    # By hand: 2 A on 17 Ah is 0.588 of the exchange current of 0.2 C20, so each cell loses 0.0257·asinh(0.588) V besides.
    assert rest_v - drawn_v == pytest.approx(2.0 * pack.resistance_ohm + 6 * 0.0257 * 0.5587, rel=1e-4)
    # A power draws P/V of the voltage it leaves; more than E²/4R is not to be had.
    current_a, v = terminal(pack, 0.0, 0.0, 0.0, 24.0, 0.0)
    assert current_a * v == pytest.approx(24.0)
    assert terminal(pack, 0.0, 0.0, 0.0, rest_v**2 / (4 * pack.resistance_ohm), 0.0) == (0.0, COLLAPSED)
    # Charging is the same backwards, with the share that is kept.
    chemistry = CHEMISTRIES["lead_agm"]
    assert charge(pack, chemistry, 2.0, 1.0, 0.5, 1.0) == relax(pack, 2.0, 1.0, -0.5 * chemistry.charge_ratio, 1.0)
    assert accepted_a(pack, chemistry, rest_v - 0.01, 0.0, 0.0) == 0.0
    assert accepted_a(pack, chemistry, 13.65, 8.0, 0.0) > accepted_a(pack, chemistry, 13.65, 1.0, 0.0) > 0.0


@settings(max_examples=60, deadline=None)
@given(**STATES, until_h=st.floats(0.002, 1.5))
def test_the_written_out_walk_keeps_to_the_law(chemistry, gone_ratio, waiting_ratio, i, p, s, until_h):
    """Any draw from any state: where it stops, and in which state, as stepped by the law alone."""
    pack = pack_of(chemistry)
    u, d = gone_ratio * pack.capacity_ah, waiting_ratio * pack.capacity_ah
    threshold_v = 0.8 * pack.full_v
    t, slow_u, slow_d, ended = walked_slowly(pack, threshold_v, u, d, (i, p, s), until_h)
    stop = walking.walk(pack, threshold_v, u, d, [(0.0, i, p, s)], until_h)
    if stop.ended != ended:
        # The end lies within a step of the horizon.
        assert abs(stop.t_h - until_h) < 0.002
        return
    assert stop.t_h == pytest.approx(t, abs=max(0.002, 0.002 * t))
    assert (stop.u_ah, stop.d_ah) == pytest.approx((slow_u, slow_d), abs=0.004 * pack.capacity_ah)


@settings(max_examples=100, deadline=None)
@given(**STATES, dt=st.floats(0.0, 5.0))
def test_the_walk_over_arrays_keeps_to_the_law(chemistry, gone_ratio, waiting_ratio, i, p, s, dt):
    """Voltage, current and state of every sample are the law's, a collapse included."""
    packs = [pack_of(chemistry, condition_ratio) for condition_ratio in (1.0, 0.6)]
    batch = Batch([HoldoverRun(pack, Timeline((i, p, s), ()), Timeline((i, p, s), ()), 0.0, 9.0) for pack in packs])
    u, d = (np.array([ratio * pack.capacity_ah for pack in packs]) for ratio in (gone_ratio, waiting_ratio))
    currents_a, volts = batch.terminal(batch.everyone, u, d, np.array([[i, p, s]] * 2))
    moved_u, moved_d = batch.relax(batch.everyone, u, d, np.array([i, i]), np.array([dt, dt]))
    for n, pack in enumerate(packs):
        current_a, v = terminal(pack, u[n], d[n], i, p, s)
        if 1.0 - (u[n] + d[n]) / pack.capacity_ah > 1e-9:
            assert (currents_a[n], volts[n]) == pytest.approx((current_a, v), rel=1e-9, abs=1e-9)
        assert (moved_u[n], moved_d[n]) == pytest.approx(relax(pack, u[n], d[n], i, dt), rel=1e-12)


def test_the_fast_way_is_taken(monkeypatch):
    """A power with bursts is walked by the inlined trapezoid: of two hundred short pieces hardly any is stepped."""
    stepped = []
    slow = walking._walk_mixed
    monkeypatch.setattr(walking, "_walk_mixed", lambda *a, **k: stepped.append(a) or slow(*a, **k))
    pack = pack_of("lead_agm")
    pieces = [(n * 0.01, 0.1, 4.0 + (n % 2) * 2.0, 0.0) for n in range(200)]
    stop = walking.walk(pack, 10.5, 0.0, 0.0, pieces, 2.0)
    assert not stop.ended
    assert len(stepped) < 20
