"""Element matrices: the line kernel, lumped masses."""
