"""Requirements as finished strings."""

from dataclasses import dataclass

from ypomoni.actions.site_tree import SiteTree
from ypomoni.core.telling.wording import plain_number, say_percent, say_required_h
from ypomoni.documents.pattern_lines import write_pattern
from ypomoni.records.requirement import RequirementRow
from ypomoni.records.words import METHOD_CHOICES


@dataclass(frozen=True, slots=True, kw_only=True)
class RequirementView:
    """One requirement and the supplies that must meet it."""

    row: RequirementRow
    must: str
    recharge: str
    method: str
    used_by: str
    cuts: str


def build_requirements(tree: SiteTree) -> list[RequirementView]:
    """Return the requirements of a site."""
    return [_requirement(tree, r) for r in tree.requirements]


def _requirement(tree: SiteTree, r: RequirementRow) -> RequirementView:
    used = dict.fromkeys(s["name"] for supplies in tree.supplies.values() for s in supplies if s["requirement_id"] == r["id"])
    alarm = f", then {plain_number(r['alarm_min'], 4)} min of alarm" if r["alarm_min"] else ""
    recharge = "no recharge time required"
    if r["recharge_h"] is not None:
        recharge = f"back to {say_percent(r['recharge_to_ratio'])} within {say_required_h(r['recharge_h'])}"
    margin = f", margin × {plain_number(r['design_margin_ratio'])}" if r["design_margin_ratio"] != 1 else ""
    return RequirementView(
        row=r,
        must=f"{say_required_h(r['standby_h'])} of standby{alarm}",
        recharge=recharge,
        method=f"{METHOD_CHOICES[r['method']]}, end of life at {say_percent(r['end_of_life_ratio'])}{margin}",
        used_by=", ".join(used) or "no supply yet",
        cuts=_cuts(r),
    )


def _cuts(r: RequirementRow) -> str:
    """Return the cuts it must survive, in words; empty where it names none."""
    if r["cuts_list"] is not None:
        return f"a history of {len(r['cuts_list']):,} cuts"
    return write_pattern(r["cuts_week"]) if r["cuts_week"] else ""
