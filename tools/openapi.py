"""Prints the OpenAPI document of the application, from which the web client's types are made."""

import json
import sys
import tempfile
from pathlib import Path

from kavrel.api.app import create_app
from kavrel.store.database import Database


def document() -> str:
    """The document as JSON text."""
    with tempfile.TemporaryDirectory() as folder:
        database = Database(Path(folder) / "openapi.db")
        found = create_app(database).openapi()
        database.close()
    return json.dumps(found, indent=1)


if __name__ == "__main__":
    sys.stdout.write(document() + "\n")
