"""The question `access`."""
