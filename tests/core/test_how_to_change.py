"""docs/how-to-change.md is true: the files it names are there, and the example of each change stands in no other."""

import re
from pathlib import Path
from typing import Annotated

import pytest

from ypomoni.documents.described import Part, part_of
from ypomoni.records.field import Line, fields_of
from ypomoni.records.load import LOAD_NESTS, LoadRow
from ypomoni.records.nesting import part_of_row, row_of_part
from ypomoni.storage.aggregate import compose
from ypomoni.web.records.described import form_of

ROOT = Path(__file__).parents[2]
TEXT = (ROOT / "docs" / "how-to-change.md").read_text()
CHANGES = {part.splitlines()[0]: part for part in TEXT.split("\n## ")[1:]}
FILE = r"`((?:src|tests|tools|docs)/[\w/.]+)`"


class LoadWithNote(LoadRow):
    """A load with one field more, as somebody would add it."""

    branch_note: Annotated[
        str | None,
        Line(
            "branch_note", default=None, null=True, label="Note on the branch", cell="Note", headings=("branch note",), told="note", since=7
        ),
    ]


def test_twenty_changes_are_told_with_files_that_are_there():
    """Each with an example in code."""
    assert len(CHANGES) >= 20
    for name, part in CHANGES.items():
        files = re.findall(FILE, part)
        assert files, name
        assert [f for f in files if not (ROOT / f).exists()] == [], name
        assert "Example: `" in part, name


@pytest.mark.parametrize("name", [n for n in CHANGES if n not in ("A column of the register", "A command", "A page of a stage")])
def test_the_example_of_a_change_stands_in_the_files_told_and_no_other(name):
    """As a whole word, in code, statements, templates and scripts."""
    part = CHANGES[name]
    example = re.search(r"Example: `([^`]+)`", part).group(1)
    told = set(re.findall(FILE, part))
    found = set()
    for path in (ROOT / "src").rglob("*"):
        if path.suffix in (".py", ".sql", ".html", ".js") and "vendor" not in path.parts and re.search(rf"\b{example}\b", path.read_text()):
            found.add(str(path.relative_to(ROOT)))
    assert found - told == set()
    assert found


def test_a_field_described_once_is_stored_written_read_shown_and_told():
    """One entry in a record makes its column, its key in the site file, and its field in the form; a row goes out and comes back."""
    (field,) = [f for f in fields_of(LoadWithNote) if f.column == "branch_note"]
    aggregate = compose("load", LoadWithNote, parent="plan_id", order="id")
    for statement in (aggregate.select, aggregate.insert, aggregate.update, aggregate.list_all):
        assert "branch_note" in statement
    assert "branch_note = %(branch_note)s" in aggregate.update
    model = part_of(LoadWithNote, LOAD_NESTS, lists=dict.fromkeys(("bursts", "thermostats", "recharges"), Part))
    assert model.model_json_schema()["properties"]["branch_note"]["default"] is None
    form = form_of(LoadWithNote, LOAD_NESTS)
    assert "branch_note" in dict(form.groups)[""]
    assert form.paths["branch_note"] == "branch_note"
    row = {f.column: f.blank for f in fields_of(LoadWithNote)} | {"branch_note": "behind the riser", "standby_current_a": 0.1}
    part = part_of_row(LoadWithNote, row, LOAD_NESTS)
    assert part["branch_note"] == "behind the riser"
    assert row_of_part(LoadWithNote, part)["branch_note"] == "behind the riser"
    assert (field.cell, field.told, field.since) == ("Note", "note", 7)
