"""A log looked at from a plan: brought in, or one that is kept; compared with what is registered, and taken into the register by one click."""

from pathlib import PurePath
from typing import Any

from flask import Blueprint, flash, g, redirect, render_template, request, url_for

from ypomoni.actions.edit import edit
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.recordings import find_recording, keep_log, recordings_of, samples_of
from ypomoni.core.measuring.log_reading import read_log
from ypomoni.core.telling.wording import plain_number, say_amps
from ypomoni.documents.current_log import read_current_log
from ypomoni.documents.quantities import show_duty
from ypomoni.documents.tables import TableError
from ypomoni.web.bench.logs import chart_of, load_columns, told_of
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.security import signed_in

blueprint = Blueprint("log", __name__, template_folder="templates", url_prefix="/sites/<int:site_id>/<plan_key>/log")
MOST_BYTES = 16_000_000


@blueprint.get("")
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Ask for a log, or show what a kept one says."""
    page = PlanPage.at(site_id, plan_key)
    log_id = request.args.get("log", type=int)
    if log_id is None:
        return _page(page, {})
    recording = find_recording(g.connection, g.actor, log_id)
    t_s, current_a = samples_of(g.connection, g.actor, log_id).currents()
    try:
        found = read_log(t_s, current_a)
    except ValueError as error:
        return _page(page, {"fault": _sentence(error)}), 422
    told = told_of(found, overloads_count=recording["overloads_count"], unread_count=recording["garbage_count"])
    chart = chart_of(t_s, current_a, found, request.args.get("from", type=float), request.args.get("to", type=float))
    return _page(page, {"found": told, "chart": chart, "log": recording, "load": _asked_load(page, request.args)})


@blueprint.post("")
@signed_in
def read(site_id: int, plan_key: str) -> Any:
    """Read a log and keep it, then show what it says."""
    page = PlanPage.at(site_id, plan_key)
    sent = request.files.get("file")
    has_file = sent is not None and bool(sent.filename)
    data = sent.read(MOST_BYTES + 1) if sent is not None and has_file else b""
    text = data.decode("utf-8-sig", "replace") if has_file else request.form.get("text", "")[:MOST_BYTES]
    typed = {"text": "" if has_file else text}
    if len(data) > MOST_BYTES:
        return _page(page, {**typed, "fault": "The file is larger than 16 MB: log more slowly, or cut it."}), 422
    load = _asked_load(page, request.form)
    try:
        log = read_current_log(text)
        read_log(log.t_s, log.current_a)
    except (TableError, ValueError) as error:
        return _page(page, {**typed, "fault": _sentence(error)}), 422
    name = (PurePath(sent.filename or "").stem if sent is not None and has_file else "") or (load["name"] if load else "pasted log")
    name = "".join(c for c in name if c.isprintable())[:80] or "log"
    with g.connection.transaction():
        kept = keep_log(g.connection, g.actor, name, log.t_s, log.current_a, log.overloads_count, log.unread_count)
    return redirect(url_for("log.show", site_id=site_id, plan_key=plan_key, log=kept["id"], load=load["id"] if load else None))


def _sentence(error: Exception) -> str:
    said = str(error)
    return said[:1].upper() + said[1:]


def _asked_load(page: PlanPage, asked: Any) -> Any:
    return next((e for e in page.tree.loads.get(page.plan["id"], []) if str(e["id"]) == asked.get("load", "")), None)


@blueprint.post("/take")
@signed_in
def take(site_id: int, plan_key: str) -> Any:
    """Take what a log says into a load of the plan."""
    page = PlanPage.at(site_id, plan_key)
    load = _asked_load(page, request.form)
    log_id = request.form.get("log", type=int)
    if load is None or log_id is None:
        raise NotFound
    find_recording(g.connection, g.actor, log_id)
    t_s, current_a = samples_of(g.connection, g.actor, log_id).currents()
    try:
        columns = load_columns(read_log(t_s, current_a))
        with g.connection.transaction():
            edit(g.connection, g.actor, "load", load["id"], request.form.get("version", default=-1, type=int), columns)
        flash(f"{load['name']} now draws what was logged. Undo it in the history.", "note")
    except StaleEdit as stale:
        flash(f"{stale.changed_by or 'Somebody'} changed this load meanwhile. Read the log again.", "error")
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
    except ValueError as error:
        flash(_sentence(error), "error")
    return redirect(url_for("audit.show", site_id=site_id, plan_key=plan_key))


def _page(page: PlanPage, more: dict[str, Any]) -> Any:
    loads = page.tree.loads.get(page.plan["id"], [])
    load = more.get("load")
    registered = None
    if load is not None:
        bursts = [
            f"{say_amps(b['current_a'])} for {plain_number(b['duration_s'])} s, {show_duty(b['duration_s'], b['per_hour'])}"
            for b in load["bursts"]
        ]
        registered = {"standby": say_amps(load["standby_current_a"]), "bursts": bursts}
    logs = [(r["id"], r["name"], f"{r['begun_at']:%d %b %Y}") for r in recordings_of(g.connection, g.actor) if r["state"] != "running"]
    return render_template(
        "audit/log.html",
        **{**page.values(FRAME), "stage": "audit", "view": "log.show", "shown_supply": None},
        loads=[(e["id"], e["name"]) for e in loads],
        found=more.get("found"),
        chart=more.get("chart"),
        log=more.get("log"),
        logs=[entry for entry in logs if more.get("log") is None or entry[0] != more["log"]["id"]][:12],
        load=load,
        registered=registered,
        text=more.get("text", "") if not more.get("found") else "",
        fault=more.get("fault", ""),
    )
