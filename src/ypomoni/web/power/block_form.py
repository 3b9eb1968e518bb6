"""What is typed of the blocks of a bank: read from the form, each fault beside its field, and nothing lost."""

import re
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from ypomoni.documents.quantities import QuantityTextError, read_quantity
from ypomoni.records.kinds import CHARGE, RATIO, VOLTAGE, Kind

_MONTH = re.compile(r"^(19|20)\d\d-(0[1-9]|1[0-2])$")
COLUMNS = ("made", "fitted", "capacity", "condition", "rest")
# What is kept of each quantity: its column, its kind, what is typed over what is kept, and its limits.
_NUMBERS: dict[str, tuple[str, Kind, float, float, float]] = {
    "capacity": ("capacity_ah", CHARGE, 1.0, 1e-6, 100_000.0),
    "condition": ("condition_ratio", RATIO, 0.01, 0.05, 1.2),
    "rest": ("rest_v", VOLTAGE, 1.0, 1e-3, 1000.0),
}


@dataclass(slots=True, kw_only=True)
class TypedBlocks:
    """The blocks as they are kept, the texts as they were typed, and the faults, both by row and column."""

    blocks: list[dict[str, Any]] = field(default_factory=list)
    texts: dict[tuple[int, str], str] = field(default_factory=dict)
    faults: dict[tuple[int, str], str] = field(default_factory=dict)


def read_blocks(said: dict[str, str], series: int, parallel: int) -> TypedBlocks:
    """Return the blocks of a form, whose fields are ``made-1``, ``rest-4`` and so on in the order of the drawing."""
    found = TypedBlocks()
    named: dict[str, int] = {}
    for n in range(series * parallel):
        texts = {c: said.get(f"{c}-{n + 1}", "").strip()[:60] for c in COLUMNS}
        found.texts |= {(n, c): t for c, t in texts.items()}
        string, position = n // series + 1, n % series + 1
        common = f"b{n + 1}"
        key = " ".join(said.get(f"key-{n + 1}", "").split())[:80] or common
        found.texts[n, "key"] = "" if key == common else key
        if not key.isprintable():
            found.faults[n, "key"] = "must be what is written on the block, as in A-17."
        elif key.casefold() in named:
            found.faults[n, "key"] = (
                f"is written on block {named[key.casefold()]} of this battery as well: each block has a name of its own."
            )
        named[key.casefold()] = n + 1
        block: dict[str, Any] = {"key": key, "string": string, "position": position}
        block["made"] = _month(texts["made"], n, found)
        block["fitted"] = _day(texts["fitted"], n, found)
        for column, (name, kind, scale, least, most) in _NUMBERS.items():
            block[name] = _number(texts[column], (n, column), kind, scale, (least, most), found)
        if any(texts.values()) or key != common:
            found.blocks.append(block)
    return found


def _month(text: str, n: int, found: TypedBlocks) -> str | None:
    if text and not _MONTH.match(text):
        found.faults[n, "made"] = "must be a month, as in 2023-05."
        return None
    return text or None


def _day(text: str, n: int, found: TypedBlocks) -> str | None:
    if not text:
        return None
    try:
        return date.fromisoformat(text).isoformat()
    except ValueError:
        found.faults[n, "fitted"] = "must be a day, as in 2023-09-14."
        return None


def _number(text: str, at: tuple[int, str], kind: Kind, scale: float, limits: tuple[float, float], found: TypedBlocks) -> float | None:
    if not text:
        return None
    try:
        value = read_quantity(text, kind) * scale
    except QuantityTextError as error:
        found.faults[at] = str(error)
        return None
    if not limits[0] <= value <= limits[1]:
        unit = f" {kind.unit}" if kind.unit else ""
        found.faults[at] = f"must be from {limits[0] / scale:g} to {limits[1] / scale:g}{unit}."
        return None
    return value
