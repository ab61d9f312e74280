"""Writes the API's OpenAPI document for the client's types: ``python tools/openapi.py web/openapi.json``."""

import json
import sys
import tempfile
from pathlib import Path

from oskren.api.app import make_app

if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        Path(sys.argv[1]).write_text(json.dumps(make_app(Path(folder)).openapi(), indent=1) + "\n")
