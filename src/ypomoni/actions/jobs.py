"""Long searches: asked for by the board, worked on by a worker (`working`), followed with their progress."""

import json
from dataclasses import dataclass

from ypomoni.actions.actor import Actor
from ypomoni.actions.balance import follow_moves
from ypomoni.actions.build import supply_in
from ypomoni.actions.discharge_tests import without_tests_of
from ypomoni.actions.edit import change_together, find, read_document, read_tree
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.evaluate import digests_of
from ypomoni.actions.new_bank import kept_of_runs, new_bank_columns
from ypomoni.core.balance.search import Objective, Proposal, Relaxation, Relaxing
from ypomoni.core.telling.results import SoldBank
from ypomoni.documents.faults import Fault
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.proposal_json import read_kept_proposal
from ypomoni.documents.site_file import SiteFile
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.storage.connection import Connection
from ypomoni.storage.jobs import cancel_job, count_under_way, insert_job, select_job, waiting_before
from ypomoni.storage.workers import count_workers

SHORT_S, LONG_S = 5.0, 60.0
MOST_SEARCHES = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class JobView:
    """A job as its asker sees it; ``proposal`` once it is done, ``is_current`` while the plan is as it was."""

    job_id: int
    state: str
    progress: str
    waiting_count: int
    search_s: float
    proposal: Proposal | None
    is_current: bool
    # Whether anybody works on the queue: without a worker nothing comes of waiting.
    has_worker: bool


def ask_for_moves(connection: Connection, actor: Actor, plan_id: int, objective: Objective, *, long: bool) -> int:
    """Put a search for the best moves of a plan, as it is now, into the queue and return its number."""
    plan = find(connection, actor, "plan", plan_id)
    if count_under_way(connection, actor.organisation_id, "moves") >= MOST_SEARCHES:
        raise Refused(
            [Fault("", f"{MOST_SEARCHES} searches of your organisation are under way or wait: stop one, or wait until one is done.")]
        )
    site_file = read_document(read_tree(connection, actor, plan["site_id"]))
    # The worker needs this plan alone.
    alone = site_file.model_copy(update={"plans": [p for p in site_file.plans if p.key == plan["key"]]})
    values = {
        "organisation_id": actor.organisation_id,
        "kind": "moves",
        "plan_id": plan["id"],
        "account_id": actor.account_id,
        "plan_key": plan["key"],
        "objective": objective.value,
        "search_s": LONG_S if long else SHORT_S,
        "input_digest": plan_digest(site_file, plan["key"]),
        "input": _input(alone),
    }
    return insert_job(connection, values)


def _input(site_file: SiteFile) -> str:
    """Return the file a worker reads: runs to supplies of other plans are left out with them."""
    body = site_file.model_dump(mode="json")
    keys = {s["key"] for p in body["plans"] for s in p["supplies"]}
    return json.dumps({**body, "runs": [r for r in body["runs"] if r["supply"] in keys]})


def plan_digest(site_file: SiteFile, plan_key: str) -> str:
    """Return what says that a plan is as it was: what its supplies' results depend on, and what may move."""
    part = next(p for p in site_file.plans if p.key == plan_key)
    unassigned = sorted(load.key for load in part.loads if load.supply is None)
    return "-".join([*(d[:16] for d in digests_of(site_file, part)), *unassigned])[:4000]


def see_job(connection: Connection, actor: Actor, job_id: int) -> tuple[PlanRow, JobView]:
    """Return the plan and state of a job of the actor's organisation, or raise `NotFound`."""
    job = select_job(connection, actor.organisation_id, job_id)
    if job is None:
        raise NotFound
    plan = find(connection, actor, "plan", job["plan_id"])
    proposal = read_kept_proposal(job["body"]) if job["body"] else None
    is_current = True
    if proposal is not None:
        is_current = plan_digest(read_document(read_tree(connection, actor, plan["site_id"])), plan["key"]) == job["input_digest"]
    view = JobView(
        job_id=job["id"],
        state=job["state"],
        progress=job["progress"],
        waiting_count=waiting_before(connection, job["id"]) if job["state"] == "queued" else 0,
        search_s=job["search_s"],
        proposal=proposal,
        is_current=is_current,
        has_worker=job["state"] not in ("queued", "running") or count_workers(connection) > 0,
    )
    return plan, view


def cancel(connection: Connection, actor: Actor, job_id: int) -> None:
    """Ask a job to stop; what it has found until then is kept."""
    see_job(connection, actor, job_id)
    cancel_job(connection, actor.organisation_id, job_id)


def chosen_of(proposal: Proposal, option: int | None) -> Proposal | Relaxation:
    """Return a proposal itself, or one of its relaxations: either has its moves and what binds after them."""
    if option is None:
        return proposal
    if not 0 <= option < len(proposal.relaxations):
        raise NotFound
    return proposal.relaxations[option]


def accept_answer(connection: Connection, actor: Actor, job_id: int, option: int | None, only: str | None) -> tuple[PlanRow, int]:
    """Make all moves of a proposal, or one of them, and the larger battery that goes with them. Returns the plan and how many loads moved.

    Raises
    ------
    Refused
        If the plan is no longer what the proposal was made for and a rule would be broken, or if it takes a supply that is not there.
    """
    plan, view = see_job(connection, actor, job_id)
    if view.proposal is None:
        raise NotFound
    chosen = chosen_of(view.proposal, option)
    relaxation = chosen if isinstance(chosen, Relaxation) else None
    if relaxation is not None and relaxation.kind is Relaxing.SUPPLY and only is None:
        raise Refused([Fault("", "Add the supply first, then ask again: there is none to move to yet.")])
    targets = {m.load_key: m.to_key for m in chosen.moves if only is None or m.load_key == only}
    if only is not None and not targets:
        raise NotFound
    if relaxation is not None and relaxation.bank is not None and only is None:
        _fit(connection, actor, plan, relaxation.supply_key or "", relaxation.bank)
    return plan, follow_moves(connection, actor, plan, targets)


def _fit(connection: Connection, actor: Actor, plan: PlanRow, supply_key: str, bank: SoldBank) -> None:
    """Put a new bank into a supply."""
    tree = read_tree(connection, actor, plan["site_id"], lock=True)
    supply = next((s for s in tree.supplies.get(plan["id"], []) if s["key"] == supply_key), None)
    if supply is None:
        raise Refused([Fault("", "The supply for the larger battery is gone: ask again.")])
    before = supply_in(to_core_plan(read_document(tree), plan["key"]), supply_key)
    fresh: Row = {"bank_chemistry": bank.chemistry, **new_bank_columns(bank), **kept_of_runs(before)}
    wanted: list[tuple[str, Row, Row]] = [("supply", dict(supply), fresh), without_tests_of(dict(plan), supply_key)]
    change_together(connection, actor, wanted)
