"""Cells that a spreadsheet would take for formulas."""

import re

_FORMULA = re.compile(r"^'*[=+\-@\t\r]")


def guarded(text: str) -> str:
    """Return a text that no spreadsheet takes for a formula: an apostrophe before what could be one."""
    return f"'{text}" if _FORMULA.match(text) else text


def unguarded(text: str) -> str:
    """Return a text as it was before `guarded`."""
    return text[1:] if text.startswith("'") and _FORMULA.match(text[1:]) else text
