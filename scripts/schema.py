"""Write the published JSON schema of scene files."""

import json
from pathlib import Path

import estompe
from estompe.document.file import schema

TARGET = Path(estompe.__file__).parent / "document" / "scene.schema.json"


def text() -> str:
    """The schema as it is written."""
    return json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    TARGET.write_text(text(), encoding="utf-8")
