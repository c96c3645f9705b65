"""Plain searches: the reference, readable."""
