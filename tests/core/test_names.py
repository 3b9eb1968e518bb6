"""Every number in the core ends in its unit, and every page of the user's words is documented."""

import ast
import collections
import dataclasses
import importlib
import pkgutil
import re
from pathlib import Path

import ypomoni.core
from ypomoni.core.units import EXEMPT_NAMES, UNIT_SUFFIXES, unit_of

ROOT = Path(__file__).parent.parent.parent
# Names that the definitions give a published shape of their own: hours of a band and of scenarios.
PUBLISHED_NAMES = {"low", "expected", "high", "fresh", "cold", "end_of_life", "worst", "value"}


def number_fields():
    for module in pkgutil.walk_packages(ypomoni.core.__path__, "ypomoni.core."):
        for value in vars(importlib.import_module(module.name)).values():
            if dataclasses.is_dataclass(value) and isinstance(value, type) and value.__module__ == module.name and value.__name__[0] != "_":
                for field in dataclasses.fields(value):
                    if re.fullmatch(r"(float|int)( \| None)?", str(getattr(field.type, "__name__", field.type))):
                        yield f"{value.__name__}.{field.name}", field.name


def test_every_number_of_the_core_ends_in_its_unit():
    """One table of suffixes; counts in the field's own words are listed as exempt."""
    fields = list(number_fields())
    assert len(fields) > 60
    wrong = [name for name, field in fields if unit_of(field) is None and field not in EXEMPT_NAMES | PUBLISHED_NAMES]
    assert wrong == []


def test_glossary_names_every_unit_and_quantity_of_the_site_file():
    """docs/glossary.md has a row for each suffix in use and each key with a unit."""
    glossary = (ROOT / "docs" / "glossary.md").read_text()
    used = {field for _, field in number_fields()}
    for suffix in UNIT_SUFFIXES:
        assert f"`{suffix}`" in glossary
    schema = (ROOT / "docs" / "site-file.schema.json").read_text()
    keys = set(re.findall(r'"(\w+)": \{', schema))
    missing = [key for key in sorted(keys) if unit_of(key) is not None and f"`{key}`" not in glossary]
    assert missing == []
    assert used


# Names that stand in several modules on purpose, and why.
SHARED_NAMES = {"init_app": "each module of the web edge has one, called by the factory"}


def public_names():
    """Yield the public names every module defines, but for views and commands: those are addresses, reached by their folder."""
    for path in (ROOT / "src").rglob("*.py"):
        text = path.read_text()
        if "Blueprint(" in text or "cli" in path.parts:
            continue
        for node in ast.parse(text).body:
            if isinstance(node, ast.ClassDef | ast.FunctionDef) and not node.name.startswith("_"):
                yield node.name, str(path.relative_to(ROOT))


def test_one_name_means_one_thing():
    """No two modules define the same public name."""
    places = collections.defaultdict(list)
    for name, path in public_names():
        places[name].append(path)
    assert len(places) > 500
    assert {name: paths for name, paths in places.items() if len(paths) > 1 and name not in SHARED_NAMES} == {}


def test_the_glossary_lists_the_words_of_the_code():
    """Every word that names a room or a central class has its meaning."""
    words = (ROOT / "docs" / "glossary.md").read_text().split("## Words of the code")[1]
    for word in ("bank", "burst", "case", "finding", "limit", "outage", "piece", "profile", "row", "stretch", "verdict", "field", "record"):
        assert f"| {word}" in words


def test_no_text_of_the_code_lists_who_calls_it():
    """Such lists go stale unseen; whoever wants to know asks the editor."""
    assert [p.name for p in (ROOT / "src").rglob("*.py") if re.search(r"\b(Called|Used) by\b", p.read_text())] == []
