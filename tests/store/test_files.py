"""Brought files come back byte for byte, however they arrived, and nothing is kept of half a file."""

import asyncio
import hashlib
from collections.abc import AsyncIterator, Iterator

import numpy as np
import pytest

from yavik.store import Store, files
from yavik.store.files import PIECE, TooLarge

DATA = np.random.default_rng(5).integers(0, 9, 3 * PIECE + 17, dtype=np.uint8).tobytes()


def cut(data: bytes, sizes: list[int]) -> Iterator[bytes]:
    """Chunks of these sizes, again and again."""
    place = turn = 0
    while place < len(data):
        size = sizes[turn % len(sizes)]
        yield data[place : place + size]
        place, turn = place + size, turn + 1


async def sent(chunks: Iterator[bytes]) -> AsyncIterator[bytes]:
    for chunk in chunks:
        yield chunk


@pytest.mark.parametrize("length", [0, 1, PIECE - 1, PIECE, PIECE + 1, 2 * PIECE, len(DATA)])
@pytest.mark.parametrize("sizes", [[65_536], [PIECE], [PIECE - 3, 5, 1], [3 * PIECE + 20]], ids=str)
def test_a_file_comes_back_as_it_was(store: Store, length: int, sizes: list[int]) -> None:
    data, study = DATA[:length], store.items.new_study("S").id
    taken = store.files.take(study, "a.bin", cut(data, sizes))
    received = asyncio.run(store.files.receive(study, "b.bin", sent(cut(data, sizes))))
    for upload in (taken, received):
        assert (upload.sha, upload.size) == (hashlib.sha256(data).hexdigest(), length)
        pieces = list(store.files.pieces(upload.id))
        assert b"".join(pieces) == data and all(len(p) == PIECE for p in pieces[:-1])


def test_of_a_file_that_stops_half_way_nothing_is_kept(store: Store) -> None:
    study = store.items.new_study("S").id

    def broken() -> Iterator[bytes]:
        yield DATA
        raise OSError("the line is cut")

    with pytest.raises(OSError, match="line is cut"):
        store.files.take(study, "a.bin", broken())
    with store.engine.connect() as connection:
        for kept in ("uploads", "pieces"):
            assert connection.exec_driver_sql(f"SELECT count(*) FROM {kept}").scalar_one() == 0


def test_a_file_beyond_the_limit_is_refused_and_forgotten(store: Store, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(files, "MOST_BYTES", 2 * PIECE)
    study = store.items.new_study("S").id
    with pytest.raises(TooLarge):
        asyncio.run(store.files.receive(study, "a.bin", sent(cut(DATA, [65_536]))))
    with store.engine.connect() as connection:
        assert connection.exec_driver_sql("SELECT count(*) FROM pieces").scalar_one() == 0


def test_others_are_served_while_a_file_comes_in(store: Store) -> None:
    """A piece is packed and written beside the loop: what waits there meanwhile has its turn."""
    study, turns = store.items.new_study("S").id, []

    async def together() -> None:
        coming = asyncio.ensure_future(store.files.receive(study, "a.bin", sent(cut(DATA, [PIECE]))))
        while not coming.done():
            turns.append(1)
            await asyncio.sleep(0)

    asyncio.run(together())
    assert len(turns) > 20
