"""What an action may answer with instead of a result.

ActionError
├── NotFound        there is no such thing in this organisation
├── StaleEdit       somebody changed it since it was read; carries what it is now
├── Refused         what was entered cannot be; carries every fault with its field
├── Unreadable      a stored site cannot be read; carries the site and what is wrong with it
├── Forbidden       the actor may not do that; says who may
└── SignInRefused   address and password do not go together
"""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from ypomoni.documents.faults import Fault


class ActionError(Exception):
    """An answer that is not a result."""


class NotFound(ActionError):  # noqa: N818 - it states what is, not what went wrong
    """Raised when there is no such thing in the actor's organisation, or it was removed."""


class StaleEdit(ActionError):  # noqa: N818 - as above
    """Raised when an edit was made on a version that is no longer the last one."""

    def __init__(self, current: Any, changed_by: str | None, changed_at: datetime | None) -> None:
        super().__init__("changed by somebody else since")
        self.current = current
        self.changed_by = changed_by
        self.changed_at = changed_at


class Refused(ActionError):  # noqa: N818 - as above
    """Raised when what was entered cannot be; ``faults`` are paths within what was edited, or within the site where they start with site."""

    def __init__(self, faults: Sequence[Fault]) -> None:
        super().__init__("; ".join(f"{f.path}: {f.message}" for f in faults))
        self.faults = tuple(faults)


class Unreadable(ActionError):  # noqa: N818 - as above
    """Raised when a stored site cannot be read as a site file: its row, and every fault."""

    def __init__(self, site: Any, faults: Sequence[Fault]) -> None:
        super().__init__("; ".join(f"{f.path}: {f.message}" for f in faults))
        self.site = site
        self.faults = tuple(faults)


class SignInRefused(ActionError):  # noqa: N818 - as above
    """Raised when address and password do not go together; says no more than that."""


class Forbidden(ActionError):  # noqa: N818 - as above
    """Raised when the actor's role does not allow it; its text says who may."""
