"""The cluster, the pool and the locks: what was acknowledged is there, nobody overwrites anybody."""

import hashlib
import os
import shutil
import signal
import tempfile
import threading
import time
from importlib import resources
from pathlib import Path

import psycopg
import pytest
from psycopg.rows import dict_row

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import edit, find, read_document, read_tree, restore_bank
from ypomoni.actions.errors import Refused, StaleEdit
from ypomoni.storage.cluster import Cluster
from ypomoni.storage.connection import open_pool, transaction
from ypomoni.storage.errors import ClusterError, DatabaseAway
from ypomoni.storage.migrate import ensure_database, migrate

ACTOR = Actor(organisation_id=1, account_id=1)


@pytest.fixture
def own_cluster():
    folder = Path(tempfile.mkdtemp(prefix="yp-own-"))
    found = Cluster(folder)
    yield found
    found.stop(mode="immediate")
    shutil.rmtree(folder)


def test_cluster_is_made_once_survives_a_kill_and_stops(own_cluster):
    """Ensured twice it is the same; killed hard it comes back with what was committed; stopped it says so."""
    with pytest.raises(ClusterError, match="not running"):
        own_cluster.conninfo("postgres")
    own_cluster.ensure()
    own_cluster.ensure()
    ensure_database(own_cluster.conninfo("postgres"), "kept")
    ensure_database(own_cluster.conninfo("postgres"), "kept")
    assert migrate(own_cluster.conninfo("kept")) == [
        "0001_start.sql",
        "0002_audit.sql",
        "0003_endurance.sql",
        "0004_balance.sql",
        "0005_judgement.sql",
        "0006_bank.sql",
        "0007_shared.sql",
        "0008_people_and_work.sql",
        "0009_sources.sql",
        "0010_seasons.sql",
        "0011_wiring.sql",
        "0012_bench.sql",
        "0013_meters.sql",
        "0014_proof.sql",
        "0015_lists.sql",
        "0016_acting.sql",
    ]
    with psycopg.connect(own_cluster.conninfo("kept")) as connection:
        connection.execute("INSERT INTO organisation (name) VALUES ('Kept')")
    pid = int((own_cluster.folder / "data" / "postmaster.pid").read_text().splitlines()[0])
    _kill(pid)
    own_cluster.ensure()
    with psycopg.connect(own_cluster.conninfo("kept")) as connection:
        assert connection.execute("SELECT name FROM organisation").fetchall() == [("Kept",)]
    assert (own_cluster.folder / "password").stat().st_mode & 0o077 == 0
    own_cluster.stop()
    assert not own_cluster.is_running()


def _kill(pid):
    os.kill(pid, signal.SIGKILL)
    for _ in range(100):
        try:
            os.kill(pid, 0)
        except ProcessLookupError:
            return
        time.sleep(0.05)


def test_pool_says_that_the_database_is_away_and_comes_back(own_cluster):
    """A connection that went away is replaced; while there is none, the one error is `DatabaseAway`."""
    own_cluster.ensure()
    pool = open_pool(own_cluster.conninfo("postgres"), most=2)
    try:
        with transaction(pool) as connection:
            connection.execute("SELECT 1")
        with psycopg.connect(own_cluster.conninfo("postgres"), autocommit=True) as admin:
            admin.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE pid <> pg_backend_pid() AND datname = 'postgres'")
        with transaction(pool) as connection:
            assert connection.execute("SELECT 2 AS n").fetchone() == {"n": 2}
        own_cluster.stop(mode="immediate")
        with pytest.raises(DatabaseAway), transaction(pool) as connection:
            connection.execute("SELECT 3")
    finally:
        pool.close()


def test_of_many_edits_on_one_version_exactly_one_is_taken(conninfo):
    """Eight people save the same load at once: one wins, seven are told, and the log has one row for it."""
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        load = connection.execute("SELECT id, version FROM load ORDER BY id LIMIT 1").fetchone()
    outcomes, barrier = [], threading.Barrier(8)

    def save(n):
        with psycopg.connect(conninfo, row_factory=dict_row) as connection:
            barrier.wait()
            try:
                edit(connection, ACTOR, "load", load["id"], load["version"], {"quantity": 10 + n})
                outcomes.append("taken")
            except StaleEdit as stale:
                outcomes.append(f"stale, now {stale.current['version'] - load['version']} later")

    threads = [threading.Thread(target=save, args=(n,)) for n in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(outcomes) == ["stale, now 1 later"] * 7 + ["taken"]
    with psycopg.connect(conninfo) as connection:
        counted = connection.execute("SELECT count(*) FROM change WHERE aggregate = 'load' AND aggregate_id = %s", (load["id"],)).fetchone()
    assert counted == (1,)


def test_an_edit_that_breaks_the_site_is_refused_and_leaves_no_trace(conninfo):
    """A lowest temperature above the typical one, or half a cell, is refused with its path, and the site stays as it was."""
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        site = find(connection, ACTOR, "site", 1)
        edit(connection, ACTOR, "site", 1, site["version"], {"min_degc": -20.0})
        connection.commit()
        site = find(connection, ACTOR, "site", 1)
        with pytest.raises(Refused) as refused, connection.transaction():
            edit(connection, ACTOR, "site", 1, site["version"], {"min_degc": 60.0})
        assert refused.value.faults[0].path in ("min_degc", "site.min_degc")
        supply = connection.execute("SELECT id, version FROM supply WHERE name = 'Bay B'").fetchone()
        with pytest.raises(Refused) as refused, connection.transaction():
            edit(connection, ACTOR, "supply", supply["id"], supply["version"], {"bank_block_v": 13.0})
        assert refused.value.faults[0].path == "bank"
        assert "12 V or 14 V" in refused.value.faults[0].message
        document = read_document(read_tree(connection, ACTOR, 1))
    assert document.site.min_degc == -20.0
    assert document.plans[0].supplies[2].bank.block_v == 12.0


def test_a_database_of_the_first_version_keeps_its_loads_and_gains_the_audit(cluster):
    """Only the first migration, a site in it; then the rest: the load is still there, its new columns empty, and it can be computed."""
    name = "from_the_first"
    ensure_database(cluster.conninfo("postgres"), name)
    first = resources.files("ypomoni.storage").joinpath("migrations/0001_start.sql").read_bytes()
    with psycopg.connect(cluster.conninfo(name), row_factory=dict_row) as old:
        old.execute(first)
        old.execute("CREATE TABLE migration (name text PRIMARY KEY, digest text NOT NULL, applied_at timestamptz NOT NULL DEFAULT now())")
        old.execute("INSERT INTO migration (name, digest) VALUES ('0001_start.sql', %s)", (hashlib.sha256(first).hexdigest(),))
        old.execute("INSERT INTO organisation (name) VALUES ('Old')")
        old.execute("INSERT INTO site (organisation_id, name, typical_degc, min_degc) VALUES (1, 'Old House', 20, 5)")
        old.execute("INSERT INTO plan (organisation_id, site_id, key, name, stage) VALUES (1, 1, 'as-found', 'As found', 'as_found')")
        old.execute(
            "INSERT INTO requirement (organisation_id, site_id, key, name, source, standby_h, alarm_min, recharge_to_ratio, method,"
            " end_of_life_ratio, design_margin_ratio, usable_ratio, age_ratio, activity_ratio)"
            " VALUES (1, 1, 'r', 'Intruder', '', 24, 30, 0.8, 'simulation', 0.8, 1, 0.65, 1, 0.9)"
        )
        for key, bank in (("a", "'lead_agm', 12, 7, 20, 2, 3, 4, 0.9"), ("b", "NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL")):
            old.execute(
                "INSERT INTO supply (organisation_id, plan_id, requirement_id, key, name, kind, nominal_v, own_current_a, bank_chemistry,"
                " bank_block_v, bank_capacity_ah, bank_rate_h, bank_series, bank_parallel, bank_age_y, bank_condition_ratio)"
                f" VALUES (1, 1, 1, '{key}', 'Bay', 'boxed', 24, 0.05, {bank})"
            )
        old.execute(
            "INSERT INTO load (organisation_id, plan_id, key, name, quantity, rail_v, behaviour, essential, standby_current_a,"
            " standby_provenance, bursts) VALUES (1, 1, 'k', 'Keypad', 2, 12, 'constant_current', true, 0.02, 'measured', '[]')"
        )
    assert migrate(cluster.conninfo(name)) == [
        "0002_audit.sql",
        "0003_endurance.sql",
        "0004_balance.sql",
        "0005_judgement.sql",
        "0006_bank.sql",
        "0007_shared.sql",
        "0008_people_and_work.sql",
        "0009_sources.sql",
        "0010_seasons.sql",
        "0011_wiring.sql",
        "0012_bench.sql",
        "0013_meters.sql",
        "0014_proof.sql",
        "0015_lists.sql",
        "0016_acting.sql",
    ]
    with psycopg.connect(cluster.conninfo(name), row_factory=dict_row) as connection:
        tree = read_tree(connection, Actor(organisation_id=1, account_id=None), 1)
        plan = read_document(tree).plans[0]
        (load,), (supply, empty) = plan.loads, plan.supplies
    assert (load.name, load.standby.current_a, load.thermostats, load.place, load.cable) == ("Keypad", 0.02, [], None, None)
    bank = supply.bank
    assert (bank.chemistry, bank.capacity_ah, bank.series, bank.parallel, bank.age_y, bank.condition_ratio) == ("lead_agm", 7, 2, 3, 4, 0.9)
    assert (bank.discharge_table, bank.bms, empty.bank) == ([], None, None)


def test_a_bank_and_its_blocks_keep_their_identity(conninfo):
    """Edited, taken out and put back it is the same bank, with the blocks that stood in it."""
    block = {"key": "b1", "string": 1, "position": 1, "made": "2023-05", "fitted": None, "capacity_ah": None, "condition_ratio": 0.9}
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:

        def change(**columns):
            row = find(connection, ACTOR, "supply", supply_id)
            return edit(connection, ACTOR, "supply", supply_id, row["version"], columns)

        supply_id = connection.execute("SELECT s.id FROM supply s JOIN bank b ON b.supply_id = s.id WHERE s.name = 'Bay A'").fetchone()[
            "id"
        ]
        before = change(bank_blocks=[{**block, "rest_v": 12.8}])
        assert change(bank_parallel=before["bank_parallel"] + 1, bank_age_y=2.0)["bank_id"] == before["bank_id"]
        assert change(bank_parallel=before["bank_parallel"])["bank_blocks"] == before["bank_blocks"]
        lists = ("bank_discharge_table", "bank_blocks")
        gone = change(**{name: [] if name in lists else None for name in before if name.startswith("bank_") and name != "bank_id"})
        assert (gone["bank_id"], gone["bank_chemistry"], gone["bank_discharge_table"], gone["bank_blocks"]) == (None, None, [], [])
        back = restore_bank(connection, ACTOR, supply_id)
        assert {k: v for k, v in back.items() if k not in ("version", "bank_age_y")} == {
            k: v for k, v in before.items() if k not in ("version", "bank_age_y")
        }
        assert back["bank_age_y"] == 2.0
