"""The register as finished strings: filtered, cut to what is shown, a line about the rest of each load."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.telling.results import PlanResult
from ypomoni.core.telling.wording import plain_number, say_amps, say_percent
from ypomoni.documents.quantities import show_current, show_duty, show_kept, show_quantity
from ypomoni.records.field import Field, Flag, Real, Reference, Whole, Word, fields_of
from ypomoni.records.load import LoadRow
from ypomoni.records.site import PlanRow
from ypomoni.web.audit.duty import DutyStrip, build_duty
from ypomoni.web.plan.figures import Figure

SHOWN_AT_FIRST = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """A column of the register: its cell's field in the form, its heading, and how its cells are filled.

    ``of`` says whose cell it is, for those who hear the page. ``options`` names a list the page has; ``words`` are a field's own. ``more`` are
    the columns that change with the cell's own.
    """

    name: str
    heading: str
    of: str
    css: str = ""
    said: str = ""
    placeholder: str = ""
    options: str = ""
    words: tuple[tuple[str, str], ...] = ()
    is_number: bool = False
    more: tuple[str, ...] = ()


def _described(field: Field) -> Column:
    """Return the column of a field that asks for one by its heading."""
    words = (("", "–"), *field.words.items()) if isinstance(field, Word) else ()
    is_number = isinstance(field, Real | Whole)
    return Column(name=field.form_name, heading=field.cell, of=f"{field.cell} of", placeholder="–", words=words, is_number=is_number)


# A current's text, its limit and its reading go with its figure: another figure is not the one the reading gave.
_OF_READING = ("uncertainty_a", "reading")
COLUMNS = (
    Column(name="supply", heading="Supply", of="Supply of", css="c-supply", options="choices"),
    Column(name="place", heading="Place", of="Place of", css="c-place", options="places"),
    *(_described(f) for f in fields_of(LoadRow) if f.cell),
    Column(name="purpose", heading="For", of="Purpose of", css="c-for", options="purposes"),
    Column(name="quantity", heading="Qty", said="Quantity", of="Quantity of", css="c-qty", is_number=True),
    Column(
        name="standby",
        heading="Standby",
        said="Standby, each",
        of="Standby current of one",
        css="c-current",
        is_number=True,
        more=("standby_text", *(f"standby_{part}" for part in _OF_READING)),
    ),
    Column(
        name="standby_provenance",
        heading="Known from",
        of="Known from: standby current of",
        css="c-known",
        options="provenances",
        more=tuple(f"standby_{part}" for part in _OF_READING),
    ),
    Column(
        name="alarm",
        heading="Alarm",
        said="Alarm, each",
        of="Alarm current, empty if as in standby, of one",
        css="c-current",
        placeholder="as standby",
        is_number=True,
        more=("alarm_text", "alarm_provenance", *(f"alarm_{part}" for part in _OF_READING)),
    ),
)
_COLUMN_OF = {f.form_name: f.column for f in fields_of(LoadRow)}
# The columns each cell governs; the others stay as they are when it is edited. Those without a column in the register are edited by address.
GOVERNED: dict[str, tuple[str, ...]] = {c.name: (_COLUMN_OF[c.name], *c.more) for c in COLUMNS} | {
    "name": ("name",),
    "alarm_provenance": ("alarm_provenance", *(f"alarm_{part}" for part in _OF_READING)),
    "bus_group": ("bus_group",),
}
WORDY_PARTS = 5
_CELL_FIELDS = tuple(f for f in fields_of(LoadRow) if f.form_name in GOVERNED)


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What of the register is asked for."""

    text: str = ""
    supply: str = ""
    known: str = ""
    purpose: str = ""
    place: str = ""
    shown: int = SHOWN_AT_FIRST

    @property
    def is_filtered(self) -> bool:
        """Whether anything is filtered away."""
        return bool(self.text or self.supply or self.known or self.purpose or self.place)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadView:
    """One row of the register: what stands in its cells, and a line about the rest of it."""

    row: LoadRow
    cells: dict[str, str]
    more: str
    unassigned: bool
    duty: DutyStrip | None
    average: Figure | None


@dataclass(frozen=True, slots=True, kw_only=True)
class RegisterView:
    """The rows shown, how many there are, and what was asked."""

    rows: tuple[LoadView, ...]
    total: int
    matched: int
    asked: Asked
    columns: tuple[Column, ...] = COLUMNS


def build_register(tree: SiteTree, plan_row: PlanRow, asked: Asked, result: PlanResult | None = None) -> RegisterView:
    """Return the loads of a plan, supply by supply, unassigned ones first: they wait for one."""
    supplies = [s["id"] for s in tree.supplies.get(plan_row["id"], [])]
    order = {supply_id: n for n, supply_id in enumerate(supplies)}
    loads = sorted(tree.loads.get(plan_row["id"], []), key=lambda r: (order.get(r["supply_id"] or 0, -1), r["id"]))
    matching = [r for r in loads if _matches(r, asked, order)]
    shares = {s.key: (supply.key, s) for supply in (result.supplies if result else ()) for s in supply.shares}
    rows = tuple(view_load(tree, r, shares) for r in matching[: asked.shown])
    return RegisterView(rows=rows, total=len(loads), matched=len(matching), asked=asked)


def view_load(tree: SiteTree, row: LoadRow, shares: dict[str, Any]) -> LoadView:
    """Return one row."""
    found = shares.get(row["key"])
    average = None
    if found is not None:
        supply_key, share = found
        average = Figure(text=say_amps(share.standby_current_a), supply=supply_key, working=f"load-{row['key']}")
    return LoadView(
        row=row,
        cells=load_cells(row, tree),
        more=_more(row),
        unassigned=tree.hangs_on_nothing(row),
        duty=build_duty(row),
        average=average,
    )


def _matches(row: LoadRow, asked: Asked, supplies: dict[int, int]) -> bool:
    words = asked.text.casefold().split()
    hay = " ".join(str(row[k] or "") for k in ("name", "branch", "bus_group", "purpose")).casefold()
    if not all(w in hay for w in words):
        return False
    if asked.supply and asked.supply != (
        "none" if row["supply_id"] not in supplies and row["selector_key"] is None else str(row["supply_id"])
    ):
        return False
    if asked.place and asked.place != str(row["place_id"] or "none"):
        return False
    return asked.known in ("", row["standby_provenance"]) and asked.purpose in ("", row["purpose"] or "none")


def load_cells(row: LoadRow, tree: SiteTree) -> dict[str, str]:
    """Return what stands in the cells of a load: what was typed, where the figure is still the typed one."""
    known: dict[str, list[Any]] = {"supply_id": tree.supplies.get(row["plan_id"], []), "place_id": tree.places}
    found = {f.form_name: _cell(f, row, known) for f in _CELL_FIELDS}
    return found | {
        "standby": row["standby_text"] or _current(row["standby_current_a"], row["standby_uncertainty_a"]),
        "alarm": ""
        if row["alarm_current_a"] is None
        else row["alarm_text"] or _current(row["alarm_current_a"], row["alarm_uncertainty_a"]),
        "alarm_provenance": row["alarm_provenance"] or row["standby_provenance"],
    }


def _cell(field: Field, row: Mapping[str, Any], known: Mapping[str, list[Any]]) -> str:
    """Return what stands in the cell of a field: of a reference its id, if that is still there."""
    value = row[field.column]
    match field:
        case Reference():
            return str(value) if value in {r["id"] for r in known[field.column]} else ""
        case Real():
            return show_kept(value, field.kind, field.scale)
        case Flag():
            return "y" if value else ""
        case _:
            return "" if value is None else str(value)


def _current(current_a: float, uncertainty_a: float | None) -> str:
    """Return a current in full; one that a reading gave no finer than a hundredth of its uncertainty."""
    if uncertainty_a is None or current_a == 0:
        return show_current(current_a)
    digits = 1
    while digits < 12 and abs(float(f"{current_a:.{digits}g}") - current_a) > 0.01 * uncertainty_a:
        digits += 1
    return show_current(float(f"{current_a:.{digits}g}"))


def burst_words(bursts: list[dict[str, Any]]) -> str:
    """Return bursts in words."""
    return " · ".join(
        f"{show_current(b['current_a'])} for {show_duty(b['duration_s'], b['per_hour'])}" + (", in alarm" if b["during"] == "alarm" else "")
        for b in bursts
    )


def _more(row: LoadRow) -> str:
    parts: list[str] = [burst_words(row["bursts"])] if row["bursts"] else []
    for mode in row["thermostats"]:
        side = f"below {mode['below_degc']:g} °C" if mode.get("below_degc") is not None else f"above {mode['above_degc']:g} °C"
        parts.append(f"{mode['name']} adds {show_current(mode['current_a'])} {side}")
    parts += [f"{r['name']} {plain_number(r['per_day'])} a day" for r in row["recharges"]]
    on_ac = (("ac_power_w", "{} W"), ("ac_apparent_va", "{} VA"), ("ac_power_factor_ratio", "power factor {}"))
    if told := [words.format(plain_number(row[column])) for column, words in on_ac if row[column] is not None]:
        parts.append(" ".join(("AC", *told)))
    if row["converter_kind"]:
        ratio = f" {say_percent(row['converter_efficiency_ratio'])}" if row["converter_efficiency_ratio"] else ""
        parts.append(f"{show_quantity(row['rail_v'], 'V')} by {row['converter_kind']} converter{ratio}")
    if row["behaviour"] != "constant_current":
        parts.append("constant power" if row["behaviour"] == "constant_power" else "resistive")
    if row["bus_group"]:
        bus = row["bus_group"]
        parts.append(bus if bus.casefold().startswith("bus") else f"bus {bus}")
    if row["cable_length_m"] is not None:
        parts.append(f"{plain_number(row['cable_length_m'])} m of {plain_number(row['cable_section_mm2'] or 0.0)} mm²")
    if row["min_v"] is not None:
        parts.append(f"needs {show_quantity(row['min_v'], 'V')}")
    if row["standby_uncertainty_a"] is not None:
        parts.append(f"±{say_amps(row['standby_uncertainty_a'], 2)}, from a reading")
    if not row["essential"]:
        parts.append("may drop")
    return " · ".join(parts[:WORDY_PARTS])
