"""Benchmarks: `python -m bench`. Each figure stands against a peer or a physical bound in the same run."""
