"""Write docs/site-file.schema.json from the model that reads the site file."""

import json
from pathlib import Path

from ypomoni.documents.site_file import json_schema

Path(__file__).parent.parent.joinpath("docs", "site-file.schema.json").write_text(json.dumps(json_schema(), indent=1) + "\n")
