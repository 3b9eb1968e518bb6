"""A supply over weeks and years: discharge and charge by turns, over repeated cuts, windows of charge, and the sun.

It calls `outage`, and knows nothing of verdicts.
"""
