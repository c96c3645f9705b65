"""A street graph as one mode may use it, at a time and with edits: what is usable, what it costs, what searches run over."""
