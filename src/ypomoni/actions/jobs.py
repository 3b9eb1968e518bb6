"""Long searches: asked for by the board, taken from the queue by a worker, followed with their progress."""

import json
import logging
import time
from dataclasses import dataclass
from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.balance import follow_moves
from ypomoni.actions.edit import edit_many, find, read_document, read_tree
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.evaluate import digests_of
from ypomoni.core.balance.search import Effort, Objective, Proposal, Relaxation, Relaxing, find_moves
from ypomoni.core.telling.results import SoldBank
from ypomoni.documents.faults import Fault
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.proposal_json import keep_proposal, read_kept_proposal
from ypomoni.documents.site_file import SiteFile, read_site_text
from ypomoni.records.bank import BankRow
from ypomoni.records.field import blank_row
from ypomoni.records.site import PlanRow
from ypomoni.storage.connection import Connection, Pool, transaction
from ypomoni.storage.errors import DatabaseAway
from ypomoni.storage.jobs import beat, cancel_job, finish_job, insert_job, select_job, take_job, waiting_before

log = logging.getLogger("ypomoni.worker")
SHORT_S, LONG_S = 5.0, 60.0
# What a search may spend on larger batteries and the like, for each second it may spend on moves.
RELAX_RATIO = 3.0
BEAT_S = 0.3


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


def ask_for_moves(connection: Connection, actor: Actor, plan_id: int, objective: Objective, *, long: bool) -> int:
    """Put a search for the best moves of a plan, as it is now, into the queue and return its number."""
    plan = find(connection, actor, "plan", plan_id)
    site_file = read_document(read_tree(connection, actor, plan["site_id"]))
    # The worker needs this plan alone.
    alone = site_file.model_copy(update={"plans": [p for p in site_file.plans if p.key == plan["key"]]})
    values = {
        "organisation_id": actor.organisation_id,
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
    fresh = blank_row(BankRow) | {"bank_age_y": 0.0}
    fresh |= {f"bank_{k}": getattr(bank, k) for k in ("chemistry", "block_v", "capacity_ah", "rate_h", "series", "parallel")}
    edit_many(connection, actor, "supply", [(supply["id"], supply["version"], fresh)])


# -- the worker's side -----------------------------------------------------------------------------------------------------------------


def work_once(pool: Pool) -> bool:
    """Take one job and do it; says whether there was one. Progress and a wish to stop go through the database, so it can die at any time."""
    with transaction(pool) as connection:
        job = take_job(connection)
    if job is None:
        return False
    said: dict[str, Any] = {"at_s": 0.0, "stop": False, "text": "Started"}

    def tell(progress: str) -> None:
        said["text"] = progress
        now_s = time.monotonic()
        if now_s - said["at_s"] >= BEAT_S:
            said["at_s"] = now_s
            with transaction(pool) as connection:
                said["stop"] = beat(connection, job["id"], progress)

    def is_stopped() -> bool:
        tell(said["text"])
        return bool(said["stop"])

    try:
        effort = Effort(search_s=job["search_s"], relax_s=RELAX_RATIO * job["search_s"], tell=tell, is_stopped=is_stopped)
        found = find_moves(to_core_plan(read_site_text(job["input"].encode()), job["plan_key"]), Objective(job["objective"]), effort)
        state, body, words = ("cancelled" if found.is_cancelled else "done"), keep_proposal(found), ""
    except DatabaseAway:
        # Its row still says that it runs: it is taken again once the database is back.
        raise
    except Exception:
        log.exception("job %s failed", job["id"])
        state, body, words = "failed", None, "It failed on our side; it has been noted. Nothing was changed."
    with transaction(pool) as connection:
        finish_job(connection, job["id"], state, body, words)
    return True
