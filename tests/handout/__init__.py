"""Tests of awl.core."""
