"""Public archives that data can be opened from: only those that are configured, by name, never a free address."""

import json
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Iterator
from http.client import HTTPException
from pathlib import Path
from typing import Any

from pydantic import BaseModel, TypeAdapter, ValidationError

from yavik.core.table import DataProblem
from yavik.server.schemas import ArchiveFile
from yavik.store.files import MOST_BYTES

CONFIG = "archives.json"
SECONDS = 15
CUT = "{} broke off in the middle of the file: {} of {} bytes came. Nothing was kept; try again."
MOST_LISTING = 8 << 20


class Archive(BaseModel):
    """``address`` answers ``/listing?q=`` with a list of files and ``/files/{id}`` with a file's bytes."""

    name: str
    address: str
    words: str = ""


class _NoRedirects(urllib.request.HTTPRedirectHandler):
    """An archive that sends elsewhere would be a free address by another way."""

    def redirect_request(self, *_args: Any, **_more: Any) -> None:
        return None


# No proxy and no redirect: what is asked is what is reached.
_opener = urllib.request.build_opener(urllib.request.ProxyHandler({}), _NoRedirects())


def configured(folder: Path) -> list[Archive]:
    """Archives named in the data folder's archives.json; none where there is no such file."""
    file = folder / CONFIG
    if not file.exists():
        return []
    try:
        return TypeAdapter(list[Archive]).validate_json(file.read_bytes())
    except (ValidationError, OSError) as trouble:
        raise DataProblem(
            f"{CONFIG} in the data folder cannot be read: it should be a list of name and address."
        ) from trouble


def search(archive: Archive, words: str) -> list[ArchiveFile]:
    """Files whose description has the words. Raises DataProblem when the archive does not answer as one."""
    with _open(archive, "/listing?" + urllib.parse.urlencode({"q": words})) as answer:
        data = answer.read(MOST_LISTING)
    try:
        return [ArchiveFile.model_validate(f) for f in json.loads(data)][:200]
    except (ValueError, TypeError) as trouble:
        raise DataProblem(f"{archive.name} answered with something that is no listing.") from trouble


def fetch(archive: Archive, file_id: str) -> tuple[str, Iterator[bytes]]:
    """A file's name and its bytes in pieces. Raises DataProblem."""
    listed = next((f for f in search(archive, "") if f.id == file_id), None)
    if listed is None:
        raise DataProblem(f"{archive.name} has no file '{file_id}'.")
    answer = _open(archive, "/files/" + urllib.parse.quote(file_id, safe=""))

    told = answer.headers.get("content-length") or ""
    whole = int(told) if told.isdigit() else None

    def pieces() -> Iterator[bytes]:
        size = 0
        with answer:
            while chunk := _read(archive, answer):
                size += len(chunk)
                if size > MOST_BYTES:
                    raise DataProblem("This file has more than 2 GB.")
                yield chunk
        # A connection that breaks off looks like the end of the file.
        if whole is not None and size != whole:
            raise DataProblem(CUT.format(archive.name, size, whole))

    return listed.filename, pieces()


def _read(archive: Archive, answer: Any) -> bytes:
    try:
        return bytes(answer.read(1 << 20))
    except (OSError, HTTPException) as trouble:
        raise DataProblem(
            f"{archive.name} broke off in the middle of the file. Nothing was kept; try again."
        ) from trouble


def _open(archive: Archive, path: str) -> Any:
    address = archive.address.rstrip("/")
    if not address.startswith(("http://", "https://")):
        raise DataProblem(f"The address of {archive.name} is not one of the web.")
    try:
        return _opener.open(address + path, timeout=SECONDS)
    except (urllib.error.URLError, OSError, ValueError) as trouble:
        raise DataProblem(
            f"{archive.name} cannot be reached now. Try again later, or bring the file in from this computer."
        ) from trouble
