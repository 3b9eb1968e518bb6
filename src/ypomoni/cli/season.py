"""`ypomoni season FILE --plan KEY --supply KEY [--json | --csv OUT]`: cuts, windows of charge or the sun, played for one supply, without a database."""

import csv
import io
import json
from pathlib import Path
from typing import Any

import click

from ypomoni.cli.calc import read_file, refuse
from ypomoni.cli.simulate import find_supply, playable_case
from ypomoni.core.evaluation.asking import cuts_lines, sun_lines
from ypomoni.core.evaluation.evaluate import evaluate_supply
from ypomoni.core.judgement.seasons import say_cuts, say_solar
from ypomoni.core.seasons.cuts import cut_pattern, unknown_of_charger
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.documents.faults import DocumentFaults, Fault
from ypomoni.documents.into_core import to_core
from ypomoni.documents.results_json import CUTS_KEYS, SOLAR_KEYS
from ypomoni.documents.site_file import read_site_text


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--plan", "plan_key", required=True, help="Key of the plan.")
@click.option("--supply", "supply_key", required=True, help="Key of the supply.")
@click.option("--json", "as_json", is_flag=True, help="Print the result, every cut or day, and what would make it last, as JSON.")
@click.option("--csv", "csv_out", type=click.Path(path_type=Path), help="Write every cut, or every day, as CSV.")
def season(file: Path, plan_key: str, supply_key: str, *, as_json: bool, csv_out: Path | None) -> None:
    """Play the cuts, the windows of charge or the sun of one supply of a site FILE, and say whether it survives."""
    try:
        plan, supply = find_supply(to_core(read_site_text(read_file(file))), plan_key, supply_key)
        told = _played(plan, supply)
    except DocumentFaults as error:
        refuse(error, as_json=as_json)
    if csv_out is not None:
        csv_out.write_text(_as_csv(told["rows"]), encoding="utf-8")
    if as_json:
        click.echo(json.dumps(told, indent=1, ensure_ascii=False, allow_nan=False))
        return
    for line in (told["line"], *told["ways"]):
        click.echo(line)


def _played(plan: Plan, supply: Supply) -> dict[str, Any]:
    case = playable_case(plan, supply)
    pattern = cut_pattern(case.supply)
    if pattern is not None:
        missing = unknown_of_charger(supply)
        if missing:
            raise DocumentFaults([Fault("--supply", f"{supply.name} cannot be played over cuts: {', '.join(missing)} is not known.")])
        lines = cuts_lines(case, pattern)
        rows = [
            {
                "start_h": c.start_h,
                "end_h": c.end_h,
                "left_at_start_ratio": c.left_at_start_ratio,
                "left_at_end_ratio": c.left_at_end_ratio,
                "carried": c.left_at_end_ratio is not None,
            }
            for c in lines.today.cuts
        ]
        found = {
            "kind": "cuts",
            "line": say_cuts(lines.told, repeats=pattern.repeats),
            "cuts": {name: getattr(lines.told, name) for name in CUTS_KEYS},
            "trace": [{"t_h": t, "left_ratio": left} for t, left in lines.today.trace],
        }
    else:
        sunny = sun_lines(case) if supply.of_kind.is_sunlit else None
        if sunny is None:
            raise DocumentFaults(
                [Fault("--supply", f"{supply.name} has neither cuts nor windows of charge nor panels: there is no season to play.")]
            )
        rows = [
            {"day": d.day + 1, "month": d.month + 1, "least_ratio": d.least_ratio, "most_ratio": d.most_ratio} for d in sunny.today.days
        ]
        found = {
            "kind": "solar",
            "line": say_solar(sunny.told),
            "solar": {name: getattr(sunny.told, name) for name in SOLAR_KEYS},
        }
    result = evaluate_supply(plan, supply)
    return {**found, "ways": list(result.season_ways), "verdict": result.verdict, "rows": rows}


def _as_csv(rows: list[dict[str, Any]]) -> str:
    out = io.StringIO()
    if rows:
        writer = csv.DictWriter(out, fieldnames=list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
    return out.getvalue()
