"""Opening zip files that come from outside: nothing is written out, and what would unpack to too much is refused."""

import struct
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from yavik.core.table import DataProblem

MOST_UNPACKED = 2 << 30
SUSPICIOUS_RATIO = 300
SMALL = 64 << 20
MOST_MEMBERS = 5000
DAMAGE = (
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    zlib.error,
    struct.error,
    EOFError,
    NotImplementedError,
    OSError,
    KeyError,
    OverflowError,
    UnicodeDecodeError,
)
"""What the library raises for archives that are damaged."""


@contextmanager
def safe_zip(path: Path, what: str) -> Iterator[zipfile.ZipFile]:
    """An open archive whose members keep within bounds.

    Args:
        what: what the file should be, for the sentence: 'a workbook'.

    Raises:
        DataProblem: no zip, damaged, or a file made to swell.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            members = archive.infolist()
            total = sum(m.file_size for m in members)
            packed = max(1, sum(m.compress_size for m in members))
            if (
                total > MOST_UNPACKED
                or len(members) > MOST_MEMBERS
                or (total > SMALL and total / packed > SUSPICIOUS_RATIO)
            ):
                raise DataProblem(
                    f"This file would unpack to {total / 1e6:,.0f} MB from {packed / 1e6:,.1f} MB; it is not opened.".replace(
                        ",", " "
                    )
                )
            if any(m.flag_bits & 1 for m in members):
                raise DataProblem("This file is locked with a password. Save it without one.")
            yield archive
    except DAMAGE as trouble:
        raise DataProblem(f"This file cannot be opened as {what}: it is damaged or incomplete.") from trouble
