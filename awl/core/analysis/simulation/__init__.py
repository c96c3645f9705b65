"""What happens when many set out at once: demand between places, and places that fill up."""
