"""The question `alongside`."""
