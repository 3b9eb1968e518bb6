"""The file of a block: in which battery it was from when to when, and everything that was measured of it there and on the bench.

It is read from the history, so nothing is lost and nobody has to keep it.
"""

import re
from dataclasses import dataclass
from datetime import date

from ypomoni.actions.actor import Actor
from ypomoni.actions.errors import NotFound
from ypomoni.actions.lists import plans_of
from ypomoni.actions.upkeep import standing_plan
from ypomoni.core.telling.wording import plain_number, say_hours, say_percent
from ypomoni.core.things.supplies import Stage
from ypomoni.core.units import DAYS_PER_YEAR
from ypomoni.records.field import Row
from ypomoni.records.words import CHEMISTRY_WORDS
from ypomoni.storage.block_files import lots_with_block, supplies_with_block
from ypomoni.storage.changes import list_changes_of
from ypomoni.storage.connection import Connection
from ypomoni.storage.kept import SUPPLY

# What stood on site; of a proposal nothing ever did.
REAL_STAGES = (Stage.AS_FOUND.value, Stage.AS_LEFT.value)
# b1, 12, block 3, 2026-03-04-1: names that many blocks have, since nobody wrote them on one.
_COMMON = re.compile(r"(?:(?:b|block|nr\.?|no\.?|#)?\s*\d{1,3}|\d{4}-\d\d-\d\d-\d{1,4})", re.IGNORECASE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Stay:
    """One battery a block was in: where, as what, from when (None: before anything was logged) to when (None: it is there), what was noted."""

    site_id: int
    site_name: str
    supply_key: str
    supply_name: str
    what: str
    place: str
    from_on: date | None
    to_on: date | None
    told: tuple[tuple[date | None, str], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class BlockFile:
    """The file of a block. ``is_common`` where its name is one that many have, so that it is followed in one battery alone."""

    key: str
    is_common: bool
    made: str | None
    stays: tuple[Stay, ...]
    # What lots say of it: the lot's id, its name, when, and what was read.
    lots: tuple[tuple[int, str, str, str], ...]

    @property
    def reached_y(self) -> float | None:
        """How long it was in use until it was last taken out; None while it is in, or where nobody knows since when. [years]"""
        first, last = self.stays[0].from_on, self.stays[-1].to_on
        return None if first is None or last is None or any(s.to_on is None for s in self.stays) else (last - first).days / DAYS_PER_YEAR


def is_common(key: str) -> bool:
    """Say whether a block's name is one that many blocks have, and so tells nothing of which it is."""
    return _COMMON.fullmatch(key.strip()) is not None


def block_file(connection: Connection, actor: Actor, site_id: int, supply_key: str, key: str) -> BlockFile:
    """Return the file of a block of a battery; one with a name of its own is followed from battery to battery.

    Raises
    ------
    NotFound
        If no battery of that supply ever had a block of that name.
    """
    supplies = [s for s in supplies_with_block(connection, actor.organisation_id, key) if s["stage"] in REAL_STAGES]
    here = [s for s in supplies if (s["site_id"], s["key"]) == (site_id, supply_key)]
    if not here:
        raise NotFound
    common = is_common(key)
    by_site = plans_of(connection, actor, sorted({s["site_id"] for s in supplies}))
    standing = {n: standing_plan(plans) for n, plans in by_site.items()}
    batteries: dict[tuple[int, str], list[Row]] = {}
    for supply in here if common else supplies:
        batteries.setdefault((supply["site_id"], supply["key"]), []).append(supply)
    stays: list[Stay] = []
    made: str | None = None
    for rows in batteries.values():
        stood = standing.get(rows[0]["site_id"])
        spans = [span for row in rows for span in _spans(connection, actor, row, key, None if stood is None else stood["id"])]
        made = next((s.block["made"] for s in spans if s.block.get("made")), made)
        stays += _joined(rows[-1], spans)
    lots = [] if common else lots_with_block(connection, actor.organisation_id, key)
    return BlockFile(
        key=key,
        is_common=common,
        made=made,
        stays=tuple(sorted(stays, key=lambda s: (s.from_on or date.min, s.to_on or date.max))),
        lots=tuple((lot["id"], lot["name"], lot["tested_on"] or "", _read_in(lot, key)) for lot in lots),
    )


@dataclass(slots=True)
class _Span:
    """Some time in which a block was in the battery of one stored supply."""

    block: Row
    bank: Row
    from_on: date | None
    to_on: date | None
    told: list[tuple[date | None, str]]


def _spans(connection: Connection, actor: Actor, supply: Row, key: str, standing_id: int | None) -> list[_Span]:
    changes = list_changes_of(connection, actor.organisation_id, "supply", supply["id"])
    states: list[tuple[date | None, Row | None]] = [(c["changed_at"].date(), c["after"]) for c in changes]
    if changes and changes[0]["before"] is not None:
        # It came with a site file, before anything was logged here.
        states.insert(0, (None, changes[0]["before"]))
    if not changes:
        stored = SUPPLY.find(connection, actor.organisation_id, supply["id"])
        states = [(None, None if stored is None else dict(stored))]
    found: list[_Span] = []
    now: _Span | None = None
    for on, state in states:
        bank = state if state and state.get("bank_chemistry") and not state.get("removed") else {}
        block = next((b for b in bank.get("bank_blocks") or [] if b["key"] == key), None)
        if block is None:
            if now is not None:
                now.to_on, now = on, None
            continue
        if now is None:
            fitted = block.get("fitted")
            # What was known of it when it came, and what of the whole battery is told by its own page.
            told = [(on, words) for words in _noted({}, block, bank, bank)]
            now = _Span(block, bank, date.fromisoformat(fitted) if fitted else on, None, told)
            found.append(now)
        else:
            now.told += [(on, words) for words in _noted(now.block, block, now.bank, bank)]
            now.block, now.bank = block, bank
    if now is not None and supply["plan_id"] != standing_id:
        # Another plan says what stands there now. What it says of the block is a stay of its own.
        now.to_on = now.to_on or _stands_since(connection, actor, standing_id)
    for span in found:
        span.told += _tests_of(supply, span)
    return found


def _stands_since(connection: Connection, actor: Actor, plan_id: int | None) -> date | None:
    changes = [] if plan_id is None else list_changes_of(connection, actor.organisation_id, "plan", plan_id)
    return changes[0]["changed_at"].date() if changes else None


def _noted(before: Row, after: Row, bank_before: Row, bank_after: Row) -> list[str]:
    """Return in words what an edit noted of a block."""
    found: list[str] = []
    if after.get("condition_ratio") not in (None, before.get("condition_ratio")):
        found.append(f"tested at {say_percent(after['condition_ratio'])}")
    if after.get("rest_v") not in (None, before.get("rest_v")):
        found.append(f"rests at {plain_number(after['rest_v'], 4)} V")
    if after.get("capacity_ah") not in (None, before.get("capacity_ah")):
        found.append(f"{plain_number(after['capacity_ah'], 3)} Ah on its label")
    if bank_after.get("bank_condition_ratio") not in (None, bank_before.get("bank_condition_ratio")):
        found.append(f"the whole battery: condition {say_percent(bank_after['bank_condition_ratio'])}")
    return found


def _tests_of(supply: Row, span: _Span) -> list[tuple[date | None, str]]:
    found: list[tuple[date | None, str]] = []
    for test in supply["tests"]:
        on = date.fromisoformat(test["at"][:10])
        if test["supply"] == supply["key"] and (span.from_on or date.min) <= on <= (span.to_on or date.max):
            found.append((on, f"a discharge of the whole battery ran {say_hours(test['ran_h'])}"))
    return found


def _joined(supply: Row, spans: list[_Span]) -> list[Stay]:
    """Return the stays of a block in one battery. As found and as left tell of the same battery: where one goes on as the other, it is one stay."""
    found: list[_Span] = []
    for span in sorted(spans, key=lambda s: (s.from_on or date.min, s.to_on or date.max)):
        last = found[-1] if found else None
        if last is not None and (span.from_on or date.min) <= (last.to_on or date.max):
            last.to_on = None if span.to_on is None or last.to_on is None else max(last.to_on, span.to_on)
            last.block, last.bank = span.block, span.bank
            last.told += span.told
        else:
            found.append(span)
    return [
        Stay(
            site_id=supply["site_id"],
            site_name=supply["site_name"],
            supply_key=supply["key"],
            supply_name=supply["name"],
            what=f"{s.bank['bank_block_v']:g} V {s.block.get('capacity_ah') or s.bank['bank_capacity_ah']:g} Ah {CHEMISTRY_WORDS[s.bank['bank_chemistry']]}",
            place=f"string {s.block['string']}, place {s.block['position']}",
            from_on=s.from_on,
            to_on=s.to_on,
            told=tuple(sorted(dict.fromkeys(s.told), key=lambda t: (t[0] or date.min, t[1]))),
        )
        for s in found
    ]


def _read_in(lot: Row, label: str) -> str:
    block = next(b for b in lot["blocks"] if b["label"] == label)
    names = (("rest_v", "rests at {} V"), ("load_v", "{} V under load"), ("capacity_ah", "{} Ah"))
    parts = [words.format(plain_number(block[name], 4)) for name, words in names if block.get(name) is not None]
    if block.get("resistance_ohm") is not None:
        parts.append(f"{plain_number(1e3 * block['resistance_ohm'], 3)} mΩ")
    return ", ".join(parts) or "nothing read yet"
