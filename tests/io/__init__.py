"""Tests of awl.io."""
