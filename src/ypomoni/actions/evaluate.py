"""Results of stored plans: only what was touched is computed, the rest comes from the store by digest of input and engine.

A request computes what is quickly done; the rest a worker does.
"""

import hashlib
import json
import logging
import threading
import time
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import resources
from typing import Any

from ypomoni.core.evaluation.effort import estimate_s
from ypomoni.core.evaluation.evaluate import failed, pending, summarise_plan, try_supply
from ypomoni.core.telling.results import PlanResult, SupplyResult
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.results_json import dump_supply_result, load_supply_result
from ypomoni.documents.site_file import SiteFile
from ypomoni.documents.site_model import PlanPart
from ypomoni.observing import FAILED_CALCULATIONS
from ypomoni.storage.connection import Connection
from ypomoni.storage.jobs import count_under_way, insert_job, select_asked
from ypomoni.storage.results import insert_results, select_results
from ypomoni.storage.workers import count_workers


def _engine_version() -> str:
    """Return a digest of the core's source and of what builds its input: a result of other code is never taken for one of this."""
    digest = hashlib.sha256()
    stack = [resources.files("ypomoni.core"), resources.files("ypomoni.documents"), resources.files("ypomoni.records")]
    while stack:
        for entry in sorted(stack.pop().iterdir(), key=lambda e: e.name):
            if entry.is_dir() and entry.name != "__pycache__":
                stack.append(entry)
            elif entry.name.endswith(".py"):
                digest.update(entry.name.encode() + entry.read_bytes())
    return digest.hexdigest()[:16]


ENGINE_VERSION = _engine_version()
MOST_KEPT = 1_024
# What one request may compute itself, with a worker to leave the rest to and without one. [s]
BUDGET_S = 1.5
ALONE_BUDGET_S = 4.0
MOST_FIGURES = 10
log = logging.getLogger("ypomoni")


class _Kept:
    """The results that were last asked for, as values: a lane that did not change is not read from the store again with every drop."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._results: OrderedDict[tuple[int, str], SupplyResult] = OrderedDict()
        self._working: dict[tuple[int, str], threading.Lock] = {}

    def find(self, organisation_id: int, digests: list[str]) -> dict[str, SupplyResult]:
        """Return the results of those digests that are kept."""
        with self._lock:
            return {d: self._results[organisation_id, d] for d in digests if (organisation_id, d) in self._results}

    def keep(self, organisation_id: int, digest: str, result: SupplyResult) -> None:
        """Keep a result, and let the oldest go where there are too many."""
        with self._lock:
            self._results[organisation_id, digest] = result
            self._results.move_to_end((organisation_id, digest))
            while len(self._results) > MOST_KEPT:
                self._results.popitem(last=False)

    @contextmanager
    def alone(self, organisation_id: int, digest: str) -> Iterator[SupplyResult | None]:
        """Be the only one to work on a result; who comes second waits, and gets it. A lane that is foreseen is often dropped on meanwhile."""
        key = (organisation_id, digest)
        with self._lock:
            lock = self._working.setdefault(key, threading.Lock())
        try:
            with lock:
                yield self.find(organisation_id, [digest]).get(digest)
        finally:
            with self._lock:
                self._working.pop(key, None)


_kept = _Kept()


def evaluate(connection: Connection, organisation_id: int, plans: list[tuple[SiteFile, str]]) -> list[PlanResult]:
    """Return the results of plans, each given as its site and its key. One look into the store for all of them.

    What would take a request too long is left to a worker: such a supply has a result that says so (`is_pending`), and is to be asked for again.
    """
    wanted: list[tuple[SiteFile, Plan, list[str]]] = []
    for site_file, key in plans:
        part = next(p for p in site_file.plans if p.key == key)
        core = to_core_plan(site_file, key)
        wanted.append((site_file, core, digests_of(site_file, part)))
    asked = [d for _, _, digests in wanted for d in digests]
    kept = _kept.find(organisation_id, asked)
    missing = [d for d in asked if d not in kept]
    stored = select_results(connection, organisation_id, ENGINE_VERSION, missing) if missing else {}
    for digest, body in stored.items():
        kept[digest] = load_supply_result(body)
        _kept.keep(organisation_id, digest, kept[digest])
    work = _Work(connection, organisation_id)
    found: list[PlanResult] = []
    for site_file, core, digests in wanted:
        late: list[str] = []
        results: list[SupplyResult] = []
        for supply, digest in zip(core.supplies, digests, strict=True):
            if digest not in kept:
                result = work.result_of(core, supply, digest)
                if result is None:
                    late.append(digest)
                else:
                    kept[digest] = result
            results.append(kept[digest] if digest in kept else _pending(organisation_id, core, supply, digest))
        if late and work.ask(site_file, core.key, late):
            # The worker gave up on them: that is said, and nobody waits for them any more.
            given_up = set(late)
            results = [failed(core, s) if d in given_up else r for s, d, r in zip(core.supplies, digests, results, strict=True)]
        found.append(summarise_plan(core, tuple(results)))
    work.keep()
    return found


def _pending(organisation_id: int, plan: Plan, supply: Supply, digest: str) -> SupplyResult:
    """Return what is said of a supply until a worker is done with it. Kept, since its page asks again and again meanwhile."""
    key = f"pending {digest}"
    found = _kept.find(organisation_id, [key]).get(key)
    if found is None:
        found = pending(plan, supply)
        _kept.keep(organisation_id, key, found)
    return found


class _Work:
    """What one request computes itself, and what it leaves to a worker."""

    def __init__(self, connection: Connection, organisation_id: int) -> None:
        self.connection, self.organisation_id = connection, organisation_id
        self.spent_s = 0.0
        self.bodies: dict[str, str] = {}
        self._budget_s: float | None = None

    @property
    def budget_s(self) -> float:
        """What may be computed here. Without a worker it is more, so that each request gets further; asked for once."""
        if self._budget_s is None:
            self._budget_s = BUDGET_S if count_workers(self.connection) else ALONE_BUDGET_S
        return self._budget_s

    def result_of(self, plan: Plan, supply: Supply, digest: str) -> SupplyResult | None:
        """Return a supply's result, computed now, or None where that has to be left to a worker."""
        if self.spent_s + estimate_s(supply, plan.loads_on(supply.key)) > self.budget_s:
            return None
        began_s = time.monotonic()
        with _kept.alone(self.organisation_id, digest) as found_meanwhile:
            if found_meanwhile is not None:
                return found_meanwhile
            result, is_good = try_computing(plan, supply)
            self.spent_s += time.monotonic() - began_s
            if is_good:
                self.bodies[digest] = dump_supply_result(result)
                _kept.keep(self.organisation_id, digest, result)
            return result

    def ask(self, site_file: SiteFile, plan_key: str, digests: list[str]) -> bool:
        """Put supplies into the queue, unless they are in it already; says whether a worker tried in vain."""
        input_digest = hashlib.sha256("".join(sorted(digests)).encode()).hexdigest()
        known = select_asked(self.connection, self.organisation_id, "figures", input_digest)
        if known is not None and known["state"] in ("queued", "running", "failed"):
            return known["state"] == "failed"
        if count_under_way(self.connection, self.organisation_id, "figures") >= MOST_FIGURES:
            return False
        alone = site_file.model_copy(update={"plans": [p for p in site_file.plans if p.key == plan_key], "runs": []})
        values = {
            "organisation_id": self.organisation_id,
            "kind": "figures",
            "plan_id": None,
            "account_id": None,
            "plan_key": plan_key,
            "objective": "",
            "search_s": 0.0,
            "input_digest": input_digest,
            "input": json.dumps({"site": alone.model_dump(mode="json"), "digests": digests}),
        }
        insert_job(self.connection, values)
        return False

    def keep(self) -> None:
        """Store what was computed."""
        if self.bodies:
            insert_results(self.connection, self.organisation_id, ENGINE_VERSION, self.bodies)


def try_computing(plan: Plan, supply: Supply) -> tuple[SupplyResult, bool]:
    """Return a supply's result, and whether its calculation went through; one that fails is named, noted and never kept."""
    result, error = try_supply(plan, supply)
    if error is not None:
        FAILED_CALCULATIONS.inc()
        log.error("the calculation of supply %r failed", supply.key, exc_info=error)
    return result, error is None


def missing_count(connection: Connection, organisation_id: int, site_file: SiteFile, plan_key: str) -> int:
    """Return how many supplies of a plan would have to be computed now."""
    digests = digests_of(site_file, next(p for p in site_file.plans if p.key == plan_key))
    stored = select_results(connection, organisation_id, ENGINE_VERSION, digests)
    return sum(digest not in stored for digest in digests)


def digests_of(site_file: SiteFile, plan: PlanPart) -> list[str]:
    """Return for each supply a digest of everything its result depends on."""
    requirements = {r.key: r.model_dump(mode="json") for r in site_file.requirements}
    loads: dict[str | None, list[Any]] = {}
    for load in plan.loads:
        loads.setdefault(load.supply, []).append(load.model_dump(mode="json"))
    readings: dict[str, list[Any]] = {}
    for reading in plan.readings:
        readings.setdefault(reading.point, []).append(reading.model_dump(mode="json"))
    points: dict[str, list[Any]] = {}
    for point in plan.points:
        points.setdefault(point.supply, []).append([point.model_dump(mode="json"), readings.get(point.key, [])])
    shared = [site_file.site.typical_degc, site_file.site.min_degc, [p.model_dump(mode="json") for p in site_file.places]]
    shared.append([b.model_dump(mode="json") for b in site_file.stock])
    selectors = [s.model_dump(mode="json") for s in plan.selectors]
    tests = [t.model_dump(mode="json") for t in plan.tests]
    meters = [i.model_dump(mode="json") for i in site_file.instruments]
    return [
        hashlib.sha256(
            json.dumps(
                [
                    supply.model_dump(mode="json"),
                    requirements[supply.requirement],
                    loads.get(supply.key, []),
                    [[s, loads.get(s["key"], [])] for s in selectors if supply.key in s["inputs"]],
                    [t for t in tests if t["supply"] == supply.key],
                    shared,
                    # Without points there are no readings, and no instrument matters.
                    [points[supply.key], meters] if supply.key in points else [],
                ]
            ).encode()
        ).hexdigest()
        for supply in plan.supplies
    ]
