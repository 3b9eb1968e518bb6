"""Reports: asked for, made in the queue, signed and sealed, and verified. What is signed is never altered, only superseded."""

import json
from collections.abc import Callable
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from typing import Any

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import find, read_document, read_tree
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.actions.evaluate import ENGINE_VERSION
from ypomoni.actions.proof import base_of, work_behind
from ypomoni.actions.report_changes import differences
from ypomoni.actions.sealing import Unopened, seal, unseal
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.telling.wording import say_list
from ypomoni.documents.faults import Fault
from ypomoni.documents.report.making import make_pdf
from ypomoni.documents.report.model import PAPERS, SECTIONS, ReportOrder
from ypomoni.documents.report.signing import BadKey, KeyPair, Verified, make_key, read_key, sign_pdf, stamp_draft, verify_pdf
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.storage.connection import Connection
from ypomoni.storage.jobs import count_under_way, insert_job, select_asked, waiting_before
from ypomoni.storage.reports import (
    finish_report,
    insert_report,
    list_reports,
    remove_report,
    select_pdf,
    select_report,
    select_signing_key,
    select_unsigned,
    sign_report,
    supersede_others,
    upsert_signing_key,
)
from ypomoni.storage.set_up_readings import list_set_up_readings

JOB_KIND = "report"
MOST_UNDER_WAY = 4
STATE_WORDS = {"done": "done", "not_done": "not done", "open": "open"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Verification:
    """Whether a PDF is a genuine report, of which site and plan, and what has changed in that plan since."""

    verified: Verified
    site: str = ""
    plan: str = ""
    changed: tuple[str, ...] = ()
    is_known: bool = False


def ask_for_report(connection: Connection, actor: Actor, plan_id: int, sections: list[str], paper: str) -> Row:
    """Put a report into the queue: a draft, made of the plan as it is now.

    Raises
    ------
    Refused
        If nothing is to stand in it, or too many are being made.
    """
    chosen = tuple(s for s in SECTIONS if s in sections)
    if not chosen:
        raise Refused([Fault("sections", "must hold at least one section.")])
    if paper not in PAPERS:
        raise Refused([Fault("paper", f"must be one of {', '.join(PAPERS)}.")])
    if count_under_way(connection, actor.organisation_id, JOB_KIND) >= MOST_UNDER_WAY:
        raise Refused([Fault("", f"{MOST_UNDER_WAY} reports are being made already: wait for one of them.")])
    plan = find(connection, actor, "plan", plan_id)
    tree = read_tree(connection, actor, plan["site_id"])
    document = read_document(tree).model_dump(mode="json")
    ticks, sheets = _told_of(connection, actor, tree, plan)
    asked = {"sections": list(chosen), "paper": paper, "work": ticks, "sheets": sheets}
    values = {
        "organisation_id": actor.organisation_id,
        "site_id": plan["site_id"],
        "plan_id": plan_id,
        "plan_key": plan["key"],
        "asked": asked,
        "made_by": actor.name,
        "engine": ENGINE_VERSION,
        "sealed_site": document,
    }
    report = insert_report(connection, values)
    base = base_of(tree, plan)
    told = ReportOrder(
        plan_key=plan["key"],
        base_key=base["key"] if base is not None else None,
        sections=chosen,
        paper=paper,
        organisation=actor.organisation_name,
        made_by=actor.name,
        made_at=f"{report['made_at'].astimezone(UTC):%Y-%m-%d %H:%M}",
        engine=ENGINE_VERSION,
        number=report["id"],
        work=tuple(tuple(t) for t in ticks),
        sheets=tuple((name, words) for name, words in sheets),
    )
    _queue(connection, actor, plan, report["id"], document, told)
    return report


def _sheets(connection: Connection, actor: Actor, supplies: list[Any]) -> tuple[tuple[str, str], ...]:
    return tuple(
        (s["name"], f"{r['words']} ({r['taken_by'] or 'somebody'}, {r['stored_at']:%d %b %Y %H:%M})")
        for s in supplies
        for r in list_set_up_readings(connection, actor.organisation_id, s["id"])
    )


def _queue(connection: Connection, actor: Actor, plan: PlanRow, report_id: int, document: dict[str, Any], told: ReportOrder) -> None:
    body = json.dumps({"report_id": report_id, "site": document, "asked": asdict(told)})
    insert_job(
        connection,
        {
            "organisation_id": actor.organisation_id,
            "kind": JOB_KIND,
            "plan_id": plan["id"],
            "account_id": actor.account_id,
            "plan_key": plan["key"],
            "objective": "report",
            "search_s": 0,
            "input_digest": str(report_id),
            "input": body,
        },
    )


def progress_of(connection: Connection, actor: Actor, report_id: int) -> str:
    """Return in words how far a report that is being made has come."""
    job = select_asked(connection, actor.organisation_id, JOB_KIND, str(report_id))
    if job is None:
        return ""
    before = waiting_before(connection, job["id"]) if job["state"] == "queued" else 0
    return f"{before} {'thing' if before == 1 else 'things'} in the queue before it" if before else str(job["progress"]).lower()


def make_asked(body: str, tell: Callable[[str], None] = lambda _: None) -> tuple[int, bytes, bytes]:
    """Return the number of a report, its draft and what is to be signed, from what was put into the queue; it needs no database.

    ``tell`` is told in words how far it has come.
    """
    given = json.loads(body)
    asked = given["asked"]
    lists = {
        "sections": tuple(asked["sections"]),
        "work": tuple(tuple(w) for w in asked["work"]),
        "sheets": tuple(tuple(s) for s in asked["sheets"]),
    }
    final = make_pdf(given["site"], ReportOrder(**{**asked, **lists}), tell)
    return given["report_id"], stamp_draft(final, asked["paper"]), final


def keep_made(connection: Connection, organisation_id: int, report_id: int, draft: bytes | None, final: bytes | None) -> None:
    """Keep the PDFs of a report, or that it could not be made."""
    if draft is None:
        finish_report(connection, organisation_id, report_id, "failed", "It could not be made; it has been noted.", None, None)
    else:
        finish_report(connection, organisation_id, report_id, "done", "", draft, final)


def reports_of(connection: Connection, actor: Actor, site_id: int) -> list[Row]:
    """Return the reports of a site, the latest first."""
    return list_reports(connection, actor.organisation_id, site_id)


def find_report(connection: Connection, actor: Actor, report_id: int) -> Row:
    """Return a report, or raise `NotFound`."""
    row = select_report(connection, actor.organisation_id, report_id)
    if row is None:
        raise NotFound
    return row


def pdf_of(connection: Connection, organisation_id: int, report_id: int) -> bytes:
    """Return the PDF of a report, or raise `NotFound` where it is not made."""
    pdf = select_pdf(connection, organisation_id, report_id)
    if pdf is None:
        raise NotFound
    return pdf


def discard_report(connection: Connection, actor: Actor, report_id: int) -> None:
    """Take a draft out of the list; a signed one stays."""
    find_report(connection, actor, report_id)
    if not remove_report(connection, actor.organisation_id, report_id):
        raise Refused([Fault("", "It is signed: a signed report is kept, and can only be superseded by a newer one.")])


# -- signing ---------------------------------------------------------------------------------------------------------------------------


def sign(connection: Connection, actor: Actor, report_id: int, secret: str) -> Row:
    """Sign a report with the organisation's key, which is made at its first use; earlier signed reports of the plan are superseded.

    Raises
    ------
    Refused
        If it is not made yet, is signed already, its plan was changed since, or the key cannot be opened.
    """
    report = find_report(connection, actor, report_id)
    if report["signed_at"] is not None:
        raise Refused([Fault("", "It is signed already. A signed report cannot be altered; make a new one.")])
    if report["state"] != "done":
        raise Refused([Fault("", "It is not made yet.")])
    changed = changed_since(connection, actor, report)
    if changed:
        raise Refused(
            [Fault("", f"The plan was changed since this draft was made ({say_list(changed)}). Make the report again, then sign that.")]
        )
    final = select_unsigned(connection, actor.organisation_id, report_id)
    if final is None:
        raise Refused([Fault("", "It is not made yet.")])
    pair = _key_of(connection, actor, secret)
    signed = sign_pdf(final, pair, name=actor.name, reason=f"Report {report_id} of {actor.organisation_name}")
    if not sign_report(connection, actor.organisation_id, report_id, signed, actor.name, datetime.now(UTC)):
        raise Refused([Fault("", "Somebody else signed it at the same moment.")])
    supersede_others(connection, actor.organisation_id, report["plan_id"], report_id)
    return find_report(connection, actor, report_id)


def _key_of(connection: Connection, actor: Actor, secret: str) -> KeyPair:
    kept = select_signing_key(connection, actor.organisation_id)
    if kept is None:
        pair = make_key(actor.organisation_name)
        upsert_signing_key(connection, actor.organisation_id, pair.certificate_pem.decode(), seal(pair.key_pem, secret))
        return pair
    try:
        return KeyPair(certificate_pem=kept["certificate_pem"].encode(), key_pem=unseal(bytes(kept["sealed_key"]), secret))
    except Unopened as error:
        raise Refused([Fault("", f"The signing key cannot be opened: {error}")]) from error


def bring_key(connection: Connection, actor: Actor, data: bytes, password: str, secret: str) -> None:
    """Sign with a key that is brought in from now on. What was signed before was signed with the old one, and no longer verifies here.

    Raises
    ------
    Refused
        If the file holds no key that can be used.
    """
    try:
        pair = read_key(data, password.encode() if password else None)
    except BadKey as error:
        raise Refused([Fault("key", str(error))]) from error
    upsert_signing_key(connection, actor.organisation_id, pair.certificate_pem.decode(), seal(pair.key_pem, secret))


def verify(connection: Connection, actor: Actor, pdf: bytes) -> Verification:
    """Return whether a PDF is a genuine report of the organisation, and what has changed in its plan since."""
    kept = select_signing_key(connection, actor.organisation_id)
    found = verify_pdf(pdf, None if kept is None else kept["certificate_pem"].encode())
    if not found.is_genuine or found.seal is None or found.site_file is None:
        return Verification(verified=found)
    report = select_report(connection, actor.organisation_id, int(found.seal.get("number", 0)))
    site, plan = found.site_file["site"]["name"], str(found.seal.get("plan", ""))
    if report is None:
        return Verification(verified=found, site=site, plan=plan)
    return Verification(verified=found, site=site, plan=plan, changed=changed_since(connection, actor, report), is_known=True)


def changed_since(connection: Connection, actor: Actor, report: Row) -> tuple[str, ...]:
    """Return by name what differs between what a report was made of and what it would be made of now; nothing where it is all the same."""
    try:
        tree = read_tree(connection, actor, report["site_id"])
        now_file = read_document(tree).model_dump(mode="json")
    except NotFound:
        return ("the site was removed",)
    plan = next((p for p in tree.plans if p["key"] == report["plan_key"]), None)
    if plan is None:
        return ("the plan was removed",)
    told = report["asked"]
    was = _made_of(report["sealed_site"], told.get("work"), told.get("sheets"), report["engine"])
    # Reports of before kept neither ticks nor set-up readings, so nothing can be said of those.
    work, sheets = _told_of(connection, actor, tree, plan) if "work" in told else (None, None)
    return differences(was, _made_of(now_file, work, sheets, ENGINE_VERSION), report["plan_key"])


def _made_of(site_file: dict[str, Any], work: Any, sheets: Any, engine: str) -> dict[str, Any]:
    """Return all a report is made of."""
    return {"site_file": site_file, "work": work, "sheets": sheets, "engine": engine}


def _told_of(connection: Connection, actor: Actor, tree: SiteTree, plan: PlanRow) -> tuple[list[Any], list[Any]]:
    """Return the ticks of a plan's job sheet and what was read while its chargers were set up, as a report tells them."""
    work = work_behind(connection, actor, tree, plan)
    steps = [(s, work.tick_of(s)) for s in work.steps] if work else []
    ticks = [[s.what, STATE_WORDS[t.state], t.note, f"{t.by}, {t.at:%d %b %Y %H:%M}" if t.at else ""] for s, t in steps]
    return ticks, [list(sheet) for sheet in _sheets(connection, actor, tree.supplies.get(plan["id"], []))]
