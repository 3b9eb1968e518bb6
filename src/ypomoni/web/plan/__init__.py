"""The plan: its answer, strip, lanes, findings and workings."""
