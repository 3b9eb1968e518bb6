"""The command line: one file per command group. `calc` and `simulate` need no database and load nothing that does; the others say which they use."""

from importlib import import_module

import click

# Loaded only when asked for, so that `calc` starts without a database driver.
COMMANDS = {
    "calc": "ypomoni.cli.calc:calc",
    "simulate": "ypomoni.cli.simulate:simulate",
    "balance": "ypomoni.cli.balance:balance",
    "import": "ypomoni.cli.sites:import_command",
    "export": "ypomoni.cli.sites:export_command",
    "account": "ypomoni.cli.sites:account_command",
    "demo": "ypomoni.cli.server:demo",
    "serve": "ypomoni.cli.server:serve",
    "stop": "ypomoni.cli.server:stop",
    "worker": "ypomoni.cli.worker:worker",
    "migrate": "ypomoni.cli.server:migrate_command",
}


class _Lazy(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        module, _, name = COMMANDS[cmd_name].partition(":")
        return getattr(import_module(module), name)


@click.group(cls=_Lazy)
@click.version_option(package_name="ypomoni")
def main() -> None:
    """How long always-on equipment really holds when the mains fails."""
