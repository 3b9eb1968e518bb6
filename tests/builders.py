"""Small sites for tests of the core: one place that knows the site file, so that a test says only what it is about."""

import copy

from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.core.outage.case import Case
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site

REQUIREMENT = {"key": "r", "name": "Intruder", "standby_h": 24, "alarm_min": 30, "recharge_h": 24, "method": "simulation"}
BANK = {"chemistry": "lead_agm", "block_v": 12, "capacity_ah": 17, "rate_h": 20, "series": 1, "parallel": 1}
SUPPLY = {
    "key": "s",
    "name": "Bay",
    "kind": "boxed",
    "requirement": "r",
    "nominal_v": 12,
    "cutoff_v": 10.5,
    "output_limit_a": 2.0,
    "supply_current_a": 3.0,
    "charge_limit_a": 1.7,
    "charge_v": 13.65,
    "bank": BANK,
}
LOAD = {
    "key": "l",
    "name": "Beam",
    "supply": "s",
    "quantity": 1,
    "rail_v": 12,
    "behaviour": "constant_current",
    "standby": {"current_a": 0.3, "provenance": "measured"},
}


def merged(base, changes):
    """Return a deep copy of a dictionary with changes; a nested dictionary is merged into one."""
    found = copy.deepcopy(base)
    for key, value in changes.items():
        found[key] = merged(found[key], value) if isinstance(value, dict) and isinstance(found.get(key), dict) else copy.deepcopy(value)
    return found


def document(supply=None, loads=None, requirement=None, site=None):
    """Return a site file of one plan with one supply."""
    return {
        "format": "ypomoni-site",
        "version": 1,
        "site": merged({"name": "Site", "typical_degc": 20, "min_degc": 5}, site or {}),
        "requirements": [merged(REQUIREMENT, requirement or {})],
        "plans": [
            {
                "key": "as-found",
                "name": "As found",
                "stage": "as_found",
                "supplies": [merged(SUPPLY, supply or {})],
                "loads": [merged(LOAD, {"key": f"l{n}", **load}) for n, load in enumerate([{}] if loads is None else loads)],
            }
        ],
    }


AC = {"output_v": 230, "rated_va": 850, "rated_w": 510, "overhead_w": 14, "efficiency_ratio": 0.85, "transfer_ms": 10}
DC = {"output_v": 12, "efficiency_ratio": 0.9, "idle_power_w": 0.2}
ON_AC = {"rail_v": 230, "behaviour": "constant_power"}


def ups(**more):
    """Return an AC UPS that charges with 1.7 A, its output told in ``ac``."""
    return merged({"kind": "ac_ups", "name": "UPS", "output_limit_a": None, "supply_current_a": None, "ac": AC}, more)


def dc_ups(**more):
    """Return a DC UPS that regulates its output, told in ``dc``."""
    return merged({"kind": "dc_ups", "name": "DC UPS", "dc": DC}, more)


def watts(power_w, **more):
    """Return a load of so many watts on 230 V."""
    return merged({"name": "Recorder", **ON_AC, "standby": {"current_a": power_w / 230, "provenance": "measured"}}, more)


CELLS = {"chemistry": "alkaline", "block_v": 1.5, "capacity_ah": 16, "rate_h": 200, "series": 8}
CAMERA = {
    "key": "camera",
    "name": "Camera",
    "supply": "feed",
    "behaviour": "constant_power",
    "min_v": 10,
    "standby": {"current_a": 0.12},
    "bursts": [{"name": "send", "current_a": 0.6, "duration_s": 20, "per_hour": 4}],
}


def backed_up(pack=None, cells=None, camera=None, requirement=None, **selector):
    """Return a site with a camera behind a selector: an external pack first, cells inside as its backup."""
    made = document(loads=[], requirement=merged({"standby_h": 72, "alarm_min": 0, "recharge_h": None}, requirement or {}))
    plain = {"charge_limit_a": 0, "supply_current_a": None, "charge_v": None, "output_limit_a": None}
    first = merged(
        SUPPLY, {"key": "pack", "name": "Pack", **plain, "cutoff_v": None, "bank": {"capacity_ah": 7, "condition_ratio": 1}, **(pack or {})}
    )
    second = merged(SUPPLY, {"key": "cells", "name": "Cells", "kind": "primary", **plain, "cutoff_v": None})
    second["bank"] = {**CELLS, "parallel": 1}
    plan = made["plans"][0]
    plan["supplies"], plan["loads"] = [first, merged(second, cells or {})], [merged(LOAD, merged(CAMERA, camera or {}))]
    told = {"key": "feed", "name": "Camera feed", "inputs": ["pack", "cells"], "mode": "first_present", "switch_below_v": 3.5}
    plan["selectors"] = [told | selector]
    return made


INSTRUMENT = {
    "key": "meter",
    "name": "Yellow meter",
    "ranges": [
        {"jack": "mA", "limit_a": 0.04, "burden_v": 0.4, "fuse_a": 0.5},
        {"jack": "mA", "limit_a": 0.4, "burden_v": 0.6, "fuse_a": 0.5},
        {"jack": "10 A", "limit_a": 10.0, "burden_v": 0.2, "fuse_a": 10.0, "longest_s": 30},
    ],
}


def other_load(key, current_a, provenance, quantity=1, **more):
    """Return a load of a name and current of its own."""
    return {"key": key, "name": key.upper(), "quantity": quantity, "standby": {"current_a": current_a, "provenance": provenance}, **more}


def points_of(supply, loads, branches=None):
    """Return battery, output, branches and a device for each load key; ``branches`` maps a load key to its branch."""
    found = [
        {"key": "battery", "name": "Battery lead", "kind": "battery", "supply": supply},
        {"key": "output", "name": "Output", "kind": "output", "supply": supply, "parent": "battery"},
    ]
    for name in dict.fromkeys((branches or {}).values()):
        found.append({"key": f"branch-{name}", "name": name, "kind": "branch", "supply": supply, "parent": "output"})
    for key in loads:
        branch = (branches or {}).get(key)
        parent = f"branch-{branch}" if branch else "output"
        found.append({"key": f"at-{key}", "name": f"Device {key}", "kind": "device", "supply": supply, "parent": parent, "load": key})
    return found


def reading(key, point, value_a, **more):
    """Return a reading of a point in standby with mains off."""
    return {"key": key, "point": point, "state": "standby", "mains": "off", "value_a": value_a, **more}


def audited(supply=None, loads=None, readings=(), branches=None, places=(), instruments=(INSTRUMENT,), **more):
    """Return a site file with measuring points for every load, and readings."""
    found = document(supply, loads, **more)
    plan = found["plans"][0]
    plan["points"] = points_of("s", [load["key"] for load in plan["loads"]], branches)
    plan["readings"] = copy.deepcopy(list(readings))
    return found | {"places": copy.deepcopy(list(places)), "instruments": copy.deepcopy(list(instruments))}


def core_plan(found):
    """Return the one plan of a site file as the core sees it."""
    return to_core(read_site(found)).plans[0]


def case_of(supply=None, loads=None, **more):
    """Return the one supply with its loads, ready to be run."""
    plan = core_plan(document(supply, loads, **more))
    return Case(plan.supplies[0], plan.loads)


def evaluate(supply=None, loads=None, requirement=None, site=None):
    """Return the result of the one supply."""
    return evaluate_plan(to_core(read_site(document(supply, loads, requirement, site))).plans[0]).supplies[0]


def codes(result):
    """Return the finding codes of a result with their severities."""
    return {f.code: f.severity.value for f in result.findings}
