"""All that a worker needs, loaded once: where the system can fork, workers are born with it.

This module is imported by the process that workers are forked from, which does nothing else and holds no data.
"""

from yavik.core.methods import methods
from yavik.engine import forking, tasks

READY = (forking, tasks, methods())
"""With them come the store, numpy, scipy, pandas, pyarrow and pydantic."""
