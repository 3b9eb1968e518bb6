"""The audit over HTTP: the tree as it is drawn, the register filtered and changed in bulk, tables out and in, points, readings, the library."""

import io
import itertools
import json
import re
from html import unescape

import pytest
from builders import audited, document, merged, other_load, reading
from openpyxl import load_workbook
from web.client import SCRIPT, Client, rows

from ypomoni.actions.audit import audit_plan
from ypomoni.core.things.readings import State
from ypomoni.documents.site_file import read_site
from ypomoni.web.audit.duty import WIDTH as DUTY_WIDTH
from ypomoni.web.audit.duty import build_duty
from ypomoni.web.audit.tree import COLUMNS, GREATEST_PX, WIDTH, build_tree

ARCHIVE = "SELECT s.id, p.id AS plan_id, p.key FROM site s JOIN plan p ON p.site_id = s.id WHERE s.name LIKE 'Brackwater%%' AND p.key = 'as-found' ORDER BY s.id LIMIT 1"


@pytest.fixture
def client(app):
    return Client(app)


@pytest.fixture
def archive(conninfo):
    return rows(conninfo, ARCHIVE)[0]


def audit_page(client, archive, **query):
    return client.get(f"/sites/{archive['id']}/as-found/audit", query_string=query).text


def regions(client, archive, names, **query):
    answer = client.get(f"/sites/{archive['id']}/as-found/regions", query_string={"regions": names, **query}, headers=SCRIPT)
    assert answer.status_code == 200
    return answer.json["regions"]


# -- the tree as it is drawn -----------------------------------------------------------------------------------------------------------

LOADS = [
    other_load("a", 0.30, "measured", quantity=2),
    other_load("b", 0.10, "measured"),
    other_load("c", 0.05, "estimate", alarm={"current_a": 0.6, "provenance": "estimate"}),
]


def tree(loads=LOADS, readings=(), state=State.STANDBY, branches=None):
    found = audited(loads=loads, readings=readings, branches={"a": "North", "b": "North"} if branches is None else branches)
    return build_tree(audit_plan(read_site(found), "as-found"), "s", state)


def ribbon(node):
    """Return the vertical extents of a ribbon at its two ends."""
    numbers = [float(n) for n in re.findall(r"-?\d+\.\d", node.ribbon)]
    x0, y0, _, _, _, y1, _, _, low1, _, _, _, _, _, low0 = [*numbers[:7], numbers[7], numbers[8], *numbers[9:15]][:15]
    return (y0, low0), (y1, low1 if low1 > y1 else numbers[8]), x0


def test_ribbons_are_as_wide_as_their_current_and_lie_side_by_side_on_the_bar_before():
    """600, 100 and 50 mA of 750: widths in that ratio, a parent's bar is the sum of its children's, nothing overlaps or leaves the picture."""
    view = tree()
    nodes = {n.key: n for n in view.nodes}
    scale = GREATEST_PX / 0.75
    for key, current_a in (("battery", 0.75), ("output", 0.75), ("branch-North", 0.7), ("at-a", 0.6), ("at-b", 0.1), ("at-c", 0.05)):
        assert nodes[key].height == pytest.approx(current_a * scale, abs=0.02), key
    starts = sorted(ribbon(nodes[k])[0] for k in ("at-a", "at-b"))
    assert starts[0][1] == pytest.approx(starts[1][0], abs=0.11)
    assert starts[0][0] == pytest.approx(nodes["branch-North"].y, abs=0.11)
    assert {n.x for n in view.nodes} == set(COLUMNS.values())
    leaves = sorted((n for n in view.nodes if n.kind == "Device"), key=lambda n: n.y)
    for above, below in itertools.pairwise(leaves):
        assert above.y + above.height <= below.y
        assert below.label_y - above.label_y >= 38
    for n in view.nodes:
        assert n.y >= 0
        assert n.y + n.height <= view.height
        assert n.x + n.ground_width <= WIDTH


def test_what_was_never_measured_and_what_differs_is_marked_and_said():
    """Open, adding up, differing: each its status, its word and its sentence; the hatch is no higher than the bar."""
    view = tree(readings=[reading("r1", "branch-North", 0.70), reading("r2", "output", 0.95)])
    status = {n.key: (n.status, n.status_word) for n in view.nodes}
    assert status["branch-North"] == ("agrees", "Adds up")
    assert status["output"] == ("differs", "Does not add up")
    assert status["at-a"] == ("open", "Not measured")
    output = next(n for n in view.nodes if n.key == "output")
    assert "200 mA" in output.residual
    assert 0 < output.residual_height <= output.height
    battery = next(n for n in view.nodes if n.key == "battery")
    assert "950 mA by what is behind it" in battery.read
    assert (view.measured, view.total) == (2, 6)
    assert view.supplies[0][2] == "differs"


def test_alarm_is_another_tree_and_a_slip_does_not_blow_it_up():
    """In alarm the estimate of 600 mA is as wide as the two others; a reading of 600 A is drawn as its register."""
    alarm = {n.key: n.height for n in tree(state=State.ALARM).nodes}
    assert alarm["at-c"] == pytest.approx(alarm["at-a"], abs=0.02)
    slip = tree(readings=[reading("r", "at-a", 600.0)])
    node = next(n for n in slip.nodes if n.key == "at-a")
    assert node.height == pytest.approx(0.6 / 0.75 * GREATEST_PX, abs=0.02)
    assert "another unit?" in node.residual


def test_a_tree_of_very_many_devices_draws_the_largest_and_counts_the_rest():
    """Seventy devices: sixty are drawn."""
    loads = [other_load(f"d{n}", 0.001 * (n + 1), "estimate") for n in range(70)]
    view = tree(loads=loads, branches={})
    assert view.hidden == 10
    assert "at-d69" in {n.key for n in view.nodes}
    assert "at-d0" not in {n.key for n in view.nodes}


@pytest.mark.parametrize(
    ("bursts", "pulses", "to_scale"),
    [
        ([{"current_a": 1.0, "duration_s": 600, "per_hour": 1, "offset_s": 0}], [(0.0, 10.0), (60.0, 10.0)], True),
        ([{"current_a": 1.0, "duration_s": 3, "per_hour": 6, "offset_s": 0}], [(0.0, 1.5), (60.0, 1.5)], False),
        ([{"current_a": 1.0, "duration_s": 17_280, "per_hour": 1 / 24, "offset_s": 0}], [(0.0, 24.0)], True),
    ],
)
def test_the_duty_strip_shows_two_periods_of_the_slowest_mode(bursts, pulses, to_scale):
    """Ten minutes an hour, three seconds every ten minutes, a fifth of the day: where and how wide; too thin to scale says so."""
    strip = build_duty({"bursts": bursts, "standby_current_a": 0.1})
    assert [(x, w) for x, w, _, _ in strip.pulses] == [pytest.approx(p) for p in pulses]
    assert strip.to_scale is to_scale
    assert all(x + w <= DUTY_WIDTH + 1e-6 for x, w, _, _ in strip.pulses)
    assert build_duty({"bursts": [], "standby_current_a": 0.1}) is None


# -- the register ----------------------------------------------------------------------------------------------------------------------


def test_the_register_is_filtered_by_every_column(client, archive):
    """By text, supply, place, purpose and provenance; what does not match is counted, not shown."""
    page = unescape(regions(client, archive, "register", show_text="detector north")["register"])
    assert "1 of 27 loads" in page
    supplies = dict(re.findall(r'<option value="(\d+)">(Main panel|Bay A|Bay B)</option>', page)[:3])
    bay_b = next(k for k, v in supplies.items() if v == "Bay B")
    assert "8 of 27 loads" in regions(client, archive, "register", show_supply=bay_b)["register"]
    assert "6 of 27 loads" in regions(client, archive, "register", show_purpose="life_safety")["register"]
    assert "6 of 27 loads" in regions(client, archive, "register", show_known="estimate")["register"]
    none = regions(client, archive, "register", show_text="no such thing")["register"]
    assert "No load matches" in none
    assert set(regions(client, archive, "verdict,next,nonsense")) == {"verdict", "next"}


def test_the_average_of_every_load_opens_to_its_working(client, archive):
    """With formula and numbers, for loads with bursts and converters too."""
    page = audit_page(client, archive)
    links = set(re.findall(r'data-open="(/sites/[^"]+/working/[^"]+/load-[^"]+)"', page))
    assert len(links) == 27
    for link in links:
        answer = client.get(link, headers=SCRIPT)
        assert answer.status_code == 200
        assert "I1 is the average in standby, I2 in alarm" in answer.text
    assert client.get(re.sub(r"load-.*", "load-nothing", links.pop()), headers=SCRIPT).status_code == 404


def picked(conninfo, archive, names):
    found = rows(
        conninfo, "SELECT id, version, name FROM load WHERE plan_id = %s AND name = ANY(%s) ORDER BY id", archive["plan_id"], names
    )
    return [f"{r['id']}:{r['version']}" for r in found]


def test_bulk_edits_are_whole_logged_in_one_batch_and_undone_together(client, archive, conninfo):
    """Three loads get a branch; one stale version keeps all of them as they are; what belongs elsewhere is refused."""
    bulk = f"/plans/{archive['plan_id']}/loads/bulk"
    names = ["Keypad", "Card reader", "Seismic detector"]
    chosen = picked(conninfo, archive, names)
    answer = client.post(bulk, {"load": chosen, "verb": "branch", "value": "West", "regions": "register", "show_wide": "1"})
    assert answer.status_code == 200
    assert answer.json["notice"] == "3 loads changed."
    assert answer.json["regions"]["register"].count('value="West"') == 3
    batches = rows(conninfo, "SELECT DISTINCT batch FROM change WHERE after->>'branch' = 'West'")
    assert len(batches) == 1
    stale = client.post(bulk, {"load": chosen, "verb": "branch", "value": "East"})
    assert stale.status_code == 409
    assert "nothing was changed" in stale.json["message"]
    back = client.post(answer.json["undo"])
    assert back.json["notice"] == "Undone: 3 changes."
    assert rows(conninfo, "SELECT count(*) AS n FROM load WHERE branch IN ('West', 'East')")[0]["n"] == 0
    assert client.post(bulk, {"load": [], "verb": "branch", "value": "x"}).status_code == 422
    assert client.post(bulk, {"load": picked(conninfo, archive, names), "verb": "quantity", "value": "9"}).status_code == 404
    other = rows(conninfo, "SELECT max(id) AS id FROM supply")[0]["id"]
    moved = client.post(bulk, {"load": picked(conninfo, archive, names), "verb": "supply_id", "value": str(other)})
    assert moved.status_code == 404
    gone = client.post(bulk, {"load": picked(conninfo, archive, names), "verb": "remove", "value": ""})
    assert gone.json["notice"] == "3 loads removed."
    assert client.post(gone.json["undo"]).json["notice"] == "Undone: 3 changes."


def test_an_edit_that_was_changed_since_is_not_undone(client, archive, conninfo):
    """Somebody's newer figure stands."""
    (load,) = rows(conninfo, "SELECT id, version FROM load WHERE name = 'Card reader' AND plan_id = 1")
    first = client.cell(load, "standby", "75 mA")
    client.cell({"id": load["id"], "version": first.json["row"]["version"]}, "standby", "80 mA")
    answer = client.post(first.json["undo"], {"plan": archive["plan_id"]})
    assert answer.status_code == 409
    assert "Card reader was changed since" in answer.json["message"]


def test_a_thousand_typed_over_a_current_is_asked_about(client, conninfo):
    """60 mA to 60 A is a question; answered, it is saved; what such a device can draw is not asked, what none draws is."""
    (load,) = rows(conninfo, "SELECT id, version FROM load WHERE name = 'Card reader' AND plan_id = 1")
    asked = client.cell(load, "standby", "60 A")
    assert asked.status_code == 409
    assert asked.json["question"] is True
    assert "60 A is about 1000 times as much as the 60 mA that stood here" in asked.json["message"]
    data = {"cell": "standby", "text": "60 A", "version": load["version"], "sure": "1"}
    assert client.post(f"/loads/{load['id']}/cell", data).status_code == 200
    (now,) = rows(conninfo, "SELECT id, version FROM load WHERE name = 'Card reader' AND plan_id = 1")
    odd = client.cell(now, "standby", "6 A")
    assert (odd.status_code, "a card reader draws 30 mA to" in odd.json["message"]) == (409, True)
    assert client.cell(now, "standby", "600 mA").status_code == 200


def test_typing_over_a_measured_figure_lets_go_of_its_reading(client, archive, conninfo):
    """What a reading gave is no longer that reading's once another figure stands there; saving it unchanged keeps it."""
    (r,) = rows(conninfo, "SELECT r.id FROM reading r JOIN point p ON p.id = r.point_id WHERE p.key = 'at-detectors-a'")
    assert client.post(f"/readings/{r['id']}/take", {"plan": archive["plan_id"]}).status_code == 200
    load = rows(conninfo, "SELECT * FROM load WHERE key = 'detectors-a' AND plan_id = 1")[0]
    assert load["standby_reading"] == "r-12"
    html = client.get(f"/records/load/{load['id']}?plan={archive['plan_id']}", headers=SCRIPT).json["html"]
    kept = form_of(html)
    assert client.post(f"/records/load/{load['id']}", {**kept, "branch": "Other"}).status_code == 200
    assert rows(conninfo, "SELECT standby_reading FROM load WHERE id = %s", load["id"])[0]["standby_reading"] == "r-12"
    now = rows(conninfo, "SELECT id, version FROM load WHERE id = %s", load["id"])[0]
    client.cell(now, "standby", "17 mA")
    typed = rows(conninfo, "SELECT standby_reading, standby_uncertainty_a FROM load WHERE id = %s", load["id"])[0]
    assert typed == {"standby_reading": None, "standby_uncertainty_a": None}


def form_of(html):
    """Return what a browser would send of a form as it stands."""
    values = {}
    for tag in re.findall(r"<input [^>]+>", html):
        name, kind = re.search(r'name="([^"]+)"', tag), re.search(r'type="(\w+)"', tag)
        if name and not (kind and kind.group(1) == "checkbox" and "checked" not in tag):
            value = re.search(r'value="([^"]*)"', tag)
            values[name.group(1)] = unescape(value.group(1)) if value else ""
    for name, body in re.findall(r'<select [^>]*name="([^"]+)"[^>]*>(.*?)</select>', html, re.DOTALL):
        values[name] = re.search(r'<option selected value="([^"]*)"', body).group(1)
    return values


def test_every_kind_of_mode_is_entered_the_way_people_think(client, archive, conninfo):
    """A duty in words, a heater, a recharged battery, a cable, AC with volt-amperes asked about: saved, shown and exported."""
    (load,) = rows(conninfo, "SELECT id FROM load WHERE key = 'exit-buttons' AND plan_id = 1")
    address = f"/records/load/{load['id']}"
    form = form_of(client.get(f"{address}?plan={archive['plan_id']}", headers=SCRIPT).json["html"])
    wrong = client.post(address, {**form, "bursts-0-current_a": "50 mA", "bursts-0-per_hour": "6 an hour"})
    assert wrong.status_code == 422
    assert "must not be empty: as in 8 s; empty if said beside it" in unescape(wrong.json["html"])
    wrong = client.post(address, {**form, "thermostats-0-current_a": "1 A"})
    assert "needs one of the two" in wrong.json["html"]
    wrong = client.post(address, {**form, "cable_length_m": "30 m"})
    assert "must not be empty where the other is known" in wrong.json["html"]
    full = {
        **form,
        "bursts-0-current_a": "50 mA",
        "bursts-0-per_hour": "3 s every 10 min",
        "bursts-0-during": "always",
        "thermostats-0-name": "Heater",
        "thermostats-0-current_a": "0,4 A",
        "thermostats-0-below_degc": "5",
        "recharges-0-charge_ah": "2600 mAh",
        "recharges-0-battery_v": "3.7 V",
        "recharges-0-per_day": "1 a day",
        "cable_length_m": "30",
        "cable_section_mm2": "0,5 mm²",
    }
    saved = client.post(address, {**full, "regions": "register", "show_wide": "1"})
    assert saved.status_code == 200, saved.json
    register = unescape(saved.json["regions"]["register"])
    assert "50 mA for 3 s every 10 min" in register
    assert "Heater adds 400 mA below 5 °C" in register
    exported = json.loads(client.get(f"/sites/{archive['id']}/export").text)
    found = next(x for x in exported["plans"][0]["loads"] if x["key"] == "exit-buttons")
    assert found["bursts"][0]["duration_s"] == 3.0
    assert found["cable"] == {"length_m": 30.0, "section_mm2": 0.5}
    assert found["recharges"][0]["charge_ah"] == 2.6
    assert found["recharges"][0]["efficiency_ratio"] == 0.8


def test_volt_amperes_taken_for_watts_are_asked_about_and_more_watts_refused(client, archive, conninfo):
    """The same figure twice is a question; watts above volt-amperes cannot be."""
    start = client.get(f"/records/load/new?plan={archive['plan_id']}", headers=SCRIPT).json["html"]
    form = {**form_of(start), "name": "Yard recorder", "standby": "140 mA", "rail_v": "230 V", "ac_apparent_va": "32 VA"}
    impossible = client.post("/records/load/new", {**form, "ac_power_w": "40 W"})
    assert "must not be above the volt-amperes" in impossible.json["html"]
    asked = client.post("/records/load/new", {**form, "ac_power_w": "32 W"})
    assert asked.status_code == 422
    assert "VA is not W" in asked.json["html"]
    assert rows(conninfo, "SELECT count(*) AS n FROM load WHERE name = 'Yard recorder'")[0]["n"] == 0
    assert client.post("/records/load/new", {**form, "ac_power_w": "32 W", "sure": "1"}).status_code == 200
    assert rows(conninfo, "SELECT ac_power_w FROM load WHERE name = 'Yard recorder'")[0]["ac_power_w"] == 32.0
    # Its watts are told by its current: the power factor alone says something too, and comes out again.
    alone = {**form, "name": "Gate recorder", "supply_id": "", "ac_apparent_va": "", "ac_power_factor_ratio": "0.7"}
    assert client.post("/records/load/new", alone).status_code == 200
    exported = json.loads(client.get(f"/sites/{archive['id']}/export").text)["plans"][0]["loads"]
    assert next(load for load in exported if load["name"] == "Gate recorder")["ac"]["power_factor_ratio"] == 0.7


# -- tables out and in -----------------------------------------------------------------------------------------------------------------


def test_the_register_goes_out_and_comes_in_again(client, archive, conninfo):
    """CSV and spreadsheet hold every load; a name that looks like a formula is none there and is itself again when it comes back."""
    (load,) = rows(conninfo, "SELECT id, version FROM load WHERE name = 'Card reader' AND plan_id = 1")
    assert client.cell(load, "name", "=cmd|' /C calc'!A0").status_code == 200
    book = load_workbook(io.BytesIO(client.get(f"/sites/{archive['id']}/as-found/register.xlsx").data))
    assert {c.data_type for row in book.active.iter_rows() for c in row} <= {"s", "n", "inlineStr"}
    csv = client.get(f"/sites/{archive['id']}/as-found/register.csv")
    assert csv.headers["Content-Disposition"].endswith('register.csv"')
    assert "'=cmd|" in csv.data.decode("utf-8-sig")
    assert client.get(f"/sites/{archive['id']}/as-found/register.exe").status_code == 404
    before = rows(conninfo, "SELECT name, quantity, standby_current_a FROM load WHERE plan_id = %s ORDER BY id", archive["plan_id"])
    upload = client.post(
        f"/sites/{archive['id']}/as-found/bring-loads",
        {"file": (io.BytesIO(csv.data), "register.csv")},
        script=False,
        content_type="multipart/form-data",
    )
    draft = upload.headers["Location"]
    review = client.get(draft).text
    assert "27 rows clear" in review
    assert client.post(draft, {"do": "confirm"}, script=False).status_code == 302
    after = rows(conninfo, "SELECT name, quantity, standby_current_a FROM load WHERE plan_id = %s ORDER BY id", archive["plan_id"])
    assert sorted(map(str, after)) == sorted(map(str, before * 2))
    assert client.get(draft).status_code == 404


def test_what_a_remark_offers_comes_in_only_when_ticked(client, archive, conninfo):
    """The unit is chosen once; measured and a burst are ticked; a burst without a current is asked for one, and nothing typed is lost."""
    table = "Device;No.;Standby;Remark\nFloat;2;16,5;measured\nSender;1;25;sends 9 s every 40 min\nLogger;1;5;measured\n"
    draft = client.post(f"/sites/{archive['id']}/as-found/bring-loads", {"text": table}, script=False).headers["Location"]
    columns = {"column_0": "name", "column_1": "quantity", "column_2": "standby", "column_3": "remark", "header_row": "1", "sheet": "0"}
    assert "0 rows clear" in client.post(draft, {**columns, "do": "show"}, script=False).text
    columns["unit_2"] = "mA"
    assert "3 rows clear" in client.post(draft, {**columns, "do": "show"}, script=False).text
    taken = {**columns, "take_provenance": ["2"], "take_burst": ["3"], "burst_current_3": ""}
    asked = client.post(draft, {**taken, "do": "confirm"}, script=False)
    assert asked.status_code == 422
    assert "Row 3" in asked.text
    assert re.search(r'name="take_burst" value="3" checked', asked.text)
    assert client.post(draft, {**taken, "burst_current_3": "0,9 A", "do": "confirm"}, script=False).status_code == 302
    found = rows(
        conninfo, "SELECT name, standby_current_a, standby_provenance, bursts FROM load WHERE plan_id = 1 ORDER BY id DESC LIMIT 3"
    )
    assert [(r["name"], r["standby_current_a"], r["standby_provenance"]) for r in reversed(found)] == [
        ("Float", 0.0165, "measured"),
        ("Sender", 0.025, "estimate"),
        ("Logger", 0.005, "estimate"),
    ]
    (burst,) = found[1]["bursts"]
    assert (burst["current_a"], burst["duration_s"], burst["per_hour"]) == (0.9, 9.0, 1.5)


def test_a_file_that_is_no_table_says_why_and_one_without_headings_shows_its_rows(client, archive):
    """In words; with the first rows to choose the headings from, and the columns said by hand."""
    bring = f"/sites/{archive['id']}/as-found/bring-loads"
    refused = client.post(bring, {"file": (io.BytesIO(b"%PDF-1.7"), "x.pdf")}, script=False, content_type="multipart/form-data")
    assert refused.status_code == 422
    assert "This is a PDF" in refused.text
    draft = client.post(bring, {"text": "Lamp;4;16 mA\nBeam;2;60 mA\nBeam;2;60 mA\n"}, script=False).headers["Location"]
    page = client.get(draft).text
    assert "none of them is the name of the load" in page
    assert "<td>Lamp</td>" in page
    columns = {"column_0": "name", "column_1": "quantity", "column_2": "standby", "header_row": "", "sheet": "0"}
    shown = client.post(draft, {**columns, "do": "show"}, script=False).text
    assert "3 rows clear" in shown
    left = client.post(draft, {**columns, "do": "confirm", "leave": ["1", "2", "3"]}, script=False)
    assert "No row is left to bring in" in left.text


def test_a_large_register_is_shown_first_and_its_figures_follow(client):
    """Three hundred loads on five supplies: the page comes without waiting for any of them, an edit is answered with where its figures are."""
    found = document(site={"name": "Large"})
    plan = found["plans"][0]
    supply, load = plan["supplies"][0], plan["loads"][0]
    plan["supplies"] = [merged(supply, {"key": f"s{n}", "name": f"Bay {n}"}) for n in range(5)]
    plan["loads"] = [
        merged(load, {"key": f"l{n}", "name": f"Device {n}", "supply": f"s{n % 5}", "standby": {"current_a": 0.002}}) for n in range(300)
    ]
    address = client.post("/import", {"text": json.dumps(found)}, script=False).headers["Location"]
    page = client.get(f"{address}/as-found/audit").text
    assert "data-waiting" in page
    assert page.count("data-load=") == 60
    assert "60 of 300 shown" in page
    later = client.get(f"{address}/as-found/regions?regions=verdict,strip", headers=SCRIPT).json["regions"]
    assert "Holds" in later["verdict"]
    assert "data-waiting" not in client.get(address).text
    load_id, version = re.findall(r'data-load="(\d+)" data-version="(\d+)"', page)[0]
    answer = client.cell({"id": load_id, "version": version}, "standby", "3 mA")
    assert "regions" not in answer.json
    assert client.get(f"{answer.json['later']}?regions=answer", headers=SCRIPT).status_code == 200
    more = client.get(f"{address}/as-found/regions?regions=register&show_shown=180", headers=SCRIPT).json["regions"]["register"]
    assert more.count("data-load=") == 180


# -- points, readings, instruments, library --------------------------------------------------------------------------------------------


def point_of(client, archive, key):
    return unescape(client.get(f"/sites/{archive['id']}/as-found/points/{key}", headers=SCRIPT).text)


def test_a_point_tells_register_sum_reading_causes_and_history(client, archive):
    """The unexplained branch, the slip, the superseded reading with its reason, and why a mains-on reading does not count."""
    branch = point_of(client, archive, "bay-b-perimeter-east")
    assert "32 mA more than expected" in branch
    assert "Behind Perimeter east something draws 32.3 mA" in branch
    assert "Register the difference" in branch
    assert "Find the cause, or register the difference" in branch
    assert "mA may have been written as A" in point_of(client, archive, "at-expander-a")
    battery = point_of(client, archive, "bay-b-battery")
    assert "Superseded by 1.2 A: the doors stood open: magnets off" in battery
    panel = point_of(client, archive, "main-panel-battery")
    assert "that is charge, not load" in panel
    assert client.get(f"/sites/{archive['id']}/as-found/points/nothing", headers=SCRIPT).status_code == 404


def test_the_difference_is_registered_then_the_branch_is_taken_and_both_are_undone(client, archive, conninfo):
    """The branch adds up once what it draws is a load to be found; its total narrows the band; each answer offers its undo."""
    made = client.post(f"/plans/{archive['plan_id']}/difference", {"point": "bay-b-perimeter-east", "state": "standby"})
    assert made.json["notice"] == "Not found yet, behind Perimeter east is in the register, as an estimate."
    branch = point_of(client, archive, "bay-b-perimeter-east")
    assert "adds up" in branch
    reading_id = re.search(r"/readings/(\d+)/take", branch).group(1)
    taken = client.post(f"/readings/{reading_id}/take", {"plan": archive["plan_id"]})
    assert "taken as the total of what is behind it" in taken.json["notice"]
    released = client.post(f"/readings/{reading_id}/release", {"plan": archive["plan_id"]})
    assert "The total is out of the register" in released.json["notice"]
    assert client.post(f"/readings/{reading_id}/release", {"plan": archive["plan_id"]}).status_code == 422
    assert client.post(released.json["undo"]).status_code == 200
    assert client.post(taken.json["undo"]).status_code == 200
    assert client.post(made.json["undo"]).status_code == 200
    assert "does not add up" in point_of(client, archive, "bay-b-perimeter-east")
    assert rows(conninfo, "SELECT totals FROM supply WHERE key = 'bay-b'")[0]["totals"] == []
    again = client.post(f"/plans/{archive['plan_id']}/difference", {"point": "bay-b-stores", "state": "standby"})
    assert again.status_code == 422


def test_a_total_moves_what_is_uncertain_behind_it_and_its_workings_say_so(client, archive):
    """The doors were read 24 mA below the register: the guessed reader moves most, and says that it was moved."""
    doors = point_of(client, archive, "bay-b-doors")
    reading_id = re.search(r"/readings/(\d+)/take", doors).group(1)
    assert client.post(f"/readings/{reading_id}/take", {"plan": archive["plan_id"]}).status_code == 200
    working = client.get(f"/sites/{archive['id']}/as-found/working/bay-b/load-reader", headers=SCRIPT).text
    assert "estimate, moved to a measured total" in working
    untouched = client.get(f"/sites/{archive['id']}/as-found/working/bay-b/load-beams", headers=SCRIPT).text
    assert "moved" not in untouched


def send(client, archive, **fields):
    base = {"unit": "mA", "state": "standby", "mains": "off", "instrument": "", "hookup": "series", "token": "0" * 32}
    return client.post(f"/plans/{archive['plan_id']}/readings", {**base, **fields})


def test_readings_are_read_as_people_write_them_and_refused_beside_their_field(client, archive, conninfo):
    """Units in the text beat the button, commas and signs as they come; least above greatest, no token, no point, no reason."""
    (point,) = rows(conninfo, "SELECT id FROM point WHERE key = 'at-reader'")
    said = send(
        client,
        archive,
        point=point["id"],
        value="0,105 A",
        least="100",
        greatest="0.11 A",
        battery_v="12,6 V",
        taken_at="2026-11-24T10:00:00Z",
    )
    assert said.status_code == 200, said.json
    (row,) = rows(conninfo, "SELECT * FROM reading ORDER BY id DESC LIMIT 1")
    assert (row["value_a"], row["min_a"], row["max_a"], row["battery_v"], row["as_written"]) == (0.105, 0.1, 0.11, 12.6, "0,105 A")
    assert f"{row['taken_at']:%Y-%m-%d %H:%M}" == "2026-11-24 10:00"
    assert send(client, archive, point=point["id"], value="104").json["stored"] == said.json["stored"]
    for fields, name, words in (
        ({"value": ""}, "value", "must not be empty"),
        ({"value": "1,200"}, "value", "could be 1.2 mA or 1200 mA"),
        ({"value": "105", "least": "120", "greatest": "100"}, "least", "must not be above the greatest"),
        ({"value": "105", "battery_v": "lots"}, "battery_v", "must be a voltage"),
        ({"value": "105", "state": "custom"}, "state_note", "what was it doing"),
        ({"value": "105", "supersedes": str(row["id"])}, "reason", "say why the other is wrong"),
        ({"value": "105", "instrument": "999999"}, "instrument", "must be one of those offered"),
    ):
        answer = send(client, archive, point=point["id"], **{"token": "1" * 32, **fields})
        assert answer.status_code == 422, fields
        assert words in answer.json["faults"][name]
    assert send(client, archive, point="999999", value="1", token="2" * 32).status_code == 422
    assert send(client, archive, point=point["id"], value="105", token="short").status_code == 400
    va = send(client, archive, point=point["id"], value="1.3 VA @ 12 V", token="3" * 32)
    assert va.status_code == 409
    assert any("VA is not W" in q["text"] for q in va.json["questions"])


def test_an_open_question_of_a_queued_reading_is_settled_or_superseded(client, archive, conninfo):
    """It is stored at once and shown with its question; settled, it counts."""
    (point,) = rows(conninfo, "SELECT id FROM point WHERE key = 'at-reader'")
    queued = send(client, archive, point=point["id"], value="105 A", queued="1")
    assert queued.status_code == 200
    assert "a question about it is open" in queued.json["words"]
    shown = point_of(client, archive, "at-reader")
    assert "105 A is 880 times what is expected here" in shown
    reading_id = re.search(r"/readings/(\d+)/settle", shown).group(1)
    assert client.post(f"/readings/{reading_id}/settle", {"plan": archive["plan_id"]}).json["notice"] == "The reading counts as it stands."
    assert "/settle" not in point_of(client, archive, "at-reader")


def test_points_are_added_edited_and_refused_where_they_make_no_tree(client, archive, conninfo):
    """A branch of its own; a point behind itself is refused beside the field; removed, its children hang on the next one and come back."""
    start = form_of(client.get(f"/records/point/new?plan={archive['plan_id']}", headers=SCRIPT).json["html"])
    ids = {r["key"]: r["id"] for r in rows(conninfo, "SELECT id, key FROM point WHERE plan_id = %s", archive["plan_id"])}
    supply = rows(conninfo, "SELECT id FROM supply WHERE key = 'bay-b' AND plan_id = %s", archive["plan_id"])[0]["id"]
    form = {**start, "name": "Gate", "kind": "branch", "supply": str(supply), "parent": str(ids["bay-b-output"])}
    assert client.post("/records/point/new", form).status_code == 200
    loop = form_of(client.get(f"/records/point/{ids['bay-b-output']}?plan={archive['plan_id']}", headers=SCRIPT).json["html"])
    refused = client.post(f"/records/point/{ids['bay-b-output']}", {**loop, "parent": str(ids["bay-b-doors"])})
    assert refused.status_code == 422
    assert "measuring points form a tree" in re.search(r'id="parent-help">(.*?)</p>', refused.json["html"], re.DOTALL).group(1)
    (doors,) = rows(conninfo, "SELECT id, version FROM point WHERE id = %s", ids["bay-b-doors"])
    gone = client.post(f"/records/point/{doors['id']}/remove?plan={archive['plan_id']}", {"version": doors["version"], "regions": "tree"})
    assert gone.status_code == 200
    exported = json.loads(client.get(f"/sites/{archive['id']}/export").text)["plans"][0]
    assert next(p["parent"] for p in exported["points"] if p["key"] == "at-reader") == "bay-b-output"
    assert not [r for r in exported["readings"] if r["point"] == "bay-b-doors"]
    client.post(gone.json["undo"])
    back = json.loads(client.get(f"/sites/{archive['id']}/export").text)["plans"][0]
    assert [r for r in back["readings"] if r["point"] == "bay-b-doors"]


def test_instruments_and_the_library_are_kept_for_the_organisation(client, archive, conninfo):
    """An instrument with two ranges, sorted; a measured load kept and picked; removed and restored."""
    start = form_of(client.get("/records/instrument/new", headers=SCRIPT).json["html"])
    form = {**start, "name": "Bench meter", "display_count": "50000", "accuracy_ratio": "0.05 %"}
    ranges = {
        "ranges-0-jack": "A",
        "ranges-0-limit_a": "10 A",
        "ranges-1-jack": "mA",
        "ranges-1-limit_a": "500 mA",
        "ranges-1-burden_v": "0.2 V",
    }
    assert client.post("/records/instrument/new", {**form, **ranges}).status_code == 200
    (meter,) = rows(conninfo, "SELECT * FROM instrument WHERE name = 'Bench meter'")
    assert [r["limit_a"] for r in meter["ranges"]] == [0.5, 10.0]
    assert meter["accuracy_ratio"] == pytest.approx(0.0005)
    (keypad,) = rows(conninfo, "SELECT id FROM load WHERE name = 'Keypad' AND plan_id = %s", archive["plan_id"])
    assert "in the library: 2 measured so far" in client.post(f"/loads/{keypad['id']}/keep").json["notice"]
    (reader,) = rows(conninfo, "SELECT id FROM load WHERE name = 'Card reader' AND plan_id = 1")
    assert client.post(f"/loads/{reader['id']}/keep").status_code == 422
    page = client.get("/library/").text
    assert "Keypad" in page
    assert "Bench meter" in page
    pick = client.get(f"/library/pick?plan={archive['plan_id']}", headers=SCRIPT).json["html"]
    assert "measured by us, 2 pieces" in pick
    filled = form_of(
        client.get(f"/records/load/new?plan={archive['plan_id']}&device=type-radio-transmitter--long-range", headers=SCRIPT).json["html"]
    )
    assert (filled["standby"], filled["standby_provenance"], filled["bursts-0-duration_s"]) == ("60 mA", "estimate", "3 s")
    (device,) = rows(conninfo, "SELECT id, version FROM device WHERE name = 'Keypad'")
    assert client.post(f"/records/device/{device['id']}/remove", {"version": device["version"]}).json["go"] == "/library/"
    assert "Restore Keypad" in client.get("/library/").text
    client.post(f"/records/device/{device['id']}/restore")
    assert "Restore Keypad" not in client.get("/library/").text


def test_the_page_without_signal_is_served_by_a_worker_of_ours(client, archive):
    """From the root and never cached; the page's key to the server is given anew to whoever is signed in."""
    worker = client.get("/offline.js")
    assert worker.mimetype == "text/javascript"
    assert worker.headers["Cache-Control"] == "no-cache"
    assert client.get("/key", headers=SCRIPT).json["key"]
    page = client.get(f"/sites/{archive['id']}/as-found/read?point=at-reader").text
    facts = json.loads(re.search(r'id="point-facts">(.*?)</script>', page, re.DOTALL).group(1))
    reader = next(f for f in facts.values() if f["name"] == "Card reader")
    assert reader["expected"] == {"standby": "120 mA", "alarm": "120 mA", "transmitting": "120 mA"}
    assert re.search(r'<option value="\d+" selected>Card reader', page)
