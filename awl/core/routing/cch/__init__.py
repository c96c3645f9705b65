"""Customizable contraction hierarchy."""
