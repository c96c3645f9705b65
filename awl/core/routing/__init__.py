"""How long it takes and which path leads there."""
