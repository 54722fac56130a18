"""Mode sets: solving to an accuracy, kinds, energies, matching by shape."""
