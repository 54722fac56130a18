"""Sweeps of a knob and the branches through them."""
