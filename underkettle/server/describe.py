"""Write the API's description and the case format's schema: python -m ... FOLDER."""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path
from typing import Any

from underkettle.case.schema import case_schema
from underkettle.engine.contract import find_phenomena
from underkettle.server.app import build_app


def descriptions() -> dict[str, Any]:
    """File name -> content. Only the package's own phenomena are described."""
    with tempfile.TemporaryDirectory() as home:
        api = build_app(home).openapi()
    own = {
        n: p for n, p in find_phenomena().items() if type(p).__module__.startswith("underkettle.")
    }
    return {"openapi.json": api, "case-schema.json": case_schema(own)}


def main(folder: str) -> None:
    for name, content in descriptions().items():
        (Path(folder) / name).write_text(json.dumps(content, indent=1, sort_keys=True) + "\n")


if __name__ == "__main__":
    main(sys.argv[1])
