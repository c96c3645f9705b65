"""Tests of the invented data."""
