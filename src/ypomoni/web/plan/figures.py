"""A figure on the page: its text and where its working is. And a working, laid open."""

import re
from dataclasses import dataclass

from ypomoni.core.telling.results import SupplyResult, Working
from ypomoni.core.telling.wording import plain_number, say_amp_hours, say_amps, say_hours, say_hours_over, say_hours_up

METHOD_PREFIX = "method_"
STANDBY_PREFIX = "standby_"
_SYMBOL = re.compile(r"[A-Za-z][A-Za-z0-9]*")
_FUNCTIONS = frozenset({"min", "max", "exp", "sqrt"})
SYMBOLS = {
    "eta": "η",
    "fT": "f_T",
    "fR": "f_R",
    "tmin": "t_min",
    "rAh": "r_Ah",
    "fu": "f_use",
    "fa": "f_age",
    "fx": "f_act",
    "fd": "f_depth",
    "fi": "f_inv",
    "Vend": "V_end",
    "ix": "i_x",
    "bc": "b_cell",
    "e0": "j_x",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Figure:
    """A figure in words, and the supply and working it opens to."""

    text: str
    supply: str
    working: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenedStep:
    """One line: the formula, and the same with numbers put in."""

    formula: str
    numbers: str
    result: str


def find_working(result: SupplyResult, key: str) -> Working | None:
    """Return a working of a result by its key, methods included."""
    if key.startswith(METHOD_PREFIX):
        return next((m.working for m in result.methods if m.method.value == key.removeprefix(METHOD_PREFIX)), None)
    if key.startswith(STANDBY_PREFIX) and key not in result.workings:
        return next((m.holdover_working for m in result.methods if m.method.value == key.removeprefix(STANDBY_PREFIX)), None)
    return result.workings.get(key)


def headline_of(working: Working) -> str:
    """Return the value of a working in words, as precise as it deserves."""
    if working.value is None:
        return "no figure"
    if working.unit == "h":
        return say_hours(working.value)
    if working.unit == "A":
        return say_amps(working.value)
    if working.unit == "Ah":
        return say_amp_hours(working.value)
    return say_exactly(working.value, working.unit)


def say_exactly(value: float, unit: str) -> str:
    """Return a value with six digits, for those who check it."""
    return f"{plain_number(value, 6) if abs(value) >= 1e-4 or value == 0 else f'{value:.4g}'} {unit}".strip()


def open_steps(working: Working) -> list[OpenedStep]:
    """Return each step with this plan's numbers put in."""
    values = {i.symbol: i.value for i in working.inputs}
    units = {i.symbol: i.unit for i in working.inputs}
    found: list[OpenedStep] = []
    for step in working.steps:

        def put(match: re.Match[str]) -> str:
            name = match.group()
            if name in _FUNCTIONS or name not in values:
                return name
            unit = f"\u00a0{units[name]}" if units[name] else ""
            return f"{plain_number(values[name], 5)}{unit}"

        found.append(
            OpenedStep(
                formula=f"{symbol_of(step.symbol)} = {_pretty(_SYMBOL.sub(lambda m: symbol_of(m.group()), step.expression))}",
                numbers=_pretty(_SYMBOL.sub(put, step.expression)),
                result=f"{symbol_of(step.symbol)} = {say_exactly(step.value, step.unit)}",
            )
        )
        values[step.symbol], units[step.symbol] = step.value, step.unit
    return found


def symbol_of(name: str) -> str:
    """Return a symbol as it is written in the field."""
    return SYMBOLS.get(name, name)


def _pretty(expression: str) -> str:
    return expression.replace("*", " · ").replace("/", " / ").replace(" - ", " − ").replace("  ", " ")


NO_CERTAIN_TIME = "no certain time"


def recovery_words(result: SupplyResult) -> str:
    """Return the recovery in words, precise enough to show on which side of the allowed time it is."""
    if result.recovery_h is None:
        return "never"
    if not result.recovery_is_promised:
        return NO_CERTAIN_TIME
    if result.recharge_h is not None and result.recovery_h > result.recharge_h:
        return say_hours_over(result.recovery_h, result.recharge_h)
    return say_hours_up(result.recovery_h)
