"""Judgements: each a function that returns findings with evidence, source and way out."""

from ypomoni.core.judgement import bank, charger, charging
from ypomoni.core.judgement.audit import audit_of, judge_audit
from ypomoni.core.judgement.facts import Audit, Facts
from ypomoni.core.judgement.sharing import judge_buses, judge_unassigned
from ypomoni.core.judgement.tests import judge_tests
from ypomoni.core.judgement.verdict import find_weak_link, is_idle, judge_plan, judge_supply, not_checked

BATTERY_FINDINGS: frozenset[str] = bank.OF_BATTERY | charger.OF_BATTERY | charging.OF_BATTERY

__all__ = [
    "BATTERY_FINDINGS",
    "Audit",
    "Facts",
    "audit_of",
    "find_weak_link",
    "is_idle",
    "judge_audit",
    "judge_buses",
    "judge_plan",
    "judge_supply",
    "judge_tests",
    "judge_unassigned",
    "not_checked",
]
