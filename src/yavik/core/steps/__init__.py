"""Preparation: typed steps that turn a table into a table, each telling its effect."""

from yavik.core.steps.path import AnyStep, Applied, apply_path, new_step, parse_step, step_kinds

__all__ = ["AnyStep", "Applied", "apply_path", "new_step", "parse_step", "step_kinds"]
