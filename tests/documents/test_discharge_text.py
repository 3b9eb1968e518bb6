"""Discharge tables as people paste them: rows, ratings, grids, commas; and what cannot be read says why with its line."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ypomoni.core.chemistries.discharge_table import RowKind
from ypomoni.documents.discharge_text import read_discharge_text, write_discharge_text

READS = {
    "0.35 A; 20 h; 10.5 V": [(0.35, 20, 10.5)],
    "0,35 A\t20 h\t10,5 V": [(0.35, 20, 10.5)],
    "850 mA, 20 h, 1.75 V": [(0.85, 20, 10.5)],
    "10.5 V 90 min 4.2 A": [(4.2, 1.5, 10.5)],
    "7 Ah at 20 h to 10.5 V\n6.4 Ah @ 10 h to 10.8 V": [(0.35, 20, 10.5), (0.64, 10, 10.8)],
    "A; h; V\n0,35; 20; 10,5\n1,2; 5; 10,2": [(0.35, 20, 10.5), (1.2, 5, 10.2)],
    "Current (mA), Time (min), End (V)\n350, 1200, 10.5": [(0.35, 20, 10.5)],
    "End V/cell  5 min  30 min  1 h\n1.60 V  22.5  7.6  4.4\n1.75 V  22  7.2  4.25": [
        (22.5, 1 / 12, 9.6),
        (7.6, 0.5, 9.6),
        (4.4, 1, 9.6),
        (22, 1 / 12, 10.5),
        (7.2, 0.5, 10.5),
        (4.25, 1, 10.5),
    ],
    "Time\t1.75 V/cell\t1.80 V/cell\t1.85 V/cell\n30 min\t7.2\t6.9\t6.4\n1 h; 4.25 A; 4.1 A; 3.9 A": [
        (7.2, 0.5, 10.5),
        (6.9, 0.5, 10.8),
        (6.4, 0.5, 11.1),
        (4.25, 1, 10.5),
        (4.1, 1, 10.8),
        (3.9, 1, 11.1),
    ],
    "End V/cell; 1.75; 1.85\n5 h; 1.20; 1.13": [(1.2, 5, 10.5), (1.13, 5, 11.1)],
    "0.35 A 20 h": [(0.35, 20, 10.5)],
}
# What was shown before the end of a run.
READINGS = (
    "0.35 A; 10 h; 12.2 V on the way",
    "350 mA, 600 min, 2.0333 V/cell on the way",
    "reading: 0.35 A 10 h 12.2 V",
    "12.2 V read after 10 h at 0.35 A",
)


@pytest.mark.parametrize("text", READS)
def test_tables_are_read_as_they_are_meant(text):
    """Units, decimal commas, ratings, volts a cell, a maker's grid; without an end voltage the kind's own."""
    rows, unread = read_discharge_text(text, 6, 10.5)
    assert unread == []
    assert [(r.current_a, r.run_h, r.end_v) for r in rows] == [pytest.approx(row) for row in READS[text]]


@pytest.mark.parametrize("text", READINGS)
def test_readings_on_the_way_are_told_from_ends(text):
    """A row before, a reading, a row after: only the one that says so is a reading."""
    rows, unread = read_discharge_text(f"0.35 A; 20 h; 10.5 V\n{text}\n1.2 A; 5 h; 10.5 V", 6, 10.5)
    assert unread == []
    assert [r.kind is RowKind.READING for r in rows] == [False, True, False]
    assert (rows[1].current_a, rows[1].run_h, rows[1].end_v) == pytest.approx((0.35, 10, 12.2), rel=1e-4)


@pytest.mark.parametrize(
    ("text", "line", "words"),
    [
        ("0.35 A; 20 h; 10.5 V\n0.35 A; 10 h on the way", 2, "volts that were read on the way"),
        ("1.75 V/cell 1.80 V/cell\n30 min 7.2", 2, "under 2 end voltages"),
        ("1.75 V/cell 1.80 V/cell\n7.2 6.9", 2, "needs a time first"),
        ("0.35 A; 20 h; 10.5 V\n4.2; 1; 10.5", 2, "without a unit"),
        ("120 W; 15 min; 10.5 V", 1, "watts"),
        ("0.35 A; 0.4 A; 20 h", 1, "two figures of current"),
        ("0.35 A; 10.5 V", 1, "needs a current and a time"),
        ("0 A; 20 h", 1, "above zero"),
        ("V/cell 5 min 10 min 30 min\n1.75 V 22 15.2", 2, "under 3 times"),
    ],
)
def test_what_cannot_be_read_says_why_with_its_line(text, line, words):
    """And nothing is guessed for it."""
    _, unread = read_discharge_text(text, 6, 10.5)
    assert [(u.line, words in u.message) for u in unread] == [(line, True)]


@given(st.lists(st.tuples(st.floats(1e-4, 900), st.floats(1e-3, 9e4), st.floats(5.0, 14.0), st.booleans()), max_size=8))
def test_what_is_written_reads_back_the_same(rows):
    """To nine digits and more, readings as readings."""
    written = write_discharge_text([{"current_a": a, "run_h": h, "end_v": v, "kind": "reading" if r else "end"} for a, h, v, r in rows])
    found, unread = read_discharge_text(written, 6, 10.5)
    assert unread == []
    assert [(r.current_a, r.run_h, r.end_v) for r in found] == [pytest.approx(row[:3], rel=1e-9) for row in rows]
    assert [r.kind is RowKind.READING for r in found] == [row[3] for row in rows]


@given(st.text(max_size=200))
def test_no_text_at_all_breaks_it(text):
    """Whatever is pasted is rows or reasons."""
    rows, _ = read_discharge_text(text, 6, 10.5)
    assert all(r.current_a > 0 and r.run_h > 0 for r in rows)
