"""The demo: an organisation of our own, made up. Idempotent; a newer seed refreshes an older demo."""

from dataclasses import replace
from importlib import resources

from ypomoni.actions.accounts import Passwords, create_account, create_organisation
from ypomoni.actions.actor import Actor
from ypomoni.actions.build import keep_set_up, supply_in
from ypomoni.actions.edit import create, read_document, read_tree, shared_keys
from ypomoni.actions.import_site import import_site, sites_named
from ypomoni.actions.seed_bench import seed_bench
from ypomoni.actions.seed_proof import seed_proof
from ypomoni.core.evaluation.set_up import SetUp, StepKind
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.site_file import read_site_text
from ypomoni.records.field import Row
from ypomoni.storage.accounts import select_account_by_email, select_organisation
from ypomoni.storage.changes import select_setting, upsert_setting
from ypomoni.storage.connection import Connection

SEED_VERSION = "10"
ORGANISATION = "Saltmarsh Alarm Co-op"
PEOPLE = (("wren@saltmarsh.example", "Wren Holloway"), ("idris@saltmarsh.example", "Idris Vale"))
PASSWORD = "brackwater-tide"  # noqa: S105 - made up, shown on the sign-in page of the demo


def seed_demo(connection: Connection, passwords: Passwords, secret: str | None = None) -> bool:
    """Make or refresh the demo, and say whether anything was done. Reports are signed where the secret of the installation is given.

    A refresh removes the demo's own sites and brings them in anew; the removed ones can be restored, and other sites stay.
    """
    organisation = select_organisation(connection, ORGANISATION)
    organisation_id = organisation["id"] if organisation else create_organisation(connection, ORGANISATION)
    for email, name in PEOPLE:
        if select_account_by_email(connection, email) is None:
            create_account(connection, passwords, organisation_id=organisation_id, email=email, name=name, password=PASSWORD)
    if select_setting(connection, organisation_id, "seed_version") == SEED_VERSION:
        return False
    actor = Actor(organisation_id=organisation_id, account_id=None)
    for file in sorted(resources.files("ypomoni.actions").joinpath("demo").iterdir(), key=lambda f: f.name):
        if file.name.endswith(".json"):
            site_file = read_site_text(file.read_bytes())
            older = sites_named(connection, actor, site_file.site.name)
            import_site(connection, actor, site_file, replacing=older[0] if older else None)
    _seed_shared(connection, actor)
    _seed_set_up(connection, actor)
    seed_bench(connection, actor)
    seed_proof(connection, replace(actor, name=PEOPLE[0][1], organisation_name=ORGANISATION), secret)
    upsert_setting(connection, organisation_id, "seed_version", SEED_VERSION)
    return True


# What this made-up wholesaler keeps of one chemistry, and one requirement of the organisation's own.
# Name, Ah, price, kg, and millimetres.
STOCK = (
    ("Shelf block 12.8 V 7 Ah", 7.0, 58.0, 0.95, (151.0, 65.0, 99.0)),
    ("Shelf block 12.8 V 20 Ah", 20.0, 119.0, 2.6, (181.0, 77.0, 170.0)),
)
# What was read while the charger of the fire panel was set up: first too high, then right.
SET_UP = ((StepKind.SET_V, 27.8), (StepKind.SET_V, 27.42), (StepKind.SET_A, 1.2))
OWN_PROFILE: Row = {
    "name": "Strongroom humidity, 8 h",
    "source": "agreed with the archive's conservator",
    "standby_h": 8.0,
    "alarm_min": 0.0,
    "recharge_h": 24.0,
    "recharge_to_ratio": 0.8,
    "method": "simulation",
    "end_of_life_ratio": 0.8,
    "design_margin_ratio": 1.0,
    "usable_ratio": 0.65,
    "age_ratio": 1.0,
    "activity_ratio": 0.9,
    "response_h": None,
    "depth_ratio": 0.5,
    "inverter_ratio": 1.0,
}


def _seed_shared(connection: Connection, actor: Actor) -> None:
    """Add the organisation's own stock and profile, where they are not there yet."""
    if not shared_keys(connection, actor, "stock"):
        for name, capacity_ah, price, weight_kg, (width_mm, depth_mm, height_mm) in STOCK:
            values = {
                "name": name,
                "chemistry": "lifepo4",
                "block_v": 12.8,
                "capacity_ah": capacity_ah,
                "rate_h": 20.0,
                "price": price,
                "weight_kg": weight_kg,
                "width_mm": width_mm,
                "depth_mm": depth_mm,
                "height_mm": height_mm,
                "key": None,
            }
            create(connection, actor, "stock", values, shared_keys(connection, actor, "stock"))
    if not shared_keys(connection, actor, "profile"):
        create(connection, actor, "profile", {**OWN_PROFILE, "key": None}, set())


def _seed_set_up(connection: Connection, actor: Actor) -> None:
    """Keep what was read at the charger of the archive's fire panel, in its proposal."""
    site_id = sites_named(connection, actor, "Brackwater County Archive")[0]["id"]
    tree = read_tree(connection, actor, site_id)
    plan = next(p for p in tree.plans if p["key"] == "proposal")
    row = next(s for s in tree.supplies[plan["id"]] if s["key"] == "fire-panel")
    supply = supply_in(to_core_plan(read_document(tree), plan["key"]), "fire-panel")
    for kind, value in SET_UP:
        keep_set_up(connection, actor, row["id"], supply, SetUp(day_degc=20.0), kind, value)
