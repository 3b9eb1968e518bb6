"""Tables as people keep them: CSV of any separator, and spreadsheets. Read into plain cells; what cannot be read says why.

`register_table` says what the cells mean.
"""

import csv
import io
import zipfile
from dataclasses import dataclass
from typing import Any

MOST_ROWS = 10_000
MOST_COLUMNS = 60
LONGEST_CELL = 500
MOST_UNPACKED = 60 * 1024 * 1024
# Where the separator is looked for: thirty lines of any table.
FIRST_LOOK = 200_000
NO_TEXT = "This is no text: a .csv or .xlsx file is needed."
SEPARATORS = (";", "\t", ",", "|")


class TableError(ValueError):
    """Raised when a file is no table that can be understood; the message says why and what would help."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Sheet:
    """One sheet: its name and its rows, cells as text or number; rows are padded to one width."""

    name: str
    rows: tuple[tuple[str, ...], ...]


def read_tables(data: bytes, file_name: str) -> list[Sheet]:
    """Return the sheets of a file, or raise `TableError`."""
    if not data:
        raise TableError("The file is empty.")
    if is_workbook(data):
        return _read_workbook(data)
    if data[:8] == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1":
        raise TableError("This is a spreadsheet of the old .xls kind, or one with a password: save it as .xlsx or .csv without one.")
    if data[:5] == b"%PDF-":
        raise TableError("This is a PDF: ask for the spreadsheet it was made from, or type the rows into a .csv.")
    return [Sheet(name=file_name or "table", rows=_padded(_read_csv(_decoded(data))))]


def is_workbook(data: bytes) -> bool:
    """Say whether a file is a spreadsheet, by how it begins."""
    return data[:4] == b"PK\x03\x04"


def _decoded(data: bytes) -> str:
    is_wide = data.startswith((b"\xff\xfe", b"\xfe\xff"))
    try:
        text = data.decode("utf-16" if is_wide else "utf-8-sig")
    except UnicodeDecodeError as error:
        if is_wide:
            raise TableError(NO_TEXT) from error
        text = data.decode("cp1252", errors="replace")
    if "\x00" in text:
        raise TableError(NO_TEXT)
    return text


def _read_csv(text: str) -> list[list[str]]:
    lines = [line for line in text[:FIRST_LOOK].splitlines()[:30] if line.strip()]
    try:
        if lines and lines[0].lower().startswith("sep=") and len(lines[0].strip()) == 5:
            separator, text = lines[0].strip()[4], text.partition("\n")[2]
        else:
            separator = max(SEPARATORS, key=lambda s: (_evenness(lines, s), -SEPARATORS.index(s)))
        return [row for row, _ in zip(csv.reader(io.StringIO(text), delimiter=separator), range(MOST_ROWS + 1), strict=False)]
    except (csv.Error, ValueError, TypeError) as error:
        raise TableError(f"The file is no table: {error}.") from error


def _evenness(lines: list[str], separator: str) -> float:
    """Return how well a separator cuts lines into equally many cells: the commonest count, times how common it is."""
    counts = [len(next(csv.reader([line], delimiter=separator), [])) for line in lines]
    several = [c for c in counts if c > 1]
    if not several:
        return 0.0
    commonest = max(set(several), key=several.count)
    return several.count(commonest) / len(counts) * min(commonest, 20)


def _read_workbook(data: bytes) -> list[Sheet]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(info.file_size for info in archive.infolist()) > MOST_UNPACKED:
                raise TableError("The spreadsheet is too large once unpacked: save only the sheet with the devices.")
        # Loaded where there is a spreadsheet: it would add a tenth to every start of a process.
        from openpyxl import load_workbook

        # Read as a stream: one cell far out would otherwise make every cell before it.
        book = load_workbook(io.BytesIO(data), data_only=True, read_only=True)
        sheets = [found for sheet in book.worksheets if sheet.sheet_state == "visible" and (found := _read_sheet(sheet))]
    except TableError:
        raise
    except Exception as error:
        # Whatever is wrong inside, a broken part, odd packing or a password, the answer is the same.
        raise TableError("The file looks like a spreadsheet but cannot be opened: save it again as .xlsx or .csv.") from error
    if not sheets:
        raise TableError("The spreadsheet has no visible sheet with anything in it. Formulas count only once they were computed and saved.")
    return sheets


def _read_sheet(sheet: Any) -> Sheet | None:
    """Return a sheet with its rows up to the last one that holds something; None for an empty one."""
    # What a file says of its own size is not believed.
    sheet.reset_dimensions()
    rows: list[list[str]] = []
    filled = width = 0
    for n, row in enumerate(sheet.iter_rows(max_row=MOST_ROWS + 1, max_col=MOST_COLUMNS), 1):
        texts = [_cell_text(c.value, c.number_format or "") for c in row]
        rows.append(texts)
        if any(texts):
            filled, width = n, max(width, max(c for c, text in enumerate(texts, 1) if text))
    return Sheet(name=sheet.title, rows=_padded([row[:width] for row in rows[:filled]])) if filled else None


def _cell_text(value: Any, number_format: str) -> str:
    """Return a cell as it would be typed: a number in full, with the unit or percent that its format shows."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        if "%" in (number_format or ""):
            return f"{value * 100:.12g} %"
        text = f"{value:.12g}"
        return f"{text} {unit}" if (unit := _format_unit(number_format or "")) else text
    return str(value)[:LONGEST_CELL]


def _format_unit(number_format: str) -> str:
    """Return the unit that a number's format writes behind it, as in 0.0" mA"."""
    positive = number_format.split(";")[0]
    if positive.count('"') != 2:
        return ""
    text = positive.split('"')[1].strip()
    return text if (0 < len(text) <= 4 and text.isascii()) or text in ("µA", "μA") else ""


def _padded(rows: list[list[str]]) -> tuple[tuple[str, ...], ...]:
    if len(rows) > MOST_ROWS:
        raise TableError(f"The table has more than {MOST_ROWS:,} rows: split it, or save only the sheet with the devices.")
    rows = [[cell.replace("\r", " ").replace("\n", " ").strip()[:LONGEST_CELL] for cell in row[:MOST_COLUMNS]] for row in rows]
    while rows and not any(rows[-1]):
        rows.pop()
    if not rows:
        raise TableError("The file has no rows.")
    width = max(len(row) for row in rows)
    return tuple(tuple(row + [""] * (width - len(row))) for row in rows)


def write_csv(rows: list[list[str]]) -> bytes:
    """Return rows as CSV with a semicolon and a byte-order mark, which every spreadsheet opens as it is."""
    text = io.StringIO()
    csv.writer(text, delimiter=";", lineterminator="\r\n").writerows(rows)
    return b"\xef\xbb\xbf" + text.getvalue().encode()


def write_workbook(title: str, rows: list[list[str]]) -> bytes:
    """Return rows as a spreadsheet of text cells. The rows are guarded, so that none of them is a formula."""
    from openpyxl import Workbook

    book = Workbook()
    sheet = book.active
    assert sheet is not None  # noqa: S101 - a new workbook has a sheet
    sheet.title = title[:31]
    for row in rows:
        sheet.append(row)
    sheet.freeze_panes = "A2"
    for letter in "AB":
        sheet.column_dimensions[letter].width = 30
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()
