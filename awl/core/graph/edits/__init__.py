"""Changes of a street graph: what can be changed, how it is applied, and how it is taken back."""
