"""A search for the best moves as the board shows it: how far it is, what it found, what would do it where moving does not."""

from dataclasses import dataclass

from ypomoni.actions.jobs import JobView, chosen_of
from ypomoni.core.balance.search import Move, Objective, Proposal, Relaxation, Relaxing, say_relaxation
from ypomoni.core.telling.wording import plain_number, say_percent
from ypomoni.records.load import LoadRow
from ypomoni.records.supply import SupplyRow
from ypomoni.web.balance.board import LIMIT_WORDS, say_standing


@dataclass(frozen=True, slots=True, kw_only=True)
class MoveLine:
    """One move that can be accepted by itself."""

    load_key: str
    name: str
    from_name: str
    to_name: str
    cable: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OptionLine:
    """One change that would do it."""

    number: int
    text: str
    sure: str
    is_shown: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ProposalView:
    """Everything that is said of a search."""

    job_id: int
    option: int | None
    state: str
    headline: str
    detail: str
    reasons: tuple[str, ...]
    moves: tuple[MoveLine, ...]
    options: tuple[OptionLine, ...]
    binds: tuple[str, ...]
    risks: tuple[str, ...]
    can_accept: bool
    fits_battery: bool
    can_search_longer: bool
    objective: str
    is_current: bool


def build_proposal(job: JobView, option: int | None, supplies: list[SupplyRow], loads: list[LoadRow]) -> ProposalView:
    """Return what is said of a search; ``option`` is the relaxation whose moves are shown."""
    names = {s["key"]: s["name"] for s in supplies}
    rows = {r["key"]: r for r in loads}
    found = job.proposal
    if found is None:
        head, detail = _unfinished(job)
        return ProposalView(
            job_id=job.job_id, option=None, state=job.state, headline=head, detail=detail, reasons=(), moves=(), options=(), binds=(), risks=(),
            can_accept=False,
            fits_battery=False, can_search_longer=False, objective="", is_current=True,
        )  # fmt: skip
    option = option if option is not None and option < len(found.relaxations) else None
    chosen = chosen_of(found, option)
    left = open_moves(chosen.moves, loads, supplies)
    relaxation = None if option is None else found.relaxations[option]
    head, detail = _found(job, found, relaxation, len(left), names)
    return ProposalView(
        job_id=job.job_id,
        option=option,
        state=job.state,
        headline=head,
        detail=detail,
        reasons=(*found.reasons, *found.blocked),
        moves=tuple(
            MoveLine(
                load_key=m.load_key,
                name=rows[m.load_key]["name"] + (f" ×{rows[m.load_key]['quantity']}" if rows[m.load_key]["quantity"] > 1 else ""),
                from_name=names.get(m.from_key, "no supply"),
                to_name=names.get(m.to_key, "a new supply") if m.to_key else "no supply",
                cable=f"{plain_number(m.cable_m)} m of cable" if m.cable_m else "",
            )
            for m in left
        ),
        options=tuple(
            OptionLine(
                number=n,
                text=say_relaxation(r, names),
                sure="smallest of its kind: smaller ones were ruled out" if r.is_smallest else "a smaller one was not ruled out in time",
                is_shown=n == option,
            )
            for n, r in enumerate(found.relaxations)
        ),
        binds=tuple(
            f"{names.get(b.supply_key, b.supply_key)}: {LIMIT_WORDS[b.standing.limit]}, {say_standing(b.standing)}"
            for b in sorted(found.bindings, key=lambda b: -b.standing.share_ratio)
        ),
        risks=chosen.risks if left or relaxation is not None else (),
        can_accept=bool(left) and (relaxation is None or relaxation.kind is not Relaxing.SUPPLY),
        fits_battery=relaxation is not None and relaxation.bank is not None,
        can_search_longer=not found.is_proven and job.search_s < 30,
        objective=found.objective.value,
        is_current=job.is_current,
    )


def open_moves(moves: tuple[Move, ...], loads: list[LoadRow], supplies: list[SupplyRow]) -> tuple[Move, ...]:
    """Return the moves that are still to be made in the plan as it is now."""
    keys = {s["id"]: s["key"] for s in supplies}
    at = {r["key"]: keys.get(r["supply_id"] or 0) for r in loads}
    return tuple(m for m in moves if m.load_key in at and at[m.load_key] != m.to_key)


def _unfinished(job: JobView) -> tuple[str, str]:
    if not job.has_worker:
        return "No worker is running", "Nobody works on the queue just now. Tell whoever looks after this installation."
    if job.state == "queued":
        return "Waiting for the worker", f"{job.waiting_count} before it." if job.waiting_count else "It starts in a moment."
    if job.state == "running":
        return "Searching for the best moves", job.progress
    if job.state == "cancelled":
        return "Cancelled", "Nothing was found until then, and nothing is ruled out."
    return "It did not come to an end", job.progress


def _found(job: JobView, found: Proposal, relaxation: Relaxation | None, left: int, names: dict[str, str]) -> tuple[str, str]:
    count = f"{left} move{'s' if left != 1 else ''}"
    stays = " It does not mend the rest, see below." if found.blocked else ""
    if relaxation is not None:
        return (
            f"With {say_relaxation(relaxation, names)}: {count}",
            f"After them every supply that is computed keeps its limits, by the simulation.{stays}",
        )
    if found.is_found:
        if not found.moves and found.blocked:
            return "Moving does not mend this", "No limit that moves could mend is broken. What follows stays whatever is moved:"
        if not found.moves:
            return "Nothing has to move", "Every supply keeps all its limits as it is."
        what = "less cable does not" if found.objective is Objective.CABLE else "fewer do not"
        if found.is_proven:
            sure = f"Proven best: {what} do it."
        else:
            gap = f"; it may be up to {say_percent(found.gap_ratio)} from the best" if found.gap_ratio else ""
            sure = f"Better was not ruled out in time{gap}."
        unknown = f" Cable not known for {', '.join(found.unknown_runs[:3])}: enter those distances." if found.unknown_runs else ""
        return f"{count} to make", f"After them every supply that is computed keeps its limits, by the simulation. {sure}{unknown}{stays}"
    share = (
        "" if found.worst_ratio is None else f" The best balance lets the weakest supply hold {say_percent(found.worst_ratio)} of its hours"
    )
    sure = "." if found.gap_ratio is None else "; better was not ruled out in time."
    if found.is_proven:
        return "Moving alone does not do it", f"Every placement was ruled out.{share}{sure if share else ''}"
    stopped = "Cancelled" if job.state == "cancelled" else "None was found in time"
    return stopped, f"Nothing is ruled out.{share}{sure if share else ''}"
