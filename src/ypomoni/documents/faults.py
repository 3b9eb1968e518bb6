"""What is wrong with a document: every fault at once, each with its path and what would be right."""

import difflib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

# A positive figure is at least a billionth of its unit: less is not meant, and formulas would divide by nothing.
SMALLEST = 1e-9
# So many are told; nobody mends more at once, and a wrong file has as many as it has entries.
MOST_FAULTS = 200


@dataclass(frozen=True, slots=True)
class Fault:
    """One fault: where, and what would be right."""

    path: str
    message: str


class DocumentFaults(Exception):  # noqa: N818 - it carries faults, and is named for them
    """Raised when a document cannot be read; carries its faults, and how many more there are than can be told at once."""

    def __init__(self, faults: Sequence[Fault]) -> None:
        told = tuple(faults[:MOST_FAULTS])
        if len(faults) > MOST_FAULTS:
            told += (Fault("", f"and {len(faults) - MOST_FAULTS:,} more like these: mend the first ones, and the rest are told."),)
        super().__init__("; ".join(f"{f.path}: {f.message}" for f in told))
        self.faults = told


def path_of(location: Iterable[str | int]) -> str:
    """Return a location as it is written: ``plans[0].supplies[0].bank.capacity_ah``."""
    path = ""
    for part in location:
        path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
    return path


def fault_of(error: Any, known_keys: Sequence[str]) -> Fault:
    """Return a validation error in our words. ``error`` is one of pydantic's error dictionaries."""
    kind, context, value = error["type"], error.get("ctx", {}), error.get("input")
    path = path_of(error["loc"])
    return Fault(path, _message(kind, context, value, error, known_keys))


def _message(kind: str, context: dict[str, Any], value: Any, error: Any, known_keys: Sequence[str]) -> str:
    limits = {
        "greater_than": ("above", "gt"),
        "greater_than_equal": ("at least", "ge"),
        "less_than_equal": ("at most", "le"),
        "less_than": ("below", "lt"),
    }
    if kind == "missing":
        return "is missing."
    if kind == "extra_forbidden":
        near = difflib.get_close_matches(str(error["loc"][-1]), known_keys, n=1, cutoff=0.4)
        return f"is not a key of the site file here; the nearest is {near[0]}." if near else "is not a key of the site file here."
    if kind in limits:
        words, key = limits[kind]
        if kind == "greater_than_equal" and 0 < context[key] <= SMALLEST and isinstance(value, (int, float)) and value <= 0:
            return f"must be above 0, was {_shown(value)}."
        return f"must be {words} {context[key]:g}, was {_shown(value)}."
    if kind in ("float_type", "float_parsing", "finite_number"):
        return f"must be a number, was {_shown(value)}."
    if kind in ("int_type", "int_from_float", "int_parsing"):
        return f"must be a whole number, was {_shown(value)}."
    if kind in ("enum", "literal_error"):
        near = difflib.get_close_matches(
            str(value), str(context["expected"]).replace("'", "").replace(" or ", ", ").split(", "), n=1, cutoff=0.5
        )
        hint = f" Did you mean {near[0]}?" if near else ""
        return f"must be one of {context['expected']}, was {_shown(value)}.{hint}"
    if kind == "string_type":
        return f"must be text, was {_shown(value)}."
    if kind == "string_too_short":
        return "must not be empty."
    if kind == "string_too_long":
        return f"must be at most {context['max_length']} characters long."
    if kind == "too_long":
        return f"takes at most {context['max_length']} entries, was {context['actual_length']}."
    if kind == "string_pattern_mismatch":
        return "must not hold control characters." if str(value).strip() else "must not be blank."
    if kind == "string_unicode":
        return "must not hold control characters."
    if kind == "bool_type":
        return f"must be true or false, was {_shown(value)}."
    if kind in ("model_type", "model_attributes_type", "dict_type"):
        return f"must be an object, was {_shown(value)}."
    if kind == "list_type":
        return f"must be a list, was {_shown(value)}."
    if kind == "value_error":
        return str(context["error"])
    return str(error["msg"])


def _shown(value: Any) -> str:
    text = (
        repr(value)
        if isinstance(value, str)
        else "null"
        if value is None
        else str(value).lower()
        if isinstance(value, bool)
        else str(value)
    )
    return text if len(text) <= 60 else text[:57] + "…"
