"""Work done apart: in a process of its own, so that one that dies, swells or never ends costs one request, not the
server."""

from yavik.core.apart.helper import Helper

__all__ = ["Helper"]
