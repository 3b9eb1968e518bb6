"""What a worker does: it takes a job, has a process of its own do it, and says meanwhile that it is alive, however busy that process is."""

import gc
import json
import logging
import multiprocessing
import os
import resource
import socket
import time
from datetime import date
from multiprocessing.connection import Connection as Pipe
from multiprocessing.connection import wait
from multiprocessing.synchronize import Event
from typing import Any

from ypomoni.actions.evaluate import ENGINE_VERSION, digests_of, try_computing
from ypomoni.actions.reports import keep_made, make_asked
from ypomoni.actions.summaries import CLAIMED_S, MOST_TRIES, fresh_since, refresh, take_stale
from ypomoni.core.balance.search import Effort, Objective, find_moves
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.proposal_json import keep_proposal
from ypomoni.documents.results_json import dump_supply_result
from ypomoni.documents.site_file import read_site, read_site_text
from ypomoni.lifetime import end_with_parent
from ypomoni.observing import JOB_S, JOBS, SLOW_JOB_S, WAITING_JOBS
from ypomoni.records.field import Row
from ypomoni.storage.connection import Pool, open_pool, transaction
from ypomoni.storage.jobs import beat, count_queued, finish_job, take_job
from ypomoni.storage.results import insert_results
from ypomoni.storage.summaries import give_up, waiting_organisation
from ypomoni.storage.workers import be_alive

log = logging.getLogger("ypomoni.worker")
# What a search may spend on larger batteries and the like, for each second it may spend on moves.
RELAX_RATIO = 3.0
BEAT_S = 0.5
LOOK_S = 0.1
# How long a search that is told to stop may take to hand over what it has, and a job in all before it is given up. [s]
STOPS_WITHIN_S = 10.0
LONGEST_S = 600.0
MOST_MEMORY = 6 * 2**30
NAME = f"{socket.gethostname()}:{os.getpid()}"
FAILED = "It failed on our side; it has been noted. Nothing was changed."
GIVEN_UP = "its figures could not be worked out on our side; it has been noted. Open the site: its pages say which supply it is."
# How long one organisation's sites are worked on before it is another one's turn. [s]
TURN_S = 30.0
# Sites taken in one go: finding them takes a look at all.
TAKEN_COUNT = 100
_processes = multiprocessing.get_context("forkserver")
_processes.set_forkserver_preload(["ypomoni.actions.working"])


def say_alive(pool: Pool) -> None:
    """Say that this worker is there."""
    with transaction(pool) as connection:
        be_alive(connection, NAME)
        WAITING_JOBS.set(count_queued(connection))


def work_once(pool: Pool) -> bool:
    """Take one job and have it done; says whether there was one. All that counts is in the database, so this process can die at any time."""
    with transaction(pool) as connection:
        be_alive(connection, NAME)
        job = take_job(connection)
    if job is None:
        return False
    began_s = time.monotonic()
    ours, theirs = _processes.Pipe(duplex=False)
    stop = _processes.Event()
    task = {**job, "relax_s": RELAX_RATIO * job["search_s"]}
    process = _processes.Process(target=_do, args=(task, theirs, stop), daemon=True)
    process.start()
    theirs.close()
    try:
        state, body, words = _follow(pool, job, process, ours, stop)
    finally:
        # Also where the database went away: the row still says that it runs, so it is taken again.
        process.kill()
        process.join()
    lasted_s = time.monotonic() - began_s
    JOBS.labels(job["kind"], state).inc()
    JOB_S.labels(job["kind"]).observe(lasted_s)
    told = {
        "job": job["id"],
        "kind": job["kind"],
        "organisation_id": job["organisation_id"],
        "state": state,
        "duration_s": round(lasted_s, 2),
    }
    log.log(logging.WARNING if lasted_s > SLOW_JOB_S or state == "failed" else logging.INFO, "job done", extra=told)
    with transaction(pool) as connection:
        finish_job(connection, job["id"], state, body, words)
    return True


def refresh_once(pool: Pool, conninfo: str, today: date) -> bool:
    """Have what is kept of some sites for the lists worked out again, a process for each core at most; says whether there was any to do.

    Jobs are more urgent: this is asked for only when none waits, and ends within a second or two when one does.
    """
    since = fresh_since(today)
    with transaction(pool) as connection:
        be_alive(connection, NAME)
        given_up = give_up(connection, ENGINE_VERSION, since, today, json.dumps({"faults": [["", GIVEN_UP]]}), MOST_TRIES)
        waiting = waiting_organisation(connection, ENGINE_VERSION, since, MOST_TRIES)
    for site_id in given_up:
        log.error("a site could not be worked out for the list", extra={"site": site_id})
    if waiting is None:
        return False
    organisation_id, sites_count = waiting
    # After an edit it is one site: no more processes than there is work for.
    processes_count = min(os.cpu_count() or 1, sites_count)
    processes = [_processes.Process(target=_refresh, args=(conninfo, organisation_id, today), daemon=True) for _ in range(processes_count)]
    for process in processes:
        process.start()
    began_s = time.monotonic()
    while running := [p.sentinel for p in processes if p.is_alive()]:
        wait(running, BEAT_S)
        if time.monotonic() - began_s > CLAIMED_S:
            break
        with transaction(pool) as connection:
            be_alive(connection, NAME)
    for process in processes:
        process.kill()
        process.join()
    return True


def _follow(pool: Pool, job: Row, process: Any, ours: Pipe, stop: Event) -> tuple[str, str | None, str]:
    """Return what a job came to: its state, its body and words. Says every moment that it is alive, and passes on a wish to stop."""
    words, beat_s, began_s = "Started", 0.0, time.monotonic()
    stopped_s: float | None = None
    while True:
        now_s = time.monotonic()
        if now_s - beat_s >= BEAT_S:
            beat_s = now_s
            with transaction(pool) as connection:
                be_alive(connection, NAME)
                if beat(connection, job["id"], words) and stopped_s is None:
                    stopped_s = now_s
                    stop.set()
        # It was asked to stop and does not look up: whoever waits is not kept waiting for it.
        if stopped_s is not None and now_s - stopped_s > STOPS_WITHIN_S:
            return "cancelled", None, ""
        if now_s - began_s > LONGEST_S:
            return "failed", None, "It took longer than a job may. Nothing was changed."
        try:
            if not ours.poll(LOOK_S):
                # Its last words may still lie in the pipe after it has ended.
                if not process.is_alive() and not ours.poll(0):
                    return "failed", None, FAILED
                continue
            said = ours.recv()
        except (EOFError, OSError):
            return "failed", None, FAILED
        if said[0] == "progress":
            words = said[1]
        elif said[0] == "result":
            with transaction(pool) as connection:
                insert_results(connection, job["organisation_id"], ENGINE_VERSION, {said[1]: said[2]})
        elif said[0] == "report":
            with transaction(pool) as connection:
                keep_made(connection, job["organisation_id"], said[1], said[2], said[3])
        elif said[0] == "failed":
            _note_failure(pool, job)
            log.error("job %s failed:\n%s", job["id"], said[1])
            return "failed", None, FAILED
        else:
            return said[1], said[2], ""


def _note_failure(pool: Pool, job: Row) -> None:
    """Say of a report that it could not be made; other jobs say so themselves."""
    if job["kind"] == "report":
        with transaction(pool) as connection:
            keep_made(connection, job["organisation_id"], json.loads(job["input"])["report_id"], None, None)


# -- in the process that does it -------------------------------------------------------------------------------------------------------


def _do(job: Row, theirs: Pipe, stop: Event) -> None:
    """Do a job within limits of memory, and send what comes of it."""
    import traceback

    # Its parent is the fork server, which ends with the worker.
    end_with_parent()
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    # Pages are more urgent.
    os.nice(5)
    try:
        if job["kind"] == "figures":
            _work_out_figures(job, theirs, stop)
        elif job["kind"] == "report":
            theirs.send(("report", *make_asked(job["input"], lambda words: theirs.send(("progress", words)))))
            theirs.send(("done", "done", None))
        else:
            _search(job, theirs, stop)
    except BaseException:
        theirs.send(("failed", traceback.format_exc()))


def _refresh(conninfo: str, organisation_id: int, today: date) -> None:
    """Work out again what is stale, some sites at a time, until nothing is left, a job waits, or it is another organisation's turn."""
    end_with_parent()
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    os.nice(5)
    # It lives for some seconds: looking for what is no longer used would take longer than it is worth.
    gc.disable()
    until_s = time.monotonic() + TURN_S
    with open_pool(conninfo, most=1) as pool, transaction(pool) as connection:
        while time.monotonic() < until_s and not count_queued(connection):
            taken = take_stale(connection, organisation_id, today, most=TAKEN_COUNT)
            if not taken:
                break
            refresh(connection, organisation_id, taken, today)


def _search(job: Row, theirs: Pipe, stop: Event) -> None:
    said_s = [0.0]

    def tell(progress: str) -> None:
        if time.monotonic() - said_s[0] >= LOOK_S:
            said_s[0] = time.monotonic()
            theirs.send(("progress", progress))

    effort = Effort(search_s=job["search_s"], relax_s=job["relax_s"], tell=tell, is_stopped=stop.is_set)
    found = find_moves(to_core_plan(read_site_text(job["input"].encode()), job["plan_key"]), Objective(job["objective"]), effort)
    theirs.send(("done", "cancelled" if found.is_cancelled else "done", keep_proposal(found)))


def _work_out_figures(job: Row, theirs: Pipe, stop: Event) -> None:
    asked = json.loads(job["input"])
    site_file = read_site(asked["site"], stored=True)
    part = next(p for p in site_file.plans if p.key == job["plan_key"])
    plan, wanted = to_core_plan(site_file, job["plan_key"]), set(asked["digests"])
    pairs = [(s, d) for s, d in zip(plan.supplies, digests_of(site_file, part), strict=True) if d in wanted]
    for n, (supply, digest) in enumerate(pairs, start=1):
        if stop.is_set():
            break
        result, is_good = try_computing(plan, supply)
        if is_good:
            theirs.send(("result", digest, dump_supply_result(result)))
        theirs.send(("progress", f"{n} of {len(pairs)}"))
    theirs.send(("done", "done", None))
