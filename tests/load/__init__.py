"""Many people at once on one server: `python -m tests.load`."""
