"""The list of sites and of what is due, from what is kept of each; and the file of a block."""

import json
import re
from datetime import UTC, datetime, timedelta

import psycopg
import pytest
from builders import document
from web.client import Client, rows

from ypomoni.actions import summaries
from ypomoni.actions.working import GIVEN_UP, refresh_once
from ypomoni.storage.connection import transaction
from ypomoni.storage.kept import SITE
from ypomoni.storage.summaries import claim_stale
from ypomoni.storage.workers import be_alive

TODAY = datetime.now(UTC).date()


@pytest.fixture
def client(app):
    return Client(app)


def bring_in(client, name, loads=({},), **changes):
    text = json.dumps(document(site={"name": name}, loads=list(loads), **changes))
    return int(re.search(r"/sites/(\d+)", client.post("/import", {"text": text}, script=False).headers["Location"]).group(1))


def line_of(client, name, query=""):
    """Return the line of a site in the list, without its markup."""
    page = client.get(f"/{query}").text
    found = re.search(rf'<li class="site site-(\w+)">(?:(?!</li>).)*?>{re.escape(name)}<.*?</li>', page, re.DOTALL)
    return (found.group(1), re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", found.group(0)))) if found else None


def stale(conninfo):
    """Return the names of the sites whose summary is not that of what is stored."""
    return [
        r["name"]
        for r in rows(conninfo, "SELECT s.name FROM site_summary m JOIN site s ON s.id = m.site_id WHERE m.seen IS DISTINCT FROM m.touched")
    ]


def test_whatever_changes_a_site_is_seen_in_the_list_at_once(client, conninfo):
    """A load edited, a reading, a site removed and restored; no other site is worked out for it."""
    site_id = bring_in(client, "Mill Quay", [{"standby": {"current_a": 0.05}}])
    assert line_of(client, "Mill Quay")[0] in ("holds", "on_paper_only")
    assert stale(conninfo) == []
    load = rows(conninfo, "SELECT l.id, l.version FROM load l JOIN plan p ON p.id = l.plan_id WHERE p.site_id = %s", site_id)[0]
    assert client.cell(load, "standby", "900 mA").status_code == 200
    assert stale(conninfo) == ["Mill Quay"]
    verdict, words = line_of(client, "Mill Quay")
    assert verdict == "fails"
    assert "gives out first" in words
    assert "never measured" in words
    assert stale(conninfo) == []
    site = rows(conninfo, "SELECT version FROM site WHERE id = %s", site_id)[0]
    assert client.post(f"/records/site/{site_id}/remove", {"version": site["version"]}, script=False).status_code < 400
    assert line_of(client, "Mill Quay") is None
    assert client.post(f"/records/site/{site_id}/restore", {}, script=False).status_code < 400
    assert line_of(client, "Mill Quay")[0] == "fails"


def test_what_sites_share_makes_all_of_them_stale(client, conninfo):
    """A block in stock may change what is recommended anywhere."""
    client.get("/")
    count = "SELECT count(*) AS n FROM site_summary m JOIN organisation o ON o.id = m.organisation_id WHERE m.seen_shared IS DISTINCT FROM o.shared_touched"
    assert rows(conninfo, count) == [{"n": 0}]
    block = {"name": "Shelf 33", "chemistry": "lead_agm", "block_v": "12 V", "capacity_ah": "33 Ah", "rate_h": "20 h"}
    assert client.post("/records/stock/new", block).status_code == 200
    assert rows(conninfo, count)[0]["n"] == len(rows(conninfo, "SELECT id FROM site WHERE organisation_id = 1"))
    client.get("/")
    assert rows(conninfo, count) == [{"n": 0}]


def test_what_changes_while_a_site_is_read_leaves_it_stale(app, client, conninfo, monkeypatch):
    """The summary names the change it has seen, and that was asked for before the site was read."""
    site_id = bring_in(client, "Barn Lock")
    read = summaries.read_trees

    def changed_meanwhile(connection, organisation_id, sites):
        found = read(connection, organisation_id, sites)
        site = rows(conninfo, "SELECT version FROM site WHERE id = %s", site_id)[0]
        assert (
            client.post(
                f"/records/site/{site_id}", {"name": "Barn Lock", "version": site["version"], "min_degc": "1 °C", "typical_degc": "20 °C"}
            ).status_code
            == 200
        )
        return found

    with monkeypatch.context() as patch, transaction(app.extensions["pool"]) as connection:
        patch.setattr(summaries, "read_trees", changed_meanwhile)
        assert summaries.refresh(connection, 1, [site_id], TODAY) == {site_id}
    assert stale(conninfo) == ["Barn Lock"]
    client.get("/")
    assert stale(conninfo) == []


def test_thousands_are_worked_out_by_a_worker_and_told_as_they_were_meanwhile(app, client, conninfo, monkeypatch):
    """After a change of the engine: the page says how many are done, marks what is old, and never calls an old figure new."""
    monkeypatch.setattr(summaries, "PAGE_COUNT", 3)
    client.get("/")
    monkeypatch.setattr(summaries, "ENGINE_VERSION", "another engine")
    monkeypatch.setattr(summaries, "estimate_s", lambda *_: 60.0)
    page = client.get("/").text
    assert "0 of 5 sites are up to date; the figures of 5 are being worked out" in page
    assert page.count("as it was</em>") == 4
    assert "page 1 of 2" in page
    assert "are being worked out again: what is due there is told as it was" in client.get("/upkeep").text
    with transaction(app.extensions["pool"]) as connection:
        connection.execute('UPDATE site_summary SET body = \'{"result": {"of": "an engine long gone"}}\'')
    assert client.get("/").text.count("Its figures are being worked out.") == 3
    monkeypatch.undo()
    with transaction(app.extensions["pool"]) as connection:
        connection.execute("UPDATE site_summary SET engine = 'another engine'")
    assert refresh_once(app.extensions["pool"], conninfo, TODAY)
    assert not refresh_once(app.extensions["pool"], conninfo, TODAY)
    page = client.get("/").text
    assert "being worked out" not in page
    assert "as it was" not in page


def test_a_site_that_no_worker_survives_is_given_up_and_said_to_be_unknown(app, client, conninfo):
    """Three times taken and never done: it is unknown, and its next change has it tried again."""
    site_id = bring_in(client, "Deadly Mill")
    with transaction(app.extensions["pool"]) as connection:
        connection.execute(
            "UPDATE site_summary SET seen = 0, tries = 3, claimed_until = now() - interval '1 minute' WHERE site_id = %s", (site_id,)
        )
    refresh_once(app.extensions["pool"], conninfo, TODAY)
    verdict, words = line_of(client, "Deadly Mill")
    assert verdict == "unknown"
    assert GIVEN_UP.split(":")[0] in words
    load = rows(conninfo, "SELECT l.id, l.version FROM load l JOIN plan p ON p.id = l.plan_id WHERE p.site_id = %s", site_id)[0]
    assert client.cell(load, "standby", "10 mA").status_code == 200
    assert line_of(client, "Deadly Mill")[0] != "unknown"


def test_a_large_site_is_left_to_the_worker_before_it_is_read(app, client, conninfo, monkeypatch):
    """Reading it for every page would take what others need; a page that leaves it forgets no try that was in vain. Without a worker it is read."""
    site_id = bring_in(client, "Long Wharf", loads=[{"key": f"l{n}"} for n in range(4)])
    client.get("/")
    mark = "UPDATE site_summary SET seen = 0, tries = 1, claimed_until = NULL WHERE site_id = %s RETURNING 1 AS marked"
    assert rows(conninfo, mark, site_id)
    read = []
    read_trees = summaries.read_trees
    monkeypatch.setattr(summaries, "read_trees", lambda c, o, sites: read.extend(s["name"] for s in sites) or read_trees(c, o, sites))
    monkeypatch.setattr(summaries, "MOST_LOADS_OF_PAGE", 3)
    with transaction(app.extensions["pool"]) as connection:
        be_alive(connection, "w")
    assert "as it was" in client.get("/").text
    assert read == []
    assert rows(conninfo, "SELECT tries FROM site_summary WHERE site_id = %s", site_id) == [{"tries": 1}]
    monkeypatch.setattr(summaries, "MOST_LOADS_OF_PAGE", 4)
    assert "as it was" not in client.get("/").text
    assert "Long Wharf" in read


def test_a_site_that_was_tried_in_vain_is_tried_alone(app, client):
    """It takes no other along, and nobody takes what somebody else works on."""
    sites = [bring_in(client, name) for name in ("First Quay", "Deadly Quay", "Last Quay")]
    with transaction(app.extensions["pool"]) as connection:
        connection.execute("UPDATE site_summary SET seen = 0, tries = (site_id = %s)::int WHERE site_id = ANY(%s)", (sites[1], sites))

        def taken():
            since = TODAY - timedelta(days=7)
            return claim_stale(connection, 1, summaries.ENGINE_VERSION, since, most=50, lasts_s=60.0, most_tries=3)

        assert [taken(), taken(), taken()] == [[sites[0], sites[2]], [sites[1]], []]


def test_sites_are_found_by_what_is_due_and_the_list_of_it_is_that_of_their_pages(client, conninfo):
    """Due now, soon, within the year; a name with the signs of a pattern finds itself alone."""
    old = {"supply": {"bank": {"age_y": 9}}, "loads": [{"standby": {"current_a": 0.01}}]}
    bring_in(client, "Old 100%_Mill", **old)
    bring_in(client, "Old Mill")
    assert line_of(client, "Old 100%_Mill", "?due=now")[1].count("Replace the battery") == 1
    assert line_of(client, "Old Mill", "?due=now&words=100%25_") is None
    assert "1 of 7" in client.get("/?words=100%25_").text
    assert "No site like that" in client.get("/?words=nowhere").text
    assert "1 in all" in client.get("/upkeep?words=100%25_&kind=replace").text
    for site in rows(conninfo, "SELECT m.site_id, m.plan_key FROM site_summary m"):
        page = client.get(f"/sites/{site['site_id']}/{site['plan_key']}/upkeep").text
        for due in rows(conninfo, "SELECT what, coalesce(due_on, %s) AS due_on FROM site_due WHERE site_id = %s", TODAY, site["site_id"]):
            assert f"{due['due_on']:%d %b %Y}</p><p><b>{due['what']}</b>" in page
    assert client.get("/?page=99999&sort=due&due=year").status_code == 200


def test_nothing_of_another_organisation_is_worked_out_or_listed(app):
    """Its worker's turn comes on its own."""
    with transaction(app.extensions["pool"]) as connection:
        sites = [s["id"] for s in SITE.every(connection, 1)]
        assert summaries.refresh(connection, 2, sites, TODAY) == set()


# -- the file of a block ----------------------------------------------------------------------------------------------------------------


def supply_of(conninfo, site_id):
    statement = "SELECT s.id, s.key, s.version FROM supply s JOIN plan p ON p.id = s.plan_id WHERE p.site_id = %s ORDER BY s.id"
    return rows(conninfo, statement, site_id)[0]


def keep(client, conninfo, site_id, **blocks):
    supply = supply_of(conninfo, site_id)
    data = {"supply": supply["key"], "version": supply["version"], **{k.replace("_", "-"): v for k, v in blocks.items()}}
    return client.post(f"/sites/{site_id}/as-found/build/blocks", data, script=False)


def test_a_block_is_followed_from_battery_to_battery(client, conninfo):
    """Fitted in one site, tested, taken out, measured in a lot, fitted in another: one file, with what it was and what was read of it."""
    first, second = bring_in(client, "First Mill"), bring_in(client, "Second Mill")
    assert keep(client, conninfo, first, key_1="A-17", made_1="2021-02", fitted_1="2021-03-04", rest_1="12.9 V").status_code == 302
    assert (
        keep(
            client, conninfo, first, key_1="A-17", made_1="2021-02", fitted_1="2021-03-04", rest_1="12.9 V", condition_1="82 %"
        ).status_code
        == 302
    )
    assert keep(client, conninfo, first, key_1="A-20", made_1="2026-01", fitted_1=TODAY.isoformat()).status_code == 302
    fitted = TODAY + timedelta(days=0)
    assert keep(client, conninfo, second, key_1="A-17", made_1="2021-02", fitted_1=fitted.isoformat()).status_code == 302
    page = client.get(f"/sites/{second}/as-found/upkeep/block?supply=s&block=A-17")
    text = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", page.text))
    assert f"from 04 Mar 2021 to {TODAY:%d %b %Y}" in text
    assert f"from {TODAY:%d %b %Y} to today" in text
    assert text.index("First Mill") < text.index("tested at 82 %") < text.rindex("Second Mill")
    assert "It is in use at Second Mill" in text
    assert "Made in 2021-02" in text
    # The same file, whichever of its batteries one comes from; where it is known by no name of its own, that one alone.
    assert "Second Mill" in client.get(f"/sites/{first}/as-found/upkeep/block?supply=s&block=A-17").text
    assert keep(client, conninfo, first, rest_1="12.8 V").status_code == 302
    assert keep(client, conninfo, second, rest_1="12.7 V").status_code == 302
    alone = client.get(f"/sites/{first}/as-found/upkeep/block?supply=s&block=b1").text
    assert "Many blocks are called b1" in alone
    assert "Second Mill" not in alone
    gone = re.sub(r"<[^>]+>", " ", client.get(f"/sites/{first}/as-found/upkeep/block?supply=s&block=A-17").text)
    assert re.search(r"It reached +5\.\d years", gone)


def test_a_block_that_never_was_there_is_not_found_and_two_of_a_name_are_refused(client, conninfo):
    """Nothing typed is lost; another organisation's block is nobody's here."""
    site_id = bring_in(client, "Twin Mill", supply={"bank": {"block_v": 6, "series": 2}})
    answer = keep(client, conninfo, site_id, key_1="A-1", key_2="a-1", rest_2="6.4 V")
    assert answer.status_code == 422
    assert "is written on block 1 of this battery as well" in answer.text
    assert 'value="6.4 V"' in answer.text
    assert client.get(f"/sites/{site_id}/as-found/upkeep/block?supply=s&block=A-1").status_code == 404
    assert client.get(f"/sites/{site_id}/as-found/upkeep/block").status_code == 404


def test_a_lot_that_measured_a_block_stands_in_its_file(client, conninfo):
    """With what was read there, and the way to it; the demo's workshop was built from used blocks."""
    with psycopg.connect(conninfo) as connection:
        connection.execute("""UPDATE battery_lot SET blocks = jsonb_set(blocks, '{0,label}', '"shelf-11"')""")
    page = client.get("/sites/2/as-found/upkeep").text
    link = re.search(r'href="(/sites/2/as-found/upkeep/block\?supply=bench&amp;block=shelf-11)"', page).group(1).replace("&amp;", "&")
    text = client.get(link).text
    assert "Block shelf-11" in text
    assert "Saltmarsh Workshop" in text
    assert "rests at 12.91 V, 12.33 V under load" in text
    lot = re.search(r'href="(/bench/lots/\d+)"', text).group(1)
    assert client.get(lot).status_code == 200
