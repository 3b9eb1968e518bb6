"""`ypomoni simulate FILE --plan KEY --supply KEY [--json | --csv OUT]`: one outage played, without a database."""

from pathlib import Path

import click

from ypomoni.cli.calc import read_file, refuse
from ypomoni.core.errors import OutsideTableError
from ypomoni.core.outage.case import Case, Hindrance, hindrance_of
from ypomoni.core.outage.playing import Conditions, play_supply
from ypomoni.core.outage.why import why_it_ends
from ypomoni.core.telling.wording import plain_number, say_hours
from ypomoni.core.things.supplies import Plan, Site, Supply
from ypomoni.documents.faults import DocumentFaults, Fault
from ypomoni.documents.into_core import to_core
from ypomoni.documents.results_json import write_played, write_played_csv
from ypomoni.documents.site_file import read_site_text


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--plan", "plan_key", required=True, help="Key of the plan.")
@click.option("--supply", "supply_key", required=True, help="Key of the supply.")
@click.option("--json", "as_json", is_flag=True, help="Print the timeline, its events and why it ends as JSON.")
@click.option("--csv", "csv_out", type=click.Path(path_type=Path), help="Write the timeline as CSV.")
@click.option("--condition", type=click.FloatRange(0.3, 1.05), help="Condition of the bank, 0.3 to 1.05; as it is without.")
@click.option("--degc", type=float, help="Temperature in °C; the typical one without.")
@click.option("--swing", type=click.FloatRange(0, 40), default=0.0, help="Half the width of the day's temperature curve, in K.")
@click.option(
    "--full", type=click.FloatRange(0.05, 1.0), help="How full the bank is at the start, 0.05 to 1; as its charger makes it without."
)
@click.option("--alarm-at", "alarm_at_h", type=click.FloatRange(min=0), help="When an alarm begins, in h after the mains fails.")
@click.option("--alarm-min", type=click.FloatRange(min=0), help="How long it lasts, in min; as required without.")
def simulate(
    file: Path,
    plan_key: str,
    supply_key: str,
    *,
    as_json: bool,
    csv_out: Path | None,
    condition: float | None,
    degc: float | None,
    swing: float,
    full: float | None,
    alarm_at_h: float | None,
    alarm_min: float | None,
) -> None:
    """Play the outage of one supply of a site FILE and say when it ends and why."""
    try:
        plan, supply = find_supply(to_core(read_site_text(read_file(file))), plan_key, supply_key)
        case = playable_case(plan, supply)
        alarm_h = supply.requirement.alarm_h if alarm_min is None else alarm_min / 60.0
        conditions = Conditions(
            condition_ratio=condition, mean_degc=degc, swing_degc=swing, start_ratio=full, alarm_at_h=alarm_at_h, alarm_h=alarm_h
        )
        played = play_supply(case, conditions)
    except DocumentFaults as error:
        refuse(error, as_json=as_json)
    except OutsideTableError as error:
        refuse(DocumentFaults([Fault("--degc", str(error))]), as_json=as_json)
    why = why_it_ends(case, conditions, played)
    if csv_out is not None:
        csv_out.write_text(write_played_csv(played), encoding="utf-8")
    if as_json:
        click.echo(write_played(why, played))
        return
    click.echo(why.text)
    for line in (why.overload, *(f"{say_hours(e.t_h):>10}  {plain_number(e.terminal_v, 4)} V  {e.owner}" for e in played.events)):
        if line:
            click.echo(line)


def find_supply(site: Site, plan_key: str, supply_key: str) -> tuple[Plan, Supply]:
    """Return a plan and a supply by their keys, or raise `DocumentFaults`."""
    plan = next((p for p in site.plans if p.key == plan_key), None)
    if plan is None:
        raise DocumentFaults([Fault("--plan", f"names no plan of this file: it has {', '.join(p.key for p in site.plans) or 'none'}.")])
    supply = next((s for s in plan.supplies if s.key == supply_key), None)
    if supply is None:
        raise DocumentFaults(
            [Fault("--supply", f"names no supply of this plan: it has {', '.join(s.key for s in plan.supplies) or 'none'}.")]
        )
    return plan, supply


def playable_case(plan: Plan, supply: Supply) -> Case:
    """Return the case of a supply that can be played, or raise `DocumentFaults` with why it cannot."""
    loads = plan.loads_on(supply.key)
    hindrance = hindrance_of(supply, loads)
    if hindrance is Hindrance.NO_BANK:
        raise DocumentFaults([Fault("--supply", f"{supply.name} has no battery, so there is nothing to play.")])
    if hindrance in (Hindrance.KIND, Hindrance.AC_LOAD):
        raise DocumentFaults(
            [
                Fault(
                    "--supply",
                    f"Of {supply.name} not enough is known to compute it ({supply.missing_part or 'it feeds AC'}). No figure is given rather than a guessed one.",
                )
            ]
        )
    if hindrance is not None:
        raise DocumentFaults(
            [Fault("--supply", f"The temperature at {supply.name} is beyond what is known of its battery, so no figure is given.")]
        )
    case = Case(supply, loads)
    if case.draws_nothing:
        raise DocumentFaults([Fault("--supply", f"Nothing draws from {supply.name}, so there is nothing to play.")])
    return case
