"""What can be asked of the engine: typed descriptions, and the version of a table that one is about."""

from typing import Any, Literal

from pydantic import BaseModel

from yavik.core.files.options import ReadOptions
from yavik.core.table.telling import Told, silent
from yavik.store import Store
from yavik.store.versions import Snapshot, key_of


class ReadFile(BaseModel):
    """An upload into the first version of a table."""

    task: Literal["read_file"] = "read_file"
    upload: str
    options: ReadOptions

    def root(self, sha: str) -> str:
        """The key of the table that a file makes."""
        return key_of("file", sha, self.options.model_dump(mode="json"))


class OfTable(BaseModel):
    """What is about a table of a study: the version it begins with, and the steps from there."""

    study: str = ""
    root: str
    steps: list[dict[str, Any]]
    link: str | None = None


class Replay(OfTable):
    """A file's version through some steps."""

    task: Literal["replay"] = "replay"


class Ask(OfTable):
    """A question on a table."""

    task: Literal["ask"] = "ask"
    method: str
    spec: dict[str, Any]
    item: str | None = None


def replayed(store: Store, d: OfTable, told: Told = silent) -> Snapshot:
    """The version that a description begins with or asks about. Raises LookupError, DataProblem."""
    tables = store.tables(d.study)
    tables.prepare(d.link)
    return store.versions.replay(d.root, d.steps, tables, told)[0]
