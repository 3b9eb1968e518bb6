"""The demo's seed, migrations, the commands that use a database, and the store of results."""

import json
import os
import subprocess
import sys

import psycopg
import pytest
from builders import document
from psycopg.rows import dict_row

from ypomoni.actions import seed_demo as seeding
from ypomoni.actions.accounts import Passwords
from ypomoni.storage import migrate as migrating
from ypomoni.storage.errors import StorageError


def sites(connection):
    rows = connection.execute("SELECT name, removed_at IS NOT NULL AS removed FROM site ORDER BY id").fetchall()
    return [(r["name"], r["removed"]) for r in rows]


DEMO = [
    "Brackwater County Archive",
    "Saltmarsh Workshop",
    "Orrin Vale Veterinary Clinic",
    "Fennick Lock Pumping Station",
    "Harrow Tarn Weather Mast",
]


def test_seed_is_idempotent_and_a_newer_one_refreshes_an_older_demo(connection, monkeypatch):
    """The same seed does nothing; a newer one brings its sites in anew, keeps the old ones restorable and other sites untouched."""
    passwords = Passwords(cheap=True)
    before = sites(connection)
    assert [name for name, _ in before] == DEMO
    assert not seeding.seed_demo(connection, passwords)
    connection.execute("INSERT INTO site (organisation_id, name, typical_degc, min_degc) VALUES (1, 'Own', 20, 5)")
    monkeypatch.setattr(seeding, "SEED_VERSION", "next")
    assert seeding.seed_demo(connection, passwords)
    after = sites(connection)
    assert after[:6] == [*((name, True) for name in DEMO), ("Own", False)]
    assert after[6:] == [(name, False) for name in DEMO]


def test_migrations_apply_once_and_refuse_a_file_that_changed(conninfo):
    """A second run applies nothing; a digest that differs is refused by name."""
    assert migrating.migrate(conninfo) == []
    with psycopg.connect(conninfo, autocommit=True) as connection:
        connection.execute("UPDATE migration SET digest = 'other' WHERE name = '0001_start.sql'")
    with pytest.raises(StorageError, match=r"0001_start\.sql was changed"):
        migrating.migrate(conninfo)


def test_every_table_but_the_machinery_belongs_to_an_organisation(connection):
    """A column organisation_id that may not be null stands in each; who tries to sign in, and a worker, belong to none."""
    scoped = "SELECT table_name FROM information_schema.columns WHERE column_name = 'organisation_id' AND is_nullable = 'NO'"
    tables = "SELECT table_name FROM information_schema.tables WHERE table_schema = 'public'"
    names = {r["table_name"] for r in connection.execute(tables)} - {"organisation", "migration", "attempt", "worker"}
    assert names == {r["table_name"] for r in connection.execute(scoped)}
    assert {"site", "requirement", "plan", "supply", "load", "result", "change", "account", "invitation", "setting"} <= names


def run(conninfo, *arguments, text=None):
    environment = {**os.environ, "YPOMONI_DATABASE": conninfo}
    command = [sys.executable, "-m", "ypomoni", *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True, check=False, env=environment, input=text)


def test_first_account_and_site_files_by_command(conninfo, tmp_path):
    """An account makes its organisation; a file goes in, is not overwritten without being asked, and comes out the same."""
    made = run(conninfo, "account", "ash@far.example", "--organisation", "Far Shore", "--name", "Ash", "--password", "far-shore-fire")
    assert made.returncode == 0, made.stderr
    short = run(conninfo, "account", "b@far.example", "--organisation", "Far Shore", "--name", "B", "--password", "short")
    assert "at least 10 characters" in short.stderr
    file = tmp_path / "site.json"
    file.write_text(json.dumps(document()))
    assert run(conninfo, "import", file, "--organisation", "Far Shore").returncode == 0
    again = run(conninfo, "import", file, "--organisation", "Far Shore")
    assert again.returncode == 1
    assert "say --replace or --add" in again.stderr
    assert run(conninfo, "import", file, "--organisation", "Far Shore", "--replace").returncode == 0
    out = run(conninfo, "export", "Site", "--organisation", "Far Shore")
    exported = tmp_path / "out.json"
    exported.write_text(out.stdout)
    results = [run(conninfo, "calc", f, "--json").stdout for f in (file, exported)]
    assert results[0] == results[1]
    assert "weakest_supply" in results[0]
    file.write_text("{}")
    bad = run(conninfo, "import", file, "--organisation", "Far Shore")
    assert (bad.returncode, "not a site file" in bad.stderr) == (2, True)
    away = run("host=127.0.0.1 port=9 dbname=x connect_timeout=1", "export", "Site", "--organisation", "Far Shore")
    assert "The database cannot be reached." in away.stderr
    assert "Traceback" not in away.stderr


def test_a_change_is_one_log_row_with_before_and_after(conninfo):
    """Made through the actions, whatever the aggregate."""
    from ypomoni.actions.actor import Actor
    from ypomoni.actions.edit import create, edit, remove, restore

    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        actor = Actor(organisation_id=1, account_id=1)
        site = create(connection, actor, "site", {"name": "Hide", "typical_degc": 15.0, "min_degc": 2.0})
        changed = edit(connection, actor, "site", site["id"], 1, {"name": "Hide, east"})
        assert edit(connection, actor, "site", site["id"], changed["version"], {"name": "Hide, east"})["version"] == changed["version"]
        remove(connection, actor, "site", site["id"], changed["version"])
        restore(connection, actor, "site", site["id"])
        log = connection.execute(
            "SELECT * FROM change WHERE aggregate_id = %s AND aggregate = 'site' ORDER BY id", (site["id"],)
        ).fetchall()
    assert [r["verb"] for r in log] == ["create", "edit", "remove", "restore"]
    assert (log[1]["before"]["name"], log[1]["after"]["name"]) == ("Hide", "Hide, east")
    assert all(r["account_id"] == 1 and r["changed_at"] is not None for r in log)
