"""The question `simulate`: what happens when many set out."""
