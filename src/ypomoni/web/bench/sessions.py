"""The page models of the bench: a device against its sheet, a lot of batteries with its verdicts and its strings, in words."""

from dataclasses import dataclass
from typing import Any

from ypomoni.core.measuring.battery_lot import BlockWord, Lot, expected_sag_v, judge_lot, match_strings
from ypomoni.core.measuring.device_bench import DeviceBench, DeviceVerdict, ModeUse, judge_device, least_input_a
from ypomoni.core.telling.results import Verdict
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_times, say_volts
from ypomoni.documents.quantities import show_duty, show_quantity
from ypomoni.records.bench import MODE_WORDS

# A word and a shape for each verdict.
BLOCK_WORDS = {
    BlockWord.GOOD: ("good", "holds"),
    BlockWord.UNTOLD: ("not told yet", "unknown"),
    BlockWord.AGAIN: ("charge and repeat", "note"),
    BlockWord.DOUBTFUL: ("doubtful", "on_paper_only"),
    BlockWord.REJECT: ("reject", "fails"),
}
DEVICE_WORDS = {
    Verdict.HOLDS: "keeps what its sheet says",
    Verdict.FAILS: "draws more than its sheet says",
    Verdict.ON_PAPER_ONLY: "look at the readings",
    Verdict.UNKNOWN: "no verdict yet",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class ModeView:
    """A mode in words."""

    name: str
    use: str
    draws: str
    moved: str
    fed: str
    dropped: str
    against: str
    lasts: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceView:
    """A device on the bench in words."""

    verdict: str
    word: str
    claimed: str
    floor: str
    draws_like: str
    modes: tuple[ModeView, ...]
    findings: tuple[Any, ...]
    burdens: tuple[tuple[str, str, str], ...]
    can_take: bool


def device_view(bench: DeviceBench) -> DeviceView:
    """Return a device in words."""
    told = judge_device(bench)
    floor_a = least_input_a(bench, bench.supply_v)
    doubted = any(f.code == "below_converter_floor" for f in told.findings)
    return DeviceView(
        verdict=told.verdict.value,
        word=DEVICE_WORDS.get(told.verdict, "no verdict yet"),
        claimed=_claimed(bench, told),
        floor="" if floor_a is None else f"At {say_volts(bench.supply_v)} it takes at least {say_amps(floor_a)}, whatever its sheet says.",
        draws_like="" if told.behaviour is None else told.behaviour.value.replace("_", " "),
        modes=tuple(_mode(bench, m) for m in told.modes),
        findings=told.findings,
        burdens=_burdens(bench),
        can_take=not doubted and bool(bench.of_use(ModeUse.STANDBY)),
    )


def _claimed(bench: DeviceBench, told: DeviceVerdict) -> str:
    if told.claimed_a is None:
        return "nothing was entered"
    claim = bench.claim
    if claim.current_a is not None:
        return say_amps(claim.current_a)
    if claim.runs_h and claim.battery_ah:
        return f"{say_hours(claim.runs_h)} on {show_quantity(claim.battery_ah, 'Ah')}, which is {say_amps(told.claimed_a)}"
    return f"{show_quantity(claim.power_w or 0.0, 'W')}, which is {say_amps(told.claimed_a)} at {say_volts(bench.supply_v)}"


def _mode(bench: DeviceBench, told: Any) -> ModeView:
    mode = told.mode
    moved = "" if mode.least_a is None or mode.greatest_a is None else f"{say_amps(mode.least_a)} to {say_amps(mode.greatest_a)}"
    comes = f", {show_duty(mode.duration_s, mode.per_hour)}" if mode.duration_s and mode.per_hour else ""
    return ModeView(
        name=mode.name,
        use=MODE_WORDS[mode.use.value] + comes,
        draws=f"{say_amps(mode.current_a)} ± {say_amps(told.limit_a, 2)}",
        moved=moved,
        fed=say_volts(bench.volts_of(mode)),
        dropped="" if told.burden_v is None else f"{plain_number(told.burden_v, 2)} V, so it saw {say_volts(told.seen_v)}",
        against="" if told.claimed_ratio is None else say_times(told.claimed_ratio),
        lasts="" if told.lasts_h is None else f"{say_hours(told.lasts_h)} at most",
    )


def _burdens(bench: DeviceBench) -> tuple[tuple[str, str, str], ...]:
    """Return what each range of the meter drops at what is to be expected, before anything is read."""
    expected_a = max([m.current_a for m in bench.modes] or [judge_device(bench).claimed_a or 0.0])
    found: list[tuple[str, str, str]] = []
    for r in bench.instrument.ranges:
        if r.burden_v is None:
            continue
        if expected_a > r.limit_a:
            found.append((f"{r.jack}, {say_amps(r.limit_a)}", "too small for it", ""))
        else:
            drop_v = r.burden_v * expected_a / r.limit_a
            found.append(
                (
                    f"{r.jack}, {say_amps(r.limit_a)}",
                    f"drops {plain_number(drop_v, 2)} V",
                    f"the device sees {say_volts(bench.supply_v - drop_v)}",
                )
            )
    return tuple(found)


@dataclass(frozen=True, slots=True, kw_only=True)
class BlockView:
    """A block of a lot in words."""

    label: str
    word: str
    shape: str
    reason: str
    more: tuple[str, ...]
    rest: str
    load: str
    sag: str
    resistance: str
    gave: str
    made: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LotView:
    """A lot in words."""

    blocks: tuple[BlockView, ...]
    counts: tuple[tuple[str, str, int], ...]
    kind_sag: str
    strings: tuple[tuple[str, ...], ...]
    rest: tuple[tuple[str, str], ...]
    unsettled: str


def lot_view(lot: Lot, series: int) -> LotView:
    """Return a lot in words."""
    verdicts = judge_lot(lot)
    blocks = []
    for block, told in zip(lot.blocks, verdicts, strict=True):
        word, shape = BLOCK_WORDS[told.word]
        blocks.append(
            BlockView(
                label=block.label,
                word=word,
                shape=shape,
                reason=told.reasons[0] if told.reasons else "",
                more=told.reasons[1:],
                rest=_shown(block.rest_v, "V"),
                load=_shown(block.load_v, "V"),
                sag="" if told.sag_v is None else f"{plain_number(told.sag_v, 2)} V",
                resistance="" if block.resistance_ohm is None else f"{plain_number(1e3 * block.resistance_ohm)} mΩ",
                gave=_shown(block.capacity_ah, "Ah"),
                made="" if block.made is None else f"{block.made:%b %Y}",
            )
        )
    counts = [(BLOCK_WORDS[w][1], BLOCK_WORDS[w][0], sum(v.word is w for v in verdicts)) for w in BlockWord]
    kind_sag_v = expected_sag_v(lot)
    matching = match_strings(lot, series)
    return LotView(
        blocks=tuple(blocks),
        counts=tuple(c for c in counts if c[2]),
        kind_sag="" if kind_sag_v is None else f"{plain_number(kind_sag_v, 2)} V",
        strings=matching.strings,
        rest=matching.rest,
        unsettled="" if lot.is_settled else _why_unsettled(lot),
    )


def _shown(value: float | None, unit: str) -> str:
    return "" if value is None else show_quantity(value, unit)


def _why_unsettled(lot: Lot) -> str:
    if not lot.is_charged:
        return "Nobody said that they were charged in full, so their volts at rest are not judged. Charge them, let them rest for 12 h, and read again."
    return "They have not rested for 12 h after the charge, so their volts at rest are not judged yet."
