"""Make the fixtures of `tests/reference/truth` with PyBaMM: independent physics, run to the end voltage at constant currents and mixed ones.

Not part of the product. In an environment of its own:  pip install pybamm && python tools/truth.py
Parameter sets: lead-acid "Sulzer2019" (porous-electrode model), lithium iron phosphate "Prada2013" (Doyle-Fuller-Newman model).
"""

import json
import sys
from pathlib import Path

import pybamm  # type: ignore[import-not-found]

pybamm.set_logging_level("ERROR")
OUT = Path(__file__).parent.parent / "tests" / "reference" / "truth"
RATES = {"C/50": 1 / 50, "C/20": 1 / 20, "C/10": 1 / 10, "C/5": 1 / 5, "C/2": 1 / 2, "1C": 1.0, "2C": 2.0}


def lead_acid():
    """Return model, parameters, cells in series, end voltage and a current of 1 C."""
    values = pybamm.ParameterValues("Sulzer2019")
    return pybamm.lead_acid.Full(), values, 6, 10.5


def lifepo4():
    """Return the same of lithium iron phosphate, one cell."""
    values = pybamm.ParameterValues("Prada2013")
    return pybamm.lithium_ion.DFN(), values, 1, 2.5


def run(make, legs):
    """Return (seconds until the end voltage, volts just before) of legs of (A, s); None when it outlasts them."""
    model, values, cells, end_v = make()
    values = values.copy()
    # Its own limit is per cell: a little below the end voltage, so that the step ends first.
    values["Lower voltage cut-off [V]"] = end_v / cells - 0.1
    steps = [f"Discharge at {current:.9f} A for {seconds:.6f} seconds or until {end_v} V" for current, seconds in legs]
    sim = pybamm.Simulation(model, parameter_values=values, experiment=pybamm.Experiment(steps, period="30 minutes"))
    solution = sim.solve(initial_soc=1.0) if cells == 1 else sim.solve()
    name, v = "Battery voltage [V]", float("nan")
    # A leg that ends early ended at the end voltage; whatever was run after it does not count.
    for cycle in solution.cycles:
        t, v = float(cycle["Time [s]"].entries[-1]), float(cycle[name].entries[-1])
        if v <= end_v + 1e-3:
            return t, v
    return None, v


def capacity_ah(make):
    """Return the charge of a discharge of twenty hours: the 20-hour capacity. [Ah]"""
    _, values, _, _ = make()
    guess = float(values["Nominal cell capacity [A.h]"])
    for _ in range(6):
        seconds, _ = run(make, [(guess / 20, 40 * 3600.0)])
        if seconds is None:
            raise SystemExit("the discharge of twenty hours outlasted forty")
        guess *= (seconds / 3600.0 / 20.0) ** 0.9
    return guess


def main() -> None:
    """Write one file per chemistry."""
    OUT.mkdir(parents=True, exist_ok=True)
    for key, make in (("lead_acid", lead_acid), ("lifepo4", lifepo4)):
        c20 = capacity_ah(make)
        _, _, cells, end_v = make()
        sweep = []
        for name, rate in RATES.items():
            seconds, v = run(make, [(c20 * rate, 3.0 * 3600.0 / rate)])
            sweep.append({"rate": name, "current_a": c20 * rate, "run_h": None if seconds is None else seconds / 3600.0, "end_v": v})
            sys.stdout.write(f"{key} {name}: {sweep[-1]}\n")
            sys.stdout.flush()
        mixed = []
        profiles = {
            "standby C/20, then 1C": [(c20 / 20, 12 * 3600.0), (c20, 4 * 3600.0)],
            "hourly bursts of C/2, 6 min, on C/25": [leg for _ in range(40) for leg in ((c20 / 25, 3240.0), (c20 / 2, 360.0))],
            "C/2 half an hour, rest at C/100, then C/5": [(c20 / 2, 1800.0), (c20 / 100, 2 * 3600.0), (c20 / 5, 20 * 3600.0)],
        }
        for name, legs in profiles.items():
            seconds, v = run(make, legs)
            mixed.append({"profile": name, "legs": legs, "run_h": None if seconds is None else seconds / 3600.0, "end_v": v})
            sys.stdout.write(f"{key} {name}: {mixed[-1]['run_h']} {v}\n")
            sys.stdout.flush()
        document = {
            "source": f"PyBaMM {pybamm.__version__}, {type(make()[0]).__module__.split('.')[2]} {type(make()[0]).__name__}",
            "chemistry": key,
            "cells_count": cells,
            "end_v": end_v,
            "c20_ah": c20,
            "sweep": sweep,
            "mixed": mixed,
        }
        (OUT / f"{key}.json").write_text(json.dumps(document, indent=1) + "\n")


if __name__ == "__main__":
    main()
