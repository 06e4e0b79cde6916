"""The other end of a helping process: requests from standard input, answers to standard output, lengths before them."""

import json
import os
import resource
import struct
import sys
from collections.abc import Callable
from typing import Any

from yavik.core.table import DataProblem


def serve(do: Callable[[dict[str, Any]], bytes], unforeseen: str, most_memory: int | None = None) -> None:
    """Answers requests until the input ends.

    Args:
        unforeseen: begins the sentence for what is no DataProblem.
        most_memory: bytes of address space that the process may have.
    """
    source, sink = sys.stdin.buffer, os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # what a library prints must not be read as an answer
    most = most_memory or resource.RLIM_INFINITY
    resource.setrlimit(resource.RLIMIT_AS, (most, resource.getrlimit(resource.RLIMIT_AS)[1]))
    while len(head := source.read(8)) == 8:
        request = json.loads(source.read(struct.unpack(">Q", head)[0]))
        try:
            ok, data = True, do(request)
        except DataProblem as problem:
            told = {"message": problem.message, "column": problem.column, "rows": problem.rows}
            ok, data = False, json.dumps(told).encode()
        except MemoryError:
            ok, data = False, json.dumps({"message": f"{unforeseen} it takes more memory than there is."}).encode()
        except Exception as trouble:  # noqa: BLE001 - whatever goes wrong with one request is told, and the next is done
            ok, data = False, json.dumps({"message": f"{unforeseen} {str(trouble)[:300]}"}).encode()
        sink.write(struct.pack(">?Q", ok, len(data)))
        sink.write(data)
        sink.flush()
