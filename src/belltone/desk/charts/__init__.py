"""The ruler, the map of a sweep, the speed diagram."""
