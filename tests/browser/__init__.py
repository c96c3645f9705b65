"""Tests that drive the real interface in headless Chromium."""
