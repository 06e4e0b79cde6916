"""Jobs: what is running, how far it is, and how it ended."""

import threading
from dataclasses import dataclass, field
from enum import StrEnum
from time import monotonic
from typing import Any
from uuid import uuid4


class State(StrEnum):
    waiting = "waiting"
    running = "running"
    done = "done"
    problem = "problem"
    failed = "failed"
    stopped = "stopped"


SOON = 0.25
"""Seconds that a request waits for a worker: what is done by then comes with it, without a bar that flashes."""
ENDED = frozenset({State.done, State.problem, State.failed, State.stopped})


@dataclass
class Job:
    title: str
    description: Any
    study_id: str = ""
    item_id: str | None = None
    id: str = field(default_factory=lambda: uuid4().hex[:12])
    state: State = State.waiting
    part: float = 0.0
    what: str = "Waiting for its turn"
    result: dict[str, Any] | None = None
    problem: dict[str, Any] | None = None
    shown: dict[str, Any] | None = None
    """A drawing of what there is so far."""
    said: list[dict[str, Any]] = field(default_factory=list)
    """The answer's statement, where it is known before the rest."""
    revision: int = 0
    stop_asked: bool = False
    began: float = field(default_factory=monotonic)
    _ended: threading.Event = field(default_factory=threading.Event, repr=False)

    def tell(self, **values: Any) -> None:
        """A change that watchers should see."""
        for key, value in values.items():
            setattr(self, key, value)
        self.revision += 1
        if self.state in ENDED:
            self._ended.set()

    def wait(self, timeout: float | None = None) -> bool:
        """Waits for the end; False where it did not come in time."""
        return self._ended.wait(timeout)

    def done_soon(self) -> bool:
        """Whether it is done well before anyone would look for its progress. Waits so long."""
        return self.wait(SOON) and self.state is State.done

    @property
    def ended(self) -> bool:
        """Whether it is over."""
        return self._ended.is_set()

    def seen(self) -> dict[str, Any]:
        """The job as it is told."""
        return {
            "id": self.id,
            "study_id": self.study_id,
            "title": self.title,
            "state": self.state.value,
            "part": round(self.part, 3),
            "what": self.what,
            "result": self.result,
            "problem": self.problem,
            "shown": None if self.ended else self.shown,
            "said": self.said,
            "item_id": self.item_id,
            "seconds": round(monotonic() - self.began, 1),
        }
