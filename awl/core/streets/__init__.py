"""Raw ways become a noded street graph; what was left out is said."""
