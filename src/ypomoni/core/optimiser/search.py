"""Placements of loads on supplies: a mixed-integer program proposes, the simulation judges. Called by the optimiser's front.

The program (HiGHS) knows of a battery only a linear bound that excludes nothing that holds (`picture`). Each placement is checked by the
simulation; a supply that fails gives back a smallest set of its loads that already fails, which no answer may put there again, until both
agree (logic-based Benders decomposition, Hooker & Ottosson, Mathematical Programming 96, 2003). More load never lengthens a holdover, so no
cut takes away an answer that holds, and the first least-cost placement that passes is proven best. Beside it a placement is tried that keeps
a margin to the bound: where it passes and costs no more, it is proven best too.
"""

from dataclasses import dataclass, replace

import numpy as np

from ypomoni.core.balancing import fixed_reason, moved, run_cable
from ypomoni.core.case import Case
from ypomoni.core.loads import Load, Purpose
from ypomoni.core.meeting import carries, meets
from ypomoni.core.optimiser.answers import Effort, Move, Objective
from ypomoni.core.optimiser.picture import Row, rows_of
from ypomoni.core.supplies import Plan, Supply
from ypomoni.core.uncertainty import expected_a

# Leaving a load out costs more than any number of moves; among those left out, the less they are for the safety of people the better.
DROP_COST = 1_000.0
DROP_RANK = {Purpose.CONVENIENCE: 0.0, None: 1.0, Purpose.MONITORING: 2.0, Purpose.SECURITY: 3.0}
# A metre is worth this many moves where cable counts, and a move a little, so that no load is moved for nothing.
MOVE_WEIGHT = 0.01
UNKNOWN_RUN_M = 30.0
LONGEST_SOLVE_S = 4.0
# What of the linear bound a bank with bursts, cables and powers on it is first trusted to keep, and how that is learnt from what fails.
FIRST_SHARE_RATIO = 0.96
LEARN_RATIO = 0.995
MARGIN_SOLVE_S = 1.5
COST_ROUNDING = 1e-6
# With more units than this a cut is not made as small as it could be: it says little among so many.
MOST_WHOLE_CUTS = 100
MOST_ROUNDS = 200

Placement = tuple[frozenset[int], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """What a search came to: a placement that passes or None, its cost, the proven bound on cost, and whether none exists at all."""

    placement: Placement | None
    cost: float
    bound: float
    is_ruled_out: bool
    rounds_count: int

    @property
    def is_proven(self) -> bool:
        """Whether nothing better exists."""
        return self.is_ruled_out or (self.placement is not None and self.cost <= self.bound + COST_ROUNDING)

    @property
    def gap_ratio(self) -> float | None:
        """How far the answer may be from the best, of its own cost; None without an answer."""
        if self.placement is None:
            return None
        return 0.0 if self.is_proven else (self.cost - self.bound) / self.cost


class Search:
    """One plan, its loads as units that go together, its supplies that can be computed."""

    def __init__(self, plan: Plan, objective: Objective, effort: Effort, *, may_drop: bool = False) -> None:
        self.plan, self.objective, self.effort, self.may_drop = plan, objective, effort, may_drop
        feed_ac = {load.supply_key for load in plan.loads if load.ac}
        self.supplies = [s for s in plan.supplies if s.is_modelled and s.bank is not None and s.key not in feed_ac]
        here = {s.key for s in self.supplies}
        self.units = units_of([load for load in plan.loads if load.supply_key in here])
        self.on: list[list[tuple[Load, ...]]] = [
            [tuple(moved(plan, load, s.key) for load in unit) for unit in self.units] for s in self.supplies
        ]
        self.may = np.array([[self._may(unit, s) for s in self.supplies] for unit in self.units], dtype=bool).reshape(len(self.units), -1)
        self.cost = np.array([[self._cost(unit, s) for s in self.supplies] for unit in self.units]).reshape(len(self.units), -1)
        pictures = [rows_of(s, on) for s, on in zip(self.supplies, self.on, strict=True)]
        self.rows: list[list[Row]] = [rows for rows, _ in pictures]
        self.charge_rows: list[list[Row]] = [charge for _, charge in pictures]
        self.cuts: list[tuple[int, frozenset[int], frozenset[int], int]] = []
        on_it = [[all(load.supply_key == s.key for load in unit) for unit in self.units] for s in self.supplies]
        self._untouched = [frozenset(u for u, is_on in enumerate(row) if is_on) for row in on_it]
        self._bare = [replace(s, totals=()) for s in self.supplies]
        self.known: dict[tuple[int, frozenset[int]], bool] = {}
        self._more: dict[int, list[frozenset[int]]] = {}

    # -- what may be, and what it costs ------------------------------------------------------------------------------------------------

    def _may(self, unit: tuple[Load, ...], supply: Supply) -> bool:
        return not any(load.supply_key != supply.key and fixed_reason(self.plan, load, supply) for load in unit)

    def _cost(self, unit: tuple[Load, ...], supply: Supply) -> float:
        going = [load for load in unit if load.supply_key != supply.key]
        if self.objective is Objective.MOVES:
            return float(len(going))
        return sum(MOVE_WEIGHT + run_m(self.plan, load, supply.key)[0] for load in going)

    def _drop_cost(self, unit: tuple[Load, ...]) -> float:
        if not self.may_drop or any(load.pinned or load.purpose is Purpose.LIFE_SAFETY for load in unit):
            return np.inf
        return sum(DROP_COST + 10.0 * DROP_RANK.get(load.purpose, 1.0) for load in unit)

    # -- the loop ----------------------------------------------------------------------------------------------------------------------

    def run(self, until_s: float) -> Found:
        """Return the best placement found until a time of the effort's clock."""
        if not self.units:
            nothing = tuple(frozenset[int]() for _ in self.supplies)
            fine = all(self.holds(s, units) for s, units in enumerate(nothing))
            return Found(placement=nothing if fine else None, cost=0.0, bound=0.0, is_ruled_out=not fine, rounds_count=0)
        best: Placement | None = None
        best_cost, bound, rounds = np.inf, 0.0, 0
        shares = np.full(len(self.supplies), FIRST_SHARE_RATIO)
        while rounds < MOST_ROUNDS and not self.effort.is_stopped():
            rounds += 1
            placement, lower, ruled_out = self._cheapest(until_s)
            if ruled_out:
                return Found(placement=best, cost=best_cost, bound=best_cost, is_ruled_out=best is None, rounds_count=rounds)
            bound = max(bound, self._rounded(lower))
            self.effort.tell(
                f"Round {rounds}: at least {bound:g}" if best is None else f"Round {rounds}: {best_cost:g} found, at least {bound:g}"
            )
            for tried in (placement, self._with_margin(shares, until_s)):
                if tried is None:
                    shares = (shares + 1.0) / 2.0
                    continue
                failing = [s for s in range(len(self.supplies)) if not self._carries(s, tried[s])]
                failing = failing or [s for s in range(len(self.supplies)) if not self.holds(s, tried[s])]
                for s in failing:
                    self._cut(s, tried[s])
                    shares[s] = min(shares[s], LEARN_RATIO * self._filled_ratio(s, tried[s]) * self._coverage_ratio(s, tried[s]))
                if not failing and self._cost_of(tried) < best_cost - COST_ROUNDING:
                    best, best_cost = tried, self._cost_of(tried)
                    shares = np.minimum(1.0, shares / LEARN_RATIO)
                if best_cost <= bound + COST_ROUNDING:
                    return Found(placement=best, cost=best_cost, bound=bound, is_ruled_out=False, rounds_count=rounds)
            if self.effort.clock() > until_s:
                break
        return Found(placement=best, cost=best_cost, bound=bound, is_ruled_out=False, rounds_count=rounds)

    def _rounded(self, lower: float) -> float:
        """Return a bound on whole moves as a whole number."""
        whole = self.objective is Objective.MOVES
        return float(np.ceil(lower - 1e-4)) if whole and np.isfinite(lower) else lower

    def _cost_of(self, placement: Placement) -> float:
        placed = {u for units in placement for u in units}
        left = sum(self._drop_cost(unit) for u, unit in enumerate(self.units) if u not in placed)
        return float(sum(self.cost[u, s] for s, units in enumerate(placement) for u in units) + left)

    def holds(self, s: int, units: frozenset[int]) -> bool:
        """Say whether a supply keeps all its limits with these units on it. Totals that were read count as long as its loads are the same."""
        supply = self.supplies[s] if units == self._untouched[s] else self._bare[s]
        return meets(supply, self.loads_on(s, units))

    def _carries(self, s: int, units: frozenset[int]) -> bool:
        """Say whether the charge of a supply is enough; outputs and recharge are linear, so the program keeps them by itself."""
        key = (s, units)
        if key not in self.known:
            case = Case(self._bare[s], self.loads_on(s, units))
            self.known[key] = case.draws_nothing or carries(case)
        return self.known[key]

    def loads_on(self, s: int, units: frozenset[int]) -> tuple[Load, ...]:
        """Return the loads of units as they are on a supply."""
        return tuple(load for u in sorted(units) for load in self.on[s][u])

    def _cut(self, s: int, units: frozenset[int]) -> None:
        """Forbid a smallest failing set of units, and with it those of the others that draw at least as much."""
        left, order = units, sorted(units, key=lambda u: sum(load.standby.current_a * load.quantity for load in self.units[u]))
        everything = frozenset(range(len(self.units)))
        if not self.holds(s, frozenset()):
            self.cuts.append((s, everything, frozenset(), 0))
            return
        if self._carries(s, units):
            # It fails of a total that was read, or of what the program keeps to within its rounding: just this set is not tried again.
            self.cuts.append((s, units, everything - units, len(units) - 1))
            return
        # Halves first, then one by one: what can be left out still failing is left out.
        size, least = len(order) // 2, 1 if len(self.units) <= MOST_WHOLE_CUTS else max(1, len(order) // 6)
        while size >= least:
            for n in range(0, len(order), size):
                some = frozenset(order[n : n + size]) & left
                if some and len(some) < len(left) and not self._carries(s, left - some):
                    left = left - some
            size //= 2
        more = [u for u in range(len(self.units)) if u not in left and all(u in self._at_least(v) for v in left)]
        self.cuts.append((s, left | frozenset(more), frozenset(), len(left) - 1))

    def _at_least(self, v: int) -> frozenset[int]:
        """Return the units that ask at least as much of any supply as one does, in every respect."""
        if v not in self._more:
            mine = _demand_of(self.units[v])
            others = [(u, _demand_of(unit)) for u, unit in enumerate(self.units)] if mine is not None else []
            self._more[v] = [
                frozenset(u for u, d in others if d is not None and mine is not None and all(a >= b for a, b in zip(d, mine, strict=True)))
            ]
        return self._more[v][0]

    # -- the program -------------------------------------------------------------------------------------------------------------------

    def _cheapest(self, until_s: float) -> tuple[Placement | None, float, bool]:
        """Return a placement of least cost that nothing known forbids, the program's bound on cost, and whether there is none."""
        found = self._solve(None, min(LONGEST_SOLVE_S, max(0.2, until_s - self.effort.clock())), 0.0)
        if found.status == 2:
            return None, np.inf, True
        bound = max(0.0, float(found.mip_dual_bound or 0.0))
        return (None if found.x is None else self._placement(found.x)), bound, False

    def _filled_ratio(self, s: int, units: frozenset[int]) -> float:
        """Return how much of the tightest bound on charge units take of a supply."""
        return max((sum(weights[u] for u in units) / most for weights, most in self.charge_rows[s] if most > 0), default=1.0)

    def _coverage_ratio(self, s: int, units: frozenset[int]) -> float:
        """Return what share of its hours a supply holds with units, at most 1 and not so low that nothing is learnt."""
        case = Case(self._bare[s], self.loads_on(s, units))
        must_h = case.requirement.standby_h
        return 1.0 if case.draws_nothing or must_h <= 0 else min(1.0, max(0.8, case.holdover().holdover_h / must_h))

    def _with_margin(self, shares: np.ndarray, until_s: float) -> Placement | None:
        """Return a placement of little cost that takes at most a share of what the picture gives of each charge."""
        left_s = until_s - self.effort.clock()
        if left_s <= 0:
            return None
        found = self._solve(shares, min(MARGIN_SOLVE_S, left_s), 0.0)
        return None if found.x is None else self._placement(found.x)

    def _placement(self, x: np.ndarray) -> Placement:
        n = len(self.supplies)
        return tuple(frozenset(u for u in range(len(self.units)) if x[u * n + s] > 0.5) for s in range(n))

    def _solve(self, shares: np.ndarray | None, time_s: float, gap_ratio: float):
        """Solve for least cost with all or a share of what the picture gives of charge.

        Variables: which unit hangs where, which is left out, whether a supply feeds life safety.
        """
        # A quarter of a second to load, and only this search needs it.
        from scipy.optimize import Bounds, LinearConstraint, milp
        from scipy.sparse import csr_array

        units, supplies = len(self.units), len(self.supplies)
        size = units * supplies
        life, whole = size + units, size + units + supplies
        upper = np.ones(whole)
        upper[:size] = self.may.ravel()
        drops = np.array([self._drop_cost(unit) for unit in self.units])
        upper[size : size + units] = np.isfinite(drops)
        costs = np.concatenate([self.cost.ravel(), np.where(np.isfinite(drops), drops, 0.0), np.zeros(supplies)])
        entries: list[tuple[int, int, float]] = []
        least: list[float] = []
        most: list[float] = []

        def add(columns: list[int], weights: list[float], low: float, high: float) -> None:
            entries.extend((len(least), c, w) for c, w in zip(columns, weights, strict=True) if w)
            least.append(low)
            most.append(high)

        for u, unit in enumerate(self.units):
            add([*range(u * supplies, (u + 1) * supplies), size + u], [1.0] * (supplies + 1), 1.0, 1.0)
            for purpose, sign, limit in ((Purpose.LIFE_SAFETY, -1.0, 0.0), (Purpose.CONVENIENCE, 1.0, 1.0)):
                if any(load.purpose is purpose for load in unit):
                    for s in range(supplies):
                        add([u * supplies + s, life + s], [1.0, sign], -np.inf, limit)
        for s in range(supplies):
            columns = [u * supplies + s for u in range(units)]
            for weights, limit in self.rows[s]:
                add(columns, weights, -np.inf, limit)
            if shares is not None:
                for weights, limit in self.charge_rows[s]:
                    add(columns, weights, -np.inf, limit * shares[s])
        for s, group, others, limit in self.cuts:
            columns = [u * supplies + s for u in (*group, *others)]
            add(columns, [1.0] * len(group) + [-1.0] * len(others), -np.inf, limit)
        rows, columns, weights = (np.array(part) for part in zip(*entries, strict=True)) if entries else ([], [], [])
        matrix = csr_array((weights, (rows, columns)), shape=(len(least), whole))
        return milp(
            costs,
            constraints=LinearConstraint(matrix, least, most),  # pyright: ignore[reportArgumentType]
            bounds=Bounds(np.zeros(whole), upper),  # pyright: ignore[reportArgumentType]
            integrality=np.ones(whole),
            options={"time_limit": time_s, "mip_rel_gap": gap_ratio},
        )

    # -- in the plan's words -----------------------------------------------------------------------------------------------------------

    def moves(self, placement: Placement) -> tuple[Move, ...]:
        """Return what changes, in the order of the plan."""
        at = {u: s for s, units in enumerate(placement) for u in units}
        found: dict[str, Move] = {}
        for u, unit in enumerate(self.units):
            to = self.supplies[at[u]].key if u in at else None
            for load in unit:
                if load.supply_key != to:
                    run, is_known = run_m(self.plan, load, to or "")
                    found[load.key] = Move(
                        load_key=load.key,
                        name=load.name,
                        from_key=load.supply_key or "",
                        to_key=to,
                        cable_m=run if to and is_known else None,
                    )
        return tuple(found[load.key] for load in self.plan.loads if load.key in found)

    def unknown_runs(self, moves: tuple[Move, ...]) -> tuple[str, ...]:
        """Name the ways of moved loads that are not known."""
        return tuple(dict.fromkeys(m.name for m in moves if m.to_key and m.cable_m is None))


def run_m(plan: Plan, load: Load, supply_key: str) -> tuple[float, bool]:
    """Return how much new cable a load needs on a supply, and whether that is known: otherwise the longest run known, or a usual length. [m]"""
    cable = run_cable(plan, load, supply_key)
    if cable is not None:
        return cable.length_m, True
    return max([run.length_m for run in plan.runs], default=UNKNOWN_RUN_M), False


def units_of(loads: list[Load]) -> list[tuple[Load, ...]]:
    """Return the loads that go together: a bus group is one."""
    groups: dict[str, list[Load]] = {}
    for load in loads:
        groups.setdefault(f"bus {load.bus_group}" if load.bus_group else f"load {load.key}", []).append(load)
    return [tuple(group) for group in groups.values()]


def _demand_of(unit: tuple[Load, ...]) -> tuple[float, ...] | None:
    """Return what a unit asks in numbers that all make it worse; None where it has more to it than that: bursts, thermostats, cables."""
    if any(load.bursts or load.thermostats or load.recharges or load.cable for load in unit):
        return None
    states = ([expected_a(load.standby) * load.quantity for load in unit], [expected_a(load.alarm) * load.quantity for load in unit])
    drawn = [
        sum(load.draw_per_amp[n] * current_a for load, current_a in zip(unit, currents, strict=True))
        for currents in states
        for n in range(3)
    ]
    return (*drawn, max((load.min_v or 0.0 for load in unit if load.essential), default=0.0))
