"""Tests of awl.formats."""
