"""What is written for vector units."""
