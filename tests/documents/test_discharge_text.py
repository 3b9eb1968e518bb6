"""Discharge tables as people paste them: rows, ratings, grids, commas; and what cannot be read says why with its line."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

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
    "0.35 A 20 h": [(0.35, 20, 10.5)],
}


@pytest.mark.parametrize("text", READS)
def test_tables_are_read_as_they_are_meant(text):
    """Units, decimal commas, ratings, volts a cell, a maker's grid; without an end voltage the kind's own."""
    rows, unread = read_discharge_text(text, 6, 10.5)
    assert unread == []
    assert [(r.current_a, r.run_h, r.end_v) for r in rows] == [pytest.approx(row) for row in READS[text]]


@pytest.mark.parametrize(
    ("text", "line", "words"),
    [
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


@given(st.lists(st.tuples(st.floats(1e-4, 900), st.floats(1e-3, 9e4), st.floats(5.0, 14.0)), max_size=8))
def test_what_is_written_reads_back_the_same(rows):
    """To nine digits and more."""
    written = write_discharge_text([{"current_a": a, "run_h": h, "end_v": v} for a, h, v in rows])
    found, unread = read_discharge_text(written, 6, 10.5)
    assert unread == []
    assert [(r.current_a, r.run_h, r.end_v) for r in found] == [pytest.approx(row, rel=1e-9) for row in rows]


@given(st.text(max_size=200))
def test_no_text_at_all_breaks_it(text):
    """Whatever is pasted is rows or reasons."""
    rows, _ = read_discharge_text(text, 6, 10.5)
    assert all(r.current_a > 0 and r.run_h > 0 for r in rows)
