"""Upkeep: what is due in a plan and everywhere, closing it, the calendar and its private address, the file of a battery."""

from datetime import UTC, date, datetime, timedelta
from typing import Any

from flask import Blueprint, Response, flash, g, redirect, render_template, request, url_for

from ypomoni.actions.block_files import Stay, block_file
from ypomoni.actions.errors import Refused, StaleEdit
from ypomoni.actions.links import hand_out, links_of, opened, visitor_of
from ypomoni.actions.summaries import DueAt, find_due
from ypomoni.actions.upkeep import batteries_of, close_item, due_of, history_of, lifetimes_of, standing_plan
from ypomoni.core.proof.upkeep import DUE_WORDS, SOON_D, DueItem, DueKind
from ypomoni.documents.calendar import CalendarEntry, write_calendar
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.security import open_, signed_in

blueprint = Blueprint("upkeep", __name__, template_folder="templates")
AT = "/sites/<int:site_id>/<plan_key>/upkeep"
MONTHS_COUNT = 12
FEED_D, MOST_IN_FEED = 3_653, 2_000


def _today() -> date:
    return datetime.now(UTC).date()


@blueprint.get(AT)
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Show what is due in a plan: a list, and the year as a picture."""
    return _page(PlanPage.at(site_id, plan_key), {})


def _page(page: PlanPage, faults: dict[str, str]) -> Any:
    today = _today()
    items = due_of(g.connection, g.actor, page.tree, page.plan, today)
    stands = standing_plan(list(page.tree.plans))
    html = render_template(
        "proof/upkeep.html",
        **{**page.values(FRAME), "stage": "upkeep", "view": "upkeep.show", "shown_supply": None},
        items=[_shown(i, today) for i in items],
        picture=_picture(items, today),
        history=history_of(g.connection, g.actor, page.plan["id"])[:40],
        batteries=batteries_of(g.connection, g.actor, page.tree, page.plan),
        blocks=[(s, b["key"]) for s in page.tree.supplies.get(page.plan["id"], []) for b in s["bank_blocks"] or []],
        stands=stands,
        is_standing=stands is not None and stands["id"] == page.plan["id"],
        today=today,
        faults=faults,
    )
    return (html, 422) if faults else html


def _shown(item: DueItem, today: date) -> dict[str, Any]:
    days = (item.due_on - today).days
    shape, word = (
        ("fails", "overdue") if days < 0 else ("fails", "due now") if days == 0 else ("risk", "soon") if days <= SOON_D else ("none", "")
    )
    return {"item": item, "kind": DUE_WORDS[item.kind], "shape": shape, "word": word, "when": f"{item.due_on:%d %b %Y}"}


def _picture(items: tuple[DueItem, ...], today: date) -> dict[str, Any]:
    """Return the twelve months from now on with a mark for each thing that falls into them; what is overdue stands at the beginning."""

    def share_of(day: date) -> float:
        return round(100.0 * max(0.0, min(1.0, (day - today).days / 365.0)), 1)

    shown = [i for i in items if (i.due_on - today).days <= 365]
    months = []
    for n in range(MONTHS_COUNT + 1):
        year, month = divmod(today.month - 1 + n, 12)
        first = date(today.year + year, month + 1, 1)
        if first >= today:
            months.append((share_of(first), f"{first:%b}"))
    lanes = [(i.what, share_of(i.due_on), f"{i.due_on:%d %b}", i.due_on <= today) for i in shown]
    # The last month would be written beyond the edge.
    return {"months": [m for m in months if m[0] <= 95.0], "lanes": lanes}


@blueprint.get(f"{AT}/block")
@signed_in
def block(site_id: int, plan_key: str) -> Any:
    """Show the file of one block: where it was, and all that was measured of it."""
    page = PlanPage.at(site_id, plan_key)
    found = block_file(g.connection, g.actor, site_id, request.args.get("supply", "")[:80], request.args.get("block", "")[:80])
    return render_template(
        "proof/block.html",
        **{**page.values(FRAME), "stage": "upkeep", "view": "upkeep.show", "shown_supply": None},
        file=found,
        stays=[_stay(s) for s in found.stays],
        lifetimes=lifetimes_of(g.connection, g.actor),
    )


def _stay(stay: Stay) -> dict[str, Any]:
    begun = "" if stay.from_on is None else f"{stay.from_on:%d %b %Y}"
    return {
        "stay": stay,
        "when": f"{'from ' + begun if begun else 'from before anything was written down here'} to {f'{stay.to_on:%d %b %Y}' if stay.to_on else 'today'}",
        "told": [("" if on is None else f"{on:%d %b %Y}", words) for on, words in stay.told],
    }


@blueprint.post(f"{AT}/close")
@signed_in
def close(site_id: int, plan_key: str) -> Any:
    """Say that something was done; the next one moves."""
    page = PlanPage.at(site_id, plan_key)
    try:
        done_on = date.fromisoformat(request.form.get("done_on", ""))
    except ValueError:
        return _page(page, {request.form.get("item", ""): "must be a day, as in 2026-03-04."})
    try:
        with g.connection.transaction():
            close_item(
                g.connection, g.actor, page.plan["id"], request.form.get("item", "")[:400], done_on, request.form.get("note", ""), _today()
            )
        flash("It is closed, and the next one is in the calendar.", "note")
    except Refused as refused:
        return _page(page, {request.form.get("item", ""): " ".join(f.message for f in refused.faults)})
    except StaleEdit as stale:
        flash(f"{stale.changed_by or 'Somebody'} changed it meanwhile. Look at it again.", "error")
    return redirect(url_for("upkeep.show", site_id=site_id, plan_key=plan_key))


@blueprint.get(f"{AT}.ics")
@signed_in
def calendar(site_id: int, plan_key: str) -> Any:
    """Send what is due in a plan as a calendar file."""
    page = PlanPage.at(site_id, plan_key)
    items = due_of(g.connection, g.actor, page.tree, page.plan, _today())
    site = page.tree.site
    dues = [DueAt(site_id=site["id"], site_name=site["name"], plan_key=plan_key, item=i) for i in items]
    return _calendar(dues, site["name"], g.actor.organisation_id)


def _calendar(dues: list[DueAt], name: str, organisation_id: int) -> Response:
    entries = [
        CalendarEntry(
            uid=f"{organisation_id}-{d.site_id}-{d.item.key.replace(':', '-')}@ypomoni",
            due_on=d.item.due_on,
            what=f"{d.item.what}, {d.site_name}",
            why=d.item.why,
            where=d.site_name,
        )
        for d in dues
    ]
    answer = Response(write_calendar(entries, name, datetime.now(UTC).replace(microsecond=0)), mimetype="text/calendar")
    answer.headers["Content-Disposition"] = 'attachment; filename="upkeep.ics"'
    return answer


# -- all sites -------------------------------------------------------------------------------------------------------------------------


@blueprint.get("/upkeep")
@signed_in
def everywhere() -> Any:
    """Show what is due at all sites, the soonest first."""
    return _everywhere("")


def _everywhere(handed: str) -> Any:
    today, words, kind = _today(), request.args.get("words", "").strip()[:80], request.args.get("kind", "")
    found = find_due(g.connection, g.actor, words, kind if kind in set(DueKind) else "", today)
    feeds = [k for k in links_of(g.connection, g.actor) if k["kind"] == "calendar" and k["revoked_at"] is None]
    return render_template(
        "proof/everywhere.html",
        rows=[(d, _shown(d.item, today)) for d in found.items],
        count=found.count,
        stale_count=found.stale_count,
        kinds=[(k.value, w) for k, w in DUE_WORDS.items()],
        feeds=feeds,
        lifetimes=lifetimes_of(g.connection, g.actor),
        handed=handed,
    )


@blueprint.post("/upkeep/feed")
@signed_in
def feed() -> Any:
    """Make a private address of the calendar; it is told this once."""
    try:
        with g.connection.transaction():
            secret = hand_out(g.connection, g.actor, "calendar", "Calendar of all sites", today=_today())
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
        return redirect(url_for("upkeep.everywhere"))
    return _everywhere(url_for("upkeep.subscribe", secret=secret, _external=True))


@blueprint.get("/calendar/<secret>.ics")
def subscribe(secret: str) -> Any:
    """Send the calendar of all sites to whoever has its private address."""
    with open_() as connection:
        link = opened(connection, secret[:100], "calendar")
        today = _today()
        # A calendar of thousands of sites holds what somebody can plan for.
        found = find_due(connection, visitor_of(link), "", "", today, until=today + timedelta(days=FEED_D), most=MOST_IN_FEED)
    return _calendar(list(found.items), "Upkeep", link["organisation_id"])
