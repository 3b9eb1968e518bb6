"""`ypomoni worker`: takes long searches from the queue. `demo` and `serve` start one beside the server; it ends with them."""

import logging
import os
import time
from datetime import UTC, datetime

import click

from ypomoni.actions.recorder import Recorder
from ypomoni.actions.working import refresh_once, say_alive, work_once
from ypomoni.instruments.addresses import split_allowed
from ypomoni.lifetime import end_with_parent
from ypomoni.observing import log_as_json
from ypomoni.storage.connection import open_pool
from ypomoni.storage.errors import DatabaseAway

IDLE_S = 0.25
AWAY_S = 1.0
ALIVE_S = 2.0
LISTS_S = 2.0
# Connections of all that record; each needs one for a moment every second.
RECORDERS_POOL = 4
log = logging.getLogger("ypomoni.worker")


@click.command()
@click.option("--with-parent", is_flag=True, help="End when the process that started it does.")
def worker(*, with_parent: bool) -> None:
    """Work on the queue of the database that YPOMONI_DATABASE names, until it is stopped."""
    if with_parent:
        end_with_parent()
    log_as_json()
    work_until_stopped()


def work_until_stopped() -> None:
    """Take job after job, and work out what is stale for the lists while there is none."""
    pool = open_pool(os.environ["YPOMONI_DATABASE"], most=2)
    meters = split_allowed(os.environ.get("YPOMONI_METERS", ""))
    Recorder(open_pool(os.environ["YPOMONI_DATABASE"], most=RECORDERS_POOL), meters).start()
    said_s = looked_s = 0.0
    while True:
        try:
            if work_once(pool):
                continue
            if time.monotonic() - looked_s > LISTS_S:
                # Batch after batch while there is any, and a look now and then when there is none.
                looked_s = 0.0 if refresh_once(pool, os.environ["YPOMONI_DATABASE"], datetime.now(UTC).date()) else time.monotonic()
            else:
                if time.monotonic() - said_s > ALIVE_S:
                    said_s = time.monotonic()
                    say_alive(pool)
                time.sleep(IDLE_S)
        except DatabaseAway:
            # The job is taken again once the database is back: its row says nothing else.
            time.sleep(AWAY_S)
