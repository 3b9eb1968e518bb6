"""`make attack`: every attack in full against the product as it is run for real, with its figures. Takes about an hour on two cores.

`python tools/attack.py sites requests writers kills idle` runs those that are named, `--share 0.01` a hundredth of each.
"""

import argparse
import contextlib
import http.client
import itertools
import json
import multiprocessing
import os
import random
import shutil
import signal
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Callable, Generator
from concurrent.futures import ProcessPoolExecutor
from importlib import resources
from pathlib import Path
from typing import Any

import psycopg
from attacks.idle import idle_clients, page_s
from attacks.requests import attack_requests
from attacks.sites import attack_sites
from attacks.writers import Outcome, Person, attack_plan
from flask import Flask
from psycopg import sql
from throwaway import application

from ypomoni.actions.accounts import Passwords, create_account, create_organisation
from ypomoni.actions.actor import Actor
from ypomoni.actions.import_site import import_site
from ypomoni.actions.seed_demo import PASSWORD, PEOPLE
from ypomoni.core.outage.gathering import MOST_BUSY_LOADS
from ypomoni.documents.site_file import read_site
from ypomoni.storage.cluster import Cluster, ClusterError
from ypomoni.storage.connection import transaction

PEOPLE_IN = [(email, PASSWORD) for email, _ in PEOPLE]
DEMO, OTHER = "Saltmarsh Alarm Co-op", "Far Shore Fire Ltd"
OTHERS = [("ash@far.example", "far-shore-fire"), ("elm@far.example", "far-shore-alarm")]
SECRET = "for an attack only " * 3
# So often it is the database that is killed, and else the web process or the worker.
DATABASE_SHARE = 0.2
SITES_CHUNK = 250
EDITS_BETWEEN_KILLS = 3
MOST_BETWEEN_KILLS_S = 60.0


def main() -> int:
    """Run what is named and return 1 where something did not hold."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", nargs="*", default=list(ATTACKS))
    parser.add_argument("--share", type=float, default=1.0)
    given = parser.parse_args()
    failed = False
    for name in given.what:
        began_s = time.monotonic()
        faults = ATTACKS[name](given.share)
        print(f"{name}: {time.monotonic() - began_s:.0f} s, {len(faults)} did not hold")
        for fault in [] if name == "sites" else faults[:10]:
            print(f"   {fault[:600]}")
        failed |= bool(faults)
    return 1 if failed else 0


def _sites(share: float) -> list[str]:
    # Each chunk is drawn from its own seed, so that the cores share the work and what one finds is found again.
    accepted, tried, slowest_s, faults = 0, 0, 0.0, list[str]()
    with ProcessPoolExecutor(mp_context=multiprocessing.get_context("spawn")) as pool:
        for outcome in pool.map(attack_sites, [SITES_CHUNK] * max(1, round(10_000 * share / SITES_CHUNK)), itertools.count(1)):
            accepted, tried = accepted + outcome.accepted, tried + outcome.tried
            slowest_s, faults = max(slowest_s, outcome.slowest_s), [*faults, *outcome.faults]
            print(f"sites: {accepted} accepted of {tried}, slowest supply {slowest_s:.1f} s, {len(faults)} did not hold", flush=True)
            for fault in outcome.faults:
                print(f"   {fault}", flush=True)
    return faults


def _requests(share: float) -> list[str]:
    with application() as app:
        app.config["SIGN_IN_LIMIT"] = "1000000 per minute"
        clients = {"owner": app.test_client(), "nobody": app.test_client()}
        tokens = {"owner": _sign_in(clients["owner"]), "nobody": ""}
        outcome = attack_requests(app, _conninfo(app), clients, tokens, max(100, int(50_000 * share)))
    print(f"requests: {outcome.asked}, {outcome.by_kind}")
    return outcome.faults


def _sign_in(client) -> str:
    def token(address: str) -> str:
        return client.get(address).text.split('name="csrf_token" value="')[1].split('"')[0]

    client.post("/sign-in", data={"csrf_token": token("/sign-in"), "email": PEOPLE_IN[0][0], "password": PASSWORD})
    return token("/people/")


def _writers(share: float) -> list[str]:
    return attack_with_writers(max(5.0, 60.0 * share))


def attack_with_writers(lasts_s: float) -> list[str]:
    """Let sixteen people write to one plan, and return what was answered with a fault of ours, was lost or is half there."""
    with application() as app, serving(_conninfo(app)) as (port, _):
        outcome = attack_plan(_conninfo(app), port, PEOPLE_IN, organisation=DEMO, writers=16, until=lambda _: time.sleep(lasts_s))
    print(f"writers: answers {dict(outcome.statuses)}, {len(outcome.acknowledged)} edits acknowledged")
    bad = [f"{n} answers with {status}" for status, n in outcome.statuses.items() if status >= 500 or status == 0]
    return [*bad, *(f"lost {b}" for b in outcome.lost), *outcome.halves]


def _kills(share: float) -> list[str]:
    return attack_with_kills(max(4, round(500 * share)))


def attack_with_kills(rounds_count: int) -> list[str]:
    """Kill web processes, the worker and the database under eight writers, and return what of their edits did not hold."""
    draw = random.Random(1)
    with application() as app, contextlib.ExitStack() as stack:
        # A throwaway database acknowledges before it has written; this one must not, as none does that is run for real.
        with psycopg.connect(_conninfo(app), autocommit=True) as connection:
            connection.execute(sql.SQL("ALTER DATABASE {} SET synchronous_commit = on").format(sql.Identifier(connection.info.dbname)))
        _plain_site(app)
        port, pid = stack.enter_context(serving(_conninfo(app)))
        cluster = app.extensions["cluster"]

        def kill(outcome: Outcome) -> None:
            for _ in range(rounds_count):
                if draw.random() < DATABASE_SHARE:
                    _kill_database(cluster)
                elif children := children_of(pid):
                    with contextlib.suppress(ProcessLookupError):
                        os.kill(draw.choice(children), signal.SIGKILL)
                outcome.rounds += 1
                _wait_for_edits(outcome)

        outcome = attack_plan(_conninfo(app), port, OTHERS, organisation=OTHER, writers=8, until=kill)
    print(f"kills: {outcome.rounds} rounds, answers {dict(outcome.statuses)}, {len(outcome.acknowledged)} edits acknowledged")
    return [*(f"lost {b}" for b in outcome.lost), *outcome.halves]


def _wait_for_edits(outcome: Outcome) -> None:
    """Return once some edits more were acknowledged: a process is killed in the middle of work, not while nothing is served."""
    enough, until = len(outcome.acknowledged) + EDITS_BETWEEN_KILLS, time.monotonic() + MOST_BETWEEN_KILLS_S
    while len(outcome.acknowledged) < enough:
        if time.monotonic() > until:
            raise RuntimeError(f"no {EDITS_BETWEEN_KILLS} edits were acknowledged within {MOST_BETWEEN_KILLS_S:.0f} s of a kill")
        time.sleep(0.02)


def _kill_database(cluster: Cluster) -> None:
    """Kill the database's first process, and with it all of them, and start it again."""
    first = int((cluster.folder / "data" / "postmaster.pid").read_text().splitlines()[0])
    os.kill(first, signal.SIGKILL)
    while Path(f"/proc/{first}").exists():
        time.sleep(0.05)
    for _ in range(40):
        time.sleep(0.25)
        # Its other processes notice within moments; until then it cannot be started.
        with contextlib.suppress(ClusterError):
            cluster.ensure()
            return
    raise RuntimeError("the database did not come back")


def _idle(share: float) -> list[str]:
    with application() as app, serving(_conninfo(app)) as (port, _), idle_clients("127.0.0.1", port, max(50, int(1_000 * share))) as held:
        began_s = time.monotonic()
        Person(port, *PEOPLE_IN[0])
        signed_in_s = time.monotonic() - began_s
        pages = [page_s("127.0.0.1", port) for _ in range(20)]
    print(f"idle: {held} clients held, signing in took {signed_in_s:.2f} s in all, a page {statistics.median(pages) * 1e3:.0f} ms")
    return [f"signing in took {signed_in_s:.2f} s"] if signed_in_s > 1.0 else []


def _proxy(share: float) -> list[str]:
    """The proxy of `docs/operating.md` in front, as it stands there but for TLS: who is idle or slow before it keeps nobody waiting either."""
    nginx = shutil.which("nginx") or shutil.which("nginx", path="/usr/sbin:/usr/local/sbin")
    if nginx is None:
        return ["nginx is not here: apt-get install -y --no-install-recommends nginx-light"]
    told = Path(__file__).parent.parent.joinpath("docs", "operating.md").read_text()
    server_block = told.split("```nginx\n")[1].split("```")[0]
    with application() as app, serving(_conninfo(app), YPOMONI_PROXIES="1") as (port, _), tempfile.TemporaryDirectory() as folder:
        front = free_port()
        block = "\n".join(line for line in server_block.splitlines() if "ssl_certificate" not in line)
        block = block.replace("listen 443 ssl;", f"listen 127.0.0.1:{front};").replace("127.0.0.1:8765", f"127.0.0.1:{port}")
        block = block.replace("alarms.example.org", "127.0.0.1")
        config = Path(folder, "nginx.conf")
        config.write_text(
            f"daemon off; pid {folder}/pid; error_log stderr warn; worker_rlimit_nofile 20000; events {{ worker_connections 8000; }} "
            f"http {{ access_log off; client_body_temp_path {folder}/b; proxy_temp_path {folder}/p; fastcgi_temp_path {folder}/f; "
            f"uwsgi_temp_path {folder}/u; scgi_temp_path {folder}/s; {block} }}"
        )
        process = subprocess.Popen([nginx, "-c", str(config), "-p", folder])
        try:
            wait_for_page(front)
            with idle_clients("127.0.0.1", front, max(50, int(1_000 * share))) as held:
                pages = [page_s("127.0.0.1", front) for _ in range(20)]
                forged = forged_host("127.0.0.1", front)
        finally:
            process.terminate()
            process.wait(10)
    slow_s = statistics.median(pages)
    print(f"proxy: {held} clients held before it, a page {slow_s * 1e3:.0f} ms, a forged host is answered with {forged}")
    return [f"a page took {slow_s:.2f} s"] if slow_s > 1.0 else [] if forged == 400 else [f"a forged host was answered with {forged}"]


def wait_for_page(port: int) -> None:
    """Return once a page is served on a port."""
    for _ in range(100):
        with contextlib.suppress(OSError, RuntimeError):
            page_s("127.0.0.1", port)
            return
        time.sleep(0.1)
    raise RuntimeError("no page came through the proxy")


def forged_host(host: str, port: int) -> int:
    """Return how a request under another name is answered."""
    connection = http.client.HTTPConnection(host, port, timeout=30)
    connection.request("GET", "/sign-in", headers={"Host": "far.example", "X-Forwarded-Host": "far.example"})
    status = connection.getresponse().status
    connection.close()
    return status


def _fair(_share: float) -> list[str]:
    """How long one organisation's pages take while another opens its worst accepted site again and again in eight windows."""
    with application() as app, serving(_conninfo(app)) as (port, _):
        _worst_site(app)
        person = Person(port, *PEOPLE_IN[0])
        address = person.send("GET", "/")[1].split('href="/sites/')[1].split('"')[0]

        def median_s() -> float:
            took: list[float] = []
            # As many in every share: what an organisation has saved up it may spend at once, and fewer pages than these would all fall into that.
            for _ in range(100):
                began_s = time.monotonic()
                status, _ = person.send("GET", f"/sites/{address}")
                took.append(time.monotonic() - began_s)
                if status != 200:
                    raise RuntimeError(f"a page was answered with {status}")
            return statistics.median(took)

        median_s()
        alone_s = median_s()
        over = threading.Event()

        def hammer() -> None:
            other = Person(port, *OTHERS[0])
            while not over.is_set():
                other.send("GET", "/")

        threads = [threading.Thread(target=hammer) for _ in range(8)]
        for thread in threads:
            thread.start()
        time.sleep(5.0)
        beside_s = median_s()
        over.set()
        for thread in threads:
            thread.join()
    print(f"fair: a page takes {alone_s * 1e3:.0f} ms alone, {beside_s * 1e3:.0f} ms beside the worst site of another organisation")
    return [f"{beside_s / alone_s:.2f} times as long"] if beside_s > 1.5 * alone_s else []


def _odd_burst(draw: random.Random) -> list[dict[str, Any]]:
    return [{"name": "b", "current_a": 0.01, "duration_s": 2.0, "per_hour": draw.uniform(1.0, 9.0), "offset_s": 0.0, "during": "always"}]


def _worst_site(app: Flask) -> None:
    """Give another organisation a site of as many loads as one may have, all with bursts of unrelated intervals."""
    draw = random.Random(1)
    whole = json.loads(resources.files("ypomoni.actions").joinpath("demo/1_archive.json").read_text())
    plan = {**whole["plans"][0], "points": [], "readings": []}
    plan["supplies"] = [{**s, "totals": []} for s in plan["supplies"]]
    bay = next(load for load in plan["loads"] if load["supply"] == "bay-a")
    plan["loads"] = [
        {
            **bay,
            "key": f"l{n}",
            "place": None,
            "standby": {"current_a": 0.001, "provenance": "estimate"},
            "alarm": None,
            "bursts": _odd_burst(draw) if n < MOST_BUSY_LOADS else [],
        }
        for n in range(5_000)
    ]
    _of_another_organisation(app, {**whole, "plans": [plan], "runs": [], "instruments": []})


def _plain_site(app: Flask) -> None:
    """Give another organisation a site of many loads that costs little to compute: what is attacked is how it is stored."""
    requirement = {"key": "r", "name": "Client's own", "standby_h": 8.0, "method": "plain"}
    bank = {"chemistry": "lead_agm", "block_v": 12.0, "capacity_ah": 7.0, "rate_h": 20.0, "series": 1, "parallel": 1}
    figures = {
        "nominal_v": 12.0,
        "cutoff_v": 10.5,
        "output_limit_a": 2.0,
        "supply_current_a": 2.0,
        "charge_limit_a": 0.7,
        "charge_v": 13.65,
    }
    supplies = [{"key": f"s{n}", "name": f"Supply {n}", "kind": "boxed", "requirement": "r", "bank": bank, **figures} for n in range(4)]
    loads = [
        {
            "key": f"l{n}",
            "name": f"Detector {n}",
            "supply": f"s{n % 4}",
            "quantity": 2,
            "rail_v": 12.0,
            "behaviour": "constant_current",
            "standby": {"current_a": 0.01, "provenance": "estimate"},
        }
        for n in range(40)
    ]
    plan = {"key": "as-found", "name": "As found", "stage": "as_found", "supplies": supplies, "loads": loads}
    site = {"name": "Plain House", "typical_degc": 20.0, "min_degc": 5.0}
    _of_another_organisation(app, {"format": "ypomoni-site", "version": 1, "site": site, "requirements": [requirement], "plans": [plan]})


def _of_another_organisation(app: Flask, document: dict[str, Any]) -> None:
    with transaction(app.extensions["pool"]) as connection:
        passwords = Passwords(cheap=True)
        organisation_id = create_organisation(connection, OTHER)
        for email, password in OTHERS:
            create_account(connection, passwords, organisation_id=organisation_id, email=email, name="Ash", password=password)
        import_site(connection, Actor(organisation_id=organisation_id, account_id=None), read_site(document))


ATTACKS: dict[str, Callable[[float], list[str]]] = {
    "idle": _idle,
    "proxy": _proxy,
    "fair": _fair,
    "writers": _writers,
    "kills": _kills,
    "requests": _requests,
    "sites": _sites,
}


def _conninfo(app: Flask) -> str:
    return app.extensions["pool"].conninfo


@contextlib.contextmanager
def serving(conninfo: str, **more: str) -> Generator[tuple[int, int]]:
    """Run `ypomoni serve` on a database; gives its port and the number of its first process."""
    port = free_port()
    environment = {**os.environ, **more, "YPOMONI_DATABASE": conninfo, "YPOMONI_SECRET_KEY": SECRET, "YPOMONI_DEMO": "1"}
    command = [sys.executable, "-m", "ypomoni", "serve", "--port", str(port)]
    process = subprocess.Popen(command, env=environment, stderr=subprocess.DEVNULL)
    try:
        for _ in range(200):
            with contextlib.suppress(OSError):
                if json.load(urllib.request.urlopen(f"http://127.0.0.1:{port}/ready", timeout=5))["ready"]:
                    break
            time.sleep(0.2)
        yield port, process.pid
    finally:
        process.terminate()
        process.wait(20)


def free_port() -> int:
    """Return a port of loopback that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def children_of(pid: int) -> list[int]:
    """Return the processes that a process started."""
    found: list[int] = []
    for folder in Path("/proc").glob("[0-9]*"):
        with contextlib.suppress(OSError):
            state, parent = (folder / "stat").read_text().rpartition(") ")[2].split()[:2]
            if int(parent) == pid and state != "Z":
                found.append(int(folder.name))
    return found


if __name__ == "__main__":
    sys.exit(main())
