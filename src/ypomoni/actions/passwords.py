"""What a new password must be: long enough, and not among the first that are tried."""

from ypomoni.documents.faults import Fault

SHORTEST = 10
LONGEST = 200
# The library's guess of 0 to 4: below 2 somebody who tries the common ones first is through within an hour.
LEAST_SCORE = 2
# It grows slow with length, and a password is never weaker for what follows.
LOOKED_AT = 72


def check_password(password: str, about: tuple[str, ...] = ()) -> list[Fault]:
    """Return what is wrong with a new password; ``about`` are words that others know of its owner."""
    if len(password) < SHORTEST:
        return [Fault("password", f"must have at least {SHORTEST} characters, has {len(password)}.")]
    if len(password) > LONGEST:
        return [Fault("password", f"must have at most {LONGEST} characters.")]
    # Slow to load, and asked for rarely.
    from zxcvbn import zxcvbn

    if (
        zxcvbn(password[:LOOKED_AT], user_inputs=[w.lower() for text in about for w in (text, *text.replace("@", " ").split())])["score"]
        < LEAST_SCORE
    ):
        return [Fault("password", "is among the first that are tried: take several words that do not belong together.")]
    return []
