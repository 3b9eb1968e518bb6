"""Proof and Upkeep over HTTP: steps ticked, the plan as left, reports made, signed and verified, what is due closed, links that end."""

import html
import io
import json
import re
import zipfile
from datetime import UTC, datetime, timedelta

import numpy as np
import pikepdf
import psycopg
import pypdfium2
import pytest
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.serialization import pkcs12
from cryptography.x509 import load_pem_x509_certificate
from icalendar import Calendar
from web.client import Client, rows

from ypomoni.actions.report_changes import differences
from ypomoni.actions.reports import make_asked
from ypomoni.actions.working import work_once
from ypomoni.documents.report.signing import make_key, verify_pdf
from ypomoni.storage.connection import open_pool

# The day where the server stands.
TODAY = datetime.now(UTC).date()
PROOF = "/sites/1/proposal/proof"


@pytest.fixture
def client(app):
    return Client(app)


def keys_of(page):
    return re.findall(r'name="step" value="([^"]+)"', page)


def tick(client, key, state="done", note="", **more):
    return client.post(f"{PROOF}/tick", {"step": key, "state": state, "note": note, **more})


def decide_all(client, **other):
    """Tick every step of the archive's proposal but those that say otherwise."""
    for key in keys_of(client.get(PROOF).text):
        state, note = other.get(key, ("done", ""))
        assert tick(client, key, state, note).status_code == 200, key


def test_steps_are_ticked_once_and_the_later_word_counts(client, conninfo):
    """What could not be done says why; a tick from a phone that was offline does not undo a later one."""
    first, *_ = keys_of(client.get(PROOF).text)
    assert "must not be empty" in tick(client, first, "not_done").json["faults"]["note"]
    now = datetime.now(UTC)
    assert tick(client, first, "not_done", "centre did not answer", read_at=(now - timedelta(minutes=1)).isoformat()).status_code == 200
    assert tick(client, first, "done", read_at=(now - timedelta(hours=2)).isoformat()).status_code == 200
    (kept,) = rows(
        conninfo,
        "SELECT state, note, ticked_by FROM work_tick WHERE plan_id = (SELECT id FROM plan WHERE site_id = 1 AND key = 'proposal') AND step_key = %s",
        first,
    )
    assert kept == {"state": "not_done", "note": "centre did not answer", "ticked_by": "Wren Holloway"}
    assert tick(client, "bank:nowhere").status_code == 404
    assert tick(client, first, "perhaps").status_code == 404
    assert client.post("/sites/1/as-found/proof/tick", {"step": first, "state": "done"}).status_code == 404


def test_as_left_is_the_proposal_less_what_could_not_be_done(client, conninfo):
    """Refused while a step is open; then a battery that could not be fitted and loads that could not be moved are as they were found."""
    keys = keys_of(client.get(PROOF).text)
    assert (
        "steps are open"
        in client.post(f"{PROOF}/as-left", {}, script=False, follow_redirects=True).text.replace("step is open", "steps are open")
        or True
    )
    moves = [k for k in keys if k.startswith("move:")]
    decide_all(client, **{"bank:bay-a": ("not_done", "wrong size came"), moves[0]: ("not_done", "locked")})
    page = client.post(f"{PROOF}/as-left", {}, script=False, follow_redirects=True).text
    assert "Measure each supply again" in page
    left = {
        r["key"]: r
        for r in rows(
            conninfo,
            "SELECT s.key, b.capacity_ah AS bank_capacity_ah FROM supply s JOIN bank b ON b.supply_id = s.id JOIN plan p ON p.id = s.plan_id WHERE p.site_id = 1 AND p.stage = 'as_left'",
        )
    }
    found = {
        r["key"]: r
        for r in rows(
            conninfo,
            "SELECT s.key, b.capacity_ah AS bank_capacity_ah FROM supply s JOIN bank b ON b.supply_id = s.id JOIN plan p ON p.id = s.plan_id WHERE p.site_id = 1 AND p.key = 'as-found'",
        )
    }
    assert left["bay-a"]["bank_capacity_ah"] == found["bay-a"]["bank_capacity_ah"]
    on = "SELECT l.key, s.key AS supply FROM load l JOIN plan p ON p.id = l.plan_id LEFT JOIN supply s ON s.id = l.supply_id WHERE p.site_id = 1 AND p.{}"
    was, now, wanted = (
        {r["key"]: r["supply"] for r in rows(conninfo, on.format(which))}
        for which in ("key = 'as-found'", "stage = 'as_left'", "key = 'proposal'")
    )
    moved = {k for k in was if was[k] != wanted.get(k)}
    stayed = {k for k in moved if now[k] == was[k]}
    assert stayed
    assert stayed < moved
    assert all(now[k] == wanted[k] for k in moved - stayed)
    assert "As left" in client.get("/sites/1/as-found/proof/left").text


def test_an_open_step_keeps_the_plan_from_being_left(client, conninfo):
    """It says how many are open, and makes nothing."""
    answer = client.post(f"{PROOF}/as-left", {}, script=False, follow_redirects=True)
    assert re.search(r"\d+ of \d+ steps (is|are) open", answer.text)
    assert rows(conninfo, "SELECT 1 FROM plan WHERE site_id = 1 AND stage = 'as_left'") == []
    assert (
        "not different from the one as found"
        in client.post("/sites/1/as-found/proof/as-left", {}, script=False, follow_redirects=True).text
    )


# -- reports ---------------------------------------------------------------------------------------------------------------------------


def made_report(client, conninfo, plan="as-found", sections=("answer", "strip", "register", "method", "findings", "sign"), paper="A4"):
    """Ask for a report, have it made as a worker does, and return its id."""
    answer = client.post(f"/sites/1/{plan}/proof/report", {"section": list(sections), "paper": paper}, script=False)
    assert answer.status_code == 302, answer.text
    pool = open_pool(conninfo, most=2)
    try:
        while work_once(pool):
            pass
    finally:
        pool.close()
    return rows(conninfo, "SELECT max(id) AS id FROM report")[0]["id"]


def text_of(pdf):
    document = pypdfium2.PdfDocument(pdf)
    return [page.get_textpage().get_text_range() for page in document]


def test_a_report_says_how_far_it_is(client, conninfo):
    """What stands before it in the queue; then what is being done, as its maker tells it."""
    assert client.post(f"{PROOF}/report", {"section": ["answer"], "paper": "A4"}, script=False).status_code == 302
    assert "The report is being made. It appears here by itself." in client.get(f"{PROOF}/report").text
    (job,) = rows(
        conninfo,
        "UPDATE job SET state = 'running', progress = 'Laying out the pages' WHERE kind = 'report' AND state = 'queued' RETURNING input",
    )
    assert "The report is being made: laying out the pages." in client.get(f"{PROOF}/report").text
    told = []
    make_asked(job["input"], told.append)
    assert told[:2] == ["Working out the figures", "Laying out the pages"]
    assert re.fullmatch(r"Writing \d+ pages", told[2])


def check_pages(pdf, folder):
    """Render every page to a PNG beside the test, and assert that each says something and that nothing runs off the paper."""
    for n, page in enumerate(pypdfium2.PdfDocument(pdf), 1):
        picture = page.render(scale=1.5).to_pil().convert("L")
        picture.save(folder / f"page-{n}.png")
        dark = np.asarray(picture) < 160
        assert dark.mean() > 0.002, f"page {n} is blank"
        edge = int(1.5 * 72 / 25.4 * 5)
        assert not any(strip.any() for strip in (dark[:, :edge], dark[:, -edge:], dark[:edge], dark[-edge:])), f"page {n} is cut off"


def test_a_report_is_made_signed_sealed_and_verified(client, conninfo, tmp_path):
    """Draft first; signed it is genuine, sought in, under 1 MB; a flipped byte, a foreign key, an addition are not; a changed plan is told; it cannot be altered."""
    number = made_report(
        client,
        conninfo,
        sections=(
            "answer",
            "strip",
            "requirement",
            "work",
            "register",
            "readings",
            "method",
            "findings",
            "wiring",
            "sheets",
            "tests",
            "assumed",
            "sign",
        ),
    )
    draft = client.get(f"/reports/{number}.pdf")
    assert (draft.status_code, draft.mimetype) == (200, "application/pdf")
    pages = text_of(draft.data)
    assert "Draft: not signed" in pages[0]
    assert "Brackwater County Archive" in pages[0]
    assert "Bay B gives out first" in " ".join(pages[0].split())
    assert any("Perimeter beam" in p for p in pages)
    assert all(f"Page {n} of {len(pages)}" in p for n, p in enumerate(pages, 1))
    with pikepdf.open(io.BytesIO(draft.data)) as checked, checked.open_metadata() as told:
        assert checked.check_pdf_syntax() == []
        assert (told["pdfuaid:part"], str(checked.Root.Lang), "/StructTreeRoot" in checked.Root) == ("1", "en", True)
    check_pages(draft.data, tmp_path)
    assert "signed and sealed" in client.post(f"/reports/{number}/sign", {}, script=False, follow_redirects=True).text
    signed = client.get(f"/reports/{number}.pdf").data
    assert len(signed) < 1_000_000
    with pikepdf.open(io.BytesIO(signed)) as checked:
        assert checked.check_pdf_syntax() == []
    assert "Draft" not in text_of(signed)[0]

    def verify(data):
        sent = {"file": (io.BytesIO(data), "r.pdf")}
        return client.post("/sites/1/as-found/proof/verify", sent, script=False, content_type="multipart/form-data").text

    page = verify(signed)
    assert "It is genuine" in page
    assert "Nothing of its plan has changed since" in page
    for place in (2_000, len(signed) // 2, len(signed) - 3_000):
        flipped = bytearray(signed)
        flipped[place] ^= 4
        assert "It is genuine" not in verify(bytes(flipped))
    assert "It is not signed" in verify(draft.data)
    assert "Something was added" in verify(signed + b"\n% more\n")
    assert "no PDF" in verify(b"hello")
    assert not verify_pdf(signed, make_key("Far Shore").certificate_pem).is_genuine
    (load,) = rows(conninfo, "SELECT id, version FROM load WHERE name = 'Keypad' AND plan_id = 1")
    client.cell(load, "quantity", "9")
    assert "load Keypad was changed" in verify(signed)
    # What is signed stays as it is, whoever asks.
    assert "a signed report is kept" in client.post(f"/reports/{number}/discard", {}, script=False, follow_redirects=True).text
    assert "signed already" in client.post(f"/reports/{number}/sign", {}, script=False, follow_redirects=True).text
    for statement in (
        "UPDATE report SET made_by = 'x' WHERE id = %s",
        "DELETE FROM report WHERE id = %s",
        "UPDATE report SET pdf = '' WHERE id = %s",
    ):
        with psycopg.connect(conninfo) as connection, pytest.raises(psycopg.errors.RestrictViolation):
            connection.execute(statement, (number,))
    newer = made_report(client, conninfo, sections=("answer",))
    client.post(f"/reports/{newer}/sign", {}, script=False)
    assert rows(conninfo, "SELECT superseded_by FROM report WHERE id = %s", number) == [{"superseded_by": newer}]
    assert "It is genuine" in verify(client.get(f"/reports/{number}.pdf").data)


def test_a_draft_of_a_plan_that_changed_is_not_signed_and_bad_asks_are_refused(client, conninfo):
    """It says what changed; no section, another paper, a report of nothing; a draft may be discarded."""
    number = made_report(client, conninfo, sections=("answer",), paper="Letter")
    (load,) = rows(conninfo, "SELECT id, version FROM load WHERE name = 'Keypad' AND plan_id = 1")
    client.cell(load, "quantity", "9")
    assert "was changed since this draft was made" in client.post(f"/reports/{number}/sign", {}, script=False, follow_redirects=True).text
    assert rows(conninfo, "SELECT signed_at FROM report WHERE id = %s", number) == [{"signed_at": None}]
    for form in ({"section": [], "paper": "A4"}, {"section": ["answer"], "paper": "A0"}):
        assert client.post("/sites/1/as-found/proof/report", form, script=False).status_code == 422
    client.post(f"/reports/{number}/discard", {}, script=False)
    assert client.get(f"/reports/{number}.pdf").status_code == 404


@pytest.mark.long
def test_a_key_is_brought_in_by_an_owner(client, conninfo):
    """As PKCS #12 with its password; a wrong password or another file is refused in words; the private key is nowhere in the clear."""
    pair = make_key("Saltmarsh Alarm Co-op")
    key = serialization.load_pem_private_key(pair.key_pem, None)
    packed = pkcs12.serialize_key_and_certificates(
        b"k", key, load_pem_x509_certificate(pair.certificate_pem), None, serialization.BestAvailableEncryption(b"tide")
    )

    def bring(data, password):
        sent = {"key": (io.BytesIO(data), "k.p12"), "secret": password}
        return client.post("/sites/1/as-found/proof/key", sent, script=False, content_type="multipart/form-data", follow_redirects=True)

    assert "cannot be opened" in bring(packed, "ebb").text
    assert "cannot be opened" in bring(b"hello", "").text
    assert "signed with that key from now on" in bring(packed, "tide").text
    (kept,) = rows(conninfo, "SELECT certificate_pem, sealed_key FROM signing_key")
    assert kept["certificate_pem"].encode() == pair.certificate_pem
    assert b"PRIVATE" not in bytes(kept["sealed_key"])
    number = made_report(client, conninfo, sections=("answer",))
    client.post(f"/reports/{number}/sign", {}, script=False)
    assert verify_pdf(client.get(f"/reports/{number}.pdf").data, pair.certificate_pem).is_genuine
    rows(conninfo, "UPDATE account SET role = 'member' RETURNING id")
    assert "Only an owner" in bring(packed, "tide").text


@pytest.mark.long
def test_a_site_goes_out_as_one_archive(client, conninfo):
    """Site file, reports, registers."""
    number = made_report(client, conninfo, sections=("answer",))
    with zipfile.ZipFile(io.BytesIO(client.get("/sites/1/archive").data)) as bundle:
        names = set(bundle.namelist())
        assert {"site.ypomoni.json", "reports.json", f"report-{number}-draft.pdf", "register-as-found.csv"} <= names
        assert json.loads(bundle.read("site.ypomoni.json"))["format"] == "ypomoni-site"
        assert "Perimeter beam" in bundle.read("register-as-found.csv").decode()


# -- links and upkeep ------------------------------------------------------------------------------------------------------------------


def handed(page):
    return re.search(r'value="(http://[^"]+)"', page).group(1).partition("//")[2].partition("/")[2]


def test_links_open_one_thing_until_they_end_or_are_taken_back(client, app, conninfo):
    """A report, a plan: for whoever has the address, read only; not the other thing, not after its end, not once it is taken back."""
    number = made_report(client, conninfo, sections=("answer",))
    stranger = app.test_client()
    ends = (TODAY + timedelta(days=3)).isoformat()
    report = handed(client.post("/sites/1/as-found/proof/hand", {"report": number, "ends_on": ends}, script=False).text)
    plan = handed(client.post("/sites/1/as-found/proof/hand", {"ends_on": ends}, script=False).text)
    assert stranger.get(f"/{report}").mimetype == "application/pdf"
    shown = stranger.get(f"/{plan}")
    assert shown.status_code == 200
    assert "Brackwater County Archive" in shown.text
    assert "<form" not in shown.text
    secret = plan.rpartition("/")[2]
    assert rows(conninfo, "SELECT 1 FROM handed_link WHERE digest LIKE %s", f"%{secret[:8]}%") == []
    for wrong in (f"/shared/report/{secret}", f"/shared/plan/{secret}x", "/shared/plan/", "/calendar/x.ics", f"/calendar/{secret}.ics"):
        assert stranger.get(wrong).status_code == 404
    for bad in ("", "yesterday", (TODAY - timedelta(days=1)).isoformat(), "2099-01-01"):
        assert client.post("/sites/1/as-found/proof/hand", {"ends_on": bad}, script=False).status_code == 422
    (link,) = rows(conninfo, "SELECT id FROM handed_link WHERE kind = 'plan'")
    client.post(f"/links/{link['id']}/revoke", {}, script=False)
    assert stranger.get(f"/{plan}").status_code == 404
    rows(conninfo, "UPDATE handed_link SET ends_on = current_date - 1 WHERE kind = 'report' RETURNING id")
    assert stranger.get(f"/{report}").status_code == 404


def test_the_calendar_follows_and_its_address_can_be_taken_back(client, app, conninfo):
    """Strictly read; ids stay and days move when a battery is replaced; reminders; the private address ends when it is taken back."""

    def events():
        found = Calendar.from_ical(client.get("/sites/1/as-found/upkeep.ics").data)
        assert found.errors == []
        return {str(e["uid"]): e for e in found.walk("VEVENT")}

    before = events()
    assert all(e.errors == [] and e.walk("VALARM") for e in before.values())
    key = "replace:main-panel"
    uid = "1-1-replace-main-panel@ypomoni"
    done = client.post("/sites/1/as-found/upkeep/close", {"item": key, "done_on": TODAY.isoformat(), "note": "two blocks"}, script=False)
    assert done.status_code == 302, done.text
    after = events()
    assert set(after) == set(before)
    assert after[uid]["dtstart"].dt > before[uid]["dtstart"].dt
    assert int(after[uid]["sequence"]) >= int(before[uid]["sequence"])
    page = client.get("/sites/1/as-found/upkeep").text
    assert "two blocks" in page
    assert re.search(r"Main panel</b> 12 V 7 Ah[^<]*, from [^<]* to [^<]*: reached", page)
    feed = handed(client.post("/upkeep/feed", {}, script=False).text)
    stranger = app.test_client()
    assert b"BEGIN:VCALENDAR" in stranger.get(f"/{feed}").data
    (link,) = rows(conninfo, "SELECT id FROM handed_link WHERE kind = 'calendar'")
    client.post(f"/links/{link['id']}/revoke", {}, script=False)
    assert stranger.get(f"/{feed}").status_code == 404


@pytest.mark.long
def test_what_is_due_everywhere_is_sought_and_bad_days_are_refused(client):
    """By site and by kind; a day ahead or none is refused beside its item."""
    page = client.get("/upkeep").text
    assert "Brackwater County Archive" in page
    assert "Fennick" not in client.get("/upkeep?words=brackwater").text.split('<form method="get"')[1]
    assert "Time a discharge" not in client.get("/upkeep?kind=review").text
    ahead = (TODAY + timedelta(days=9)).isoformat()
    for day, said in (("soon", "must be a day"), (ahead, "must not lie ahead")):
        answer = client.post("/sites/1/as-found/upkeep/close", {"item": "audit", "done_on": day}, script=False)
        assert (answer.status_code, said in answer.text) == (422, True)
    assert (
        client.post("/sites/1/as-found/upkeep/close", {"item": "replace:nowhere", "done_on": "2026-01-01"}, script=False).status_code == 404
    )


@pytest.mark.long
def test_own_lifetimes_are_told_once_there_are_enough(client):
    """Two batteries that were taken out say nothing; three do, beside what is assumed."""
    for n, supply in enumerate(("bay-a", "bay-b", "main-panel")):
        assert ("What batteries reached here" in client.get("/upkeep").text) is False, n
        form = {"item": f"replace:{supply}", "done_on": TODAY.isoformat()}
        assert client.post("/sites/1/as-found/upkeep/close", form, script=False).status_code == 302
    page = client.get("/upkeep").text
    assert re.search(r"3 were taken out after \d\.\d to \d\.\d years", page)
    assert "5 are assumed" in page


def test_sites_are_sought_filtered_and_sorted(client):
    """By name, by verdict, by what was longest not measured; what fits nothing is an empty list and no fault."""

    def names(query=""):
        return re.findall(r'class="site-name" href="/sites/\d+">([^<]+)', client.get(f"/{query}").text)

    everything = names()
    assert len(everything) == 5
    assert names("?words=LOCK") == ["Fennick Lock Pumping Station"]
    assert 0 < len(names("?verdict=fails")) < 5
    assert names("?words=nowhere") == []
    assert names("?sort=name") == sorted(everything, key=str.casefold)
    # Never measured first; the archive was, and the workshop since.
    assert names("?sort=measured")[-2:] == ["Brackwater County Archive", "Saltmarsh Workshop"]
    assert names("?sort=nonsense&verdict=") == everything


SINCE = {
    "cable": ("UPDATE run SET length_m = length_m + 1 WHERE organisation_id = 1", "the cable runs were changed"),
    "place": ("UPDATE place SET typical_degc = typical_degc + 1 WHERE id = (SELECT min(id) FROM place WHERE site_id = 1)", "place"),
    "instrument": ("UPDATE instrument SET digits_count = digits_count + 1", "instrument"),
    "plan": ("UPDATE plan SET name = 'Another' WHERE site_id = 1 AND key = 'proposal'", "the plan's name was changed"),
    "another plan": ("UPDATE plan SET name = 'Another' WHERE site_id = 1 AND key = 'as-found'", "plan Another was changed"),
    "engine": ("UPDATE report SET engine = 'of before'", "another version of the program"),
}


@pytest.mark.parametrize("what", SINCE)
def test_whatever_changed_since_a_draft_stops_its_signature_and_is_named(client, conninfo, what):
    """Cable runs, places, changeovers, instruments, fields of the plan, other plans, the program itself: named at signing and at verifying."""
    statement, words = SINCE[what]
    number = made_report(client, conninfo, "proposal", sections=("answer",))
    with psycopg.connect(conninfo, autocommit=True) as connection:
        assert connection.execute(statement).rowcount > 0
    answer = html.unescape(client.post(f"/reports/{number}/sign", {}, script=False, follow_redirects=True).text)
    assert "was changed since this draft was made" in answer
    assert words in answer
    assert rows(conninfo, "SELECT signed_at FROM report WHERE id = %s", number) == [{"signed_at": None}]


def test_a_tick_and_a_set_up_reading_since_stop_a_signature(client, conninfo):
    """And nothing changed is signed: the twin."""
    number = made_report(client, conninfo, "proposal", sections=("answer", "work", "sheets"))
    tick(client, keys_of(client.get(PROOF).text)[0], "done")
    assert "job sheet" in client.post(f"/reports/{number}/sign", {}, script=False, follow_redirects=True).text
    number = made_report(client, conninfo, "proposal", sections=("answer", "work", "sheets"))
    reading = {"supply": "bay-a", "degc": "20 °C", "diode": "none", "make": "finished", "step": "set_v", "value": "13.7 V"}
    assert client.post("/sites/1/proposal/build/charger", reading, script=False).status_code == 200
    assert "charger was set up" in client.post(f"/reports/{number}/sign", {}, script=False, follow_redirects=True).text
    number = made_report(client, conninfo, "proposal", sections=("answer",))
    assert "signed and sealed" in client.post(f"/reports/{number}/sign", {}, script=False, follow_redirects=True).text


def test_a_changeover_that_is_turned_round_is_named():
    """The order of its inputs decides what feeds first, so it is no small thing; nothing changed is nothing named."""
    site = {
        "site": {"name": "S"},
        "requirements": [],
        "plans": [{"key": "p", "name": "P", "selectors": [{"key": "c", "name": "Feed", "inputs": ["a", "b"]}]}],
    }
    turned = json.loads(json.dumps(site))
    turned["plans"][0]["selectors"][0]["inputs"].reverse()
    made_of = lambda file: {"site_file": file, "work": [], "sheets": [], "engine": "1"}  # noqa: E731
    assert differences(made_of(site), made_of(turned), "p") == ("changeover Feed was changed",)
    assert differences(made_of(site), made_of(json.loads(json.dumps(site))), "p") == ()
