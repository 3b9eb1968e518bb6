"""A plan with everything its pages are rendered from, each part built only when it is asked for."""

from dataclasses import dataclass, field, fields
from datetime import UTC, datetime
from functools import cached_property
from typing import Any

from flask import g, render_template, request

from ypomoni.actions.audit import AuditResult, audit_plan, next_readings
from ypomoni.actions.edit import read_document, read_tree
from ypomoni.actions.errors import NotFound
from ypomoni.actions.evaluate import evaluate, missing_count
from ypomoni.actions.jobs import JobView, chosen_of, see_job
from ypomoni.actions.proof import Work, work_of
from ypomoni.actions.site_tree import SiteTree
from ypomoni.actions.steps import Steps, own_steps
from ypomoni.core.evaluation.evaluate import is_pending
from ypomoni.core.proof.upkeep import past_life_count
from ypomoni.core.telling.results import PlanResult
from ypomoni.core.things.readings import State
from ypomoni.documents.quantities import show_quantity
from ypomoni.documents.site_model import SiteFile
from ypomoni.records.field import Row
from ypomoni.records.load import LoadRow
from ypomoni.records.site import PlaceRow, PlanRow, RunRow, SiteRow
from ypomoni.records.supply import SupplyRow
from ypomoni.records.words import PROVENANCE_WORDS, PURPOSE_WORDS
from ypomoni.web.audit.register import SHOWN_AT_FIRST, Asked, RegisterView, build_register
from ypomoni.web.audit.tree import NextView, TreeView, build_next, build_tree
from ypomoni.web.balance.board import MODES, Board, BoardLook, build_board
from ypomoni.web.balance.proposal import ProposalView, build_proposal, open_moves
from ypomoni.web.plan.answer import bank_words, build_answer, build_findings, build_supplies, build_unchecked
from ypomoni.web.plan.finding_groups import FindingsView, group_findings
from ypomoni.web.plan.frame import STAGES, VIEWS, StageMark, mark_stages
from ypomoni.web.plan.requirement import build_requirements
from ypomoni.web.plan.strip import build_strip
from ypomoni.web.security import keep_until_now

# What each region of a page is rendered from.
OF_OTHER_STAGES = {"tree": "audit", "register": "audit", "board": "balance"}
NEEDS: dict[str, tuple[str, ...]] = {
    "title": (),
    "stages": ("stage_marks",),
    "verdict": ("answer", "is_pending"),
    "site": ("temperatures",),
    "answer": ("answer", "requirements", "supplies", "load_count"),
    "first": ("requirements", "supplies_exist", "load_count"),
    "strip": ("strip",),
    "findings": ("findings", "unchecked", "supplies"),
    "supplies": ("supplies", "requirements"),
    "requirements": ("requirements",),
    "removed": ("removed",),
    "register": ("register", "choices", "places", "provenances", "purposes", "supplies_exist"),
    "next": ("next_reading", "load_count"),
    "tree": ("current_tree", "load_count"),
    "places": ("place_rows",),
    "board": ("board", "board_modes", "proposal", "steps", "distances"),
}
# What stands around every page of a plan.
FRAME = ("title", "stages", "verdict")
PLAN_REGIONS = (*FRAME, "answer", "strip", "findings", "supplies", "removed")
BRIEF_REGIONS = (*FRAME, "site", "first", "requirements", "places", "removed")
AUDIT_REGIONS = (*FRAME, "next", "tree", "removed")
MOST_SHOWN = 2_000
# With more loads than this an edit is answered first, and its figures follow.
SOON_COUNT = 250
# And with more supplies than this to be computed the page itself is shown first.
SOON_SUPPLIES_COUNT = 3
# These need no result.
FIRST_REGIONS = ("title", "site", "first", "requirements", "removed", "places", "register")


@dataclass(frozen=True, slots=True, kw_only=True)
class Looking:
    """How a page looks at its plan: what of the register, which supply's tree, in which state."""

    asked: Asked = field(default_factory=Asked)
    tree_supply: str = ""
    tree_state: State = State.STANDBY
    stage: str = ""
    board: BoardLook = field(default_factory=BoardLook)

    @staticmethod
    def from_request() -> "Looking":
        """Return what the page that asks is looking at."""
        values = request.values
        state = values.get("tree_state", "standby")
        texts = {f.name: values.get(f"show_{f.name}", "")[:200] for f in fields(Asked) if f.name != "shown"}
        shown = values.get("show_shown", default=SHOWN_AT_FIRST, type=int) or SHOWN_AT_FIRST
        return Looking(
            asked=Asked(**texts, shown=min(max(shown, SHOWN_AT_FIRST), MOST_SHOWN)),
            tree_supply=values.get("tree_supply", "")[:80],
            tree_state=State(state) if state in [s.value for s in State] else State.STANDBY,
            stage=values.get("show_stage", "")[:20],
            board=BoardLook(
                mode=mode if (mode := values.get("board_mode", "standby")) in MODES else "standby",
                touch=values.get("board_touch", "") == "1",
                find=values.get("board_find", "")[:80],
                by_branch=values.get("board_branch", "") == "1",
                shut=frozenset(values.get("board_shut", "")[:2_000].split(",")) - {""},
                job=values.get("board_job", type=int),
                option=values.get("board_option", type=int),
            ),
        )


class PlanPage:
    """The parts of one plan's pages."""

    def __init__(self, tree: SiteTree, plan: PlanRow, looking: Looking, site_file: SiteFile | None = None) -> None:
        self.tree, self.plan, self.looking = tree, plan, looking
        self._site_file = site_file

    @staticmethod
    def at(site_id: int, plan_key: str) -> "PlanPage":
        """Return the page of a plan at its address; raise `NotFound` where there is none."""
        tree = read_tree(g.connection, g.actor, site_id)
        plan = tree.plan(plan_key)
        if plan is None:
            raise NotFound
        return PlanPage(tree, plan, Looking.from_request())

    @cached_property
    def site_file(self) -> SiteFile:
        """The checked site file."""
        return self._site_file or read_document(self.tree)

    @cached_property
    def result(self) -> PlanResult:
        """The computed plan. Nobody waits with a lock held for what is computed."""
        site_file = self.site_file
        keep_until_now()
        found = evaluate(g.connection, g.actor.organisation_id, [(site_file, self.plan["key"])])[0]
        keep_until_now()
        return found

    @property
    def is_pending(self) -> bool:
        """Whether figures are still being worked out, so that the page asks again."""
        return is_pending(self.result)

    @cached_property
    def has_to_wait(self) -> bool:
        """Whether so much would have to be computed that a large register is shown first, and the page asks for its figures then."""
        if self.load_count <= SOON_COUNT:
            return False
        return missing_count(g.connection, g.actor.organisation_id, self.site_file, self.plan["key"]) > SOON_SUPPLIES_COUNT

    @cached_property
    def stage_marks(self) -> dict[str, StageMark]:
        """What is open or failing in each stage."""
        return mark_stages(
            self.tree, self.plan, self.result, self.audit, self.work, past_life_count(self.audit.plan, datetime.now(UTC).date())
        )

    @cached_property
    def work(self) -> Work | None:
        """The work list of a proposal, with what became of each step."""
        return work_of(g.connection, g.actor, self.tree, self.plan)

    @cached_property
    def audit(self) -> AuditResult:
        """How the readings add up."""
        return audit_plan(self.site_file, self.plan["key"])

    @cached_property
    def answer(self) -> Any:
        """The answer in one line."""
        return build_answer(self.result)

    @cached_property
    def strip(self) -> Any:
        """The endurance strip."""
        return build_strip(self.result, {r["key"]: bank_words(r) for r in self.tree.supplies.get(self.plan["id"], [])})

    @property
    def findings(self) -> FindingsView:
        """What stands in the way, by its cause."""
        return group_findings(build_findings(self.result))

    @property
    def unchecked(self) -> list[tuple[str, str]]:
        """What was not looked at, by supply."""
        return build_unchecked(self.result)

    @cached_property
    def supplies(self) -> Any:
        """Supplies with their figures."""
        return build_supplies(self.tree, self.plan, self.result)

    @cached_property
    def requirements(self) -> Any:
        """What must hold."""
        return build_requirements(self.tree)

    @cached_property
    def register(self) -> RegisterView:
        """The loads that are asked for."""
        # Only the whole page is shown before its figures; a region that is asked for afterwards waits for them.
        is_early = self.__dict__.get("has_to_wait", False)
        return build_register(self.tree, self.plan, self.looking.asked, None if is_early else self.result)

    @property
    def load_count(self) -> int:
        """How many loads the plan has."""
        return len(self.tree.loads.get(self.plan["id"], []))

    @property
    def supplies_exist(self) -> bool:
        """Whether there is anything a load could hang on."""
        return bool(self.choices)

    @property
    def choices(self) -> list[tuple[str, str]]:
        """The supplies a load may hang on."""
        return [(str(r["id"]), r["name"]) for r in self.tree.supplies.get(self.plan["id"], [])]

    @property
    def places(self) -> list[tuple[str, str]]:
        """The places a load may be in."""
        return [(str(r["id"]), r["name"]) for r in self.tree.places]

    @property
    def place_rows(self) -> list[tuple[PlaceRow, str]]:
        """The places with their temperatures in words."""
        return [(r, _place_words(r, self.tree.site)) for r in self.tree.places]

    @property
    def provenances(self) -> list[tuple[str, str]]:
        """Where a figure may be known from."""
        return list(PROVENANCE_WORDS.items())

    @property
    def purposes(self) -> list[tuple[str, str]]:
        """What a load may be for."""
        return list(PURPOSE_WORDS.items())

    @property
    def removed(self) -> list[tuple[str, Row]]:
        """What can be brought back."""
        of_site = ("requirement", "plan", "place", "run")
        return [(kind, row) for kind, row in self.tree.removed if kind in of_site or row["plan_id"] == self.plan["id"]][-30:]

    @property
    def temperatures(self) -> str:
        """The site's temperatures in words."""
        site = self.tree.site
        hot = f", up to {show_quantity(site['max_degc'], '°C')}" if site["max_degc"] is not None else ""
        return f"{show_quantity(site['typical_degc'], '°C')} typical, down to {show_quantity(site['min_degc'], '°C')}{hot}"

    @property
    def shown_supply(self) -> str | None:
        """The supply whose tree is shown: the one asked for, otherwise the weakest."""
        keys = [s.key for s in self.result.supplies]
        if self.looking.tree_supply in keys:
            return self.looking.tree_supply
        return self.result.weakest_supply or next(iter(keys), None)

    @cached_property
    def current_tree(self) -> TreeView | None:
        """The current tree of one supply."""
        key = self.shown_supply
        return None if key is None else build_tree(self.audit, key, self.looking.tree_state)

    @property
    def _rows(self) -> tuple[list[SupplyRow], list[LoadRow]]:
        return self.tree.supplies.get(self.plan["id"], []), self.tree.loads.get(self.plan["id"], [])

    @cached_property
    def board(self) -> Board:
        """The balance board, with the moves of the proposal that is looked at as ghosts."""
        supplies, loads = self._rows
        moves, then_h = (), {}
        if self._job is not None and self._job.proposal is not None and self.proposal is not None:
            chosen = chosen_of(self._job.proposal, self.proposal.option)
            moves = open_moves(chosen.moves, loads, supplies)
            # Of a plan that was changed since nobody knows what it would then hold.
            if self._job.is_current:
                then_h = {b.supply_key: b.holdover_h for b in chosen.bindings}
        return build_board(self.result, supplies, loads, self.looking.board, moves, then_h)

    @cached_property
    def _job(self) -> JobView | None:
        if self.looking.board.job is None:
            return None
        try:
            plan, job = see_job(g.connection, g.actor, self.looking.board.job)
        except NotFound:
            return None
        return job if plan["id"] == self.plan["id"] else None

    @cached_property
    def proposal(self) -> ProposalView | None:
        """The search that is looked at."""
        return None if self._job is None else build_proposal(self._job, self.looking.board.option, *self._rows)

    @property
    def steps(self) -> Steps:
        """What can be undone and done again."""
        return own_steps(g.connection, g.actor, self.plan)

    @property
    def distances(self) -> list[tuple[RunRow, str]]:
        """The runs that are known, in words."""
        return [(r, _run_words(r)) for r in self.tree.runs]

    @property
    def board_modes(self) -> list[tuple[str, str]]:
        """What the thickness of a piece may stand for."""
        return list(MODES.items())

    @cached_property
    def next_reading(self) -> NextView | None:
        """The next reading that would tell most of the weakest supply."""
        key = self.result.weakest_supply
        if key is None:
            return None
        found = next_readings(g.connection, g.actor.organisation_id, self.site_file, self.audit.plan, key)
        return build_next(self.audit, key, found)

    def values(self, names: tuple[str, ...]) -> dict[str, Any]:
        """Return what the templates of these regions are rendered from."""
        found: dict[str, Any] = {"tree": self.tree, "site": self.tree.site, "plan": self.plan, "looking": self.looking}
        found |= {"stage": self.looking.stage, "stages": STAGES, "stage_views": VIEWS}
        for name in names:
            for need in NEEDS[name]:
                found[need] = getattr(self, need)
        return found

    def first_values(self, names: tuple[str, ...], *, stage: str, view: str = "") -> dict[str, Any]:
        """Return the values of a whole page, or of what can be shown of it before its figures are computed."""
        waiting = self.has_to_wait
        values = self.values(tuple(n for n in names if n in FIRST_REGIONS) if waiting else names)
        return {**values, "waiting": waiting, "stage": stage, "view": view}

    def render(self, names: tuple[str, ...]) -> dict[str, str]:
        """Return the regions of these names."""
        return {name: render_template(template_of(name), **self.values((name,))) for name in names}


def template_of(region: str) -> str:
    """Return the template of a region: it lies with the stage that shows it."""
    return f"{OF_OTHER_STAGES.get(region, 'plan')}/_{region}.html"


def asked_regions(default: tuple[str, ...], *, register: bool) -> tuple[str, ...]:
    """Return the regions the page that asks has, the register only where its rows changed."""
    said = request.values.get("regions")
    names = [n for n in said.split(",") if n in NEEDS] if said else list(default)
    names = [n for n in names if n != "register"]
    return tuple([*names, "register"] if register and (not said or "register" in said) else names)


def regions(tree: SiteTree, plan: PlanRow, *, register: bool, site_file: SiteFile | None = None) -> dict[str, str]:
    """Return the rendered regions of the page that asks."""
    page = PlanPage(tree, plan, Looking.from_request(), site_file)
    return page.render(asked_regions(PLAN_REGIONS, register=register))


def _run_words(run: RunRow) -> str:
    section = f", {show_quantity(run['section_mm2'], 'mm²')}" if run["section_mm2"] is not None else ""
    return f"{show_quantity(run['length_m'], 'm')}{section}"


def _place_words(place: PlaceRow, site: SiteRow) -> str:
    typical = place["typical_degc"] if place["typical_degc"] is not None else site["typical_degc"]
    lowest = place["min_degc"] if place["min_degc"] is not None else site["min_degc"]
    months = ", twelve monthly means" if place["monthly_degc"] else ""
    return f"{show_quantity(typical, '°C')} typical, down to {show_quantity(lowest, '°C')}{months}"
