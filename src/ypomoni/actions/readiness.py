"""Whether an installation can be worked with: its database, its migrations, its workers."""

from ypomoni.storage.connection import Pool, transaction
from ypomoni.storage.errors import DatabaseAway
from ypomoni.storage.migrate import missing_migrations
from ypomoni.storage.workers import count_workers


def what_is_missing(pool: Pool) -> list[str]:
    """Return in words what keeps people from working; nothing where all is there."""
    try:
        with transaction(pool) as connection:
            missing = [f"migration {name}" for name in missing_migrations(connection)]
            if not missing and count_workers(connection) == 0:
                missing.append("a worker: nobody works on the queue")
    except DatabaseAway as error:
        return [str(error)]
    return missing
