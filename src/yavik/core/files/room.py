"""Whether a file can be read with the memory there is: said beforehand, instead of dying halfway."""

from pathlib import Path

from yavik.core.table import DataProblem

TIMES: dict[str, float] = {
    "text": 2.5,
    "json": 12.0,
    "xlsx": 60.0,
    "ods": 60.0,
    "parquet": 6.0,
    "arrow": 3.0,
    "package": 12.0,
}
"""About how much memory a file takes while it is read, as a multiple of its size."""


def available() -> int | None:
    """Bytes of memory that are free for use; None where the system does not tell."""
    try:
        lines = Path("/proc/meminfo").read_text(encoding="ascii").splitlines()
    except OSError:
        return None
    found = next((line for line in lines if line.startswith("MemAvailable:")), None)
    return int(found.split()[1]) * 1024 if found else None


def demand_room(path: Path, format: str, free: int | None = None) -> None:
    """Raises DataProblem when reading would take more memory than there is."""
    free = available() if free is None else free
    need = path.stat().st_size * TIMES[format]
    if free is not None and need > free:
        raise DataProblem(
            f"Reading this file takes about {need / 1e9:.1f} GB of memory, and {free / 1e9:.1f} GB are free. "
            "Close other programs, or bring in fewer columns or rows."
        )
