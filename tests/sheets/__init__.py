"""Tests of sheets, blanks and forms."""
