"""Looks into files that are not plain text, in a process of its own: a few kilobytes can be made to swell to
anything."""

from pathlib import Path
from typing import Any

from yavik.core.apart.serving import serve
from yavik.core.files.formats import preview_file
from yavik.core.files.options import ReadOptions
from yavik.core.files.room import available


def _look(request: dict[str, Any]) -> bytes:
    options = ReadOptions.model_validate(request["options"]) if request["options"] else None
    return preview_file(Path(request["path"]), request["format"], options).model_dump_json().encode()


if __name__ == "__main__":
    serve(_look, "This file cannot be opened:", most_memory=(available() or 4 << 30) + (2 << 30))
