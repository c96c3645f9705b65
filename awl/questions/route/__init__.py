"""The question `route`."""
