"""Clearing the bands: searches, their proposals, pulls, and what tolerances do."""
