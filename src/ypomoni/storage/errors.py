"""What the storage raises.

StorageError            anything below
├── DatabaseAway        the server cannot be reached, or went away in the middle
└── ClusterError        the local cluster could not be made or started
"""


class StorageError(Exception):
    """Anything the storage raises on purpose."""


class DatabaseAway(StorageError):  # noqa: N818 - it states a condition that passes
    """Raised when the server cannot be reached, or went away in the middle of a transaction."""


class ClusterError(StorageError):
    """Raised when the local cluster could not be made or started; carries what PostgreSQL said."""
