"""Write what follows from the records: docs/site-file.schema.json and docs/fields.md."""

import json
from pathlib import Path

from ypomoni.documents.site_file import json_schema
from ypomoni.records.fields_table import write_fields

DOCS = Path(__file__).parent.parent / "docs"
DOCS.joinpath("site-file.schema.json").write_text(json.dumps(json_schema(), indent=1) + "\n")
DOCS.joinpath("fields.md").write_text(write_fields())
