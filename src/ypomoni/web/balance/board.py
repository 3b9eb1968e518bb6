"""The balance board as coordinates: the endurance strip with its loads as pieces to take. x in percent of the axis, y in pixels.

On a plan of hundreds of loads pieces can be searched for, taken by branch, and lanes shut.
"""

from dataclasses import dataclass, field

from ypomoni.core.balance.limits import Limit, Standing
from ypomoni.core.balance.moves import Offer
from ypomoni.core.balance.search import Move
from ypomoni.core.balance.search.relaxing import OF_MOVES
from ypomoni.core.outage.case import Hindrance
from ypomoni.core.telling.results import LoadShare, PlanResult, SupplyResult, Verdict
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_hours_up, say_required_h
from ypomoni.records.load import LoadRow
from ypomoni.records.supply import SupplyRow
from ypomoni.web.plan.figures import NO_CERTAIN_TIME
from ypomoni.web.plan.strip import SHADES, axis_length_h, axis_ticks, hours_of
from ypomoni.web.words import VERDICT_WORDS

MODES = {"standby": "Standby", "alarm": "Alarm", "peak": "Peak"}
# A piece can be read, and on a touch screen taken with a thumb. A shut lane only shows how much hangs there.
LEAST_PX, GREATEST_PX = 14.0, 38.0
LEAST_TOUCH_PX = 36.0
SHUT_PX = 26.0
FULLEST_PX = 180.0
GHOST_PX = 20.0
# Beside the pieces stand six lines of figures.
LEAST_LANE_PX = 74.0
LIMIT_WORDS = {
    Limit.HOURS: "hours",
    Limit.FORMULA: "prescribed formula",
    Limit.OUTPUT_STANDBY: "output in standby",
    Limit.OUTPUT_ALARM: "output in alarm",
    Limit.RECHARGE: "recharge",
    Limit.CELLS: "battery's greatest current",
    Limit.MAINS: "supply's own current",
    Limit.SEASON: "cuts and sun",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class BoardLook:
    """How the board is looked at."""

    mode: str = "standby"
    touch: bool = False
    find: str = ""
    by_branch: bool = False
    shut: frozenset[str] = field(default=frozenset())
    job: int | None = None
    option: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """One load, or all of a branch, that can be taken: where it is drawn, and what is said of it. ``members`` is ``id:version:quantity,…``."""

    members: str
    quantity: int
    name: str
    current: str
    label: str
    y: float
    height: float
    shade: int
    thin: bool
    pinned: bool = False
    leaving: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Ghost:
    """A piece that a proposal would put on a lane."""

    load_key: str
    text: str
    y: float


@dataclass(frozen=True, slots=True, kw_only=True)
class BoardLane:
    """One supply with its pieces; ``supply_id`` empty is the tray of what hangs on nothing."""

    supply_id: str
    key: str
    name: str
    hours: str
    is_computed: bool
    then: str
    band: str
    must: str
    lines: tuple[tuple[str, bool], ...]
    verdict: str
    verdict_word: str
    is_weakest: bool
    is_shut: bool
    end_x: float
    required_x: float
    height: float
    pieces: tuple[Piece, ...]
    ghosts: tuple[Ghost, ...]
    hidden_count: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Board:
    """All lanes, the tray, and the axis they share."""

    lanes: tuple[BoardLane, ...]
    tray: tuple[Piece, ...]
    tray_ghosts: tuple[Ghost, ...]
    tray_height: float
    look: BoardLook
    ticks: tuple[tuple[float, str, str], ...]
    has_thin: bool
    load_count: int
    found_count: int


def build_board(
    result: PlanResult,
    supplies: list[SupplyRow],
    loads: list[LoadRow],
    look: BoardLook,
    moves: tuple[Move, ...] = (),
    then_h: dict[str, float] | None = None,
) -> Board:
    """Return the board of a plan, its pieces as thick as their current, with what a proposal would move as ghosts.

    ``then_h``: how long each supply would hold after all of these moves, where that is known. [h]
    """
    least_px = LEAST_TOUCH_PX if look.touch else LEAST_PX
    by_key, rows = {s["key"]: s for s in supplies}, {r["key"]: r for r in loads}
    axis_h = axis_length_h(result) if result.supplies else 24.0
    greatest_a = max((_current(share, look.mode) for s in result.supplies for share in s.shares), default=0.0)
    fullest_a = max((sum(_current(share, look.mode) for share in s.shares) for s in result.supplies), default=0.0)
    # One scale for all lanes: the heaviest piece is not higher than that, and the fullest lane is not higher than this.
    px_per_a = min(max(GREATEST_PX, least_px) / greatest_a, FULLEST_PX / fullest_a) if greatest_a > 0 else 0.0
    names = {s["key"]: s["name"] for s in supplies}
    going = {m.load_key: names.get(m.to_key or "", "no supply") for m in moves if m.load_key in rows}
    drawing = _Drawing(rows=rows, look=look, px_per_a=px_per_a, least_px=least_px, going=going, then_h=then_h or {})
    lanes = tuple(drawing.lane(s, result, axis_h, by_key[s.key], moves) for s in result.supplies)
    ids = {s["id"] for s in supplies}
    waiting = [r for r in loads if r["supply_id"] not in ids and r["selector_key"] is None and drawing.is_found(r)]
    tray = tuple(
        drawing.piece([r], r["standby_current_a"] * r["quantity"], n * least_px, least_px, n, thin=False, on="nothing")
        for n, r in enumerate(waiting)
    )
    ghosts = drawing.ghosts(moves, None, len(tray) * least_px)
    return Board(
        lanes=lanes,
        tray=tray,
        tray_ghosts=ghosts,
        tray_height=max(len(tray), 1) * least_px + len(ghosts) * GHOST_PX,
        look=look,
        ticks=axis_ticks(axis_h),
        has_thin=any(p.thin for lane in lanes for p in lane.pieces),
        load_count=len(loads),
        found_count=sum(drawing.is_found(r) for r in loads),
    )


def _current(share: LoadShare, mode: str) -> float:
    return {"standby": share.standby_current_a, "alarm": share.alarm_current_a, "peak": share.peak_current_a}[mode]


@dataclass(frozen=True, slots=True, kw_only=True)
class _Drawing:
    rows: dict[str, LoadRow]
    look: BoardLook
    px_per_a: float
    least_px: float
    going: dict[str, str]
    then_h: dict[str, float]

    def is_found(self, row: LoadRow) -> bool:
        """Whether a load is among those searched for."""
        words = " ".join(str(row[name] or "") for name in ("name", "branch", "bus_group")).casefold()
        return all(word in words for word in self.look.find.casefold().split())

    def lane(self, s: SupplyResult, result: PlanResult, axis_h: float, supply: SupplyRow, moves: tuple[Move, ...]) -> BoardLane:
        expected_h = s.holdover.expected if s.holdover else 0.0
        supply_id = str(supply["id"])
        shares = [share for share in s.shares if share.key in self.rows]
        shown = [share for share in shares if self.is_found(self.rows[share.key])]
        is_shut = supply_id in self.look.shut
        pieces: list[Piece] = []
        y = 0.0
        for n, group in enumerate([] if is_shut else self._groups(shown)):
            current_a = sum(_current(share, self.look.mode) for share in group)
            true_px = current_a * self.px_per_a
            height = round(max(true_px, self.least_px), 1)
            pieces.append(self.piece([self.rows[g.key] for g in group], current_a, y, height, n, thin=true_px < self.least_px, on=s.name))
            y += height
        if is_shut:
            y = SHUT_PX
        ghosts = self.ghosts(moves, s.key, y)
        return BoardLane(
            supply_id=supply_id,
            key=s.key,
            name=s.name,
            hours=hours_of(s),
            is_computed=s.holdover is not None,
            then=self.then(s),
            band=f"{say_hours(s.holdover.low)} to {say_hours(s.holdover.high)}" if s.holdover and s.holdover.expected > 0 else "",
            must=say_required_h(s.standby_h),
            lines=() if is_shut else _lines(s, supply),
            verdict=s.verdict.value if s.verdict else "none",
            verdict_word=VERDICT_WORDS[s.verdict],
            is_weakest=s.key == result.weakest_supply,
            is_shut=is_shut,
            end_x=round(100 * min(expected_h, axis_h) / axis_h, 3),
            required_x=round(100 * min(s.standby_h, axis_h) / axis_h, 3),
            height=max(y + len(ghosts) * GHOST_PX, SHUT_PX if is_shut else LEAST_LANE_PX),
            pieces=tuple(pieces),
            ghosts=ghosts,
            hidden_count=len(shares) if is_shut else len(shares) - len(shown),
        )

    def then(self, s: SupplyResult) -> str:
        """Return how long a supply would hold after the moves of the proposal, where that is not what it holds now."""
        then_h = self.then_h.get(s.key)
        if then_h is None or s.holdover is None or abs(then_h - s.holdover.expected) < 0.01 * s.holdover.expected:
            return ""
        return say_hours(then_h, must_h=s.standby_h)

    def _groups(self, shares: list[LoadShare]) -> list[list[LoadShare]]:
        """Return the loads as they are taken, heaviest first: each by itself, or all of a branch at once."""
        groups: dict[str, list[LoadShare]] = {}
        for share in shares:
            branch = self.rows[share.key]["branch"] if self.look.by_branch else None
            groups.setdefault(f"branch {branch}" if branch else f"load {share.key}", []).append(share)
        return sorted(groups.values(), key=lambda group: -sum(_current(share, self.look.mode) for share in group))

    def piece(self, rows: list[LoadRow], current_a: float, y: float, height: float, n: int, *, thin: bool, on: str) -> Piece:
        row = rows[0]
        if len(rows) > 1:
            name = f"{row['branch']}, {len(rows)} loads"
        else:
            name = f"{row['name']} ×{row['quantity']}" if row["quantity"] > 1 else row["name"]
        to = self.going.get(row["key"], "") if len(rows) == 1 else ""
        pinned = any(r["pinned"] for r in rows)
        mode = "standby" if on == "nothing" else MODES[self.look.mode].lower()
        return Piece(
            members=",".join(f"{r['id']}:{r['version']}:{r['quantity']}" for r in rows),
            quantity=row["quantity"] if len(rows) == 1 else 1,
            name=name,
            current=say_amps(current_a),
            label=f"{name}, {say_amps(current_a)} {mode}, on {on}{', pinned' if pinned else ''}{f', to go to {to}' if to else ''}",
            y=round(y, 1),
            height=height,
            shade=n % SHADES,
            thin=thin,
            pinned=pinned,
            leaving=to,
        )

    def ghosts(self, moves: tuple[Move, ...], supply_key: str | None, y: float) -> tuple[Ghost, ...]:
        here = [m for m in moves if m.to_key == supply_key and m.load_key in self.rows]
        found: list[Ghost] = []
        for n, move in enumerate(here):
            row = self.rows[move.load_key]
            pieces = f" ×{row['quantity']}" if row["quantity"] > 1 else ""
            cable = f" · {plain_number(move.cable_m)} m" if move.cable_m else ""
            found.append(Ghost(load_key=move.load_key, text=f"{row['name']}{pieces}{cable}", y=round(y + n * GHOST_PX, 1)))
        return tuple(found)


def _lines(s: SupplyResult, supply: SupplyRow) -> tuple[tuple[str, bool], ...]:
    """Return what stands beside a lane, each with whether it is over its limit: currents, peak against output, charge and recovery."""
    found: list[tuple[str, bool]] = []
    limit_a = max([a for a in (supply["output_limit_a"], supply["alarm_output_limit_a"]) if a is not None], default=None)
    if s.peak_current_a is not None:
        limit = f" of {say_amps(limit_a)}" if limit_a is not None else ", limit not known"
        currents = f"{say_amps(s.standby_current_a or 0.0)}, alarm {say_amps(s.alarm_current_a or 0.0)}"
        found.append((f"{currents}, peak {say_amps(s.peak_current_a)}{limit}", s.overloaded))
    if s.charge_current_a is not None and s.recovery_h is not None:
        must = f" of {say_required_h(s.recharge_h)}" if s.recharge_h is not None else ""
        late = s.recharge_h is not None and s.recovery_h > s.recharge_h
        back = f"back in {say_hours_up(s.recovery_h)}{must}" if s.recovery_is_promised else f"back at {NO_CERTAIN_TIME}"
        found.append((f"charges {say_amps(s.charge_current_a)}, {back}", late))
    elif s.charge_current_a is not None:
        found.append((f"charges {say_amps(s.charge_current_a)}, never back", s.recharge_h is not None))
    return tuple(found)


def say_offers(offers: tuple[Offer, ...], supplies: list[SupplyRow]) -> list[dict[str, object]]:
    """Return what each lane says while pieces are held over it."""
    by_key = {s["key"]: s for s in supplies}
    found: list[dict[str, object]] = []
    for offer in offers:
        supply = by_key[offer.supply_key]
        asks = [
            {
                "place": run.place_key,
                "supply": run.supply_key,
                "text": f"How far is {run.place_name} from {supply['name']}? Up to {plain_number(run.greatest_m, 2)} m of "
                f"{plain_number(run.section_mm2)} mm² will do.",
            }
            for run in offer.unknown_runs
        ]
        found.append(
            {
                "supply": str(supply["id"]),
                "may": offer.may and not offer.is_own,
                "own": offer.is_own,
                "meets": offer.meets,
                "unsafe": offer.verdict is Verdict.UNSAFE,
                "text": f"May not: {offer.reason}" if not offer.may else _say_offer(offer),
                "more": _say_limits(offer) if offer.may else "",
                "asks": asks,
            }
        )
    return found


def _say_offer(offer: Offer) -> str:
    if offer.holdover_h is None:
        after = _NO_HOURS[offer.hindrance]
    else:
        after = say_hours(offer.holdover_h, must_h=offer.must_h)
        after += f" of {say_required_h(offer.must_h)}" if offer.must_h else ""
    was = "" if offer.was_h is None else f", now {say_hours(offer.was_h, must_h=offer.must_h)}"
    if offer.standby_current_a is None:
        return f"{'Without it' if offer.is_own else 'With it'} {after}{was}"
    return f"{'Without it' if offer.is_own else 'With it'} {after}{was} · {say_amps(offer.standby_current_a or 0.0)}"


def _say_limits(offer: Offer) -> str:
    """Say what beside the hours is over its limit, or that nothing is."""
    over = [say_standing(s) for s in offer.standings if not s.is_met and s.limit is not Limit.HOURS]
    if over:
        return "fails too: " + " · ".join(over)
    beside = [f for f in offer.severe if f.code not in _OF_STANDINGS]
    if beside:
        return f"{'unsafe' if offer.verdict is Verdict.UNSAFE else 'fails'}: {beside[0].evidence}"
    return "keeps all its limits" if offer.meets else ""


_NO_HOURS = {
    None: "nothing would draw",
    Hindrance.KIND: "its hours are not known: a part of it is not entered",
    Hindrance.AC_LOAD: "its hours are not computed yet, since it feeds AC",
    Hindrance.NO_BANK: "it has no battery, so it holds nothing",
    Hindrance.TOO_COLD: "its hours are not known: too cold for its battery",
    Hindrance.TOO_HOT: "its hours are not known: too hot for its battery",
}
# What the limits say already.
_OF_STANDINGS = OF_MOVES | {"no_bank"}


def say_standing(standing: Standing) -> str:
    """Say what of a limit is used."""
    amount, allowed = standing.amount, standing.allowed
    if standing.limit is Limit.HOURS:
        return f"holds {say_hours(amount or 0.0, must_h=allowed)} of {say_required_h(allowed)}"
    if standing.limit is Limit.CELLS:
        return f"asks {say_amps(amount or 0.0)} of the {say_amps(allowed)} its battery gives"
    if standing.limit is Limit.MAINS:
        return f"takes {say_amps(amount or 0.0)} of the {say_amps(allowed)} the supply gives"
    if standing.limit is Limit.RECHARGE:
        return f"back in {say_hours(amount, must_h=allowed)} of {say_required_h(allowed)}" if amount is not None else "never recharged"
    if standing.limit is Limit.SEASON:
        return "does not live through its season"
    if standing.limit is Limit.FORMULA:
        return f"formula asks {plain_number(amount or 0.0, 2)} of {plain_number(allowed)} Ah"
    state = "in alarm" if standing.limit is Limit.OUTPUT_ALARM else "in standby"
    return f"peak {state} {say_amps(amount or 0.0)} of {say_amps(allowed)}"
