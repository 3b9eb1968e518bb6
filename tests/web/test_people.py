"""People: sessions that end on the server, roles, links, a second factor, and how often one may try."""

import re
import time

import pytest
from conftest import running, settings_for
from pyotp.totp import TOTP
from web.client import Client, rows, token_of

from ypomoni.actions.seed_demo import PASSWORD, PEOPLE
from ypomoni.actions.tries import MOST_FAILURES

WREN, IDRIS = PEOPLE[0][0], PEOPLE[1][0]


def cookie_of(http):
    return http.get_cookie("ypomoni").value


def try_in(http, email, password):
    """Return what a try to sign in is answered with."""
    return http.post("/sign-in", data={"csrf_token": token_of(http.get("/sign-in").text), "email": email, "password": password})


def test_signing_out_ends_the_session_on_the_server(app):
    """A copy of the cookie opens nothing any more."""
    client, thief = Client(app), app.test_client()
    kept = cookie_of(client.http)
    thief.set_cookie("ypomoni", kept)
    assert thief.get("/people/").status_code == 200
    assert client.post("/sign-out", script=False).status_code == 302
    thief.set_cookie("ypomoni", kept)
    assert thief.get("/people/").status_code == 302


@pytest.mark.parametrize("column", ["seen_at", "created_at"])
def test_a_session_lapses(app, conninfo, column):
    """After half a day without a request, and after a week whatever was done."""
    client = Client(app)
    assert client.get("/people/").status_code == 200
    rows(conninfo, f"UPDATE session SET {column} = now() - interval '8 days' RETURNING digest")
    assert client.get("/people/").status_code == 302


def test_static_answers_carry_no_cookie_and_what_is_missing_is_not_kept(app):
    """And a page of nobody's is kept by nobody."""
    client = Client(app)
    found, missing = client.get("/static/css/app.css"), client.get("/static/css/none.css")
    assert "Set-Cookie" not in found.headers
    assert "immutable" in found.headers["Cache-Control"]
    assert (missing.status_code, missing.headers["Cache-Control"]) == (404, "no-store")


def test_only_owners_look_after_people_and_one_always_remains(app, conninfo):
    """A member is told who may; the last owner is neither demoted, locked nor removed."""
    owner, member = Client(app), Client(app, IDRIS)
    ids = {r["email"]: r["id"] for r in rows(conninfo, "SELECT id, email FROM account")}
    for what in ("owner", "lock", "remove", "reset"):
        assert member.post(f"/people/{ids[WREN]}/{what}", script=False).status_code == 403
    assert member.post("/people/invite", {"email": "x@y.example", "role": "owner"}, script=False).status_code == 403
    for what in ("member", "lock", "remove"):
        assert "only owner" in owner.post(f"/people/{ids[WREN]}/{what}", script=False, follow_redirects=True).text
    assert owner.post(f"/people/{ids[IDRIS]}/owner", script=False).status_code == 302
    assert "now a member" in owner.post(f"/people/{ids[WREN]}/member", script=False, follow_redirects=True).text
    assert owner.post(f"/people/{ids[IDRIS]}/lock", script=False).status_code == 403


def test_a_locked_account_is_out_at_once_and_a_removed_one_frees_its_address(app, conninfo):
    """What a removed colleague did stays under their name."""
    owner, member = Client(app), Client(app, IDRIS)
    (account,) = rows(conninfo, "SELECT id FROM account WHERE email = %s", IDRIS)
    owner.post(f"/people/{account['id']}/lock", script=False)
    assert member.get("/").status_code == 302
    assert try_in(app.test_client(), IDRIS, PASSWORD).status_code == 422
    owner.post(f"/people/{account['id']}/unlock", script=False)
    assert try_in(app.test_client(), IDRIS, PASSWORD).status_code == 302
    owner.post(f"/people/{account['id']}/remove", script=False)
    assert IDRIS not in owner.get("/people/").text
    link = invited(owner, IDRIS)
    assert app.test_client().get(link).status_code == 200


def invited(owner, email):
    page = owner.post("/people/invite", {"email": email, "role": "member"}, script=False)
    return re.search(r'readonly value="http://localhost([^"]+)"', page.text)[1]


def test_an_invitation_is_taken_back_and_says_nothing_of_other_organisations(app, conninfo):
    """Whoever has an account elsewhere is invited like anybody; a colleague is not."""
    owner = Client(app)
    link = invited(owner, "rowan@saltmarsh.example")
    (invitation,) = rows(conninfo, "SELECT id FROM invitation")
    assert owner.post(f"/people/invitations/{invitation['id']}/revoke", script=False).status_code == 302
    assert app.test_client().get(link).status_code == 404
    again = owner.post("/people/invite", {"email": IDRIS, "role": "member"}, script=False)
    assert "is in your organisation already" in again.text


def test_a_link_to_a_new_password_works_once_and_ends_all_sessions(app, conninfo):
    """A password among the first that are tried is refused; the older of two links is void."""
    owner, member = Client(app), Client(app, IDRIS)
    (account,) = rows(conninfo, "SELECT id FROM account WHERE email = %s", IDRIS)

    def link():
        page = owner.post(f"/people/{account['id']}/reset", script=False)
        return re.search(r'readonly value="http://localhost([^"]+)"', page.text)[1]

    void, good = link(), link()
    http = app.test_client()
    assert http.get(void).status_code == 404
    token = token_of(http.get(good).text)
    assert "first that are tried" in http.post(good, data={"csrf_token": token, "new": "password123"}).text
    assert http.post(good, data={"csrf_token": token, "new": "withy-and-osier"}).status_code == 302
    assert http.get(good).status_code == 404
    assert member.get("/").status_code == 302
    assert try_in(app.test_client(), IDRIS, "withy-and-osier").status_code == 302


def test_a_second_factor_is_asked_for_and_no_code_is_good_twice(app, monkeypatch):
    """Set up with a code of the app; then neither the password alone opens anything nor a code that was used; a recovery code does, once."""
    client = Client(app)
    secret = re.search(r'class="secret">([A-Z2-7]+)<', client.get("/people/second-factor").text)[1]
    now = time.time()
    wrong = client.post("/people/second-factor", {"code": "000000", "password": PASSWORD}, script=False)
    assert wrong.status_code == 422
    done = client.post("/people/second-factor", {"code": TOTP(secret).at(now), "password": PASSWORD}, script=False)
    codes = re.findall(r"<li><code>([0-9a-f-]+)</code>", done.text)
    assert len(codes) == 10
    http = app.test_client()
    half = try_in(http, WREN, PASSWORD)
    assert half.headers["Location"] == "/sign-in/code"
    assert http.get("/people/").status_code == 302

    def code(text):
        return http.post("/sign-in/code", data={"csrf_token": token_of(http.get("/sign-in/code").text), "code": text})

    assert code(TOTP(secret).at(now)).status_code == 422
    monkeypatch.setattr("ypomoni.actions.second_factor.time.time", lambda: now + 60)
    assert code(TOTP(secret).at(now + 60)).headers["Location"] == "/"
    assert http.get("/people/").status_code == 200
    for expected in (302, 422):
        http = app.test_client()
        try_in(http, WREN, PASSWORD)
        assert code(codes[0]).status_code == expected


def test_who_fails_on_an_account_locks_nobody_out_who_signed_in_here_before(app):
    """After ten failures from anywhere a stranger waits even with the right password; the owner's own device does not."""
    known, stranger = app.test_client(), app.test_client()
    assert try_in(known, WREN, PASSWORD).status_code == 302
    codes = [try_in(stranger, WREN, "wrong").status_code for _ in range(MOST_FAILURES + 1)]
    assert codes == [422] * MOST_FAILURES + [429]
    assert try_in(stranger, WREN, PASSWORD).status_code == 429
    assert try_in(known, WREN, PASSWORD).status_code == 302
    assert [try_in(stranger, "nobody@far.example", "wrong").status_code for _ in range(MOST_FAILURES + 1)] == codes


def test_a_forged_name_of_the_host_gets_into_no_link(conninfo):
    """It is refused; what is in front counts only where a proxy of ours is."""
    with running(settings_for(conninfo, hosts=("alarms.saltmarsh.example",))) as app:
        http = app.test_client()
        assert http.get("/sign-in", headers={"Host": "alarms.saltmarsh.example"}).status_code == 200
        for host in ("far.example", "x" * 5000, "a b", "alarms.saltmarsh.example:9;"):
            answer = http.get("/sign-in", headers={"Host": host})
            assert answer.status_code == 400
            assert "far.example" not in answer.text
        forwarded = {"Host": "alarms.saltmarsh.example", "X-Forwarded-Host": "far.example"}
        assert "far.example" not in http.get("/sign-in", headers=forwarded).text


@pytest.mark.parametrize("target", ["/\r\nSet-Cookie: x=1", "/\x00", "//[", "/%0d%0aX: y"])
def test_where_to_go_on_holds_no_line_break(app, target):
    """It leads to the sites, or to a path of ours that stays one line."""
    http = app.test_client()
    data = {"csrf_token": token_of(http.get("/sign-in").text), "email": WREN, "password": PASSWORD}
    answer = http.post("/sign-in", query_string={"next": target}, data=data)
    assert answer.status_code in (302, 400)
    assert "\n" not in answer.headers.get("Location", "")
    assert "X" not in dict(answer.headers)
