"""A total that was read and taken into the register."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasuredTotal:
    """A total through one conductor in one state: what flows to ``load_keys``, its 95 % limit, and the voltage it was read at.

    ``own_included`` says that the supply's own current flows there too, as in a battery lead. ``reading_key`` names the reading.
    """

    load_keys: frozenset[str]
    current_a: float
    uncertainty_a: float
    at_v: float
    in_alarm: bool = False
    own_included: bool = False
    reading_key: str = ""
