"""`ypomoni import | export`: bring site files in and out of the database named by YPOMONI_DATABASE."""

import os
from collections.abc import Generator
from contextlib import contextmanager
from pathlib import Path

import click

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import read_document, read_tree
from ypomoni.actions.import_site import import_site, sites_named
from ypomoni.cli.calc import refuse
from ypomoni.documents.faults import DocumentFaults
from ypomoni.documents.site_file import read_site_text, write_site
from ypomoni.storage.accounts import select_organisation
from ypomoni.storage.connection import Connection, open_pool, transaction
from ypomoni.storage.errors import StorageError


@contextmanager
def database() -> Generator[Connection]:
    """Give a connection to the named database in one transaction, or say in a line what is wrong."""
    if "YPOMONI_DATABASE" not in os.environ:
        raise click.ClickException("YPOMONI_DATABASE must say where the database is, as in 'host=127.0.0.1 dbname=ypomoni'.")
    pool = open_pool(os.environ["YPOMONI_DATABASE"], most=1)
    try:
        with transaction(pool) as connection:
            yield connection
    except StorageError as error:
        raise click.ClickException(str(error)) from error
    finally:
        pool.close()


def organisation_named(connection: Connection, name: str) -> Actor:
    row = select_organisation(connection, name)
    if row is None:
        raise click.ClickException(f"There is no organisation named {name!r}.")
    return Actor(organisation_id=row["id"], account_id=None)


@click.command("import")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--organisation", required=True, help="Name of the organisation the site is for.")
@click.option("--replace", is_flag=True, help="Replace the site of the same name; it can be restored.")
@click.option("--add", is_flag=True, help="Add it beside a site of the same name.")
def import_command(file: Path, organisation: str, *, replace: bool, add: bool) -> None:
    """Bring a site FILE in, whole or not at all. A site of the same name is never overwritten without --replace."""
    try:
        site_file = read_site_text(file.read_bytes())
    except DocumentFaults as error:
        refuse(error, as_json=False)
    with database() as connection:
        actor = organisation_named(connection, organisation)
        same = sites_named(connection, actor, site_file.site.name)
        if same and not replace and not add:
            raise click.ClickException(f"There is a site named {site_file.site.name!r} already: say --replace or --add.")
        import_site(connection, actor, site_file, replacing=same[0] if same and replace else None)
    click.echo(f"{site_file.site.name} is imported.")


@click.command("export")
@click.argument("site")
@click.option("--organisation", required=True, help="Name of the organisation the site belongs to.")
def export_command(site: str, organisation: str) -> None:
    """Print the site file of a SITE, by its name."""
    with database() as connection:
        actor = organisation_named(connection, organisation)
        found = sites_named(connection, actor, site)
        if not found:
            raise click.ClickException(f"{organisation} has no site named {site!r}.")
        click.echo(write_site(read_document(read_tree(connection, actor, found[0]["id"]))), nl=False)
