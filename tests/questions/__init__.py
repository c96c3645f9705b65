"""Tests of awl.questions."""
