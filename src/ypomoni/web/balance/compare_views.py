"""Plans of a site: copy one, and look at two or three beside each other."""

from typing import Any

from flask import Blueprint, flash, g, jsonify, render_template, request, url_for

from ypomoni.actions.edit import read_document, read_tree
from ypomoni.actions.errors import NotFound
from ypomoni.actions.evaluate import evaluate
from ypomoni.actions.plans import clone_plan
from ypomoni.actions.upkeep import shown_plan
from ypomoni.core.balance.comparing import compare_plans
from ypomoni.core.evaluation.evaluate import is_pending
from ypomoni.core.things.supplies import Stage
from ypomoni.documents.into_core import to_core_plan
from ypomoni.web.balance.compare import build_comparison
from ypomoni.web.plan.answer import bank_words, build_answer
from ypomoni.web.plan.page import FRAME, Looking, PlanPage
from ypomoni.web.plan.strip import build_strip
from ypomoni.web.security import signed_in

MOST_PLANS = 3
blueprint = Blueprint("compare", __name__, template_folder="templates")


@blueprint.post("/plans/<int:plan_id>/clone")
@signed_in
def clone(plan_id: int) -> Any:
    """Copy a plan into a proposal, or into what was left, and go there."""
    stage = Stage.AS_LEFT if request.form.get("stage") == "as_left" or request.args.get("stage") == "as_left" else Stage.PROPOSAL
    with g.connection.transaction():
        plan = clone_plan(g.connection, g.actor, plan_id, stage)
    flash(f"{plan['name']} has its supplies and loads. Change it: what it was made from stays as it is, with what was read there.", "note")
    return jsonify({"go": url_for("plan.show", site_id=plan["site_id"], plan_key=plan["key"])})


@blueprint.get("/sites/<int:site_id>/compare")
@signed_in
def show(site_id: int) -> Any:
    """Show two or three plans beside each other: the first is what the others are compared with."""
    tree = read_tree(g.connection, g.actor, site_id)
    keys = [k for k in dict.fromkeys(request.args.getlist("plan")) if tree.plan(k)][:MOST_PLANS]
    if len(keys) < 2:
        keys = [p["key"] for p in tree.plans][:2]
    plans = [p for key in keys if (p := tree.plan(key))]
    site_file = read_document(tree)
    results = evaluate(g.connection, g.actor.organisation_id, [(site_file, key) for key in keys])
    cores = [to_core_plan(site_file, key) for key in keys]
    lanes = [
        {
            "plan": plan,
            "answer": build_answer(result),
            "strip": build_strip(result, {r["key"]: bank_words(r) for r in tree.supplies.get(plan["id"], [])}, beside=tuple(results)),
        }
        for plan, result in zip(plans, results, strict=True)
    ]
    views = [
        build_comparison(plans[0]["name"], plan["name"], compare_plans(cores[0], results[0], core, result))
        for plan, core, result in zip(plans[1:], cores[1:], results[1:], strict=True)
    ]
    at = tree.plan(request.args.get("at", "")) or (plans[0] if plans else shown_plan(tree))
    if at is None:
        raise NotFound
    page = PlanPage(tree, at, Looking.from_request(), site_file)
    waiting = any(is_pending(result) for result in results)
    return render_template(
        "balance/compare.html",
        **page.first_values(FRAME, stage="balance", view="compare.show"),
        keys=keys,
        shown=lanes,
        views=views,
        most=MOST_PLANS,
        still_computed=waiting,
    )
