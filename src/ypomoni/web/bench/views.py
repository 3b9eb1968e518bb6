"""The bench: its list, a device stepped through its modes, a lot of batteries. What is typed on a phone without signal is kept there and sent once."""

from typing import Any

from flask import Blueprint, flash, g, jsonify, redirect, render_template, request, url_for

from ypomoni.actions.bench import (
    PARTS,
    add_part,
    bench_of_device,
    correct_loads,
    corrections_of,
    keep_session,
    make_device_type,
    remove_part,
)
from ypomoni.actions.edit import find
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.lists import shared_of
from ypomoni.actions.recordings import recordings_of
from ypomoni.core.things.device_types import DEVICE_TYPES
from ypomoni.documents.bench_parts import to_lot
from ypomoni.records.bench import BenchedDeviceRow, LotBlockRow, LotRow, ModeRow
from ypomoni.records.field import Row
from ypomoni.web.bench.sessions import BLOCK_WORDS, device_view, lot_view
from ypomoni.web.fields import ChoiceField, place_faults
from ypomoni.web.records.described import defaults_of, form_of
from ypomoni.web.security import signed_in, wants_json

blueprint = Blueprint("bench_room", __name__, template_folder="templates", url_prefix="/bench")
# Names of modes that one goes through with most devices.
USUAL_MODES = ("off", "idle", "armed", "transmitting", "recording", "lamp on", "heater on", "alarm")
DEVICE_CAUTION = (
    "Set the bench supply's current limit before anything is connected, and check polarity with a meter. "
    "A device with mains inside stays closed. Never bench a device that a life-safety system needs meanwhile."
)
LOT_CAUTION = (
    "A block's short-circuit current burns: take off rings, insulate tools, fuse the load. Lead gives off hydrogen while it charges: air the room. "
    "A swollen, leaking or hot block is not tested: it goes to disposal by local rules."
)


class DeviceForm(form_of(BenchedDeviceRow)):
    """What a session of a device begins with."""

    instrument = ChoiceField("Meter", choices={"": "a common multimeter"})


LotForm = form_of(LotRow)
ModeForm = form_of(ModeRow)
BlockForm = form_of(LotBlockRow)
FORMS: dict[str, Any] = {"benched_device": DeviceForm, "battery_lot": LotForm}
PART_FORMS: dict[str, Any] = {"benched_device": ModeForm, "battery_lot": BlockForm}
PATHS = {"devices": "benched_device", "lots": "battery_lot"}


@blueprint.get("/")
@signed_in
def index() -> Any:
    """Show what is on the bench: devices, lots, logs."""
    devices = []
    for row in shared_of(g.connection, g.actor, "benched_device"):
        view = device_view(bench_of_device(g.connection, g.actor, row))
        devices.append((row, view.verdict, view.word, len(row["modes"])))
    lots = [(row, lot_view(to_lot(row), row["series"]).counts) for row in shared_of(g.connection, g.actor, "battery_lot")]
    return render_template("bench/index.html", devices=devices, lots=lots, logs=recordings_of(g.connection, g.actor)[:30])


@blueprint.get("/<any(devices, lots):room>/new")
@signed_in
def new(room: str) -> Any:
    """Ask how a session begins."""
    name = PATHS[room]
    row_type = {"benched_device": BenchedDeviceRow, "battery_lot": LotRow}[name]
    return _start(room, _form(name, data=FORMS[name].data_of(defaults_of(row_type))))


@blueprint.get("/<any(devices, lots):room>/<int:record_id>/begin")
@signed_in
def again(room: str, record_id: int) -> Any:
    """Show how a session began, to change it."""
    name = PATHS[room]
    row = find(g.connection, g.actor, name, record_id)
    form = _form(name, data={**FORMS[name].data_of(row), "instrument": row.get("instrument_key") or ""})
    return _start(room, form, row=row)


@blueprint.post("/<any(devices, lots):room>/new")
@blueprint.post("/<any(devices, lots):room>/<int:record_id>/begin")
@signed_in
def begin(room: str, record_id: int | None = None) -> Any:
    """Begin a session, or change how it began."""
    name = PATHS[room]
    row = None if record_id is None else find(g.connection, g.actor, name, record_id)
    form = _form(name)
    loose: list[str] = []
    if form.validate():
        if row is not None:
            form.keep_unchanged(row)
        values = form.columns()
        if name == "benched_device":
            values["instrument_key"] = form.instrument.data or None
        try:
            at = None if row is None else (row["id"], request.form.get("version", default=-1, type=int))
            with g.connection.transaction():
                kept = keep_session(g.connection, g.actor, name, values, at)
            return redirect(url_for("bench_room.show", room=room, record_id=kept["id"]))
        except Refused as refused:
            loose = place_faults(form, refused.faults, {})
        except StaleEdit as stale:
            loose = [f"{stale.changed_by or 'Somebody'} changed it meanwhile. Open it again."]
    return _start(room, form, row=row, loose=loose), 422


def _form(name: str, data: Row | None = None) -> Any:
    form = FORMS[name](request.form if data is None else None, data=data)
    if name == "benched_device":
        meters = shared_of(g.connection, g.actor, "instrument")
        form.instrument.choices = {"": "a common multimeter"} | {m["key"]: m["name"] for m in meters}
    return form


def _start(room: str, form: Any, *, row: Any = None, loose: list[str] | None = None) -> Any:
    caution = DEVICE_CAUTION if room == "devices" else LOT_CAUTION
    return render_template(
        "bench/begin.html",
        room=room,
        form=form,
        row=row,
        loose=loose or [],
        caution=caution,
        library=sorted(t.name for t in DEVICE_TYPES) if room == "devices" else [],
    )


@blueprint.get("/<any(devices, lots):room>/<int:record_id>")
@signed_in
def show(room: str, record_id: int) -> Any:
    """Show a session: its verdict, what was read, and what one does next."""
    return _session(room, find(g.connection, g.actor, PATHS[room], record_id))


def _session(room: str, row: Any, *, form: Any = None, loose: list[str] | None = None, editing: int | None = None) -> Any:
    name = PATHS[room]
    form = form or PART_FORMS[name](None, data=_part_data(name, row, editing))
    common = {"row": row, "form": form, "loose": loose or [], "editing": editing, "room": room}
    if name == "battery_lot":
        view = lot_view(to_lot(row), row["series"])
        return render_template("bench/lot.html", **common, view=view, caution=LOT_CAUTION)
    bench = bench_of_device(g.connection, g.actor, row)
    view = device_view(bench)
    corrections = corrections_of(g.connection, g.actor, bench) if view.can_take else []
    return render_template(
        "bench/device.html", **common, view=view, corrections=corrections, usual=USUAL_MODES, caution=DEVICE_CAUTION, bench=bench
    )


def _part_data(name: str, row: Any, editing: int | None) -> Row:
    entries = row[PARTS[name]]
    part = {"benched_device": ModeRow, "battery_lot": LotBlockRow}[name]
    if editing is not None and 0 <= editing < len(entries):
        return PART_FORMS[name].data_of(entries[editing])
    start = defaults_of(part)
    if name == "battery_lot":
        # The next block is named as one counts.
        labels = {b["label"] for b in entries}
        start["label"] = next(str(n) for n in range(1, len(entries) + 2) if str(n) not in labels)
    return PART_FORMS[name].data_of(start)


@blueprint.get("/<any(devices, lots):room>/<int:record_id>/parts/<int:n>")
@signed_in
def edit_part(room: str, record_id: int, n: int) -> Any:
    """Show a mode or a block in the form, to change it."""
    row = find(g.connection, g.actor, PATHS[room], record_id)
    if n >= len(row[PARTS[PATHS[room]]]):
        raise NotFound
    return _session(room, row, editing=n)


@blueprint.post("/<any(devices, lots):room>/<int:record_id>/parts")
@signed_in
def keep_part(room: str, record_id: int) -> Any:
    """Add a mode or a block, once however often it is sent."""
    name = PATHS[room]
    row = find(g.connection, g.actor, name, record_id)
    form = PART_FORMS[name](request.form)
    replacing = request.form.get("replacing", type=int)
    loose: list[str] = []
    if form.validate():
        part = form.columns()
        try:
            with g.connection.transaction():
                add_part(g.connection, g.actor, name, record_id, part, replacing=replacing)
            told = f"{part.get('name') or part.get('label')} is kept."
            if wants_json():
                return jsonify({"words": told})
            flash(told, "note")
            return redirect(url_for("bench_room.show", room=room, record_id=record_id, _anchor="add"))
        except Refused as refused:
            loose = place_faults(form, refused.faults, {})
        except StaleEdit as stale:
            loose = [f"{stale.changed_by or 'Somebody'} changed it at the same moment. Send it again."]
    if wants_json():
        faults = {f.name: " ".join(str(e) for e in f.errors) for f in form if f.errors}
        return jsonify({"faults": faults, "message": " ".join(loose)}), 422
    return _session(room, row, form=form, loose=loose, editing=replacing), 422


@blueprint.post("/<any(devices, lots):room>/<int:record_id>/parts/<int:n>/remove")
@signed_in
def take_part_out(room: str, record_id: int, n: int) -> Any:
    """Take a mode or a block out."""
    try:
        with g.connection.transaction():
            remove_part(g.connection, g.actor, PATHS[room], record_id, request.form.get("version", default=-1, type=int), n)
    except StaleEdit as stale:
        flash(f"{stale.changed_by or 'Somebody'} changed it meanwhile. Look at it again.", "error")
    return redirect(url_for("bench_room.show", room=room, record_id=record_id))


@blueprint.post("/devices/<int:record_id>/type")
@signed_in
def make_type(record_id: int) -> Any:
    """Make the device a type of the organisation's library."""
    bench = bench_of_device(g.connection, g.actor, find(g.connection, g.actor, "benched_device", record_id))
    try:
        with g.connection.transaction():
            made = make_device_type(g.connection, g.actor, bench)
        flash(f"{made['name']} is in the library, as measured on the bench.", "note")
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
    return redirect(url_for("bench_room.show", room="devices", record_id=record_id))


@blueprint.post("/devices/<int:record_id>/correct")
@signed_in
def correct(record_id: int) -> Any:
    """Let the loads that were ticked draw what was measured."""
    bench = bench_of_device(g.connection, g.actor, find(g.connection, g.actor, "benched_device", record_id))
    wanted = [
        (int(a), int(b)) for said in request.form.getlist("load")[:200] for a, _, b in [said.partition(":")] if a.isdigit() and b.isdigit()
    ]
    try:
        with g.connection.transaction():
            count = correct_loads(g.connection, g.actor, bench, [w for w in wanted if max(w) < 2**31])
        flash(
            f"{count} load{'' if count == 1 else 's'} now draw{'s' if count == 1 else ''} what was measured. Undo it in the history of the plan.",
            "note",
        )
    except Refused as refused:
        flash(" ".join(f.message for f in refused.faults), "error")
    except StaleEdit as stale:
        flash(f"{stale.changed_by or 'Somebody'} changed a load meanwhile. Look at them again.", "error")
    return redirect(url_for("bench_room.show", room="devices", record_id=record_id))


@blueprint.get("/lots/<int:record_id>/labels")
@signed_in
def labels(record_id: int) -> Any:
    """Show labels of a lot's blocks, to print and stick on."""
    row = find(g.connection, g.actor, "battery_lot", record_id)
    view = lot_view(to_lot(row), row["series"])
    string_of = {label: n + 1 for n, string in enumerate(view.strings) for label in string}
    return render_template("bench/labels.html", row=row, view=view, string_of=string_of, words=BLOCK_WORDS)
