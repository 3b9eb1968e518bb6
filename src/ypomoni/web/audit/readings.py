"""A measuring point as finished strings: its states, its readings, and what may explain a difference."""

from dataclasses import dataclass
from typing import Any

from ypomoni.actions.audit import AuditResult
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.telling.wording import plain_number, say_amps
from ypomoni.core.things.readings import PointKind, State, why_not_load
from ypomoni.documents.quantities import show_current, show_quantity
from ypomoni.records.audit import ReadingRow
from ypomoni.records.field import Row
from ypomoni.records.site import PlanRow
from ypomoni.records.words import HOOKUP_WORDS, POINT_WORDS, STATE_WORDS


@dataclass(frozen=True, slots=True, kw_only=True)
class StateView:
    """A point in one state."""

    key: str
    name: str
    register: str
    sum_text: str
    read: str
    difference: str
    status: str
    status_word: str
    causes: tuple[tuple[str, str, str], ...]
    can_register: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingView:
    """One reading."""

    id: int
    key: str
    words: str
    when: str
    details: str
    superseded: str
    note: str
    questions: tuple[str, ...]
    can_take: bool
    taken: bool
    can_release: bool
    can_supersede: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PointView:
    """A point with everything known of it."""

    row: Row
    key: str
    name: str
    kind: str
    where: str
    states: tuple[StateView, ...]
    readings: tuple[ReadingView, ...]


def signed_current(current_a: float) -> str:
    """Return a current with its sign."""
    return f"{'−' if current_a < 0 else ''}{show_current(abs(current_a))}"


def reading_words(row: ReadingRow) -> str:
    """Return a reading in a line: value, state, mains."""
    state = row["state_note"] or STATE_WORDS[row["state"]].lower()
    mains = f", mains {row['mains']}" if row["mains"] else ""
    return f"{signed_current(row['value_a'])}, {state}{mains}"


def build_point(tree: SiteTree, plan: PlanRow, audit: AuditResult, key: str) -> PointView | None:
    """Return a point of a plan, or None."""
    point = next((p for p in audit.plan.points if p.key == key), None)
    row = next((p for p in tree.placed_points(plan["id"]) if p["key"] == key), None)
    if point is None or row is None:
        return None
    core = {r.key: r for r in audit.plan.readings}
    taken = _taken(tree, plan["id"])
    readings: list[ReadingView] = []
    all_rows = tree.readings.get(plan["id"], [])
    by_id = {r["id"]: r for r in all_rows}
    meters = {i["id"]: i["name"] for i in tree.instruments}
    for reading in reversed([r for r in all_rows if r["point_id"] == row["id"]]):
        newer = by_id.get(reading["superseded_by_id"] or 0)
        reason = why_not_load(core[reading["key"]], point) or ""
        node = audit.nodes.get((key, State(reading["state"])))
        if not reason and point.kind is not PointKind.DEVICE and node is not None and node.agrees is False:
            reason = "Sum and reading do not agree yet. Find the cause, or register the difference; then it can be taken into the register."
        readings.append(
            ReadingView(
                id=reading["id"],
                key=reading["key"],
                words=reading_words(reading),
                when=f"{reading['taken_at']:%d %b %Y, %H:%M}",
                details=_details(reading, meters),
                superseded="" if newer is None else f"Superseded by {signed_current(newer['value_a'])}: {newer['reason']}",
                note="" if newer else reason,
                questions=tuple(reading["open_questions"]),
                can_take=not reason and reading["state"] in ("standby", "alarm") and reading["key"] not in taken,
                taken=reading["key"] in taken,
                can_release=reading["key"] in taken and point.kind is not PointKind.DEVICE,
                can_supersede=newer is None,
            )
        )
    states = [n for n in audit.nodes.values() if n.point_key == key]
    parent = next((p["name"] for p in tree.placed_points(plan["id"]) if p["id"] == row["parent_id"]), None)
    return PointView(
        row=row,
        key=key,
        name=point.name,
        kind=POINT_WORDS[point.kind.value],
        where=f"behind {parent}" if parent else "the first of its supply",
        states=tuple(_state(n, point.kind is PointKind.DEVICE) for n in states),
        readings=tuple(readings),
    )


def _taken(tree: SiteTree, plan_id: int) -> set[str]:
    """Return the keys of the readings that are in the register."""
    found = {t.get("reading") for s in tree.supplies.get(plan_id, []) for t in s["totals"]}
    for load in tree.loads.get(plan_id, []):
        found |= {load["standby_reading"], load["alarm_reading"]}
    return {k for k in found if k}


def _state(node: Any, is_device: bool) -> StateView:
    status = "open" if node.agrees is None else "agrees" if node.agrees else "differs"
    difference = ""
    if node.residual_a is not None and node.combined_a is not None:
        side = "more" if node.residual_a > 0 else "less"
        difference = f"{say_amps(abs(node.residual_a), 2)} {side} than expected; ±{say_amps(node.combined_a, 2)} can be uncertainty"
    causes = tuple((c.evidence, c.way_out, _likely(c.score_ratio)) for c in node.causes)
    read = "not measured" if node.read_a is None else f"{say_amps(node.read_a)} ±{say_amps(node.read_limit_a or 0.0, 2)}"
    missing = status == "differs" and (node.residual_a or 0.0) > 0 and not is_device
    return StateView(
        key=node.state.value,
        name=STATE_WORDS[node.state.value],
        register=f"{say_amps(node.register_a)} ±{say_amps(node.register_limit_a, 2)}",
        sum_text=say_amps(node.sum_a),
        read=read,
        difference=difference,
        status=status,
        status_word={"open": "not measured", "agrees": "adds up", "differs": "does not add up"}[status],
        causes=causes,
        can_register=missing and node.state in (State.STANDBY, State.ALARM),
    )


def _likely(score_ratio: float) -> str:
    """Return how well a cause fits, no more precise than that is known."""
    return "likely" if score_ratio >= 0.6 else "possible" if score_ratio >= 0.3 else "less likely"


def _details(row: ReadingRow, meters: dict[int, str]) -> str:
    span = ""
    if row["min_a"] is not None and row["max_a"] is not None:
        span = f"{signed_current(row['min_a'])} to {signed_current(row['max_a'])}"
    parts = [
        span,
        f"battery {plain_number(row['battery_v'], 4)} V" if row["battery_v"] is not None else "",
        meters.get(row["instrument_id"] or 0, "") or "common multimeter",
        HOOKUP_WORDS[row["hookup"]].lower(),
        show_quantity(row["temperature_degc"], "°C"),
        f"by {row['taken_by']}" if row["taken_by"] else "",
        f"written as {row['as_written']}" if row["as_written"] else "",
        "plus is charge" if row["positive_means"] == "charge" else "",
        row["remark"],
    ]
    return " · ".join(p for p in parts if p)
