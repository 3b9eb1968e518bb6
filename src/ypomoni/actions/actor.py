"""Who acts, and for which organisation. Every action takes one; no row of another organisation is ever reached with it."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Actor:
    """A signed-in person, or the command line (``account_id`` None)."""

    organisation_id: int
    account_id: int | None
    name: str = ""
    organisation_name: str = ""
    role: str = "member"
    # What is done in one request carries one batch, and is undone together.
    batch: str | None = None
    # The batch that this one takes back.
    undoes: str | None = None

    @property
    def is_owner(self) -> bool:
        """Whether it looks after the people of its organisation; whoever has the server does so too."""
        return self.account_id is None or self.role == "owner"
