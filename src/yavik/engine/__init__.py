"""Runs descriptions: in the request when small, else in a worker process, or on a distributed engine."""

from yavik.engine.engine import Engine
from yavik.engine.jobs import Job, State

__all__ = ["Engine", "Job", "State"]
