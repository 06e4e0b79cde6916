"""Brought files, kept whole in pieces, so that the original can always be had again byte for byte."""

import hashlib
import tempfile
from asyncio import to_thread
from collections import deque
from collections.abc import AsyncIterator, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

import pyarrow as pa
from sqlalchemy import Engine, func, select, update
from sqlalchemy.orm import Session

from yavik.store.models import Item, Piece, Upload

PIECE = 4 << 20
AT_ONCE = 3
"""Pieces that are packed while the one before is written."""
MOST_BYTES = 2 << 30


class TooLarge(Exception):
    pass


class Files:
    def __init__(self, engine: Engine) -> None:
        self.engine = engine

    def begin(self, study_id: str, filename: str) -> str:
        """A new upload; its id."""
        with Session(self.engine) as session, session.begin():
            upload = Upload(study_id=study_id, filename=filename[:200])
            session.add(upload)
            session.flush()
            return upload.id

    def add(self, upload_id: str, number: int, packed: bytes) -> None:
        """Adds a piece."""
        with Session(self.engine) as session, session.begin():
            session.add(Piece(upload_id=upload_id, number=number, data=packed))

    def finish(self, upload_id: str, sha: str, size: int) -> None:
        """Closes an upload, with its hash and size."""
        with Session(self.engine) as session, session.begin():
            session.execute(update(Upload).where(Upload.id == upload_id).values(sha=sha, size=size, complete=True))

    async def receive(self, study_id: str, filename: str, chunks: AsyncIterator[bytes]) -> Upload:
        """Takes a file in as it arrives; raises TooLarge past the limit, keeping nothing of it."""
        coming = await to_thread(_Coming, self, study_id, filename)
        waiting: list[bytes] = []
        try:
            async for chunk in chunks:
                waiting.append(chunk)
                if sum(map(len, waiting)) >= PIECE:  # the loop goes on serving others meanwhile
                    await to_thread(coming.add, b"".join(waiting))
                    waiting = []
            await to_thread(coming.add, b"".join(waiting))
            return await to_thread(coming.end)
        finally:
            coming.close()

    def take(self, study_id: str, filename: str, chunks: Iterable[bytes]) -> Upload:
        """The same for chunks that are at hand; whatever stops them, nothing is kept of half a file."""
        coming = _Coming(self, study_id, filename)
        try:
            for chunk in chunks:
                coming.add(chunk)
            return coming.end()
        except BaseException:
            self.drop(coming.id)
            raise
        finally:
            coming.close()

    def put(self, study_id: str, filename: str, data: bytes) -> Upload:
        """Keeps a whole file."""
        return self.take(study_id, filename, [data])

    def get(self, upload_id: str) -> Upload:
        """Raises LookupError when there is no such complete upload."""
        with Session(self.engine, expire_on_commit=False) as session:
            upload = session.get(Upload, upload_id)
            if upload is None or not upload.complete:
                raise LookupError(upload_id)
            return upload

    def own(self, study_id: str, upload_id: str) -> Upload:
        """A file of a study: brought into it, or read by one of its tables, as in a copy of another study. Raises
        LookupError."""
        upload = self.get(upload_id)
        if upload.study_id != study_id:
            reads = func.json_extract(Item.body, "$.upload") == upload_id
            with Session(self.engine) as session:
                if session.scalar(select(Item.id).where(Item.study_id == study_id, reads).limit(1)) is None:
                    raise LookupError(upload_id)
        return upload

    def drop(self, upload_id: str) -> None:
        """Forgets an upload."""
        with Session(self.engine) as session, session.begin():
            upload = session.get(Upload, upload_id)
            if upload:
                session.delete(upload)

    def pieces(self, upload_id: str) -> Iterator[bytes]:
        """The file's bytes, piece by piece."""
        with Session(self.engine) as session:
            for packed in session.scalars(
                select(Piece.data).where(Piece.upload_id == upload_id).order_by(Piece.number)
            ):
                size = int.from_bytes(packed[:4], "little")
                yield pa.decompress(packed[4:], decompressed_size=size, codec="lz4", asbytes=True)

    def head(self, upload_id: str, size: int) -> bytes:
        """The file's first bytes."""
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


def pack(piece: bytes) -> bytes:
    """A piece as it is kept: its size, and its bytes compressed."""
    packed: bytes = pa.compress(piece, codec="lz4", asbytes=True)
    return len(piece).to_bytes(4, "little") + packed


class _Coming:
    """A file that is being taken in: cut into pieces and measured on its way, while threads hash and pack them."""

    def __init__(self, files: Files, study_id: str, filename: str) -> None:
        self.files, self.id = files, files.begin(study_id, filename)
        self.digest, self.size, self.number, self.waiting = hashlib.sha256(), 0, 0, bytearray()
        self._hashing, self._packing = ThreadPoolExecutor(1), ThreadPoolExecutor(2)
        self._begun: deque[tuple[Future[None], Future[bytes]]] = deque()

    def add(self, chunk: bytes) -> None:
        """Takes in more bytes."""
        self.size += len(chunk)
        if self.size > MOST_BYTES:
            self.files.drop(self.id)
            raise TooLarge
        whole = memoryview(chunk)
        while len(self.waiting) + len(whole) >= PIECE:
            cut = PIECE - len(self.waiting)
            self._store(bytes(self.waiting) + whole[:cut] if self.waiting else bytes(whole[:cut]))
            self.waiting.clear()
            whole = whole[cut:]
        self.waiting += whole

    def _store(self, piece: bytes) -> None:
        """Packed beside what comes; a few at once, so that a large file needs no more memory than a small one."""
        hashed = self._hashing.submit(self.digest.update, piece)  # one thread: in their order
        self._begun.append((hashed, self._packing.submit(pack, piece)))
        self._write(AT_ONCE)

    def _write(self, left: int) -> None:
        while len(self._begun) > left:
            hashed, packed = self._begun.popleft()
            self.files.add(self.id, self.number, packed.result())
            hashed.result()
            self.number += 1

    def end(self) -> Upload:
        """Closes the upload."""
        if self.waiting or not self.size:
            self._store(bytes(self.waiting))
        self._write(0)
        self.files.finish(self.id, self.digest.hexdigest(), self.size)
        return self.files.get(self.id)

    def close(self) -> None:
        """Lets go of its threads, without waiting for what is no longer wanted."""
        for pool in (self._hashing, self._packing):
            pool.shutdown(wait=False, cancel_futures=True)
