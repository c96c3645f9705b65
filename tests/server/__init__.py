"""Tests of awl.server."""
