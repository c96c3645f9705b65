"""From streets reached to areas around them."""
