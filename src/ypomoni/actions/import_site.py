"""Bring a site file in, whole or not at all; a site of the same name is replaced only when that was asked for."""

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import AGGREGATES, remove
from ypomoni.actions.site_tree import columns_of_load, columns_of_requirement, columns_of_supply
from ypomoni.documents.site_model import SiteFile
from ypomoni.storage.changes import insert_change
from ypomoni.storage.connection import Connection, Row
from ypomoni.storage.sites import list_sites


def sites_named(connection: Connection, actor: Actor, name: str) -> list[Row]:
    """Return the sites that already have this name."""
    return [s for s in list_sites(connection, actor.organisation_id) if s["name"].casefold() == name.casefold()]


def import_site(connection: Connection, actor: Actor, site_file: SiteFile, *, replacing: Row | None = None) -> Row:
    """Insert a site with everything in it. ``replacing`` is a site that is removed for it, and can be restored."""
    if replacing is not None:
        remove(connection, actor, "site", replacing["id"], replacing["version"])
    document = site_file.model_dump(mode="json")
    site = _add(connection, actor, "site", document["site"])
    requirement_ids = {
        part["key"]: _add(connection, actor, "requirement", {**columns_of_requirement(part), "site_id": site["id"]})["id"]
        for part in document["requirements"]
    }
    for plan_part in document["plans"]:
        plan = _add(connection, actor, "plan", {**{k: plan_part[k] for k in ("key", "name", "stage")}, "site_id": site["id"]})
        supply_ids: dict[str | None, int | None] = {None: None}
        for part in plan_part["supplies"]:
            values = {**columns_of_supply(part), "plan_id": plan["id"], "requirement_id": requirement_ids[part["requirement"]]}
            supply_ids[part["key"]] = _add(connection, actor, "supply", values)["id"]
        for part in plan_part["loads"]:
            _add(connection, actor, "load", {**columns_of_load(part), "plan_id": plan["id"], "supply_id": supply_ids[part["supply"]]})
    insert_change(
        connection,
        organisation_id=actor.organisation_id,
        account_id=actor.account_id,
        verb="import",
        aggregate="site",
        aggregate_id=site["id"],
        site_id=site["id"],
        before=None,
        after=document,
    )
    return site


def _add(connection: Connection, actor: Actor, name: str, values: Row) -> Row:
    return AGGREGATES[name].add(connection, {**values, "organisation_id": actor.organisation_id})
