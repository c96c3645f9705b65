"""The question `centrality`."""
