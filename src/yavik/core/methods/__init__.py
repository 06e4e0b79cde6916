"""Methods: one file each, found by the registry."""

from yavik.core.methods.base import AIMS, Aim, Method, Run
from yavik.core.methods.registry import answer, methods, parse_spec

__all__ = ["AIMS", "Aim", "Method", "Run", "answer", "methods", "parse_spec"]
