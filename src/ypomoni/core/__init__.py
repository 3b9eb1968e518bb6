"""Pure calculation: no I/O, no clock, no framework.

Its rooms, each using only those before it: `chemistries` and `requirements`, `telling`, `things`, `outage`, `sizing` and `measuring`,
`judgement`, `evaluation`, `balance`.
"""
