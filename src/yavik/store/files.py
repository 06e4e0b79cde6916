"""Brought files, kept whole in pieces, so that the original can always be had again byte for byte."""

import hashlib
import tempfile
from collections.abc import AsyncIterator, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pyarrow as pa
from sqlalchemy import Engine, select, update
from sqlalchemy.orm import Session

from yavik.store.models import Piece, Upload

PIECE = 4 << 20
MOST_BYTES = 2 << 30


class TooLarge(Exception):
    pass


class Files:
    def __init__(self, engine: Engine) -> None:
        self.engine = engine

    def begin(self, study_id: str, filename: str) -> str:
        with Session(self.engine) as session, session.begin():
            upload = Upload(study_id=study_id, filename=filename[:200])
            session.add(upload)
            session.flush()
            return upload.id

    def add(self, upload_id: str, number: int, data: bytes) -> None:
        packed = len(data).to_bytes(4, "little") + pa.compress(data, codec="lz4", asbytes=True)
        with Session(self.engine) as session, session.begin():
            session.add(Piece(upload_id=upload_id, number=number, data=packed))

    def finish(self, upload_id: str, sha: str, size: int) -> None:
        with Session(self.engine) as session, session.begin():
            session.execute(update(Upload).where(Upload.id == upload_id).values(sha=sha, size=size, complete=True))

    async def receive(self, study_id: str, filename: str, chunks: AsyncIterator[bytes]) -> Upload:
        """Takes a file in as it arrives; raises TooLarge past the limit, keeping nothing of it."""
        upload_id, digest, size, number, waiting = self.begin(study_id, filename), hashlib.sha256(), 0, 0, bytearray()
        async for chunk in chunks:
            digest.update(chunk)
            size += len(chunk)
            waiting += chunk
            if size > MOST_BYTES:
                self.drop(upload_id)
                raise TooLarge
            while len(waiting) >= PIECE:
                self.add(upload_id, number, bytes(waiting[:PIECE]))
                number += 1
                del waiting[:PIECE]
        self.add(upload_id, number, bytes(waiting))
        self.finish(upload_id, digest.hexdigest(), size)
        return self.get(upload_id)

    def put(self, study_id: str, filename: str, data: bytes) -> Upload:
        upload_id = self.begin(study_id, filename)
        for number, start in enumerate(range(0, max(1, len(data)), PIECE)):
            self.add(upload_id, number, data[start : start + PIECE])
        self.finish(upload_id, hashlib.sha256(data).hexdigest(), len(data))
        return self.get(upload_id)

    def get(self, upload_id: str) -> Upload:
        """Raises LookupError when there is no such complete upload."""
        with Session(self.engine, expire_on_commit=False) as session:
            upload = session.get(Upload, upload_id)
            if upload is None or not upload.complete:
                raise LookupError(upload_id)
            return upload

    def drop(self, upload_id: str) -> None:
        with Session(self.engine) as session, session.begin():
            upload = session.get(Upload, upload_id)
            if upload:
                session.delete(upload)

    def pieces(self, upload_id: str) -> Iterator[bytes]:
        with Session(self.engine) as session:
            for packed in session.scalars(
                select(Piece.data).where(Piece.upload_id == upload_id).order_by(Piece.number)
            ):
                size = int.from_bytes(packed[:4], "little")
                yield pa.decompress(packed[4:], decompressed_size=size, codec="lz4", asbytes=True)

    def head(self, upload_id: str, size: int) -> bytes:
        return self._first(self.pieces(upload_id), size)

    def _first(self, pieces: Iterable[bytes], size: int) -> bytes:
        out = bytearray()
        for piece in pieces:
            out += piece
            if len(out) >= size:
                break
        return bytes(out[:size])

    @contextmanager
    def as_path(self, upload_id: str) -> Iterator[Path]:
        """The file laid out on disk for a reader that wants to map it; removed afterwards."""
        with tempfile.TemporaryDirectory(prefix="yavik-") as folder:
            path = Path(folder) / "file"
            with path.open("wb") as out:
                for piece in self.pieces(upload_id):
                    out.write(piece)
            yield path
