"""Building a bank over HTTP: what is laid out and what is wrong with it, proposals, blocks, a charger's sheet, the parts list."""

import io
import itertools
import json
import re

import pytest
from builders import document
from openpyxl import load_workbook
from web.client import Client, rows

from ypomoni.web.power.laying_out import LaidOut, change, laid_out_of, lay_out, read_laid_out

NAMES = itertools.count()
LEAD = {"chemistry": "lead_agm", "block_v": 12, "capacity_ah": 17, "rate_h": 20}


@pytest.fixture
def client(app):
    return Client(app)


def brought_in(client, site):
    """Bring a site file in under a name of its own and return the address of its plan."""
    site["site"]["name"] = f"Site {next(NAMES)}"
    there = client.post("/import", {"text": json.dumps(site)}, script=False).headers["Location"].split("?")[0].rstrip("/")
    return f"{there}/as-found"


@pytest.fixture
def there(client):
    return brought_in(client, document(loads=[{"standby": {"current_a": 0.5}}]))


def wiring(client, there, **said):
    return client.get(f"{there}/build/wiring", query_string={"supply": "s", **said})


def test_blocks_are_laid_out_one_step_at_a_time(client, there):
    """Added, turned, taken away; series adds volts, parallel amp-hours; what must not be joined is said and drawn as wrong."""
    html = wiring(client, there, do="string").json["html"]
    assert "12 V 34 Ah" in html
    assert "Do not join this" not in html
    assert "Make a proposal with this bank" in html
    doubled = wiring(client, there, do="series-1").json["html"]
    assert "24 V 17 Ah" in doubled
    assert "the volts double: 24 V on equipment for 12 V" in doubled
    assert "is-wrong" in doubled
    assert "Make a proposal" not in doubled
    turned = wiring(client, there, **{"try": "12:17;12:17", "do": "turn-2-1"}).json["html"]
    assert "String 2 is turned against string 1" in turned
    back = wiring(client, there, **{"try": "12:17;12:17t", "do": "turn-2-1"}).json["html"]
    assert "Do not join this" not in back
    mixed = wiring(client, there, do="series-1", kind="6:12").json["html"]
    assert "mixes blocks of 6 V and 12 V" in mixed


def test_what_does_not_go_is_said_beside_its_field(client, there):
    """7 blocks as 2 × 3, more than are drawn, no number: 422, the field named, what was typed still there."""
    for typed, field, words in (
        ({"blocks": "7", "series": "2", "strings": "3"}, "blocks", "7 blocks do not make 2 × 3: that takes 6, 1 left over"),
        ({"blocks": "5", "series": "2", "strings": "3"}, "blocks", "that takes 6, 1 missing"),
        ({"blocks": "24", "series": "5", "strings": "5"}, "strings", "takes 25 blocks"),
        ({"blocks": "x", "series": "2", "strings": "3"}, "blocks", "must be a whole number"),
        ({"blocks": "6", "series": "0", "strings": "3"}, "series", "must be a whole number"),
    ):
        answer = wiring(client, there, do="lay-out", **typed)
        assert answer.status_code == 422
        assert re.search(rf'id="try-{field}-help"><span class="entry-error">[^<]*{re.escape(words)}', answer.json["html"])
        assert f'name="blocks" value="{typed["blocks"]}"' in answer.json["html"]
    assert "12 V 51 Ah" in wiring(client, there, do="lay-out", blocks="3", series="1", strings="3").json["html"]
    for strange in ("", "12:17,", "a:b", "0:0", "1e9:1", "12:17;" * 60, "-", "é" * 700):
        assert wiring(client, there, **{"try": strange, "do": "turn-9-9"}).status_code == 200


def test_every_size_of_bank_is_drawn_whole(client):
    """From 1 to 24 blocks, in series, in parallel and both: every block stands once, and no two boxes lie over each other."""
    for series, parallel in ((1, 1), (2, 1), (12, 1), (24, 1), (1, 12), (5, 3), (3, 8), (2, 12), (7, 2)):
        bank = {**LEAD, "block_v": 2, "series": series, "parallel": parallel, "capacity_ah": 100}
        volts = 2.0 * series
        site = document(
            supply={"nominal_v": volts, "cutoff_v": 1.75 * series, "charge_v": 2.27 * series, "bank": bank},
            loads=[{"rail_v": volts, "standby": {"current_a": 0.5}}],
        )
        html = wiring(client, brought_in(client, site)).json["html"]
        for picture in re.findall(r"<svg class=\"wiring.*?</svg>", html, re.S):
            boxes = [
                tuple(map(float, b)) for b in re.findall(r'<rect x="([\d.]+)" y="([\d.]+)" width="([\d.]+)" height="([\d.]+)"', picture)
            ]
            numbers = re.findall(r'class="part-number"[^>]*>(\w+)<', picture)
            assert {f"B{n}" for n in range(1, series * parallel + 1)} <= set(numbers)
            for n, (x, y, w, h) in enumerate(boxes):
                assert all(x + w <= a or a + c <= x or y + h <= b or b + d <= y for a, b, c, d in boxes[n + 1 :])
        links = set(re.findall(r'<th scope="row">(W\d+)</th>', html))
        assert links == set(re.findall(r'class="wire-number"[^>]*>(W\d+)<', html))


def test_a_way_becomes_a_proposal_with_its_wiring(client, there, conninfo):
    """The recommended bank is fitted in a copy of the plan: it holds, and nothing of its wiring is found; the plan itself stays."""
    html = client.get(f"{there}/build/ways?supply=s").json["html"]
    recommended = re.search(r"way-now.*?</tr>", html, re.S).group()
    key = re.search(r'name="way" value="([^"]+)"', recommended).group(1)
    answer = client.post(f"{there}/build/propose", {"supply": "s", "way": key}, script=False)
    made = answer.headers["Location"].split("/build/")[0]
    (before, after) = rows(conninfo, "SELECT b.* FROM bank b JOIN supply s ON s.id = b.supply_id ORDER BY s.id DESC LIMIT 2")[::-1]
    assert (before["fuse_a"], before["capacity_ah"]) == (None, 17)
    # No blade or bolted fuse breaks what this bank gives into a short circuit: none is chosen, and what to look for is said.
    assert (after["fuse_a"], after["lead_section_mm2"], after["age_y"]) == (None, None, 0)
    assert f"{after['capacity_ah']:g}-" in key
    shown = client.get(f"{made}/build/bank?supply=s").text
    assert "Do not join this" not in shown
    assert "whose data sheet states" in shown
    # What is refused is not made, whoever asks.
    refused = client.post(f"{there}/build/propose", {"supply": "s", "way": "12-17-20-9-9"}, script=False, follow_redirects=True)
    assert "This is not a bank yet" in refused.text
    wrong = client.post(f"{there}/build/propose", {"supply": "s", "try": "12:17,12:17"}, script=False, follow_redirects=True)
    assert "24 V" in wrong.text
    assert "Connect nothing" in wrong.text or "made for 12 V" in wrong.text


def test_blocks_are_kept_and_what_cannot_be_read_loses_nothing(client, conninfo):
    """A month that is none, a voltage in words, a condition of 300 %: each beside its field, and every other text still there."""
    there = brought_in(client, document(supply={"bank": {"parallel": 2}}))
    (supply,) = rows(conninfo, "SELECT id, version FROM supply ORDER BY id DESC LIMIT 1")
    good = {"made-1": "2024-05", "rest-1": "12,84 V", "condition-1": "90 %", "made-2": "2021-06", "rest-2": "12.4", "capacity-2": "9 Ah"}
    form = {"supply": "s", "version": supply["version"]}
    bad = client.post(
        f"{there}/build/blocks", {**form, **good, "made-2": "May", "condition-1": "300 %", "fitted-1": "yesterday"}, script=False
    )
    assert bad.status_code == 422
    for field, words in (("made-2", "must be a month"), ("condition-1", "must be"), ("fitted-1", "must be a day")):
        assert re.search(rf'id="fault-{field}">[^<]*{words}', bad.text)
    assert 'value="12,84 V"' in bad.text
    assert 'value="yesterday"' in bad.text
    kept = client.post(f"{there}/build/blocks", {**form, **good}, script=False, follow_redirects=True)
    assert "The blocks are kept" in kept.text
    assert "0.44 V apart at rest" in kept.text
    assert "37 months" not in kept.text
    assert "35 months apart" in kept.text
    stale = client.post(f"{there}/build/blocks", {**form, **good}, script=False)
    assert stale.status_code == 422
    assert "changed this supply meanwhile" in stale.text
    out = client.get(f"{there}/build/bank?supply=s&out=2").text
    assert "The 1 string left" in out


def test_a_reading_is_judged_and_kept_with_its_name(client, there, conninfo):
    """Too high is stopped, right is right, words are refused beside the field; refused chargers give no figure, and are read all the same."""
    day = {"supply": "s", "degc": "25 °C", "diode": "silicon", "make": "finished", "step": "set_v"}
    high = client.post(f"{there}/build/charger", {**day, "value": "14.4 V"}, script=False)
    assert "overcharges" in high.text
    assert 'role="alert"' in high.text
    right = client.post(f"{there}/build/charger", {**day, "value": "14,16"}, script=False)
    assert "right, 14.19 V" in right.text
    words = client.post(f"{there}/build/charger", {**day, "value": "about fourteen"}, script=False)
    assert words.status_code == 422
    assert 'value="about fourteen"' in words.text
    kept = rows(
        conninfo, "SELECT r.told, r.value, a.name FROM set_up_reading r JOIN account a ON a.id = r.account_id ORDER BY r.id DESC LIMIT 2"
    )
    assert [(r["told"], r["value"], r["name"]) for r in kept] == [("right", 14.16, "Wren Holloway"), ("stop", 14.4, "Wren Holloway")]
    for strange in ({"degc": "hot"}, {"degc": "90 °C"}, {"tail": "9 V"}, {"heat": "0 A"}, {"diode": "tube"}, {"make": "?"}):
        page = client.get(f"{there}/build/charger", query_string={**day, **strange})
        assert page.status_code in (200, 422)
        assert "Traceback" not in page.text
    assert client.post(f"{there}/build/charger", {**day, "step": "do", "value": "1"}, script=False).status_code == 404
    lithium = {"bank": {"chemistry": "lifepo4", "block_v": 12.8, "capacity_ah": 20, "rate_h": 20}, "charge_v": 14.4}
    other = brought_in(client, document(supply=lithium))
    page = client.get(f"{other}/build/charger?supply=s&diode=silicon").text
    assert "never charged behind a fixed diode" in page
    assert "set-figures" not in page
    read = client.post(f"{other}/build/charger", {**day, "value": "16.5 V"}, script=False).text
    assert "above what 4 lithium iron phosphate cells behind this diode need" in read


def test_two_banks_on_one_charger_say_what_must_not_be(client, there):
    """One like it, read equal: they may be joined. Read apart, or unread: why not."""
    page = lambda **more: client.get(f"{there}/build/bank", query_string={"supply": "s", "second": "same", **more}).text  # noqa: E731
    assert "may be at most 0.1 V apart" in page()
    assert "they may be at most" not in page(rest1="12.9", rest2="12.85 V")
    assert "0.4 V apart at rest, more than 0.1 V" in page(rest1="12.9", rest2="12.5")
    assert "must be a voltage" in page(rest1="x", rest2="12.5")


def test_the_parts_list_goes_out_as_a_table(client, there):
    """The same lines on the page, as CSV and as a spreadsheet; of another kind there is none."""
    shown = client.get(f"{there}/build/parts").text
    csv = client.get(f"{there}/build/parts.csv").data.decode("utf-8-sig")
    assert "fuse 50 A, 32 V DC" in shown
    assert "fuse 50 A, 32 V DC" in csv
    sheet = load_workbook(io.BytesIO(client.get(f"{there}/build/parts.xlsx").data)).active
    assert sheet.max_row == len(csv.strip().splitlines())
    assert client.get(f"{there}/build/parts.pdf").status_code == 404


def test_a_laid_out_text_reads_back_as_it_was():
    """Whatever steps are taken, its text says it; a text that says nothing is the bank as it belongs."""
    from ypomoni.core.things.batteries import Bank

    bank = Bank(chemistry_key="lead_agm", block_v=12.0, capacity_ah=17.0)
    tried = laid_out_of(bank)
    for do, kind in (("series-1", "12:17"), ("string", "6:12"), ("turn-2-1", ""), ("series-2", "6:12"), ("remove-1-1", "")):
        tried = change(tried, do, kind, bank)
        assert read_laid_out(tried.text, bank).arrangement == tried.arrangement
    assert read_laid_out("nonsense", bank).arrangement == laid_out_of(bank).arrangement
    alone = change(laid_out_of(bank), "remove-1-1", "", bank)
    assert (alone.field, alone.arrangement) == ("kind", laid_out_of(bank).arrangement)
    whole = lay_out(LaidOut(arrangement=tried.arrangement), {"blocks": "24", "series": "4", "strings": "6"}, "6:12", bank)
    assert change(whole, "string", "", bank).fault == "At most 24 blocks are drawn."
