"""The command line: one file per command group. `calc` needs no database; the others say which they use."""

import click

from ypomoni.cli import calc


@click.group()
@click.version_option(package_name="ypomoni")
def main() -> None:
    """How long always-on equipment really holds when the mains fails."""


main.add_command(calc.calc)
