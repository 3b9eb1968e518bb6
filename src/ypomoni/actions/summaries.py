"""The lists of sites and of what is due, from what is kept of each site; and working out again what is stale of it."""

import json
import logging
import math
import time
from dataclasses import dataclass
from datetime import date, timedelta

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import read_document
from ypomoni.actions.errors import Unreadable
from ypomoni.actions.evaluate import ALONE_BUDGET_S, BUDGET_S, ENGINE_VERSION
from ypomoni.actions.site_tree import SiteTree, read_trees
from ypomoni.actions.upkeep import known_of, shown_plan
from ypomoni.core.evaluation.effort import estimate_s
from ypomoni.core.evaluation.listing import list_plan
from ypomoni.core.proof.upkeep import DueItem, DueKind, Known, due_items
from ypomoni.core.telling.results import PlanResult
from ypomoni.documents.faults import Fault
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.results_json import dump_plan_result, load_plan_result
from ypomoni.observing import FAILED_CALCULATIONS
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.storage.connection import Connection, commit
from ypomoni.storage.kept import SITE
from ypomoni.storage.proof import last_read_by_site
from ypomoni.storage.summaries import (
    ORDERS,
    claim_stale,
    count_due,
    count_loads,
    count_matching,
    count_summaries,
    keep_summaries,
    list_due,
    list_summaries,
    pattern_of,
    release,
    select_touched,
)
from ypomoni.storage.workers import count_workers

# How much longer a battery holds its hours is told from today on; after so many days it is worked out again.
FRESH_D = 7
PAGE_COUNT = 25
MOST_DUE = 200
FAR_ON = date(9999, 12, 31)
BATCH_COUNT = 25
# Of a site with more loads than this not even the reading is a page's own: it would be read again for every page until a worker has been there.
MOST_LOADS_OF_PAGE = 400
# How long whoever took a site is waited for, and how often a site is tried that never came to anything. [s]
CLAIMED_S, MOST_TRIES = 120.0, 3
log = logging.getLogger("ypomoni")


@dataclass(frozen=True, slots=True, kw_only=True)
class Sought:
    """What is sought in the list of sites: words of the name, a verdict, due within so many days, in which order, which page."""

    words: str = ""
    verdict: str = ""
    due_within_d: int | None = None
    by: str = ""
    page: int = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class ListedSite:
    """A site as it is listed. ``result`` is None where it cannot be read (``faults``) or was never worked out; stale ones are as they were."""

    site: Row
    plan_key: str | None
    verdict: str
    result: PlanResult | None
    faults: tuple[Fault, ...]
    is_stale: bool
    measured_on: date | None
    next_what: str | None
    next_on: date | None


@dataclass(frozen=True, slots=True, kw_only=True)
class SiteList:
    """A page of the list of sites, how many are sought, how many there are, and of how many the figures are as they were before a change."""

    sites: tuple[ListedSite, ...]
    sought_count: int
    sites_count: int
    stale_count: int
    page: int
    pages_count: int


@dataclass(frozen=True, slots=True, kw_only=True)
class DueAt:
    """One thing that is due, and where."""

    site_id: int
    site_name: str
    plan_key: str
    item: DueItem


@dataclass(frozen=True, slots=True, kw_only=True)
class DueList:
    """What is due at all sites, the soonest first, how much there is in all, and how many sites are still being worked out again."""

    items: tuple[DueAt, ...]
    count: int
    stale_count: int


def find_sites(connection: Connection, actor: Actor, sought: Sought, today: date) -> SiteList:
    """Return a page of the organisation's sites. What is stale among them is worked out first, as far as a request may."""
    asked = _asked(actor, sought.words, today) | {
        "verdict": sought.verdict,
        "due_until": None if sought.due_within_d is None else today + timedelta(days=sought.due_within_d),
        "most": PAGE_COUNT,
    }
    by = sought.by if sought.by in ORDERS else ""
    work = _Work(connection, actor.organisation_id, today)
    sites_count, stale_count = work.on_few(*count_summaries(connection, asked), asked)
    sought_count = count_matching(connection, asked)
    pages_count = max(1, -(-sought_count // PAGE_COUNT))
    page = min(max(1, sought.page), pages_count)
    asked |= {"skipped": (page - 1) * PAGE_COUNT}
    rows = list_summaries(connection, asked, by)
    shown_stale = [row["id"] for row in rows if row["is_stale"]]
    if shown_stale and work.on(shown_stale):
        rows = list_summaries(connection, asked, by)
        _, stale_count = count_summaries(connection, asked)
    return SiteList(
        sites=tuple(_listed(row) for row in rows),
        sought_count=sought_count,
        sites_count=sites_count,
        stale_count=stale_count,
        page=page,
        pages_count=pages_count,
    )


def find_due(
    connection: Connection, actor: Actor, words: str, kind: str, today: date, *, until: date = FAR_ON, most: int = MOST_DUE
) -> DueList:
    """Return what is due at the organisation's sites until a day. What is stale is worked out first, as far as a request may."""
    asked = _asked(actor, words, today) | {"kind": kind, "until": until, "most": most}
    work = _Work(connection, actor.organisation_id, today)
    _, stale_count = work.on_few(*count_summaries(connection, asked), asked)
    items = tuple(_due(row) for row in list_due(connection, asked))
    return DueList(items=items, count=count_due(connection, asked), stale_count=stale_count)


def _asked(actor: Actor, words: str, today: date) -> Row:
    return {
        "organisation_id": actor.organisation_id,
        "engine": ENGINE_VERSION,
        "fresh_since": fresh_since(today),
        "today": today,
        "words": pattern_of(words),
    }


def _listed(row: Row) -> ListedSite:
    kept = json.loads(row["body"]) if row["body"] else {}
    faults = tuple(Fault(path, message) for path, message in kept.get("faults", []))
    result = _as_kept(kept.get("result"))
    return ListedSite(
        site={key: row[key] for key in ("id", "name", "version")},
        plan_key=row["plan_key"],
        verdict=row["verdict"],
        result=result,
        faults=faults,
        is_stale=row["is_stale"],
        measured_on=row["measured_on"],
        next_what=row["next_what"],
        next_on=row["next_on"],
    )


def _as_kept(body: Row | None) -> PlanResult | None:
    """Return a result as it was kept; None where there is none, or where another engine kept it in a shape that is not ours any more."""
    try:
        return load_plan_result(json.dumps(body)) if body else None
    except ValueError:
        return None


def _due(row: Row) -> DueAt:
    item = DueItem(
        key=row["item_key"], kind=DueKind(row["kind"]), what=row["what"], why=row["why"], due_on=row["due_on"], supply_key=row["supply_key"]
    )
    return DueAt(site_id=row["site_id"], site_name=row["name"], plan_key=row["plan_key"], item=item)


# -- working them out ------------------------------------------------------------------------------------------------------------------


class _Work:
    """What one request works out again; the rest a worker does."""

    def __init__(self, connection: Connection, organisation_id: int, today: date) -> None:
        self.connection, self.organisation_id, self.today = connection, organisation_id, today
        self.has_worker = count_workers(connection) > 0
        self.left_s = BUDGET_S if self.has_worker else ALONE_BUDGET_S
        # What was too much for this request is not tried again by it.
        self.too_much: set[int] = set()

    def on_few(self, sites_count: int, stale_count: int, asked: Row) -> tuple[int, int]:
        """Work out all that is stale where it is so little: then order and counts are right as well. Returns both counts as they are then."""
        if not 0 < stale_count <= PAGE_COUNT:
            return sites_count, stale_count
        taken = take_stale(self.connection, self.organisation_id, self.today, most=PAGE_COUNT)
        done = self.on(taken)
        if len(done) < len(taken):
            release(self.connection, self.organisation_id, [n for n in taken if n not in done])
            commit(self.connection)
        return count_summaries(self.connection, asked) if done else (sites_count, stale_count)

    def on(self, site_ids: list[int]) -> set[int]:
        """Work out some sites as far as time allows, and return which."""
        began_s = time.monotonic()
        untried = [n for n in site_ids if n not in self.too_much]
        loads = count_loads(self.connection, self.organisation_id, untried) if self.has_worker and untried else {}
        tried = [n for n in untried if loads.get(n, 0) <= MOST_LOADS_OF_PAGE]
        done = refresh(self.connection, self.organisation_id, tried, self.today, budget_s=self.left_s)
        self.too_much.update(n for n in untried if n not in done)
        self.left_s -= time.monotonic() - began_s
        return done


def fresh_since(today: date) -> date:
    """Return the day before which a summary is stale, whatever has changed."""
    return today - timedelta(days=FRESH_D)


def take_stale(connection: Connection, organisation_id: int, today: date, *, most: int) -> list[int]:
    """Take some sites whose summary is stale, so that nobody else works on them meanwhile. Commits: nothing is computed while a lock is held."""
    taken = claim_stale(
        connection, organisation_id, ENGINE_VERSION, fresh_since(today), most=most, lasts_s=CLAIMED_S, most_tries=MOST_TRIES
    )
    commit(connection)
    return taken


def refresh(connection: Connection, organisation_id: int, site_ids: list[int], today: date, *, budget_s: float = math.inf) -> set[int]:
    """Work out what is kept of some sites of an organisation, as far as a budget allows, and return which. Commits what it has.

    What a page cannot wait for stays as it is.
    """
    began_s, done = time.monotonic(), set[int]()
    for at in range(0, len(site_ids), BATCH_COUNT):
        some = site_ids[at : at + BATCH_COUNT]
        # Asked before anything is read: what changes meanwhile leaves it stale.
        touched = select_touched(connection, organisation_id, some)
        found = (SITE.find(connection, organisation_id, n) for n in some if n in touched)
        trees = read_trees(connection, organisation_id, [site for site in found if site is not None])
        plans = {tree.site["id"]: shown_plan(tree) for tree in trees}
        known = known_of(connection, organisation_id, [p["id"] for p in plans.values() if p is not None], today)
        measured_on = last_read_by_site(connection, organisation_id, some)
        commit(connection)
        kept: list[Row] = []
        to_do: list[Row] = []
        for tree in trees:
            site_id = tree.site["id"]
            plan = plans[site_id]
            left_s = budget_s - (time.monotonic() - began_s)
            summed = _sum_up(tree, plan, None if plan is None else known[plan["id"]], left_s)
            if summed is None:
                continue
            verdict, body, due = summed
            seen, seen_shared = touched[site_id]
            values = {
                "organisation_id": organisation_id,
                "site_id": site_id,
                "seen": seen,
                "seen_shared": seen_shared,
                "engine": ENGINE_VERSION,
                "computed_on": today,
                "plan_id": plan and plan["id"],
                "plan_key": plan and plan["key"],
                "verdict": verdict,
                "body": json.dumps(body),
                "measured_on": measured_on.get(site_id),
                "next_on": "-infinity" if any(i.is_now for i in due) else min((i.due_on for i in due), default=None),
            }
            kept.append(values)
            to_do += [_due_row(organisation_id, site_id, item) for item in due]
        keep_summaries(connection, organisation_id, kept, to_do)
        done |= {row["site_id"] for row in kept}
        commit(connection)
    return done


def _due_row(organisation_id: int, site_id: int, item: DueItem) -> Row:
    return {
        "site_id": site_id,
        "organisation_id": organisation_id,
        "item_key": item.key,
        "kind": item.kind.value,
        "what": item.what,
        "why": item.why,
        "due_on": None if item.is_now else item.due_on,
        "supply_key": item.supply_key,
    }


def _sum_up(tree: SiteTree, plan: PlanRow | None, known: Known | None, left_s: float) -> tuple[str, Row, tuple[DueItem, ...]] | None:
    """Return the verdict of a site, what its line is made from, and what is due there; None where that takes longer than there is time."""
    try:
        site_file = read_document(tree)
    except Unreadable as error:
        # One site that cannot be read is told as such, and takes no other along.
        return "unknown", {"faults": [[f.path, f.message] for f in error.faults]}, ()
    if plan is None or known is None:
        return "none", {}, ()
    core = to_core_plan(site_file, plan["key"])
    if math.isfinite(left_s) and sum(estimate_s(s, core.loads_on(s.key)) for s in core.supplies) > left_s:
        return None
    result, errors = list_plan(core)
    for error in errors:
        FAILED_CALCULATIONS.inc()
        log.error("a calculation for the list of sites failed", exc_info=error, extra={"site": tree.site["id"]})
    try:
        due = due_items(core, known)
    except Exception:
        FAILED_CALCULATIONS.inc()
        log.exception("what is due could not be worked out", extra={"site": tree.site["id"]})
        due = ()
    return result.verdict.value if result.verdict else "none", {"result": json.loads(dump_plan_result(result))}, due
