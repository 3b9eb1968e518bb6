"""The site file through the application: out and in again equal, asked before overwriting, every fault at once, nothing in part."""

import io
import json

import pytest
from builders import document, merged
from web.client import Client, rows


@pytest.fixture
def client(app):
    return Client(app)


def counts(conninfo):
    return [rows(conninfo, f"SELECT count(*) AS n FROM {table}")[0]["n"] for table in ("site", "plan", "supply", "load", "change")]


def send(client, text, **data):
    body = {"file": (io.BytesIO(text.encode() if isinstance(text, str) else text), "site.json"), **data}
    return client.post("/import", body, script=False, content_type="multipart/form-data")


def test_export_then_import_gives_the_same_site(client, conninfo):
    """Exported, brought in beside itself and exported again: the same text, and the same page."""
    (site,) = rows(conninfo, "SELECT id FROM site WHERE name LIKE 'Brackwater%%'")
    first = client.get(f"/sites/{site['id']}/export")
    assert first.headers["Content-Disposition"] == 'attachment; filename="Brackwater-County-Archive.ypomoni.json"'
    before = counts(conninfo)
    asked = send(client, first.text)
    assert asked.status_code == 409
    assert counts(conninfo) == before
    done = send(client, first.text, choice="add")
    second = client.get(done.headers["Location"] + "/export")
    assert second.text == first.text
    replaced = send(client, first.text, choice=f"replace-{site['id']}")
    assert client.get(replaced.headers["Location"]).status_code == 200
    assert client.get(f"/sites/{site['id']}").status_code == 404


BAD_FILES = {
    "not JSON": ("{", "is not JSON"),
    "not ours": ('{"format": "other"}', "not a site file"),
    "newer": ('{"format": "ypomoni-site", "version": 2}', "newer Ypomoni"),
    "not a number": (json.dumps(document()).replace("10.5", "NaN"), "NaN is not a number that JSON knows"),
    "infinite": (json.dumps(document()).replace("10.5", "1e999"), "must be a number"),
    "twice the same key": (json.dumps(document())[:-1] + ', "site": {}}', "stands twice"),
    "deep": ("[" * 100_000, "nested too deeply"),
    "long number": ("9" * 10_000, "too many digits"),
    "latin-1": (b'{"format": "\xe9"}', "not UTF-8"),
    "empty": ("", "no file was chosen"),
    "ten thousand loads": (
        json.dumps(merged(document(), {}) | {"plans": [document()["plans"][0] | {"loads": document()["plans"][0]["loads"] * 10_000}]}),
        "takes at most 5000 entries",
    ),
}


@pytest.mark.parametrize(("text", "says"), BAD_FILES.values(), ids=BAD_FILES.keys())
def test_a_bad_file_is_refused_whole_in_words(client, conninfo, text, says):
    """Nothing is imported in part."""
    before = counts(conninfo)
    answer = send(client, text)
    assert answer.status_code == 422
    assert says in answer.text
    assert counts(conninfo) == before
