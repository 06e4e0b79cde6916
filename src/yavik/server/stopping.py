"""Work that ends when nobody waits for it: a request that was stopped or left."""

import asyncio
from collections.abc import Callable
from threading import Event
from typing import TypeVar

from fastapi import Request
from starlette.concurrency import run_in_threadpool

T = TypeVar("T")
BEAT = 0.2
"""Seconds between looks at whether the browser is still there."""


async def while_waited_for(request: Request, do: Callable[[Event], T]) -> T:
    """Runs ``do`` in a thread; the event it is given is set when the browser breaks the request off."""
    stop = Event()
    work = asyncio.ensure_future(run_in_threadpool(do, stop))
    while not (await asyncio.wait({work}, timeout=BEAT))[0]:
        if await request.is_disconnected():
            stop.set()
            break
    return await work
