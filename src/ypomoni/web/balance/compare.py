"""Plans beside each other as what their page shows."""

from dataclasses import dataclass

from ypomoni.core.balance.comparing import Comparison, FindingChange, LoadMove, SupplyChange
from ypomoni.core.judgement.seasons import say_cuts, say_solar
from ypomoni.core.telling.results import SupplyResult
from ypomoni.core.telling.wording import say_amps, say_bank, say_hours
from ypomoni.core.things.batteries import Bank
from ypomoni.records.words import CHEMISTRY_WORDS
from ypomoni.web.plan.strip import hours_of
from ypomoni.web.words import SEVERITY_WORDS

# Hours that differ by less are the same: no battery is known better.
SAME_RATIO = 0.01


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplyLine:
    """One supply before and after."""

    name: str
    was: str
    now: str
    trend: str
    was_current: str
    current: str
    parts: str
    was_season: str
    season: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ComparedMove:
    """One load that moved or changed."""

    name: str
    was_on: str
    is_on: str
    how: str


@dataclass(frozen=True, slots=True, kw_only=True)
class FindingLine:
    """One finding that is gone or new."""

    severity: str
    word: str
    supply: str
    evidence: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CompareView:
    """Everything in which one plan differs from another."""

    was_name: str
    name: str
    supplies: tuple[SupplyLine, ...]
    moves: tuple[ComparedMove, ...]
    gone: tuple[FindingLine, ...]
    new: tuple[FindingLine, ...]

    @property
    def is_same(self) -> bool:
        """Whether nothing differs."""
        return not (self.moves or self.gone or self.new) and all(
            s.trend == "same" and not s.parts and s.was_season == s.season for s in self.supplies
        )


def build_comparison(was_name: str, name: str, found: Comparison) -> CompareView:
    """Return a comparison in words."""
    return CompareView(
        was_name=was_name,
        name=name,
        supplies=tuple(_supply(s) for s in found.supplies),
        moves=tuple(_move(m) for m in found.moves),
        gone=tuple(_finding(f) for f in found.gone),
        new=tuple(_finding(f) for f in found.new),
    )


def _supply(change: SupplyChange) -> SupplyLine:
    return SupplyLine(
        name=change.name,
        was=_hours(change.was),
        now=_hours(change.now),
        trend=_trend(change),
        was_current=_current(change.was),
        current=_current(change.now),
        parts="" if change.parts is None else f"{_bank(change.parts[0])} → {_bank(change.parts[1])}",
        was_season=_season(change.was),
        season=_season(change.now),
    )


def _season(result: SupplyResult | None) -> str:
    """Return what its cuts or its sun come to; empty where it has neither."""
    if result is None:
        return ""
    if result.cuts is not None:
        return say_cuts(result.cuts, repeats=result.cuts.gives_back_ratio is not None)
    return say_solar(result.solar) if result.solar is not None else ""


def _hours(result: SupplyResult | None) -> str:
    return "not there" if result is None else f"{hours_of(result)} of {say_hours(result.standby_h)}"


def _current(result: SupplyResult | None) -> str:
    return "–" if result is None or result.standby_current_a is None else say_amps(result.standby_current_a)


def _trend(change: SupplyChange) -> str:
    was, now = (r.holdover.expected if r and r.holdover else None for r in (change.was, change.now))
    if was is None or now is None or abs(now - was) <= SAME_RATIO * max(was, now):
        return "same"
    return "better" if now > was else "worse"


def _bank(bank: Bank | None) -> str:
    if bank is None:
        return "no bank"
    blocks = say_bank(bank.series, bank.parallel, bank.block_v, bank.capacity_ah, bank.rate_h)
    return f"{blocks} {CHEMISTRY_WORDS[bank.chemistry_key]}" + (f", {bank.age_y:g} y" if bank.age_y else ", new")


def _move(move: LoadMove) -> ComparedMove:
    changes: list[str] = []
    if move.was_quantity != move.quantity:
        changes.append(f"{move.was_quantity} → {move.quantity} pieces")
    if move.was_current_a != move.current_a:
        changes.append(f"{say_amps(move.was_current_a)} → {say_amps(move.current_a)} each")
    nowhere = {True: "not there", False: "no supply"}
    return ComparedMove(
        name=move.name,
        was_on=move.was_on or nowhere[move.was_quantity == 0],
        is_on=move.is_on or nowhere[move.quantity == 0],
        how=", ".join(changes) or ("moved" if move.is_moved else "its alarm or bursts differ"),
    )


def _finding(change: FindingChange) -> FindingLine:
    f = change.finding
    return FindingLine(severity=f.severity.value, word=SEVERITY_WORDS[f.severity], supply=change.supply, evidence=f.evidence)
