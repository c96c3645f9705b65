"""Accessibility of zones: how many people are within a limit of a place."""
