"""Create, edit, remove and restore an aggregate, on the version it was read at, checked within its site, and logged."""

import re
from collections.abc import Generator, Iterable, Sequence
from contextlib import contextmanager
from dataclasses import replace
from typing import Any

import psycopg

from ypomoni.actions.actor import Actor
from ypomoni.actions.errors import NotFound, Refused, StaleEdit, Unreadable
from ypomoni.actions.site_tree import SiteTree, read_trees
from ypomoni.documents.faults import DocumentFaults, Fault
from ypomoni.documents.site_file import SiteFile, read_site
from ypomoni.records.field import Row, blank_row
from ypomoni.records.kept import RECORDS
from ypomoni.records.library import InstrumentRow, StockRow
from ypomoni.records.nesting import part_of_row
from ypomoni.storage.changes import insert_change, insert_changes, select_batch, select_last_bank, select_last_change
from ypomoni.storage.connection import Connection, lock_shared
from ypomoni.storage.kept import AGGREGATES, ORGANISATION_WIDE, PLAN, SITE

EMPTY_SITE: dict[str, Any] = {
    "format": "ypomoni-site",
    "version": 1,
    "site": {"name": "shared", "typical_degc": 20, "min_degc": 20},
    "requirements": [],
    "plans": [],
}
SHARED_PARTS: dict[str, tuple[type, str]] = {"instrument": (InstrumentRow, "instruments"), "stock": (StockRow, "stock")}
_TWICE = ("name", "was added by somebody else at the same moment: save again.")
CONSTRAINTS = {
    "site_temperatures": ("min_degc", "the lowest temperature must not be above the typical one, nor the highest below it."),
    "load_quantity": ("quantity", "must be at least 1."),
    "run_pair": ("supply", "has a run from this place already: edit that one."),
    "run_key": ("supply", "has a run from this place already: edit that one."),
    **{
        f"{name}_key": _TWICE
        for name in (
            "requirement",
            "plan",
            "supply",
            "load",
            "place",
            "point",
            "instrument",
            "device",
            "stock",
            "profile",
            "bench_supply",
            "benched_device",
            "battery_lot",
        )
    },
}


def read_tree(connection: Connection, actor: Actor, site_id: int, *, lock: bool = False, frame: bool = False) -> SiteTree:
    """Return the tree of a site of the actor's organisation, or raise `NotFound`.

    ``frame`` leaves out loads, points and readings: enough to know what a load may refer to.
    """
    site = SITE.find(connection, actor.organisation_id, site_id, lock=lock)
    if site is None or site["removed_at"] is not None:
        raise NotFound
    return read_trees(connection, actor.organisation_id, [site], frame=frame)[0]


def find(connection: Connection, actor: Actor, name: str, aggregate_id: int, *, removed: bool = False) -> Any:
    """Return an aggregate, or raise `NotFound`; one that has been removed only where that is said. Its record is that of its name."""
    row = AGGREGATES[name].find(connection, actor.organisation_id, aggregate_id)
    if row is None or (row["removed_at"] is not None and not removed):
        raise NotFound
    return row


def claim(connection: Connection, actor: Actor, name: str, aggregate_id: int, *, removed: bool = False) -> Any:
    """Return an aggregate as `find` does, with nobody else able to change it or its site until the transaction ends.

    Everything that is written locks its site first, and then needs no lock of a row: so writers never wait for each other in a circle.
    """
    _lock_for(connection, actor, name, find(connection, actor, name, aggregate_id, removed=removed))
    # It may have been changed until the lock was given.
    return find(connection, actor, name, aggregate_id, removed=removed)


def _lock_for(connection: Connection, actor: Actor, name: str, row: Row) -> None:
    """Lock the site a row belongs to, or what the whole organisation shares."""
    site_id = _site_id(connection, actor, name, row)
    if site_id is None:
        lock_shared(connection, actor.organisation_id)
    elif SITE.find(connection, actor.organisation_id, site_id, lock=True) is None:
        raise NotFound


def create(connection: Connection, actor: Actor, name: str, values: Row, taken: set[str] | None = None) -> Any:
    """Insert an aggregate with every column given or empty, a fresh key where it has one, and log it.

    Raises
    ------
    Refused
        If the site would no longer be whole with it.
    """
    return create_many(connection, actor, name, [values], taken)[0]


def shared_keys(connection: Connection, actor: Actor, name: str) -> set[str]:
    """Return the keys that are taken among an organisation's own things of a kind, removed ones included."""
    return {row["key"] for row in ORGANISATION_WIDE[name].every(connection, actor.organisation_id)}


def create_many(connection: Connection, actor: Actor, name: str, entries: list[Row], taken: set[str] | None = None) -> list[Any]:
    """Insert several aggregates of one parent; see `create`. All of them or none."""
    made = create_unchecked(connection, actor, name, entries, taken)
    if made:
        _check_after(connection, actor, name, made[0])
    return made


def create_unchecked(connection: Connection, actor: Actor, name: str, entries: list[Row], taken: set[str] | None = None) -> list[Any]:
    """Insert aggregates as `create_many` does and log them, and leave it to the caller to check the site once all is in it."""
    aggregate = AGGREGATES[name]
    keys = FreshKeys(taken or ())
    rows: list[Row] = []
    for values in entries:
        row: Row = blank_row(RECORDS[name]) | values
        row["organisation_id"] = actor.organisation_id
        if "key" in aggregate.columns:
            row["key"] = keys.of(row["name"], row["key"])
        rows.append(row)
    if rows and name != "site":
        _lock_for(connection, actor, name, rows[0])
    with _translated():
        made = aggregate.add_many(connection, rows)
    if made:
        site_id = _site_id(connection, actor, name, made[0])
        _log_many(connection, actor, "create", name, site_id, [(None, row) for row in made])
    return made


def edit_many(connection: Connection, actor: Actor, name: str, wanted: list[tuple[int, int, Row]]) -> list[Any]:
    """Change several aggregates of one site, each given as id, version and columns. All of them or none; see `edit_within`."""
    return edit_many_within(connection, actor, name, wanted)[0]


def claim_many(connection: Connection, actor: Actor, name: str, aggregate_ids: list[int]) -> list[Any]:
    """Return several aggregates of one parent as `claim` does, in one look at that parent however many they are."""
    if not aggregate_ids:
        return []
    first = claim(connection, actor, name, aggregate_ids[0])
    parent = next((c for c in ("plan_id", "site_id") if c in first), None)
    if parent is None or len(aggregate_ids) == 1:
        return [first, *(claim(connection, actor, name, n) for n in aggregate_ids[1:])]
    # One look for all: a bulk edit of thousands of loads would otherwise ask thousands of times under the lock.
    there = {
        row["id"]: row for row in AGGREGATES[name].every(connection, actor.organisation_id, [first[parent]]) if row["removed_at"] is None
    }
    if any(n not in there for n in aggregate_ids):
        raise NotFound
    return [there[n] for n in aggregate_ids]


def edit_many_within(
    connection: Connection, actor: Actor, name: str, wanted: list[tuple[int, int, Row]]
) -> tuple[list[Any], tuple[SiteTree, SiteFile] | None]:
    """Change several aggregates as `edit_many` does, and return them with their checked site; None where nothing changed."""
    changed: list[tuple[Row, Row]] = []
    rows = claim_many(connection, actor, name, [aggregate_id for aggregate_id, _, _ in wanted])
    for row, (_, version, changes) in zip(rows, wanted, strict=True):
        refuse_stale(connection, actor, name, row, version)
        if any(row[key] != value for key, value in changes.items()):
            with _translated():
                changed.append((row, AGGREGATES[name].change(connection, {**row, **changes})))
    if not changed:
        return [], None
    whole = check_whole(connection, actor, name, changed[0][1])
    _log_many(connection, actor, "edit", name, whole[0].site["id"], list(changed))
    return [after for _, after in changed], whole


def undo_batch(connection: Connection, actor: Actor, batch: str) -> int:
    """Take back everything one request did, and return how many things that were; it is a batch of its own and can be undone again.

    Raises
    ------
    NotFound
        If there is no such batch in the actor's organisation.
    Refused
        If something of it was changed since, or the site would no longer be whole.
    """
    actor = replace(actor, undoes=batch)
    changes = [c for c in select_batch(connection, actor.organisation_id, batch) if c["verb"] in _REVERTED]
    if not changes:
        raise NotFound
    last: tuple[str, Row] | None = None
    claim(connection, actor, changes[0]["aggregate"], changes[0]["aggregate_id"], removed=True)
    for change in changes:
        last = (change["aggregate"], _take_back(connection, actor, change))
    if last:
        _check_after(connection, actor, *last)
    return len(changes)


_REVERTED = frozenset({"create", "edit", "remove", "restore"})


def _take_back(connection: Connection, actor: Actor, change: Row) -> Row:
    name, aggregate = change["aggregate"], AGGREGATES[change["aggregate"]]
    row = aggregate.find(connection, actor.organisation_id, change["aggregate_id"])
    if row is None:
        raise NotFound
    if change["verb"] == "edit":
        before, after = change["before"], change["after"]
        # Of what has changed since only the columns of this edit matter: whoever changed another one loses nothing.
        columns = [c for c in aggregate.columns if before.get(c) != after.get(c)]
        if row["removed_at"] is not None or any(row[c] != after[c] for c in columns):
            raise Refused([Fault("", f"{row['name']} was changed since: it is left as it is now.")])
        back = aggregate.change(connection, {**row, **{c: before[c] for c in columns}})
        log_change(connection, actor, "edit", name, back, change["site_id"], row, back)
        return back
    # What was made is removed and not deleted: the log, and whoever undoes this, still need the row.
    removed = change["verb"] in ("create", "restore")
    if (row["removed_at"] is not None) != removed:
        back = aggregate.mark(connection, actor.organisation_id, row["id"], removed=removed)
        log_change(connection, actor, "remove" if removed else "restore", name, back, change["site_id"], row if removed else None, back)
        return back
    return row


def edit(connection: Connection, actor: Actor, name: str, aggregate_id: int, version: int, changes: Row) -> Any:
    """Change columns of an aggregate and return it; see `edit_within`."""
    return edit_within(connection, actor, name, aggregate_id, version, changes)[0]


def edit_within(
    connection: Connection, actor: Actor, name: str, aggregate_id: int, version: int, changes: Row
) -> tuple[Any, SiteTree, SiteFile]:
    """Change columns of an aggregate that is still at ``version``, log what it was and what it is, and return it with its checked site.

    Raises
    ------
    NotFound
        If there is no such thing in the actor's organisation.
    StaleEdit
        If it has another version now.
    Refused
        If the site would no longer be whole.
    """
    row = claim(connection, actor, name, aggregate_id)
    refuse_stale(connection, actor, name, row, version)
    if all(row[key] == value for key, value in changes.items()):
        return row, *check_whole(connection, actor, name, row)
    with _translated():
        changed = AGGREGATES[name].change(connection, {**row, **changes})
    tree, site_file = check_whole(connection, actor, name, changed)
    log_change(connection, actor, "edit", name, changed, tree.site["id"], row, changed)
    return changed, tree, site_file


def edit_shared(connection: Connection, actor: Actor, name: str, aggregate_id: int, version: int, changes: Row) -> Any:
    """Change an aggregate of the organisation; see `edit_within`."""
    row = claim(connection, actor, name, aggregate_id)
    refuse_stale(connection, actor, name, row, version)
    changed = AGGREGATES[name].change(connection, {**row, **changes})
    check_shared(connection, actor, name, changed)
    log_change(connection, actor, "edit", name, changed, None, row, changed)
    return changed


def remove(connection: Connection, actor: Actor, name: str, aggregate_id: int, version: int) -> Any:
    """Remove an aggregate; it can be restored."""
    return remove_many(connection, actor, name, [(aggregate_id, version)])[0]


def remove_many(connection: Connection, actor: Actor, name: str, wanted: list[tuple[int, int]]) -> list[Any]:
    """Remove several aggregates of one parent, each given as id and version. All of them or none; they can be restored."""
    rows = claim_many(connection, actor, name, [aggregate_id for aggregate_id, _ in wanted])
    gone: list[Any] = []
    for row, (_, version) in zip(rows, wanted, strict=True):
        refuse_stale(connection, actor, name, row, version)
        if name == "requirement":
            _refuse_in_use(connection, actor, row)
        if name == "plan" and len(read_tree(connection, actor, row["site_id"]).plans) == 1:
            raise Refused([Fault("", "This is the only plan of the site: a site keeps at least one.")])
        gone.append(AGGREGATES[name].mark(connection, actor.organisation_id, row["id"], removed=True))
    if gone:
        _log_many(connection, actor, "remove", name, _site_id(connection, actor, name, gone[0]), [(row, None) for row in rows])
    return gone


def restore(connection: Connection, actor: Actor, name: str, aggregate_id: int) -> Any:
    """Bring a removed aggregate back. What is back already stays as it is."""
    row = claim(connection, actor, name, aggregate_id, removed=True)
    if row["removed_at"] is None:
        return row
    back = AGGREGATES[name].mark(connection, actor.organisation_id, aggregate_id, removed=False)
    site_id = _check_after(connection, actor, name, back)
    log_change(connection, actor, "restore", name, back, site_id, None, back)
    return back


@contextmanager
def _translated() -> Generator[None]:
    """Say in words which constraint a row breaks."""
    try:
        yield
    except psycopg.errors.IntegrityError as error:
        path, message = CONSTRAINTS.get(error.diag.constraint_name or "", ("", "does not go together with the rest of the site."))
        raise Refused([Fault(path, message)]) from error


def restore_bank(connection: Connection, actor: Actor, supply_id: int) -> Any:
    """Put the bank that was last taken out of a supply back in, unless there is one again."""
    supply = claim(connection, actor, "supply", supply_id)
    bank = select_last_bank(connection, actor.organisation_id, supply_id)
    if bank is None:
        raise NotFound
    return supply if supply["bank_chemistry"] is not None else edit(connection, actor, "supply", supply_id, supply["version"], bank)


def _check_after(connection: Connection, actor: Actor, name: str, row: Row) -> int | None:
    """Check what a written row belongs to, and return its site's id; None where that is the whole organisation."""
    if name in ORGANISATION_WIDE:
        check_shared(connection, actor, name, row)
        return None
    return check_whole(connection, actor, name, row)[0].site["id"]


def check_whole(connection: Connection, actor: Actor, name: str, row: Row) -> tuple[SiteTree, SiteFile]:
    """Return the site a row belongs to, or raise `Refused` with what the row breaks in it."""
    site_id = _site_id(connection, actor, name, row)
    if site_id is None:
        raise NotFound
    # The site's lock makes edits of one site follow each other, so that two of them cannot break it together.
    tree = read_tree(connection, actor, site_id, lock=True)
    try:
        return tree, read_site(tree.document())
    except DocumentFaults as error:
        raise Refused([_within(f, tree, name, row) for f in error.faults]) from error


def change_together(connection: Connection, actor: Actor, wanted: list[tuple[str, Row, Row]]) -> None:
    """Change several rows of one site, each given as name, row and columns, and check the site once all is changed."""
    changed: list[tuple[str, Row, Row]] = []
    for name, row, columns in wanted:
        if any(row[key] != value for key, value in columns.items()):
            changed.append((name, row, AGGREGATES[name].change(connection, {**row, **columns})))
    if not changed:
        return
    tree, _ = check_whole(connection, actor, changed[0][0], changed[0][2])
    for name, before, after in changed:
        log_change(connection, actor, "edit", name, after, tree.site["id"], before, after)


def read_document(tree: SiteTree) -> SiteFile:
    """Return the site file of a tree that was checked when it was saved, or raise `Unreadable`: what is stored is never trusted to be whole."""
    try:
        return read_site(tree.document(), stored=True)
    except DocumentFaults as error:
        raise Unreadable(tree.site, error.faults) from error


def check_shared(connection: Connection, actor: Actor, name: str, row: Row | None = None) -> None:
    """Raise `Refused` where an organisation's own things of a kind could not go out with a site: a field of this one, or too many of them.

    Every site of the organisation holds them, so one that breaks the limits would take every page along.
    """
    if name not in SHARED_PARTS:
        return
    # Checked as part of an otherwise empty site, so that the limits are those of a site file and stand in one place.
    rows = [r for r in ORGANISATION_WIDE[name].every(connection, actor.organisation_id) if r["removed_at"] is None]
    record, listed = SHARED_PARTS[name]
    document = {**EMPTY_SITE, listed: [part_of_row(record, r) for r in rows]}
    try:
        read_site(document)
    except DocumentFaults as error:
        own = next((f"{listed}[{n}]" for n, r in enumerate(rows) if row is not None and r["id"] == row["id"]), None)
        faults = [Fault(f.path[len(own) :].lstrip("."), f.message) if own and f.path.startswith(own) else f for f in error.faults]
        raise Refused(faults) from error


class FreshKeys:
    """Keys made of names, none twice. However many things have one name, each key is found at once."""

    def __init__(self, taken: Iterable[str]) -> None:
        self._taken = set(taken)
        self._next: dict[str, int] = {}

    def of(self, name: str, key: str | None = None) -> str:
        """Return the key that is given, or one made of a name that nothing else has."""
        if key:
            self._taken.add(key)
            return key
        base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "entry"
        found, n = base, self._next.get(base, 2)
        while found in self._taken:
            found, n = f"{base}-{n}", n + 1
        self._next[base] = n
        self._taken.add(found)
        return found


def fresh_key(name: str, taken: set[str]) -> str:
    """Return a key made of a name that no other entry of the list has."""
    return FreshKeys(taken).of(name)


def taken_keys(tree: SiteTree, name: str, plan_id: int | None = None) -> set[str]:
    """Return the keys of a list of the site, those of removed entries included: they may come back."""
    lists = {
        "requirement": tree.requirements,
        "plan": tree.plans,
        "supply": tree.supplies.get(plan_id or 0, []),
        "load": tree.loads.get(plan_id or 0, []),
        "place": tree.places,
        "run": tree.runs,
        "point": tree.points.get(plan_id or 0, []),
    }
    return {row["key"] for row in lists[name]} | {row["key"] for kind, row in tree.removed if kind == name}


def refuse_stale(connection: Connection, actor: Actor, name: str, row: Any, version: int) -> None:
    """Raise `StaleEdit`, with who changed a row and when, where it is no longer at a version."""
    if row["version"] != version:
        last = select_last_change(connection, actor.organisation_id, name, row["id"]) or {}
        raise StaleEdit(row, last.get("name"), last.get("changed_at"))


def _refuse_in_use(connection: Connection, actor: Actor, requirement: Row) -> None:
    tree = read_tree(connection, actor, requirement["site_id"])
    names = [s["name"] for supplies in tree.supplies.values() for s in supplies if s["requirement_id"] == requirement["id"]]
    if names:
        raise Refused([Fault("", f"{', '.join(names)} must meet this requirement: choose another for it first.")])


def _site_id(connection: Connection, actor: Actor, name: str, row: Row) -> int | None:
    if name in ORGANISATION_WIDE:
        return None
    if name == "site":
        return row["id"]
    if "site_id" in row:
        return row["site_id"]
    plan = PLAN.find(connection, actor.organisation_id, row["plan_id"])
    if plan is None:
        raise NotFound
    return plan["site_id"]


def _within(fault: Fault, tree: SiteTree, name: str, row: Row) -> Fault:
    """Return a fault with its path cut to the edited row, where it lies in it."""
    own = _path_of_row(tree, name, row)
    if own is not None and fault.path.startswith(own):
        return Fault(fault.path[len(own) :].lstrip("."), fault.message)
    return fault


def _path_of_row(tree: SiteTree, name: str, row: Row) -> str | None:
    def place(rows: list[Row]) -> int | None:
        return next((n for n, r in enumerate(rows) if r["id"] == row["id"]), None)

    if name == "site":
        return "site"
    if name in ("requirement", "plan", "place"):
        n = place({"requirement": tree.requirements, "plan": tree.plans, "place": tree.places}[name])
        return None if n is None else f"{name}s[{n}]"
    plan = next((n for n, p in enumerate(tree.plans) if p["id"] == row["plan_id"]), None)
    lists: dict[str, Any] = {"supply": (tree.supplies, "supplies"), "load": (tree.loads, "loads")}
    if name == "point":
        n, word = place(tree.placed_points(row["plan_id"])), "points"
    else:
        rows, word = lists[name]
        n = place(rows.get(row["plan_id"], []))
    return None if plan is None or n is None else f"plans[{plan}].{word}[{n}]"


def _log_many(
    connection: Connection, actor: Actor, verb: str, name: str, site_id: int | None, pairs: Sequence[tuple[Row | None, Row | None]]
) -> None:
    shared: Row = {
        "organisation_id": actor.organisation_id,
        "account_id": actor.account_id,
        "verb": verb,
        "aggregate": name,
        "site_id": site_id,
        "batch": actor.batch,
        "undoes": actor.undoes,
    }
    insert_changes(connection, shared, list(pairs))


def log_change(
    connection: Connection, actor: Actor, verb: str, name: str, row: Row, site_id: int | None, before: Row | None, after: Row | None
) -> None:
    insert_change(
        connection,
        organisation_id=actor.organisation_id,
        account_id=actor.account_id,
        verb=verb,
        aggregate=name,
        aggregate_id=row["id"],
        site_id=site_id,
        before=before,
        after=after,
        batch=actor.batch,
        undoes=actor.undoes,
    )
