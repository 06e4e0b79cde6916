"""How many rows a study needs."""
