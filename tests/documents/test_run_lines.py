"""Timed runs as people write them, and the log of a meter."""

import pytest

from ypomoni.documents.run_lines import read_run_lines

WAYS = {
    "26 W 3 h 50 min": (26, 3 + 5 / 6),
    "26W, 3:50": (26, 3 + 5 / 6),
    "0,12 kW; 45 min": (120, 0.75),
    "lasted 1.5 hours at 80 W": (80, 1.5),
    "12 W 90 s": (12, 0.025),
}


@pytest.mark.parametrize("text", WAYS)
def test_a_run_is_read_however_it_is_written(text):
    """Watts and a time in any order, with a comma or a point."""
    ((run,), unread) = read_run_lines(text)
    assert unread == []
    assert (run.output_w, run.run_h) == (pytest.approx(WAYS[text][0]), pytest.approx(WAYS[text][1]))


def test_what_cannot_be_read_says_what_is_missing():
    """By its line, and the others are read all the same."""
    found, unread = read_run_lines("26 W 1 h\nabout an hour\n\n40 VA 2 h\n50 W")
    assert len(found) == 1
    assert [(u.line, "watts" in u.message) for u in unread] == [(2, True), (4, True), (5, False)]


@pytest.mark.parametrize("row", ["{h:02d}:{m:02d}:00;{w}", "{s},{w}", "{s}\t{w}"])
def test_a_log_becomes_one_run(row):
    """Its mean output until it went off, past midnight too; a heading is passed over."""
    rows = [row.format(h=(23 + n // 60) % 24, m=n % 60, s=60 * n, w=26.0 if n < 200 else 0.0) for n in range(210)]
    ((run,), unread) = read_run_lines("\n".join(["time;watts", *rows]))
    assert unread == []
    assert (run.output_w, run.run_h) == (pytest.approx(26.0), pytest.approx(200 / 60))
    assert read_run_lines("\n".join(row.format(h=1, m=n, s=n, w=0.0) for n in range(20)))[0] == []
