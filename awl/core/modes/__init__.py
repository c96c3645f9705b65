"""Who moves, by which rules: a mode turns the street graph into usable arcs with costs."""
