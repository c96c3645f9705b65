"""Write what the front end knows of the server: the OpenAPI document of its types, and the questions of its tests."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from awl.questions import QUESTIONS
from awl.questions.describe import process_description
from awl.server.openapi import openapi_document


def documents() -> dict[str, str]:
    """The files by their names below `ui/src`."""
    processes = [process_description(question) for question in QUESTIONS.values()]
    return {
        "api/openapi.json": json.dumps(openapi_document("/"), indent=1) + "\n",
        "testing/processes.json": json.dumps(processes, indent=1) + "\n",
    }


if __name__ == "__main__":
    for name, text in documents().items():
        (Path(sys.argv[1]) / name).write_text(text)
