"""One box to find anything: what there is, what comes nearest, and the box itself."""
