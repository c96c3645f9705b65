"""How far? The question `isochrone`: its inputs, how it is answered, and what differs by place and by hour."""
