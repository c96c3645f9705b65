"""The street graph: reading out of extracts, building, identity, base map."""
