"""Edits of streets as changes of OpenStreetMap's own nodes, ways and relations, both ways."""
