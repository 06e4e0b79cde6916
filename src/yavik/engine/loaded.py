"""All that a worker needs, loaded once: where the system can fork, workers are born with it.

This module is imported by the process that workers are forked from, which does nothing else and holds no data.
"""

import gc

from yavik.core.apart import forking
from yavik.core.methods import methods
from yavik.engine import tasks

READY = (forking, tasks, methods())
"""With them come the store, numpy, scipy, pandas, pyarrow and pydantic."""
gc.freeze()  # nothing of it is garbage, in those that are forked neither
