"""Tests of awl.study."""
