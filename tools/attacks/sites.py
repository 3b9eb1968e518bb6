"""Extreme but accepted site files: none may raise, none may take more than five seconds a supply."""

import copy
import json
import random
import time
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from importlib import resources
from typing import Any

from ypomoni.core.evaluation.evaluate import try_supply
from ypomoni.documents.faults import DocumentFaults
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.site_file import SiteFile, json_schema, read_site

MOST_S = 5.0
STRANGE = (0.0, 5e-324, 1e-300, 1e-9, 1e-3, 1.0, 1e3, 1e9, 1e300, -1.0, 1 / 3, 59.999, 0.1 + 0.2)


@dataclass
class Outcome:
    """What came of it: files tried, files accepted, supplies computed, and what did not hold."""

    tried: int = 0
    accepted: int = 0
    supplies: int = 0
    slowest_s: float = 0.0
    faults: list[str] = field(default_factory=list)


def attack_sites(count: int, seed: int = 1, most_s: float = MOST_S) -> Outcome:
    """Compute so many accepted files, each a sound one with a few figures pushed to where they may just be; none may take longer. [s]"""
    draw, outcome, schema = random.Random(seed), Outcome(), json_schema()
    seeds = list(_sound_files())
    while outcome.accepted < count:
        outcome.tried += 1
        found = copy.deepcopy(draw.choice(seeds))
        _grow(draw, found)
        # A number that is pushed stays one, so they are looked for once.
        numbers = list(_numbers(found, schema, schema))
        pushed = [_push(draw, numbers) for _ in range(draw.randint(1, 8))]
        try:
            site_file = _read_what_is_left(found, pushed)
        except Exception as error:
            outcome.faults.append(f"reading raised {type(error).__name__}: {error}: {json.dumps(found)[:3000]}")
            continue
        if site_file is None:
            continue
        outcome.accepted += 1
        for part in site_file.plans:
            plan = to_core_plan(site_file, part.key)
            for supply in plan.supplies:
                began_s = time.process_time()
                _, error = try_supply(plan, supply)
                lasted_s = time.process_time() - began_s
                outcome.supplies += 1
                outcome.slowest_s = max(outcome.slowest_s, lasted_s)
                if error is not None:
                    outcome.faults.append(
                        f"{type(error).__name__}: {error} at {_where(error)}: {json.dumps(_alone(found, part.key, supply.key))}"
                    )
                if lasted_s > most_s:
                    outcome.faults.append(f"took {lasted_s:.1f} s: {json.dumps(_alone(found, part.key, supply.key))}")
    return outcome


def _where(error: BaseException) -> str:
    trace = error.__traceback__
    while trace and trace.tb_next:
        trace = trace.tb_next
    return f"{trace.tb_frame.f_code.co_filename.rpartition('/')[2]}:{trace.tb_lineno}" if trace else ""


def _alone(document: dict[str, Any], plan_key: str, supply_key: str) -> dict[str, Any]:
    plan = next(p for p in document["plans"] if p["key"] == plan_key)
    return {
        "site": document["site"],
        "requirements": document["requirements"],
        "supply": next(s for s in plan["supplies"] if s["key"] == supply_key),
        "loads": [load for load in plan["loads"] if load.get("supply") == supply_key],
    }


def _sound_files() -> Iterator[dict[str, Any]]:
    """Yield site files that are sound: the demo's, one plan and one supply at a time."""
    for file in resources.files("ypomoni.actions").joinpath("demo").iterdir():
        if file.name.endswith(".json"):
            whole = read_site(json.loads(file.read_text())).model_dump(mode="json")
            for plan in whole["plans"]:
                for supply in plan["supplies"]:
                    # What several inputs feed hangs on each of them here.
                    feeds = {supply["key"], *(s["key"] for s in plan["selectors"] if supply["key"] in s["inputs"])}
                    loads = [{**load, "supply": supply["key"]} for load in plan["loads"] if load["supply"] in feeds]
                    tests = [test for test in plan["tests"] if test["supply"] == supply["key"]]
                    alone = {**plan, "supplies": [{**supply, "totals": []}], "loads": loads, "tests": tests}
                    alone |= {"selectors": [], "points": [], "readings": []}
                    yield {**whole, "plans": [alone], "runs": [], "instruments": []}


def _grow(draw: random.Random, document: dict[str, Any]) -> None:
    """Give some loads bursts, a converter, a cable, heaters: what a sound file has few of."""
    for load in document["plans"][0]["loads"]:
        load["standby"]["reading"] = None
        if load["alarm"]:
            load["alarm"]["reading"] = None
        if draw.random() < 0.4:
            load["bursts"] = list(_bursts(draw, draw.choice([1, 2, 5, 20])))
        if draw.random() < 0.2:
            load["cable"] = {"length_m": draw.choice([0.001, 30.0, 10_000.0]), "section_mm2": draw.choice([0.01, 0.5, 300.0])}
        if draw.random() < 0.1:
            load["quantity"] = draw.choice([1, 7, 64, 999, 10_000])


def _bursts(draw: random.Random, most: int) -> Iterator[dict[str, Any]]:
    """Yield up to so many bursts of one load; together they are on for no more than all the time."""
    left_s = 3_600.0
    for n in range(most):
        duration_s = draw.choice([0.001, 0.5, 7.3, 60.0, 3600.0])
        per_hour = draw.choice([0.001, 0.01, 0.37, 1.0, 3.9, 59.1, 1234.5])
        if duration_s * per_hour > left_s:
            continue
        left_s -= duration_s * per_hour
        yield {
            "name": f"b{n}",
            "current_a": draw.choice([0.0, 0.01, 0.5, 5.0, 999.0]),
            "duration_s": duration_s,
            "per_hour": per_hour,
            "offset_s": draw.choice([0.0, 1e-9, 77.7, 3599.0]),
            "during": draw.choice(["always", "alarm"]),
        }


@dataclass
class _Pushed:
    """A number of a file that was set to something else: where it stands, and what it was."""

    path: str
    holder: Any
    key: Any
    before: float

    def take_back(self) -> None:
        self.holder[self.key] = self.before


def _read_what_is_left(document: dict[str, Any], pushed: list[_Pushed]) -> SiteFile | None:
    """Read a file; what is refused of it is taken back until the rest is accepted. None where nothing that was pushed is accepted."""
    while pushed:
        try:
            return read_site(document)
        except DocumentFaults as error:
            blamed = [p for p in pushed if any(p.path.startswith(f.path) for f in error.faults if f.path)]
            # The field a fault stands beside need not be the one that was pushed.
            beside = blamed or [p for p in pushed if any(p.path.startswith(f.path.rpartition(".")[0]) for f in error.faults)]
            for push in reversed(beside or pushed[-1:]):
                push.take_back()
                pushed.remove(push)
    return None


def _push(draw: random.Random, numbers: list[tuple[str, Any, Any, dict[str, Any]]]) -> _Pushed:
    """Set one number of the file to an extreme that its field takes."""
    path, holder, key, limits = draw.choice(numbers)
    least = limits.get("minimum", limits.get("exclusiveMinimum", -1e9))
    most = limits.get("maximum", limits.get("exclusiveMaximum", 1e9))
    choices = [least, most, least + (most - least) * 1e-9, most - (most - least) * 1e-9, *(s for s in STRANGE if least <= s <= most)]
    value = draw.choice(choices)
    pushed = _Pushed(path, holder, key, holder[key])
    holder[key] = int(value) if limits.get("type") == "integer" else float(value)
    return pushed


def _numbers(value: Any, schema: dict[str, Any], root: dict[str, Any], path: str = "") -> Iterator[tuple[str, Any, Any, dict[str, Any]]]:
    """Yield every number of a file: its path, what holds it, its key and its limits."""
    schema = _resolved(schema, root)
    entries: Iterable[tuple[Any, Any]] = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, entry in entries:
        named = isinstance(value, dict)
        own = _resolved(schema.get("properties", {}).get(key, {}) if named else schema.get("items", {}), root)
        deeper = f"{path}.{key}".lstrip(".") if named else f"{path}[{key}]"
        if isinstance(entry, (int, float)) and not isinstance(entry, bool):
            if own.get("type") in ("number", "integer") and key != "version":
                yield deeper, value, key, own
        else:
            yield from _numbers(entry, own, root, deeper)


def _resolved(schema: dict[str, Any], root: dict[str, Any]) -> dict[str, Any]:
    """Return a part of the schema with its reference followed; of several kinds the one that is not null."""
    if "$ref" in schema:
        return _resolved(root["$defs"][schema["$ref"].rpartition("/")[2]], root)
    for kinds in ("anyOf", "oneOf"):
        if kinds in schema:
            return _resolved(next((s for s in schema[kinds] if s.get("type") != "null"), {}), root)
    return schema
