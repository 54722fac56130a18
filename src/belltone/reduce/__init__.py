"""Reduced models: what a knob does to modes, from a few solutions, at any value at once."""
