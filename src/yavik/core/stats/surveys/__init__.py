"""Estimates from samples that were drawn by a design."""
