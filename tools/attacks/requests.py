"""Generated requests over all addresses, signed in, as another organisation and as nobody, in sequences: none may be answered with a fault of ours."""

import random
import re
from dataclasses import dataclass, field
from io import BytesIO
from typing import Any

import psycopg
from flask import Flask
from flask.testing import FlaskClient
from psycopg import sql
from psycopg.rows import DictRow, dict_row

# The first is a file, the second ends what is attacked, the third says 503 on purpose where no worker runs.
NOT_ASKED = ("static", "auth.sign_out", "observed.ready")
HOSTILE = (
    "",
    "0",
    "-1",
    "1",
    "2",
    "9" * 30,
    "9" * 5000,
    "1e308",
    "5e-324",
    "NaN",
    "-0.0",
    "١٢",
    "\x00",
    "a\r\nb: c",
    "\ud800".encode("utf-8", "surrogatepass").decode("utf-8", "replace"),
    "<script>alert(1)</script>",
    "' OR 1=1 --",
    "%s%n{0}{{7*7}}",
    "../../etc/passwd",
    "as-found",
    "x" * 20_000,
    "12 V 7 Ah",
    "0.35 A; 10 h; 12.2 V on the way",
    "1:0:9",
    "1,2,3",
    "true",
    "null",
    "[]",
    '{"a": 1}',
    "ab" * 16,
)
FILES = (
    b"",
    b"PK\x03\x04",
    b"sep=,",
    b"\xff\xfe",
    b"\xff\xfea",
    b"{}",
    b"[" * 5000,
    b"a;b\n1;2\n",
    b"\x00\x01",
    b'"' * 200_000,
    b"9" * 5000,
)
FIELDS = [
    "name",
    "cell",
    "text",
    "version",
    "value",
    "token",
    "piece",
    "supply",
    "supply_id",
    "plan",
    "plan_id",
    "place",
    "quantity",
    "standby",
    "alarm",
    "bursts-0-name",
    "bursts-0-current_a",
    "load",
    "ids",
    "action",
    "field",
    "regions",
    "show_find",
    "show_shown",
    "tree_supply",
    "tree_state",
    "board_mode",
    "board_job",
    "board_option",
    "board_shut",
    "since",
    "objective",
    "long",
    "option",
    "only",
    "anyway",
    "sure",
    "once",
    "next",
    "email",
    "password",
    "code",
    "role",
    "new",
    "current",
    "choice",
    "key",
    "kind",
    "chemistry",
    "capacity_ah",
    "rate_h",
    "block_v",
    "series",
    "parallel",
    "charge_v",
    "cutoff_v",
    "hours",
    "degc",
    "taken_at",
    "state",
    "mains",
    "value_a",
    "point",
    "point_id",
    "instrument",
    "hookup",
    "reason",
    "supersedes",
    "sheet",
    "heading",
    "map-0",
    "unit-0",
    "add_part",
    "rows",
    "table",
]


@dataclass
class Outcome:
    """What came of it: answers by kind, and what did not hold."""

    asked: int = 0
    by_kind: dict[str, int] = field(default_factory=dict)
    faults: list[str] = field(default_factory=list)


def attack_requests(
    app: Flask, conninfo: str, clients: dict[str, FlaskClient], tokens: dict[str, str], count: int, seed: int = 1
) -> Outcome:
    """Send so many requests, each client in turn, with ids that are there, ids that are not, and texts that mean harm."""
    draw, outcome = random.Random(seed), Outcome()
    rules = [r for r in app.url_map.iter_rules() if r.endpoint not in NOT_ASKED]
    ids = _ids(conninfo)
    for n in range(count):
        if n % 2000 == 1999:
            ids = _ids(conninfo)
        who = draw.choice(list(clients))
        rule = draw.choice(rules)
        method = draw.choice(sorted((rule.methods or set()) & {"GET", "POST"}))
        address = _address(draw, rule.rule, ids)
        kwargs: dict[str, Any] = {"query_string": _values(draw, ids) if draw.random() < 0.5 else None}
        if draw.random() < 0.5:
            kwargs["headers"] = {"X-Requested-With": "ypomoni", "X-CSRFToken": tokens.get(who, "")}
        if method == "POST":
            data = _values(draw, ids) | ({"csrf_token": tokens[who]} if who in tokens else {})
            if draw.random() < 0.15:
                data |= {"file": (BytesIO(draw.choice(FILES)), draw.choice(["t.csv", "t.xlsx", "t.json", "\x00", "a" * 300]))}
            kwargs["data"] = data
        try:
            answer = clients[who].open(address, method=method, **kwargs)
        except Exception as error:
            outcome.faults.append(f"{who} {method} {address!r} raised {type(error).__name__}: {error} {str(kwargs)[:800]}")
            continue
        outcome.asked += 1
        kind = f"{answer.status_code // 100}xx"
        outcome.by_kind[kind] = outcome.by_kind.get(kind, 0) + 1
        if answer.status_code >= 500 or b"Traceback" in answer.data:
            outcome.faults.append(f"{who} {method} {address!r} {answer.status_code} {str(kwargs)[:800]}")
        if who != "owner" and b"Brackwater" in answer.data:
            outcome.faults.append(f"{who} saw what is the owner's: {method} {address!r}")
    return outcome


def _ids(conninfo: str) -> dict[str, list[Any]]:
    tables = (
        "site",
        "plan",
        "supply",
        "load",
        "point",
        "reading",
        "place",
        "requirement",
        "instrument",
        "stock",
        "device",
        "profile",
        "job",
        "account",
    )
    with psycopg.Connection[DictRow].connect(conninfo, row_factory=dict_row) as connection:
        found: dict[str, list[Any]] = {
            t: [r["id"] for r in connection.execute(sql.SQL("SELECT id FROM {} ORDER BY id LIMIT 200").format(sql.Identifier(t)))]
            for t in tables
        }
        found["batch"] = [r["batch"] for r in connection.execute("SELECT DISTINCT batch FROM change WHERE batch IS NOT NULL LIMIT 100")]
        found["version"] = [1, 2, 3]
    return found


def _address(draw: random.Random, rule: str, ids: dict[str, list[Any]]) -> str:
    def fill(found: re.Match[str]) -> str:
        converter, name = found[1] or "", found[2]
        if converter.startswith("any("):
            return draw.choice(converter[4:-2].split(", "))
        known = ids.get(name.removesuffix("_id")) or ids.get("load") or [1]
        if converter.startswith("int") or name.endswith("_id"):
            return str(draw.choice([*known[:30], 0, 10**9, 2**63, 10**25]))
        if name == "name":
            return draw.choice(["site", "plan", "requirement", "supply", "load", "place", "run", "point", "instrument", "stock", "x"])
        if name == "batch":
            return str(draw.choice([*ids["batch"], "ab" * 16, "x"]))
        return draw.choice(
            ["as-found", "proposal", "main-panel", "bay-a", "holdover", "load-keypad", "csv", "xlsx", "x" * 300, "%00", "a%0d%0ab"]
        )

    return re.sub(r"<(?:([^>:]+(?:\([^)]*\))?):)?([^>]+)>", fill, rule)


def _values(draw: random.Random, ids: dict[str, list[Any]]) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for name in draw.sample(FIELDS, draw.randint(0, 8)):
        known = ids.get(name.removesuffix("_id"))
        values[name] = str(draw.choice(known)) if known and draw.random() < 0.6 else draw.choice(HOSTILE)
    return values
