"""A proposal of the optimiser as JSON: what `ypomoni balance --json` prints and what the queue keeps."""

from typing import Any

from ypomoni.core.balance.limits import Limit, Standing
from ypomoni.core.balance.search import Binding, Move, Objective, Proposal, Relaxation, Relaxing
from ypomoni.core.telling.results import SoldBank


def dump_proposal(found: Proposal) -> dict[str, Any]:
    """Return a proposal as JSON values; never NaN or infinity: a limit that nothing is left of has a share of null."""
    return {
        "objective": found.objective.value,
        "found": found.mends_all,
        "keeps_limits": found.is_found,
        "blocked": list(found.blocked),
        "proven": found.is_proven,
        "cancelled": found.is_cancelled,
        "gap_ratio": found.gap_ratio,
        "rounds_count": found.rounds_count,
        "moves": [_move(m) for m in found.moves],
        "worst_ratio": None if found.worst_ratio == float("inf") else found.worst_ratio,
        "reasons": list(found.reasons),
        "unknown_runs": list(found.unknown_runs),
        "bindings": [_binding(b) for b in found.bindings],
        "relaxations": [
            {
                "kind": r.kind.value,
                "supply": r.supply_key,
                "bank": None if r.bank is None else {k: getattr(r.bank, k) for k in SoldBank.__dataclass_fields__},
                "smallest": r.is_smallest,
                "moves": [_move(m) for m in r.moves],
                "bindings": [_binding(b) for b in r.bindings],
            }
            for r in found.relaxations
        ],
    }


def load_proposal(body: dict[str, Any]) -> Proposal:
    """Return the proposal that `dump_proposal` wrote."""
    return Proposal(
        objective=Objective(body["objective"]),
        moves=tuple(_read_move(m) for m in body["moves"]),
        is_found=body["keeps_limits"],
        blocked=tuple(body["blocked"]),
        is_proven=body["proven"],
        is_cancelled=body["cancelled"],
        gap_ratio=body["gap_ratio"],
        rounds_count=body["rounds_count"],
        worst_ratio=body["worst_ratio"],
        reasons=tuple(body["reasons"]),
        unknown_runs=tuple(body["unknown_runs"]),
        bindings=tuple(_read_binding(b) for b in body["bindings"]),
        relaxations=tuple(
            Relaxation(
                kind=Relaxing(r["kind"]),
                supply_key=r["supply"],
                bank=SoldBank(**r["bank"]) if r["bank"] else None,
                moves=tuple(_read_move(m) for m in r["moves"]),
                bindings=tuple(_read_binding(b) for b in r["bindings"]),
                is_smallest=r["smallest"],
            )
            for r in body["relaxations"]
        ),
    )


def _move(move: Move) -> dict[str, Any]:
    return {"load": move.load_key, "name": move.name, "from": move.from_key, "to": move.to_key, "cable_m": move.cable_m}


def _read_move(part: dict[str, Any]) -> Move:
    return Move(load_key=part["load"], name=part["name"], from_key=part["from"], to_key=part["to"], cable_m=part["cable_m"])


def _binding(binding: Binding) -> dict[str, Any]:
    standing = binding.standing
    return {
        "supply": binding.supply_key,
        "limit": standing.limit.value,
        "share_ratio": None if standing.share_ratio == float("inf") else standing.share_ratio,
        "amount": standing.amount,
        "allowed": standing.allowed,
        "holdover_h": binding.holdover_h,
    }


def _read_binding(part: dict[str, Any]) -> Binding:
    share_ratio = float("inf") if part["share_ratio"] is None else part["share_ratio"]
    standing = Standing(limit=Limit(part["limit"]), share_ratio=share_ratio, amount=part["amount"], allowed=part["allowed"])
    return Binding(supply_key=part["supply"], standing=standing, holdover_h=part["holdover_h"])
