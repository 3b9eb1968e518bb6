"""A backup, what must be true of it, and whether it is once it is restored: every site opens, and its figures are the same."""

import hashlib
import json
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from ypomoni.actions.edit import read_document
from ypomoni.actions.errors import Unreadable
from ypomoni.actions.evaluate import ENGINE_VERSION, digests_of, try_computing
from ypomoni.actions.site_tree import read_trees
from ypomoni.documents.into_core import to_core_plan
from ypomoni.documents.results_json import dump_supply_result
from ypomoni.documents.site_file import SiteFile, write_site
from ypomoni.storage.accounts import list_organisations
from ypomoni.storage.connection import Connection, Pool, export_snapshot, transaction
from ypomoni.storage.dumping import dump_database, restore_database
from ypomoni.storage.kept import SITE
from ypomoni.storage.results import select_results


@dataclass(frozen=True, slots=True, kw_only=True)
class Checked:
    """What a restored database came to: how many sites are as they were, and in words what is not."""

    sites_count: int
    faults: tuple[str, ...]
    # Figures are compared where they were computed by the same version.
    figures_compared: bool


def back_up(pool: Pool, conninfo: str, file: Path) -> int:
    """Write a database into a file, and beside it what every site was then; both of one moment. Returns how many sites that are."""
    with transaction(pool) as connection:
        snapshot = export_snapshot(connection)
        dump_database(conninfo, file, snapshot)
        sites = _told(connection)
    told = {"made_at": datetime.now(UTC).isoformat(), "engine": ENGINE_VERSION, "sites": sites}
    _manifest(file).write_text(json.dumps(told, indent=1) + "\n")
    return len(sites)


def restore_backup(pool: Pool, conninfo: str, file: Path) -> Checked:
    """Read a backup back into an empty database, and compare every site and its figures with what they were."""
    told = json.loads(_manifest(file).read_text())
    restore_database(conninfo, file)
    is_same_engine = told["engine"] == ENGINE_VERSION
    with transaction(pool) as connection:
        now = _told(connection, afresh=True)
    faults: list[str] = []
    for key, then in told["sites"].items():
        found = now.get(key)
        if found is None:
            faults.append(f"{then['name']} is missing")
        elif found["document"] != then["document"]:
            faults.append(f"{then['name']} is not as it was")
        elif is_same_engine and found["figures"] != then["figures"]:
            faults.append(f"{then['name']} has other figures")
    faults += [f"{site['name']} was not in the backup" for key, site in now.items() if key not in told["sites"]]
    return Checked(sites_count=len(told["sites"]), faults=tuple(faults), figures_compared=is_same_engine)


def _told(connection: Connection, *, afresh: bool = False) -> dict[str, Any]:
    """Return name and digests of every site by its id. ``afresh`` computes all figures, and believes none that are stored."""
    found: dict[str, Any] = {}
    for organisation_id in list_organisations(connection):
        for site in SITE.every(connection, organisation_id):
            if site["removed_at"] is not None:
                continue
            tree = read_trees(connection, organisation_id, [site])[0]
            try:
                site_file = read_document(tree)
            except Unreadable:
                # As unreadable as it was.
                found[str(site["id"])] = {"name": site["name"], "document": _sha(json.dumps(tree.document(), default=str)), "figures": None}
                continue
            figures = _figures(connection, organisation_id, site_file, afresh=afresh)
            found[str(site["id"])] = {"name": site["name"], "document": _sha(write_site(site_file)), "figures": figures}
    return found


def _figures(connection: Connection, organisation_id: int, site_file: SiteFile, *, afresh: bool) -> str:
    bodies: list[str] = []
    for part in site_file.plans:
        plan, digests = to_core_plan(site_file, part.key), digests_of(site_file, part)
        stored = {} if afresh else select_results(connection, organisation_id, ENGINE_VERSION, digests)
        for supply, digest in zip(plan.supplies, digests, strict=True):
            bodies.append(stored[digest] if digest in stored else dump_supply_result(try_computing(plan, supply)[0]))
    return _sha("\n".join(json.dumps(json.loads(body), sort_keys=True) for body in bodies))


def _sha(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()


def _manifest(file: Path) -> Path:
    return file.with_name(file.name + ".json")
