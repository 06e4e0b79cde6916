"""Computation only: no web, no database, no network, no global state."""
