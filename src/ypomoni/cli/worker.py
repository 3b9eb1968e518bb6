"""`ypomoni worker`: takes long searches from the queue. `demo` and `serve` start one beside the server; it ends with them."""

import logging
import os
import threading
import time

import click

from ypomoni.actions.jobs import work_once
from ypomoni.storage.connection import open_pool
from ypomoni.storage.errors import DatabaseAway

IDLE_S = 0.25
AWAY_S = 1.0
log = logging.getLogger("ypomoni.worker")


@click.command()
@click.option("--with-parent", is_flag=True, help="End when the process that started it does.")
def worker(*, with_parent: bool) -> None:
    """Work on the queue of the database that YPOMONI_DATABASE names, until it is stopped."""
    if with_parent:
        threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()
    pool = open_pool(os.environ["YPOMONI_DATABASE"], most=2)
    while True:
        try:
            if not work_once(pool):
                time.sleep(IDLE_S)
        except DatabaseAway:
            # The job is taken again once the database is back: its row says nothing else.
            time.sleep(AWAY_S)


def _end_with(parent_id: int) -> None:
    """End this process at once when its parent is gone: what it worked on is taken again by the next worker."""
    while os.getppid() == parent_id:
        time.sleep(0.5)
    os._exit(0)
