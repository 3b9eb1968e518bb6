"""A list of loads as it stands on paper: a line each, how many, what, and what one piece draws.

As in ``2 Keypad 45 mA / 90 mA``, ``6 x PIR`` (its current from the library) or ``Siren: 0,02 A, alarm 0,9 A``.
"""

import re
from dataclasses import dataclass

from ypomoni.core.things.device_types import DeviceType, improbable_current, say_improbable, types_of
from ypomoni.documents.quantities import QuantityTextError, read_current

_CURRENT = re.compile(r"[\d.,']+\s*(?:[µμu]A|mA|A|m?W\s*@\s*[\d.,]+\s*V)\b", re.IGNORECASE)
_COUNT = re.compile(r"^\s*(\d{1,6})\s*(?:[x×]\s*|pcs\.?\s+|\s)(?=\S)", re.IGNORECASE)
_COUNT_LAST = re.compile(r"\s*[x×]\s*(\d{1,6})\s*$", re.IGNORECASE)
_COUNT_OFF = re.compile(r"[\s,]\s*(\d{1,6})\s*(?:off|pcs\.?)\s*$", re.IGNORECASE)
_NOT_THERE = re.compile(r"\b(removed|not fitted|not installed|spare|disconnected)\b", re.IGNORECASE)
_BARE_NUMBER = re.compile(r"(?:^|\s)([\d.,]+)$")
_BETWEEN = " \t,;:/–-"
# Devices of one name whose likely currents are no further apart are taken as the first of them.
ALIKE_TIMES = 4.0
MOST_PIECES = 10_000
MOST_NAME_CHARS = 120


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadLine:
    """One line: what was read, or why it could not be. A device whose current is not said is one of the library's. [A, V]"""

    number: int
    text: str
    name: str = ""
    quantity: int = 1
    standby_a: float | None = None
    alarm_a: float | None = None
    rail_v: float | None = None
    device: DeviceType | None = None
    fault: str = ""
    doubt: str = ""


def read_load_lines(text: str, supply_v: float = 12.0) -> list[LoadLine]:
    """Return the lines that are not empty, as they are read; a line that states no voltage is of a device at `supply_v`. [V]"""
    return [_read(n, line.strip(), supply_v) for n, line in enumerate(text.splitlines(), start=1) if line.strip()]


def _read(number: int, text: str, supply_v: float) -> LoadLine:
    try:
        return _parts(number, text, supply_v)
    except QuantityTextError as error:
        return LoadLine(number=number, text=text, fault=str(error))


def _parts(number: int, text: str, supply_v: float) -> LoadLine:
    def faulty(message: str) -> LoadLine:
        return LoadLine(number=number, text=text, fault=message)

    currents = list(_CURRENT.finditer(text))
    head = text[: currents[0].start()] if currents else text
    rest = _CURRENT.sub("", text[currents[0].start() :]) if currents else ""
    if len(currents) > 2:
        return faulty("has more than two currents. Write standby, then alarm.")
    leftover = re.sub(r"\b(standby|alarm|in|each|rest)\b", "", rest, flags=re.IGNORECASE).strip(_BETWEEN)
    quantity, name = 1, head
    if last := _COUNT_LAST.search(f" {leftover}") if leftover else None:
        quantity, leftover = int(last[1]), ""
    if leftover:
        return faulty(f"“{leftover}” after the current was not understood. Write how many, the name, standby, then alarm.")
    name = re.sub(r"\b(standby|at rest)\s*$", "", name.strip(_BETWEEN), flags=re.IGNORECASE).strip(_BETWEEN)
    if first := _COUNT.match(name):
        quantity, name = int(first[1]), name[first.end() :]
    elif last := _COUNT_LAST.search(name) or _COUNT_OFF.search(name):
        quantity, name = int(last[1]), name[: last.start()]
    name = name.strip(_BETWEEN)
    if not name or not any(c.isalpha() for c in name):
        return faulty("has no name. Write how many, the name, and what one piece draws.")
    if len(name) > MOST_NAME_CHARS:
        return faulty(f"has a name of more than {MOST_NAME_CHARS} characters.")
    if not 1 <= quantity <= MOST_PIECES:
        return faulty(f"must be 1 to {MOST_PIECES:,} pieces.")
    shown = name[0].upper() + name[1:]
    if currents:
        (standby_a, rail_v), *more = [read_current(c.group()) for c in currents]
        alarm_a, alarm_rail_v = more[0] if more else (None, None)
        if rail_v and alarm_rail_v and rail_v != alarm_rail_v:
            return faulty("states standby and alarm at two voltages. State both at one.")
        rail_v = rail_v or alarm_rail_v
        gone = "It is said not to be there: leave the line out, or correct it." if _NOT_THERE.search(text) else ""
        doubt = gone or _doubt(name, rail_v or supply_v, standby_a, alarm_a)
        found = {"standby_a": standby_a, "alarm_a": alarm_a, "rail_v": rail_v}
        return LoadLine(number=number, text=text, name=shown, quantity=quantity, **found, doubt=doubt)
    if bare := _BARE_NUMBER.search(name):
        return faulty(f"ends in {bare[1]} without a unit. Write {bare[1]} mA, or put how many before the name.")
    # A plural may stand for the one device that is called so.
    kinds = types_of(name.removesuffix("s"))
    if len(kinds) > 1 and not _are_alike(kinds):
        return faulty(f"could be {_listed([k.name for k in kinds])}. Write which, or what one piece draws.")
    if not kinds:
        return faulty("has no current, and the library knows no such device. Add what one piece draws, as in 45 mA.")
    return LoadLine(number=number, text=text, name=shown, quantity=quantity, device=kinds[0])


def _are_alike(kinds: tuple[DeviceType, ...]) -> bool:
    """Say whether it matters little which device was meant: about the same current at the same rail, and none locks a door."""
    likely_a = [kind.standby_a[1] for kind in kinds]
    is_near = min(likely_a) > 0 and max(likely_a) <= ALIKE_TIMES * min(likely_a)
    return is_near and len({kind.rail_v for kind in kinds}) == 1 and not any(kind.lock for kind in kinds)


def _doubt(name: str, rail_v: float, standby_a: float, alarm_a: float | None) -> str:
    """Return what looks like a slip in the currents of a line at this rail. [V, A]"""
    stated = [(standby_a, False)] + ([] if alarm_a is None else [(alarm_a, True)])
    for current_a, in_alarm in stated:
        odd = improbable_current(name, rail_v, current_a, in_alarm=in_alarm)
        if odd is not None:
            return f"{say_improbable(odd)}. Is the unit right, and is it one piece?"
    return ""


def _listed(names: list[str]) -> str:
    return ", ".join(names[:-1]) + f" or {names[-1]}"
