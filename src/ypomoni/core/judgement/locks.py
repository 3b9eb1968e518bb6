"""What happens to doors when their supply ends."""

from collections.abc import Iterable

from ypomoni.core.loads import Load, Lock
from ypomoni.core.results import Finding, Severity
from ypomoni.core.wording import say_names

SOURCE = "escape and locking rules where you work come first"


def check_locks(loads: Iterable[Load]) -> list[Finding]:
    """Return what to check of the locks among some loads; a lock that shuts people in on an escape route fails."""
    locks = [load for load in loads if load.lock is not None]
    shut_in = [load for load in locks if load.lock is Lock.FAIL_SECURE and load.escape_route]
    kept_shut = [load for load in locks if load.lock is Lock.FAIL_SECURE and not load.escape_route]
    let_go = [load for load in locks if load.lock is Lock.FAIL_SAFE]
    found: list[Finding] = []
    if shut_in:
        found.append(
            Finding(
                code="egress",
                severity=Severity.FAILS,
                evidence=f"{_said(shut_in, 'stays', 'stay')} locked without current, on an escape route. People could be shut in.",
                source=SOURCE,
                way_out="Fit a lock that lets go without current, or one with a handle that opens it from inside. Ask who is responsible for the escape route.",
            )
        )
    if kept_shut:
        found.append(
            Finding(
                code="egress",
                severity=Severity.NOTE,
                evidence=f"{_said(kept_shut, 'stays', 'stay')} locked when the supply ends. Check that everybody can still get out.",
                source=SOURCE,
                way_out="Open it from inside with the supply off. If it is on an escape route, say so with the load.",
            )
        )
    if let_go:
        found.append(
            Finding(
                code="egress",
                severity=Severity.NOTE,
                evidence=f"{_said(let_go, 'lets', 'let')} go when the supply ends. The door is then open to anybody.",
                source=SOURCE,
                way_out="Agree with the client what keeps the door after that: a guard, a second lock, more hours. Try it with the supply off.",
            )
        )
    return found


def _said(loads: list[Load], one: str, several: str) -> str:
    """Return the names of some loads with the verb they take."""
    return f"{say_names(loads)} {one if len({load.name for load in loads}) == 1 else several}"
