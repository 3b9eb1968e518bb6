"""Requirement profiles: those that ship, and an organisation's own; kept from a requirement, and picked for a new one."""

from dataclasses import dataclass

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import create, find, shared_keys
from ypomoni.actions.errors import NotFound
from ypomoni.core.requirements.profiles import PROFILES
from ypomoni.records.field import Row
from ypomoni.records.requirement import ProfileRow
from ypomoni.storage.connection import Connection
from ypomoni.storage.kept import PROFILE

OWN = "own:"


@dataclass(frozen=True, slots=True, kw_only=True)
class Offered:
    """A profile one may start from."""

    key: str
    group: str
    name: str
    source: str
    confidence: str
    note: str


def own_profiles(connection: Connection, actor: Actor) -> list[ProfileRow]:
    """Return the organisation's own profiles."""
    return [p for p in PROFILE.every(connection, actor.organisation_id) if p["removed_at"] is None]


def offered_profiles(connection: Connection, actor: Actor) -> list[Offered]:
    """Return every profile, the organisation's own first."""
    own = [
        Offered(key=f"{OWN}{p['key']}", group="Our own", name=p["name"], source=p["source"], confidence="", note="")
        for p in own_profiles(connection, actor)
    ]
    shipped = [Offered(key=p.key, group=p.group, name=p.name, source=p.source, confidence=p.confidence, note=p.note) for p in PROFILES]
    return own + shipped


def profile_values(connection: Connection, actor: Actor, key: str) -> Row:
    """Return the columns of a requirement that starts from a profile."""
    if key.startswith(OWN):
        row = next((p for p in own_profiles(connection, actor) if p["key"] == key.removeprefix(OWN)), None)
        if row is None:
            raise NotFound
        return {c: v for c, v in row.items() if c in PROFILE.columns and c != "key"}
    profile = next((p for p in PROFILES if p.key == key), None)
    if profile is None:
        raise NotFound
    return {
        "name": profile.name,
        "source": profile.source,
        "standby_h": profile.standby_h,
        "alarm_min": profile.alarm_min,
        "recharge_h": profile.recharge_h,
        "recharge_to_ratio": profile.recharge_to_ratio,
        "method": profile.method.value,
        "purpose": profile.purpose.value if profile.purpose else None,
    }


def keep_profile(connection: Connection, actor: Actor, requirement_id: int) -> Row:
    """Keep a requirement as a profile of the organisation's own."""
    row = find(connection, actor, "requirement", requirement_id)
    values = {c: row[c] for c in PROFILE.columns if c != "key"}
    return create(connection, actor, "profile", {**values, "key": None}, shared_keys(connection, actor, "profile"))
