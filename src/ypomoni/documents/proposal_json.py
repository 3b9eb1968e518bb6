"""A proposal of the optimiser as JSON: what `ypomoni balance --json` prints, and what the queue keeps."""

import json
from functools import cache
from typing import Any

from pydantic import TypeAdapter

from ypomoni.core.balance.search import Binding, Move, Proposal
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
        "risks": list(found.risks),
        "relaxations": [
            {
                "kind": r.kind.value,
                "supply": r.supply_key,
                "bank": None if r.bank is None else {k: getattr(r.bank, k) for k in SoldBank.__dataclass_fields__},
                "smallest": r.is_smallest,
                "moves": [_move(m) for m in r.moves],
                "bindings": [_binding(b) for b in r.bindings],
                "risks": list(r.risks),
            }
            for r in found.relaxations
        ],
    }


@cache
def _adapter() -> TypeAdapter[Proposal]:
    return TypeAdapter(Proposal)


def keep_proposal(found: Proposal) -> str:
    """Return a proposal as the queue keeps it, for `read_kept_proposal`."""
    # By way of Python values: a limit that nothing is left of has an infinite share, which pydantic's own JSON would make null.
    return json.dumps(_adapter().dump_python(found, mode="json"))


def read_kept_proposal(text: str) -> Proposal:
    """Return the proposal that `keep_proposal` wrote."""
    return _adapter().validate_json(text)


def _move(move: Move) -> dict[str, Any]:
    return {"load": move.load_key, "name": move.name, "from": move.from_key, "to": move.to_key, "cable_m": move.cable_m}


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
