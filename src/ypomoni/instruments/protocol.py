"""What a meter is to whoever reads it, and how it may fail."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol


class MeterKind(StrEnum):
    """What stands on the bench: a meter that reads a current, or a load that draws one and reads its battery's voltage."""

    MULTIMETER = "multimeter"
    ELECTRONIC_LOAD = "electronic_load"


class MeterError(Exception):
    """The tree of what may go wrong at a meter::

    MeterError
     ├─ MeterAway       it does not answer, or its line broke; trying again may help
     ├─ WrongMeter      something else answers there than was asked for
     ├─ GarbledAnswer   what came back is no number; the next may be one
     └─ NotAllowed      the operator did not allow that address
    """


class MeterAway(MeterError):  # noqa: N818 - it states a condition that passes
    """Raised when a meter does not answer in time, or its connection broke."""


class WrongMeter(MeterError):  # noqa: N818 - named for what is there
    """Raised when what answers is not a meter of the kind that was asked for."""


class GarbledAnswer(MeterError):  # noqa: N818 - named for what came
    """Raised when an answer is no number."""


class NotAllowed(MeterError):  # noqa: N818 - it states a rule
    """Raised when an address is not among those the operator allowed."""


@dataclass(frozen=True, slots=True, kw_only=True)
class MeterSample:
    """What a meter shows at an instant. [A, V] An overload is no number: then both are None and ``is_overload`` says so."""

    current_a: float | None = None
    terminal_v: float | None = None
    is_overload: bool = False


class Meter(Protocol):
    """A meter that is connected."""

    identity: str

    def read(self) -> MeterSample:
        """Return what it shows now, or raise `MeterAway` or `GarbledAnswer`."""
        ...

    def draw(self, current_a: float) -> None:
        """Let an electronic load draw a current from now on; nothing at 0."""
        ...

    def close(self) -> None:
        """Let go of it. It never raises."""
        ...
