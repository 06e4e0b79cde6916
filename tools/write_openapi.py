"""Writes the OpenAPI document that the TypeScript client is generated from."""

import json
import tempfile
from pathlib import Path

from yavik.server.app import create_app

TARGET = Path(__file__).resolve().parents[1] / "docs/openapi.json"


def document() -> str:
    app = create_app(Path(tempfile.gettempdir()) / "yavik-openapi")
    return json.dumps(app.openapi(), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    TARGET.write_text(document(), encoding="utf-8")
