"""The mixed-integer program of a search: which unit hangs on which supply, at least cost, within what is known."""

from collections.abc import Callable, Iterable
from typing import Any

import numpy as np

from ypomoni.core.balance.search.picture import Constraint
from ypomoni.core.things.loads import Purpose

ROOM_GAP_RATIO = 0.003
ROW_ROUNDING_A = 1e-7

Placement = tuple[frozenset[int], ...]


class Program:
    """Units by supplies: which may hang where, at what cost, and the rows each supply keeps.

    Parameters
    ----------
    may, cost
        Arrays of units × supplies: whether it may, and what it costs.
    drop_cost
        What leaving a unit out costs, infinite where it may not be. Shape (units,).
    purposes
        What the loads of each unit are for: life safety and convenience do not meet.
    firm_rows, charge_rows
        Per supply the limits on output and recharge, and the sides of the picture of its charge.
    now
        Per supply the units on it now: what the program first knows of its charge is what these fill most.
    clock
        Where times are read. [s]
    """

    def __init__(
        self,
        *,
        may: np.ndarray,
        cost: np.ndarray,
        drop_cost: np.ndarray,
        purposes: list[set[Purpose | None]],
        firm_rows: list[list[Constraint]],
        charge_rows: list[list[Constraint]],
        now: list[frozenset[int]],
        clock: Callable[[], float],
    ) -> None:
        self.may, self.cost, self.drop_cost, self.purposes, self.clock = may, cost, drop_cost, purposes, clock
        self.firm_rows, self.charge_rows = firm_rows, charge_rows
        # Supply, units, other units, most: of the units so many at most may hang there, and as many more as others do.
        self.cuts: list[tuple[int, frozenset[int], frozenset[int], int]] = []
        self.active: list[set[int]] = [set() for _ in charge_rows]
        for s, charge in enumerate(charge_rows):
            for some in (now[s], range(len(purposes))):
                filled = [sum(weights[u] for u in some) / limit if limit > 0 else np.inf for weights, limit in charge]
                if filled:
                    self.active[s].add(int(np.argmax(filled)))

    def placement(self, x: np.ndarray) -> Placement:
        """Return the placement of a solution."""
        units, supplies = self.may.shape
        return tuple(frozenset(u for u in range(units) if x[u * supplies + s] > 0.5) for s in range(supplies))

    def filled_ratio(self, s: int, units: frozenset[int]) -> float:
        """Return how much of the tightest bound on charge units take of a supply."""
        return max((sum(weights[u] for u in units) / most for weights, most in self.charge_rows[s] if most > 0), default=1.0)

    def solve(self, shares: np.ndarray, time_s: float, most_cost: float | None = None) -> Any:
        """Solve the program with those sides of the picture that matter: what a solution breaks of the others is added, and it is solved again."""
        until_s = self.clock() + time_s
        while True:
            found = self._solve_with(shares, max(0.05, until_s - self.clock()), most_cost)
            if found.x is None or found.status == 2:
                return found
            scales = shares * (found.x[-1] if most_cost is not None else 1.0)
            broken = False
            # The picture has hundreds of sides and a solution meets a few. Sides are added when a solution breaks them, so each program stays small.
            for s, units in enumerate(self.placement(found.x)):
                filled = [sum(weights[u] for u in units) - most * max(scales[s], 0.0) for weights, most in self.charge_rows[s]]
                worst = int(np.argmax(filled)) if filled else 0
                if filled and filled[worst] > ROW_ROUNDING_A and worst not in self.active[s]:
                    self.active[s].add(worst)
                    broken = True
            if not broken or self.clock() >= until_s:
                if broken:
                    found.x = None
                return found

    def _solve_with(self, shares: np.ndarray, time_s: float, most_cost: float | None) -> Any:
        """Solve for least cost with a share of some sides of the picture of charge; or, within a cost, for the smallest part of that share.

        Variables: which unit hangs where, which is left out, whether a supply feeds life safety, the part.
        """
        # A quarter of a second to load, and only this search needs it.
        from scipy.optimize import Bounds, LinearConstraint, milp
        from scipy.sparse import csr_array

        units, supplies = self.may.shape
        size = units * supplies
        life, part = size + units, size + units + supplies
        upper = np.ones(part + 1)
        upper[:size] = self.may.ravel()
        upper[size:life] = np.isfinite(self.drop_cost)
        costs = np.concatenate([self.cost.ravel(), np.where(np.isfinite(self.drop_cost), self.drop_cost, 0.0), np.zeros(supplies + 1)])
        entries: list[tuple[int, int, float]] = []
        least: list[float] = []
        most: list[float] = []

        def add(columns: Iterable[int], weights: Iterable[float], low: float, high: float) -> None:
            entries.extend((len(least), c, w) for c, w in zip(columns, weights, strict=True) if w)
            least.append(low)
            most.append(high)

        for u, purposes in enumerate(self.purposes):
            # Each unit hangs on exactly one supply, or is left out.
            add([*range(u * supplies, (u + 1) * supplies), size + u], [1.0] * (supplies + 1), 1.0, 1.0)
            for purpose, sign, limit in ((Purpose.LIFE_SAFETY, -1.0, 0.0), (Purpose.CONVENIENCE, 1.0, 1.0)):
                if purpose in purposes:
                    for s in range(supplies):
                        add([u * supplies + s, life + s], [1.0, sign], -np.inf, limit)
        for s in range(supplies):
            columns = range(s, size, supplies)
            for weights, limit in self.firm_rows[s]:
                add(columns, weights, -np.inf, limit)
            for weights, limit in (self.charge_rows[s][n] for n in sorted(self.active[s])):
                if most_cost is None or limit <= 0:
                    add(columns, weights, -np.inf, limit * shares[s])
                else:
                    add([*columns, part], [*weights, -limit * shares[s]], -np.inf, 0.0)
        for s, group, others, limit in self.cuts:
            add([u * supplies + s for u in (*group, *others)], [1.0] * len(group) + [-1.0] * len(others), -np.inf, limit)
        whole = np.ones(part + 1)
        if most_cost is not None:
            add(range(part), costs[:part], -np.inf, most_cost)
            costs = np.concatenate([np.zeros(part), [1.0]])
            # The last variable is the part of the bound that is used: least within a given cost means the roomiest placement.
            upper[part] = min(1.0 / shares.min(), 2.0)
            whole[part] = 0.0
        rows, columns, weights = (np.array(part) for part in zip(*entries, strict=True)) if entries else ([], [], [])
        matrix = csr_array((weights, (rows, columns)), shape=(len(least), part + 1))
        return milp(
            costs,
            constraints=LinearConstraint(matrix, least, most),  # pyright: ignore[reportArgumentType]
            bounds=Bounds(np.zeros(part + 1), upper),  # pyright: ignore[reportArgumentType]
            integrality=whole,
            options={"time_limit": time_s, "mip_rel_gap": 0.0 if most_cost is None else ROOM_GAP_RATIO},
        )
