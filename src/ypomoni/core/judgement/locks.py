"""What happens to doors when their supply ends."""

from collections.abc import Iterable

from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import say_names
from ypomoni.core.things.loads import Load, Lock

SOURCE = "escape and locking rules where you work come first"


def check_locks(loads: Iterable[Load]) -> list[Finding]:
    """Return what to check of the locks among some loads; a lock that shuts people in on an escape route fails."""
    locks = [load for load in loads if load.lock is not None]
    shut_in = [load for load in locks if load.lock is Lock.FAIL_SECURE and load.escape_route]
    kept_shut = [load for load in locks if load.lock is Lock.FAIL_SECURE and not load.escape_route]
    let_go = [load for load in locks if load.lock is Lock.FAIL_SAFE]
    rows = (
        (
            shut_in,
            Severity.FAILS,
            f"{_said(shut_in, 'stays', 'stay')} locked without current, on an escape route. People could be shut in.",
            "Fit a lock that lets go without current, or one with a handle that opens it from inside. Ask who is responsible for the escape route.",
        ),
        (
            kept_shut,
            Severity.NOTE,
            f"{_said(kept_shut, 'stays', 'stay')} locked when the supply ends. Check that everybody can still get out.",
            "Open it from inside with the supply off. If it is on an escape route, say so with the load.",
        ),
        (
            let_go,
            Severity.NOTE,
            f"{_said(let_go, 'lets', 'let')} go when the supply ends. The door is then open to anybody.",
            "Agree with the client what keeps the door after that: a guard, a second lock, more hours. Try it with the supply off.",
        ),
    )
    return [
        Finding(code="egress", severity=severity, evidence=evidence, source=SOURCE, way_out=way_out)
        for those, severity, evidence, way_out in rows
        if those
    ]


def _said(loads: list[Load], one: str, several: str) -> str:
    """Return the names of some loads with the verb they take."""
    return f"{say_names(loads)} {one if len({load.name for load in loads}) == 1 else several}"
