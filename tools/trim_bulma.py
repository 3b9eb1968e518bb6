"""Cut the style library to what our pages use: rules whose classes stand in no template or script are left out.

Run after a page begins to use a class of it, or for a new release: `uv run --with tinycss2 python tools/trim_bulma.py path/to/bulma.min.css`.
"""

import re
import sys
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import Any

# Not of the environment: this is run once for a release.
tinycss2: Any = import_module("tinycss2")
WEB = Path(__file__).parent.parent / "src" / "ypomoni" / "web"
TARGET = WEB / "static" / "vendor" / "bulma" / "bulma.trimmed.css"
CLASS = re.compile(r"\.((?:[\w-]|\\.)+)")


def words_used() -> set[str]:
    """Return every word that could be a class on one of our pages."""
    files = [*WEB.rglob("*.html"), *(WEB / "static" / "js").glob("*.js"), *WEB.rglob("*.py")]
    return {word for file in files for word in re.findall(r"[A-Za-z][\w-]+", file.read_text())}


def trim(rules: list[Any], used: set[str]) -> str:
    """Return the rules that can apply."""
    kept: list[str] = []
    for rule in rules:
        if rule.type == "at-rule" and rule.content is not None and rule.at_keyword in ("media", "supports", "layer"):
            inner = trim(tinycss2.parse_rule_list(rule.content, skip_comments=True, skip_whitespace=True), used)
            if inner:
                kept.append(f"@{rule.at_keyword}{tinycss2.serialize(rule.prelude)}{{{inner}}}")
        elif rule.type == "qualified-rule":
            # A selector list is kept in part: a comma within brackets does not part it.
            parts = re.split(r",(?![^(]*\))", tinycss2.serialize(rule.prelude))
            # What an element must not be, it need not be anywhere.
            able = [p for p in parts if all(c.replace("\\", "") in used for c in CLASS.findall(re.sub(r":not\([^)]*\)", "", p)))]
            if able:
                kept.append(f"{','.join(able)}{{{tinycss2.serialize(rule.content)}}}")
        elif rule.type == "at-rule":
            kept.append(rule.serialize())
    return "".join(kept)


def without_idle_variables(css: str) -> str:
    """Return the rules without variables that nothing reads."""
    while True:
        idle = set(_IDLE.findall(css)) - _read_in(css)
        fewer = re.sub(r"[^{}]+\{\}", "", re.sub(r"(--bulma-[\w-]+):[^;{}]*(;|(?=\}))", partial(_unless, idle), css))
        if fewer == css:
            return css
        css = fewer


_IDLE = re.compile(r"(--bulma-[\w-]+):")


def _unless(idle: set[str], found: re.Match[str]) -> str:
    return "" if found[1] in idle else found[0]


def _read_in(css: str) -> set[str]:
    own = "".join(file.read_text() for file in (WEB / "static" / "css").glob("*.css"))
    return set(re.findall(r"var\((--[\w-]+)", css + own))


if __name__ == "__main__":
    source = Path(sys.argv[1]).read_text()
    notice = re.match(r"(@charset[^;]*;)?\s*(/\*!.*?\*/)?", source)
    rules = tinycss2.parse_stylesheet(source, skip_comments=True, skip_whitespace=True)
    TARGET.write_text(f"{(notice[2] or '') if notice else ''}\n{without_idle_variables(trim(rules, words_used()))}\n")
