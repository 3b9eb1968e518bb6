"""Readings of a total that were taken into the register: what they say of the loads behind them.

The loads' currents are uncertain on their own, the total is known better. For normal errors with limits u (all at the same confidence) the
loads move by  Δx = D Aᵀ M⁻¹ (T − A x)  with  D = diag(u²),  M = A D Aᵀ + diag(u_T²), and what is left of a figure with the sensitivities
δ (its change when one load alone is at its limit) is  Σδ² − wᵀ M⁻¹ w,  w = Σ δ·U,  U = a·u  (Gaussian conditioning; GUM, JCGM 100:2008, for
limits that add as root of squares).
"""

import numpy as np


def solve(matrix: list[list[float]], right: list[float]) -> list[float]:
    """Return x of M·x = b for a symmetric M; the least x where totals say the same twice. Shapes (n, n) and (n,)."""
    try:
        return np.linalg.solve(np.array(matrix), np.array(right)).tolist()
    except np.linalg.LinAlgError:
        return np.linalg.lstsq(np.array(matrix), np.array(right), rcond=None)[0].tolist()


def spread_matrix(parts_a: list[list[float]], limits_a: list[float]) -> list[list[float]]:
    """Return M = A D Aᵀ + R. [A²]

    Parameters
    ----------
    parts_a
        For each total, the limit of each load's part of it (0 for a load that is not behind it). [A], shape (n_totals, n_loads)
    limits_a
        The limit of each total. [A], shape (n_totals,)
    """
    return [
        [sum(a * b for a, b in zip(row, other, strict=True)) + (limits_a[i] ** 2 if i == j else 0.0) for j, other in enumerate(parts_a)]
        for i, row in enumerate(parts_a)
    ]


def shift_of_loads(parts_a: list[list[float]], limits_a: list[float], residuals_a: list[float]) -> list[float]:
    """Return for each load by how many of its own limits it moves when the totals are believed. Shape (n_loads,)

    ``residuals_a`` is each total less the sum of its loads as they were. [A]
    """
    if not parts_a:
        return []
    # Each load moves by its share of the doubt: what is known well hardly moves.
    weights = solve(spread_matrix(parts_a, limits_a), residuals_a)
    return [sum(w * row[n] for w, row in zip(weights, parts_a, strict=True)) for n in range(len(parts_a[0]))]


def explained_square(deltas: list[float], parts_a: list[list[float]], limits_a: list[float]) -> float:
    """Return how much of Σδ² the totals explain: wᵀ M⁻¹ w, at most Σδ²."""
    if not parts_a:
        return 0.0
    w = [sum(d * part for d, part in zip(deltas, row, strict=True)) for row in parts_a]
    weights = solve(spread_matrix(parts_a, limits_a), w)
    return min(sum(a * b for a, b in zip(w, weights, strict=True)), sum(d * d for d in deltas))
