"""Undo and redo of one's own edits, without limit: what a person did in a plan is read from the log, so it outlives page and server."""

from dataclasses import dataclass

from ypomoni.actions.actor import Actor
from ypomoni.actions.edit import undo_batch
from ypomoni.records.site import PlanRow
from ypomoni.storage.changes import select_batch, select_steps
from ypomoni.storage.connection import Connection, lock_token


@dataclass(frozen=True, slots=True, kw_only=True)
class Steps:
    """The batches that can be taken back, and those taken back that can be done again; the next one last."""

    undo: tuple[str, ...]
    redo: tuple[str, ...]


def own_steps(connection: Connection, actor: Actor, plan: PlanRow) -> Steps:
    """Return what the actor can undo and redo in a plan. A new edit ends what could be redone."""
    if actor.account_id is None:
        return Steps(undo=(), redo=())
    undo: list[str] = []
    redo: list[str] = []
    depth: dict[str, int] = {}
    for row in select_steps(connection, actor.organisation_id, plan["site_id"], plan["id"], actor.account_id):
        batch, undoes = row["batch"], row["undoes"]
        # Plans come and go in their own way; what was only ever appended is not taken back.
        if not row["is_reversible"] or row["is_whole"]:
            continue
        depth[batch] = depth.get(undoes, 0) + 1 if undoes else 0
        if undoes in undo:
            undo.remove(undoes)
        if undoes in redo:
            redo.remove(undoes)
        if depth[batch] % 2:
            redo.append(batch)
        else:
            undo.append(batch)
            if not undoes:
                redo.clear()
    return Steps(undo=tuple(undo), redo=tuple(redo))


def take_step(connection: Connection, actor: Actor, plan: PlanRow, *, again: bool) -> int:
    """Undo the actor's last edit of a plan, or do the last undone one again; returns how many things that were, 0 where there is nothing.

    Raises
    ------
    Refused
        If something of it was changed by somebody else since.
    """
    steps = own_steps(connection, actor, plan)
    batches = steps.redo if again else steps.undo
    return undo_batch(connection, actor, batches[-1]) if batches else 0


def has_arrived(connection: Connection, actor: Actor, token: str) -> bool:
    """Say whether what was sent with a token is in the log already: the answer was lost, not the edit.

    Whoever sends the same token at the same moment waits until this transaction has ended.
    """
    lock_token(connection, token)
    return bool(select_batch(connection, actor.organisation_id, token))
