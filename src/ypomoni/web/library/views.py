"""The library: devices we have measured, generic types to start an estimate from, and our instruments."""

from itertools import groupby
from typing import Any

from flask import Blueprint, g, jsonify, render_template, request

from ypomoni.actions.edit import find
from ypomoni.actions.lists import shared_of
from ypomoni.actions.profiles import keep_profile
from ypomoni.actions.register import measured_devices
from ypomoni.core.chemistries.primary_sizes import PRIMARY_SIZES, PrimarySize
from ypomoni.core.requirements import Method
from ypomoni.core.telling.wording import say_amps
from ypomoni.core.things.device_types import BASIS, DEVICE_TYPES, DeviceType
from ypomoni.documents.quantities import show_current, show_duty, show_quantity
from ypomoni.records.field import Row
from ypomoni.records.library import DeviceRow
from ypomoni.records.words import CHEMISTRY_WORDS, HOOKUP_WORDS
from ypomoni.web.security import signed_in
from ypomoni.web.words import METHOD_WORDS

blueprint = Blueprint("library", __name__, template_folder="templates", url_prefix="/library")


@blueprint.get("/")
@signed_in
def index() -> Any:
    """Show the library."""

    def shared(name: str, *, removed: bool = False) -> list[Any]:
        return shared_of(g.connection, g.actor, name, removed=removed)

    return render_template(
        "library/index.html",
        stock=[(b, _stock_words(b)) for b in shared("stock")],
        profiles=[(p, _profile_words(p)) for p in shared("profile")],
        measured=[(d, _measured_words(d)) for d in shared("device")],
        groups=[(name, [(t, _type_words(t)) for t in types]) for name, types in groupby(DEVICE_TYPES, key=lambda t: t.group)],
        basis=BASIS,
        count=len(DEVICE_TYPES),
        cells=[(s, CHEMISTRY_WORDS[s.chemistry_key], _cell_words(s)) for s in PRIMARY_SIZES],
        instruments=[(i, _instrument_words(i)) for i in shared("instrument")],
        removed=[(name, row) for name in ("device", "stock", "profile", "instrument") for row in shared(name, removed=True)],
    )


@blueprint.post("/profiles/keep/<int:requirement_id>")
@signed_in
def keep(requirement_id: int) -> Any:
    """Keep a requirement as a profile of our own."""
    with g.connection.transaction():
        profile = keep_profile(g.connection, g.actor, requirement_id)
    return jsonify({"notice": f"{profile['name']} is kept as a profile: it is offered for the next requirement."})


@blueprint.get("/pick")
@signed_in
def pick() -> Any:
    """Offer the library for a new load of a plan."""
    plan = find(g.connection, g.actor, "plan", request.args.get("plan", default=-1, type=int))
    html = render_template(
        "library/_pick.html",
        plan=plan,
        measured=[(d, _measured_words(d)) for d in measured_devices(g.connection, g.actor)],
        groups=[(name, [(t, _type_words(t)) for t in types]) for name, types in groupby(DEVICE_TYPES, key=lambda t: t.group)],
        basis=BASIS,
    )
    return jsonify({"html": html})


def _span(span_a: tuple[float, float, float] | None) -> str:
    return "as standby" if span_a is None else f"{say_amps(span_a[0])} to {say_amps(span_a[2])}"


def _type_words(kind: DeviceType) -> dict[str, str]:
    burst = "" if kind.burst is None else f"{say_amps(kind.burst[0])}, {show_duty(kind.burst[1], kind.burst[2])}"
    return {
        "standby": _span(kind.standby_a),
        "likely": say_amps(kind.standby_a[1]),
        "alarm": _span(kind.alarm_a),
        "rail": show_quantity(kind.rail_v, "V"),
        "burst": burst,
    }


def _measured_words(device: DeviceRow) -> dict[str, str]:
    return {
        "standby": say_amps(device["standby_current_a"]),
        "alarm": "as standby" if device["alarm_current_a"] is None else say_amps(device["alarm_current_a"]),
        "rail": show_quantity(device["rail_v"], "V"),
        "basis": f"{device['basis']}, {device['measured_count']} pieces, last {device['measured_on']:%d %b %Y}",
    }


def _cell_words(size: PrimarySize) -> dict[str, str]:
    return {
        "volts": show_quantity(size.block_v, "V"),
        "capacity": f"{show_quantity(size.capacity_ah, 'Ah')} over {show_quantity(size.rate_h, 'h')}",
        "greatest": say_amps(size.greatest_current_a),
    }


def _stock_words(row: Row) -> str:
    block = f"{show_quantity(row['block_v'], 'V')} {show_quantity(row['capacity_ah'], 'Ah')}"
    return f"{block} at {show_quantity(row['rate_h'], 'h')} · {CHEMISTRY_WORDS[row['chemistry']]}"


def _profile_words(row: Row) -> str:
    alarm = f", then {show_quantity(row['alarm_min'], 'min')} of alarm" if row["alarm_min"] else ""
    return f"{show_quantity(row['standby_h'], 'h')}{alarm} · {METHOD_WORDS[Method(row['method'])]} · {row['source'] or 'no source said'}"


def _instrument_words(row: Row) -> str:
    ranges = ", ".join(f"{r['jack']} {show_current(r['limit_a'])}" for r in row["ranges"])
    limits = f"±({row['accuracy_ratio'] * 100:g} % + {row['digits_count']} digits) of {row['display_count']} counts"
    return " · ".join(p for p in (HOOKUP_WORDS[row["hookup"]], limits, ranges) if p)
