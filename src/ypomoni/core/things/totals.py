"""A total that was read and taken into the register."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class UnlistedLoad:
    """What a supply carries beyond its load list, by a total that was read: the current, where and what was read, what the list expects there. [A]"""

    current_a: float
    point_key: str
    point_name: str
    reading_key: str
    read_a: float
    expected_a: float
    in_alarm: bool


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
