"""The ruler, the map of a sweep, the map of two knobs."""
