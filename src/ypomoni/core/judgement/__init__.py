"""Judgements: each a function that returns findings with evidence, source and way out. Called by `evaluation` only."""

from ypomoni.core.judgement.audit import audit_of, judge_audit, judge_buses
from ypomoni.core.judgement.facts import Audit, Facts
from ypomoni.core.judgement.verdict import judge_plan, judge_supply

__all__ = ["Audit", "Facts", "audit_of", "judge_audit", "judge_buses", "judge_plan", "judge_supply"]
