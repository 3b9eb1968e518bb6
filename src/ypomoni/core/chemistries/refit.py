"""Cell models fitted to rows of a discharge table: Levenberg-Marquardt with a robust loss, by the model's own derivatives.

Unknowns: ln q, ln R, ln g, ln k, ln R1, and shifts of E(h) at the anchors of the chemistry, linear between them and level outside. Residuals: of an end
ln(hours) over 1 %, of a reading volts over 6 mV, of every unknown its value over its prior's spread. All go through the loss
ρ(z) = 2·(√(1 + z) − 1), z = (residual/3)², which lets a slip stand off instead of bending the curve.

`scipy.optimize.least_squares` does the same, and takes half a second to load; a test holds this to it.
"""

from dataclasses import dataclass
from math import exp, log

import numpy as np

from ypomoni.core.chemistries.cells import CellModel
from ypomoni.core.chemistries.model import Chemistry, interpolate

Array = np.ndarray
# How far a row of a good table lies from the model. Rough [L].
END_SPREAD_RATIO = 0.01
READING_SPREAD_V = 0.006
# How far makes differ from the chemistry's figures, as ln: q, R, g, k, R1. Rough [L]. What only diffuses in slowly differs most: thick plates and
# energy cells hold several times as much of it as thin ones and power cells.
PRIOR_SPREADS = (0.10, 0.50, 0.50, 1.00, 1.00)
ROBUST_SCALE = 3.0
# The valley in k has more than one floor, so it is entered from three sides.
STARTS_OF_K = (1.0, 0.25, 4.0)
MOST_STEPS = 80
SMALL_GAIN_RATIO = 1e-7
MOST_SPREADS, MOST_TIMES_AS_LARGE = 5.0, 1000.0
LEAST_HEAD = 1e-9
# Halved until the slope of one straight piece leads home.
BISECTIONS_COUNT, NEWTON_COUNT = 14, 3


@dataclass(frozen=True, slots=True)
class FitRows:
    """Rows per ampere-hour and per cell, each of shape (n,): rate I/C20 [1/h], hours [h], volts [V], and which are readings on the way."""

    rates_per_h: Array
    after_h: Array
    cell_v: Array
    is_reading: Array


class Shape:
    """The model of one chemistry with its unknowns, evaluated for all rows at once.

    ``x`` is (ln q, ln R, ln g, ln k, ln R1, shifts…), relative to the chemistry's figures, shape (5 + anchors,).
    """

    def __init__(self, chemistry: Chemistry) -> None:
        self.chemistry = chemistry
        anchors = [a for a, _ in chemistry.curve_anchors]
        self.spreads = np.array([*PRIOR_SPREADS, *(s for _, s in chemistry.curve_anchors)])
        # Nothing that is known of batteries lies further away than this. How much a block holds is open: rows of another block are to be told.
        self.furthest = MOST_SPREADS * self.spreads
        self.furthest[0] = log(MOST_TIMES_AS_LARGE)
        own = [h for h, _ in chemistry.ocv_rows]
        self.heads = np.array(sorted({*own, *anchors}))
        self.volts = np.array([interpolate(chemistry.ocv_rows, h) for h in self.heads])
        # How much each shift lifts each head: a tent at its anchor, level beyond the first and the last. shape (heads, anchors)
        self.tents = np.array([[np.interp(h, anchors, row) for row in np.eye(len(anchors))] for h in self.heads]).reshape(
            len(self.heads), len(anchors)
        )

    def cell(self, x: Array) -> CellModel:
        """Return the cell at a point."""
        c, (q, r, g, k, r1) = self.chemistry, self._figures(x)
        return CellModel(
            capacity_over_c20_ratio=q,
            resistance_ohm_ah=r,
            g=g,
            k_per_h=k,
            r1_h=r1,
            ocv_rows=tuple(zip(self.heads.tolist(), self._curve(x).tolist(), strict=True)),
            activation_v=c.activation_v,
            exchange_per_h=c.exchange_per_h,
        )

    def _figures(self, x: Array) -> tuple[float, ...]:
        """Return q/C20, rAh, g, k and R1 at a point."""
        c = self.chemistry
        own = (c.capacity_over_c20_ratio, c.resistance_ohm_ah, c.g, c.k_per_h, c.r1_h)
        return tuple(a * exp(v) for a, v in zip(own, x[:5], strict=True))

    def _curve(self, x: Array) -> Array:
        """Return the shifted curve at its heads; one that would fall towards full is kept level there."""
        return np.maximum.accumulate(self.volts + self.tents @ x[5:])

    def evaluate(self, x: Array, rates: Array, t: Array) -> tuple[Array, Array, Array]:
        """Return V, dV/dt and dV/dx at constant rates after t hours. shapes (n,), (n,), (n, unknowns)"""
        c, (q, r, g, k, r1) = self.chemistry, self._figures(x)
        fade = np.exp(-k * t)
        h = np.maximum(1.0 - rates * (t + r1 * (1.0 - fade)) / q, LEAST_HEAD)
        curve = self._curve(x)
        n = np.clip(np.searchsorted(self.heads, h, side="right") - 1, 0, len(self.heads) - 2)
        part = (h - self.heads[n]) / (self.heads[n + 1] - self.heads[n])
        e = curve[n] + part * (curve[n + 1] - curve[n])
        slope = (curve[n + 1] - curve[n]) / (self.heads[n + 1] - self.heads[n])
        growth = 1.0 + g * (1.0 - h) / h
        x_act = rates * growth / c.exchange_per_h
        v = e - rates * r * growth - c.activation_v * np.arcsinh(x_act)
        # What one unit more of growth costs, and what one unit more of head gives.
        per_growth = rates * r + c.activation_v * rates / c.exchange_per_h / np.sqrt(1.0 + x_act * x_act)
        per_head = slope + per_growth * g / (h * h)
        by_x = np.empty((len(t), len(x)))
        by_x[:, 0] = per_head * (1.0 - h)
        by_x[:, 1] = -rates * r * growth
        by_x[:, 2] = -per_growth * (growth - 1.0)
        by_x[:, 3] = -per_head * rates * r1 * k * t * fade / q
        by_x[:, 4] = -per_head * rates * r1 * (1.0 - fade) / q
        by_x[:, 5:] = self.tents[n] + part[:, None] * (self.tents[n + 1] - self.tents[n])
        return v, -per_head * rates * (1.0 + r1 * k * fade) / q, by_x

    def run_h(self, x: Array, rates: Array, end_v: Array) -> Array:
        """Return how long cells last at constant rates to their end voltages; shape (n,). [h]"""
        q = self._figures(x)[0]
        low, high = np.zeros_like(rates), q / rates
        for _ in range(BISECTIONS_COUNT):
            t = 0.5 * (low + high)
            below = self._volts(x, rates, t) < end_v
            high, low = np.where(below, t, high), np.where(below, low, t)
        t = 0.5 * (low + high)
        for _ in range(NEWTON_COUNT):
            v, by_t, _ = self.evaluate(x, rates, t)
            t = np.clip(t - (v - end_v) / np.minimum(by_t, -1e-12), low, high)
        return np.maximum(t, 1e-9)

    def _volts(self, x: Array, rates: Array, t: Array) -> Array:
        c, (q, r, g, k, r1) = self.chemistry, self._figures(x)
        h = np.maximum(1.0 - rates * (t - r1 * np.expm1(-k * t)) / q, LEAST_HEAD)
        growth = 1.0 + g * (1.0 - h) / h
        loss = rates * r * growth + c.activation_v * np.arcsinh(rates * growth / c.exchange_per_h)
        return np.interp(h, self.heads, self._curve(x)) - loss


def residuals(shape: Shape, rows: FitRows, x: Array) -> tuple[Array, Array]:
    """Return every residual in units of its spread, and its derivatives. shapes (n + unknowns,), (n + unknowns, unknowns)"""
    reading = rows.is_reading
    t = rows.after_h.copy()
    t[~reading] = shape.run_h(x, rows.rates_per_h[~reading], rows.cell_v[~reading])
    v, by_t, by_x = shape.evaluate(x, rows.rates_per_h, t)
    found, slopes = np.empty(len(t)), np.empty_like(by_x)
    found[reading] = (v[reading] - rows.cell_v[reading]) / READING_SPREAD_V
    slopes[reading] = by_x[reading] / READING_SPREAD_V
    # Where the voltage is held at the end's, the hours move by −(dV/dx)/(dV/dt).
    found[~reading] = np.log(t[~reading] / rows.after_h[~reading]) / END_SPREAD_RATIO
    slopes[~reading] = -by_x[~reading] / (np.minimum(by_t, -1e-12) * t)[~reading, None] / END_SPREAD_RATIO
    return np.concatenate([found, x / shape.spreads]), np.concatenate([slopes, np.diag(1.0 / shape.spreads)])


def cost_of(found: Array) -> float:
    """Return the robust cost of residuals."""
    return float(np.sum(ROBUST_SCALE**2 * (np.sqrt(1.0 + (found / ROBUST_SCALE) ** 2) - 1.0)))


def refit(rows: FitRows, chemistry: Chemistry) -> CellModel:
    """Return the cell of least cost for rows, the best of three starts."""
    shape = Shape(chemistry)
    return shape.cell(min((_descend(shape, rows, k) for k in STARTS_OF_K), key=lambda found: found[0])[1])


def _descend(shape: Shape, rows: FitRows, k_ratio: float) -> tuple[float, Array]:
    """Return the cost and the point at the bottom of the valley that a start leads into."""
    x = np.zeros(len(shape.spreads))
    x[3] = log(k_ratio)
    found, slopes = residuals(shape, rows, x)
    cost, damping = cost_of(found), 1e-3
    for _ in range(MOST_STEPS):
        # Reweighted least squares: the loss gives every residual the weight ρ′.
        weights = 1.0 / np.sqrt(1.0 + (found / ROBUST_SCALE) ** 2)
        normal = slopes.T @ (weights[:, None] * slopes)
        downhill = slopes.T @ (weights * found)
        tried = x - np.linalg.solve(normal + damping * np.diag(np.diag(normal)), downhill)
        tried = np.clip(tried, -shape.furthest, shape.furthest)
        new_found, new_slopes = residuals(shape, rows, tried)
        new_cost = cost_of(new_found)
        if new_cost < cost:
            gain = cost - new_cost
            x, found, slopes, cost, damping = tried, new_found, new_slopes, new_cost, max(damping * 0.2, 1e-9)
            if gain < SMALL_GAIN_RATIO * cost:
                break
        else:
            damping *= 6.0
            if damping > 1e8:
                break
    return cost, x
