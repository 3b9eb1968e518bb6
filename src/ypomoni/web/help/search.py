"""Which of many things somebody means who types a few letters."""

from dataclasses import dataclass

# A word that a name begins with is meant before one within it, and a name before what is said of it.
STARTS, BEGINS_A_WORD, WITHIN, IN_WORDS = range(4)


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """Something that can be gone to, or opened; ``words`` are looked through after its name."""

    kind: str
    name: str
    said: str = ""
    words: str = ""
    go: str = ""
    open: str = ""


def rank(targets: list[Target], asked: str) -> list[Target]:
    """Return the targets that hold every word asked for, the likeliest first; nothing for fewer than two letters."""
    wanted = asked.casefold().split()
    if len("".join(wanted)) < 2:
        return []
    found = [(place, n) for n, t in enumerate(targets) if (place := _place(t, wanted)) is not None]
    return [targets[n] for _, n in sorted(found)]


def _place(target: Target, wanted: list[str]) -> int | None:
    name = target.name.casefold()
    if all(w in name for w in wanted):
        if name.startswith(wanted[0]):
            return STARTS
        return BEGINS_A_WORD if any(part.startswith(wanted[0]) for part in name.split()) else WITHIN
    whole = f"{name} {target.said} {target.words}".casefold()
    return IN_WORDS if all(w in whole for w in wanted) else None
