"""The first rows of a file that is not plain text, read apart with bounds of time and memory."""

from pathlib import Path
from threading import Event

from yavik.core.apart import Helper
from yavik.core.files.options import FormatId, Preview, ReadOptions

_READER = Helper(
    "yavik.core.files.preview_child",
    longest=60,
    lost=(
        "This file could not be opened within a minute, or takes more memory than there is. "
        "Save the table in it as CSV or Parquet, and bring that in."
    ),
)


def look_into(path: Path, format: FormatId, options: ReadOptions | None = None, stop: Event | None = None) -> Preview:
    """Raises DataProblem; also when ``stop`` is set meanwhile."""
    request = {
        "path": str(path),
        "format": format,
        "options": options.model_dump(mode="json") if options else None,
    }
    return Preview.model_validate_json(_READER.ask(request, stop))
