"""Areas around the streets reached."""
