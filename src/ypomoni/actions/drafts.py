"""A table on its way into a register: kept until it is confirmed, so that a reload or another device loses nothing."""

from ypomoni.actions.actor import Actor
from ypomoni.records.field import Row
from ypomoni.storage.connection import Connection
from ypomoni.storage.drafts import delete_draft, insert_draft, select_draft


def keep_draft(connection: Connection, actor: Actor, plan_id: int, file_name: str, body: Row) -> int:
    """Keep a table and return its id."""
    return insert_draft(
        connection, organisation_id=actor.organisation_id, plan_id=plan_id, account_id=actor.account_id, file_name=file_name, body=body
    )


def find_draft(connection: Connection, actor: Actor, draft_id: int) -> Row | None:
    """Return a table that was kept, or None."""
    return select_draft(connection, actor.organisation_id, draft_id)


def drop_draft(connection: Connection, actor: Actor, draft_id: int) -> None:
    """Drop a table that came in."""
    delete_draft(connection, actor.organisation_id, draft_id)
