"""The question `neighbours`."""
