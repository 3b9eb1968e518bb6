"""The load register as a table: which column is what, what a row says, and what is doubtful about it.

Nothing is guessed in silence: a cell that could be read two ways is marked with the reason, and the row waits for an answer.
"""

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

from ypomoni.core.telling.wording import plain_number
from ypomoni.core.things.device_types import improbable_current, say_improbable, types_of, usual_rail_v
from ypomoni.core.things.loads import check_rail
from ypomoni.documents import quantities as q
from ypomoni.documents.formula_cells import guarded, unguarded
from ypomoni.documents.quantities import (
    QuantityTextError,
    read_count,
    read_current,
    read_quantity,
    show_current,
    show_kept,
    show_number,
    show_quantity,
    show_ratio,
)
from ypomoni.documents.tables import Sheet
from ypomoni.records import kinds
from ypomoni.records.field import Field, Real, Word, fields_of
from ypomoni.records.load import LoadRow

# Columns that the record of a load describes with headings: read and written without a word of them here.
DESCRIBED = tuple(f for f in fields_of(LoadRow) if f.headings)
# Field, its heading on export, and words that a heading of it holds in other people's tables; the first field that fits wins.
FIELDS: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("supply", "Supply", ("supply", "psu", "power supply", "fed from", "panel", "source")),
    ("quantity", "Quantity", ("qty", "quantity", "pcs", "no. of", "number", "count", "pieces", "stk", "nr")),
    ("standby_total", "Standby, all pieces", ("total standby", "standby total", "total quiescent", "total current", "sum ma")),
    ("alarm_total", "Alarm, all pieces", ("total alarm", "alarm total")),
    ("standby", "Standby each", ("standby", "quiescent", "rest", "idle", "stand-by", "quiet", "sleep", "normal", "current", "ma", "draw")),
    ("alarm", "Alarm each", ("alarm", "active", "max", "peak", "fire")),
    ("power_w", "Power each", ("watt", "power", "load w")),
    ("rail_v", "Volts", ("volt", "rail", "vdc", "v dc", "supply v")),
    ("place", "Place", ("place", "location", "room", "zone", "area", "where", "position")),
    ("branch", "Branch", ("branch", "circuit", "cable no", "fuse", "output")),
    ("bus_group", "Bus group", ("bus", "data line", "loop")),
    ("purpose", "For", ("purpose", "for what", "use", "category")),
    ("provenance", "Known from", ("known from", "provenance", "basis", "how known", "origin")),
    ("converter", "Converter", ("converter", "regulator")),
    ("min_v", "Works down to", ("min v", "minimum volt", "works down", "lowest volt")),
    ("cable_length_m", "Cable, one way", ("cable length", "length", "run m", "distance")),
    ("cable_section_mm2", "Conductor", ("mm²", "mm2", "section", "conductor", "csa")),
    *((f.column, f.label, f.headings) for f in DESCRIBED),
    ("remark", "Remark", ("remark", "note", "comment")),
    ("name", "Load", ("load", "device", "name", "item", "description", "equipment", "type", "model", "unit", "product", "what")),
)
EXPORTED = (
    "name",
    "quantity",
    "supply",
    "place",
    "branch",
    "bus_group",
    "purpose",
    "standby",
    "provenance",
    "alarm",
    "rail_v",
    "converter",
    "min_v",
    "cable_length_m",
    "cable_section_mm2",
    *(f.column for f in DESCRIBED),
)
HEADINGS = {key: heading for key, heading, _ in FIELDS}
CURRENT_FIELDS = frozenset({"standby", "alarm", "standby_total", "alarm_total"})
# What a column of bare numbers may be in.
COLUMN_UNITS = ("µA", "mA", "A", "W")
_HEADER_UNIT = re.compile(r"[\[(]\s*([µμumk]?(?:Ah?|W|V|VA|m|mm²|mm2))\s*[\])]|\b([µμum]?A|m?W|V|VA|mm²|mm2)\b\s*$")
_TOTALS = re.compile(r"^\s*(grand\s+)?(sub-?\s*)?(total|sum|summe|gesamt)s?\b", re.IGNORECASE)
PURPOSES = {
    "life_safety": "life safety",
    "security": "security",
    "monitoring": "monitoring",
    "convenience": "convenience",
}
PROVENANCES = {"measured": "measured", "data_sheet": "data sheet", "nameplate": "nameplate", "estimate": "estimate"}


_WEAK = frozenset({"current", "ma", "draw", "unit", "type", "number", "use", "max", "output", "source", "panel", "normal"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Mapping:
    """Which sheet, which row holds the headings (None: none does), and what each column is ('' for not used)."""

    sheet: int
    header_row: int | None
    columns: tuple[str, ...]
    # The unit of a column's bare numbers, chosen once; '' for that of its heading.
    units: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class BurstOffered:
    """A burst that a remark speaks of; its current where that is said, or usual for such a device. [s, 1/h, A]"""

    duration_s: float
    per_hour: float
    current_a: float | None
    text: str


@dataclass(slots=True, kw_only=True)
class RowFound:
    """One row: what it says of a load, the cells in doubt with their reasons, and whether it is left out."""

    number: int
    cells: tuple[str, ...]
    values: dict[str, Any] = field(default_factory=dict)
    doubts: dict[int, str] = field(default_factory=dict)
    skipped: str = ""
    # Whether it cannot come in as it is, accepted or not.
    blocked: bool = False
    # What its remark offers, to be taken or not: where the figures are known from, and a burst.
    said_provenance: str = ""
    said_burst: BurstOffered | None = None


def propose_mapping(sheets: list[Sheet]) -> Mapping:
    """Return the mapping that fits best: the row with the most headings we know, in the sheet that has it."""
    best = Mapping(sheet=0, header_row=None, columns=tuple("" for _ in sheets[0].rows[0]))
    best_score = 0
    for n, sheet in enumerate(sheets):
        for r, row in enumerate(sheet.rows[:25]):
            columns = propose_columns(row)
            filled = sum(1 for cell in row if cell)
            known = sum(1 for c in columns if c)
            # A title that was merged over the table has one cell; a row of data has hardly a heading.
            score = 0 if filled < 2 or "name" not in columns else known * 10 - filled
            if score > best_score:
                best, best_score = Mapping(sheet=n, header_row=r, columns=_settle_numbers(sheet, r, columns)), score
    return best


def _settle_numbers(sheet: Sheet, header_row: int, columns: tuple[str, ...]) -> tuple[str, ...]:
    """Return the columns with one headed *No.* as the quantity, unless its figures just number the rows."""
    settled = list(columns)
    for c, heading in enumerate(sheet.rows[header_row]):
        if not re.fullmatch(r"no\.?|nos\.?|nr\.?|number|#", heading.casefold().strip()):
            continue
        cells = [row[c].strip() for row in sheet.rows[header_row + 1 :] if c < len(row) and row[c].strip()]
        counts = [int(cell) for cell in cells if re.fullmatch(r"\d{1,4}", cell)]
        runs_on = len(counts) > 2 and all(b == a + 1 for a, b in pairwise(counts))
        if settled[c] == "quantity" and runs_on:
            settled[c] = ""
        elif not settled[c] and "quantity" not in settled and not runs_on and counts and len(counts) == len(cells):
            settled[c] = "quantity"
    return tuple(settled)


def propose_columns(headings: tuple[str, ...]) -> tuple[str, ...]:
    """Return what each heading seems to be; each field once."""
    scores: list[tuple[int, int, int, str]] = []
    for c, heading in enumerate(headings):
        words = re.sub(r"[_\s]+", " ", heading.casefold().strip())
        if not words or re.fullmatch(r"[\d.,\s]+", words):
            continue
        for n, (key, label, known) in enumerate(FIELDS):
            if words == label.casefold():
                scores.append((1000, -n, c, key))
            for word in known:
                if words == word:
                    scores.append((500, -n, c, key))
                elif re.search(rf"(?<![a-z]){re.escape(word)}s?(?![a-z])", words):
                    # A word that any heading may hold decides only where no other does.
                    scores.append((3 if word in _WEAK else 20 + len(word), -n, c, key))
    found: dict[int, str] = {}
    for _, _, c, key in sorted(scores, reverse=True):
        if c not in found and key not in found.values():
            found[c] = key
    return tuple(found.get(c, "") for c in range(len(headings)))


def read_rows(
    sheet: Sheet, mapping: Mapping, *, supplies: dict[str, float], places: list[str], default_supply: str | None
) -> list[RowFound]:
    """Return every row below the headings with what it says and what is doubtful about it. ``supplies`` have their nominal voltage. [V]"""
    headings = sheet.rows[mapping.header_row] if mapping.header_row is not None else tuple("" for _ in mapping.columns)
    start = 0 if mapping.header_row is None else mapping.header_row + 1
    reader = _Reader(mapping.columns, headings, mapping.units, supplies, places, default_supply)
    return [reader.read(n, row) for n, row in enumerate(sheet.rows[start:], start=start)]


class _Reader:
    """Reads rows under one mapping."""

    def __init__(
        self,
        columns: tuple[str, ...],
        headings: tuple[str, ...],
        units: tuple[str, ...],
        supplies: dict[str, float],
        places: list[str],
        default: str | None,
    ):
        self.columns = columns
        self.nominal_v = supplies
        self.units = [(units[c] if c < len(units) else "") or unit_of_heading(h) for c, h in enumerate(headings)]
        self.supplies = {s.casefold(): s for s in supplies}
        self.places = {p.casefold(): p for p in places}
        self.default_supply = default
        self.headings = headings
        self.section = ""

    def read(self, number: int, cells: tuple[str, ...]) -> RowFound:
        row = RowFound(number=number + 1, cells=cells)
        texts = {key: (c, unguarded(cells[c])) for c, key in enumerate(self.columns) if key and c < len(cells)}
        name = texts.get("name", (0, ""))[1].strip()
        filled = [c for c in cells if c.strip()]
        if not filled:
            row.skipped = "empty"
        elif _TOTALS.match(name) or (not name and _TOTALS.match(filled[0])):
            row.skipped = "a row of totals"
        elif len(filled) == 1 and (not name or name == filled[0]):
            row.skipped = "a title"
            self.section = filled[0]
        elif tuple(c.casefold() for c in cells) == tuple(h.casefold() for h in self.headings):
            row.skipped = "the headings again"
        else:
            self._read_load(row, texts)
        return row

    def _read_load(self, row: RowFound, texts: dict[str, tuple[int, str]]) -> None:
        column, name = texts.get("name", (0, ""))
        if not name.strip():
            row.doubts[column] = "has no name: write one, or leave the row out."
        bare, count = _count_in(name.strip())
        is_counted = bool(texts.get("quantity", (0, ""))[1].strip())
        row.values["name"] = (name.strip() if is_counted or count is None else bare)[:200]
        row.values["quantity"] = 1 if is_counted or count is None else count
        if _NOT_THERE.search(" ".join(text for _, text in texts.values())[:2000]):
            row.doubts.setdefault(column, "is said not to be there: leave the row out, or correct it.")
        readers: dict[str, Callable[[RowFound, int, str], None]] = {
            "quantity": self._quantity,
            "rail_v": self._number("rail_v", kinds.VOLTAGE),
            "min_v": self._number("min_v", kinds.VOLTAGE),
            "converter": self._converter,
            "cable_length_m": self._number("cable_length_m", kinds.LENGTH),
            "cable_section_mm2": self._number("cable_section_mm2", kinds.SECTION),
            "standby": self._current("standby"),
            "alarm": self._current("alarm"),
            "standby_total": self._current("standby_total"),
            "alarm_total": self._current("alarm_total"),
            "power_w": self._number("power_w", kinds.POWER),
            "supply": self._supply,
            "place": self._place,
            "purpose": self._word("purpose", PURPOSES),
            "provenance": self._word("provenance", PROVENANCES),
            "branch": self._text("branch"),
            "bus_group": self._text("bus_group"),
            **{f.column: self._described(f) for f in DESCRIBED},
        }
        for key, (c, text) in texts.items():
            if key in readers and text.strip() not in ("", "-", "–", "—", "n/a", "N/A"):
                readers[key](row, c, text.strip())
        if "quantity" in texts and not texts["quantity"][1].strip() and count is None:
            row.doubts.setdefault(texts["quantity"][0], "is empty: it would count once.")
        self._settle(row, texts)

    def _settle(self, row: RowFound, texts: dict[str, tuple[int, str]]) -> None:
        """Bring watts and totals to the current of one piece, and ask where there is none."""
        values = row.values
        if "supply" not in values:
            values["supply"] = self.default_supply
        column = texts.get("standby", texts.get("power_w", texts.get("standby_total", (0, ""))))[0]
        power_w = values.pop("power_w", None)
        for name in ("standby", "alarm"):
            total_a = values.pop(f"{name}_total", None)
            if total_a is None:
                continue
            each_a = total_a / values["quantity"]
            if name not in values:
                values[name] = each_a
            elif abs(values[name] * values["quantity"] - total_a) > 0.02 * total_a + 1e-9:
                product_a = float(f"{values[name] * values['quantity']:.6g}")
                row.doubts.setdefault(
                    texts[f"{name}_total"][0],
                    f"{values['quantity']} × {show_current(values[name])} are {show_current(product_a)}, not {show_current(total_a)}: "
                    f"is {show_current(values[name])} of one piece, and how many are there?",
                )
        if "standby" not in values and power_w is not None:
            if "rail_v" not in values:
                row.doubts[texts["power_w"][0]] = "is a power, so its voltage is needed. Choose a column of volts, or write W @ V."
            else:
                values["standby"] = power_w / values["rail_v"]
                values.setdefault("provenance", "nameplate")
                values["as_watts"] = True
        if "standby" not in values and not row.doubts:
            if "alarm" in values:
                values["standby"] = 0.0
                row.doubts[texts["alarm"][0]] = "has a current in alarm only: does it draw nothing in standby?"
            else:
                row.doubts[column] = "has no current: write one as in 350 mA, or leave the row out."
        remark = texts.get("remark", (0, ""))[1]
        if "provenance" not in values:
            said = said_provenance(remark)
            row.said_provenance = "" if said == "estimate" else said
        row.said_burst = said_burst(remark, values["name"])
        values.setdefault("provenance", "estimate")
        self._doubt_improbable(row, texts)
        nominal_v = self.nominal_v.get(values["supply"] or "")
        if nominal_v is not None and "rail_v" in values:
            is_fed = values.get("converter_kind") is not None
            message = None if is_fed else check_rail(values["rail_v"], nominal_v, None)
            if message:
                column = texts.get("rail_v", texts.get("standby", (column, "")))[0]
                row.doubts.setdefault(
                    column, f"{show_quantity(values['rail_v'], 'V')} on a {show_quantity(nominal_v, 'V')} supply needs a converter."
                )
                row.blocked = True

    def _doubt_improbable(self, row: RowFound, texts: dict[str, tuple[int, str]]) -> None:
        """Mark a current that no device of such a name draws."""
        values = row.values
        rail_v = values.get("rail_v") or self.nominal_v.get(values["supply"] or "")
        for name, in_alarm in (("standby", False), ("alarm", True)):
            current_a = values.get(name)
            if current_a is None:
                continue
            found = improbable_current(values["name"], rail_v or usual_rail_v(values["name"]), current_a, in_alarm=in_alarm)
            column = texts.get(name, texts.get(f"{name}_total", texts.get("power_w", (0, ""))))[0]
            if found is not None:
                row.doubts.setdefault(column, f"{say_improbable(found)}. Is the unit right?")

    # -- cells ---------------------------------------------------------------------------------------------------------------------

    def _current(self, name: str) -> Callable[[RowFound, int, str], None]:
        def read(row: RowFound, c: int, text: str) -> None:
            try:
                current_a, rail_v, note = read_table_current(text, self.units[c] if c < len(self.units) else "")
            except QuantityTextError as error:
                row.doubts[c] = str(error)
                return
            row.values[name] = current_a
            if rail_v is not None:
                row.values["rail_v"] = rail_v
                row.values["as_watts"] = True
            if note:
                row.doubts[c] = note

        return read

    def _number(self, name: str, kind: kinds.Kind, scale: float = 1.0) -> Callable[[RowFound, int, str], None]:
        def read(row: RowFound, c: int, text: str) -> None:
            unit = self.units[c] if c < len(self.units) else ""
            bare = re.fullmatch(r"[\d.,\s]+", text) is not None
            try:
                row.values[name] = (
                    read_quantity(f"{text} {unit or kind.unit}" if bare else re.sub(r"\s*(DC|AC|dc|ac)$", "", text), kind) * scale
                )
            except QuantityTextError as error:
                row.doubts[c] = str(error)

        return read

    def _described(self, field: Field) -> Callable[[RowFound, int, str], None]:
        match field:
            case Real():
                return self._number(field.column, field.kind, field.scale)
            case Word():
                return self._word(field.column, field.words)
            case _:
                return self._text(field.column)

    def _quantity(self, row: RowFound, c: int, text: str) -> None:
        try:
            row.values["quantity"] = read_count(re.sub(r"^[x×]\s*", "", text))
        except QuantityTextError as error:
            row.doubts[c] = str(error)

    def _supply(self, row: RowFound, c: int, text: str) -> None:
        known = self.supplies.get(text.casefold())
        if known is None:
            row.doubts[c] = f"no supply of this plan is called {text!r}: it would stay unassigned."
        row.values["supply"] = known

    def _converter(self, row: RowFound, c: int, text: str) -> None:
        """Read `switching 82 %` or `linear`."""
        kind = next((k for k in ("switching", "linear") if k in text.casefold()), None)
        share = re.search(r"([\d.,]+)\s*%", text)
        if kind is None:
            row.doubts[c] = "must be switching with its efficiency, as in switching 85 %, or linear."
            return
        row.values["converter_kind"] = kind
        if kind == "switching":
            try:
                ratio = read_quantity(share.group() if share else "", kinds.RATIO) / 100.0
            except QuantityTextError:
                row.doubts[c] = "needs its efficiency, as in switching 85 %."
                row.blocked = True
                return
            row.values["converter_efficiency_ratio"] = ratio

    def _place(self, row: RowFound, _: int, text: str) -> None:
        row.values["place"] = self.places.get(text.casefold(), text[:200])

    def _word(self, name: str, words: dict[str, str]) -> Callable[[RowFound, int, str], None]:
        def read(row: RowFound, c: int, text: str) -> None:
            folded = text.casefold().replace("_", " ").replace("-", " ")
            key = next((k for k, w in words.items() if folded in (w, k)), None) or next((k for k, w in words.items() if w in folded), None)
            if key is None:
                row.doubts[c] = f"must be one of {', '.join(words.values())}."
            else:
                row.values[name] = key

        return read

    def _text(self, name: str) -> Callable[[RowFound, int, str], None]:
        def read(row: RowFound, _: int, text: str) -> None:
            row.values[name] = text[:200]

        return read


# A current beside the voltage it belongs to, in either order, as on a label: 0.8A 24V.
_AMPS_AT_VOLTS = re.compile(
    r"(?P<a1>[\d.,]{1,12}\s?[µm]?A)[\s,/@]{1,3}(?P<v1>[\d.,]{1,12})\s?V|(?P<v2>[\d.,]{1,12})\s?V[\s,/]{1,3}(?P<a2>[\d.,]{1,12}\s?[µm]?A)",
    re.IGNORECASE,
)
# How many, written with the name: PIR x4, PIR x 6, PIR 3 off, 4 x PIR.
_COUNT_IN_NAME = re.compile(
    r"^(?P<n1>\d{1,4})\s?[x×]\s?(?P<r1>.+)$|^(?P<r2>.+?)[\s,(]{0,3}(?:[x×]\s?(?P<n2>\d{1,4})|\b(?P<n3>\d{1,4})\s?(?:off|no\.?|pcs\.?))\)?$",
    re.IGNORECASE,
)
_NOT_THERE = re.compile(r"\b(removed|not fitted|not installed|spare|disconnected|redundant)\b", re.IGNORECASE)


def _count_in(name: str) -> tuple[str, int | None]:
    """Return a name without the count written into it, and that count; None where none is."""
    found = _COUNT_IN_NAME.match(name[:200])
    if found is None:
        return name, None
    rest, count = found["r1"] or found["r2"] or "", int(found["n1"] or found["n2"] or found["n3"])
    return (rest.strip(" ,(-"), count) if count >= 1 and any(c.isalpha() for c in rest) else (name, None)


def read_table_current(text: str, header_unit: str) -> tuple[float, float | None, str]:
    """Return a current, the rail where watts were written at a voltage, and what is doubtful about it. [A, V]

    A bare number takes the unit of its heading. A comma that could group thousands is taken as a decimal comma and marked.
    """
    text = re.sub(r"^(ca\.?|approx\.?|about|~|≈|<|max\.?)\s*", "", text, flags=re.IGNORECASE)
    text = re.sub(r"\s*\b(max\.?|maximum)$", "", text, flags=re.IGNORECASE)
    # Nothing is nothing in every unit.
    if re.fullmatch(r"0+([.,]0+)?", text):
        return 0.0, None, ""
    if at := _AMPS_AT_VOLTS.fullmatch(text):
        amps, volts = at["a1"] or at["a2"], at["v1"] or at["v2"]
        return read_current(amps)[0], read_quantity(f"{volts} V", kinds.VOLTAGE), ""
    if re.search(r"\d\s*(-|–|to|\.\.)\s*\d", text) and "@" not in text:
        raise QuantityTextError(f"is a range ({text}): write one figure, the likely one.")
    bare = re.fullmatch(r"[+-]?[\d.,\s]+", text) is not None
    note = ""
    if bare and re.fullmatch(r"\d{1,3},\d{3}", text) and not text.startswith("0"):
        note = f"{text} is read with a decimal comma, as {text.replace(',', '.')}: is that right?"
        text = text.replace(",", ".")
    if bare:
        if not header_unit:
            raise QuantityTextError(f"{text} has no unit, and its column has none. Choose the unit of the column above.")
        if header_unit in ("W", "mW"):
            raise QuantityTextError(f"is a power, so its voltage is needed. Write {text} {header_unit} @ 12 V.")
        text = f"{text} {header_unit}"
    current_a, rail_v = read_current(text)
    if bare and header_unit == "A" and current_a >= 10 and not note:
        note = f"{plain_number(current_a)} A is much for a load: are these mA?"
    return current_a, rail_v, note


_PROVENANCE_WORDS = (
    ("measured", r"\b(measured|metered|meas\.?|read (?:with|by|on)|clamped)\b"),
    ("data_sheet", r"\b(data ?-?sheet|spec(?:ification|s)?|manual)\b"),
    ("nameplate", r"\b(name ?-?plate|label|rating|rated)\b"),
    ("estimate", r"\b(estimated?|guess(?:ed)?|assumed|approx(?:imately)?)\b"),
)
_DENIED = re.compile(r"\b(not|never|un|to be|no|without|must be|should be)\b[\s-]*(yet\s+)?$", re.IGNORECASE)
_BURST = re.compile(
    r"(?P<lasts>\d+(?:[.,]\d+)?\s*(?:ms|seconds?|secs?|s|minutes?|mins?))\s*(?:,|;)?\s*(?P<often>(?:every|each|per)\s+(?:\d+(?:[.,]\d+)?\s*)?"
    r"(?:seconds?|secs?|s|minutes?|mins?|hours?|hrs?|h|days?)|\d+\s*(?:x|times)?\s*(?:an?|per)\s+(?:hour|day)|once an? (?:hour|day)|twice an? (?:hour|day)|hourly|daily)",
    re.IGNORECASE,
)
_BURST_CURRENT = re.compile(r"\d+(?:[.,]\d+)?\s*(?:µA|mA|A)\b")


def said_provenance(remark: str) -> str:
    """Return where a remark says that the figures are known from; empty where it does not, or denies it."""
    for key, pattern in _PROVENANCE_WORDS:
        found = re.search(pattern, remark, re.IGNORECASE)
        if found and not _DENIED.search(remark[: found.start()]):
            return key
    return ""


def said_burst(remark: str, name: str) -> BurstOffered | None:
    """Return the burst a remark speaks of, as in `sends 9 s every 40 min`; None where it speaks of none."""
    found = _BURST.search(remark)
    if found is None:
        return None
    often = re.sub(r"^(each|per)\b", "every", found["often"], flags=re.IGNORECASE)
    try:
        duty = q.read_duty(f"{found['lasts']} {often}" if often.casefold().startswith("every") else f"{found['lasts']}, {often}")
    except QuantityTextError:
        return None
    if duty.duration_s is None or duty.duration_s * duty.per_hour > 3600.0:
        return None
    stated = _BURST_CURRENT.search(remark)
    usual = next((t.burst[0] for t in types_of(name) if t.burst), None)
    current_a = read_current(stated.group())[0] if stated else usual
    return BurstOffered(duration_s=duty.duration_s, per_hour=duty.per_hour, current_a=current_a, text=found.group())


def unit_of_heading(heading: str) -> str:
    """Return the unit a heading names; empty where it names none."""
    found = _HEADER_UNIT.search(heading)
    if not found:
        return ""
    unit = (found.group(1) or found.group(2)).replace("μ", "µ")
    return {"ma": "mA", "MA": "mA", "ua": "µA"}.get(unit, unit)


def table_of_loads(rows: list[dict[str, Any]]) -> list[list[str]]:
    """Return the register as rows of text with headings; nothing in it acts as a formula."""
    found = [[HEADINGS[key] for key in EXPORTED]]
    for row in rows:
        texts = {
            "name": row["name"],
            "quantity": str(row["quantity"]),
            "supply": row["supply"] or "",
            "place": row["place"] or "",
            "branch": row["branch"] or "",
            "bus_group": row["bus_group"] or "",
            "purpose": PURPOSES.get(row["purpose"] or "", ""),
            "standby": show_current(row["standby_current_a"]),
            "provenance": PROVENANCES[row["standby_provenance"]],
            "alarm": show_current(row["alarm_current_a"]),
            "rail_v": show_quantity(row["rail_v"], "V"),
            "min_v": show_quantity(row["min_v"], "V"),
            "converter": " ".join(p for p in (row["converter_kind"] or "", show_ratio(row["converter_efficiency_ratio"])) if p),
            "cable_length_m": show_quantity(row["cable_length_m"], "m"),
            "cable_section_mm2": "" if row["cable_section_mm2"] is None else f"{show_number(row['cable_section_mm2'])} mm²",
        }
        texts |= {f.column: show_field(f, row[f.column]) for f in DESCRIBED}
        found.append([guarded(texts[key]) for key in EXPORTED])
    return found


def show_field(field: Field, value: Any) -> str:
    """Return a kept value as the cell of a table."""
    match field:
        case Real():
            return show_kept(value, field.kind, field.scale)
        case Word():
            return field.words.get(value or "", "")
        case _:
            return "" if value is None else str(value)
