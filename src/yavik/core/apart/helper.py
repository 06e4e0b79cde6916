"""Asks a helping process, and starts another when one is lost."""

import atexit
import json
import struct
import subprocess
import sys
import threading
import time
from typing import Any

from yavik.core.table import DataProblem

BEAT = 0.1
"""Seconds between looks at whether to go on."""
STOPPED = "Stopped."


class Helper:
    """One process, started when it is first needed and asked by one thread at a time.

    Args:
        module: what it runs; its ``main`` serves requests (``yavik.core.apart.serving``).
        longest: seconds that one request may take.
        lost: said when the process ends over a request, or does not end in time.
    """

    def __init__(self, module: str, longest: float, lost: str) -> None:
        self.module, self.longest, self.lost = module, longest, lost
        self._process: subprocess.Popen[bytes] | None = None
        self._turn = threading.Lock()
        atexit.register(self.close)

    def ask(self, request: dict[str, Any], stop: threading.Event | None = None) -> bytes:
        """Raises DataProblem: what the process says is wrong, that it was lost, or that ``stop`` was set."""
        stop = stop or threading.Event()
        while not self._turn.acquire(timeout=BEAT):
            if stop.is_set():
                raise DataProblem(STOPPED)
        try:
            process, done = self._running(), threading.Event()
            threading.Thread(target=self._watch, args=(process, done, stop), daemon=True).start()
            try:
                ok, found = _answer(process, json.dumps(request).encode())
            except (OSError, EOFError, struct.error):
                self.close()
                raise DataProblem(STOPPED if stop.is_set() else self.lost) from None
            finally:
                done.set()
        finally:
            self._turn.release()
        if not ok:
            raise DataProblem(**json.loads(found))
        return found

    def _watch(self, process: subprocess.Popen[bytes], done: threading.Event, stop: threading.Event) -> None:
        """Ends the process when its time is over or nobody waits for it any longer."""
        end = time.monotonic() + self.longest
        while not done.wait(BEAT):
            if stop.is_set() or time.monotonic() > end:
                process.kill()
                return

    def _running(self) -> subprocess.Popen[bytes]:
        if self._process is None or self._process.poll() is not None:
            self._process = subprocess.Popen(
                [sys.executable, "-I", "-m", self.module],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )
        return self._process

    def close(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.wait()
            for pipe in (process.stdin, process.stdout):
                if pipe:
                    pipe.close()


def _answer(process: subprocess.Popen[bytes], data: bytes) -> tuple[bool, bytes]:
    assert process.stdin and process.stdout
    process.stdin.write(struct.pack(">Q", len(data)))
    process.stdin.write(data)
    process.stdin.flush()
    head = process.stdout.read(9)
    if len(head) < 9:
        raise EOFError
    ok, size = struct.unpack(">?Q", head)
    found = process.stdout.read(size)
    if len(found) < size:
        raise EOFError
    return ok, found
