"""Awl answers accessibility questions on street networks."""

__version__ = "0.1.0"
