"""What the optimiser answers: moves, what binds, and where moving alone cannot do it the best there is and what would."""

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum

from ypomoni.core.balance.limits import Standing
from ypomoni.core.telling.results import SoldBank


class Objective(StrEnum):
    """What is to be least."""

    MOVES = "moves"
    CABLE = "cable"


class Relaxing(StrEnum):
    """What would make it possible."""

    BATTERY = "battery"
    SUPPLY = "supply"
    DROP = "drop"


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """One load that goes to another supply, or to none; the metres of new cable where its way is known. [m]"""

    load_key: str
    name: str
    from_key: str
    to_key: str | None
    cable_m: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Binding:
    """The limit of a supply that is used most in an answer, and how long it then holds. [h]"""

    supply_key: str
    standing: Standing
    holdover_h: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Relaxation:
    """One change after which moving does it: a larger bank in a supply, one supply more like another, or loads left out.

    ``is_smallest`` says that every smaller one of its kind was ruled out.
    """

    kind: Relaxing
    supply_key: str | None = None
    bank: SoldBank | None = None
    moves: tuple[Move, ...]
    bindings: tuple[Binding, ...] = ()
    # What stays a risk, after it, where loads come or go.
    risks: tuple[str, ...] = ()
    is_smallest: bool

    @property
    def dropped(self) -> tuple[Move, ...]:
        """The loads that are left out."""
        return tuple(m for m in self.moves if m.to_key is None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    """The moves, and what is known of them.

    ``is_found``: after the moves every supply that is computed keeps its limits, by the simulation. ``is_proven``: no fewer do it, or, where none was found,
    that none exists. ``gap_ratio`` is how far the answer may be from the best. Where none exists, ``moves`` lead to the best balance there
    is, ``worst_ratio`` is the smallest share of its hours that any supply then holds, ``reasons`` say why it is not enough.
    """

    objective: Objective = Objective.MOVES
    moves: tuple[Move, ...] = ()
    is_found: bool
    is_proven: bool
    gap_ratio: float | None = None
    rounds_count: int = 0
    bindings: tuple[Binding, ...] = field(default=())
    worst_ratio: float | None = None
    reasons: tuple[str, ...] = field(default=())
    relaxations: tuple[Relaxation, ...] = field(default=())
    unknown_runs: tuple[str, ...] = field(default=())
    # What stays a risk, after the moves, where loads come or go: in words.
    risks: tuple[str, ...] = field(default=())
    # What no move mends: supplies that stay unsafe or failing, or that are not computed, in words.
    blocked: tuple[str, ...] = field(default=())
    is_cancelled: bool = False

    @property
    def mends_all(self) -> bool:
        """Whether nothing is unsafe, fails or stays unknown after the moves."""
        return self.is_found and not self.blocked


def _nothing(_: str) -> None:
    """Say nothing."""


def _never() -> bool:
    """Go on."""
    return False


@dataclass(slots=True, kw_only=True)
class Effort:
    """How long may be searched, how progress is told, and whether somebody wants it stopped. [s]"""

    search_s: float = 5.0
    relax_s: float = 20.0
    tell: Callable[[str], None] = _nothing
    is_stopped: Callable[[], bool] = _never
    clock: Callable[[], float] = time.monotonic
