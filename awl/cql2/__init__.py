"""CQL2 (OGC 21-065r2): filters and computed values over tables and columns."""
