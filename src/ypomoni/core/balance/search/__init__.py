"""The fewest moves, or the least cable, after which every supply keeps its limits; where none do it, the best there is and what would.

Constraints: bus groups, rails, cables, pins, company of life safety and convenience,
supplies kept free of conveniences, output in standby and alarm with peaks, the prescribed formula, recharge beside the load, hours.
"""

from ypomoni.core.balance.search.answers import Binding, Effort, Move, Objective, Proposal, Relaxation, Relaxing
from ypomoni.core.balance.search.placing import Search
from ypomoni.core.balance.search.relaxing import (
    NEW_KEY,
    after,
    best_balance,
    bindings_of,
    blocked_in,
    coverage_ratio,
    reasons_of,
    relaxations,
    risks_of,
    say_relaxation,
)
from ypomoni.core.things.supplies import Plan

BALANCE_SHARE_RATIO = 0.25

__all__ = [
    "NEW_KEY",
    "Binding",
    "Effort",
    "Move",
    "Objective",
    "Proposal",
    "Relaxation",
    "Relaxing",
    "after",
    "coverage_ratio",
    "find_moves",
    "say_relaxation",
]


def find_moves(plan: Plan, objective: Objective = Objective.MOVES, effort: Effort | None = None) -> Proposal:
    """Return the moves after which every supply keeps its limits, or the best balance there is and what would do it.

    Loads on no supply stay there; loads of one bus group go together; supplies that feed AC or are not modelled stay as they are.
    """
    effort = effort or Effort()
    effort.tell("Drawing the picture of the supplies")
    search = Search(plan, objective, effort)
    found = search.run(effort.clock() + effort.search_s)
    if found.placement is not None:
        moves = search.moves(found.placement)
        then = after(plan, moves)
        return Proposal(
            objective=objective,
            moves=moves,
            blocked=blocked_in(then),
            risks=risks_of(then, moves),
            is_found=True,
            is_proven=found.is_proven,
            gap_ratio=found.gap_ratio,
            rounds_count=found.rounds_count,
            bindings=bindings_of(then),
            unknown_runs=search.unknown_runs(moves) if objective is Objective.CABLE else (),
            is_cancelled=effort.is_stopped(),
        )
    if effort.is_stopped() or effort.relax_s <= 0:
        return Proposal(
            objective=objective,
            is_found=False,
            is_proven=found.is_ruled_out,
            rounds_count=found.rounds_count,
            blocked=blocked_in(plan),
            is_cancelled=effort.is_stopped(),
        )
    start_s = effort.clock()
    effort.tell("Moving alone does not do it: looking for the best balance")
    moves, share_ratio, is_best = best_balance(plan, effort, start_s + BALANCE_SHARE_RATIO * effort.relax_s)
    # What is fitted most easily comes first.
    easings = tuple(sorted(relaxations(plan, effort, start_s + effort.relax_s), key=lambda r: list(Relaxing).index(r.kind)))
    then = after(plan, moves)
    return Proposal(
        objective=objective,
        moves=moves,
        risks=risks_of(then, moves),
        is_found=False,
        is_proven=found.is_ruled_out,
        gap_ratio=None if is_best else 1.0 - share_ratio,
        rounds_count=found.rounds_count,
        bindings=bindings_of(then),
        worst_ratio=share_ratio,
        reasons=reasons_of(plan) if found.is_ruled_out else (),
        relaxations=easings,
        blocked=blocked_in(then),
        is_cancelled=effort.is_stopped(),
    )
