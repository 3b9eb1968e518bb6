"""The answers of forty site files, recorded: what is moved or renamed must not move a figure.

`python tests/core/test_answers.py` records them anew, after a change that was meant to move one; the difference is then reviewed.
"""

import copy
import json
import math
import sys
from pathlib import Path

if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).parents[1]))

from builders import document
from core.test_findings import HEALTHY, ROWS

from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.playing import Conditions, play_supply
from ypomoni.core.outage.why import why_it_ends
from ypomoni.documents.into_core import to_core
from ypomoni.documents.results_json import write_plans
from ypomoni.documents.site_file import read_site, read_site_text

HERE = Path(__file__).parents[1]
RECORDED = HERE / "reference" / "answers.json"
DEMO = HERE.parent / "src" / "ypomoni" / "actions" / "demo"
EXTRA = {
    "bursts and thermostats": {
        "supply": {"low_battery_v": 11.5, "bank": {"age_y": 3}},
        "loads": [
            {"bursts": [{"current_a": 1.0, "duration_s": 8, "per_hour": 6, "offset_s": 30}]},
            {"thermostats": [{"current_a": 0.5, "below_degc": 8}], "min_v": 10.8, "cable": {"length_m": 20, "section_mm2": 0.5}},
        ],
    },
    "table and resistance": {
        "supply": {
            "bank": {
                "resistance_ohm": 0.022,
                "discharge_table": [
                    {"current_a": 0.85, "run_h": 20, "end_v": 10.5},
                    {"current_a": 3.1, "run_h": 5, "end_v": 10.2},
                    {"current_a": 10.0, "run_h": 1, "end_v": 9.6},
                ],
            }
        },
        "loads": [{"alarm": {"current_a": 1.5, "provenance": "data_sheet"}}],
    },
    "power that collapses": {
        "supply": {"cutoff_v": None, "bank": {"capacity_ah": 2}},
        "loads": [{"behaviour": "constant_power", "min_v": 6, "standby": {"current_a": 9.0}}],
    },
}


OFFENDERS = (
    "charge_voltage_dangerous lithium",
    "charge_voltage_dangerous gel",
    "charge_voltage_high risk",
    "charge_voltage_low li_ion",
    "no_current_limit risk",
    "charge_in_heat",
    "float_in_heat warm",
    "charger_too_strong lead",
    "primary_charged",
    "charger_not_known",
    "no_cutoff lithium",
    "cutoff_below_end primary",
    "current_above_cell",
    "too_many_strings",
    "too_hot",
    "egress note",
    "cable_drop_starves unknown",
    "warning_too_late",
    "overload_standby",
    "meets_on_paper_only",
    "cutoff_below_need",
    "cold_not_counted",
)


def sites():
    """Return forty-two site files by name: the demo, the healthy ones, and some offenders of the findings."""
    found = {path.name: read_site_text(path.read_bytes()) for path in sorted(DEMO.glob("*.json"))}
    shapes = {**HEALTHY, **EXTRA}
    shapes |= {f"offender: {name}": ROWS[name][1] for name in OFFENDERS}
    return found | {name: read_site(document(**copy.deepcopy(changes))) for name, changes in shapes.items()}


def answer(site_file):
    """Return what is answered of a site file: every figure, what ends each outage when it is played, and no prose."""
    found = {}
    for plan in to_core(site_file).plans:
        result = evaluate_plan(plan)
        for told in json.loads(write_plans([(result, {})]))["plans"][0]["supplies"]:
            told["findings"] = sorted(f"{f['code']} {f['severity']}" for f in told["findings"])
            told["not_checked"] = len(told["not_checked"])
            told["disagreement"] = len(told["disagreement"])
            told["bank_risks"] = len(told["bank_risks"])
            found[f"{plan.key}/{told['key']}"] = told
        for supply in plan.supplies:
            case = Case(supply, plan.loads_on(supply.key))
            if found[f"{plan.key}/{supply.key}"]["endurance_h"]:
                played = play_supply(case, Conditions())
                why = why_it_ends(case, Conditions(), played)
                found[f"{plan.key}/{supply.key}"]["played"] = {"why": why.code, "end_h": played.end.t_h if played.end else None}
        found[plan.key] = {"verdict": result.verdict, "weakest": result.weakest_supply, "findings": [f.code for f in result.findings]}
    return found


def rounded(value):
    """Return a value with its numbers to ten digits."""
    if isinstance(value, dict):
        return {k: rounded(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [rounded(v) for v in value]
    return float(f"{value:.10g}") if isinstance(value, float) and not isinstance(value, bool) else value


def differences(before, now, at=""):
    """Return where two answers differ by more than one in a hundred million."""
    if isinstance(before, dict) and isinstance(now, dict):
        return [d for k in before.keys() | now.keys() for d in differences(before.get(k), now.get(k), f"{at}/{k}")]
    if isinstance(before, list) and isinstance(now, list) and len(before) == len(now):
        return [d for n, pair in enumerate(zip(before, now, strict=True)) for d in differences(*pair, f"{at}[{n}]")]
    if isinstance(before, float) and isinstance(now, int | float):
        return [] if math.isclose(before, now, rel_tol=1e-8, abs_tol=1e-9) else [f"{at}: {before} → {now}"]
    return [] if before == now else [f"{at}: {before} → {now}"]


def test_site_files_are_answered_as_they_were():
    """Figure by figure, finding by finding."""
    recorded = json.loads(RECORDED.read_text())
    assert len(recorded) == 44
    assert differences(recorded, json.loads(json.dumps({name: answer(site) for name, site in sites().items()}))) == []


if __name__ == "__main__":
    lines = (f"{json.dumps(name)}: {json.dumps(rounded(answer(site)), ensure_ascii=False)}" for name, site in sites().items())
    RECORDED.write_text("{\n" + ",\n".join(lines) + "\n}\n")
