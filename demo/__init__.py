"""The invented city of the demo, and the generator that makes it."""
