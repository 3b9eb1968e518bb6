"""An outage of a stored supply, played under conditions; its survival curve, chunk by chunk; the bank's own sheet."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ypomoni.actions.errors import NotFound
from ypomoni.actions.evaluate import digests_of
from ypomoni.core.outage.case import Case, Hindrance, hindrance_of
from ypomoni.core.outage.play import Played
from ypomoni.core.outage.playing import Conditions, play_supply
from ypomoni.core.outage.survival import CHUNKS, DEFAULT_SEED, SurvivalCurve, sample_holdovers, survival_curve
from ypomoni.core.outage.why import Why, why_it_ends
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.documents.site_file import SiteFile


@dataclass(frozen=True, slots=True, kw_only=True)
class Playable:
    """A supply that can be played, or why it cannot."""

    key: str
    name: str
    case: Case | None
    reason: str


def playables(plan: Plan) -> list[Playable]:
    """Return every supply of a plan with its case, or why there is nothing to play."""
    return [_playable(plan, supply) for supply in plan.supplies]


def _playable(plan: Plan, supply: Supply) -> Playable:
    loads = plan.loads_on(supply.key)
    case, reason = None, ""
    hindrance = hindrance_of(supply, loads)
    if hindrance in (Hindrance.KIND, Hindrance.AC_LOAD):
        reason = "What is known of it is not enough to compute it. No figure is given rather than a guessed one."
    elif hindrance is Hindrance.NO_BANK:
        reason = "It has no battery yet. Enter one, and its outage can be played."
    elif hindrance is not None:
        reason = "The temperature here is beyond what is known of this battery, so no figure is given."
    else:
        case = Case(supply, loads)
        if case.draws_nothing:
            case, reason = None, "Nothing draws from it. Add loads, or enter what the supply itself draws."
    return Playable(key=supply.key, name=supply.name, case=case, reason=reason)


def find_playable(plan: Plan, supply_key: str) -> Playable:
    """Return one supply of a plan, or raise `NotFound`."""
    supply = next((s for s in plan.supplies if s.key == supply_key), None)
    if supply is None:
        raise NotFound
    return _playable(plan, supply)


def play(case: Case, conditions: Conditions) -> tuple[Played, Why]:
    """Return the played outage, and why it ends."""
    played = play_supply(case, conditions)
    return played, why_it_ends(case, conditions, played)


class _Held:
    """A case on its way through the cache: its digest alone says which it is."""

    def __init__(self, digest: str, case: Case) -> None:
        self.digest, self.case = digest, case

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Held) and other.digest == self.digest

    def __hash__(self) -> int:
        return hash(self.digest)


@lru_cache(maxsize=256)
def _chunk(held: _Held, first: int, count: int) -> np.ndarray:
    return sample_holdovers(held.case, count, DEFAULT_SEED, first).holdovers_h


def survival(site_file: SiteFile, plan: Plan, supply_key: str, case: Case, chunks_count: int) -> SurvivalCurve:
    """Return the survival curve of the first chunks of samples of a supply; those computed before are not computed again."""
    part = next(p for p in site_file.plans if p.key == plan.key)
    place = next(n for n, s in enumerate(part.supplies) if s.key == supply_key)
    digest = digests_of(site_file, part)[place]
    held, chunks, first = _Held(digest, case), [], 0
    for count in CHUNKS[: max(1, chunks_count)]:
        chunks.append(_chunk(held, first, count))
        first += count
    return survival_curve(np.concatenate(chunks), case.requirement.standby_h, DEFAULT_SEED)
