"""What is stored, and what cannot be computed, never takes another page along: told as such, with its export and its removal."""

import io
import json

import psycopg
import pytest
from builders import INSTRUMENT, document
from web.client import Client, rows

from ypomoni.actions import evaluate as evaluating
from ypomoni.core.evaluation import evaluate as computing


@pytest.fixture
def client(app):
    return Client(app)


@pytest.fixture
def archive(conninfo):
    return rows(conninfo, "SELECT id, version FROM site WHERE name LIKE 'Brackwater%%'")[0]


def change(conninfo, statement, *values):
    """Change what is stored behind the application's back, as long ago as the lists notice by themselves."""
    with psycopg.connect(conninfo) as connection:
        connection.execute(statement, values)
        connection.execute("UPDATE site_summary SET computed_on = computed_on - 8")


def test_a_site_that_cannot_be_read_is_told_in_the_list_exported_and_removed(client, archive, conninfo):
    """A name longer than any form takes lies in the store: the other sites stay, this one says what is wrong on every page of its own."""
    change(conninfo, "UPDATE load SET name = repeat('x', 900) WHERE id = (SELECT min(id) FROM load)")
    listed = client.get("/")
    assert listed.status_code == 200
    assert "This site cannot be read, so nobody knows whether it holds." in listed.text
    assert "at most 200 characters" in listed.text
    assert listed.text.count('class="site-verdict"') == rows(conninfo, "SELECT count(*) AS n FROM site WHERE removed_at IS NULL")[0]["n"]
    for page in ("", "/as-found", "/as-found/audit", "/as-found/balance", "/as-found/outage", "/as-found/battery", "/compare"):
        answer = client.get(f"/sites/{archive['id']}{page}")
        assert (answer.status_code, "cannot be read" in answer.text) == (409, True), page
    exported = json.loads(client.get(f"/sites/{archive['id']}/export").text)
    assert exported["site"]["name"].startswith("Brackwater")
    assert client.post(f"/records/site/{archive['id']}/remove", {"version": archive["version"]}, script=False).status_code in (
        200,
        302,
        303,
    )
    assert "cannot be read" not in client.get("/").text


def test_a_calculation_that_fails_is_unknown_and_not_kept(client, archive, monkeypatch, caplog):
    """One supply's breaks: its page says so, it is noted, and the next look computes it again."""
    whole = computing.evaluate_supply

    def breaks(plan, supply):
        if supply.key == "bay-a":
            raise OverflowError("a period too long")
        return whole(plan, supply)

    monkeypatch.setattr(evaluating, "ENGINE_VERSION", "another")
    monkeypatch.setattr(computing, "evaluate_supply", breaks)
    evaluating._kept._results.clear()
    assert client.get("/").status_code == 200
    page = client.get(f"/sites/{archive['id']}/as-found")
    assert page.status_code == 200
    assert "The figures of Bay A could not be computed" in page.text
    assert "the calculation of supply 'bay-a' failed" in caplog.text
    monkeypatch.setattr(computing, "evaluate_supply", whole)
    assert "could not be computed" not in client.get(f"/sites/{archive['id']}/as-found").text


def test_what_nobody_types_is_refused_and_never_breaks(client, archive, conninfo):
    """NUL anywhere, numbers of 5,000 digits, a quantity of nothing: each a 4xx, none an answer of ours that went wrong."""
    (plan,) = rows(conninfo, "SELECT id FROM plan WHERE site_id = %s AND key = 'as-found'", archive["id"])
    (load,) = rows(conninfo, "SELECT id, version FROM load WHERE plan_id = %s AND removed_at IS NULL ORDER BY id LIMIT 1", plan["id"])
    far = "9" * 5_000
    bulk = f"/plans/{plan['id']}/loads/bulk"
    picked = {"load": f"{load['id']}:{load['version']}"}
    asked = [
        client.post("/undo/a%00b"),
        client.post(bulk, {**picked, "verb": "branch", "value": "a\0b"}),
        client.post(bulk, {**picked, "verb": "supply_id", "value": far}),
        client.cell(load, "name", "a\0b"),
        client.cell(load, "quantity", far),
        client.cell(load, "quantity", "2", version=far),
        client.get(f"/plans/{plan['id']}/offers?piece={load['id']}:9:0"),
        client.get(f"/sites/{archive['id']}/as-found?q=%00"),
        client.post("/import", {"text": "{}", "a": "\0"}, script=False),
        client.post(
            f"/sites/{archive['id']}/as-found/bring-loads",
            {"file": (io.BytesIO(b"sep=,"), "a.csv")},
            script=False,
            content_type="multipart/form-data",
        ),
        client.get("/sign-in?next=/%0d%0aX: y"),
    ]
    assert [a.status_code for a in asked if a.status_code >= 500] == []
    assert [a.status_code for a in asked[:2]] == [400, 400]


def test_no_list_grows_beyond_what_can_be_read_again(client, archive, conninfo):
    """A fifty-first plan and instruments brought in twice are refused in words, and change nothing."""
    change(
        conninfo,
        "INSERT INTO plan (organisation_id, site_id, key, name, stage) "
        "SELECT organisation_id, site_id, 'more-' || n, 'More ' || n, 'proposal' FROM plan, generate_series(1, 48) n WHERE site_id = %s AND key = 'as-found'",
        archive["id"],
    )
    (plan,) = rows(conninfo, "SELECT id FROM plan WHERE site_id = %s AND key = 'as-found'", archive["id"])
    refused = client.post(f"/plans/{plan['id']}/clone")
    assert (refused.status_code, "at most 50" in refused.json["message"]) == (422, True)
    assert rows(conninfo, "SELECT count(*) AS n FROM plan WHERE site_id = %s", archive["id"])[0]["n"] == 50
    for n, status in ((1, 302), (2, 422)):
        many = [{**INSTRUMENT, "key": f"m{n}-{m}", "name": f"Meter {n}-{m}"} for m in range(150)]
        text = json.dumps(document(site={"name": f"Site {n}"}) | {"instruments": many})
        assert client.post("/import", {"text": text}, script=False).status_code == status
    assert rows(conninfo, "SELECT count(*) AS n FROM site WHERE name = 'Site 2'")[0]["n"] == 0
    assert client.get("/").status_code == 200


def test_templates_are_kept_compiled_and_a_page_comes_where_nothing_can_be_kept(app, tmp_path):
    """Kept, they are loaded; cut short, or with no folder to keep them in, they are compiled anew."""
    environment, folder = app.jinja_env, tmp_path / "kept"
    folder.mkdir()

    def page():
        # As in a process that was just started.
        environment.cache.clear()
        return app.test_client().get("/sign-in").status_code

    environment.bytecode_cache.directory = str(folder)
    assert page() == 200
    kept = {file.name: file.read_bytes() for file in folder.iterdir()}
    assert len(kept) > 2
    for length in (0, 12, 40, 200):
        for file in folder.iterdir():
            file.write_bytes(kept[file.name][:length])
        assert page() == 200
        assert {file.name: file.read_bytes() for file in folder.iterdir()} == kept
    environment.bytecode_cache.directory = str(tmp_path / "none")
    assert page() == 200
