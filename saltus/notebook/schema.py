"""Writes the JSON Schema of the notebook file: ``python -m saltus.notebook.schema FILE``."""

import json
import sys
from pathlib import Path

from saltus.notebook.model import Notebook


def schema_text() -> str:
    """Give the published JSON Schema of ``NAME.saltus``."""
    return json.dumps(Notebook.model_json_schema(mode="validation"), indent=2) + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(schema_text(), encoding="utf-8")
