"""The fewest moves after which every supply holds as long as it must. Called by the balance board and the command line.

A mixed-integer program (HiGHS) places the loads; its picture of a battery is only a bound: no more charge than there is, no more current than
the output gives. Each placement is checked by the simulation. A supply that fails gives back the smallest set of its loads that already
fails, which no answer may put there again, until program and simulation agree. More load never lengthens a holdover, so no such cut takes
away an answer that holds, and the first placement that passes is proven to have the fewest moves (logic-based Benders decomposition,
Hooker & Ottosson, Mathematical Programming 96, 2003).
"""

from dataclasses import dataclass, replace

import numpy as np

from ypomoni.core.balancing import fixed_reason
from ypomoni.core.case import Case
from ypomoni.core.loads import Draw, Load, Purpose
from ypomoni.core.simulation import LoadCurrents
from ypomoni.core.simulation.demand import burst_levels_a, peak_draw
from ypomoni.core.supplies import Plan, Supply

# Beyond this it gives up, and says that nothing is ruled out: some seconds for sixty loads on eight supplies.
MOST_ROUNDS = 60
MOST_RUNS_COUNT = 1_500
LONGEST_SOLVE_S = 2.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """One load that goes to another supply."""

    load_key: str
    name: str
    from_key: str
    to_key: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    """The moves, and what is known of them: found and proven fewest; or none exists, or none was found in so many rounds."""

    moves: tuple[Move, ...]
    is_found: bool
    is_proven: bool
    rounds_count: int


def fewest_moves(plan: Plan) -> Proposal:
    """Return the fewest moves after which every supply holds its standby and carries its alarm, within its output limits.

    Loads on no supply stay there; loads of one bus group go together; supplies that feed AC or
    are not modelled stay as they are.
    """
    return _Search(plan).run()


def holds(supply: Supply, loads: tuple[Load, ...]) -> bool:
    """Say whether a supply with these loads holds as long as it must today, within its output limits."""
    if not loads and supply.own_current_a == 0:
        return True
    if supply.bank is None or not supply.is_modelled:
        return False
    case = Case(replace(supply, totals=()), loads)
    for in_alarm in (False, True):
        limit_a = supply.output_limit_of(in_alarm=in_alarm)
        if limit_a is not None and case.peak_current_a(in_alarm=in_alarm) > limit_a * (1 + 1e-9):
            return False
    return case.draws_nothing or case.outage().carries(supply.requirement.standby_h)


class _Search:
    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        feed_ac = {load.supply_key for load in plan.loads if load.ac}
        self.supplies = [s for s in plan.supplies if s.is_modelled and s.bank is not None and s.key not in feed_ac]
        here = {s.key for s in self.supplies}
        self.units = _units([load for load in plan.loads if load.supply_key in here])
        self.known: dict[tuple[int, frozenset[int]], bool] = {}
        self.cuts: list[tuple[int, frozenset[int]]] = []

    def run(self) -> Proposal:
        """Return the first placement on which program and simulation agree."""
        n = 0
        for n in range(1, MOST_ROUNDS + 1):
            placement, is_whole = self._solve()
            if placement is None:
                return Proposal(moves=(), is_found=False, is_proven=is_whole, rounds_count=n)
            failing = [s for s in range(len(self.supplies)) if not self._holds(s, placement[s])]
            if not failing:
                return Proposal(moves=self._moves(placement), is_found=True, is_proven=is_whole, rounds_count=n)
            for s in failing:
                self.cuts.append((s, self._core(s, placement[s])))
            if len(self.known) > MOST_RUNS_COUNT:
                break
        return Proposal(moves=(), is_found=False, is_proven=False, rounds_count=n)

    def _holds(self, s: int, units: frozenset[int]) -> bool:
        key = (s, units)
        if key not in self.known:
            supply = self.supplies[s]
            loads = tuple(replace(load, supply_key=supply.key) for u in sorted(units) for load in self.units[u])
            self.known[key] = holds(supply, loads)
        return self.known[key]

    def _core(self, s: int, units: frozenset[int]) -> frozenset[int]:
        """Return a smallest set of these units that already fails: none of them can be left out."""
        left = units
        for u in sorted(units):
            if not self._holds(s, left - {u}):
                left = left - {u}
        return left

    def _moves(self, placement: list[frozenset[int]]) -> tuple[Move, ...]:
        return tuple(
            Move(load_key=load.key, name=load.name, from_key=load.supply_key or "", to_key=self.supplies[s].key)
            for s, units in enumerate(placement)
            for u in sorted(units)
            for load in self.units[u]
            if load.supply_key != self.supplies[s].key
        )

    def _solve(self) -> tuple[list[frozenset[int]] | None, bool]:
        """Return which units hang on each supply in the cheapest placement that no cut and no bound forbids, and whether that is proven."""
        # A quarter of a second to load, and only this search needs it.
        from scipy.optimize import Bounds, LinearConstraint, milp

        units_count, supplies_count = len(self.units), len(self.supplies)
        if not units_count:
            return [frozenset()] * supplies_count, True
        size = units_count * supplies_count
        # One more variable a supply: whether it feeds life safety, and so no convenience.
        whole = size + supplies_count

        def at(u: int, s: int) -> int:
            return u * supplies_count + s

        cost, upper = np.zeros(whole), np.ones(whole)
        rows: list[np.ndarray] = []
        least: list[float] = []
        most: list[float] = []

        def add(row: np.ndarray, low: float, high: float) -> None:
            rows.append(row)
            least.append(low)
            most.append(high)

        for u, loads in enumerate(self.units):
            once = np.zeros(whole)
            for s, supply in enumerate(self.supplies):
                once[at(u, s)] = 1.0
                cost[at(u, s)] = sum(load.supply_key != supply.key for load in loads)
                if any(load.supply_key != supply.key and fixed_reason(load, supply) for load in loads):
                    upper[at(u, s)] = 0.0
                for purpose, sign, limit in ((Purpose.LIFE_SAFETY, -1.0, 0.0), (Purpose.CONVENIENCE, 1.0, 1.0)):
                    if any(load.purpose is purpose for load in loads):
                        company = np.zeros(whole)
                        company[at(u, s)], company[size + s] = 1.0, sign
                        add(company, -np.inf, limit)
            add(once, 1.0, 1.0)
        for s, supply in enumerate(self.supplies):
            for weights, limit in self._bounds(supply):
                row = np.zeros(whole)
                row[[at(u, s) for u in range(units_count)]] = weights
                add(row, -np.inf, limit)
        for s, units in self.cuts:
            row = np.zeros(whole)
            row[[at(u, s) for u in units]] = 1.0
            add(row, -np.inf, len(units) - 1.0)
        # The stubs know single numbers only; arrays are what the documentation names.
        limits = LinearConstraint(np.array(rows), least, most)  # pyright: ignore[reportArgumentType]
        within = Bounds(np.zeros(whole), upper)  # pyright: ignore[reportArgumentType]
        found = milp(cost, constraints=limits, bounds=within, integrality=np.ones(whole), options={"time_limit": LONGEST_SOLVE_S})
        # 0: optimal, 2: infeasible; anything else ran out of time.
        is_whole = found.status in (0, 2)
        if found.x is None:
            return None, is_whole
        return [frozenset(u for u in range(units_count) if found.x[at(u, s)] > 0.5) for s in range(supplies_count)], is_whole

    def _bounds(self, supply: Supply) -> list[tuple[list[float], float]]:
        """Return linear limits that every placement which holds keeps: peaks within the output, and no more charge than the bank has."""
        bank, requirement = supply.bank, supply.requirement
        if bank is None:
            return []
        cases = [Case(replace(supply, totals=()), loads) for loads in self.units]
        found: list[tuple[list[float], float]] = []
        for in_alarm in (False, True):
            limit_a = supply.output_limit_of(in_alarm=in_alarm)
            if limit_a is not None:
                weights = [sum(peak_draw(c, in_alarm=in_alarm).at_nominal_a(supply.nominal_v) for c in case.currents) for case in cases]
                found.append((weights, limit_a * (1 + 1e-9) - supply.own_current_a))
        pack = Case(replace(supply, totals=()), ()).outage().pack
        full_v = pack.ocv_knots_v[-1]
        # What is drawn at least: a power at the highest voltage, no resistance at all, and of a load with bursts the least of its currents.
        charges = [
            sum(
                hours_h * (draw.current_a + draw.power_w / full_v)
                for c in case.currents
                for in_alarm, hours_h in ((False, requirement.standby_h), (True, requirement.alarm_h))
                for draw in (_least_draw(c, in_alarm=in_alarm),)
            )
            for case in cases
        ]
        own_ah = supply.own_current_a * (requirement.standby_h + requirement.alarm_h)
        found.append((charges, pack.capacity_ah - own_ah))
        return found


def _least_draw(currents: LoadCurrents, *, in_alarm: bool) -> Draw:
    """Return what all pieces of a load draw at any instant at least: between bursts, or in one that draws less."""
    rest_a = currents.alarm_current_a if in_alarm else currents.standby_current_a
    levels = [level for level in burst_levels_a(currents, in_alarm=in_alarm) if level is not None]
    return currents.load.draw_per_amp.times((min([rest_a, *levels]) + currents.extra_current_a) * currents.load.quantity)


def _units(loads: list[Load]) -> list[tuple[Load, ...]]:
    """Return the loads that go together: a bus group is one."""
    groups: dict[str, list[Load]] = {}
    for load in loads:
        groups.setdefault(f"bus {load.bus_group}" if load.bus_group else f"load {load.key}", []).append(load)
    return [tuple(group) for group in groups.values()]
