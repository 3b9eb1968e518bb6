"""Edits through the interface: figures that follow, versions, the log, bad input of every field, removal, the database away."""

import re
import sys
from html import unescape

import psycopg
import pytest
from conftest import running, settings_for
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from web.client import Client, rows, token_of

from ypomoni.core.evaluation import evaluate as evaluation
from ypomoni.storage.errors import OutcomeUnknown, TryAgain
from ypomoni.web.audit.load_cell import CELLS
from ypomoni.web.records.forms import FORMS

LOAD = "SELECT * FROM load WHERE name = %s ORDER BY id LIMIT 1"
BAD_TEXTS = [
    "",
    "   ",
    "text",
    "-1",
    "1e400",
    "NaN",
    "1,200 mA",
    "12 furlongs",
    "\x00",
    "٣٥",
    "9" * 500,
    "<script>alert(1)</script>",
    "𝟙𝟚 V",
    "\ud83d",
]


@pytest.fixture
def client(app):
    return Client(app)


def plan_page(client):
    site = re.search(r'class="site-name" href="(/sites/\d+)">Brackwater', client.get("/").text).group(1)
    return client.get(site).text


def test_an_edit_of_a_cell_changes_every_figure_and_computes_only_the_touched_supply(client, conninfo, monkeypatch):
    """Four times the beams: holdover, strip and findings follow from one supply computed; the typed text is kept."""
    plan_page(client)
    computed = []
    evaluate_supply = evaluation.evaluate_supply
    monkeypatch.setattr(evaluation, "evaluate_supply", lambda plan, s: computed.append(s.name) or evaluate_supply(plan, s))
    (load,) = rows(conninfo, LOAD, "Perimeter beam")
    answer = client.cell(load, "standby", "2.976 W @ 12 V")
    assert answer.status_code == 200
    assert computed == ["Bay B"]
    assert answer.json["row"]["cells"]["standby"] == "2.976 W @ 12 V"
    assert "Holds" in answer.json["regions"]["verdict"]
    held_h = float(re.search(r"answer-lead.*?>([\d.]+) h<", answer.json["regions"]["verdict"], re.DOTALL).group(1))
    assert 3 < held_h < 6
    (changed,) = rows(conninfo, LOAD, "Perimeter beam")
    assert changed["standby_current_a"] == pytest.approx(0.248)
    assert changed["rail_v"] == 12.0
    page = client.get("/sites/1/as-found/audit").text
    assert computed == ["Bay B"]
    assert 'value="2.976 W @ 12 V"' in page


def test_every_figure_on_the_page_opens_to_its_working(client):
    """All of them, with formula, inputs and source."""
    page = plan_page(client)
    links = set(re.findall(r'data-open="(/sites/[^"]+/working/[^"]+)"', page))
    assert len(links) > 45
    for link in links:
        answer = client.get(link, headers={"X-Requested-With": "ypomoni"})
        assert answer.status_code == 200, link
        assert "Source:" in answer.text


def test_a_stale_edit_is_refused_with_both_values_and_can_be_repeated(client, app, conninfo):
    """The second of two edits on one version gets theirs and yours; made again on the new version it is saved. One log row each."""
    other = Client(app, email="idris@saltmarsh.example")
    (load,) = rows(conninfo, LOAD, "Keypad")
    assert other.cell(load, "standby", "30 mA").status_code == 200
    answer = client.cell(load, "standby", "25 mA")
    assert answer.status_code == 409
    assert answer.json["message"] == "Idris Vale changed this load meanwhile. Theirs: 30 mA. Yours: 25 mA."
    again = client.cell(load, "standby", "25 mA", version=answer.json["row"]["version"])
    assert again.status_code == 200
    log = rows(
        conninfo,
        "SELECT before, after, verb, account_id FROM change WHERE aggregate = 'load' AND aggregate_id = %s ORDER BY id",
        load["id"],
    )
    steps = [(r["before"]["standby_current_a"], r["after"]["standby_current_a"]) for r in log]
    assert steps == [(0.021, 0.03), (0.03, 0.025)]
    assert len({r["account_id"] for r in log}) == 2


def test_a_stale_form_shows_theirs_beside_yours(client, app, conninfo):
    """A whole form on an old version comes back with a table of what differs and everything typed."""
    (supply,) = rows(conninfo, "SELECT * FROM supply WHERE name = 'Bay B' AND plan_id = 1")
    form = form_values(client, "supply", supply["id"], supply["plan_id"])
    assert Client(app).post(f"/records/supply/{supply['id']}", {**form, "charge_v": "13.5 V"}).status_code == 200
    answer = client.post(f"/records/supply/{supply['id']}", {**form, "charge_v": "13.8 V"})
    assert answer.status_code == 409
    assert "<td>13.5 V</td><td>13.8 V</td>" in answer.json["html"]
    (load,) = rows(conninfo, LOAD, "Cellular communicator")
    form_of_load = form_values(client, "load", load["id"], load["plan_id"])
    assert Client(app).post(f"/records/load/{load['id']}", {**form_of_load, "bursts-0-per_hour": "4 an hour"}).status_code == 200
    bursts = client.post(f"/records/load/{load['id']}", {**form_of_load, "bursts-0-per_hour": "1 an hour"}).json["html"]
    assert "<td>1.9 A for 12 s every 15 min</td><td>1.9 A for 12 s every hour</td>" in bursts
    retry = dict(re.findall(r'name="(version)" value="(\d+)"', answer.json["html"]))
    assert client.post(f"/records/supply/{supply['id']}", {**form, **retry, "charge_v": "13.8 V"}).status_code == 200
    (now,) = rows(conninfo, "SELECT charge_v FROM supply WHERE id = %s", supply["id"])
    assert now["charge_v"] == 13.8


def form_values(client, name, record_id, plan_id):
    """Return what a browser would send of a form as it stands."""
    html = client.get(f"/records/{name}/{record_id}?plan={plan_id}").json["html"]
    values = {}
    for tag in re.findall(r"<input [^>]+>", html):
        kind, field = re.search(r'type="(\w+)"', tag), re.search(r'name="([^"]+)"', tag)
        if field and not (kind and kind.group(1) == "checkbox" and "checked" not in tag):
            value = re.search(r'value="([^"]*)"', tag)
            values[field.group(1)] = unescape(value.group(1)) if value else ""
    for field, body in re.findall(r'<select [^>]*name="([^"]+)"[^>]*>(.*?)</select>', html, re.DOTALL):
        values[field] = re.search(r'<option selected value="([^"]*)"', body).group(1)
    return values


@pytest.mark.parametrize("name", list(FORMS))
def test_bad_input_of_every_kind_of_field_is_answered_beside_it_and_loses_nothing(client, conninfo, name):
    """Empty, text, negative, huge, NaN, wrong unit, other encodings: a message or a saved value, the rest of the form kept, never a 500."""
    # The workshop's records, where it has such: a small site answers faster.
    record_id = rows(conninfo, f"SELECT max(id) AS id FROM {name}")[0]["id"]
    plan_id = rows(conninfo, "SELECT max(id) AS id FROM plan")[0]["id"]
    if name == "requirement":
        plan_id = rows(conninfo, "SELECT p.id FROM plan p JOIN requirement r ON r.site_id = p.site_id WHERE r.id = %s", record_id)[0]["id"]
    if name in ("place", "run", "point", "instrument", "stock", "profile"):
        plan_id = rows(conninfo, "SELECT min(id) AS id FROM plan")[0]["id"]
        record_id = rows(conninfo, f"SELECT min(id) AS id FROM {name}")[0]["id"]
    form, seen = {}, set()
    for field in FORMS[name]()._fields:
        if field in (
            "bursts",
            "thermostats",
            "recharges",
            "ranges",
            "essential",
            "pinned",
            "convenience_free",
            "escape_route",
            "enclosure_gas_tight",
            "bank_discharge_table",
        ):
            continue
        refused = 0
        # The first field of a kind is tried with everything, a third of the others of it with what no field takes.
        kind = type(FORMS[name]()[field])
        if kind in seen and len(field) % 3:
            continue
        texts = BAD_TEXTS if kind not in seen else [t for t in BAD_TEXTS if t == "\x00"]
        seen.add(kind)
        for text in texts:
            # The form is as it was until something of it was saved.
            form = form or form_values(client, name, record_id, plan_id)
            if answer_to(client, f"/records/{name}/{record_id}", form, field, text) == 422:
                refused += 1
            else:
                form = {}
        assert refused >= 1, field


def answer_to(client, address, form, field, text):
    """Send one bad text in an otherwise good form and return the status; a refusal must stand beside its field and keep the rest."""
    kind = address.split("/")[2]
    text = text.encode("utf-8", "replace").decode()
    # One small region is asked for: the figures of a site that was saved are not what is tested.
    answer = client.post(address, {**form, field: text, "regions": "title"})
    assert answer.status_code in (200, 422), (field, text, answer.status_code)
    if answer.status_code == 422:
        html = answer.json["html"]
        beside = re.search(rf'id="{field}-help">(.*?)</p>', html, re.DOTALL)
        assert beside, f"no place for a message at {field}"
        # A place's empty temperature is the site's: what does not go with that is said beside the other one.
        assert "entry-error" in (html if kind == "place" else beside.group(1)), (field, text, html[:300])
        assert "<script>alert" not in html
        kept = next(v for k, v in form.items() if k not in (field, "version", "plan") and v)
        assert kept in unescape(html)
    return answer.status_code


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    cell=st.sampled_from(CELLS),
    text=st.text(max_size=60),
)
def test_any_text_in_any_cell_is_saved_or_refused_in_words(client, conninfo, cell, text):
    """Never a 500, and a refusal says something."""
    (load,) = rows(conninfo, "SELECT * FROM load ORDER BY id LIMIT 1")
    answer = client.cell(load, cell, text.encode("utf-8", "replace").decode())
    assert answer.status_code in (200, 409, 422)
    if answer.status_code != 200:
        assert answer.json["message"]


def test_what_breaks_the_site_is_said_beside_the_field_that_breaks_it(client, conninfo):
    """5 V without a converter on 12 V; bursts for more time than there is; a cut-off that a full battery does not reach."""
    (load,) = rows(conninfo, LOAD, "Keypad")
    assert "within 20 % of the supply's nominal_v" in client.cell(load, "standby", "0.5 W @ 5 V").json["message"]
    form = form_values(client, "load", load["id"], load["plan_id"])
    burst = {"bursts-0-current_a": "1 A", "bursts-0-duration_s": "40 min", "bursts-0-per_hour": "2 an hour", "bursts-0-during": "always"}
    answer = client.post(f"/records/load/{load['id']}", {**form, **burst})
    assert answer.status_code == 422
    assert "active 133% of the time" in answer.json["html"]
    (supply,) = rows(conninfo, "SELECT * FROM supply WHERE name = 'Bay B' AND plan_id = %s", load["plan_id"])
    form = form_values(client, "supply", supply["id"], load["plan_id"])
    high = client.post(f"/records/supply/{supply['id']}", {**form, "cutoff_v": "13.5 V"}).json["html"]
    assert "must be below what this battery shows full and at rest" in re.search(r'id="cutoff_v-help">(.*?)</p>', high, re.DOTALL).group(1)


def test_removal_is_undone_and_a_requirement_in_use_stays(client, conninfo):
    """A removed supply leaves its loads waiting, and takes them back; what others need cannot be removed."""
    (supply,) = rows(conninfo, "SELECT * FROM supply WHERE name = 'Bay B' AND plan_id = 1")
    gone = client.post(f"/records/supply/{supply['id']}/remove?plan={supply['plan_id']}", {"version": supply["version"]})
    assert gone.json["notice"] == "Bay B is removed."
    assert gone.json["regions"]["register"].count('class="unassigned"') == 8
    back = client.post(gone.json["undo"])
    assert 'class="unassigned"' not in back.json["regions"]["register"]
    assert "Bay B gives out first" in back.json["regions"]["verdict"]
    form = form_values(client, "supply", supply["id"], supply["plan_id"])
    empty = client.post(f"/records/supply/{supply['id']}", {**form, "bank_chemistry": ""})
    assert empty.json["notice"] == "The battery of Bay B is removed."
    assert "there is no battery" in empty.json["regions"]["verdict"]
    assert "Bay B gives out first: its charge is spent" in client.post(empty.json["undo"]).json["regions"]["verdict"]
    (requirement,) = rows(conninfo, "SELECT * FROM requirement WHERE name = 'Intruder, 24 h'")
    kept = client.post(f"/records/requirement/{requirement['id']}/remove?plan={supply['plan_id']}", {"version": requirement["version"]})
    assert kept.status_code == 422
    assert "Main panel, Bay A, Bay B must meet this requirement" in kept.json["message"]
    (site,) = rows(conninfo, "SELECT * FROM site WHERE name = 'Saltmarsh Workshop'")
    client.post(f"/records/site/{site['id']}/remove", {"version": site["version"]}, script=False)
    assert "Saltmarsh Workshop is removed" in client.get("/").text
    client.post(f"/records/site/{site['id']}/restore", script=False)
    assert client.get(f"/sites/{site['id']}").status_code == 200


def test_database_away_is_said_plainly_and_what_was_typed_is_kept(app):
    """503 on a page, in the script's words, and with the typed fields to send again; no password among them."""
    client = Client(app)
    with running(settings_for("host=127.0.0.1 port=9 user=x password=x dbname=x connect_timeout=1")) as away:
        http = away.test_client()
        with client.http.session_transaction() as signed:
            kept = dict(signed)
        with http.session_transaction() as session:
            session.update(kept)
        page = http.get("/")
        assert page.status_code == 503
        assert "The database is away" in page.text
        token = client.token
        typed = http.post(
            "/records/site/new", data={"csrf_token": token, "name": "Reed House", "typical_degc": "20 °C", "password": "secret-word"}
        )
        assert typed.status_code == 503
        assert 'value="Reed House"' in typed.text
        assert "secret-word" not in typed.text
        said = http.post("/loads/1/cell", data={"text": "1 A"}, headers={"X-CSRFToken": token, "X-Requested-With": "ypomoni"})
        assert said.status_code == 503
        assert "The database is away" in said.json["message"]


def test_unknown_addresses_and_methods_get_a_plain_page(client):
    """No stack trace anywhere."""
    for address in (
        "/nothing",
        "/sites/999999",
        f"/sites/{10**30}",
        f"/records/load/{2**63}?plan=1",
        "/records/nothing/1",
        "/sites/1/no-such-plan",
        "/invitation/none",
    ):
        answer = client.get(address)
        assert answer.status_code == 404
        assert "There is nothing here" in answer.text
        assert "Traceback" not in answer.text
    assert token_of(client.get("/people/").text)


def test_a_deadlock_after_an_edit_was_kept_does_not_save_it_twice(app, conninfo, monkeypatch):
    """The figures are worked out after the commit; what fails there runs the request again, which finds its edit in the log."""
    client = Client(app)
    (load,) = rows(conninfo, "SELECT id, version, quantity FROM load WHERE name = 'Keypad' AND organisation_id = 1 ORDER BY id LIMIT 1")

    def stopped(*_):
        raise TryAgain

    monkeypatch.setattr(sys.modules["ypomoni.web.plan.page"], "evaluate", stopped)
    answer = client.cell(load, "quantity", str(load["quantity"] + 1))
    assert (answer.status_code, answer.json["saved"]) == (200, True)
    (now,) = rows(conninfo, "SELECT version, quantity FROM load WHERE id = %s", load["id"])
    assert now == {"version": load["version"] + 1, "quantity": load["quantity"] + 1}
    assert len(rows(conninfo, "SELECT id FROM change WHERE aggregate = 'load' AND aggregate_id = %s AND verb = 'edit'", load["id"])) == 1


@pytest.mark.parametrize("arrived", [True, False])
def test_what_nobody_knows_to_be_saved_is_said_to_be_so_and_sent_again_counts_once(app, conninfo, monkeypatch, arrived):
    """The line to the database breaks at the commit, after it or before: the answer says so, its number goes along, and the edit is there once."""
    client = Client(app)
    (load,) = rows(conninfo, "SELECT id, version, quantity FROM load WHERE name = 'Keypad' AND organisation_id = 1 ORDER BY id LIMIT 1")
    wanted = load["quantity"] + 1

    def breaks(connection):
        monkeypatch.undo()
        if arrived:
            connection.commit()
        raise OutcomeUnknown("The database went away while it was saving.")

    monkeypatch.setattr(sys.modules["ypomoni.web.security"], "commit", breaks)
    answer = client.cell(load, "quantity", str(wanted))
    assert answer.status_code == 503
    assert "not known whether this was saved" in answer.json["message"]
    form = {"version": load["version"], "cell": "quantity", "text": str(wanted), "once": answer.json["once"]}
    again = client.post(f"/loads/{load['id']}/cell", form)
    assert again.status_code == 200
    assert ("Nothing was saved twice" in again.json.get("message", "")) is arrived
    (now,) = rows(conninfo, "SELECT version, quantity FROM load WHERE id = %s", load["id"])
    assert now == {"version": load["version"] + 1, "quantity": wanted}


def test_a_full_disk_is_called_that(app, conninfo):
    """The database refuses with its own code for a full disk: the answer says so, and nothing is half saved."""
    client = Client(app)
    with psycopg.connect(conninfo) as connection:
        connection.execute(
            "CREATE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN"
            " RAISE EXCEPTION 'could not extend file: No space left on device' USING ERRCODE = '53100'; END $$"
        )
        connection.execute("CREATE TRIGGER full_disk BEFORE INSERT ON change FOR EACH ROW EXECUTE FUNCTION full_disk()")
    (load,) = rows(conninfo, "SELECT id, version, quantity FROM load WHERE name = 'Keypad' AND organisation_id = 1 ORDER BY id LIMIT 1")
    answer = client.cell(load, "quantity", str(load["quantity"] + 1))
    assert answer.status_code == 507
    assert "full" in answer.json["message"]
    assert rows(conninfo, "SELECT id, version, quantity FROM load WHERE id = %s", load["id"]) == [load]


def test_a_figure_typed_over_a_measured_one_is_an_estimate(client, conninfo):
    """In its cell and in its form; saved unchanged it stays measured; a new load begins as an estimate."""
    (load,) = rows(conninfo, LOAD, "Perimeter beam")
    kept = lambda: rows(conninfo, "SELECT standby_provenance, standby_current_a FROM load WHERE id = %s", load["id"])[0]  # noqa: E731
    assert kept()["standby_provenance"] == "measured"
    form = form_values(client, "load", load["id"], load["plan_id"])
    assert client.post(f"/records/load/{load['id']}", form).status_code == 200
    assert kept()["standby_provenance"] == "measured"
    (load,) = rows(conninfo, LOAD, "Perimeter beam")
    assert client.cell(load, "standby", "90 mA").status_code == 200
    assert kept() == {"standby_provenance": "estimate", "standby_current_a": 0.09}
    html = client.get(f"/records/load/new?plan={load['plan_id']}").json["html"]
    assert re.search(r'name="standby_provenance".*?<option selected value="estimate"', html, re.DOTALL)
