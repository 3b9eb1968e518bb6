"""Tables that are broken or made to break something: refused in words, and with little memory."""

import io
import resource
import zipfile

import pytest
from openpyxl import Workbook

from ypomoni.documents.tables import MOST_COLUMNS, TableError, read_tables


def workbook(cells, merge=None):
    """Return a workbook with values at their cells; what is merged is written into its sheet as it stands, cell by cell would take a minute."""
    book = Workbook()
    for place, value in cells.items():
        book.active[place] = value
    written = io.BytesIO()
    book.save(written)
    if merge is None:
        return written.getvalue()
    changed = io.BytesIO()
    with zipfile.ZipFile(written) as parts, zipfile.ZipFile(changed, "w") as archive:
        for name in parts.namelist():
            body = parts.read(name).decode()
            if name.endswith("sheet1.xml"):
                assert "</sheetData>" in body
                body = body.replace("</sheetData>", f'</sheetData><mergeCells count="1"><mergeCell ref="{merge}"/></mergeCells>')
            archive.writestr(name, body)
    return changed.getvalue()


@pytest.mark.parametrize(
    ("cells", "merge"),
    [({"A1": "Device", "XFD10001": "far"}, None), ({"A1": "Device", "XFD500": "far"}, None), ({"A1": "Device"}, "A1:XFD100")],
)
def test_a_cell_far_out_costs_no_memory(cells, merge):
    """One cell in the last column of a late row, and a title merged over a whole sheet: the rest is read as it is."""
    data, before = workbook(cells, merge), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    (sheet,) = read_tables(data, "list.xlsx")
    assert sheet.rows == (("Device",),)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 300_000


def packed(name, body, **how):
    written = io.BytesIO()
    with zipfile.ZipFile(written, "w", **how) as archive:
        archive.writestr(name, body)
    return written.getvalue()


BROKEN = {
    "only sep": b"sep=,",
    "sep and nothing": b"sep=;\n\n",
    "a quote that never ends": b'"' + b"x" * 200_000,
    "odd utf-16": b"\xff\xfea",
    "utf-16 with nul": "a\x00b".encode("utf-16"),
    "no parts": packed("x", "y"),
    "a broken part": packed("[Content_Types].xml", "<a><b>"),
    "odd packing": packed("[Content_Types].xml", "<a/>" * 500, compression=zipfile.ZIP_LZMA),
    "cut off": workbook({"A1": "Device"})[:-200],
    "blank": b"\n\n\n",
}


@pytest.mark.parametrize("name", BROKEN)
def test_a_broken_table_is_refused_in_words(name):
    """Whatever is wrong inside, what comes out is a reason."""
    with pytest.raises(TableError):
        read_tables(BROKEN[name], "list")


def test_a_long_field_and_many_columns_are_cut():
    """A cell of 100 kB and two hundred columns: as much as a register can use."""
    text = ";".join(["x" * 100_000, *("c" for _ in range(200))]) + "\n" + ";".join("1" for _ in range(201))
    (sheet,) = read_tables(text.encode(), "list.csv")
    assert len(sheet.rows[0]) == MOST_COLUMNS
    assert len(sheet.rows[0][0]) == 500
