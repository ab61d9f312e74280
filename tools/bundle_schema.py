"""Writes the JSON schema of a bundle's design.json: ``python tools/bundle_schema.py docs/bundle.schema.json``."""

import json
import sys
from pathlib import Path

from oskren.core.bundle import schema

if __name__ == "__main__":
    Path(sys.argv[1]).write_text(json.dumps(schema(), indent=1) + "\n")
