"""Servers and commands that are killed while they write: `python -m tests.kill`."""
