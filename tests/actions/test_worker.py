"""The worker as a process of its own: it does what is queued, and what a killed one left the next one does."""

import os
import signal
import subprocess
import sys
import time

import psycopg
import pytest
from psycopg.rows import dict_row

from ypomoni.actions.actor import Actor
from ypomoni.actions.jobs import ask_for_moves, cancel, see_job
from ypomoni.core.balance.search import Objective

COMMAND = [sys.executable, "-c", "from ypomoni.cli import main; main()", "worker", "--with-parent"]


@pytest.fixture
def start(conninfo):
    """Start workers on this test's database; none outlives the test."""
    running = []

    def starter():
        process = subprocess.Popen(COMMAND, env={**os.environ, "YPOMONI_DATABASE": conninfo})
        running.append(process)
        return process

    yield starter
    for process in running:
        process.kill()
        process.wait()


def wait_for(conninfo, job_id, states):
    """Return the state of a job once it is one of these."""
    for _ in range(400):
        with psycopg.connect(conninfo, row_factory=dict_row) as connection:
            row = connection.execute("SELECT state, attempts FROM job WHERE id = %s", (job_id,)).fetchone()
        if row["state"] in states:
            return row
        time.sleep(0.1)
    raise AssertionError(f"the job never came to {states}: {row}")


def test_a_worker_killed_in_the_middle_leaves_its_job_to_the_next(conninfo, start):
    """Taken by the first, killed while it searches; its silence over, the second takes it, does it, and the answer says that the plan is as it was."""
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        plan = connection.execute("SELECT id, organisation_id FROM plan WHERE key = 'as-found' ORDER BY id LIMIT 1").fetchone()
        actor = Actor(organisation_id=plan["organisation_id"], account_id=None)
        job_id = ask_for_moves(connection, actor, plan["id"], Objective.MOVES, long=False)
    first = start()
    wait_for(conninfo, job_id, {"running"})
    first.send_signal(signal.SIGKILL)
    first.wait()
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        connection.execute("UPDATE job SET search_s = 1, heartbeat_at = now() - interval '1 minute' WHERE id = %s", (job_id,))
    start()
    assert wait_for(conninfo, job_id, {"done", "failed"}) == {"state": "done", "attempts": 2}
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        _, view = see_job(connection, actor, job_id)
    assert (view.is_current, view.proposal.is_found, view.proposal.is_proven) == (True, False, True)


def test_a_search_under_way_is_cancelled_and_says_how_far_it_was(conninfo, start):
    """A long one, cancelled while it looks for what would do it: the worker stops within moments, and what was found is kept."""
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        plan = connection.execute("SELECT id, organisation_id FROM plan WHERE key = 'as-found' ORDER BY id LIMIT 1").fetchone()
        actor = Actor(organisation_id=plan["organisation_id"], account_id=None)
        job_id = ask_for_moves(connection, actor, plan["id"], Objective.MOVES, long=True)
    start()
    wait_for(conninfo, job_id, {"running"})
    with psycopg.connect(conninfo, row_factory=dict_row, autocommit=True) as connection:
        for _ in range(400):
            _, view = see_job(connection, actor, job_id)
            if view.progress:
                break
            time.sleep(0.1)
        assert (view.state, view.proposal) == ("running", None)
        assert view.progress
        cancel(connection, actor, job_id)
    assert wait_for(conninfo, job_id, {"cancelled", "done"})["state"] == "cancelled"
    with psycopg.connect(conninfo, row_factory=dict_row) as connection:
        _, view = see_job(connection, actor, job_id)
    assert (view.proposal.is_cancelled, view.proposal.is_found) == (True, False)
