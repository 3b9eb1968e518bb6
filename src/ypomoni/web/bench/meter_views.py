"""Meters that log: connected, looked at while they run, stopped; and the logs that are kept, with what they say."""

import csv
import io
import json
import math
import time
from collections.abc import Generator
from typing import Any

from flask import Blueprint, Response, current_app, flash, g, jsonify, redirect, render_template, request, url_for

from ypomoni.actions.bench import add_part
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.lists import plans_of, shared_of, sites_of
from ypomoni.actions.recordings import (
    Samples,
    Wanted,
    begin_recording,
    find_recording,
    follow_recording,
    name_recording,
    samples_of,
    stop_recording,
    take_out_recording,
)
from ypomoni.core.measuring.log_reading import LogFindings, read_log
from ypomoni.core.telling.wording import say_amps, say_volts
from ypomoni.documents.quantities import QuantityTextError, read_current, read_quantity
from ypomoni.instruments.addresses import USUAL_PORT
from ypomoni.instruments.protocol import MeterKind
from ypomoni.records.field import Row
from ypomoni.records.kinds import SECONDS
from ypomoni.web.bench.logs import chart_of, mode_parts, told_of
from ypomoni.web.security import signed_in

blueprint = Blueprint("meter", __name__, template_folder="templates", url_prefix="/bench")
LIVE_S = 0.5
# A stream ends by itself; the browser asks for the next one from where it was.
LONGEST_S = 55.0
USUAL_INTERVAL_S = 0.1
MOST_PLANS_OFFERED = 400
STATE_WORDS = {"running": "recording", "done": "done", "ended": "ended", "lost": "meter lost", "refused": "refused"}


@blueprint.get("/meters/new")
@signed_in
def connect() -> Any:
    """Ask where a meter is."""
    return _ask({"name": "", "address": f"127.0.0.1:{USUAL_PORT}", "interval": f"{USUAL_INTERVAL_S:g} s", "range": ""}, {})


def _ask(texts: dict[str, str], faults: dict[str, str]) -> Any:
    html = render_template("bench/connect.html", texts=texts, faults=faults)
    return (html, 422) if faults else html


@blueprint.post("/meters")
@signed_in
def begin() -> Any:
    """Connect a meter and have it recorded."""
    texts = {name: request.form.get(name, "").strip()[:200] for name in ("name", "address", "interval", "range")}
    faults: dict[str, str] = {}
    interval_s, range_a = USUAL_INTERVAL_S, None
    if not texts["name"] or not texts["name"].isprintable():
        faults["name"] = "must not be empty: say what is measured, as in communicator, armed."
    try:
        interval_s = read_quantity(texts["interval"], SECONDS)
    except QuantityTextError as error:
        faults["interval"] = str(error)
    if texts["range"]:
        try:
            range_a = read_current(texts["range"])[0]
        except QuantityTextError as error:
            faults["range"] = str(error)
    if not faults:
        wanted = Wanted(name=texts["name"], address=texts["address"], kind=MeterKind.MULTIMETER, interval_s=interval_s, range_a=range_a)
        try:
            row = begin_recording(g.connection, g.actor, wanted, current_app.config["METERS"])
            return redirect(url_for("meter.show_log", log_id=row["id"]))
        except Refused as refused:
            faults = {f.path: f.message for f in refused.faults}
    return _ask(texts, faults)


@blueprint.get("/logs/<int:log_id>")
@signed_in
def show_log(log_id: int) -> Any:
    """Show a log: live while it is recorded, then what it says."""
    row = find_recording(g.connection, g.actor, log_id)
    if row["state"] == "running":
        return render_template("bench/live.html", row=row)
    t_s, current_a = samples_of(g.connection, g.actor, log_id).currents()
    found, fault = None, ""
    try:
        found = read_log(t_s, current_a)
    except ValueError as error:
        fault = str(error)[:1].upper() + str(error)[1:]
    sites = sites_of(g.connection, g.actor)
    by_site = plans_of(g.connection, g.actor, [s["id"] for s in sites])
    plans = [(s, p) for s in sites for p in by_site[s["id"]]][:MOST_PLANS_OFFERED]
    return render_template(
        "bench/log.html",
        row=row,
        state=STATE_WORDS.get(row["state"], row["state"]),
        found=None if found is None else told_of(found, overloads_count=row["overloads_count"], unread_count=row["garbage_count"]),
        chart=_chart(t_s, current_a, found),
        fault=fault,
        plans=plans,
        devices=shared_of(g.connection, g.actor, "benched_device"),
    )


def _chart(t_s: list[float], current_a: list[float], found: LogFindings | None) -> Any:
    if len(t_s) < 2:
        return None
    asked = [request.args.get(name, type=float) for name in ("from", "to")]
    low_s, high_s = (None if v is None or not math.isfinite(v) else v for v in asked)
    return chart_of(t_s, current_a, found, low_s, high_s)


@blueprint.get("/logs/<int:log_id>/stream")
@signed_in
def stream(log_id: int) -> Any:
    """Send what is new of a recording as it comes (server-sent events), and end after a while: the browser asks again from where it was."""
    find_recording(g.connection, g.actor, log_id)
    streams, pool, actor = current_app.extensions["streams"], current_app.extensions["pool"], g.actor
    after = request.headers.get("Last-Event-ID", request.args.get("after", "0"))
    n = int(after) if after.isascii() and after.isdigit() and len(after) < 12 else 0
    if not streams.take(actor.organisation_id):
        return jsonify({"message": "Too many look on at once: this page asks now and then instead."}), 503

    def events(n: int) -> Generator[str]:
        try:
            ends_s = time.monotonic() + LONGEST_S
            while time.monotonic() < ends_s:
                row, samples = follow_recording(pool, actor, log_id, n)
                n += len(samples.t_s)
                yield f"id: {n}\ndata: {json.dumps(_news(row, samples, n))}\n\n"
                if row["state"] != "running":
                    return
                time.sleep(LIVE_S)
        except NotFound:
            return
        finally:
            streams.give_back(actor.organisation_id)

    answer = Response(events(n), mimetype="text/event-stream")
    answer.headers["X-Accel-Buffering"] = "no"
    return answer


@blueprint.get("/logs/<int:log_id>/news")
@signed_in
def news(log_id: int) -> Any:
    """Return what is new of a recording, for a browser that has no stream."""
    after = max(0, request.args.get("after", default=0, type=int))
    row, samples = follow_recording(current_app.extensions["pool"], g.actor, log_id, min(after, 2**31 - 1))
    return jsonify(_news(row, samples, after + len(samples.t_s)))


def _news(row: Row, samples: Samples, n: int) -> dict[str, Any]:
    last_a, last_v = row["last_a"], row["last_v"]
    return {
        "n": n,
        "t": [round(t, 2) for t in samples.t_s],
        "a": samples.current_a,
        "v": [v for v in samples.terminal_v if v is not None],
        "state": row["state"],
        "said": row["said"],
        "current": "" if last_a is None else say_amps(last_a),
        "volts": "" if last_v is None else say_volts(last_v),
        "counted": _counted(row),
    }


def _counted(row: Row) -> str:
    parts = [f"{row['samples_count']:,} samples"]
    for name, word in (("overloads_count", "overloads"), ("garbage_count", "answers that were no number"), ("lost_count", "times away")):
        if row[name]:
            parts.append(f"{row[name]:,} {word}")
    return ", ".join(parts)


@blueprint.post("/logs/<int:log_id>/stop")
@signed_in
def stop(log_id: int) -> Any:
    """Have a recording stopped."""
    stop_recording(g.connection, g.actor, log_id)
    flash("It stops with its next reading, and the meter is free again.", "note")
    return redirect(url_for("meter.show_log", log_id=log_id))


@blueprint.post("/logs/<int:log_id>/name")
@signed_in
def rename(log_id: int) -> Any:
    """Give a log another name."""
    name = request.form.get("name", "").strip()[:80]
    if name and name.isprintable():
        name_recording(g.connection, g.actor, log_id, name)
    else:
        flash("A log needs a name.", "error")
    return redirect(url_for("meter.show_log", log_id=log_id))


@blueprint.post("/logs/<int:log_id>/remove")
@signed_in
def remove(log_id: int) -> Any:
    """Take a log out of the list."""
    try:
        take_out_recording(g.connection, g.actor, log_id)
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
        return redirect(url_for("meter.show_log", log_id=log_id))
    flash("The log is taken out of the list.", "note")
    return redirect(url_for("bench_room.index"))


@blueprint.post("/logs/<int:log_id>/into-device")
@signed_in
def into_device(log_id: int) -> Any:
    """Take what a log says into a device on the bench: its rest, and what comes again and again."""
    find_recording(g.connection, g.actor, log_id)
    device_id = request.form.get("device", default=0, type=int)
    t_s, current_a = samples_of(g.connection, g.actor, log_id).currents()
    try:
        parts = mode_parts(read_log(t_s, current_a))
        with g.connection.transaction():
            for part in parts:
                add_part(g.connection, g.actor, "benched_device", device_id, part)
        flash("What the log says is among the modes.", "note")
    except (Refused, ValueError) as error:
        said = " ".join(f.message for f in error.faults) if isinstance(error, Refused) else str(error)
        flash(said[:1].upper() + said[1:], "error")
        return redirect(url_for("meter.show_log", log_id=log_id))
    except StaleEdit:
        flash("Somebody changed that device at the same moment. Try again.", "error")
        return redirect(url_for("meter.show_log", log_id=log_id))
    return redirect(url_for("bench_room.show", room="devices", record_id=device_id))


@blueprint.get("/logs/<int:log_id>.csv")
@signed_in
def write_csv(log_id: int) -> Any:
    """Send a log as CSV, every sample of it; an overload is an empty cell."""
    row = find_recording(g.connection, g.actor, log_id)
    samples = samples_of(g.connection, g.actor, log_id)
    has_volts = any(v is not None for v in samples.terminal_v)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["time [s]", "current [A]", *(["battery [V]"] if has_volts else [])])
    for t, a, v in zip(samples.t_s, samples.current_a, samples.terminal_v, strict=True):
        writer.writerow([t, "" if a is None else a, *(["" if v is None else v] if has_volts else [])])
    answer = Response(out.getvalue(), mimetype="text/csv")
    name = "".join(c if c.isalnum() or c in "-_ " else "-" for c in row["name"] if c.isascii()) or "log"
    answer.headers["Content-Disposition"] = f'attachment; filename="{name}.csv"'
    return answer
