"""Shortest paths: kernels over CSR arrays, and the places and paths around them."""
