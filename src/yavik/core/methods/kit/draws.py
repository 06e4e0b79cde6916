"""Draws: batches with seeds of their own, progress, and more draws added to those that are there.

Each batch has a seed of its own from one parent (``SeedSequence``), so the first thousand of two thousand draws are
those of one thousand, whatever the number of workers. Finished batches are kept for a while: asking for more draws
only makes those that are new.
"""

from collections.abc import Callable
from contextlib import closing
from functools import partial
from typing import Any

import numpy as np

from yavik.core.methods.kit.kept import Kept
from yavik.core.stats.in_parts import spread
from yavik.core.table.telling import Told, silent

BATCH = 111
"""Draws of a batch: nine of them are 999."""
MOST_KEPT = 40
_kept: Kept[list[Any]] = Kept(MOST_KEPT)


def drawn(
    draws: int, seed: int, batch: Callable[[np.random.Generator, int], Any], *, key: bytes | None = None,
    told: Told = silent, span: tuple[float, float] = (0.0, 1.0), what: str = "Drawing",
    so_far: Callable[[Any], str] | None = None,
) -> Any:  # fmt: skip
    """Statistics of all draws, in order, along the first axis.

    Args:
        batch: makes so many draws and returns an array with one row for each.
        key: what the draws are of; batches of the same key and seed are kept for whoever asks for more.
        span: the part of the whole work that this is.
        so_far: a few words on the draws there are, for whoever watches.
    """
    name = None if key is None else key + seed.to_bytes(8, "little")
    kept: list[Any] = _kept.of(name, list) if name is not None else []
    need = -(-draws // BATCH)
    children = np.random.SeedSequence(seed).spawn(need)
    with closing(spread([partial(_batch, batch, child) for child in children[len(kept) :]])) as batches:
        while len(kept) < need:
            done = len(kept) * BATCH
            tail = f": {so_far(np.concatenate(kept))}" if kept and so_far else ""
            told(span[0] + (span[1] - span[0]) * done / draws, f"{what}, {min(done, draws)} of {draws}{tail}")
            kept.append(next(batches))
    return np.concatenate(kept[:need])[:draws]


def _batch(batch: Callable[[np.random.Generator, int], Any], seed: np.random.SeedSequence) -> Any:
    return np.asarray(batch(np.random.default_rng(seed), BATCH))


def p_of(hits: int, draws: int) -> tuple[float, float]:
    """p of a test by draws, (hits + 1)/(draws + 1), and its Monte Carlo error."""
    p = (hits + 1) / (draws + 1)
    return p, float(np.sqrt(p * (1 - p) / (draws + 1)))
