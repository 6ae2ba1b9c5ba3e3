"""JSON Schema of an investigation: ``python -m saltus.investigations.recipe.schema FILE`` writes it."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from saltus.investigations.recipe.form import RecipeForm


def schema_text() -> str:
    """Describe the file; what a schema cannot say (which names a formula may use) the reader checks."""
    return json.dumps(RecipeForm.model_json_schema(mode="validation"), indent=1) + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(schema_text(), encoding="utf-8")
