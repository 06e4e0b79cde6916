"""All that a worker needs, loaded once: where the system can fork, workers are born with it.

This module is imported by the process that workers are forked from, which does nothing else and holds no data.
"""

import pandas
import pyarrow
from pydantic import TypeAdapter
from scipy import stats

from yavik.core.methods import methods
from yavik.engine.forking import over_processes
from yavik.engine.tasks import Described, carry_out
from yavik.store import Store

READY = (pandas, pyarrow, TypeAdapter, stats, over_processes, Described, carry_out, Store, methods())
