"""Judgements: each a function that returns findings with evidence, source and way out. Called by `evaluation` only."""

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.judgement.verdict import judge_plan, judge_supply

__all__ = ["Facts", "judge_plan", "judge_supply"]
