"""One module per open format; tables and geometry arrays in and out."""
