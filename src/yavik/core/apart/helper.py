"""Asks a helping process, and starts another when one is lost."""

import atexit
import json
import struct
import subprocess
import sys
import threading
from typing import Any

from yavik.core.table import DataProblem


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

    def ask(self, request: dict[str, Any]) -> bytes:
        """Raises DataProblem: what the process says is wrong, or that it was lost."""
        with self._turn:
            process = self._running()
            timer = threading.Timer(self.longest, process.kill)
            timer.start()
            try:
                ok, found = _answer(process, json.dumps(request).encode())
            except (OSError, EOFError, struct.error):
                self.close()
                raise DataProblem(self.lost) from None
            finally:
                timer.cancel()
        if not ok:
            raise DataProblem(**json.loads(found))
        return found

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
