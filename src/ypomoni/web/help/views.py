"""What a word means, the keys, and the one place where anything is found."""

from typing import Any

from flask import Blueprint, g, jsonify, render_template, request, url_for

from ypomoni.actions.edit import find as find_row
from ypomoni.actions.edit import read_tree
from ypomoni.actions.errors import NotFound
from ypomoni.actions.lists import sites_called
from ypomoni.web.help.search import Target, rank
from ypomoni.web.help.terms import TERMS
from ypomoni.web.plan.answer import build_findings
from ypomoni.web.plan.frame import STAGES
from ypomoni.web.plan.page import Looking, PlanPage
from ypomoni.web.security import signed_in

blueprint = Blueprint("help", __name__, template_folder="templates", url_prefix="/help")
MOST_FOUND = 12


@blueprint.get("/word/<key>")
@signed_in
def word(key: str) -> Any:
    """Show what a word means."""
    if key not in TERMS:
        raise NotFound
    return render_template("help/_word.html", term=TERMS[key])


@blueprint.get("/words")
@signed_in
def words() -> Any:
    """Show all words."""
    return render_template("help/words.html", terms=sorted(TERMS.values(), key=lambda t: t.name))


@blueprint.get("/keys")
@signed_in
def keys() -> Any:
    """Show the keys."""
    return render_template("help/_keys.html", stages=STAGES)


@blueprint.get("/find")
@signed_in
def find() -> Any:
    """Answer with what is called so: sites, and of the plan that is looked at its supplies, loads, points and findings; words and stages."""
    asked = request.args.get("words", "")[:80]
    targets = [*_sites(asked), *_plan(request.args.get("plan", type=int)), *_words()]
    found = rank(targets, asked)[:MOST_FOUND]
    shown = [{"id": n, "kind": t.kind, "name": t.name, "said": t.said, "go": t.go, "open": t.open} for n, t in enumerate(found)]
    return jsonify({"found": shown})


def _sites(asked: str) -> list[Target]:
    found = sites_called(g.connection, g.actor, asked)
    return [Target(kind="site", name=s["name"], go=url_for("plan.show", site_id=s["id"])) for s in found]


def _plan(plan_id: int | None) -> list[Target]:
    if plan_id is None:
        return []
    try:
        plan = find_row(g.connection, g.actor, "plan", plan_id)
        tree = read_tree(g.connection, g.actor, plan["site_id"])
    except NotFound:
        return []
    at = {"site_id": tree.site["id"], "plan_key": plan["key"]}
    supplies = {s["id"]: s["name"] for s in tree.supplies.get(plan_id, [])}
    found = [Target(kind="stage", name=name, go=url_for(endpoint, **at)) for _, name, _, endpoint in STAGES]
    for row in tree.supplies.get(plan_id, []):
        found.append(Target(kind="supply", name=row["name"], go=url_for("outage.show", supply=row["key"], **at)))
    for row in tree.loads.get(plan_id, []):
        on = supplies.get(row["supply_id"] or 0, "on no supply")
        sheet = url_for("records.show", name="load", record_id=row["id"], plan=plan_id)
        found.append(Target(kind="load", name=row["name"], said=on, open=sheet))
    for row in tree.placed_points(plan_id):
        found.append(
            Target(kind="point", name=row["name"], said=supplies[row["supply_id"]], open=url_for("audit.show_point", key=row["key"], **at))
        )
    for number, finding in enumerate(build_findings(PlanPage(tree, plan, Looking()).result)):
        shown = finding.evidence[:90] + ("…" if len(finding.evidence) > 90 else "")
        found.append(
            Target(
                kind="finding", name=shown, said=finding.word, words=finding.evidence, go=url_for("plan.show", **at) + f"#finding-{number}"
            )
        )
    return found


def _words() -> list[Target]:
    return [Target(kind="word", name=t.name, words=t.meaning, open=url_for("help.word", key=t.key)) for t in TERMS.values()]
