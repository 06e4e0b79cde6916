"""Reports being saved as files: each in a thread of its own, told how far it is, kept until it is fetched."""

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from uuid import uuid4

from yavik.core.report import Document
from yavik.core.report.markdown import write_markdown, write_markdown_zip
from yavik.core.report.pdf import write_pdf
from yavik.core.report.telling import Tell
from yavik.core.report.web import write_html

Writer = Callable[[Document, Tell], bytes]


def write_docx(document: Document, tell: Tell) -> bytes:
    """As a word processor's document. What writes it is loaded with the first."""
    from yavik.core.report import word

    return word.write_docx(document, tell)


WRITERS: dict[str, tuple[Writer, str]] = {
    "docx": (write_docx, "application/vnd.openxmlformats-officedocument.wordprocessingml.document"),
    "pdf": (write_pdf, "application/pdf"),
    "html": (write_html, "text/html; charset=utf-8"),
    "md": (write_markdown, "text/markdown; charset=utf-8"),
    "zip": (write_markdown_zip, "application/zip"),
}
KEPT_SECONDS = 300.0


@dataclass
class Saving:
    id: str
    kind: str
    study: str
    part: float = 0.0
    data: bytes | None = None
    problem: str | None = None
    begun: float = field(default_factory=time.monotonic)


class Savings:
    def __init__(self) -> None:
        self._held: dict[str, Saving] = {}
        self._lock = threading.Lock()

    def begin(self, study: str, kind: str, document: Callable[[], Document]) -> Saving:
        made = Saving(uuid4().hex[:12], kind, study)
        with self._lock:
            old = [s.id for s in self._held.values() if time.monotonic() - s.begun > KEPT_SECONDS]
            for id in old:
                del self._held[id]
            self._held[made.id] = made
        threading.Thread(target=self._write, args=(made, document), daemon=True).start()
        return made

    def _write(self, made: Saving, document: Callable[[], Document]) -> None:
        def tell(part: float) -> None:
            made.part = 0.1 + 0.9 * part

        try:
            made.data = WRITERS[made.kind][0](document(), tell)
            made.part = 1.0
        except Exception as trouble:  # told to whoever waits for the file, and written to the log
            made.problem = f"The file could not be made: {trouble}"
            raise

    def get(self, study: str, id: str) -> Saving:
        """Raises LookupError."""
        found = self._held.get(id)
        if found is None or found.study != study:
            raise LookupError(id)
        return found
