"""`ypomoni account | people`: make accounts, and look after them, in the database named by YPOMONI_DATABASE."""

import click

from ypomoni.actions import accounts
from ypomoni.actions.actor import Actor
from ypomoni.actions.errors import NotFound, Refused
from ypomoni.cli.sites import database, organisation_named
from ypomoni.storage.accounts import select_organisation


@click.command("account")
@click.argument("email")
@click.option("--organisation", required=True, help="Name of the organisation; it is made if there is none.")
@click.option("--name", required=True, help="Name of the person.")
@click.password_option(help="Asked for when not given.")
def account_command(email: str, organisation: str, name: str, password: str) -> None:
    """Make an account, the first one of a new organisation included."""
    with database() as connection:
        row = select_organisation(connection, organisation)
        organisation_id = row["id"] if row else accounts.create_organisation(connection, organisation)
        try:
            accounts.create_account(
                connection, accounts.Passwords(), organisation_id=organisation_id, email=email, name=name, password=password
            )
        except Refused as error:
            raise click.ClickException("; ".join(f"{f.path} {f.message}" for f in error.faults)) from error
    click.echo(f"{name} can sign in as {email}.")


@click.command("people")
@click.argument("what", type=click.Choice(["list", "lock", "unlock", "remove", "reset", "owner", "member"]))
@click.argument("who")
def people_command(what: str, who: str) -> None:
    """Look after accounts. WHO is the e-mail of one, or with `list` the name of an organisation. `reset` prints the secret of a link to a new password."""
    with database() as connection:
        if what == "list":
            for row in accounts.colleagues_of(connection, organisation_named(connection, who)):
                notes = [row["role"], *(["locked"] if row["locked_at"] else []), *(["second factor"] if row["has_second_factor"] else [])]
                click.echo(f"{row['email']}  {row['name']}  {', '.join(notes)}")
            return
        try:
            account = accounts.account_named(connection, who)
            actor = Actor(organisation_id=account["organisation_id"], account_id=None)
            if what == "reset":
                _, token = accounts.reset_account(connection, actor, account["id"])
                click.echo(
                    f"Give {account['name']} this link, with the address of your installation in front. It works once, for a day:\n/reset/{token}"
                )
                return
            if what == "remove":
                accounts.remove_account(connection, actor, account["id"])
            elif what in accounts.ROLES:
                accounts.set_role(connection, actor, account["id"], what)
            else:
                accounts.set_locked(connection, actor, account["id"], locked=what == "lock")
        except NotFound as error:
            raise click.ClickException(f"There is no account of {who}.") from error
        except Refused as error:
            raise click.ClickException(" ".join(f.message for f in error.faults)) from error
    done = {"lock": "cannot sign in any more", "unlock": "can sign in again", "remove": "is removed"}
    click.echo(f"{account['name']} {done.get(what, f'is now {what}')}.")
