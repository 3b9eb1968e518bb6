"""The page models of building a bank: ways to it, its wiring as a picture and as tables, its blocks, its charger. As finished strings."""

from dataclasses import dataclass

from ypomoni.core.evaluation.building import BankWay, PlaceDrop, Protected, bank_ways, drops, protect
from ypomoni.core.evaluation.chargers import ChargerWay, charger_schools
from ypomoni.core.evaluation.living import with_new_bank
from ypomoni.core.evaluation.parts import PartLine
from ypomoni.core.evaluation.two_banks import SwitchPosition
from ypomoni.core.telling.results import Verdict, Working
from ypomoni.core.telling.wording import (
    plain_number,
    say_amp_hours,
    say_amp_hours_needed,
    say_amps,
    say_amps_at_least,
    say_bank,
    say_hours,
    say_hours_up,
    say_percent,
    say_range,
    say_required_h,
    say_volts,
)
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply
from ypomoni.core.wiring.arrangement import Seat, string_v, wrongs_of
from ypomoni.core.wiring.fuses import fuse_kind_of
from ypomoni.core.wiring.mixing import mismatches, most_rest_v, say_apart
from ypomoni.core.wiring.plan import MOST_BLOCKS, WiringPlan, greatest_spread_ratio, shares_of, wire
from ypomoni.web.power.laying_out import LaidOut, bank_of, kinds_of
from ypomoni.web.power.wiring_drawing import NARROW_COUNT, WIDE_COUNT, Drawing, draw, say_cm
from ypomoni.web.words import VERDICT_WORDS

# More than this between the blocks of one bank, and the first ones age early.
WIDE_SPREAD_RATIO = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class BankWayRow:
    """One way to a bank, in words."""

    key: str
    name: str
    joined: str
    charge: str
    hours: str
    band: str
    verdict: str
    verdict_word: str
    recharge: str
    weight: str
    size: str
    price: str
    refused: str
    reason: str
    risks: tuple[str, ...]
    is_recommended: bool


def way_rows(supply: Supply, loads: tuple[Load, ...]) -> tuple[list[BankWayRow], str]:
    """Return the ways to what a supply needs, and why none is recommended where none is."""
    ways, why = bank_ways(supply, loads)
    return [_way_row(w) for w in ways], why


def way_key(way: BankWay) -> str:
    """Return what names a way in an address."""
    s = way.sold
    return f"{s.block_v:g}-{s.capacity_ah:g}-{s.rate_h:g}-{s.series}-{s.parallel}"


def _way_row(way: BankWay) -> BankWayRow:
    result, must_h, sold = way.result, way.result.standby_h, way.sold
    verdict = (
        Verdict.FAILS if way.refused and result.verdict in (Verdict.HOLDS, Verdict.ON_PAPER_ONLY) else result.verdict or Verdict.UNKNOWN
    )
    to = say_percent(result.recharge_to_ratio)
    recharge = (
        "not asked for"
        if result.recharge_h is None
        else "never"
        if result.recovery_h is None
        else f"{to} after {say_hours_up(result.recovery_h)}"
    )
    if result.recovery_h is not None and result.recharge_h is None:
        recharge = f"{to} after {say_hours_up(result.recovery_h)}"
    return BankWayRow(
        key=way_key(way),
        name=way.name,
        joined=f"{sold.series} in series × {sold.parallel} {'string' if sold.parallel == 1 else 'strings'}",
        charge=f"{say_volts(sold.series * sold.block_v)} {say_amp_hours(way.c20_ah, 3)}",
        hours=say_hours(way.band.expected, must_h=must_h) if way.band else "nothing draws",
        band=say_range(way.band.low, way.band.high, must_h=must_h) if way.band else "",
        verdict=verdict.value,
        verdict_word=VERDICT_WORDS[verdict],
        recharge=recharge,
        weight="" if way.weight_kg is None else f"{plain_number(way.weight_kg)} kg",
        size="" if way.block_mm is None else f"{way.blocks_count} × {' × '.join(plain_number(m) for m in way.block_mm)} mm",
        price="" if way.price is None else plain_number(way.price),
        refused=way.refused,
        reason=way.reason,
        risks=way.risks,
        is_recommended=way.is_recommended,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LinkRow:
    """One link, in words."""

    number: str
    colour: str
    length: str
    section: str
    way: str
    ends: str
    role: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SeatRow:
    """One block that is laid out, with the steps that change it."""

    number: str
    words: str
    string: int
    position: int
    turned: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class WiringView:
    """What is laid out: what it comes to, what is wrong with it, its picture and its links."""

    text: str
    comes_to: str
    adds: str
    wrongs: tuple[str, ...]
    shares: str
    wide: Drawing | None
    narrow: Drawing | None
    links: tuple[LinkRow, ...]
    strings: tuple[tuple[int, tuple[SeatRow, ...]], ...]
    kinds: list[tuple[str, str]]
    field: str
    fault: str
    is_bank: bool
    is_fitted: bool
    refused: str
    typed: dict[str, str]


def wiring_view(supply: Supply, loads: tuple[Load, ...], tried: LaidOut, typed: dict[str, str] | None = None) -> WiringView | None:
    """Return the view of what is laid out for a supply; None without a bank."""
    bank = supply.bank
    if bank is None:
        return None
    made = bank_of(tried, bank)
    wrongs = wrongs_of(tried.arrangement, supply.nominal_v)
    protected = protect(supply if made is None else with_new_bank(supply, made), loads)
    refused = ""
    plan: WiringPlan | None = None
    if tried.blocks_count > MOST_BLOCKS:
        refused = f"This bank has {tried.blocks_count} blocks. At most {MOST_BLOCKS} are drawn: look for fewer, larger blocks."
    elif protected is None or protected.choice is None:
        refused = protected.refused if protected else ""
    else:
        plan = wire(tried.arrangement, protected.choice)
    strings = tuple((n, tuple(_seat_rows(plan, string, n))) for n, string in enumerate(tried.arrangement, 1))
    drawings = _drawings(supply, plan, tried, bool(wrongs), protected) if plan else (None, None)
    is_fitted = made is not None and (made.block_v, made.capacity_ah, made.series, made.parallel) == (
        bank.block_v,
        bank.capacity_ah,
        bank.series,
        bank.parallel,
    )
    return WiringView(
        text=tried.text,
        comes_to=_comes_to(tried),
        adds=_adds(tried),
        wrongs=tuple(w.harm for w in wrongs),
        shares=_shares(plan, protected) if plan and not wrongs and protected else "",
        wide=drawings[0],
        narrow=drawings[1],
        links=tuple(_link_rows(plan)) if plan else (),
        strings=strings,
        kinds=kinds_of(bank, supply.stock),
        field=tried.field,
        fault=tried.fault,
        is_bank=made is not None and not wrongs,
        is_fitted=is_fitted,
        refused=refused,
        typed=typed
        or {"blocks": str(tried.blocks_count), "series": str(len(tried.arrangement[0])), "strings": str(len(tried.arrangement))},
    )


def _comes_to(tried: LaidOut) -> str:
    whole = [s for s in tried.arrangement if all(seat.block is not None for seat in s)]
    if not whole:
        return "nothing: no string is whole"
    volts = {round(string_v(s), 6) for s in whole}
    least_ah = sum(min(seat.block.rated_c20_ah for seat in s if seat.block) for s in whole)
    if len(volts) > 1:
        return "no voltage of its own: its strings differ"
    return f"{say_volts(volts.pop())} {say_amp_hours_needed(least_ah, 3)}"


def _adds(tried: LaidOut) -> str:
    """Say what series and parallel add here."""
    series, strings = max(len(s) for s in tried.arrangement), len(tried.arrangement)
    first = tried.arrangement[0][0].block
    if first is None:
        return ""
    volts = f"{series} in series: {series} × {say_volts(first.block_v)}" if series > 1 else f"One in a string: {say_volts(first.block_v)}"
    charge = (
        f"{strings} strings in parallel: {strings} × {say_amp_hours(first.rated_c20_ah, 3)}"
        if strings > 1
        else f"One string: {say_amp_hours(first.rated_c20_ah, 3)}"
    )
    return f"{volts}, series adds volts. {charge}, parallel adds amp-hours."


def _seat_rows(plan: WiringPlan | None, string: tuple[Seat, ...], n: int) -> list[SeatRow]:
    numbers = {(p.string, p.position): p.number for p in plan.blocks} if plan else {}
    return [
        SeatRow(
            number=numbers.get((n, k), f"{n}.{k}"),
            words="empty" if seat.block is None else f"{say_volts(seat.block.block_v)} {plain_number(seat.block.capacity_ah)} Ah",
            string=n,
            position=k,
            turned=seat.turned,
        )
        for k, seat in enumerate(string, 1)
    ]


def _drawings(supply: Supply, plan: WiringPlan, tried: LaidOut, is_wrong: bool, protected: Protected | None) -> tuple[Drawing, Drawing]:
    load_a = protected.need.greatest_a if protected else 0.0
    shares = shares_of(plan, load_a) if load_a > 0 and not is_wrong else {}
    words: dict[str, tuple[str, ...]] = {}
    for part in plan.blocks:
        block = tried.arrangement[part.string - 1][part.position - 1].block
        if block is not None:
            share = (f"carries {say_percent(shares[part.number])}",) if part.number in shares and len(tried.arrangement) > 1 else ()
            words[part.number] = (f"{plain_number(block.block_v)} V {plain_number(block.capacity_ah)} Ah", *share)
    said = f"Wiring of {_comes_to(tried)}: {len(plan.blocks)} blocks, {len(plan.links)} links."
    if is_wrong:
        said = f"Wrong: {said}"
    wide, narrow = (draw(plan, in_row=n, block_words=words, supply_name=supply.name, said=said) for n in (WIDE_COUNT, NARROW_COUNT))
    return wide, narrow


def _shares(plan: WiringPlan, protected: Protected) -> str:
    strings = len(plan.arrangement)
    if strings == 1:
        return "One string: every block carries the whole current."
    spread = greatest_spread_ratio(plan, max(protected.need.greatest_a, 1e-3))
    even = say_percent(1 / strings)
    off = f"no block is more than {plain_number(100 * spread, 2)} % off that" if spread > 1e-4 else "all alike"
    more = " That is much: join each string by its own lead of one length to a plus and a minus bar." if spread > WIDE_SPREAD_RATIO else ""
    return f"Plus is taken off at string 1 and minus at string {strings}, so each block carries {even}: {off}.{more}"


def _link_rows(plan: WiringPlan) -> list[LinkRow]:
    return [
        LinkRow(
            number=w.number,
            colour=w.colour.value,
            length=say_cm(w.length_m),
            section=f"{plain_number(w.section_mm2)} mm²",
            way=f"{say_node(w.from_node)} to {say_node(w.to_node)}",
            ends=w.from_end if w.from_end == w.to_end else f"{w.from_end}, {w.to_end}",
            role=w.role,
        )
        for w in plan.links
    ]


def say_node(node: str) -> str:
    """Return a terminal in words: B1 plus, F1, the supply's minus."""
    sign = {"+": " plus", "−": " minus"}.get(node[-1], "")
    return f"{node[:-1]}{sign}"


@dataclass(frozen=True, slots=True, kw_only=True)
class ProtectionRow:
    """One thing that protects the bank: what, which, why, and its working."""

    what: str
    which: str
    why: str
    working: Working | None = None


def protection_rows(protected: Protected) -> list[ProtectionRow]:
    """Return fuse, string fuses, isolator and lead, with why."""
    choice, need, bank = protected.choice, protected.need, protected.bank
    if choice is None:
        return []
    volts = f"{say_volts(protected.fuse_dc_v)} DC" if protected.fuse_dc_v else f"more than {say_volts(protected.bears_v)} DC"
    breaks_a = protected.chosen_breaks_a
    breaks = f"Breaking capacity: {say_amps(protected.breaks_a, 2)} required, " + (
        f"{plain_number(breaks_a, 4)} A for this fuse." if breaks_a is not None else "look it up on the fuse's data sheet at this voltage."
    )
    if protected.enough_a is not None:
        breaks += (
            f" {say_amps(protected.enough_a)} is enough for the current: such a fuse also fits where its data sheet states "
            f"{say_amps(protected.breaks_a, 2)} breaking capacity."
        )
    chosen = protected.protection
    kind = fuse_kind_of(choice.fuse_a or 0.0, chosen.fuse_kind if chosen else None).value
    flows = ", ".join(
        f"{say_amps(a)} {word}"
        for a, word in ((need.standby_a, "in standby"), (need.alarm_a, "in alarm"), (need.charge_a, "of charge"))
        if a is not None
    )
    bursts = f"; pulses of up to {say_amps(need.greatest_a)}" if need.greatest_a > need.continuous_a * 1.001 else ""
    rows = [
        ProtectionRow(
            what="Main fuse F1",
            which=f"{say_amps(choice.fuse_a or 0.0)} {kind} fuse, {volts}",
            why=f"Through it flow {flows}{bursts}. {breaks}",
            working=protected.workings["fuse"],
        )
    ]
    if choice.string_fuse_a is not None:
        rows.append(
            ProtectionRow(
                what="A fuse in each string",
                which=f"{say_amps(choice.string_fuse_a)}, {volts}",
                why="With one string out, the others carry its share. Into a shorted block the other strings would drive their current.",
            )
        )
    rows.append(
        ProtectionRow(
            what="Isolator Q1",
            which=f"for {say_amps_at_least(choice.fuse_a or 0.0)} and {say_volts(protected.bears_v)} DC"
            if choice.isolator
            else "not asked for",
            why="So that whoever works on the bank works on dead leads."
            if choice.isolator
            else "Asked for from 38 Ah or 48 V. The fuse holder takes its place here.",
        )
    )
    rows.append(
        ProtectionRow(
            what="Battery lead",
            which=f"{say_cm(choice.lead_m)} of {plain_number(choice.lead_mm2)} mm²",
            why=(
                ""
                if protected.replaces_mm2 is None
                else f"The {plain_number(protected.replaces_mm2)} mm² lead that is there is too thin and is replaced. "
            )
            + f"It bears the fuse, and loses at most {say_volts(protected.workings['lead'].value or 0.0)}.",
            working=protected.workings["lead"],
        )
    )
    rows.append(
        ProtectionRow(
            what="Into a dead short",
            which=f"about {say_amps(protected.breaks_a, 2)}",
            why=f"What {say_bank(bank.series, bank.parallel, bank.block_v, bank.capacity_ah, bank.rate_h)} gives before a fuse opens: insulated tools, rings off.",
            working=protected.workings["short"],
        )
    )
    return rows


@dataclass(frozen=True, slots=True, kw_only=True)
class DropRow:
    """What one lead loses, in words."""

    name: str
    lead: str
    standby: str
    alarm: str
    peak: str
    allowed: str
    needed: str
    is_enough: bool


def drop_rows(supply: Supply, loads: tuple[Load, ...], protected: Protected) -> list[DropRow]:
    """Return what every lead loses."""
    return [_drop_row(d) for d in drops(supply, loads, protected)]


def _drop_row(d: PlaceDrop) -> DropRow:
    needed = "none listed: feed it from nearby" if d.needed_mm2 is None else f"{plain_number(d.needed_mm2)} mm²"
    return DropRow(
        name=d.name,
        lead=f"{say_cm(d.length_m)} of {plain_number(d.section_mm2)} mm²",
        standby=say_volts(d.standby_v),
        alarm=say_volts(d.alarm_v),
        peak=say_volts(d.peak_v),
        allowed=say_volts(d.allowed_v),
        needed="this one" if d.is_enough else needed,
        is_enough=d.is_enough,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BlockRowView:
    """One place of the bank with what is known of the block there, as it was typed."""

    number: str
    key: str
    named: str
    string: int
    position: int
    made: str
    fitted: str
    capacity: str
    condition: str
    rest: str
    is_odd: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class BlocksView:
    """What is there, block by block, and what does not belong together."""

    rows: tuple[BlockRowView, ...]
    odd: tuple[str, ...]
    limits: str


def blocks_view(supply: Supply) -> BlocksView | None:
    """Return the blocks of a bank, those of which nothing was said as well; None without a bank, or with more than are drawn."""
    bank = supply.bank
    if bank is None or bank.series * bank.parallel > MOST_BLOCKS:
        return None
    known = {(b.string, b.position): b for b in bank.blocks}
    found = mismatches(bank)
    odd = {b.key for m in found for b in m.odd}
    rows: list[BlockRowView] = []
    for string in range(1, bank.parallel + 1):
        for position in range(1, bank.series + 1):
            b = known.get((string, position))
            rows.append(
                BlockRowView(
                    number=f"B{len(rows) + 1}",
                    key=b.key if b else "",
                    named="" if b is None or b.key == f"b{len(rows) + 1}" else b.key,
                    string=string,
                    position=position,
                    made=(b.made if b else None) or "",
                    fitted=(b.fitted if b else None) or "",
                    capacity="" if b is None or b.capacity_ah is None else f"{plain_number(b.capacity_ah)} Ah",
                    condition="" if b is None or b.condition_ratio is None else f"{plain_number(100 * b.condition_ratio)} %",
                    rest="" if b is None or b.rest_v is None else f"{plain_number(b.rest_v, 4)} V",
                    is_odd=b is not None and b.key in odd,
                )
            )
    most_v = most_rest_v(bank)
    rest = (
        f", at rest at most {say_volts(most_v)} apart"
        if most_v is not None
        else ". Their volts at rest tell nothing of this kind: charge each full first"
    )
    return BlocksView(
        rows=tuple(rows),
        odd=tuple(say_apart(m) for m in found),
        limits=f"Blocks of one bank: one size, made at most 6 months apart, conditions at most 10 points apart{rest}.",
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SchoolRow:
    """One school of charging, in words."""

    name: str
    asked: str
    sold: str
    whole: str
    nearly: str
    full: str
    words: tuple[str, ...]
    refused: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargerView:
    """The schools side by side, and what is there now."""

    rows: tuple[SchoolRow, ...]
    at: str
    ten_hours: str
    now: str
    must: str


def charger_view(supply: Supply, loads: tuple[Load, ...]) -> ChargerView | None:
    """Return the view of a supply's charger; None where no school applies."""
    found = charger_schools(supply, loads)
    if found is None:
        return None
    at = (
        ""
        if found.charge_v is None
        else f"at {say_volts(found.charge_v)}" + (", which is usual: none is entered" if found.is_assumed_v else "")
    )
    requirement = supply.requirement
    must = (
        ""
        if requirement.recharge_h is None
        else f"{say_percent(requirement.recharge_to_ratio)} within {say_required_h(requirement.recharge_h)}"
    )
    if found.now_a is None:
        now = "What is there now cannot be said: its charge limit or its current is not entered."
    else:
        now = f"What is there now charges with {say_amps(found.now_a)} beside its loads: 80 % {_after(found.now_nearly_h)}, 95 % {_after(found.now_full_h)}."
    return ChargerView(rows=tuple(_school_row(w) for w in found.ways), at=at, ten_hours=found.ten_hours, now=now, must=must)


def _after(hours_h: float | None) -> str:
    return "never" if hours_h is None else f"after {say_hours(hours_h)}"


def _school_row(way: ChargerWay) -> SchoolRow:
    return SchoolRow(
        name=way.name,
        asked="" if way.asked_a is None else say_amps(way.asked_a),
        sold="" if way.sold_a is None else say_amps(way.sold_a),
        whole="" if way.whole_a is None else say_amps_at_least(way.whole_a),
        nearly="" if way.sold_a is None else _after(way.nearly_h),
        full="" if way.sold_a is None else _after(way.full_h),
        words=way.words,
        refused=way.refused,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PositionRow:
    """One position of two isolators, in words."""

    first: str
    second: str
    feeds: str
    charged: str
    forbidden: str


def position_rows(positions: tuple[SwitchPosition, ...]) -> list[PositionRow]:
    """Return the positions of two isolators."""
    return [
        PositionRow(
            first="closed" if p.first_closed else "open",
            second="closed" if p.second_closed else "open",
            feeds=p.feeds,
            charged=p.charged,
            forbidden=p.forbidden,
        )
        for p in positions
    ]


def part_table(lines: tuple[PartLine, ...]) -> list[list[str]]:
    """Return a parts list as a table, its heading first."""
    table = [["Supply", "Part", "On the drawing", "Quantity", "Unit", "Of it new", "Price of one", "Price of the new", "Remark"]]
    for line in lines:
        price = "" if line.price is None else plain_number(line.price)
        whole = "" if line.price is None else plain_number(line.price * line.new_quantity, 6)
        table.append(
            [
                line.supply_name,
                line.what,
                " ".join(line.numbers),
                plain_number(line.quantity, 4),
                line.unit or "pieces",
                plain_number(line.new_quantity, 4),
                price,
                whole,
                line.remark,
            ]
        )
    return table
