"""The question `trips`."""
