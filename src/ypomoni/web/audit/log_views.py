"""A log brought in: what it says of a device, compared with what is registered, and taken into the register by one click."""

import json
from dataclasses import dataclass
from typing import Any

from flask import Blueprint, flash, g, redirect, render_template, request, url_for

from ypomoni.actions.edit import edit
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.core.measuring.log_reading import FoundTrain, LogFindings, read_log
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_percent
from ypomoni.documents.current_log import CurrentLog, read_current_log
from ypomoni.documents.quantities import show_duty
from ypomoni.documents.tables import TableError
from ypomoni.web.plan.page import FRAME, PlanPage
from ypomoni.web.security import signed_in

blueprint = Blueprint("log", __name__, template_folder="templates", url_prefix="/sites/<int:site_id>/<plan_key>/log")
MOST_BYTES = 16_000_000
MOST_TRAINS = 6
WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 900.0, 260.0, 64.0, 12.0, 12.0, 40.0
COLUMNS_COUNT = 400
MOST_MARKS = 120


@dataclass(frozen=True, slots=True, kw_only=True)
class LogChart:
    """The log as a picture: the least and the most of each moment, the bursts that were found, the axes."""

    path: str
    marks: tuple[tuple[float, float], ...]
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    x_word: str


@blueprint.get("")
@signed_in
def show(site_id: int, plan_key: str) -> Any:
    """Ask for a log."""
    return _page(PlanPage.at(site_id, plan_key), {})


@blueprint.post("")
@signed_in
def read(site_id: int, plan_key: str) -> Any:
    """Read a log, and show what it says."""
    page = PlanPage.at(site_id, plan_key)
    sent = request.files.get("file")
    has_file = sent is not None and bool(sent.filename)
    data = sent.read(MOST_BYTES + 1) if sent is not None and has_file else b""
    text = data.decode("utf-8-sig", "replace") if has_file else request.form.get("text", "")[:MOST_BYTES]
    typed = {"text": "" if has_file else text}
    if len(data) > MOST_BYTES:
        return _page(page, {**typed, "fault": "The file is larger than 16 MB: log more slowly, or cut it."}), 422
    try:
        log = read_current_log(text)
        found = read_log(log.t_s, log.current_a)
    except (TableError, ValueError) as error:
        said = str(error)
        return _page(page, {**typed, "fault": said[0].upper() + said[1:]}), 422
    load = next((e for e in page.tree.loads.get(page.plan["id"], []) if str(e["id"]) == request.form.get("load", "")), None)
    return _page(page, {**typed, "found": _told(log, found), "load": load, "taken": json.dumps(_columns(found))})


def _columns(found: LogFindings) -> dict[str, Any]:
    """Return what a load's record takes from a log: its rest as standby, its bursts, both measured."""
    bursts = [
        {
            "name": "logged" if n == 0 else f"logged {n + 1}",
            "current_a": _rounded(t.current_a),
            "duration_s": _rounded(t.duration_s),
            "per_hour": _rounded(t.per_hour or 0.0),
            "offset_s": 0.0,
            "during": "always",
        }
        for n, t in enumerate(_recurring(found))
    ]
    rest_a = _rounded(max(found.rest_a, 0.0))
    limit_a = max(0.01 * rest_a, 0.5 * found.noise_a / max(1.0, found.samples_count**0.5), 1e-9)
    return {
        "standby_current_a": rest_a,
        "standby_uncertainty_a": limit_a,
        "bursts": bursts,
    }


def _rounded(value: float) -> float:
    return float(f"{value:.4g}")


def _recurring(found: LogFindings) -> tuple[FoundTrain, ...]:
    """Return the trains that recur, at most as many as a load takes."""
    return tuple(t for t in found.trains if t.per_hour is not None and len(t.bursts) > 1)[:MOST_TRAINS]


def _told(log: CurrentLog, found: LogFindings) -> dict[str, Any]:
    """Return what a log says, in words."""
    needed = (
        "cannot be told"
        if found.needed_h is None
        else "it is, already"
        if found.needed_h <= found.logged_h
        else f"log {say_hours(found.needed_h)} in all"
    )
    doubts = []
    if log.overloads_count:
        doubts.append(f"{log.overloads_count} samples were overloads and count for nothing: take a higher range.")
    if log.unread_count:
        doubts.append(f"{log.unread_count} lines could not be read.")
    if found.gaps_count:
        doubts.append(f"There are {found.gaps_count} gaps. What began or ended in one is not timed.")
    if found.unexplained_count:
        doubts.append(f"{found.unexplained_count} stretches of several bursts at once could not be taken apart.")
    return {
        "rest": say_amps(max(found.rest_a, 0.0)),
        "noise": say_amps(found.noise_a, 2),
        "mean": say_amps(max(found.mean_a, 0.0)),
        "limit": say_amps(found.mean_limit_a, 2),
        "needed": needed,
        "logged": say_hours(found.logged_h),
        "samples": f"{found.samples_count:,}",
        "trains": [
            (
                say_amps(t.current_a),
                f"{plain_number(t.duration_s)} s",
                "once" if t.per_hour is None else show_duty(t.duration_s, t.per_hour),
                len(t.bursts),
                "" if t.per_hour is None or t.jitter_s <= 0 else f"± {plain_number(t.jitter_s, 2)} s",
            )
            for t in found.trains[:MOST_TRAINS]
        ],
        "steps": [
            f"{say_amps(max(s.from_a, 0.0))} to {say_amps(max(s.to_a, 0.0))} after {say_hours(s.at_s / 3600)}" for s in found.steps[:6]
        ],
        "doubts": doubts,
        "chart": _chart(log, found),
        "share": say_percent(found.mean_limit_a / found.mean_a) if found.mean_a > 0 else "",
    }


def _chart(log: CurrentLog, found: LogFindings) -> LogChart:
    last_s = max(log.t_s[-1], 1e-6)
    low_a, high_a = min(0.0, *log.current_a), max(log.current_a) * 1.05 or 1.0
    scale, word = next((s, w) for s, w, most in ((3600.0, "h", 7200.0), (60.0, "min", 120.0), (1.0, "s", 0.0)) if last_s >= most)

    def x_of(t: float) -> float:
        return round(LEFT + (WIDTH - LEFT - RIGHT) * t / last_s, 1)

    def y_of(a: float) -> float:
        return round(TOP + (HEIGHT - TOP - BOTTOM) * (high_a - a) / (high_a - low_a), 1)

    cells: dict[int, tuple[float, float]] = {}
    for t, a in zip(log.t_s, log.current_a, strict=True):
        n = int(COLUMNS_COUNT * t / last_s)
        least, most = cells.get(n, (a, a))
        cells[n] = (min(least, a), max(most, a))
    path = "".join(
        f"M{x_of(last_s * n / COLUMNS_COUNT)} {y_of(least)}V{min(y_of(most), y_of(least) - 0.8)}"
        for n, (least, most) in sorted(cells.items())
    )
    bursts = sorted((b for t in found.trains for b in t.bursts), key=lambda b: b.start_s)[:MOST_MARKS]
    return LogChart(
        path=path,
        marks=tuple((x_of(b.start_s), y_of(b.current_a)) for b in bursts),
        x_ticks=tuple((x_of(last_s * n / 5), plain_number(last_s * n / 5 / scale, 2)) for n in range(6)),
        y_ticks=tuple((y_of(low_a + (high_a - low_a) * n / 4), say_amps(low_a + (high_a - low_a) * n / 4, 2)) for n in range(5)),
        x_word=word,
    )


@blueprint.post("/take")
@signed_in
def take(site_id: int, plan_key: str) -> Any:
    """Take what a log says into a load of the plan."""
    page = PlanPage.at(site_id, plan_key)
    load = next((e for e in page.tree.loads.get(page.plan["id"], []) if str(e["id"]) == request.form.get("load", "")), None)
    if load is None:
        raise NotFound
    columns = _sent_back(request.form.get("taken", "")[:20_000])
    try:
        with g.connection.transaction():
            edit(g.connection, g.actor, "load", load["id"], request.form.get("version", default=-1, type=int), columns)
        flash(f"{load['name']} now draws what was logged. Undo it in the history.", "note")
    except StaleEdit as stale:
        flash(f"{stale.changed_by or 'Somebody'} changed this load meanwhile. Read the log again.", "error")
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
    return redirect(url_for("audit.show", site_id=site_id, plan_key=plan_key))


def _sent_back(text: str) -> dict[str, Any]:
    """Return the columns that the page was given to send back, as numbers; what is no such thing is not found."""
    try:
        said = json.loads(text)
        numbers = {name: float(said[name]) for name in ("standby_current_a", "standby_uncertainty_a")}
        bursts = [
            {
                "name": str(b["name"])[:200],
                **{name: float(b[name]) for name in ("current_a", "duration_s", "per_hour", "offset_s")},
                "during": "always",
            }
            for b in said["bursts"][:MOST_TRAINS]
        ]
    except (ValueError, TypeError, KeyError) as error:
        raise NotFound from error
    return {**numbers, "standby_provenance": "measured", "standby_text": None, "standby_reading": None, "bursts": bursts}


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
    return render_template(
        "audit/log.html",
        **{**page.values(FRAME), "stage": "audit", "view": "log.show", "shown_supply": None},
        loads=[(e["id"], e["name"]) for e in loads],
        found=more.get("found"),
        load=load,
        registered=registered,
        text=more.get("text", "") if not more.get("found") else "",
        fault=more.get("fault", ""),
        taken=more.get("taken", ""),
    )
