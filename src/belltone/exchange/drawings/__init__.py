"""Drawings and tables of points that become plates, flat or folded."""
