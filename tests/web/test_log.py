"""A meter's log over HTTP: read in any of the usual forms, compared, taken into a load; what is no log says so."""

import re

import numpy as np
import pytest
from core.test_log_reading import made
from web.client import Client, rows

from ypomoni.documents.current_log import read_current_log
from ypomoni.documents.tables import TableError

TIMES, CURRENTS = made(np.random.default_rng(4), [(1.0, 8.0, 60, 3.0)], hours=0.5)


def clock(t):
    return f"{int(t // 3600) % 24:02}:{int(t % 3600 // 60):02}:{t % 60:06.3f}"


FORMS = {
    "seconds and amperes": "time [s],current [A]\n" + "\n".join(f"{t:.1f},{a:.5f}" for t, a in zip(TIMES, CURRENTS, strict=True)),
    "milliseconds and milliamperes": "t [ms];I [mA]\n"
    + "\n".join(f"{t * 1000:.0f};{a * 1000:.2f}" for t, a in zip(TIMES, CURRENTS, strict=True)),
    "a clock over midnight, decimal commas": "Zeit;Strom (mA)\n"
    + "\n".join(f"{clock(t + 85_500)};{a * 1000:.2f}".replace(".", ",") for t, a in zip(TIMES, CURRENTS, strict=True)),
    "a moment, the unit in the cell": "\n".join(
        f"2026-03-04 09:{int(t // 60):02}:{t % 60:06.3f}\t{a * 1000:.2f} mA" for t, a in zip(TIMES, CURRENTS, strict=True)
    ),
    "a number before them": "no.,timestamp,volts,current (A)\n"
    + "\n".join(f"{n},{t:.1f},12.1,{a:.5f}" for n, (t, a) in enumerate(zip(TIMES, CURRENTS, strict=True))),
}


@pytest.mark.parametrize("form", FORMS)
def test_a_log_in_any_usual_form_is_the_same_log(form):
    """Times and currents come out as they went in, whatever the columns, units and clock."""
    found = read_current_log(FORMS[form])
    assert (len(found.t_s), found.overloads_count, found.unread_count) == (len(TIMES), 0, 0)
    assert np.allclose(found.t_s, TIMES - TIMES[0], atol=0.002)
    assert np.allclose(found.current_a, CURRENTS, atol=1e-4)


def test_an_overload_is_never_a_number():
    """OL, the meter's 9.9E37 and nan are counted and left out; a line of words too."""
    lines = FORMS["seconds and amperes"].splitlines()[:200]
    for n, word in ((50, "OL"), (60, "9.9E+37"), (70, "nan"), (80, "-O.L.")):
        lines[n] = lines[n].split(",")[0] + "," + word
    lines[90] = "cable loose"
    found = read_current_log("\n".join(lines))
    assert (found.overloads_count, found.unread_count) == (4, 1)
    assert max(found.current_a) < 2


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "at least eight"),
        ("a\n" * 20, "No line holds a time and a current"),
        ("time,current\n" + "\n".join(f"{n},{n}" for n in range(20)), "unit of the current is not said"),
        ("current [mA]\n" + "\n".join(str(n) for n in range(20)), "No line holds"),
    ],
)
def test_what_is_no_log_says_so(text, words):
    """Nothing, words, a current without its unit, currents without times."""
    with pytest.raises(TableError, match=words):
        read_current_log(text)


@pytest.fixture
def client(app):
    return Client(app)


def test_a_log_is_taken_into_a_load(client, conninfo):
    """It says rest, average and bursts beside what is registered; one click lets the load draw it, and the figures follow."""
    (load,) = rows(conninfo, "SELECT * FROM load WHERE name = 'Cellular communicator' AND plan_id = 1")
    asked = {"text": FORMS["seconds and amperes"], "load": load["id"]}
    page = client.post("/sites/1/as-found/log", asked, script=False, follow_redirects=True).text
    assert "at rest" in page
    assert re.search(r"<td class=\"num\">1 A</td><td class=\"num\">8 s</td><td>8 s every minute", page)
    assert "is registered with" in page
    log_id = re.search(r'name="log" value="(\d+)"', page).group(1)
    form = {"load": load["id"], "version": load["version"], "log": log_id}
    done = client.post("/sites/1/as-found/log/take", form, script=False, follow_redirects=True)
    assert "now draws what was logged" in done.text
    (now,) = rows(conninfo, "SELECT * FROM load WHERE id = %s", load["id"])
    assert now["standby_current_a"] == pytest.approx(0.065, rel=0.03)
    assert now["standby_provenance"] == "measured"
    (burst,) = now["bursts"]
    assert (burst["duration_s"], burst["per_hour"]) == (pytest.approx(8.0, rel=0.02), pytest.approx(60.0, rel=0.02))
    stale = client.post("/sites/1/as-found/log/take", form, script=False, follow_redirects=True)
    assert "changed this load meanwhile" in stale.text
    for log in ("", "x", "0", str(2**70), "999999"):
        assert client.post("/sites/1/as-found/log/take", {**form, "log": log}, script=False).status_code == 404


def test_a_part_of_a_log_is_drawn_and_it_goes_out_as_it_came_in(client):
    """The part that is asked for, whatever is asked; every sample in the file that goes out."""
    answer = client.post("/sites/1/as-found/log", {"text": FORMS["seconds and amperes"]}, script=False)
    log_id = re.search(r"log=(\d+)", answer.headers["Location"]).group(1)
    part = client.get(f"/bench/logs/{log_id}?from=60&to=120").text
    assert "Show all" in part
    assert 'value="60"' in part
    for asked in ("from=nan&to=inf", "from=1e308", "from=90&to=10", "to=-5", "from=x"):
        assert client.get(f"/bench/logs/{log_id}?{asked}").status_code == 200
    back = read_current_log(client.get(f"/bench/logs/{log_id}.csv").text)
    assert np.allclose(back.current_a, CURRENTS, atol=1e-5)


def test_a_file_that_cannot_be_read_is_told_and_kept(client):
    """422, the reason, and the text still there."""
    answer = client.post("/sites/1/as-found/log", {"text": "time,current\n" + "\n".join(f"{n},{n}" for n in range(12))}, script=False)
    assert answer.status_code == 422
    assert "unit of the current is not said" in answer.text
    assert "time,current" in answer.text
