"""Changes in words: what of which thing was what and is what."""

from dataclasses import dataclass
from datetime import datetime

from ypomoni.actions.history import Back
from ypomoni.actions.news import Change
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.telling.wording import plain_number, say_amps, say_percent
from ypomoni.core.units import unit_of
from ypomoni.records.field import Row, fields_of
from ypomoni.records.kept import RECORDS

KIND_WORDS = {
    "load": "load",
    "supply": "supply",
    "point": "measuring point",
    "requirement": "requirement",
    "place": "place",
    "run": "distance",
    "plan": "plan",
    "site": "site",
    "reading": "reading",
}
MOST_FIELDS = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One request in the history."""

    change_id: int
    first_id: int
    at: datetime
    who: str
    lines: tuple[str, ...]
    more_count: int
    kinds: frozenset[str]
    is_undo: bool
    can_go_back: bool


def build_history(
    changes: list[Change], tree: SiteTree, *, find: str = "", who: str = "", kind: str = "", most_lines: int = 6
) -> list[Entry]:
    """Return the entries of a history that match: words in their lines, a person, a kind of thing."""
    names = names_of(tree)
    found: list[Entry] = []
    for change in changes:
        lines = say_change(change, names)
        kinds = frozenset(row["aggregate"] for row in change.rows)
        if (who and change.who != who) or (kind and kind not in kinds):
            continue
        if find and not any(all(word in line.casefold() for word in find.casefold().split()) for line in lines):
            continue
        found.append(
            Entry(
                change_id=change.last_id,
                first_id=min(row["id"] for row in change.rows),
                at=change.changed_at,
                who=change.who,
                lines=tuple(lines[:most_lines]),
                more_count=max(0, len(lines) - most_lines),
                kinds=kinds,
                is_undo=change.undoes is not None,
                can_go_back=bool(kinds & {"load", "supply", "point"}),
            )
        )
    return found


def names_of(tree: SiteTree) -> dict[tuple[str, int], str]:
    """Return the names of everything of a site, removed things too, by kind and id."""
    found: dict[tuple[str, int], str] = {("requirement", r["id"]): r["name"] for r in tree.requirements}
    found |= {("place", p["id"]): p["name"] for p in tree.places}
    for kind, rows in (("supply", tree.supplies), ("load", tree.loads), ("point", tree.points)):
        found |= {(kind, r["id"]): r["name"] for part in rows.values() for r in part}
    return found | {(kind, row["id"]): row["name"] for kind, row in tree.removed}


def say_change(change: Change, names: dict[tuple[str, int], str]) -> list[str]:
    """Return a line for each thing that a request changed, in the order it was done."""
    return [_say(row, names) for row in sorted(change.rows, key=lambda row: row["id"])]


def _say(row: Row, names: dict[tuple[str, int], str]) -> str:
    body = row["after"] or row["before"] or {}
    kind = KIND_WORDS.get(row["aggregate"], row["aggregate"])
    name = body.get("name") or (body.get("site") or {}).get("name") or kind
    if row["verb"] != "edit":
        words = {"create": "added", "remove": "removed", "restore": "brought back", "import": "brought in from a file"}
        return f"{name}: {kind} {words.get(row['verb'], row['verb'])}"
    parts = _differences(row["aggregate"], row["before"] or {}, row["after"] or {}, names)
    more = f" and {len(parts) - MOST_FIELDS} more" if len(parts) > MOST_FIELDS else ""
    return f"{name}: {', '.join(parts[:MOST_FIELDS])}{more}" if parts else f"{name}: saved again"


def _differences(kind: str, before: Row, after: Row, names: dict[tuple[str, int], str]) -> list[str]:
    fields = {f.column: f for f in fields_of(RECORDS[kind])} if kind in RECORDS else {}
    found: list[str] = []
    for column, now in after.items():
        was = before.get(column)
        field = fields.get(column)
        if field is None or field.told is None or was == now:
            continue
        label = field.told or _label(column)
        found.append(f"{label} {_value(column, was, names)} → {_value(column, now, names)}")
    return found


def _label(column: str) -> str:
    stem = column.rpartition("_")[0]
    return (stem if stem and unit_of(column) is not None else column).replace("bank_", "battery ").replace("_", " ")


def _value(column: str, value: object, names: dict[tuple[str, int], str]) -> str:
    if value is None:
        return "none"
    if column.endswith("_id") and isinstance(value, int):
        return names.get((column.removesuffix("_id"), value), "what is gone")
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return f"{len(value)}" if value else "none"
    if isinstance(value, int | float):
        suffix = column.rpartition("_")[2]
        if suffix == "a":
            return say_amps(float(value))
        if suffix == "ratio":
            return say_percent(float(value))
        return f"{plain_number(float(value))} {unit_of(column) or ''}".rstrip()
    return str(value).replace("_", " ")


def say_back(back: Back, tree: SiteTree) -> str:
    """Say what setting a plan back does to one thing of it."""
    kind = KIND_WORDS[back.aggregate]
    if back.then is None:
        return f"{back.now['name']}: {kind} goes, it was not there yet"
    parts = _differences(back.aggregate, {k: back.now.get(k) for k in back.then}, back.then, names_of(tree))
    if back.now["removed_at"] is not None:
        return f"{back.then['name']}: {kind} comes back"
    return f"{back.now['name']}: {', '.join(parts[:MOST_FIELDS])}"
