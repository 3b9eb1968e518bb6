"""The pages of the season over HTTP: windows and engine starts, a stored history, patterns that go out and come in, plans compared."""

import json
import re

import pytest
from builders import document, merged
from web.client import Client

from ypomoni.core.balance.limits import meets
from ypomoni.core.things.supplies import Plan
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site

VAN = {
    "kind": "windowed",
    "name": "Van recorder",
    "charge_limit_a": 4.0,
    "supply_current_a": 8.0,
    "charge_v": 14.4,
    "windows": {"week": [{"day": "daily", "start": "07:30", "duration_h": 1.5}]},
}


@pytest.fixture
def client(app):
    return Client(app)


def brought_in(client, site):
    """Bring a site file in and return the address of its plan."""
    there = client.post("/import", {"text": json.dumps(site)}, script=False).headers["Location"].split("?")[0].rstrip("/")
    return f"{there}/as-found"


def test_windows_of_charge_say_what_sustains_and_what_an_engine_is_left(client):
    """The least daily window, missed days, and a cut-off that leaves a start; a higher one leaves more and holds less."""
    there = brought_in(
        client, document(supply=VAN, loads=[{"standby": {"current_a": 0.12}}], requirement={"standby_h": 12, "alarm_min": 0})
    )
    page = client.get(f"{there}/season?supply=s").text
    assert "Least charge that sustains it" in page
    assert "Missed days it bears" in page
    assert "If it must also start an engine" in page

    def told(cutoff):
        html = client.get(f"{there}/season/start?supply=s&cutoff={cutoff}&needs=50").json["html"]
        said = re.search(r"Cut off at ([\d.]+) V it holds ([\d.]+) (\w+) from full and leaves (\d+) %: (enough|too little)", html)
        return int(said.group(4)), said.group(5), html

    low, high = told(10.6), told(12.4)
    assert low[0] < 50 <= high[0]
    assert (low[1], high[1]) == ("too little", "enough")
    assert "From " in low[2]
    assert client.get(f"{there}/season/start?supply=nobody").status_code in (200, 404)
    assert client.get(f"{there}/season/start?supply=s&cutoff=nan&needs=inf").status_code == 200


def test_a_pattern_is_kept_stale_edits_are_told_and_it_goes_out_as_it_came_in(client):
    """The week of a requirement and the windows of a supply, through the page, the form and the site file."""
    there = brought_in(client, document(supply=VAN, loads=[{}], requirement={"standby_h": 12, "alarm_min": 0}))
    page = client.get(f"{there}/season?supply=s").text
    version = re.search(r'name="version" value="(\d+)"', page).group(1)
    kept = client.post(f"{there}/season/week", {"supply": "s", "version": version, "week": "Mon-Fri 06:00-07:30"}, script=False)
    assert kept.status_code == 302
    stale = client.post(f"{there}/season/week", {"supply": "s", "version": version, "week": "Sat 06:00 1 h"}, script=False)
    assert stale.status_code == 422
    assert "changed it meanwhile" in stale.text
    assert 'value="Sat 06:00 1 h"' in stale.text
    site = json.loads(client.get(f"{there.rsplit('/', 1)[0]}/export").text)
    assert [w["day"] for w in site["plans"][0]["supplies"][0]["windows"]["week"]] == ["mon", "tue", "wed", "thu", "fri"]
    assert to_core(read_site(site)).plans[0].supplies[0].windows.covered_h == pytest.approx(7.5)


def test_asking_a_season_for_anything_is_answered_in_words(client):
    """Positions beyond the slider, a week that is none, a history that is none, a supply that is not there."""
    there = brought_in(
        client, document(loads=[{}], requirement={"standby_h": 3, "alarm_min": 0, "cuts": {"list": [{"start_h": 5, "duration_h": 1}]}})
    )
    assert "Survived it all" in client.get(f"{there}/season?supply=s").text
    for asked in ("bank=999&charger=-5&load=0", "load=abc&panels=-1&cells=99999999", "week=daily+06:00+1+h"):
        assert client.get(f"{there}/season/picture?supply=s&{asked}").status_code == 200
    assert client.get(f"{there}/season/picture?supply=s&week=never").status_code == 422
    answer = client.post(f"{there}/season/history", {"supply": "s", "text": "nothing\x00here"}, script=False)
    assert answer.status_code == 422
    assert "no date is found" in answer.text
    assert client.get("/cuts/999999").status_code == 404
    assert client.get("/sun-hours?latitude=95&tilt=1&facing=x&clearness=1").status_code == 422


def test_the_search_for_moves_keeps_the_cuts():
    """A placement that does not survive the pattern of its requirement keeps no limits."""
    week = {"cuts": {"week": [{"day": "daily", "start": "06:00", "duration_h": 3}]}}

    def holds(current_a, requirement):
        site = document(
            supply={"charge_limit_a": 0.06},
            loads=[{"standby": {"current_a": current_a}}],
            requirement=merged({"standby_h": 3, "alarm_min": 0, "recharge_h": None}, requirement),
        )
        plan: Plan = to_core(read_site(site)).plans[0]
        return meets(plan.supplies[0], plan.loads_on("s"))

    assert holds(0.6, {})
    assert not holds(0.6, week)
    assert holds(0.3, week)
