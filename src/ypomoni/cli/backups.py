"""`ypomoni backup | restore`: the whole database named by YPOMONI_DATABASE in a file, and back."""

import os
from pathlib import Path

import click

from ypomoni.actions.backup import back_up, restore_backup
from ypomoni.storage.connection import Pool, open_pool
from ypomoni.storage.errors import StorageError


def _pool() -> tuple[Pool, str]:
    if "YPOMONI_DATABASE" not in os.environ:
        raise click.ClickException("YPOMONI_DATABASE must say where the database is, as in 'host=127.0.0.1 dbname=ypomoni'.")
    conninfo = os.environ["YPOMONI_DATABASE"]
    return open_pool(conninfo, most=1), conninfo


@click.command("backup")
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
def backup_command(file: Path) -> None:
    """Write the database into FILE, and what every site is now into FILE.json. People go on working meanwhile."""
    if file.exists():
        raise click.ClickException(f"{file} is there already: name another file, so that no backup is written over.")
    pool, conninfo = _pool()
    try:
        count = back_up(pool, conninfo, file)
    except StorageError as error:
        raise click.ClickException(str(error)) from error
    finally:
        pool.close()
    click.echo(f"{count} sites are in {file}. Keep {file.name}.json beside it: restoring checks against it.")


@click.command("restore")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
def restore_command(file: Path) -> None:
    """Read the backup FILE into the empty database, then open every site and compare it and its figures with what they were."""
    pool, conninfo = _pool()
    try:
        checked = restore_backup(pool, conninfo, file)
    except (StorageError, OSError) as error:
        raise click.ClickException(str(error)) from error
    finally:
        pool.close()
    for fault in checked.faults:
        click.echo(fault, err=True)
    if checked.faults:
        raise click.ClickException("The restored database is not what was backed up.")
    figures = (
        "and its figures are the same" if checked.figures_compared else "figures were not compared, since another version made the backup"
    )
    click.echo(f"{checked.sites_count} sites are restored: each opens, {figures}.")
