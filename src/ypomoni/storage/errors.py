"""What the storage raises.

StorageError            anything below
├── DatabaseAway        the server cannot be reached, or went away in the middle
├── OutcomeUnknown      it went away while it was told to keep what was written
├── DatabaseFull        its disk is full
├── TimedOut            a lock or a statement took longer than it may
├── TryAgain            a deadlock or a serialisation failure: the same again usually works
└── ClusterError        the local cluster could not be made or started
"""


class StorageError(Exception):
    """Anything the storage raises on purpose."""


class DatabaseAway(StorageError):  # noqa: N818 - it states a condition that passes
    """Raised when the server cannot be reached, or went away in the middle of a transaction."""


class OutcomeUnknown(StorageError):  # noqa: N818 - as above
    """Raised when the connection broke during the commit: what was written is either whole or not there, and nobody knows which."""


class DatabaseFull(StorageError):  # noqa: N818 - as above
    """Raised when the database has no room left; nothing of the transaction is kept."""


class TimedOut(StorageError):  # noqa: N818 - as above
    """Raised when a lock was not given, or a statement not done, in its time; nothing of the transaction is kept."""


class TryAgain(StorageError):  # noqa: N818 - as above
    """Raised when two transactions stood in each other's way; nothing of this one is kept."""


class ClusterError(StorageError):
    """Raised when the local cluster could not be made or started; carries what PostgreSQL said."""
