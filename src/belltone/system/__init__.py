"""Assembly, supports, rigid motions, and the eigensolver."""
