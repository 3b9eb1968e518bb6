"""Who may see and do what: scope of the organisation, sessions, cookies, tokens, headers, tries."""

import re

import psycopg
import pytest
from builders import audited, document, reading
from conftest import running, settings_for
from web.client import SCRIPT, Client, other_organisation, rows, token_of

ID_ARGUMENTS = {"site_id", "load_id", "record_id", "plan_id", "reading_id", "draft_id", "batch", "log_id", "report_id", "link_id"}
ROOMS = {"devices": "benched_device", "lots": "battery_lot"}


def addresses(app, theirs):
    """Yield every rule that takes an id, filled with the other organisation's ids, for each method."""
    with app.test_request_context():
        for rule in app.url_map.iter_rules():
            if not rule.arguments & ID_ARGUMENTS:
                continue
            all_names = ("site", "requirement", "plan", "supply", "load", "place", "point", "instrument", "device", "bench_supply")
            names = all_names if "name" in rule.arguments else tuple(ROOMS) if "room" in rule.arguments else (None,)
            for name in names:
                known = {
                    "plan_key": "as-found",
                    "supply_key": "s",
                    "key": "holdover",
                    "name": name,
                    "room": name,
                    "n": 0,
                    "kind": "csv",
                    "batch": theirs["batch"],
                    "record_id": theirs[_whose(name, rule.endpoint)],
                }
                values = {a: known.get(a, theirs.get(a.removesuffix("_id"))) for a in rule.arguments}
                for method in rule.methods & {"GET", "POST"}:
                    yield method, app.url_map.bind("").build(rule.endpoint, values, method=method)


def _whose(name, endpoint):
    if name in ROOMS or endpoint.startswith("bench_room."):
        return ROOMS.get(name, "battery_lot" if endpoint.endswith("labels") else "benched_device")
    return "bench" if name == "bench_supply" else name or "site"


def test_no_page_or_endpoint_shows_or_changes_another_organisations_rows(app, conninfo):
    """Each address with an id is asked for with the other's ids, signed in and not; nothing is shown and nothing changes."""
    found = audited(
        site={"name": "Far Shore Depot"}, readings=[reading("r-1", "output", 0.3)], places=[{"key": "p", "name": "Far Shore cellar"}]
    )
    theirs = other_organisation(conninfo, found)
    assert all(theirs.values())
    client, stranger = Client(app), app.test_client()
    before = rows(conninfo, "SELECT * FROM change ORDER BY id"), rows(conninfo, "SELECT id, version FROM load ORDER BY id")
    asked = 0
    for method, address in addresses(app, theirs):
        data = {"version": 1, "cell": "name", "text": "mine now", "plan": theirs["plan"], "name": "mine now"}
        answer = client.get(address) if method == "GET" else client.post(address, data)
        assert answer.status_code == 404, (method, address)
        assert "Far Shore" not in answer.text
        refused = stranger.get(address) if method == "GET" else stranger.post(address, data=data, headers=SCRIPT)
        assert refused.status_code in (302, 400, 401), (method, address)
        asked += 1
    assert asked >= 50
    assert before == (rows(conninfo, "SELECT * FROM change ORDER BY id"), rows(conninfo, "SELECT id, version FROM load ORDER BY id"))
    for page in ("/", "/people/", "/library/", "/bench/", "/upkeep"):
        assert "Far Shore" not in client.get(page).text


@pytest.mark.parametrize("name", ["requirement", "supply", "load"])
def test_a_record_cannot_be_put_into_another_organisations_plan(app, conninfo, name):
    """The plan is looked up within the actor's organisation, for a new record and for a reference."""
    theirs = other_organisation(conninfo, document())
    client = Client(app)
    assert client.post(f"/records/{name}/new", {"plan": theirs["plan"], "name": "x"}).status_code == 404
    (load,) = rows(conninfo, "SELECT id, version FROM load WHERE name = 'Keypad' AND organisation_id = 1 ORDER BY id LIMIT 1")
    answer = client.cell(load, "supply", str(theirs["supply"]))
    assert answer.status_code == 422
    assert "one of those offered" in answer.json["message"]


def test_every_post_needs_a_token(app):
    """Without one nothing is done."""
    client = Client(app)
    for rule in app.url_map.iter_rules():
        if "POST" in rule.methods:
            values = {
                a: 1 if a.endswith("_id") else "lock" if a == "what" else "lots" if a == "room" else 1 if a == "n" else "site"
                for a in rule.arguments
            }
            address = app.url_map.bind("").build(rule.endpoint, values, method="POST")
            assert client.http.post(address).status_code == 400, address


def test_headers_and_cookies_are_strict(conninfo):
    """A policy without inline script or style; HttpOnly and SameSite always, Secure unless in demo mode."""
    for demo in (True, False):
        with running(settings_for(conninfo, demo=demo)) as app:
            answer = app.test_client().get("/sign-in")
            policy = answer.headers["Content-Security-Policy"]
            assert "default-src 'none'" in policy
            assert "unsafe" not in policy
            assert "<script>" not in answer.text
            assert " style=" not in answer.text
            cookie = answer.headers["Set-Cookie"]
            assert "HttpOnly" in cookie
            assert "SameSite=Lax" in cookie
            assert ("Secure" in cookie) is not demo
            assert ("brackwater-tide" in answer.text) is demo


def test_sign_in_is_limited_and_tells_nothing(conninfo):
    """A wrong password and an unknown address get the same words; after so many tries one has to wait, and keeps the address typed."""
    with running(settings_for(conninfo, sign_in_limit="3 per minute")) as app:
        http = app.test_client()
        token = token_of(http.get("/sign-in").text)
        said = []
        for email in ("wren@saltmarsh.example", "nobody@saltmarsh.example"):
            answer = http.post("/sign-in", data={"csrf_token": token, "email": email, "password": "wrong-password"})
            assert answer.status_code == 422
            assert f'value="{email}"' in answer.text
            # A token carries the second it was made in, so each page's own is left out.
            said.append(re.sub(r"\w+@saltmarsh.example", "", answer.text).replace(token_of(answer.text), ""))
        assert said[0] == said[1]
        codes = [http.post("/sign-in", data={"csrf_token": token, "email": "x", "password": "y"}).status_code for _ in range(2)]
        assert codes == [422, 429]


def test_tries_are_counted_for_all_processes_together(conninfo):
    """What one process counted, the next one knows; once the time is over both have forgotten it. Failures of an account have a count beside it."""
    for expected in ([422, 422], [422, 429]):
        with running(settings_for(conninfo, sign_in_limit="3 per hour")) as app:
            http = app.test_client()
            token = token_of(http.get("/sign-in").text)
            codes = [http.post("/sign-in", data={"csrf_token": token, "email": "x", "password": "y"}).status_code for _ in range(2)]
            assert codes == expected
    with psycopg.connect(conninfo) as connection:
        counts = connection.execute(
            "UPDATE attempt SET expires_at = now() - interval '1 second' RETURNING key LIKE 'sign-in:%', count"
        ).fetchall()
        assert sorted(counts) == [(False, 4), (True, 3)]
    with running(settings_for(conninfo, sign_in_limit="3 per hour")) as app:
        http = app.test_client()
        token = token_of(http.get("/sign-in").text)
        assert http.post("/sign-in", data={"csrf_token": token, "email": "x", "password": "y"}).status_code == 422


def test_tries_are_counted_by_who_asks_only_where_a_proxy_of_ours_says_so(conninfo):
    """With one proxy two clients have their own count; without, the header is not believed."""
    for proxies, expected in ((1, [422, 422]), (0, [422, 429])):
        with running(settings_for(conninfo, sign_in_limit="1 per minute", proxies_count=proxies)) as app:
            http = app.test_client()
            token = token_of(http.get("/sign-in").text)
            data = {"csrf_token": token, "email": "x", "password": "y"}
            codes = [http.post("/sign-in", data=data, headers={"X-Forwarded-For": f"10.0.{proxies}.{n}"}).status_code for n in (1, 2)]
            assert codes == expected


@pytest.mark.parametrize("target", ["https://far.example/", "//far.example/", "/\\far.example", "javascript:alert(1)"])
def test_sign_in_leads_nowhere_else(app, target):
    """Only a path of ours is followed after signing in."""
    http = app.test_client()
    token = token_of(http.get("/sign-in").text)
    data = {"csrf_token": token, "email": "wren@saltmarsh.example", "password": "brackwater-tide"}
    answer = http.post("/sign-in", query_string={"next": target}, data=data)
    assert answer.headers["Location"] == "/"


def test_a_colleague_is_invited_once_and_a_password_is_changed(app, conninfo):
    """The link makes one account in the same organisation; a changed password ends the other sessions; each leaves one log row."""
    client, elsewhere = Client(app), Client(app)
    page = client.post("/people/invite", {"email": "rowan@saltmarsh.example", "role": "member"}, script=False)
    link = page.text.split('readonly value="http://localhost')[1].split('"')[0]
    http = app.test_client()
    form = http.get(link)
    assert "rowan@saltmarsh.example" in form.text
    short = http.post(link, data={"csrf_token": token_of(form.text), "name": "Rowan", "password": "short"})
    assert "at least 10 characters" in short.text
    made = http.post(link, data={"csrf_token": token_of(form.text), "name": "Rowan", "password": "reed-and-rush"})
    assert made.headers["Location"] == "/"
    assert "Brackwater" in http.get("/").text
    assert http.get(link).status_code == 404
    wrong = client.post("/people/password", {"current": "no", "new": "sedge-and-sallow"}, script=False)
    assert "is not the present password" in wrong.text
    done = client.post("/people/password", {"current": "brackwater-tide", "new": "sedge-and-sallow"}, script=False)
    assert done.status_code == 302
    assert client.get("/").status_code == 200
    assert elsewhere.get("/").status_code == 302
    logged = [
        r["verb"] + " " + r["aggregate"]
        for r in rows(conninfo, "SELECT verb, aggregate FROM change WHERE account_id IS NOT NULL ORDER BY id")
    ]
    assert logged[-3:] == ["create invitation", "create account", "password account"]
    assert client.post("/sign-out", script=False).status_code == 302
    assert client.get("/").status_code == 302
