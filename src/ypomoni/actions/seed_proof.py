"""What the demo shows of Proof and Upkeep: the archive's work list begun done; the workshop as left, with a signed report and blocks due in spring."""

from datetime import UTC, datetime, timedelta

from ypomoni.actions.actor import Actor
from ypomoni.actions.audit import make_points, store_reading
from ypomoni.actions.edit import edit, read_tree
from ypomoni.actions.import_site import sites_named
from ypomoni.actions.plans import clone_plan
from ypomoni.actions.proof import tick_step, work_of
from ypomoni.actions.reports import ask_for_report, keep_made, make_asked, sign
from ypomoni.core.things.supplies import Stage
from ypomoni.documents.report.model import SECTIONS
from ypomoni.storage.connection import Connection
from ypomoni.storage.jobs import drop_job, select_asked_input

# Made so long before today that their five years end next spring.
BLOCK_AGE_D = 5 * 365 - 150
# What a meter at each battery shows of what is expected there: 157 and 620 mA. [A]
MEASURED_AGAIN_A = {"panel": 0.158, "bench": 0.617}


def seed_proof(connection: Connection, actor: Actor, secret: str | None) -> None:
    """Tick the first quarter of the archive's work, and leave the workshop as it was left. Without the secret of the installation nothing is signed."""
    _seed_work(connection, actor)
    _seed_workshop(connection, actor, secret)


def _seed_work(connection: Connection, actor: Actor) -> None:
    site_id = sites_named(connection, actor, "Brackwater County Archive")[0]["id"]
    tree = read_tree(connection, actor, site_id)
    plan = next(p for p in tree.plans if p["key"] == "proposal")
    work = work_of(connection, actor, tree, plan)
    if work is None:
        return
    now = datetime.now(UTC)
    begun = work.steps[: len(work.steps) // 4]
    for n, step in enumerate(begun):
        note = "Centre on test until five" if n == 0 else ""
        tick_step(connection, actor, plan["id"], step.key, "done", note, now - timedelta(minutes=30 * (len(begun) - n)))


def _seed_workshop(connection: Connection, actor: Actor, secret: str | None) -> None:
    site_id = sites_named(connection, actor, "Saltmarsh Workshop")[0]["id"]
    tree = read_tree(connection, actor, site_id)
    found = tree.plans[0]
    panel = next(s for s in tree.supplies[found["id"]] if s["key"] == "panel")
    made = datetime.now(UTC).date() - timedelta(days=BLOCK_AGE_D)
    block = {"key": "panel-1", "string": 1, "position": 1, "made": f"{made:%Y-%m}", "fitted": made.isoformat()}
    block |= {"capacity_ah": None, "condition_ratio": None, "rest_v": 12.81}
    edit(connection, actor, "supply", panel["id"], panel["version"], {"bank_blocks": [block], "bank_age_y": round(BLOCK_AGE_D / 365.25, 1)})
    left = clone_plan(connection, actor, found["id"], Stage.AS_LEFT)
    _measure_again(connection, actor, site_id, left["id"])
    if secret is None:
        return
    report = ask_for_report(connection, actor, left["id"], list(SECTIONS), "A4")
    body = select_asked_input(connection, actor.organisation_id, str(report["id"]))
    number, draft, final = make_asked(body)
    keep_made(connection, actor.organisation_id, number, draft, final)
    drop_job(connection, actor.organisation_id, str(report["id"]))
    sign(connection, actor, number, secret)


def _measure_again(connection: Connection, actor: Actor, site_id: int, plan_id: int) -> None:
    """Read both batteries of the workshop once the work was done, mains off and in standby."""
    make_points(connection, actor, plan_id)
    tree = read_tree(connection, actor, site_id)
    keys = {s["id"]: s["key"] for s in tree.supplies[plan_id]}
    for point in tree.placed_points(plan_id):
        read_a = MEASURED_AGAIN_A.get(keys[point["supply_id"]]) if point["kind"] == "battery" else None
        if read_a is None:
            continue
        entry = {
            "point_id": point["id"],
            "state": "standby",
            "mains": "off",
            "value_a": read_a,
            "as_written": f"{read_a:g}",
            "taken_by": "Wren Holloway",
        }
        store_reading(connection, actor, plan_id, entry, token=f"demo-{point['id']}", sure=True)
