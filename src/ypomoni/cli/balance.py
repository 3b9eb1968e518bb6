"""`ypomoni balance FILE --plan KEY [--least moves|cable] [--json]`: the best moves after which every supply holds, without a database."""

import json
from pathlib import Path

import click

from ypomoni.cli.calc import read_file, refuse
from ypomoni.core.balance.search import Effort, Objective, find_moves, say_relaxation
from ypomoni.documents.faults import DocumentFaults, Fault
from ypomoni.documents.into_core import to_core
from ypomoni.documents.proposal_json import dump_proposal
from ypomoni.documents.site_file import read_site_text


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--plan", "plan_key", required=True, help="Key of the plan.")
@click.option("--least", type=click.Choice([o.value for o in Objective]), default="moves", show_default=True, help="What is to be least.")
@click.option("--seconds", type=click.FloatRange(0.1, 3600), default=5.0, show_default=True, help="How long to search for moves.")
@click.option("--json", "as_json", is_flag=True, help="Print the proposal as JSON.")
def balance(file: Path, plan_key: str, least: str, seconds: float, *, as_json: bool) -> None:
    """Print the best moves after which every supply of a plan of a site FILE keeps all its limits, or what would make that possible."""
    try:
        site = to_core(read_site_text(read_file(file)))
        plan = next((p for p in site.plans if p.key == plan_key), None)
        if plan is None:
            raise DocumentFaults([Fault("--plan", f"names no plan of this file: it has {', '.join(p.key for p in site.plans) or 'none'}.")])
    except DocumentFaults as error:
        refuse(error, as_json=as_json)
    found = find_moves(plan, Objective(least), Effort(search_s=seconds, relax_s=4 * seconds))
    if as_json:
        click.echo(json.dumps(dump_proposal(found), indent=1, ensure_ascii=False))
        return
    if found.mends_all and not found.moves:
        click.echo("Every supply keeps its limits: nothing has to move.")
    elif found.is_found and not found.moves:
        click.echo("No move mends this:")
    for text in found.blocked:
        click.echo(f"Stays whatever is moved: {text}")
    if not found.is_found:
        click.echo("No placement of these loads makes every supply hold." if found.is_proven else "None was found, and none is ruled out.")
        for reason in found.reasons:
            click.echo(reason)
        click.echo("The best balance found:" if found.moves else "No better balance was found.")
    for m in found.moves:
        click.echo(f"{m.name}: {m.from_key} -> {m.to_key}")
    for text in found.risks if found.moves else ():
        click.echo(f"A risk stays: {text}")
    if found.is_found and found.moves and not found.is_proven:
        click.echo(f"Fewer were not ruled out: at most {found.gap_ratio or 0.0:.0%} from the best.")
    for r in found.relaxations:
        click.echo(
            f"It would do: {say_relaxation(r, {})}. Moves: {', '.join(f'{m.name} -> {m.to_key}' for m in r.moves if m.to_key) or 'none'}."
        )
        for text in r.risks:
            click.echo(f"  A risk stays then: {text}")
