"""The views, a blueprint per stage of the work and per kind of record."""
