"""Everything that lasts: studies, items, changes, files, columns and results, in one SQLite database."""

from yavik.store.store import Store

__all__ = ["Store"]
