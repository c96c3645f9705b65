"""Faults of a street graph: where they lie, how grave they are, and why. `check.py` runs all checks."""
