"""Tests of Awl, mirroring its packages."""
