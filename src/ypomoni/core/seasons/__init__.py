"""A supply over weeks and years: discharge and charge by turns, over repeated cuts, windows of charge, and the sun.

Called by `evaluation`, `balance` and by actions that show a season. It calls `outage`, and knows nothing of verdicts.
"""
