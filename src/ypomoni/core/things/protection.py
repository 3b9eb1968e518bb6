"""What protects a bank and how it is put together: its fuse and isolator, its lead, and its blocks one by one."""

from dataclasses import dataclass
from enum import StrEnum


class FuseKind(StrEnum):
    """Of which make a fuse is: that decides how early it opens and what it breaks."""

    BLADE = "blade"
    BOLTED = "bolted"
    CARTRIDGE = "cartridge"


@dataclass(frozen=True, slots=True, kw_only=True)
class Protection:
    """What protects a bank. ``fuse_a`` None: no fuse is fitted; ``fuse_dc_v``, ``isolator``, ``string_fuses`` None: not known. [A, V]

    ``fuse_breaks_a`` is the greatest short-circuit current the fuse breaks by its data sheet; None: what is common for its kind.
    """

    fuse_a: float | None = None
    fuse_dc_v: float | None = None
    isolator: bool | None = None
    string_fuses: bool | None = None
    fuse_kind: FuseKind | None = None
    fuse_breaks_a: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Lead:
    """The cable from a bank to its supply, one way. [m, mm²]"""

    length_m: float
    section_mm2: float


@dataclass(frozen=True, slots=True, kw_only=True)
class FittedBlock:
    """One block of a bank at its place, counted from 1 and from the minus pole of its string. What is None is not known; a capacity that is None is the bank's. [Ah, ratio, V]

    ``made`` is a month and ``fitted`` a day, as ISO 8601 writes them.
    """

    key: str
    string: int
    position: int
    made: str | None = None
    fitted: str | None = None
    capacity_ah: float | None = None
    condition_ratio: float | None = None
    rest_v: float | None = None

    @property
    def made_in_months(self) -> int | None:
        """The month it was made, counted from the year 0; None where that is not known."""
        if self.made is None:
            return None
        year, month = self.made.split("-")[:2]
        return 12 * int(year) + int(month) - 1
