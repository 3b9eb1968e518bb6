"""`ypomoni balance FILE --plan KEY [--json]`: the fewest moves after which every supply holds, without a database."""

import json
from pathlib import Path

import click

from ypomoni.cli.calc import read_file, refuse
from ypomoni.core.optimiser import fewest_moves
from ypomoni.documents.faults import DocumentFaults, Fault
from ypomoni.documents.site_file import read_site_text, to_core


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--plan", "plan_key", required=True, help="Key of the plan.")
@click.option("--json", "as_json", is_flag=True, help="Print the moves as JSON.")
def balance(file: Path, plan_key: str, *, as_json: bool) -> None:
    """Print the fewest moves after which every supply of a plan of a site FILE holds as long as it must."""
    try:
        site = to_core(read_site_text(read_file(file)))
        plan = next((p for p in site.plans if p.key == plan_key), None)
        if plan is None:
            raise DocumentFaults([Fault("--plan", f"names no plan of this file: it has {', '.join(p.key for p in site.plans) or 'none'}.")])
    except DocumentFaults as error:
        refuse(error, as_json=as_json)
    found = fewest_moves(plan)
    if as_json:
        moves = [{"load": m.load_key, "from": m.from_key, "to": m.to_key} for m in found.moves]
        click.echo(json.dumps({"found": found.is_found, "proven": found.is_proven, "moves": moves}, indent=1, ensure_ascii=False))
        return
    if not found.is_found:
        click.echo("No placement of these loads makes every supply hold." if found.is_proven else "None was found, and none is ruled out.")
    elif not found.moves:
        click.echo("Every supply holds: nothing has to move.")
    for m in found.moves:
        click.echo(f"{m.name}: {m.from_key} -> {m.to_key}")
