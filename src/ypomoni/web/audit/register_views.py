"""Many loads at once: bulk edit, duplicate, undo; a table in, a table out."""

import re
from collections.abc import Sequence
from typing import Any

from flask import Blueprint, Response, flash, g, jsonify, redirect, render_template, request, url_for

from ypomoni.actions.drafts import drop_draft, find_draft, keep_draft
from ypomoni.actions.edit import find, read_tree, undo_batch
from ypomoni.actions.errors import NotFound, Refused, StaleEdit
from ypomoni.actions.reading_tables import read_tables_apart
from ypomoni.actions.register import (
    BULK_FIELDS,
    MOST_BULK,
    change_many,
    duplicate,
    import_loads,
    keep_device,
    list_loads,
    register_table,
    remove_loads,
)
from ypomoni.actions.site_tree import SiteTree
from ypomoni.documents.load_lines import LoadLine, read_load_lines
from ypomoni.documents.quantities import QuantityTextError, read_current, show_current, show_quantity
from ypomoni.documents.register_table import (
    COLUMN_UNITS,
    CURRENT_FIELDS,
    FIELDS,
    HEADINGS,
    Mapping,
    RowFound,
    propose_columns,
    propose_mapping,
    read_rows,
    unit_of_heading,
)
from ypomoni.documents.tables import Sheet, TableError, write_csv, write_workbook
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.records.supply import rail_v_on
from ypomoni.records.words import PROVENANCE_WORDS
from ypomoni.web.plan.page import PLAN_REGIONS, Looking, PlanPage, asked_regions
from ypomoni.web.security import signed_in, wants_json

# More digits than any row number has.
LONGEST_NUMBER = 6
blueprint = Blueprint("loads", __name__, template_folder="templates")
PREVIEWED_ROWS = 200
# Of a list that is typed: so long, so many lines, and so many faults told.
MOST_LIST_CHARS, MOST_LISTED, MOST_TOLD = 40_000, 200, 12
_REFERENCES = frozenset({"supply_id", "place_id"})


@blueprint.post("/plans/<int:plan_id>/loads/bulk")
@signed_in
def bulk(plan_id: int) -> Any:
    """Do one thing to all selected loads: set a column, duplicate, remove."""
    plan = find(g.connection, g.actor, "plan", plan_id)
    wanted = _selected()
    verb, value = request.form.get("verb", ""), request.form.get("value", "")
    if not wanted:
        return jsonify({"message": "No load is selected."}), 422
    try:
        with g.connection.transaction():
            notice = _do(plan, verb, value, wanted)
    except StaleEdit as stale:
        return jsonify(
            {"message": f"{stale.changed_by or 'Somebody'} changed {stale.current['name']} meanwhile: nothing was changed."}
        ), 409
    except Refused as refused:
        return jsonify({"message": " ".join(f.message for f in refused.faults) + " Nothing was changed."}), 422
    return follow(plan, notice)


@blueprint.get("/plans/<int:plan_id>/list")
@signed_in
def ask_list(plan_id: int) -> Any:
    """Show where a list of loads is written."""
    plan = find(g.connection, g.actor, "plan", plan_id)
    return jsonify({"html": _list_sheet(plan, "", None, "estimate")})


@blueprint.post("/plans/<int:plan_id>/list")
@signed_in
def take_list(plan_id: int) -> Any:
    """Add what a list says: all of it, or nothing and what to change in which line."""
    plan = find(g.connection, g.actor, "plan", plan_id)
    text, provenance = request.form.get("lines", "")[:MOST_LIST_CHARS], request.form.get("provenance", "estimate")
    supply_id = request.form.get("supply", type=int)
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    supply = next((s for s in tree.supplies.get(plan_id, []) if s["id"] == supply_id), None)
    lines = read_load_lines(text, rail_v_on(supply)) if supply else read_load_lines(text)
    sure = request.form.get("sure") == "1"
    wrong = [line for line in lines if line.fault or (line.doubt and not sure)]
    loose: list[str] = []
    if not lines:
        loose = ["Write at least one line, as in 2 Keypad 45 mA."]
    elif len(lines) > MOST_LISTED:
        loose = [f"These are {len(lines)} lines; {MOST_LISTED} are taken at once. Import a table for more."]
    elif provenance not in PROVENANCE_WORDS:
        raise NotFound
    elif not wrong:
        try:
            with g.connection.transaction():
                count = list_loads(g.connection, g.actor, plan_id, supply_id, lines, provenance)
            return follow(plan, f"{count} load{'s are' if count != 1 else ' is'} added.")
        except Refused as refused:
            loose = [f.message for f in refused.faults]
    return jsonify({"html": _list_sheet(plan, text, supply_id, provenance, wrong, loose)}), 422


def _list_sheet(
    plan: PlanRow, text: str, supply_id: int | None, provenance: str, wrong: Sequence[LoadLine] = (), loose: Sequence[str] = ()
) -> str:
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    supplies = tree.supplies.get(plan["id"], [])
    chosen = supply_id if supply_id is not None else supplies[0]["id"] if supplies and not text else None
    return render_template(
        "audit/_list.html",
        plan=plan,
        text=text,
        supplies=supplies,
        chosen=chosen,
        provenance=provenance,
        provenances=PROVENANCE_WORDS,
        wrong=wrong[:MOST_TOLD],
        more_count=max(0, len(wrong) - MOST_TOLD),
        loose=loose[:MOST_TOLD],
        only_doubts=bool(wrong) and not any(line.fault for line in wrong),
    )


def _selected() -> list[tuple[int, int]]:
    """Return the selected loads as (id, version)."""
    pairs = [re.fullmatch(r"(\d{1,18}):(\d{1,9})", text) for text in request.form.getlist("load")[:MOST_BULK]]
    return [(int(m.group(1)), int(m.group(2))) for m in pairs if m]


def _do(plan: PlanRow, verb: str, value: str, wanted: list[tuple[int, int]]) -> str:
    count = f"{len(wanted)} load{'s' if len(wanted) != 1 else ''}"
    if verb == "duplicate":
        return f"{len(duplicate(g.connection, g.actor, [load_id for load_id, _ in wanted]))} loads are added as copies, their figures as estimates."
    if verb == "remove":
        remove_loads(g.connection, g.actor, wanted)
        return f"{count} removed."
    if verb not in BULK_FIELDS:
        raise NotFound
    change_many(g.connection, g.actor, wanted, verb, _value(plan, verb, value))
    return f"{count} changed."


def _value(plan: PlanRow, verb: str, text: str) -> Any:
    if verb in _REFERENCES:
        if not text:
            return None
        row = find(g.connection, g.actor, verb.removesuffix("_id"), int(text) if re.fullmatch(r"[0-9]{1,18}", text) else -1)
        if row.get("plan_id", plan["id"]) != plan["id"] or row.get("site_id", plan["site_id"]) != plan["site_id"]:
            raise NotFound
        return row["id"]
    if verb == "essential":
        return text == "1"
    text = text.strip()[:200]
    if verb == "standby_provenance" and not text:
        raise NotFound
    return text or None


def follow(plan: PlanRow, notice: str) -> Any:
    """Return the regions of the page that asks, and how to undo what was done."""
    page = PlanPage(read_tree(g.connection, g.actor, plan["site_id"]), plan, Looking.from_request())
    undo_at = url_for("loads.undo", batch=g.actor.batch, plan=plan["id"])
    return jsonify({"regions": page.render(asked_regions(PLAN_REGIONS, register=True)), "notice": notice, "undo": undo_at})


@blueprint.post("/undo/<batch>")
@signed_in
def undo(batch: str) -> Any:
    """Take back what one request did; the answer offers to undo that again."""
    plan = _asked_plan()
    try:
        with g.connection.transaction():
            count = undo_batch(g.connection, g.actor, batch)
    except Refused as refused:
        return jsonify({"message": " ".join(f.message for f in refused.faults)}), 409
    if plan is None or not wants_json():
        return redirect(url_for("sites.index"))
    return follow(plan, f"Undone: {count} change{'s' if count != 1 else ''}.")


def _asked_plan() -> PlanRow | None:
    plan_id = request.values.get("plan", type=int)
    return find(g.connection, g.actor, "plan", plan_id) if plan_id is not None else None


@blueprint.post("/loads/<int:load_id>/keep")
@signed_in
def keep(load_id: int) -> Any:
    """Add a measured load to the library."""
    try:
        with g.connection.transaction():
            device = keep_device(g.connection, g.actor, load_id)
    except Refused as refused:
        return jsonify({"message": " ".join(f.message for f in refused.faults)}), 422
    return jsonify({"notice": f"{device['name']} is in the library: {device['measured_count']} measured so far."})


# -- a table out -----------------------------------------------------------------------------------------------------------------------


@blueprint.get("/sites/<int:site_id>/<plan_key>/register.<kind>")
@signed_in
def export(site_id: int, plan_key: str, kind: str) -> Any:
    """Send the register as CSV or as a spreadsheet; no cell of it acts as a formula."""
    tree, plan = _plan(site_id, plan_key)
    if kind not in ("csv", "xlsx"):
        raise NotFound
    table = register_table(tree, plan)
    name = re.sub(r"[^A-Za-z0-9]+", "-", f"{tree.site['name']} {plan['name']}").strip("-")
    headers = {"Content-Disposition": f'attachment; filename="{name}-register.{kind}"'}
    if kind == "csv":
        return Response(write_csv(table), mimetype="text/csv", headers=headers)
    kind_xlsx = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    return Response(write_workbook("Register", table), mimetype=kind_xlsx, headers=headers)


def _plan(site_id: int, plan_key: str) -> tuple[SiteTree, PlanRow]:
    tree = read_tree(g.connection, g.actor, site_id)
    plan = tree.plan(plan_key)
    if plan is None:
        raise NotFound
    return tree, plan


# -- a table in ------------------------------------------------------------------------------------------------------------------------


@blueprint.route("/sites/<int:site_id>/<plan_key>/bring-loads", methods=["GET", "POST"])
@signed_in
def bring(site_id: int, plan_key: str) -> Any:
    """Take a table: read it, and go on to what its columns mean. Nothing is in the register yet."""
    tree, plan = _plan(site_id, plan_key)
    if request.method == "GET":
        return render_template("audit/bring.html", site=tree.site, plan=plan, fault="", text="")
    upload = request.files.get("file")
    text = request.form.get("text", "")
    data = upload.read() if upload and upload.filename else text.encode()
    name = upload.filename if upload and upload.filename else "pasted table"
    try:
        sheets = read_tables_apart(data, name or "table")
    except TableError as error:
        return render_template("audit/bring.html", site=tree.site, plan=plan, fault=str(error), text=text), 422
    mapping = propose_mapping(sheets)
    body = {
        "sheets": [{"name": s.name, "rows": s.rows} for s in sheets],
        "mapping": {"sheet": mapping.sheet, "header_row": mapping.header_row, "columns": mapping.columns},
    }
    actor = g.actor
    draft_id = keep_draft(g.connection, actor, plan["id"], name or "", body)
    return redirect(url_for("loads.review", draft_id=draft_id))


@blueprint.route("/drafts/<int:draft_id>", methods=["GET", "POST"])
@signed_in
def review(draft_id: int) -> Any:
    """Show what each row would become, every doubtful cell with its reason; on confirmation bring in what is chosen."""
    draft = find_draft(g.connection, g.actor, draft_id)
    if draft is None:
        raise NotFound
    plan = find(g.connection, g.actor, "plan", draft["plan_id"])
    tree = read_tree(g.connection, g.actor, plan["site_id"])
    sheets = [Sheet(name=s["name"], rows=tuple(tuple(r) for r in s["rows"])) for s in draft["body"]["sheets"]]
    mapping = _mapping(sheets, draft["body"]["mapping"])
    supplies = {s["name"]: rail_v_on(s) for s in tree.supplies.get(plan["id"], [])}
    default = request.values.get("default_supply") or (next(iter(supplies)) if len(supplies) == 1 else None)
    default = default if default in supplies else None
    sheet = _amended(sheets[mapping.sheet])
    places = [p["name"] for p in tree.places]
    rows = read_rows(sheet, mapping, supplies=supplies, places=places, default_supply=default)
    faults: list[str] = []
    if request.method == "POST" and request.form.get("do") == "confirm":
        chosen = [r for r in rows if not r.skipped and str(r.number) not in request.form.getlist("leave")]
        faults += [fault for r in chosen for fault in _take_offers(r)]
        open_rows = [r for r in chosen if r.doubts and str(r.number) not in request.form.getlist("accept")]
        impossible = [r for r in chosen if r.blocked or not r.values.get("name") or "standby" not in r.values]
        if faults:
            pass
        elif not chosen:
            faults.append("No row is left to bring in.")
        elif open_rows or impossible:
            numbers = sorted({r.number for r in [*open_rows, *impossible]})
            shown = ", ".join(str(n) for n in numbers[:12])
            faults.append(f"Rows {shown} are still in doubt: correct the cell, accept it as it is read, or leave the row out.")
        else:
            try:
                with g.connection.transaction():
                    count = import_loads(g.connection, g.actor, plan["id"], [r.values for r in chosen])
                    drop_draft(g.connection, g.actor, draft_id)
            except Refused as refused:
                faults += [f"{f.path}: {f.message}" if f.path else f.message for f in refused.faults[:8]]
            else:
                flash(f"{count} loads came in from {draft['file_name']}.", "note")
                return redirect(url_for("audit.show", site_id=tree.site["id"], plan_key=plan["key"]))
    return _review_page(draft, plan, tree, sheets, mapping, rows, list(supplies), default, faults)


def _mapping(sheets: list[Sheet], kept: dict[str, Any]) -> Mapping:
    """Return the mapping chosen on the page, or the one proposed."""
    number = request.values.get("sheet", default=kept["sheet"], type=int)
    number = number if number is not None and 0 <= number < len(sheets) else 0
    rows = sheets[number].rows
    said = request.values.get("header_row")
    header = (
        kept["header_row"]
        if said is None and number == kept["sheet"]
        else (int(said) - 1 if said and said.isdecimal() and len(said) <= LONGEST_NUMBER else None)
    )
    header = header if header is not None and 0 <= header < len(rows) else None
    width = len(rows[0])
    units = tuple(u if (u := request.values.get(f"unit_{c}", "")) in COLUMN_UNITS else "" for c in range(width))
    if any(f"column_{c}" in request.values for c in range(width)) and request.values.get("do") != "propose":
        known = {key for key, *_ in FIELDS}
        texts = [request.values.get(f"column_{c}", "") for c in range(width)]
        return Mapping(sheet=number, header_row=header, columns=tuple(t if t in known else "" for t in texts), units=units)
    if number == kept["sheet"] and header == kept["header_row"]:
        return Mapping(sheet=number, header_row=header, columns=tuple(kept["columns"]), units=units)
    columns = propose_columns(rows[header]) if header is not None else ("",) * width
    return Mapping(sheet=number, header_row=header, columns=columns, units=units)


def _take_offers(row: RowFound) -> list[str]:
    """Take what a row's remark offers and the page ticked; return what is missing for it."""
    if row.said_provenance and str(row.number) in request.form.getlist("take_provenance"):
        row.values["provenance"] = row.said_provenance
    burst = row.said_burst
    if burst is None or str(row.number) not in request.form.getlist("take_burst"):
        return []
    try:
        current_a, _ = read_current(request.form.get(f"burst_current_{row.number}", ""))
    except QuantityTextError as error:
        return [f"Row {row.number}: the current of its burst {error}"]
    row.values["bursts"] = [
        {
            "name": "transmit",
            "current_a": current_a,
            "duration_s": burst.duration_s,
            "per_hour": burst.per_hour,
            "offset_s": 0.0,
            "during": "always",
        }
    ]
    return []


def _amended(sheet: Sheet) -> Sheet:
    """Return the sheet with the cells that were corrected on the page."""
    fixes = {k: v for k, v in request.form.items() if re.fullmatch(r"cell_\d{1,6}_\d{1,3}", k)}
    if not fixes:
        return sheet
    rows = [list(r) for r in sheet.rows]
    for key, text in fixes.items():
        r, c = (int(n) for n in key.split("_")[1:])
        if 1 <= r <= len(rows) and c < len(rows[r - 1]):
            rows[r - 1][c] = text.strip()[:500]
    return Sheet(name=sheet.name, rows=tuple(tuple(r) for r in rows))


def _review_page(
    draft: Row,
    plan: PlanRow,
    tree: SiteTree,
    sheets: list[Sheet],
    mapping: Mapping,
    rows: list[RowFound],
    supplies: list[str],
    default: str | None,
    faults: list[str],
) -> Any:
    # Rows in doubt come first, so that none of them hides behind the preview's end.
    doubtful = [r for r in rows if r.doubts and not r.skipped]
    clear = [r for r in rows if not r.doubts and not r.skipped]
    status = 422 if faults else 200
    # A corrected cell must survive although its row may be clear now.
    fixes = {k: v for k, v in request.form.items() if re.fullmatch(r"cell_\d{1,6}_\d{1,3}", k)}
    shown = doubtful + clear[: max(0, PREVIEWED_ROWS - len(doubtful))]
    drawn = {f"cell_{r.number}_{c}" for r in doubtful for c in r.doubts}
    return (
        render_template(
            "audit/review.html",
            draft=draft,
            site=tree.site,
            plan=plan,
            sheets=sheets,
            mapping=mapping,
            headings=_headings(sheets, mapping),
            options=[("", "not used"), *HEADINGS.items()],
            units=_units(sheets, mapping),
            column_units=COLUMN_UNITS,
            taken={name: request.form.getlist(f"take_{name}") for name in ("provenance", "burst")},
            provenances=PROVENANCE_WORDS,
            offer=_offer,
            rows=shown,
            skipped=[r for r in rows if r.skipped and r.skipped != "empty"],
            counts={"clear": len(clear), "doubtful": len(doubtful), "hidden": len(doubtful) + len(clear) - len(shown)},
            supplies=supplies,
            default=default,
            faults=faults,
            accepted=request.form.getlist("accept"),
            left=request.form.getlist("leave"),
            fixes={k: v for k, v in fixes.items() if k not in drawn},
            become=_becomes,
            unmapped="name" not in mapping.columns,
            first_rows=sheets[mapping.sheet].rows[:12],
        ),
        status,
    )


def _units(sheets: list[Sheet], mapping: Mapping) -> list[tuple[bool, str, str]]:
    """Return for each column whether its numbers need a unit, the one its heading names, and the one that was chosen."""
    headings = _headings(sheets, mapping)
    return [
        (key in CURRENT_FIELDS, unit_of_heading(headings[c]), mapping.units[c] if c < len(mapping.units) else "")
        for c, key in enumerate(mapping.columns)
    ]


def _offer(row: RowFound) -> dict[str, str]:
    """Say what a row's remark offers."""
    burst = row.said_burst
    return {
        "provenance": PROVENANCE_WORDS[row.said_provenance] if row.said_provenance else "",
        "burst": burst.text if burst else "",
        "current": request.form.get(f"burst_current_{row.number}") or ("" if burst is None else show_current(burst.current_a)),
    }


def _becomes(row: RowFound) -> str:
    """Say what a row would become in the register."""
    values = row.values
    if "standby" not in values:
        return "nothing yet"
    rail = f" on {show_quantity(values['rail_v'], 'V')}" if values.get("rail_v") else ""
    alarm = f", alarm {_short(values['alarm'])}" if values.get("alarm") is not None else ""
    supply = values.get("supply") or "unassigned"
    return f"{values['quantity']} × {_short(values['standby'])}{rail}{alarm}; {supply}; {PROVENANCE_WORDS[values['provenance']]}"


def _short(current_a: float) -> str:
    return show_current(float(f"{current_a:.6g}"))


def _headings(sheets: list[Sheet], mapping: Mapping) -> list[str]:
    row = sheets[mapping.sheet].rows[mapping.header_row] if mapping.header_row is not None else None
    return [(row[c] if row else "") or f"column {c + 1}" for c in range(len(mapping.columns))]
