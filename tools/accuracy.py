"""`make accuracy`: the battery model against independent physics. Fitted at C/20 and C/2, everything else predicted; every error is shown.

With --write the same goes into docs/accuracy.md.
"""

import json
import sys
from pathlib import Path

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.chemistries.cells import CellModel
from ypomoni.core.chemistries.discharge_table import DischargeRow, DischargeTable, fit_table
from ypomoni.core.outage.walk import walk
from ypomoni.core.things.batteries import Pack, cell_of

ROOT = Path(__file__).parent.parent
TRUTH = ROOT / "tests" / "reference" / "truth"
DOCUMENT = ROOT / "docs" / "accuracy.md"
FITTED_RATES = ("C/20", "C/2")
AIMED_RATES = ("C/50", "C/20", "C/10", "C/5", "C/2", "1C")
AIM_RATIO = 0.03
CHEMISTRY_OF = {"lead_acid": "lead_agm", "lifepo4": "lifepo4"}

HEAD = """# How accurate the battery model is

Independent physics runs (porous-electrode models, made by `tools/truth.py`, not part of the product) are discharged at constant currents from C/50 to 2C
and by three mixed profiles. Our model is refitted to **two rates fixed beforehand, C/20 and C/2**, as it would be to a maker's two-line table, and predicts the
rest. The aim is 3 % up to 1C. Every rate stands here; what misses the aim is named. Printed by `make accuracy`.
"""
TAIL = """
## What is not validated

- **The voltage in mid-discharge.** Run times to the end voltage are checked, not the curve on the way; the low-battery warning and the order of losses rest on it.
- **The recharge tail.** ±20 %, from 95 % on ±30 %: no independent run stands behind it.
- **Cold.** The temperature rows are common practice; the runs above are at the parameter sets' own 25 °C.
- **Age.** Capacity and resistance over the years are a rule, not a measurement: measure the block.
- **Gel, Li-ion, NiMH and the primary cells.** Typical rows only; lithium thionyl chloride is rough, and its voltage delay is in no figure.
- **These two parameter sets are not your block.** From a nameplate alone the capacity is ±10 %, whatever the model does.
"""


def model_of(document: dict) -> CellModel:
    """Return the cell fitted to the two rates."""
    prior = cell_of(CHEMISTRIES[CHEMISTRY_OF[document["chemistry"]]])
    rows = tuple(
        DischargeRow(current_a=s["current_a"], run_h=s["run_h"], end_v=document["end_v"])
        for s in document["sweep"]
        if s["rate"] in FITTED_RATES
    )
    return fit_table(DischargeTable(rows=rows, block_c20_ah=document["c20_ah"]), prior, document["cells_count"]).cell


def run_h(cell: CellModel, document: dict, legs: list[list[float]]) -> float:
    """Return how long the fitted model lasts along legs of (A, s). [h]"""
    c20_ah, cells = document["c20_ah"], document["cells_count"]
    pack = Pack(
        capacity_ah=c20_ah * cell.capacity_over_c20_ratio,
        c20_ah=c20_ah,
        resistance_ohm=cells * cell.resistance_ohm_ah / c20_ah,
        g=cell.g,
        k_per_h=cell.k_per_h,
        r1_h=cell.r1_h,
        cells_count=cells,
        ocv_knots_ratio=tuple(h for h, _ in cell.ocv_rows),
        ocv_knots_v=tuple(cells * v for _, v in cell.ocv_rows),
    )
    pieces, t = [], 0.0
    for current_a, seconds in legs:
        pieces.append((t, current_a, 0.0, 0.0))
        t += seconds / 3600.0
    return walk(pack, document["end_v"], 0.0, 0.0, pieces, t).t_h


def errors_of(document: dict) -> list[tuple[str, float, float, float, str]]:
    """Return name, truth [h], model [h], error and remark of every run."""
    cell = model_of(document)
    found = []
    for s in document["sweep"]:
        model_h = run_h(cell, document, [[s["current_a"], 3.0 * 3600.0 * s["run_h"]]])
        error = model_h / s["run_h"] - 1.0
        remark = "fitted" if s["rate"] in FITTED_RATES else "" if s["rate"] in AIMED_RATES else "beyond the aim's range"
        found.append((s["rate"], s["run_h"], model_h, error, remark))
    for m in document["mixed"]:
        model_h = run_h(cell, document, m["legs"])
        found.append((m["profile"], m["run_h"], model_h, model_h / m["run_h"] - 1.0, "mixed"))
    return found


def document_text() -> str:
    """Return the whole of docs/accuracy.md."""
    lines = [HEAD]
    for path in sorted(TRUTH.glob("*.json")):
        document = json.loads(path.read_text())
        lines.append(f"## {CHEMISTRIES[CHEMISTRY_OF[document['chemistry']]].name}, against {document['source']}\n")
        lines.append("| run | physics, h | model, h | error | |\n| --- | ---: | ---: | ---: | --- |")
        for name, truth_h, model_h, error, remark in errors_of(document):
            miss = "**misses 3 %**" if abs(error) > AIM_RATIO else ""
            words = ", ".join(w for w in (remark, miss) if w)
            lines.append(f"| {name} | {truth_h:.3f} | {model_h:.3f} | {100 * error:+.1f} % | {words} |")
        lines.append("")
    return "\n".join(lines) + TAIL


if __name__ == "__main__":
    text = document_text()
    sys.stdout.write(text)
    if "--write" in sys.argv:
        DOCUMENT.write_text(text)
