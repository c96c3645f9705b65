"""Requests that nobody should send, many and made at random, from a seed: `python -m tests.fuzz --count 100000`."""
