"""The balance board as coordinates: the endurance strip with its loads as pieces to take. x in percent of the axis, y in pixels."""

from dataclasses import dataclass

from ypomoni.core.balancing import Offer
from ypomoni.core.results import LoadShare, PlanResult, SupplyResult
from ypomoni.core.wording import say_amps, say_hours, say_required_h
from ypomoni.storage.connection import Row
from ypomoni.web.view.strip import SHADES, axis_length_h, axis_ticks, hours_of
from ypomoni.web.view.words import VERDICT_WORDS

MODES = {"standby": "Standby", "alarm": "Alarm", "peak": "Peak"}
# A piece can be read, and on a touch screen taken with a thumb.
LEAST_PX, GREATEST_PX = 15.0, 40.0
LEAST_TOUCH_PX = 36.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """One load that can be taken: where it is drawn, and what is said of it."""

    load_id: int
    version: int
    quantity: int
    name: str
    current: str
    label: str
    y: float
    height: float
    shade: int
    thin: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class BoardLane:
    """One supply with its pieces; ``supply_id`` empty is the tray of what hangs on nothing."""

    supply_id: str
    key: str
    name: str
    hours: str
    must: str
    current: str
    verdict: str
    verdict_word: str
    is_weakest: bool
    end_x: float
    required_x: float
    height: float
    pieces: tuple[Piece, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Board:
    """All lanes, the tray, and the axis they share."""

    lanes: tuple[BoardLane, ...]
    tray: tuple[Piece, ...]
    tray_height: float
    touch: bool
    ticks: tuple[tuple[float, str, str], ...]
    mode: str
    has_thin: bool


def build_board(result: PlanResult, supplies: list[Row], loads: list[Row], mode: str, *, touch: bool = False) -> Board:
    """Return the board of a plan, its pieces as thick as their current in a mode."""
    least_px = LEAST_TOUCH_PX if touch else LEAST_PX
    rows, ids = {r["key"]: r for r in loads}, {s["key"]: s["id"] for s in supplies}
    axis_h = axis_length_h(result) if result.supplies else 24.0
    greatest_a = max((_current(share, mode) for s in result.supplies for share in s.shares), default=0.0)
    px_per_a = max(GREATEST_PX, least_px) / greatest_a if greatest_a > 0 else 0.0
    lanes = tuple(_lane(s, result, axis_h, px_per_a, least_px, rows, str(ids[s.key]), mode) for s in result.supplies)
    tray = tuple(_waiting(r, n, least_px) for n, r in enumerate(r for r in loads if r["supply_id"] not in ids.values()))
    return Board(
        lanes=lanes,
        tray=tray,
        tray_height=max(len(tray), 1) * least_px,
        touch=touch,
        ticks=axis_ticks(axis_h),
        mode=mode,
        has_thin=any(p.thin for lane in lanes for p in lane.pieces),
    )


def _current(share: LoadShare, mode: str) -> float:
    return {"standby": share.standby_current_a, "alarm": share.alarm_current_a, "peak": share.peak_current_a}[mode]


def _lane(
    s: SupplyResult, result: PlanResult, axis_h: float, px_per_a: float, least_px: float, rows: dict[str, Row], supply_id: str, mode: str
) -> BoardLane:
    expected_h = s.holdover.expected if s.holdover else 0.0
    pieces: list[Piece] = []
    y = 0.0
    shares = sorted((share for share in s.shares if share.key in rows), key=lambda share: -_current(share, mode))
    for n, share in enumerate(shares):
        true_px = _current(share, mode) * px_per_a
        height = round(max(true_px, least_px), 1)
        pieces.append(_piece(rows[share.key], _current(share, mode), y, height, n % SHADES, thin=true_px < least_px, on=s.name, mode=mode))
        y += height
    return BoardLane(
        supply_id=supply_id,
        key=s.key,
        name=s.name,
        hours=hours_of(s),
        must=say_required_h(s.standby_h),
        current="" if s.standby_current_a is None else f"{say_amps(s.standby_current_a)}, {say_amps(s.alarm_current_a or 0.0)} in alarm",
        verdict=s.verdict.value if s.verdict else "none",
        verdict_word=VERDICT_WORDS[s.verdict],
        is_weakest=s.key == result.weakest_supply,
        end_x=round(100 * min(expected_h, axis_h) / axis_h, 3),
        required_x=round(100 * min(s.standby_h, axis_h) / axis_h, 3),
        height=max(y, least_px),
        pieces=tuple(pieces),
    )


def _piece(row: Row, current_a: float, y: float, height: float, shade: int, *, thin: bool, on: str, mode: str) -> Piece:
    name = f"{row['name']} ×{row['quantity']}" if row["quantity"] > 1 else row["name"]
    return Piece(
        load_id=row["id"],
        version=row["version"],
        quantity=row["quantity"],
        name=name,
        current=say_amps(current_a),
        label=f"{name}, {say_amps(current_a)} {MODES[mode].lower()}, on {on}",
        y=round(y, 1),
        height=height,
        shade=shade,
        thin=thin,
    )


def _waiting(row: Row, n: int, least_px: float) -> Piece:
    return _piece(
        row, row["standby_current_a"] * row["quantity"], n * least_px, least_px, n % SHADES, thin=False, on="nothing", mode="standby"
    )


def say_offers(offers: tuple[Offer, ...], supplies: list[Row], own_id: int | None) -> list[dict[str, object]]:
    """Return what each lane says while a load is held over it."""
    by_key = {s["key"]: s for s in supplies}
    found: list[dict[str, object]] = []
    for offer in offers:
        supply = by_key[offer.supply_key]
        is_own = supply["id"] == own_id
        if not offer.may:
            text = f"May not: {offer.reason}"
        else:
            after = "nothing would draw" if offer.holdover_h is None else say_hours(offer.holdover_h)
            was = "" if offer.was_h is None else f", now {say_hours(offer.was_h)}"
            text = f"{'Without it' if is_own else 'With it'} {after}{was} · {say_amps(offer.standby_current_a or 0.0)}"
        found.append({"supply": str(supply["id"]), "may": offer.may and not is_own, "own": is_own, "meets": offer.meets, "text": text})
    return found
