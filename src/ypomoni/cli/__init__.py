"""The command line: one file per command group. `calc` and `simulate` need no database and load nothing that does; the others say which they use."""

import atexit
import gc
import os
from importlib import import_module
from typing import NamedTuple

import click

# Every start would look through all installed packages for plug-ins of the site file's models; there are none.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")
# What is solved at once has some ten unknowns: threads for it cost more than they help, and are in the way of processes that are forked.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


class Told(NamedTuple):
    """Where a command is, and its line in the list of commands."""

    module: str
    name: str
    line: str


# A command is loaded only when it is asked for, so that the help comes at once and `calc` starts without a database driver.
COMMANDS = {
    "calc": Told("calc", "calc", "Say what holds, what gives out first and what to fit."),
    "simulate": Told("simulate", "simulate", "Play one outage, and say when and why it ends."),
    "season": Told("season", "season", "Play repeated cuts, windows of charge or the sun, and say whether it survives."),
    "balance": Told("balance", "balance", "Say which moves make every supply hold."),
    "import": Told("sites", "import_command", "Bring a site file in."),
    "export": Told("sites", "export_command", "Print the site file of a site."),
    "account": Told("people", "account_command", "Make an account."),
    "people": Told("people", "people_command", "List, lock, remove or reset accounts."),
    "backup": Told("backups", "backup_command", "Write the whole database into a file."),
    "restore": Told("backups", "restore_command", "Read a backup into an empty database, and check it."),
    "demo": Told("server", "demo", "Start everything with demo data and print the address."),
    "serve": Told("server", "serve", "Serve for real."),
    "stop": Told("server", "stop", "Stop the database of the demo."),
    "meter": Told("meter", "meter_command", "Start a simulated meter on loopback."),
    "worker": Told("worker", "worker", "Work on what waits in the queue."),
    "migrate": Told("server", "migrate_command", "Bring the database up to date."),
}


# These answer one file and end: looking for what is no longer used would take them longer than it is worth.
ANSWER_AND_END = {"calc", "simulate", "season", "balance"}


class _Lazy(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        told = COMMANDS.get(cmd_name)
        if told is None:
            return None
        # What is loaded stays: to look through it again and again for what is no longer used takes a fifth of the time of a start.
        gc.disable()
        command = getattr(import_module(f"ypomoni.cli.{told.module}"), told.name)
        if told.module in ANSWER_AND_END:
            # The last look, at the very end, would take as long as all the others.
            atexit.register(gc.freeze)
        else:
            gc.freeze()
            gc.enable()
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(name, told.line) for name, told in COMMANDS.items()])


@click.group(cls=_Lazy)
@click.version_option(package_name="ypomoni")
def main() -> None:
    """How long always-on equipment really holds when the mains fails."""
