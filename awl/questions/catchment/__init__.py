"""The question `catchment`."""
