"""Pure functions on times and populations."""
