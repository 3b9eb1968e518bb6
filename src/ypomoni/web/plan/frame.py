"""The frame around every page of a plan: the stages in the order of the work, what is open or failing in each, and the views within one."""

from dataclasses import dataclass

from ypomoni.actions.audit import AuditResult
from ypomoni.actions.proof import Work
from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.telling.results import PlanResult, Verdict
from ypomoni.records.site import PlanRow
from ypomoni.web.words import VERDICT_WORDS

# Key, word, the letter that goes there, and the address.
STAGES = (
    ("brief", "Brief", "b", "plan.brief"),
    ("audit", "Audit", "a", "audit.show"),
    ("endurance", "Endurance", "e", "plan.show"),
    ("balance", "Balance", "l", "balance.show"),
    ("power", "Power", "p", "power.show"),
    ("proof", "Proof", "o", "proof.show"),
    ("upkeep", "Upkeep", "u", "upkeep.show"),
)
VIEWS = {
    "proof": (("proof.show", "Work list"), ("proof.left", "As left"), ("proof.report", "Report")),
    "audit": (("audit.show", "Register and tree"), ("audit.read", "Take a reading"), ("log.show", "Read a log")),
    "endurance": (
        ("plan.show", "Strip"),
        ("outage.show", "Outage, played"),
        ("season.show", "Season"),
        ("outage.schools", "Schools"),
        ("outage.battery", "Battery"),
    ),
    "balance": (("balance.show", "Board"), ("compare.show", "Compare")),
    "power": (
        ("power.show", "UPS or DC"),
        ("build.bank", "Bank"),
        ("build.charger", "Charger"),
        ("build.parts", "Parts list"),
        ("power.timed", "Timed runs"),
        ("power.backup", "Backup"),
        ("bench.power_bench", "Bench"),
        ("discharge.show", "Tests"),
    ),
}
OVERLOADS = frozenset({"overload_standby", "overload_alarm"})


@dataclass(frozen=True, slots=True, kw_only=True)
class StageMark:
    """What stands open or fails in a stage: a severity or verdict for its shape, none where nothing does, and it in words."""

    shape: str = ""
    said: str = ""


def mark_stages(
    tree: SiteTree, plan: PlanRow, result: PlanResult, audit: AuditResult, work: Work | None = None, past_life_count: int = 0
) -> dict[str, StageMark]:
    """Return the mark of every stage."""
    loads = tree.loads.get(plan["id"], [])
    loose_count = sum(1 for load in loads if tree.hangs_on_nothing(load))
    return {
        "brief": _mark_brief(tree),
        "audit": _mark_audit(len(loads), loose_count, audit),
        "endurance": StageMark(shape=result.verdict.value, said=VERDICT_WORDS[result.verdict])
        if result.verdict
        else StageMark(shape="open", said="nothing to judge yet"),
        "balance": _mark_balance(loose_count, result),
        "power": _mark_power(result),
        "proof": _mark_proof(work),
        "upkeep": StageMark(
            shape="risk", said=f"{_count(past_life_count, 'battery', 'batteries')} past {'its' if past_life_count == 1 else 'their'} life"
        )
        if past_life_count
        else StageMark(),
    }


def _mark_brief(tree: SiteTree) -> StageMark:
    if not tree.requirements:
        return StageMark(shape="open", said="no requirement yet")
    unsourced_count = sum(1 for r in tree.requirements if not r["source"])
    return (
        StageMark(shape="open", said=f"{_count(unsourced_count, 'requirement')} without a source")
        if unsourced_count
        else StageMark(shape="holds", said="said")
    )


def _mark_audit(load_count: int, loose_count: int, audit: AuditResult) -> StageMark:
    if not load_count:
        return StageMark(shape="open", said="no load yet")
    nodes = audit.nodes.values()
    differing_count = sum(1 for n in nodes if n.agrees is False)
    if differing_count:
        return StageMark(shape="risk", said=f"{_count(differing_count, 'reading')} {'does' if differing_count == 1 else 'do'} not add up")
    if loose_count:
        return StageMark(shape="open", said=f"{_count(loose_count, 'load')} on no supply")
    read = {n.point_key for n in nodes if n.read_a is not None}
    unread_count = sum(1 for p in audit.plan.points if p.key not in read)
    if not audit.plan.points or unread_count:
        return StageMark(shape="open", said=f"{_count(unread_count, 'point')} not measured" if audit.plan.points else "nothing measured")
    return StageMark(shape="holds", said="all measured")


def _mark_balance(loose_count: int, result: PlanResult) -> StageMark:
    overloaded = [s.name for s in result.supplies if any(f.code in OVERLOADS for f in s.findings)]
    if overloaded:
        return StageMark(shape="fails", said=f"{', '.join(overloaded)} overloaded")
    if loose_count:
        return StageMark(shape="open", said=f"{_count(loose_count, 'load')} on no supply")
    failing = [s for s in result.supplies if s.verdict is Verdict.FAILS]
    return StageMark(shape="open", said=f"{_count(len(failing), 'supply', 'supplies')} too short") if failing else StageMark()


def _mark_power(result: PlanResult) -> StageMark:
    found = {f.code for s in (*result.supplies, *result.selectors) for f in s.findings}
    for codes, shape, said in (
        (("fuse_missing", "fuse_above_cable", "fuse_voltage"), "danger", "the wiring of a battery is dangerous"),
        (("fuse_below_load",), "fails", "a battery fuse is too small"),
        (("backup_never_reached",), "fails", "a backup is never reached"),
        (("light_load_switch_off",), "fails", "an output switches off under its light load"),
        (("transfer_gap",), "fails", "a load does not live through the change-over"),
        (("selector_chatters",), "risk", "a selector chatters"),
        (("mixed_string", "string_fuses_missing", "isolator_missing"), "risk", "a battery is not put together as it must be"),
        (("part_missing",), "open", "the output of a supply is not entered"),
        (("overhead_dominates",), "open", "a UPS burns more than its loads take"),
    ):
        if found.intersection(codes):
            return StageMark(shape=shape, said=said)
    return StageMark()


def _mark_proof(work: Work | None) -> StageMark:
    if work is None or not work.steps:
        return StageMark()
    if work.open_count:
        return StageMark(shape="open", said=f"{_count(work.open_count, 'step')} of the work open")
    return (
        StageMark(shape="risk", said=f"{_count(len(work.not_done), 'step')} could not be done")
        if work.not_done
        else StageMark(shape="holds", said="all done")
    )


def _count(count: int, word: str, words: str = "") -> str:
    return f"{count} {word if count == 1 else words or word + 's'}"
