"""A discharge table as typed or pasted: rows of current, time and end voltage, readings on the way, ratings, or a maker's grid of amperes.

Read line by line; what cannot be read is told with its line and what would be right, and nothing is guessed.
"""

import re
from dataclasses import dataclass
from typing import Any

from ypomoni.core.chemistries.discharge_table import DischargeRow, RowKind

# What tells end voltages a cell from those of a block: no cell ends above this.
HIGHEST_CELL_V = 4.3
# So many voltages in one line without a current or a time are the heading of a grid.
LEAST_COLUMNS = 2
_NUMBER = r"\d+(?:[.,]\d+)?"
_TOKEN = re.compile(rf"({_NUMBER})\s*(mAh|Ah|mA|A|hours?|hrs?|h|minutes?|min|V(?:\s*/\s*(?:cell|Z|C))?|VPC|W)?(?![A-Za-z])", re.IGNORECASE)
_CURRENT, _TIME, _VOLTS, _CHARGE = "current", "time", "volts", "charge"
_SCALES: dict[str, tuple[str, float]] = {
    "a": (_CURRENT, 1.0),
    "ma": (_CURRENT, 1e-3),
    "ah": (_CHARGE, 1.0),
    "mah": (_CHARGE, 1e-3),
    "min": (_TIME, 1 / 60),
    "minute": (_TIME, 1 / 60),
    "minutes": (_TIME, 1 / 60),
    "h": (_TIME, 1.0),
    "hr": (_TIME, 1.0),
    "hrs": (_TIME, 1.0),
    "hour": (_TIME, 1.0),
    "hours": (_TIME, 1.0),
    "v": (_VOLTS, 1.0),
}
# What says that a row's volts were read on the way, and do not end it.
_READING = re.compile(r"\bon the way\b|\breadings?\b|\bread\b", re.IGNORECASE)
# What says that the bare numbers of a heading are end voltages.
_OF_VOLTS = re.compile(r"V\s*/\s*(?:cell|Z|C)\b|VPC|\bend\b.*\bV", re.IGNORECASE)
_HEADINGS = (
    (_CURRENT, ("current", "amps", "amp", "a", "ma")),
    (_TIME, ("time", "hours", "h", "min", "minutes")),
    (_VOLTS, ("end", "volts", "v", "voltage")),
)


@dataclass(frozen=True, slots=True)
class Unread:
    """A line that could not be read, and what would be right."""

    line: int
    text: str
    message: str


def read_discharge_text(text: str, cells_count: int, end_v: float) -> tuple[list[DischargeRow], list[Unread]]:
    """Return the rows of a text, and the lines that are none.

    Parameters
    ----------
    cells_count
        Cells of the block: end voltages that can only be a cell's are multiplied by it.
    end_v
        The block's end voltage where a row states none. [V]
    """
    rows: list[DischargeRow] = []
    unread: list[Unread] = []
    heading: list[tuple[str, float]] | None = None
    grid_h: list[float] | None = None
    grid_v: list[float] | None = None
    for n, raw in enumerate(text.splitlines(), start=1):
        line = raw.strip()
        if not line:
            continue
        tokens = _tokens(line)
        times = [v for kind, v in tokens if kind == _TIME]
        if len(times) >= 3 and not any(kind in (_CURRENT, _CHARGE) for kind, _ in tokens):
            grid_h, grid_v, heading = times, None, None
            continue
        ends_v = None if grid_h else _ends_of_columns(line, tokens, cells_count, end_v)
        if ends_v:
            grid_v, grid_h, heading = ends_v, None, None
            continue
        if not tokens:
            heading = _heading(line)
            grid_h = grid_v = None
            continue
        if any(kind == "watts" for kind, _ in tokens):
            unread.append(Unread(n, line, "is in watts: constant-power tables are not read, enter the amperes."))
            continue
        if grid_v:
            found = _of_column_grid(tokens, grid_v)
        elif grid_h:
            found = _of_grid(tokens, grid_h, cells_count, end_v)
        else:
            found = _of_line(tokens, heading, cells_count, end_v, is_reading=bool(_READING.search(line)))
        if isinstance(found, str):
            unread.append(Unread(n, line, found))
        else:
            rows += found
    return rows, unread


def write_discharge_text(rows: list[dict[str, Any]]) -> str:
    """Return rows as text that reads back the same."""
    return "\n".join(
        f"{row['current_a']:.12g} A; {_time(row['run_h'])}; {row['end_v']:.12g} V{' on the way' if row.get('kind') == RowKind.READING else ''}"
        for row in rows
    )


def _time(hours_h: float) -> str:
    return f"{hours_h:.12g} h" if hours_h >= 1 else f"{hours_h * 60:.12g} min"


def _tokens(line: str) -> list[tuple[str, float]]:
    # A comma between digits is a decimal one, unless points or semicolons say otherwise.
    if re.search(r"\d\.\d", line) and "," in line:
        line = line.replace(",", " ; ")
    found: list[tuple[str, float]] = []
    for match in _TOKEN.finditer(line):
        value = float(match.group(1).replace(",", "."))
        unit = re.sub(r"\s", "", match.group(2) or "").lower()
        if unit == "w":
            found.append(("watts", value))
        elif unit.startswith("v/") or unit == "vpc":
            found.append(("cell volts", value))
        elif unit in _SCALES:
            kind, scale = _SCALES[unit]
            found.append((kind, value * scale))
        else:
            found.append(("", value))
    return found


def _heading(line: str) -> list[tuple[str, float]] | None:
    """Return what the columns of a heading are, with their scale, or None where it names none."""
    columns: list[tuple[str, float]] = []
    for cell in re.split(r"[;\t,|]|\s{2,}", line):
        words = re.findall(r"[a-z]+", cell.lower())
        kind = next((kind for kind, names in _HEADINGS if any(w in names for w in words)), "")
        scale = next((_SCALES[w][1] for w in words if w in _SCALES and _SCALES[w][0] == kind), 1.0)
        columns.append((kind, scale))
    return columns if sum(bool(kind) for kind, _ in columns) >= 2 else None


def _of_line(
    tokens: list[tuple[str, float]], heading: list[tuple[str, float]] | None, cells_count: int, end_v: float, *, is_reading: bool
) -> list[DischargeRow] | str:
    if heading and len(tokens) == len(heading) and all(kind == "" for kind, _ in tokens):
        tokens = [(kind, value * scale) for (_, value), (kind, scale) in zip(tokens, heading, strict=True)]
    if any(kind == "" for kind, _ in tokens):
        return "has a number without a unit: write it as in 0.35 A; 20 h; 10.5 V, or name the columns in a first line."
    values = {}
    for kind, value in tokens:
        if kind in values:
            return f"has two figures of {kind}: one row is one current, one time and one end voltage."
        values[kind] = value
    if _TIME not in values or (_CURRENT not in values and _CHARGE not in values):
        return "needs a current and a time, as in 0.35 A; 20 h; 10.5 V, or a rating as in 7 Ah at 20 h to 10.5 V."
    if values[_TIME] <= 0 or values.get(_CURRENT, values.get(_CHARGE, 0.0)) <= 0:
        return "must be above zero."
    if is_reading and _VOLTS not in values and "cell volts" not in values:
        return "needs the volts that were read on the way, as in 0.35 A; 10 h; 12.2 V on the way."
    current_a = values[_CURRENT] if _CURRENT in values else values[_CHARGE] / values[_TIME]
    volts = _end_v(values.get(_VOLTS), values.get("cell volts"), cells_count, end_v)
    kind = RowKind.READING if is_reading else RowKind.END
    return [DischargeRow(current_a=current_a, run_h=values[_TIME], end_v=volts, kind=kind)]


def _ends_of_columns(line: str, tokens: list[tuple[str, float]], cells_count: int, end_v: float) -> list[float] | None:
    """Return the end voltages over the columns of a grid that has a line for each time; None where a line is no such heading. [V]"""
    kinds = {kind for kind, _ in tokens}
    says_volts = kinds <= {_VOLTS, "cell volts"} or (kinds == {""} and bool(_OF_VOLTS.search(line)))
    if len(tokens) < LEAST_COLUMNS or not says_volts:
        return None
    of_cells = "cell volts" in kinds
    return [_end_v(None if of_cells else v, v if of_cells else None, cells_count, end_v) for _, v in tokens]


def _of_column_grid(tokens: list[tuple[str, float]], ends_v: list[float]) -> list[DischargeRow] | str:
    """Return the rows of a line that gives a time and then amperes, one under each end voltage."""
    if not tokens or tokens[0][0] != _TIME:
        return "needs a time first and then one figure of amperes under each end voltage, as in 30 min 7.6 7.4 7.2."
    cells = tokens[1:]
    if len(cells) != len(ends_v) or any(kind not in ("", _CURRENT) for kind, _ in cells):
        return f"has {len(cells)} figures under {len(ends_v)} end voltages: every one needs its amperes."
    hours_h = tokens[0][1]
    return [
        DischargeRow(current_a=value, run_h=hours_h, end_v=v)
        for (_, value), v in zip(cells, ends_v, strict=True)
        if value > 0 and hours_h > 0
    ]


def _of_grid(tokens: list[tuple[str, float]], times_h: list[float], cells_count: int, end_v: float) -> list[DischargeRow] | str:
    cells = list(tokens)
    volts = cell_v = None
    if len(cells) == len(times_h) + 1 or (cells and cells[0][0] in (_VOLTS, "cell volts")):
        kind, value = cells.pop(0)
        volts, cell_v = (None, value) if kind == "cell volts" else (value, None)
    if len(cells) != len(times_h):
        return f"has {len(cells)} figures under {len(times_h)} times: every time needs one, with the end voltage before them."
    end = _end_v(volts, cell_v, cells_count, end_v)
    return [
        DischargeRow(current_a=value, run_h=hours_h, end_v=end) for (_, value), hours_h in zip(cells, times_h, strict=True) if value > 0
    ]


def _end_v(volts: float | None, cell_v: float | None, cells_count: int, end_v: float) -> float:
    if cell_v is not None:
        return cell_v * cells_count
    if volts is None:
        return end_v
    return volts * cells_count if cells_count > 1 and volts <= min(HIGHEST_CELL_V, 0.5 * end_v) else volts
