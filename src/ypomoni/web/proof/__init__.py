"""Proof and Upkeep: the work list, the plan as left, the report, and what is due when."""
