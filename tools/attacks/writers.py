"""Many people writing to one plan at once, with processes killed meanwhile or not: nothing that was acknowledged is lost, nothing is half there."""

import http.client
import json
import random
import re
import threading
import time
import urllib.parse
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import psycopg
from psycopg.rows import DictRow, dict_row


@dataclass
class Outcome:
    """What came of it: answers by status (0: none came), the batches acknowledged, and what did not hold."""

    statuses: Counter[int] = field(default_factory=Counter)
    acknowledged: set[str] = field(default_factory=set)
    lost: list[str] = field(default_factory=list)
    halves: list[str] = field(default_factory=list)
    rounds: int = 0


class Person:
    """Somebody with a browser, signed in."""

    def __init__(self, port: int, email: str, password: str) -> None:
        self.port, self.cookies = port, {}
        self.token = self._token(self.send("GET", "/sign-in")[1])
        status, _ = self.send("POST", "/sign-in", {"csrf_token": self.token, "email": email, "password": password})
        if status != 302:
            raise RuntimeError(f"signing in was answered with {status}")
        self.token = self._token(self.send("GET", "/people/")[1])

    def send(self, method: str, address: str, data: dict[str, Any] | None = None) -> tuple[int, str]:
        """Return status and body; status 0 where no answer came."""
        headers = {"Host": "127.0.0.1", "Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items())}
        if data is not None:
            headers["Content-Type"] = "application/x-www-form-urlencoded"
            if "csrf_token" not in data:
                headers |= {"X-CSRFToken": self.token, "X-Requested-With": "ypomoni"}
        try:
            connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=30)
            connection.request(method, address, None if data is None else urllib.parse.urlencode(data), headers)
            answer = connection.getresponse()
            body = answer.read().decode("utf-8", "replace")
            for name, value in answer.getheaders():
                if name.lower() == "set-cookie":
                    key, _, rest = value.partition("=")
                    self.cookies[key] = rest.partition(";")[0]
            connection.close()
        except (OSError, http.client.HTTPException):
            return 0, ""
        return answer.status, body

    @staticmethod
    def _token(html: str) -> str:
        found = re.search(r'name="csrf_token" value="([^"]+)"', html)
        if found is None:
            raise RuntimeError("there is no token on the page")
        return found[1]


def attack_plan(
    conninfo: str, port: int, people: list[tuple[str, str]], *, organisation: str, writers: int, until: Callable[[Outcome], None]
) -> Outcome:
    """Let so many people edit cells and move loads of an organisation's first plan until ``until`` returns, and compare what is there after."""
    outcome, lock, over = Outcome(), threading.Lock(), threading.Event()
    with psycopg.Connection[DictRow].connect(conninfo, row_factory=dict_row) as connection:
        plan = _first_plan(connection, organisation)
        loads = connection.execute("SELECT id, version, quantity FROM load WHERE plan_id = %s AND removed_at IS NULL", (plan,)).fetchall()
        supplies = [r["id"] for r in connection.execute("SELECT id FROM supply WHERE plan_id = %s AND removed_at IS NULL", (plan,))]
    # Each signs in once, and works in several windows.
    signed_in = [Person(port, *entry) for entry in people]

    def write(n: int) -> None:
        draw, person = random.Random(n), signed_in[n % len(signed_in)]
        versions = {load["id"]: load["version"] for load in loads}
        while not over.is_set():
            load = draw.choice(loads)
            sent = versions[load["id"]]
            if draw.random() < 0.7:
                data = {"cell": "quantity", "text": str(draw.randint(1, 9)), "version": sent, "sure": "1"}
                status, body = person.send("POST", f"/loads/{load['id']}/cell", data)
            else:
                data = {"piece": f"{load['id']}:{sent}:1", "supply": draw.choice(supplies), "anyway": "1"}
                status, body = person.send("POST", f"/plans/{plan}/move", data)
            answer = json.loads(body) if body.startswith("{") else {}
            if isinstance(answer.get("row"), dict):
                versions[load["id"]] = answer["row"]["version"]
            batch = re.search(r"([0-9a-f]{32})", answer.get("undo") or "")
            with lock:
                outcome.statuses[status] += 1
                # A cell that was set to what it held already is answered, and is no edit.
                if (status == 200 and batch and versions[load["id"]] != sent) or (status == 200 and batch and "notice" in answer):
                    outcome.acknowledged.add(batch[1])
            if status in (0, 503):
                time.sleep(0.2)

    threads = [threading.Thread(target=write, args=(n,)) for n in range(writers)]
    for thread in threads:
        thread.start()
    try:
        until(outcome)
    finally:
        # Also where it fails: the writers would go on for ever, and the failure would never be seen.
        over.set()
        for thread in threads:
            thread.join()
    _compare(conninfo, plan, outcome)
    return outcome


def _compare(conninfo: str, plan: int, outcome: Outcome) -> None:
    """Find what was acknowledged and is not in the log, and loads that are not as the log last says."""
    with psycopg.Connection[DictRow].connect(conninfo, row_factory=dict_row) as connection:
        there = {r["batch"] for r in connection.execute("SELECT DISTINCT batch FROM change WHERE batch IS NOT NULL")}
        outcome.lost = sorted(outcome.acknowledged - there)
        last = """SELECT DISTINCT ON (aggregate_id) aggregate_id, after FROM change
            WHERE aggregate = 'load' AND after IS NOT NULL ORDER BY aggregate_id, id DESC"""
        said = {r["aggregate_id"]: r["after"] for r in connection.execute(last)}
        for row in connection.execute("SELECT id, quantity, supply_id, version FROM load WHERE plan_id = %s", (plan,)):
            then = said.get(row["id"])
            if then is not None and any(then[k] != row[k] for k in ("quantity", "supply_id", "version")):
                outcome.halves.append(f"load {row['id']}: {row} in the table, { ({k: then[k] for k in row}) } in the log")


def _first_plan(connection: psycopg.Connection[DictRow], organisation: str) -> int:
    statement = """SELECT plan.id FROM plan JOIN organisation ON organisation.id = plan.organisation_id
        WHERE organisation.name = %s ORDER BY plan.id LIMIT 1"""
    row = connection.execute(statement, (organisation,)).fetchone()
    if row is None:
        raise RuntimeError(f"{organisation} has no plan")
    return row["id"]
