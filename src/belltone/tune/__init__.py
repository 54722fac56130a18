"""Excitation bands, clear intervals, reach, pulls."""
