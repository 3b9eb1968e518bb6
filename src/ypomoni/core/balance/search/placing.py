"""Placements of loads on supplies: a mixed-integer program proposes, the simulation judges.

The program (HiGHS) knows of a battery only a linear bound that excludes nothing that holds (`picture`). Each placement is checked by the
simulation; a supply that fails gives back a smallest set of its loads that already fails, which no answer may put there again, until both
agree (logic-based Benders decomposition, Hooker & Ottosson, Mathematical Programming 96, 2003). More load never lengthens a holdover, so no
cut takes away an answer that holds, and the first least-cost placement that passes is proven best. Beforehand each supply that fails is asked
how many of its units must leave it at least, whatever else is done. Beside the cheapest placement one is tried that keeps a margin to the
bound, then the roomiest that costs less than the best so far: where one passes and costs no more than the bound, it is proven best too.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from ypomoni.core.balance.limits import carries, meets, movable_supplies
from ypomoni.core.balance.moves import fixed_reason, moved
from ypomoni.core.balance.search.answers import Effort, Move, Objective
from ypomoni.core.balance.search.picture import Constraint, rows_of
from ypomoni.core.balance.search.program import Placement, Program
from ypomoni.core.balance.search.units import demand_of, run_m, units_of
from ypomoni.core.evaluation.recommending import is_unsafe
from ypomoni.core.outage.case import Case
from ypomoni.core.sizing.simulation import sizing_outage
from ypomoni.core.things.loads import Load, Purpose
from ypomoni.core.things.supplies import Plan, Supply

# Leaving a load out costs more than any number of moves; among those left out, the less they are for the safety of people the better.
DROP_COST = 1_000.0
DROP_RANK = {Purpose.CONVENIENCE: 0.0, None: 1.0, Purpose.MONITORING: 2.0, Purpose.SECURITY: 3.0}
# A metre is worth this many moves where cable counts, and a move a little, so that no load is moved for nothing.
MOVE_WEIGHT = 0.01
LONGEST_SOLVE_S = 1.8
# What of the linear bound a bank with bursts, cables and powers on it is first trusted to keep, and how that is learnt from what fails.
FIRST_SHARE_RATIO = 0.985
LEARN_RATIO = 0.995
MARGIN_SOLVE_S = 1.5
# So many sets of units that could leave a supply are looked at.
MOST_LEAVING = 5_000
COST_ROUNDING = 1e-6
# With more units than this a cut is not made as small as it could be: it says little among so many.
MOST_WHOLE_CUTS = 100
MOST_ROUNDS = 200


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """The outcome of a search: the placement found (or None), its cost, the least cost that is proven possible, and whether it is proven that there is none."""

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
        """How much cheaper the best could be, as a share of this answer's cost. None without an answer."""
        if self.placement is None:
            return None
        return 0.0 if self.is_proven else (self.cost - self.bound) / self.cost


class Search:
    """One plan, its loads as units that go together, its supplies that can be computed.

    ``renewed`` is a supply whose bank is only being chosen: that must carry its hours old and cold as well, as any bank that is recommended.
    """

    def __init__(self, plan: Plan, objective: Objective, effort: Effort, *, may_drop: bool = False, renewed: str | None = None) -> None:
        self.plan, self.objective, self.effort, self.may_drop, self.renewed = plan, objective, effort, may_drop, renewed
        self.supplies = movable_supplies(plan)
        here = {s.key for s in self.supplies}
        self.units = units_of([load for load in plan.loads if load.supply_key in here])
        self.on: list[list[tuple[Load, ...]]] = [
            [tuple(moved(plan, load, s.key) for load in unit) for unit in self.units] for s in self.supplies
        ]
        # Totals that were read speak of the loads as they hang now, so they are left out wherever loads may change.
        self._unsafe = {s.key for s in self.supplies if is_unsafe(replace(s, totals=()), plan.loads_on(s.key))}
        shape = (len(self.units), len(self.supplies))
        self.may = np.array([[self._may(unit, s) for s in self.supplies] for unit in self.units], dtype=bool).reshape(shape)
        self.cost = np.array([[self._cost(unit, s) for s in self.supplies] for unit in self.units]).reshape(shape)
        pictures = [rows_of(s, on) for s, on in zip(self.supplies, self.on, strict=True)]
        self.firm_rows: list[list[Constraint]] = [firm for firm, _ in pictures]
        self.charge_rows: list[list[Constraint]] = [charge for _, charge in pictures]
        on_it = [[all(load.supply_key == s.key for load in unit) for unit in self.units] for s in self.supplies]
        self._untouched = [frozenset(u for u, is_on in enumerate(row) if is_on) for row in on_it]
        self.program = Program(
            may=self.may,
            cost=self.cost,
            drop_cost=np.array([self._drop_cost(unit) for unit in self.units]),
            purposes=[{load.purpose for load in unit} for unit in self.units],
            firm_rows=self.firm_rows,
            charge_rows=self.charge_rows,
            now=self._untouched,
            clock=effort.clock,
        )
        self._bare = [replace(s, totals=()) for s in self.supplies]
        self.known: dict[tuple[int, frozenset[int]], bool] = {}
        self._more: dict[int, list[frozenset[int]]] = {}

    # -- what may be, and what it costs ------------------------------------------------------------------------------------------------

    def _may(self, unit: tuple[Load, ...], supply: Supply) -> bool:
        # Nothing is sent to a supply that could hurt somebody; what hangs there may stay or leave.
        if supply.key in self._unsafe and any(load.supply_key != supply.key for load in unit):
            return False
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

        def consider(tried: Placement | None) -> None:
            nonlocal best, best_cost, shares
            if tried is None:
                return
            failing = self._failing(tried)
            # The linear picture is only a bound. What the simulation refuses is cut off for good, and tells how far the bound is from the truth there.
            shares = self._learnt(tried, failing, shares)
            if not failing and self._cost_of(tried) < best_cost - COST_ROUNDING:
                best, best_cost = tried, self._cost_of(tried)

        # A supply that fails as it is must lose something whatever else happens; said at the start, it raises the bound from nothing.
        for s in range(len(self.supplies)):
            self._let_go(s, until_s)
        while rounds < MOST_ROUNDS and not self.effort.is_stopped():
            rounds += 1
            placement, lower, ruled_out = self._cheapest(until_s)
            if ruled_out:
                return Found(placement=best, cost=best_cost, bound=best_cost, is_ruled_out=best is None, rounds_count=rounds)
            bound = max(bound, self._rounded(lower))
            self.effort.tell(
                f"Round {rounds}: at least {bound:g}" if best is None else f"Round {rounds}: {best_cost:g} found, at least {bound:g}"
            )
            consider(placement)
            if best_cost > bound + COST_ROUNDING:
                roomy = self._roomy(shares, best_cost, bound, until_s)
                consider(roomy)
                # No placement of that cost leaves so much room: ask for less of it next time.
                if roomy is None:
                    shares = (shares + 1.0) / 2.0
            if best_cost <= bound + COST_ROUNDING:
                return Found(placement=best, cost=best_cost, bound=bound, is_ruled_out=False, rounds_count=rounds)
            if self.effort.clock() > until_s:
                break
        return Found(placement=best, cost=best_cost, bound=bound, is_ruled_out=False, rounds_count=rounds)

    def _failing(self, placement: Placement) -> list[int]:
        """Return the supplies that a placement overloads: those whose charge is too small, and those that break another limit."""
        # Charge first: only what it forbids can be said of other placements as well.
        failing = [s for s in range(len(self.supplies)) if not self._carries(s, placement[s])]
        return failing or [s for s in range(len(self.supplies)) if not self.holds(s, placement[s])]

    def _learnt(self, placement: Placement, failing: list[int], shares: np.ndarray) -> np.ndarray:
        """Forbid the parts of a placement that failed, and return how much of the bound on charge to use from now on. [ratio]"""
        learnt = shares.copy()
        for s in failing:
            self._cut(s, placement[s])
            learnt[s] = min(learnt[s], LEARN_RATIO * self.program.filled_ratio(s, placement[s]) * self._coverage_ratio(s, placement[s]))
        return learnt

    def _rounded(self, lower: float) -> float:
        """Return a bound on whole moves as a whole number."""
        whole = self.objective is Objective.MOVES
        # A move is made or not, so a bound of 2.3 moves proves three. The solver's own rounding must not make it four.
        return float(np.ceil(lower - 1e-4)) if whole and np.isfinite(lower) else lower

    def _cost_of(self, placement: Placement) -> float:
        placed = {u for units in placement for u in units}
        left = sum(self._drop_cost(unit) for u, unit in enumerate(self.units) if u not in placed)
        return float(sum(self.cost[u, s] for s, units in enumerate(placement) for u in units) + left)

    def holds(self, s: int, units: frozenset[int]) -> bool:
        """Say whether a supply keeps all its limits with these units on it. Totals that were read count as long as its loads are the same."""
        supply = self.supplies[s] if units == self._untouched[s] else self._bare[s]
        loads = self.loads_on(s, units)
        return meets(supply, loads) and self._carries_old(Case(supply, loads))

    def _carries(self, s: int, units: frozenset[int]) -> bool:
        """Say whether the charge of a supply is enough; outputs and recharge are linear, so the program keeps them by itself."""
        key = (s, units)
        if key not in self.known:
            case = Case(self._bare[s], self.loads_on(s, units))
            self.known[key] = case.draws_nothing or (carries(case) and self._carries_old(case))
        return self.known[key]

    def _carries_old(self, case: Case) -> bool:
        """Say whether a bank that is still to be chosen carries its hours when old and cold. A bank that is there already only has to carry them today."""
        if case.supply.key != self.renewed or case.draws_nothing:
            return True
        c20_ah = case.bank.rated_c20_ah / case.requirement.design_margin_ratio
        return sizing_outage(case, c20_ah).carries(case.requirement.standby_h)

    def loads_on(self, s: int, units: frozenset[int]) -> tuple[Load, ...]:
        """Return the loads of units as they are on a supply."""
        return tuple(load for u in sorted(units) for load in self.on[s][u])

    def _cut(self, s: int, units: frozenset[int]) -> None:
        """Forbid a smallest set of units that fails on a supply, together with every set in which a unit is replaced by one that draws at least as much."""
        left, order = units, sorted(units, key=lambda u: sum(load.standby.current_a * load.quantity for load in self.units[u]))
        everything = frozenset(range(len(self.units)))
        if not self.holds(s, frozenset()):
            self.program.cuts.append((s, everything, frozenset(), 0))
            return
        if self._carries(s, units):
            # It fails of a total that was read, or of what the program keeps to within its rounding: just this set is not tried again.
            self.program.cuts.append((s, units, everything - units, len(units) - 1))
            return
        # Halves first, then one by one: what can be left out still failing is left out.
        # The fewer units a cut names, the more placements it forbids at once.
        size, least = len(order) // 2, 1 if len(self.units) <= MOST_WHOLE_CUTS else max(1, len(order) // 6)
        while size >= least:
            for n in range(0, len(order), size):
                some = frozenset(order[n : n + size]) & left
                if some and len(some) < len(left) and not self._carries(s, left - some):
                    left = left - some
            size //= 2
        # Whoever asks at least as much would fail in the place of any of them.
        more = [u for u in range(len(self.units)) if u not in left and all(u in self._at_least(v) for v in left)]
        self.program.cuts.append((s, left | frozenset(more), frozenset(), len(left) - 1))

    def _at_least(self, v: int) -> frozenset[int]:
        """Return the units that ask at least as much as this one in every respect, whatever supply they hang on."""
        if v not in self._more:
            mine = demand_of(self.units[v])
            others = [(u, demand_of(unit)) for u, unit in enumerate(self.units)] if mine is not None else []
            self._more[v] = [
                frozenset(u for u, d in others if d is not None and mine is not None and all(a >= b for a, b in zip(d, mine, strict=True)))
            ]
        return self._more[v][0]

    def _let_go(self, s: int, until_s: float) -> None:
        """Forbid a supply that fails now to keep more of its units than could hold, with nothing else on it.

        Sets of units that leave are tried from the heaviest on, those of one size after the other, until what stays holds.
        """
        own = self._untouched[s]
        if not own or self.holds(s, own) or self._carries(s, own):
            return
        rows = [(np.array(weights), most) for weights, most in (*self.firm_rows[s], *self.charge_rows[s]) if most > 0]
        free = [u for u in own if self.may[u].sum() > self.may[u, s] or np.isfinite(self._drop_cost(self.units[u]))]
        weights, most = max(rows, key=lambda row: row[0][list(own)].sum() / row[1], default=(np.zeros(len(self.units)), 1.0))
        free.sort(key=lambda u: -weights[u])
        heavy = np.concatenate([[0.0], np.cumsum(weights[free])])
        excess = weights[list(own)].sum() - most
        failed: list[np.ndarray] = []
        asks = {u: d for u in own if (d := demand_of(self.units[u])) is not None}
        tried = 0

        def leaving(count: int, start: int, gone: tuple[int, ...], gone_a: float) -> Iterator[tuple[int, ...]]:
            if count == 0:
                yield gone
                return
            for n in range(start, len(free) - count + 1):
                # The heaviest that are left would not do.
                if gone_a + heavy[n + count] - heavy[n] < excess:
                    return
                yield from leaving(count - 1, n + 1, (*gone, free[n]), gone_a + weights[free[n]])

        for count in range(1, len(free) + 1):
            for gone in leaving(count, 0, (), 0.0):
                tried += 1
                if tried > MOST_LEAVING or self.effort.clock() > until_s:
                    return
                left = own.difference(gone)
                kept = list(left)
                if any(w[kept].sum() > limit for w, limit in rows):
                    continue
                asked = np.array([sum(asks[u][n] for u in kept) for n in range(6)]) if len(asks) == len(own) else None
                if asked is not None and any((asked >= f).all() for f in failed):
                    continue
                if self._carries(s, left):
                    return
                if asked is not None:
                    failed.append(asked)
            # None of these do: one more has to leave.
            self.program.cuts.append((s, own, frozenset(), len(own) - count - 1))

    # -- the program -------------------------------------------------------------------------------------------------------------------

    def _cheapest(self, until_s: float) -> tuple[Placement | None, float, bool]:
        """Return a placement of least cost that nothing known forbids, the program's bound on cost, and whether there is none."""
        found = self.program.solve(np.ones(len(self.supplies)), min(LONGEST_SOLVE_S, max(0.2, until_s - self.effort.clock())))
        if found.status == 2:
            return None, np.inf, True
        bound = max(0.0, float(found.mip_dual_bound or 0.0))
        return (None if found.x is None else self.program.placement(found.x)), bound, False

    def _coverage_ratio(self, s: int, units: frozenset[int]) -> float:
        """Return the share of its hours that a supply holds with these units, between a floor that still tells supplies apart and 1. [ratio]"""
        case = Case(self._bare[s], self.loads_on(s, units))
        must_h = case.requirement.standby_h
        return 1.0 if case.draws_nothing or must_h <= 0 else min(1.0, max(0.8, case.holdover().holdover_h / must_h))

    def _roomy(self, shares: np.ndarray, best_cost: float, bound: float, until_s: float) -> Placement | None:
        """Return a placement that leaves room below the bound on charge: first a cheap one, then the one with most room that is cheaper than the best so far."""
        left_s = until_s - self.effort.clock()
        if left_s <= 0:
            return None
        if np.isfinite(best_cost):
            most_cost = best_cost - 1.0 if self.objective is Objective.MOVES else 0.5 * (best_cost + bound)
            found = self.program.solve(shares, min(MARGIN_SOLVE_S, left_s), most_cost=most_cost)
        else:
            found = self.program.solve(shares, min(MARGIN_SOLVE_S, left_s))
        return None if found.x is None else self.program.placement(found.x)

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
