"""The question `matrix`."""
