"""Write the OpenAPI document from which the front end's types are generated."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from awl.server.openapi import openapi_document


def text() -> str:
    """The document as the file holds it."""
    return json.dumps(openapi_document("/"), indent=1) + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(text())
