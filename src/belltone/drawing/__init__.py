"""Pictures of a design and its modes, without any window."""
