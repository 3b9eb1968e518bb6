"""One cell of the register as an edit of the whole load: the same form, filled from the row, with one text replaced."""

from typing import Any

from werkzeug.datastructures import MultiDict

from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.telling.wording import plain_number
from ypomoni.core.things.device_types import improbable_current, say_improbable
from ypomoni.documents.quantities import read_current, show_current, show_kept, show_quantity
from ypomoni.records.field import Row
from ypomoni.records.kinds import RATIO
from ypomoni.records.load import LoadRow
from ypomoni.web.audit.register import GOVERNED, load_cells
from ypomoni.web.records.forms import LoadForm, typed_over

UNIT_FACTORS = (200.0, 5000.0)
CELLS = tuple(GOVERNED)


def form_of_cell(tree: SiteTree, row: LoadRow, cell: str, text: str) -> LoadForm:
    """Return the form of a load with the text of one cell replaced."""
    supplies = tree.supplies.get(row["plan_id"], [])
    cells = load_cells(row, tree)
    # The rail is taken from the other current's text only when that is the one edited.
    for name in ("standby", "alarm"):
        if name != cell and cells[name] and "@" in cells[name]:
            cells[name] = show_current(read_current(cells[name])[0])
    texts: dict[str, Any] = {**cells, cell: text, **_rest(row)}
    form = LoadForm(MultiDict(texts))
    form.supply.choices = {"": "unassigned"} | {str(s["id"]): s["name"] for s in supplies}
    form.place.choices = {"": "not said"} | {str(p["id"]): p["name"] for p in tree.places}
    return form


def slip_of_cell(row: LoadRow, cell: str, changes: Row) -> str:
    """Return what looks like a slip of unit in a current typed over another, as a question, or nothing."""
    column = f"{cell}_current_a"
    before_a, after_a = row.get(column), changes.get(column)
    if cell not in ("standby", "alarm") or not after_a:
        return ""
    if not before_a:
        before_a = after_a
    times = max(after_a / before_a, before_a / after_a)
    if not UNIT_FACTORS[0] <= times <= UNIT_FACTORS[1]:
        found = improbable_current(row["name"], changes.get("rail_v", row["rail_v"]), after_a, in_alarm=cell == "alarm")
        return f"{say_improbable(found)}. Is the unit right?" if found else ""
    size = "times as much as" if after_a > before_a else "times less than"
    return (
        f"{show_current(after_a)} is about {plain_number(times, 2)} {size} the {show_current(before_a)} that stood here: is the unit right?"
    )


def changes_of_cell(form: LoadForm, cell: str, row: LoadRow) -> Row:
    """Return the columns a cell governs; the others stay as they are, to the last digit. A figure typed over a measured one is an estimate."""
    columns = form.columns()
    names = GOVERNED[cell]
    columns = {**dict.fromkeys(names), **columns}
    if cell in ("standby", "alarm") and getattr(form[cell], "rail_v", None) is not None:
        names = (*names, "rail_v")
    changes = {name: columns[name] for name in names}
    return typed_over(changes, dict(row)) if cell in ("standby", "alarm") else changes


def _rest(row: LoadRow) -> dict[str, str]:
    found = {
        "rail_v": show_quantity(row["rail_v"], "V"),
        "converter": row["converter_kind"] or "",
        "converter_efficiency_ratio": show_kept(row["converter_efficiency_ratio"], RATIO, 0.01),
        "behaviour": row["behaviour"],
        "min_v": show_quantity(row["min_v"], "V"),
    }
    return found | {name: "y" for name in ("essential", "pinned") if row[name]}
